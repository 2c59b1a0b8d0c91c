"""A detector that ends with more distortion than its step allows may stand in a wrong valley: past the bend of its curve distortion falls again.

Which readings belong to the lowest valley, and where to look for a lower one.
"""

from __future__ import annotations

from collections.abc import Sequence

from unitone.align.peak.core import scale_of
from unitone.align.peak.hill import Point
from unitone.sheet.model.sheet import TURN, Adjuster

#: Between two readings one that is so much worse than either (dB) is the ridge between two valleys.
_RIDGE_DB = 6.0
#: A valley is looked for in steps of so much, and so far from where it was begun on either side (turns of a core).
_STEP_TURNS, _FAR_TURNS = 0.5, 3.0


def own_valley(points: Sequence[Point]) -> list[Point]:
    """The readings from ridge to ridge round the best one, in the order they were taken; all of them where there is no ridge."""
    best = max(points, key=lambda p: p.height)
    low, high = best.turns, best.turns
    for way in (-1.0, 1.0):
        side = sorted((p for p in points if (p.turns - best.turns) * way > 0), key=lambda p: abs(p.turns - best.turns))
        lowest = best
        for p in side:
            if p.height < lowest.height:
                lowest = p
            elif p.height > lowest.height + _RIDGE_DB and best.height > lowest.height + _RIDGE_DB:
                break
        # As far as the ridge itself where there is one behind it, else all of that side.
        else:
            lowest = side[-1] if side else best
        low, high = min(low, lowest.turns), max(high, lowest.turns)
    return [p for p in points if low <= p.turns <= high]


def next_place(points: Sequence[Point], part: Adjuster, stops: tuple[int | None, int | None]) -> int | None:
    """Where to look for a lower valley (millidegrees); None once both sides were looked at as far as it is worth it.

    Outwards on the side that is already falling, or else the one that is less known, to its end; then on the other.
    """
    scale = scale_of(part)
    began, last = points[0].turns, points[-1].turns
    low, high = min(p.turns for p in points), max(p.turns for p in points)
    open_ways = [
        way
        for way, end, stop in ((-1, low, stops[0]), (1, high, stops[1]))
        if stop is None and (end - began) * way < _FAR_TURNS * scale
    ]
    if not open_ways:
        return None

    def falling(way: int) -> bool:
        outwards = sorted(points, key=lambda p: p.turns * way)
        return len(outwards) > 1 and outwards[-1].height > outwards[-2].height + 1.0

    def known(way: int) -> float:
        return ((low if way < 0 else high) - began) * way

    under_way = [w for w in open_ways if last == (low if w < 0 else high) and known(w) > 0.5 * scale]
    way = min(open_ways, key=lambda w: (w not in under_way, not falling(w), known(w)))
    step = part.step_mdeg
    return round(((low if way < 0 else high) + way * _STEP_TURNS * scale) * TURN / step) * step
