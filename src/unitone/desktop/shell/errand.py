"""Errands: a function run off the window's thread; its result comes back as a signal, late ones are dropped."""

from __future__ import annotations

import threading
import weakref
from collections.abc import Callable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QObject, pyqtSignal

from unitone.desktop.shell.trouble import troubles
from unitone.errors import UnitoneError


class _Post(QObject):
    """Carries answers to the window's thread. It outlives every window: a signal sent by an object that goes in the same moment ends
    the process."""

    arrived = pyqtSignal(object, int, object, str)

    def __init__(self) -> None:
        super().__init__()
        self.arrived.connect(self._hand_over)

    def _hand_over(self, to: weakref.ref[Errand], generation: int, result: object, words: str) -> None:
        errand = to()
        if errand is not None and not sip.isdeleted(errand):
            errand.deliver(generation, result, words)


_post = _Post()


class Errand(QObject):
    """
    Runs functions of a kind. Of questions only the answer to the last is delivered. What writes (``every``) is done in
    the order asked for, one at a time, and each answer is delivered: a later write does not undo an earlier one.
    """

    def __init__(self, name: str, parent: QObject, every: bool = False) -> None:
        super().__init__(parent)
        self._name, self._every, self._generation = name, every, 0
        self._answers: dict[int, tuple[Callable[[Any], None], Callable[[str], None]]] = {}
        self.running: threading.Thread | None = None

    def run(self, work: Callable[[], Any], then: Callable[[Any], None], fail: Callable[[str], None]) -> None:
        """Do ``work`` in a thread of its own; then ``then`` with its result, or ``fail`` with the words of its error."""
        self._generation += 1
        generation, before, name, to = self._generation, self.running, self._name, weakref.ref(self)
        if not self._every:
            before = None
            self._answers.clear()
        self._answers[generation] = (then, fail)

        def go() -> None:
            if before is not None:
                before.join()
            try:
                result, words = work(), ""
            except UnitoneError as error:
                result, words = None, str(error)
            except Exception as error:
                result, words = None, troubles.caught(error, name)
            # Where the window is gone by now, what the errand wrote to disk stays; where the program is, nobody is left to tell.
            if not sip.isdeleted(_post):
                _post.arrived.emit(to, generation, result, words)

        self.running = threading.Thread(target=go, name=self._name, daemon=True)
        self.running.start()

    def deliver(self, generation: int, result: object, words: str) -> None:
        """Hand the answer to whoever asked; runs in the window's thread."""
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
