"""The frequency coach followed: what it says is done at the session's bench."""

from __future__ import annotations

from unitone.align.frequency.trimming import Tuning
from unitone.session.session import Session


def follow_tuning(session: Session, move: Tuning) -> None:
    """Do exactly what the frequency coach says."""
    assert move.at is not None
    if move.act == "turn":
        session.turn(move.adjuster, move.move_mdeg)
        return
    session.go_to(move.at.step)
    if session.step.hook_up != "probe" and session.state.hook_up != session.step.hook_up:
        session.confirm_hook_up(session.step.hook_up)
    session.set_up(move.at.conditions)
    session.measure(move.at.conditions)
