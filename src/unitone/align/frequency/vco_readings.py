"""The VCO's law from the tuning voltage of a job: fitted, and what it says of the channels that were not read."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

from unitone.errors import UnitoneError
from unitone.job.records import by_conditions
from unitone.job.state import JobState
from unitone.radio.vcofit import Law, fit
from unitone.sheet.model.mixing_model import vco_hz
from unitone.sheet.model.sheet import Way

#: Fewer channels than this tell no VCO's law.
_LEAST_FOR_A_LAW = 3


#: Two frequencies nearer than this are one channel (Hz).
_SAME_HZ = 1000.0
#: The top of one band and the bottom of the next stand nearer than this (Hz).
_APART_HZ = 60e3


def vco_law(state: JobState, way: Way | None = None) -> Law | None:
    """The VCO's law from the tuning voltage of a job that still stand; None for too few, or for what is no VCO's."""
    return None if (points := vco_points(state, way)) is None else _law(tuple(points))


def vco_points(state: JobState, way: Way | None = None) -> list[tuple[float, float]] | None:
    """(Hz, volts) of every channel that is read and still stands; one way alone where the ways have a VCO each."""
    found: dict[float, float] = {}
    ways: set[Way] = set()
    floor_of = by_conditions(lambda c: state.last_reached("vco.tuning_voltage", c))
    hz_of = by_conditions(lambda c: vco_hz(state.sheet, c))
    for logged in state.read_of("vco.tuning_voltage"):
        r = logged.reading
        if r.value is None or r.bound or (way and r.conditions.way != way):
            continue
        if logged.seq <= floor_of(r.conditions):
            continue
        hz = hz_of(r.conditions)
        if hz is None:
            continue
        ways.add(r.conditions.way)
        near = next((k for k in found if abs(k - hz) < _SAME_HZ), hz)
        found[near] = r.value
    made = apart(found.items())
    return made if len(made) >= _LEAST_FOR_A_LAW and len(ways) == 1 else None


def rail_share(state: JobState) -> float:
    """The regulated rail as it was last read over what it should be; 1 where it was not."""
    for logged in reversed(state.read_of("supply.rail")):
        step = next((s for s in state.sheet.steps if s.quantity_id == "supply.rail"), None)
        if step is not None and logged.reading.value and not logged.reading.bound and step.limit.middle:
            return logged.reading.value / step.limit.middle
    return 1.0


def apart(points: Iterable[tuple[float, float]]) -> list[tuple[float, float]]:
    """Points of (Hz, volts) in order, those nearer to each other than two bands' ends are as their mean: a voltmeter cannot tell them apart,
    and a law that has to rise would break on its last digit."""
    made: list[list[tuple[float, float]]] = []
    for point in sorted(points):
        if made and point[0] - made[-1][0][0] < _APART_HZ:
            made[-1].append(point)
        else:
            made.append([point])
    return [(sum(hz for hz, _ in of) / len(of), sum(v for _, v in of) / len(of)) for of in made]


@lru_cache(maxsize=16)
def _law(points: tuple[tuple[float, float], ...]) -> Law | None:
    try:
        return fit(points)
    except UnitoneError:
        return None
