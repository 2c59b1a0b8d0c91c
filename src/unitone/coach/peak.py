"""Peaking one adjuster: readings either side of the top, and where the top must then be.

Model of the hill: y = A - s·10·log10(1+((p-x0)/w)²), a tuned circuit in dB
against turns; s is how many dB the reading moves for a dB of signal. The top x0
and half-width w are found on a grid; the height A is free for each level that
the readings were taken at.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from unitone.sheet.model import TURN, Adjuster

_WIDTHS = np.geomspace(0.3, 3.0, 11)
#: A null of a balance or a trap is as narrow as its floor is deep.
_NARROW = np.geomspace(0.03, 3.0, 17)
_REACH_TURNS = 6.0
_GRID = np.arange(-_REACH_TURNS, _REACH_TURNS + 1e-9, 1 / 32)
#: A fit whose top is known this well (turns, cores) needs no more flank readings.
_SURE_TURNS = 0.05
_MAX_READINGS = 16
#: So often each flank is read at the most, however uncertain the top still is.
_FLANK_READINGS = 3


@dataclass(frozen=True)
class Point:
    """One reading for the hill: position (turns from found), height (dB), spread (dB), level group."""

    turns: float
    height: float
    std: float
    level: float | None = None


@dataclass(frozen=True)
class Fit:
    """Posterior of the top: mean and spread (turns), half-width (turns), and the best height seen in the last group."""

    x0: float
    std: float
    width: float
    weights: NDArray[np.float64]
    scale: float
    slope: float
    widths: NDArray[np.float64]


@dataclass(frozen=True)
class Move:
    """What to do next: go to a position, read once more, or stop for a reason."""

    act: Literal["go", "read", "stop"]
    target_mdeg: int = 0
    why: Literal[
        "first-move", "uphill", "flank", "to-peak", "confirm-peak", "peaked", "at-stop", "dead", "no-convergence"
    ] = "peaked"


def scale_of(adjuster: Adjuster) -> float:
    """Turns are counted whole for cores; a trimmer's or preset's hill is some twelve times narrower."""
    return 1.0 if adjuster.kind == "core" else 1.0 / 12.0


def fit_hill(points: Sequence[Point], slope: float, scale: float = 1.0, narrow: bool = False) -> Fit:
    """Posterior over top and half-width; ``narrow``: a null, which may be far narrower than a hill. Raises ValueError for no points.

    The spread of each reading is widened by a twentieth of its drop from the best,
    as the true flanks are not exactly those of one tuned circuit.
    """
    if not points:
        raise ValueError("a hill needs at least one reading")
    p = np.array([q.turns for q in points]) / scale
    y = np.array([q.height for q in points])
    best = {q.level: max(r.height for r in points if r.level == q.level) for q in points}
    drop = np.array([best[q.level] - q.height for q in points])
    variance = np.array([max(q.std, 0.02) for q in points]) ** 2 + (0.06 * drop) ** 2 + 0.03**2
    widths = _NARROW if narrow else _WIDTHS
    shape = -slope * 10.0 * np.log10(1.0 + ((p[None, None, :] - _GRID[:, None, None]) / widths[None, :, None]) ** 2)
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
    width = float(weights.sum(axis=0) @ widths)
    return Fit(x0 * scale, std * scale, width * scale, weights, scale, slope, widths)


def curve(
    fit: Fit, points: Sequence[Point], turns: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Fitted height and its spread at ``turns``, for the level group of the last point; both shape of ``turns``."""
    level = points[-1].level
    group = [q for q in points if q.level == level]
    p = np.array([q.turns for q in group]) / fit.scale
    y = np.array([q.height for q in group])
    keep = np.argsort(fit.weights, axis=None)[::-1][:60]
    rows, columns = np.unravel_index(keep, fit.weights.shape)
    weight = fit.weights[rows, columns]
    weight = weight / weight.sum()
    x0, w = _GRID[rows][:, None], fit.widths[columns][:, None]

    def shape(at: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(-fit.slope * 10.0 * np.log10(1.0 + ((at[None, :] - x0) / w) ** 2))

    height = np.mean(y[None, :] - shape(p), axis=1)[:, None]
    family = height + shape(np.asarray(turns) / fit.scale)
    mean = weight @ family
    return mean, np.sqrt(np.maximum(weight @ (family - mean) ** 2, 0.0))


def next_move(
    points: Sequence[Point],
    slope: float,
    adjuster: Adjuster,
    position_mdeg: int,
    stops_mdeg: tuple[int | None, int | None],
    narrow: bool = False,
) -> Move:
    """The next move from the readings of this visit.

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
    fit = fit_hill(points, slope, scale, narrow)
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
    flank = _flank_wanted(points, fit, low_turns, high_turns)
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


def _flank_wanted(points: Sequence[Point], fit: Fit, low: float, high: float) -> float | None:
    """The flank that is read least and still too uncertain, or None when the top is known well enough."""
    reach = min(max(0.9 * fit.width, 0.4 * fit.scale), 1.5 * fit.scale)
    near = 0.45 * reach
    left = [q for q in points if fit.x0 - q.turns > near]
    right = [q for q in points if q.turns - fit.x0 > near]
    sure = fit.std <= _SURE_TURNS * fit.scale * max(fit.width / fit.scale, 0.8)
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
