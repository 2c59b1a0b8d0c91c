"""Every benchmark still runs, in its smallest size: one that CI does not start is broken before anybody notices. What only takes times
is loaded, not run."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

#: The smallest size of each.
TINY: dict[str, tuple[str, ...]] = {
    "accuracy": ("0.02", "0.01"), "adjusters": ("1",), "attribution": ("4",), "by_hand": ("1", "7", "fm-handheld"),
    "find_level": ("3",),
    "foreign": ("1", "6001", "dunlin"), "receive": ("5", "2", "1"),
    "recheck": ("2",), "sheets": (), "sweep": ("8",), "trace": ("4",), "vco": ("5",),
}  # fmt: skip
#: They time a window, a start, a list of ten thousand jobs; or take what other tests prove already, and long for it.
TIMED = (
    "by_camera",
    "events",
    "hostile",
    "installed",
    "killed",
    "live",
    "logbook",
    "needles",
    "practice",
    "practice_speed",
    "receiver_speed",
    "robot",
    "shared",
    "start",
    "variants",
    "window",
)


def test_none_is_forgotten(top: Path) -> None:
    assert {p.stem for p in (top / "benchmarks").glob("*.py")} == {*TINY, *TIMED}


#: A process for every few of them: most of what a single one takes is to begin.
RUN = """
import json, runpy, sys
for name, arguments in json.loads(sys.argv[1]).items():
    sys.argv = [f"benchmarks/{name}.py", *arguments]
    print(f"== {name}", file=sys.stderr)
    print(f"== {name}")
    runpy.run_path(sys.argv[0], run_name="__main__")
"""


@pytest.mark.window
@pytest.mark.parametrize("names", [sorted(TINY)[k::3] for k in range(3)], ids=" ".join)
def test_they_run(names: list[str], top: Path, tmp_path: Path) -> None:
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "PYTHONPATH": f"{top / 'src'}{os.pathsep}{top / 'tests'}",
        "TMPDIR": str(tmp_path),
    }
    asked = json.dumps({name: TINY[name] for name in names})
    done = subprocess.run([sys.executable, "-c", RUN, asked], cwd=top, env=environment, capture_output=True, text=True, timeout=900,
                          check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr[-3000:]
    for part in done.stdout.split("== ")[1:]:
        name, _, said = part.partition("\n")
        assert name in names and said.strip(), f"{name} says nothing"


@pytest.mark.window
def test_those_that_take_times_can_be_loaded(top: Path) -> None:
    code = (
        "import runpy, sys\nfor name in sys.argv[1:]:\n    runpy.run_path(f'benchmarks/{name}.py', run_name='loaded')"
    )
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "PYTHONPATH": os.pathsep.join(str(top / p) for p in ("src", "tests", "benchmarks")),
    }
    done = subprocess.run([sys.executable, "-c", code, *TIMED], cwd=top, env=environment, capture_output=True, text=True, timeout=120,
                          check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr[-3000:]
