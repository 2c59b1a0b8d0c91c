"""One who aligns a radio at the real window, with keys and clicks: shared by the tests and by benchmarks/window.py."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from unitone.align.moves import Turn
from unitone.desktop.shell.shots import wait
from unitone.desktop.shell.window import MainWindow

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
        """Press a key so many times, looking at what came of it each time."""
        held = Qt.KeyboardModifier.ShiftModifier if shift else Qt.KeyboardModifier.NoModifier
        for _ in range(times):
            self.act(lambda: QTest.keyClick(QApplication.focusWidget() or self.window, key, held))

    def align(self) -> bool:
        """Follow the coach from as-found to the finished job."""
        for pressed in range(_AT_MOST):
            view = self.bench.view
            assert view is not None
            if view.finished:
                return True
            advice = view.coach.advice
            small = view.board.selected_step_mdeg
            turned = isinstance(advice, Turn) and bool(small)
            steps, rest = divmod(abs(advice.move_mdeg), small) if turned else (0, 1)
            if turned and not rest and steps <= _BY_KEYS:
                assert view.board.selected == advice.adjuster
                way = Qt.Key.Key_Right if advice.move_mdeg > 0 else Qt.Key.Key_Left
                self.key(way, steps // 4, True)
                self.key(way, steps % 4)
            elif advice.act == "hook-up":
                self.act(lambda: QTest.mouseClick(self.bench.hook.button, Qt.MouseButton.LeftButton))
            elif advice.act == "measure" and pressed % 3 == 0:
                self.key(Qt.Key.Key_L)
            elif pressed % 2:
                self.act(lambda: QTest.mouseClick(self.bench.step.main, Qt.MouseButton.LeftButton))
            else:
                self.key(Qt.Key.Key_Return)
        return False
