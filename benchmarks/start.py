"""Start of the demo window against the bare imports, in one run: first paint with the jobs in it, warm.

Run: ``.venv/bin/python benchmarks/start.py`` (offscreen).
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

TOP = Path(__file__).resolve().parent.parent
BASELINE = "import PyQt6.QtWidgets, numpy, scipy.signal, pyqtgraph"
PAINTED = """
import sys, time
from pathlib import Path
from unitone.cli.workspace import make_demo
folder = make_demo(sys.argv[1])
from PyQt6.QtCore import QTimer
from unitone.desktop.shell.app import make_application
from unitone.store.logbook import Logbook
from unitone.desktop.theme.theme import theme
app = make_application()
logbook = Logbook(folder)
from unitone.desktop.shell.window import MainWindow
theme.use("day", 1.0)
window = MainWindow(logbook)
window.show()
app.processEvents()
assert window.jobs.list.viewport().grab().toImage().pixelColor(60, 30).isValid()
assert window.jobs.model.rowCount() > 0
import resource
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
import os; os._exit(0)
"""


def run(code: str, *arguments: str) -> tuple[float, str]:
    """Seconds that a fresh Python takes for ``code``, and what it printed."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(TOP / "src")}
    # As the launcher has it: what Python compiles is kept.
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    start = time.perf_counter()
    done = subprocess.run(
        [sys.executable, "-c", code, *arguments], env=environment, check=True, capture_output=True, text=True
    )
    return time.perf_counter() - start, done.stdout.strip()


def main() -> None:
    """Print the ratio."""
    baseline, fresh, again = [], [], []
    memory = "?"
    with tempfile.TemporaryDirectory() as folder:
        run(BASELINE)
        run(PAINTED, f"{folder}/warm")
        for n in range(int(sys.argv[1]) if len(sys.argv) > 1 else 7):
            baseline.append(run(BASELINE)[0])
            seconds, memory = run(PAINTED, f"{folder}/{n}")
            fresh.append(seconds)
            again.append(run(PAINTED, f"{folder}/{n}")[0])
    base = statistics.median(baseline)
    print(f"bare imports {base:.2f} s")
    print(f"demo, fresh workshop: {statistics.median(fresh):.2f} s, ratio {statistics.median(fresh) / base:.2f}")
    print(f"demo, workshop there: {statistics.median(again):.2f} s, ratio {statistics.median(again) / base:.2f}")
    print(f"peak memory at first paint {memory} MB")


if __name__ == "__main__":
    main()
