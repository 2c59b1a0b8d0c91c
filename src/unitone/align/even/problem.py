"""A step whose coils are brought even over several places: what the tape says of it, for ``unitone.align.even.coils``."""

from __future__ import annotations

import math

from unitone.align.even.coils import Coils, Read, Wanted
from unitone.align.hill_readings import height, stops_touched
from unitone.align.peak.core import scale_of
from unitone.job.records import Logged, by_conditions, by_positions
from unitone.job.state import JobState
from unitone.quantities.registry import Quantity
from unitone.sheet.model.sheet import TURN, Conditions, Step


def is_even(step: Step) -> bool:
    """Is the step about coils that are brought even over several places, not one adjuster over several errors?"""
    return step.aim == "level" and step.quantity.kind in ("watts", "ratio-db")


def place_on_band(state: JobState, step: Step, conditions: Conditions) -> float:
    """Where a place lies on the step's band: -0.5 at its lowest carrier, 0.5 at its highest."""
    hz = [state.sheet.carrier_hz(c.channel, c.band) for c in step.required]
    low, high = min(hz), max(hz)
    return (
        0.0 if high == low else (state.sheet.carrier_hz(conditions.channel, conditions.band) - low) / (high - low) - 0.5
    )


def peaked_at(state: JobState, step: Step, since: int) -> Logged | None:
    """The first reading of another place after the coils were turned: until then they are only peaked at the step's own place."""
    first = next((t.seq for t in state.turns if t.seq > since and t.adjuster in step.adjusters), None)
    if first is None:
        return None
    return next(
        (
            x
            for x in state.read_of(step.quantity_id, first)
            if any(x.reading.conditions.settles(c) for c in step.required if c != step.setting)
        ),
        None,
    )


def even_problem(state: JobState, step: Step, since: int) -> tuple[Coils, list[Read], list[float], Wanted]:
    """What the levelling coach works on: the coils, every reading of the step since, where each was at its best, and what is wanted.

    Positions are in turns for cores; a trimmer's twelfth of a turn counts as one, as its hill is so much narrower.
    """
    names = step.adjusters
    groups = tuple(len(g) for g in step.adjust)
    adjusters = [state.sheet.adjuster(a) for a in names]
    unit = [TURN * scale_of(a) for a in adjusters]
    ends = []
    for name, u in zip(names, unit, strict=True):
        low, high = stops_touched(state, name)
        ends.append((-12.0 if low is None else low / u, 12.0 if high is None else high / u))
    coils = Coils(groups, tuple(ends), min(a.step_mdeg / u for a, u in zip(adjusters, unit, strict=True)))
    others = [a for a in state.reaching(step.quantity_id, step.setting) if a not in names]
    as_now = by_positions(lambda p: all(p[a] == state.positions[a] for a in others))
    turns = by_positions(lambda p: tuple(p[a] / u for a, u in zip(names, unit, strict=True)))
    place = by_conditions(lambda c: place_on_band(state, step, c))
    reads = []
    for x in state.read_of(step.quantity_id, since):
        if not as_now(x.positions) or not any(key[0] == step.id for key in state.answers(x.reading)):
            continue
        h = height(step.quantity, x.reading)
        if h is not None:
            reads.append(Read(turns(x.positions), place(x.reading.conditions), h[0], h[1]))
    at = peaked_at(state, step, since)
    peaked = state.positions if at is None else at.positions
    q, places = step.quantity, tuple(place_on_band(state, step, c) for c in step.required)
    low_db, high_db = (None if e is None else in_db(q, e) for e in (step.limit.low, step.limit.high))
    return (
        coils,
        reads,
        [peaked[a] / u for a, u in zip(names, unit, strict=True)],
        Wanted(places, low_db, high_db, worst=q.kind != "watts"),
    )


def in_db(q: Quantity, value: float) -> float:
    """A limit of a peaked quantity in the decibels that its hill is drawn in."""
    return 10.0 * math.log10(max(value, 1e-6)) if q.kind == "watts" else value
