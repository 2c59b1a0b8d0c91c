"""A frequency counted at its step, as the frequency coach wants it."""

from __future__ import annotations

from unitone.align.frequency.trimming import Countable
from unitone.session.session import Session


def count(session: Session, thing: Countable) -> None:
    """Go to the step that counts it, hook up, dial and read. Raises BenchError, HookUpError."""
    session.go_to(thing.step)
    if session.step.hook_up != "probe" and session.state.hook_up != session.step.hook_up:
        session.confirm_hook_up(session.step.hook_up)
    session.set_up(thing.conditions)
    session.measure(thing.conditions)
