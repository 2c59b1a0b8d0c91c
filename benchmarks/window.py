"""Whole radios through the real window: the coach's sentence is read, cores are turned with the arrow keys, readings logged with keys
and clicks, until the job is finished; then the referee judges the tape, as it judges the robot's.

PYTHONPATH=src:tests QT_QPA_PLATFORM=offscreen python benchmarks/window.py SHEET [RADIOS [FIRST_SEED]]
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from hands import Hands
from unitone.desktop.shell.app import make_application
from unitone.desktop.shell.shots import wait
from unitone.desktop.shell.window import MainWindow
from unitone.job.card import Card
from unitone.robot.whole_radios import SetResult, judge
from unitone.session.session import Session, open_job
from unitone.sheet.library import find
from unitone.store.logbook import Logbook


def through_the_window(app: QApplication, sheet: str, seed: int) -> SetResult:
    """Align the simulated radio of ``seed`` through a window of its own; the referee's view of what is on the tape then."""
    with tempfile.TemporaryDirectory() as place, Logbook(Path(place) / "book") as logbook:
        job = open_job(logbook, sheet, Card(logbook.next_number(), sheet, f"seed {seed}", simulated_seed=seed))
        window = MainWindow(logbook)
        window.resize(1280, 800)
        window.show()
        window.open_job(job)
        wait(app, lambda: window._bench is not None and window._bench.view is not None)
        hands = Hands(app, window)
        hands.bench.setFocus()
        finished = hands.align()
        window.close()
        session = Session(logbook, job)
        return judge(
            session, find(sheet), seed, len(session.state.readings), len(session.state.turns), finished
        )  # fmt: skip


def main() -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    sheet = sys.argv[1]
    radios, first = (int(x) for x in [*sys.argv[2:], "10", "1"][:2])
    app = make_application()
    results = []
    for seed in range(first, first + radios):
        began = time.monotonic()
        results.append(through_the_window(app, sheet, seed))
        r = results[-1]
        loss = "–" if r.loss_db is None else f"{r.loss_db:.3f}"
        print(
            f"seed {seed}: {'recovered' if r.recovered else 'NOT recovered'}, {r.readings} readings, {r.moves} turns, "
            f"loss {loss} dB, {time.monotonic() - began:.0f} s {' · '.join(r.problems)}",
            flush=True,
        )
    print(f"{sheet}: {sum(r.recovered for r in results)} of {len(results)} recovered through the window")


if __name__ == "__main__":
    main()
