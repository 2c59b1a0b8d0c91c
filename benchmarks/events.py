"""How long the window is busy with one event while a live reading runs and an adjuster turns.

Prints the count of events, p99 and the longest (milliseconds of one return to the event loop), by the clock and by
the thread's own processor time: on a machine with other work the clock tells of that as well.

    PYTHONPATH=src:tests QT_QPA_PLATFORM=offscreen python benchmarks/events.py [SECONDS [WIDTH HEIGHT]]
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from functools import partial
from pathlib import Path

import numpy as np

from unitone.desktop.shell.app import make_application
from unitone.desktop.shell.window import MainWindow
from unitone.robot.demo_data import fill
from unitone.session.session import Session
from unitone.store.logbook import Logbook

#: What takes less than this is the loop itself, not an event (ms).
_LEAST_MS = 0.05
#: The demo's radio in the middle of its alignment.
_JOB = "147"


def turn(session: Session, way: int) -> None:
    """Turn a core of the front end a little, there and back."""
    session.confirm_hook_up("receive")
    if session.step.id != "front-end":
        session.go_to("front-end")
    session.turn(session.step.adjusters[0], way * 15_000)


def main() -> None:
    """Measure and print."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 30.0
    width, height = (int(v) for v in (sys.argv[2:4] or ("1280", "800")))
    app = make_application()
    with tempfile.TemporaryDirectory() as place, Logbook(Path(place) / "demo") as logbook:
        fill(logbook)
        window = MainWindow(logbook)
        window.resize(width, height)
        window.show()
        window.open_job(logbook.job(_JOB).id)
        bench, took, worked, ways, lives = None, [], [], 0, []
        while bench is None or bench.view is None:
            app.processEvents()
            bench = window._bench
        window.worker.live.connect(lives.append)
        end = time.monotonic() + seconds + 3.0
        while (left := end - time.monotonic()) > 0:
            seen, asked = bench._generation, time.monotonic()
            window.worker.do(partial(turn, way=1 if ways % 2 else -1))
            ways += 1
            while bench._generation == seen or time.monotonic() - asked < 0.3:
                began, own = time.perf_counter(), time.thread_time()
                app.processEvents()
                busy, alone = 1e3 * (time.perf_counter() - began), 1e3 * (time.thread_time() - own)
                # The first seconds load what is drawn for the first time.
                if busy > _LEAST_MS and left < seconds:
                    took.append(busy)
                    worked.append(alone)
                time.sleep(0.001)
        window.close()
    found, processor = np.array(took), np.array(worked)
    print(
        f"{found.size} events over {seconds:g} s, {ways} turns, {len(lives)} live figures: median {np.median(found):.1f} ms, "
        f"p99 {np.percentile(found, 99):.1f} ms, longest {found.max():.1f} ms; processor time p99 "
        f"{np.percentile(processor, 99):.1f} ms, longest {processor.max():.1f} ms"
    )


if __name__ == "__main__":
    main()
