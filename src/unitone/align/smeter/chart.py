"""The S-meter's chart: which levels or lamps it is read at, what was read, and what its shape says."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from unitone.align.smeter.shape import LEAST, Mark, Told, read_chart
from unitone.job.records import Logged, by_conditions
from unitone.job.state import JobState
from unitone.job.verdicts import verdict
from unitone.radio.levels import mark_db
from unitone.sheet.model.sheet import Conditions, Step, led_point, without

#: The chart's marks in dB over S9: S1, S3, S5, S7, S8, S9, and +10 to +50.
CHART_DB = (-48.0, -36.0, -24.0, -12.0, -6.0, 0.0, 10.0, 20.0, 30.0, 40.0, 50.0)


_SAME_DB = 0.5


def is_chart(step: Step) -> bool:
    """Is it a step at which a meter is charted: a needle's, level by level, or one of lamps, lamp by lamp?"""
    return bool(step.leds) or (step.quantity_id == "rx.s_meter" and step.setting.level_dbm is not None)


def s9_of(step: Step) -> float:
    """The level (dBm PD at the set) that the step calls S9: its own, less what its target stands over S9; of lamps the target."""
    target = step.target if step.target is not None else step.limit.middle
    return target if step.leds else (step.setting.level_dbm or 0.0) - target


def next_conditions(state: JobState, step: Step) -> Conditions | None:
    """The next level or lamp of the chart that was not read since anything that reaches it was touched; None when all are."""
    if step.leds:
        lit = {x.reading.conditions.test_point for x in _read(state, step)}
        return next(
            (replace(step.setting, test_point=led_point(m)) for m in step.leds if led_point(m) not in lit), None
        )
    have = [x.reading.conditions.level_dbm or 0.0 for x in _read(state, step)]
    for mark in CHART_DB:
        level = s9_of(step) + mark
        if all(abs(h - level) > _SAME_DB for h in have):
            return replace(step.setting, level_dbm=round(level, 1))
    return None


def _of_chart(state: JobState, step: Step, since: int = 0) -> list[tuple[float, Logged]]:
    """Every reading after entry ``since`` that belongs to the chart, oldest first, with its place on it: the level (dBm), or the lamp's mark (dB)."""
    bare = without(step.setting, "level_dbm", "test_point")
    places = {led_point(m): mark_db(m) for m in step.leds}

    def place_of(c: Conditions) -> float | None:
        if without(c, "level_dbm", "test_point") != bare:
            return None
        place = places.get(c.test_point or "") if places else c.level_dbm
        return None if place is None else round(place, 1)

    known, found = by_conditions(place_of), []
    for x in state.read_of(step.quantity_id, since):
        place = known(x.reading.conditions)
        if place is not None and x.reading.value is not None:
            found.append((place, x))
    return found


def _read(state: JobState, step: Step) -> list[Logged]:
    """The newest reading of each level or lamp since the last touch that reaches the meter."""
    floor = state.last_reached(step.quantity_id, step.setting)
    found = dict(_of_chart(state, step, floor))
    return [found[k] for k in sorted(found)]


#: A lamp that stays dark up to the highest level shows less than its mark there; one that is always lit, more.
_SHOWS: dict[Literal["", "<", ">"], Literal["", "<", ">"]] = {">": "<", "<": ">", "": ""}


def _mark(step: Step, x: Logged) -> Mark:
    r, c = x.reading, x.reading.conditions
    if not step.leds:
        return Mark(c.level_dbm or 0.0, r.value or 0.0, r.bound)
    of = (c.test_point or "").removeprefix(led_point(""))
    return Mark(r.value or 0.0, mark_db(of), _SHOWS[r.bound])


def marks(state: JobState, step: Step) -> list[Mark]:
    """The chart as it was read, lowest level first."""
    return [_mark(step, x) for x in _read(state, step)]


def told(state: JobState, step: Step) -> Told:
    """What the chart's shape says; the sensitivity steps tell whether the set is deaf."""
    judged = [verdict(state, s) for s in state.sheet.steps if s.quantity_id in ("rx.sensitivity", "rx.sensitivity_am")]
    deaf = (
        None
        if not any(v in ("in_spec", "out_of_spec", "left_as_found", "accepted") for v in judged)
        else "out_of_spec" in judged
    )
    return read_chart(marks(state, step), s9_of(step), deaf, len(step.leds) or LEAST)


def as_found(state: JobState, step: Step) -> tuple[tuple[float, float], ...]:
    """The chart as it was found, lowest level first: the first reading of each place, where something has been touched since."""
    floor = state.last_reached(step.quantity_id, step.setting)
    first: dict[float, Mark] = {}
    for place, x in _of_chart(state, step):
        if x.seq < floor:
            first.setdefault(place, _mark(step, x))
    return tuple(sorted((m.level_dbm, m.shown_db) for m in first.values()))
