"""Errands: a function run off the window's thread; its result comes back as a signal, late ones are dropped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from unitone.desktop.shell.trouble import troubles
from unitone.errors import UnitoneError


class Errand(QObject):
    """
    Runs functions of a kind. Of questions only the answer to the last is delivered. What writes (``every``) is done in
    the order asked for, one at a time, and each answer is delivered: a later write does not undo an earlier one.
    """

    _done = pyqtSignal(int, object, str)

    def __init__(self, name: str, parent: QObject, every: bool = False) -> None:
        super().__init__(parent)
        self._name, self._every, self._generation = name, every, 0
        self._answers: dict[int, tuple[Callable[[Any], None], Callable[[str], None]]] = {}
        self._done.connect(self._deliver)
        self.running: threading.Thread | None = None

    def run(self, work: Callable[[], Any], then: Callable[[Any], None], fail: Callable[[str], None]) -> None:
        """Do ``work`` in a thread of its own; then ``then`` with its result, or ``fail`` with the words of its error."""
        self._generation += 1
        generation, before = self._generation, self.running
        if not self._every:
            self._answers.clear()
        self._answers[generation] = (then, fail)

        def go() -> None:
            if before is not None and self._every:
                before.join()
            try:
                result, words = work(), ""
            except UnitoneError as error:
                result, words = None, str(error)
            except Exception as error:
                result, words = None, troubles.caught(error, self._name)
            try:
                self._done.emit(generation, result, words)
            except RuntimeError:
                # The window is gone; what the errand wrote to disk stays.
                return

        self.running = threading.Thread(target=go, name=self._name, daemon=True)
        self.running.start()

    def _deliver(self, generation: int, result: object, words: str) -> None:
        if (answer := self._answers.pop(generation, None)) is None:
            return
        then, fail = answer
        if words:
            fail(words)
        else:
            then(result)

    def wait(self) -> None:
        """Wait until what is running is done (its answer is delivered as events are)."""
        if self.running is not None:
            self.running.join()
