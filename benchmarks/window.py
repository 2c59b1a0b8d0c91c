"""Whole radios through the real window: the coach's sentence is read, cores are turned with the arrow keys, readings logged with keys
and clicks, until the job is finished; then the referee judges the tape, as it judges the robot's.

PYTHONPATH=src QT_QPA_PLATFORM=offscreen python benchmarks/window.py SHEET [RADIOS [FIRST_SEED]]
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from unitone.desktop.app import make_application
from unitone.desktop.shots import wait
from unitone.desktop.window import MainWindow
from unitone.job.tape import Card
from unitone.robot.trial import SetResult, judge
from unitone.session.session import Session, open_job
from unitone.sheet.library import find
from unitone.store.logbook import Logbook

#: More presses than this no radio needs.
_AT_MOST = 4000
#: A move of more of an adjuster's own steps than this is left to the button.
_BY_KEYS = 24


class Hands:
    """One who works at the window, and knows of the radio only what is shown there."""

    def __init__(self, app: QApplication, window: MainWindow) -> None:
        self.app, self.window = app, window
        assert window._bench is not None and window.worker is not None
        self.bench, self.worker = window._bench, window.worker

    def act(self, does: Callable[[], object]) -> None:
        """Do something, and wait until all that was asked is done and its picture is the one that is shown."""
        does()
        done: list[bool] = []
        self.worker.do(lambda _: done.append(True))
        wait(self.app, lambda: bool(done) and self.bench._generation >= self.worker._generation)

    def key(self, key: Qt.Key, times: int = 1, shift: bool = False) -> None:
        """Press a key so many times."""
        held = Qt.KeyboardModifier.ShiftModifier if shift else Qt.KeyboardModifier.NoModifier
        for _ in range(times):
            QTest.keyClick(QApplication.focusWidget() or self.window, key, held)

    def align(self) -> bool:
        """Follow the coach from as-found to the finished job."""
        for pressed in range(_AT_MOST):
            view = self.bench.view
            assert view is not None
            if view.finished:
                return True
            advice = view.advice
            small = view.selected_step_mdeg
            steps, rest = divmod(abs(advice.move_mdeg), small) if small else (0, 1)
            if advice.act == "turn" and not rest and steps <= _BY_KEYS:
                assert view.selected == advice.adjuster
                way = Qt.Key.Key_Right if advice.move_mdeg > 0 else Qt.Key.Key_Left
                self.act(lambda w=way, n=steps: (self.key(w, n // 4, True), self.key(w, n % 4)))  # type: ignore[misc]
            elif advice.act == "hook-up":
                self.act(lambda: QTest.mouseClick(self.bench.hook.button, Qt.MouseButton.LeftButton))
            elif advice.act == "measure" and pressed % 3 == 0:
                self.act(lambda: self.key(Qt.Key.Key_L))
            elif pressed % 2:
                self.act(lambda: QTest.mouseClick(self.bench.step.main, Qt.MouseButton.LeftButton))
            else:
                self.act(lambda: self.key(Qt.Key.Key_Return))
        return False


def through_the_window(app: QApplication, sheet: str, seed: int) -> SetResult:
    """Align the stand-in of ``seed`` through a window of its own; the referee's view of what is on the tape then."""
    with tempfile.TemporaryDirectory() as place, Logbook(Path(place) / "book") as logbook:
        job = open_job(logbook, sheet, Card(logbook.next_number(), sheet, f"seed {seed}", standin_seed=seed))
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
