"""Nulling one adjuster: a balance or a trap, which is as narrow as its floor is deep.

A reading well down either side, a fit between them, and a look at the bottom: with a null that may be narrower than the adjuster's
own steps, what another reading would gain cannot be weighed as for a hill (``unitone.align.peak.core``).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from unitone.align.peak.core import Move, scale_of
from unitone.align.peak.hill import NARROW, Point, shape_db
from unitone.sheet.model.sheet import TURN, Adjuster

_REACH_TURNS = 6.0
_GRID = np.arange(-_REACH_TURNS, _REACH_TURNS + 1e-9, 1 / 32)
#: A fit whose bottom is known this well (turns, cores) needs no more flank readings.
_SURE_TURNS = 0.05
_MAX_READINGS = 16
#: So often each flank is read at the most, however uncertain the bottom still is.
_FLANK_READINGS = 3


class _Fit(NamedTuple):
    """Where the null is (turns), how surely, and its half-width (turns)."""

    x0: float
    std: float
    width: float


def _fit(points: Sequence[Point], slope: float, scale: float) -> _Fit:
    """Posterior over bottom and half-width; each reading is widened by a share of its drop, as no null is exactly that of one circuit."""
    p = np.array([q.turns for q in points]) / scale
    y = np.array([q.height for q in points])
    best = {q.level: max(r.height for r in points if r.level == q.level) for q in points}
    drop = np.array([best[q.level] - q.height for q in points])
    variance = np.array([max(q.std, 0.02) for q in points]) ** 2 + (0.06 * drop) ** 2 + 0.03**2
    shape = shape_db(p[None, None, :], _GRID[:, None, None], NARROW[None, :, None], slope)
    chi2 = np.zeros(shape.shape[:2])
    for level in best:
        group = np.array([q.level == level for q in points])
        weight = 1.0 / variance[group]
        difference = y[group] - shape[:, :, group]
        mean = (difference @ weight) / weight.sum()
        chi2 += ((difference - mean[:, :, None]) ** 2) @ weight
    prior = np.log(0.8 * np.exp(-0.5 * (_GRID / 1.5) ** 2) / (1.5 * math.sqrt(2 * math.pi)) + 0.2 / (2 * _REACH_TURNS))
    log_posterior = -0.5 * chi2 + prior[:, None]
    weights = np.exp(log_posterior - log_posterior.max())
    weights /= weights.sum()
    over_x = weights.sum(axis=1)
    x0 = float(over_x @ _GRID)
    std = math.sqrt(max(float(over_x @ (_GRID - x0) ** 2), 0.0) + (1 / 32) ** 2 / 12)
    return _Fit(x0 * scale, std * scale, float(weights.sum(axis=0) @ NARROW) * scale)


def next_null_move(
    points: Sequence[Point],
    slope: float,
    adjuster: Adjuster,
    position_mdeg: int,
    stops_mdeg: tuple[int | None, int | None],
) -> Move:
    """The next move towards a null from the readings of this visit, oldest first; heights in dB that rise towards it.

    ``stops_mdeg``: where an end stop was touched (anticlockwise, clockwise), None
    while unknown. Direction comes from readings, never from a guess.
    """
    scale, step = scale_of(adjuster), adjuster.step_mdeg
    if not points:
        return Move("read", position_mdeg, "first-move")
    low, high = stops_mdeg
    low_turns = -math.inf if low is None else low / TURN
    high_turns = math.inf if high is None else high / TURN
    at = [q.turns for q in points]
    here = position_mdeg / TURN
    tolerance = 0.6 * step / TURN
    if all(abs(t - here) > tolerance for t in at):
        return Move("read", position_mdeg, "confirm-peak")
    places = sorted({round(t * TURN / step) for t in at})
    if len(places) == 1:
        first = _snap(position_mdeg + round(0.5 * scale * TURN), step)
        if high is not None and first > high:
            first = _snap(position_mdeg - round(0.5 * scale * TURN), step)
        return Move("go", first, "first-move")
    fit = _fit(points, slope, scale)
    if _is_dead(points, scale):
        return Move("stop", 0, "dead")
    if len(points) >= _MAX_READINGS:
        best = max((q for q in points if q.level == points[-1].level), key=lambda q: q.height)
        if abs(best.turns - here) <= tolerance:
            return Move("stop", 0, "no-convergence")
        return Move("go", _snap(round(best.turns * TURN), step), "to-peak")
    lowest, highest = min(at), max(at)
    if fit.x0 > highest or fit.x0 < lowest:
        up = 1 if fit.x0 > highest else -1
        edge = highest if up > 0 else lowest
        stop = high_turns if up > 0 else low_turns
        if abs(stop - edge) <= tolerance and abs(fit.x0 - edge) > 2 * tolerance:
            return (
                Move("stop", 0, "at-stop")
                if abs(here - edge) <= tolerance
                else Move("go", _snap(round(edge * TURN), step), "uphill")
            )
        reach = min(max(abs(fit.x0 - edge) + 0.5 * fit.width, step / TURN), 1.25 * scale)
        target = edge + up * reach
        return Move("go", _clip(_snap(round(target * TURN), step), low, high), "uphill")
    flank = _flank_wanted(points, fit, scale, low_turns, high_turns)
    if flank is not None:
        target_mdeg = _clip(_snap(round(flank * TURN), step), low, high)
        if abs(target_mdeg / TURN - here) > tolerance:
            return Move("go", target_mdeg, "flank")
        return Move("read", position_mdeg, "confirm-peak")
    top = _clip(_snap(round(fit.x0 * TURN), step), low, high)
    if abs(top / TURN - here) > tolerance:
        return Move("go", top, "to-peak")
    return Move("stop", 0, "peaked")


def _snap(mdeg: int, step: int) -> int:
    """The nearest whole number of the adjuster's own steps from where it was found."""
    return round(mdeg / step) * step


def _clip(mdeg: int, low: int | None, high: int | None) -> int:
    if low is not None:
        mdeg = max(mdeg, low)
    return mdeg if high is None else min(mdeg, high)


def _flank_wanted(points: Sequence[Point], fit: _Fit, scale: float, low: float, high: float) -> float | None:
    """The flank that is read least and still too uncertain, or None when the top is known well enough."""
    reach = min(max(0.9 * fit.width, 0.4 * scale), 1.5 * scale)
    near = 0.45 * reach
    left = [q for q in points if fit.x0 - q.turns > near]
    right = [q for q in points if q.turns - fit.x0 > near]
    sure = fit.std <= _SURE_TURNS * scale * max(fit.width / scale, 0.8)
    if left and right and (sure or min(len(left), len(right)) >= _FLANK_READINGS):
        # Noisy readings: more of them would tell less than a look at the top.
        return None
    sides = sorted(((len(left), -1), (len(right), 1)))
    for count, side in sides:
        target = fit.x0 + side * reach
        if low <= target <= high and (not sure or count == 0):
            return target
    return None


def _is_dead(points: Sequence[Point], scale: float) -> bool:
    """Four readings over a turn and a half at one level that all agree within their noise."""
    group = [q for q in points if q.level == points[-1].level]
    if len(group) < 4 or max(q.turns for q in group) - min(q.turns for q in group) < 1.4 * scale:
        return False
    heights = [q.height for q in group]
    spread = sum(q.std for q in group) / len(group)
    return max(heights) - min(heights) < max(3.0 * spread, 0.15)
