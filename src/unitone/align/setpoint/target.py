"""Setting an adjuster to a target: the first move tells the direction, then the readings close in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from unitone.sheet.model.sheet import TURN, Adjuster, AdjusterKind, Limit

_FIRST_MDEG: dict[AdjusterKind, int] = {
    "core": TURN // 2,
    "trimmer": 14_000,
    "preset": 20_000,
    "link": TURN,
    "part": TURN,
}
_MAX_READINGS = 18
#: An edge is known once it is within so many of the hand's steps, and it is kept clear of by so many.
_EDGE_STEPS, _CLEAR_STEPS = 8, 2


@dataclass(frozen=True)
class Spot:
    """One reading: position (millidegrees from found), value, its spread, and whether it was only a bound."""

    mdeg: int
    value: float
    std: float
    bounded: bool = False


@dataclass(frozen=True)
class SetMove:
    """Go to a position, read once more, or stop for a reason."""

    act: Literal["go", "read", "stop"]
    target_mdeg: int = 0
    why: Literal[
        "first-try", "toward-target", "past-target", "set", "at-stop", "dead", "out-of-range", "no-convergence"
    ] = "set"


def next_set_move(
    spots: Sequence[Spot], target: float, close: float, adjuster: Adjuster, position_mdeg: int,
    stops_mdeg: tuple[int | None, int | None], first_mdeg: int | None = None, beyond: float = 1.05, slope: float = 0.0,
    allowed: Limit | None = None,
) -> SetMove:  # fmt: skip
    """The next move towards ``target``; a reading within ``close`` of it is near enough.

    ``spots`` in the order taken, all with the rest of the radio unchanged.
    Bracketed targets are interpolated; otherwise the last slope is followed, at
    most four first moves at a time. A trimmer without stops is followed round. ``first_mdeg``: a first move other than usual,
    where a wrong one does harm; ``beyond``: how far past where the last slope meets the target, so as to enclose it. ``slope``: what a
    millidegree did when it was turned before, where that is known. ``allowed``: what is in spec; beside a place where the reading is
    only a bound (a squelch that stays open) it is not brought nearer to the target than hands and radio can hold.
    """
    low, high = stops_mdeg
    here = [s for s in spots if s.mdeg == position_mdeg]
    if not here:
        return SetMove("read", position_mdeg, "first-try")
    now = here[-1]
    if abs(now.value - target) <= close and not now.bounded:
        return SetMove("stop", 0, "set")
    first = first_mdeg or _FIRST_MDEG[adjuster.kind]
    by_place: dict[int, Spot] = {s.mdeg: s for s in spots}
    places = sorted(by_place.values(), key=lambda s: s.mdeg)
    if len(places) == 1 and slope:
        # Known from before: which way, and about how far.
        far = round(min(max((target - now.value) / slope, -4.0 * first), 4.0 * first) / adjuster.step_mdeg)
        ahead = position_mdeg + (far or (1 if (target - now.value) / slope > 0 else -1)) * adjuster.step_mdeg
        if (low is None or ahead >= low) and (high is None or ahead <= high):
            return SetMove("go", ahead, "toward-target")
    if len(places) == 1:
        return SetMove("go", _inside(position_mdeg + first, low, high, position_mdeg - first), "first-try")
    bracket = _bracket(places, target)
    step = adjuster.step_mdeg
    if bracket is not None:
        a, b = bracket
        clear = _clear_of_the_edge(places, a, b, target, step, allowed)
        if clear is not None:
            return SetMove("stop", 0, "set") if clear == position_mdeg else SetMove("go", clear, "past-target")
        if abs(b.mdeg - a.mdeg) <= step:
            nearer = a if abs(a.value - target) <= abs(b.value - target) else b
            return (
                SetMove("stop", 0, "set") if nearer.mdeg == position_mdeg else SetMove("go", nearer.mdeg, "past-target")
            )
        if len(spots) >= _MAX_READINGS:
            nearer = min(places, key=lambda s: abs(s.value - target))
            return (
                SetMove("stop", 0, "no-convergence")
                if nearer.mdeg == position_mdeg
                else SetMove("go", nearer.mdeg, "past-target")
            )
        share = 0.5 if a.bounded or b.bounded else (target - a.value) / (b.value - a.value)
        wanted = a.mdeg + min(max(share, 0.05), 0.95) * (b.mdeg - a.mdeg)
        return SetMove("go", _between(round(wanted / step) * step, a.mdeg, b.mdeg, step), "past-target")
    return _outside(places, spots, target, adjuster, position_mdeg, (low, high), first, beyond)


def _outside(
    places: list[Spot], spots: Sequence[Spot], target: float, adjuster: Adjuster, position: int,
    stops: tuple[int | None, int | None], first: int, beyond: float,
) -> SetMove:  # fmt: skip
    """No two readings enclose the target yet: go on where it comes nearer."""
    low, high = stops
    step = adjuster.step_mdeg
    if len(spots) >= _MAX_READINGS:
        return SetMove("stop", 0, "no-convergence")
    span = places[-1].mdeg - places[0].mdeg
    if not adjuster.stops and span >= 180_000 + first:
        # Half a revolution shows all that such a trimmer can do.
        return _settle(places, target, position, "out-of-range")
    lowest, highest = places[0], places[-1]
    spread = max(s.std for s in spots)
    flat = abs(highest.value - lowest.value) < 3 * spread
    best = min(places, key=lambda s: abs(s.value - target))
    # Bounds alone are no flat readings: they only say that it is not there, and it is looked for from stop to stop.
    nowhere = all(s.bounded for s in places)
    if flat and not nowhere and span >= 0.6 * adjuster.travel_mdeg:
        return SetMove("stop", 0, "dead")
    # Beyond which end does the target lie? The end that reads nearer; when neither does, the less explored side.
    clockwise = highest.mdeg + first <= abs(lowest.mdeg) + first if flat else best is highest
    if not flat and best not in (lowest, highest):
        top = _turning_point(places, best, step)
        if top is not None:
            return SetMove("go", top, "toward-target")
        return _settle(places, target, position, "out-of-range")
    end, neighbour = (highest, places[-2]) if clockwise else (lowest, places[1])
    at_stop = high if clockwise else low
    if at_stop is not None and end.mdeg == at_stop:
        if flat:
            other = low if clockwise else high
            away = (lowest.mdeg if clockwise else highest.mdeg) + (-first if clockwise else first) * 2
            if other is not None:
                return SetMove("stop", 0, "out-of-range" if nowhere else "dead")
            return SetMove("go", away, "toward-target")
        return _settle(places, target, position, "at-stop")
    slope = (end.value - neighbour.value) / (end.mdeg - neighbour.mdeg)
    distance = (
        abs((target - end.value) / slope)
        if slope and not flat and not (end.bounded or neighbour.bounded)
        else 2.0 * first
    )
    distance = min(max(distance * beyond, step), 4.0 * first if not flat else 3.0 * first)
    wanted = end.mdeg + (1 if clockwise else -1) * max(round(distance / step), 1) * step
    return SetMove("go", _inside(wanted, low, high, wanted), "toward-target")


def _turning_point(places: list[Spot], best: Spot, step: int) -> int | None:
    """Where the reading comes nearest between the neighbours of the best place (a trimmer goes round, and turns back there): the vertex
    of the parabola through the three. None where that was read already."""
    at = places.index(best)
    a, c = places[at - 1], places[at + 1]
    if any(s.bounded for s in (a, best, c)):
        return None
    left, right = (a.value - best.value) / (a.mdeg - best.mdeg), (c.value - best.value) / (c.mdeg - best.mdeg)
    if left == right:
        return None
    vertex = 0.5 * (a.mdeg + best.mdeg - left * (c.mdeg - a.mdeg) / (right - left))
    near = round(min(max(vertex, a.mdeg), c.mdeg) / step) * step
    return None if any(abs(near - s.mdeg) < 2 * step for s in (a, best, c)) else near


def _clear_of_the_edge(
    places: list[Spot], a: Spot, b: Spot, target: float, step: int, allowed: Limit | None
) -> int | None:
    """Beside an edge where the reading jumps to a bound: the place in spec nearest the target that keeps clear of it (millidegrees).
    None while no such place was read, or the edge is not yet known well."""
    if allowed is None or a.bounded == b.bounded or abs(b.mdeg - a.mdeg) > _EDGE_STEPS * step:
        return None
    inner, side = (b, 1) if a.bounded else (a, -1)
    if not allowed.holds(inner.value):
        return None
    # Where between the two it jumps nobody knows: a little further in than what was read beside it.
    away = inner.mdeg + side * _CLEAR_STEPS * step
    fit = [s for s in places if not s.bounded and allowed.holds(s.value) and (s.mdeg - away) * side >= 0]
    if fit:
        return min(fit, key=lambda s: abs(s.value - target)).mdeg
    return inner.mdeg if any(s.mdeg == away for s in places) else away


def _settle(places: list[Spot], target: float, position: int, why: Literal["out-of-range", "at-stop"]) -> SetMove:
    """Go back to the best reading there was, then say why it got no better."""
    best = min(places, key=lambda s: abs(s.value - target))
    return SetMove("stop", 0, why) if best.mdeg == position else SetMove("go", best.mdeg, "toward-target")


def _bracket(places: list[Spot], target: float) -> tuple[Spot, Spot] | None:
    """The two neighbours that enclose the target, the narrowest pair where there are several."""
    pairs = [(a, b) for a, b in zip(places, places[1:], strict=False) if (a.value - target) * (b.value - target) <= 0]
    return min(pairs, key=lambda ab: ab[1].mdeg - ab[0].mdeg) if pairs else None


def _between(wanted: int, a: int, b: int, step: int) -> int:
    """``wanted``, but strictly between ``a`` and ``b``."""
    if wanted <= a:
        return a + step
    if wanted >= b:
        return b - step
    return wanted


def _inside(wanted: int, low: int | None, high: int | None, otherwise: int) -> int:
    if high is not None and wanted > high:
        return high if otherwise == wanted else otherwise
    if low is not None and wanted < low:
        return low if otherwise == wanted else otherwise
    return wanted
