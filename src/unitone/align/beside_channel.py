"""Readings with the generator beside the channel: what was read where, since the last touch that reaches it."""

from __future__ import annotations

from dataclasses import replace

from unitone.job.state import JobState
from unitone.sheet.model.sheet import Conditions, Step, without


def at(step: Step, offset_hz: float) -> Conditions:
    """The step's setting with the generator beside the channel (Hz)."""
    return replace(step.setting, offset_hz=offset_hz or None)


def read_so_far(state: JobState, step: Step) -> dict[float, float]:
    """The step's quantity at each offset (Hz) since the last touch that reaches it; no offset is the channel itself."""
    floor = state.last_reached(step.quantity_id, step.setting)
    found: dict[float, float] = {}
    for x in state.by_quantity.get(step.quantity_id, ()):
        r = x.reading
        if x.seq > floor and r.value is not None and without(r.conditions, "offset_hz") == step.setting:
            found[r.conditions.offset_hz or 0.0] = r.value
    return found
