"""To a reading: what has to be hooked up and dialled before it can be taken."""

from __future__ import annotations

from unitone.align.moves import Advice, HookUp, Measure, SetUp, Why
from unitone.job.state import JobState
from unitone.sheet.model.sheet import Conditions, Step


def to_read(state: JobState, step: Step, wanted: Conditions, why: Why, read: Measure | None = None) -> Advice:
    """Measure under ``wanted``: first the hook-up, then what has to be dialled or switched, then the reading (``read`` of a trial)."""
    if step.hook_up != "probe" and state.hook_up != step.hook_up:
        return HookUp(step.id, "receive" if step.hook_up == "receive" else "transmit", step.hook_up)
    # On a bench of one's own what is to be set up is told beside the reading: only a change of hook-up is confirmed.
    if state.set_up != wanted and state.card.simulated_seed is not None:
        return SetUp(step.id, why, wanted)
    return read or Measure(step.id, why, wanted)
