"""The squelch over its control: at which level it opens at each position."""

from __future__ import annotations

from dataclasses import replace

from unitone.job.records import Logged
from unitone.job.state import JobState
from unitone.sheet.model.sheet import Conditions, Step, without

#: The control's positions of the chart.
POSITIONS = ("0 %", "25 %", "50 %", "75 %", "100 %")


_BOTTOM_DBM, _TOP_DBM = -130.0, -45.0


def is_chart(step: Step) -> bool:
    """Is it a step at which the squelch is read over its control?"""
    return step.quantity_id == "rx.squelch_opens"


def position(conditions: Conditions) -> str:
    """Where the squelch control stands, in the sheet's words; "" where nothing is said of it."""
    return dict(conditions.panel).get("squelch", "")


def at(step: Step, where: str) -> Conditions:
    """The step's setting with the squelch control at ``where``."""
    return replace(step.setting, panel=tuple(sorted({**dict(step.setting.panel), "squelch": where}.items())))


def next_conditions(state: JobState, step: Step) -> Conditions | None:
    """The next position of the control that was not read since anything that reaches the squelch was touched; None when all are."""
    have = read_so_far(state, step, "rx.squelch_opens")
    return next((at(step, where) for where in POSITIONS if where not in have), None)


def read_so_far(state: JobState, step: Step, quantity_id: str) -> dict[str, Logged]:
    """The newest reading of each position of the control since the last touch that reaches it."""
    floor = state.last_reached(step.quantity_id, step.setting)
    found: dict[str, Logged] = {}
    place = without(step.setting, "panel", "level_dbm")
    for x in state.read_of(quantity_id, floor):
        c = x.reading.conditions
        if x.reading.value is not None and position(c) and without(c, "panel", "level_dbm") == place:
            found[position(c)] = x
    return found


def as_found(state: JobState, step: Step) -> tuple[tuple[float, float], ...]:
    """Where it opened as found, by the control's per cent, where something has been touched since."""
    floor = state.last_reached(step.quantity_id, step.setting)
    first: dict[float, float] = {}
    for x in state.read_of("rx.squelch_opens"):
        if x.seq >= floor:
            break
        where = position(x.reading.conditions)
        if x.reading.value is not None and where.endswith("%"):
            first.setdefault(per_cent(where), level_of(x))
    return tuple(sorted(first.items()))


def per_cent(where: str) -> float:
    """A position of the control in per cent, from the sheet's words."""
    return float(where.rstrip("% ").replace(",", "."))


def level_of(x: Logged) -> float:
    """The level of a reading, or the end of the scale where it never opened, or was never shut."""
    return {"<": _BOTTOM_DBM, ">": _TOP_DBM}.get(x.reading.bound, x.reading.value or 0.0)
