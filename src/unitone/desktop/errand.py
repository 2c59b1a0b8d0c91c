"""Errands: a function run off the window's thread; its result comes back as a signal, late ones are dropped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from unitone.errors import UnitoneError


class Errand(QObject):
    """Runs one function at a time of a kind; only the answer to the last call is delivered."""

    _done = pyqtSignal(int, object, str)

    def __init__(self, name: str, parent: QObject) -> None:
        super().__init__(parent)
        self._name, self._generation = name, 0
        self._then: Callable[[Any], None] = lambda _: None
        self._fail: Callable[[str], None] = lambda _: None
        self._done.connect(self._deliver)
        self.running: threading.Thread | None = None

    def run(self, work: Callable[[], Any], then: Callable[[Any], None], fail: Callable[[str], None]) -> None:
        """Do ``work`` in a thread of its own; then ``then`` with its result, or ``fail`` with the words of its error."""
        self._generation += 1
        generation, self._then, self._fail = self._generation, then, fail

        def go() -> None:
            try:
                result, words = work(), ""
            except UnitoneError as error:
                result, words = None, str(error)
            try:
                self._done.emit(generation, result, words)
            except RuntimeError:
                # The window is gone; what the errand wrote to disk stays.
                return

        self.running = threading.Thread(target=go, name=self._name, daemon=True)
        self.running.start()

    def _deliver(self, generation: int, result: object, words: str) -> None:
        if generation != self._generation:
            return
        if words:
            self._fail(words)
        else:
            self._then(result)

    def wait(self) -> None:
        """Wait until what is running is done (its answer is delivered as events are)."""
        if self.running is not None:
            self.running.join()
