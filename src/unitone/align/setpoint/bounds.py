"""How far a move may go where a wrong one does harm: what is predicted stays under the ratings with 97.5 % to spare."""

from __future__ import annotations

import math
from collections.abc import Sequence

from unitone.align.setpoint.target import Spot

#: How steep a bias preset may be before it was ever moved: 97.5 % are under this (share of the current for a degree, either way).
#: Common practice, no source: a divider into a base or a gate, away from its ends.
STEEPEST = 0.049
#: First moves of such a preset, the largest that is safe (millidegrees).
FIRST_MDEG = (15_000, 10_000, 7_500, 4_000, 2_000)
#: Two standard deviations each way hold 95 %, one way 97.5 %.
_SURE = 1.96


def first_move(now: float, rating: float | None, usual_mdeg: int) -> int:
    """The largest first move (millidegrees) after which ``now`` is under ``rating`` even if the preset is as steep as 97.5 % are not.

    0: not even the smallest is safe. ``usual_mdeg`` where no rating is known.
    """
    if rating is None:
        return usual_mdeg
    return next((m for m in FIRST_MDEG if now * math.exp(STEEPEST * m / 1000.0) <= rating), 0)


def upper(spots: Sequence[Spot], target_mdeg: int) -> float:
    """What a current may come to at ``target_mdeg`` at the most (97.5 %), from two readings or more at different places.

    Between and beyond them it is taken to go as the exponential through the two nearest, which grows faster than any divider
    makes it; the slope is taken two spreads steeper. Raises ValueError for fewer.
    """
    by_place = {s.mdeg: s for s in spots}
    near = sorted(by_place.values(), key=lambda s: abs(s.mdeg - target_mdeg))[:2]
    if len(near) < 2:
        raise ValueError("a slope needs readings at two places")
    a, b = near
    if min(a.value, b.value) <= 0:
        return max(a.value, b.value)
    away = a.mdeg - b.mdeg
    slope = math.log(a.value / b.value) / away
    doubt = math.hypot(a.std / a.value, b.std / b.value) / abs(away)
    move = target_mdeg - a.mdeg
    return a.value * math.exp(slope * move + _SURE * doubt * abs(move) + _SURE * a.std / a.value)


def bounded(spots: Sequence[Spot], position_mdeg: int, target_mdeg: int, rating: float | None, step_mdeg: int) -> int:
    """The target, or as much of the way there as stays under the rating; the present place where nothing does."""
    if rating is None or len({s.mdeg for s in spots}) < 2:
        return target_mdeg
    wanted = target_mdeg
    while wanted != position_mdeg and upper(spots, wanted) > rating:
        nearer = position_mdeg + int((wanted - position_mdeg) / 2 / step_mdeg) * step_mdeg
        wanted = position_mdeg if nearer == wanted else nearer
    return wanted


def heat_upper(taken: float, watts: float, std: float) -> float:
    """The final's heat (W) at the most (97.5 %): what its stages take, less what comes out at the least."""
    return taken - max(watts - _SURE * std, 0.0)
