"""A command is done once: pressed twice before the next picture, or held down, it turns, logs and voids nothing a second time."""

from __future__ import annotations

import threading

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication

from desktop.conftest import Desk
from unitone.errors import StaleCommand
from unitone.job.fold import fold
from unitone.session.session import Session

pytestmark = pytest.mark.window


def entries(desk: Desk, kind: str) -> int:
    """How many entries of a kind the job on the Bench has on disk."""
    assert desk.bench.view is not None
    return sum(e.kind == kind for e in desk.logbook.tape(desk.bench.view.job_id))


class Held:
    """Holds the bench's thread for a while, as a slow answer does."""

    def __init__(self, desk: Desk) -> None:
        self._free, began = threading.Event(), threading.Event()
        assert desk.window.worker is not None
        desk.window.worker.do(lambda _: (began.set(), self._free.wait(60)))
        desk.until(began.is_set)

    def __enter__(self) -> Held:
        return self

    def __exit__(self, *_: object) -> None:
        self._free.set()


@pytest.mark.parametrize("name", ["main", "cw", "ccw-more", "log", "void", "back"])
def test_pressed_twice_before_the_next_picture_it_is_done_once(desk: Desk, name: str) -> None:
    desk.open(147)
    desk.quiet()
    kinds = ("turn", "reading", "void", "concluded", "set-up", "goto")
    if name == "back":
        desk.after(lambda: desk.bench.press("cw"))
    before = [entries(desk, k) for k in kinds]
    with Held(desk):
        for _ in range(3):
            desk.bench.press(name)
    desk.quiet()
    done = [entries(desk, k) - b for k, b in zip(kinds, before, strict=True)]
    assert sum(done) <= 2 and max(done) == 1, dict(zip(kinds, done, strict=True))
    assert "moved on" in desk.bench.message_words.text() and desk.bench.message.isVisible()
    # What is shown again can be pressed again.
    desk.after(lambda: desk.bench.press("cw"))
    assert entries(desk, "turn") >= before[0] + 1


def test_a_held_key_turns_once(desk: Desk) -> None:
    desk.open(147)
    desk.quiet()
    before = entries(desk, "turn")
    target = QApplication.focusWidget() or desk.window
    for held in (False, True, True, True, True):
        event = QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Right, Qt.KeyboardModifier.NoModifier, "", held)
        QApplication.sendEvent(target, event)
        desk.quiet()
    assert entries(desk, "turn") <= before + 1
    actions = {a.id: a for a in __import__("unitone.actions", fromlist=["ACTIONS"]).ACTIONS}
    assert not any(
        actions[i].repeats for i in ("main", "cw", "ccw", "cw-more", "ccw-more", "log", "void", "back", "hook-up")
    )


def test_the_session_refuses_a_command_that_was_meant_for_an_older_log(new_session) -> None:  # type: ignore[no-untyped-def]
    session: Session = new_session(2)
    shown = session.state.seq
    session.check_position(shown)
    session.turn("T1", 45_000)
    with pytest.raises(StaleCommand, match="Not done"):
        session.check_position(shown)
    again = fold(session.logbook.tape(session.job_id), session.job_id)
    session.check_position(again.seq)


def test_what_a_slow_bench_has_not_answered_shows_as_pending(desk: Desk) -> None:
    desk.open(147)
    desk.quiet()
    words = desk.bench.step.words
    assert "pending" not in words.text()
    with Held(desk):
        desk.bench.press("log")
        desk.until(lambda: "pending: not logged yet" in words.text())
    desk.quiet()
    desk.until(lambda: "pending" not in words.text())
