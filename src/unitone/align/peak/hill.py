"""The hill of one adjuster: what the readings say of its top, its width and the noise, as a posterior on a grid.

Model: y = A + s·10·log10(1/(1+((p-x0)/w)²) + 10^-3.5) + noise, a tuned circuit in dB against turns with what leaks past it;
s is how many dB the reading moves for a dB of signal. The height A is free for each level that readings were taken at; the noise
is learnt from the readings (inverse gamma around what the meter is known to have), and beside every hill stands the hypothesis
that the adjuster does nothing. A core lags the hand by half its backlash, the way it was last turned.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

WIDTHS = np.geomspace(0.11, 2.8, 14)
#: A null of a balance or a trap is as narrow as its floor is deep.
NARROW = np.geomspace(0.03, 3.0, 17)
REACH_TURNS = 7.0
_OFFSETS = np.arange(-REACH_TURNS, REACH_TURNS + 1e-9, 1 / 32)
#: What leaks past a circuit however far it is detuned, as a share of the power at the top.
_LEAK = 10.0**-3.5
#: Where a core is right, seen from where it was found: most often within a turn and a half, else anywhere (turns).
NEAR_TURNS, _NEAR_SHARE = 1.5, 0.8
#: How likely an adjuster is to do nothing before it is turned.
_DEAD = 0.06
#: The noise before the readings tell: inverse gamma with this many degrees of freedom around the meter's own.
_FREEDOM = 8.0
#: The flanks are not exactly those of one tuned circuit: a reading is believed less by this share of its drop from the best.
SHAPE_SHARE = 0.06
#: Half the play of an ordinary core's thread (turns).
HALF_PLAY = 1 / 64
#: A loss beyond this counts no more (dB): lost is lost.
LOSS_CAP = 8.0


@dataclass(frozen=True)
class Point:
    """One reading for the hill: position (turns from found), height (dB), spread (dB), level group."""

    turns: float
    height: float
    std: float
    level: float | None = None


@dataclass(frozen=True)
class Fit:
    """The posterior: top (turns), its spread, half-width (turns), the probability that the adjuster does nothing, and the grid.

    ``weights`` (tops × widths) add up to 1 - ``dead``; ``x`` and ``widths`` are in the unit of ``scale``; ``noise`` is the spread
    of a reading that is as good as its meter says, times this factor.
    """

    x0: float
    std: float
    width: float
    dead: float
    noise: float
    weights: Floats
    scale: float
    slope: float
    x: Floats
    widths: Floats
    cores: tuple[float, ...]
    #: The logarithm of how likely these readings are on such hills, up to what is the same for every slope.
    evidence: float


def shape_db(turns: Floats, top: Floats, width: Floats, slope: float) -> Floats:
    """Height (dB) under the top at ``turns`` from found, all broadcast together."""
    return np.asarray(slope * 10.0 * np.log10(1.0 / (1.0 + ((turns - top) / width) ** 2) + _LEAK))


def core_at(hands: Sequence[float], play: float = HALF_PLAY) -> list[float]:
    """Where the core was while the hand stood at each of ``hands`` (turns, in the order taken): half its play behind."""
    if not hands:
        return []
    core, found = hands[0], []
    for hand in hands:
        core = min(max(core, hand - play), hand + play)
        found.append(core)
    return found


def fit_hill(
    points: Sequence[Point], slope: float, scale: float = 1.0, narrow: bool = False, play: float = 0.0,
    doubt: float = SHAPE_SHARE, near_turns: float = NEAR_TURNS, alive: bool = False,
) -> Fit:  # fmt: skip
    """Posterior over top and half-width; ``narrow``: a null, which may be far narrower than a hill; ``alive``: it is known to do
    something. Raises ValueError for no points.

    ``points`` in the order taken; ``play``: half the backlash (turns of a core); ``doubt``: by which share of its drop
    from the best a reading is believed less; ``near_turns``: how far from the first reading the top most often
    lies. Heights in dB, positions in turns from found.
    """
    if not points:
        raise ValueError("a hill needs at least one reading")
    cores = core_at([q.turns / scale for q in points], play)
    p, y = np.array(cores), np.array([q.height for q in points])
    levels = list(dict.fromkeys(q.level for q in points))
    best = {level: max(q.height for q in points if q.level == level) for level in levels}
    drop = np.array([best[q.level] - q.height for q in points])
    # Relative to the meter's usual noise, so that one factor for the noise is learnt for all readings.
    variance = np.array([max(q.std, 0.03) for q in points]) ** 2 + (doubt * drop) ** 2
    unit = float(np.median(variance))
    ratio = variance / unit
    x = p[0] + _OFFSETS
    widths = NARROW if narrow else WIDTHS
    shape = shape_db(p[None, None, :], x[:, None, None], widths[None, :, None], slope)
    squares, flat, degrees = np.zeros(shape.shape[:2]), 0.0, 0.0
    for level in levels:
        group = np.array([q.level == level for q in points])
        weight = 1.0 / ratio[group]
        total = weight.sum()
        difference = y[group] - shape[:, :, group]
        mean = (difference @ weight) / total
        squares += (difference**2) @ weight - total * mean**2
        middle = float(y[group] @ weight) / total
        flat += float((y[group] - middle) ** 2 @ weight)
        degrees += float(np.count_nonzero(group)) - 1.0
    half = _FREEDOM / 2.0
    spread = unit * (half - 1.0)
    power = half + degrees / 2.0
    near = np.exp(-0.5 * (_OFFSETS / near_turns) ** 2)
    prior = _NEAR_SHARE * near / near.sum() + (1.0 - _NEAR_SHARE) / _OFFSETS.size
    log = -power * np.log(spread + np.maximum(squares, 0.0) / 2.0) + np.log(prior / widths.size)[:, None]
    log_dead = -power * math.log(spread + flat / 2.0)
    top = float(log.max()) if alive else max(float(log.max()), log_dead)
    weights = (1.0 - _DEAD) * np.exp(log - top)
    dead = 0.0 if alive else _DEAD * math.exp(log_dead - top)
    whole = float(weights.sum()) + dead
    evidence = top + math.log(whole)
    weights /= whole
    dead /= whole
    living = max(1.0 - dead, 1e-12)
    over_x = weights.sum(axis=1) / living
    x0 = float(over_x @ x)
    std = math.sqrt(max(float(over_x @ (x - x0) ** 2), 0.0) + (1 / 32) ** 2 / 12)
    over_w = weights.sum(axis=0) / living
    left = float(np.sum(weights * np.maximum(squares, 0.0))) / living
    noise = math.sqrt((spread + left / 2.0) / max(power - 1.0, 1.0) / unit)
    return Fit(x0 * scale, std * scale, float(over_w @ widths) * scale, dead, noise, weights, scale, slope, x, widths,
               tuple(cores), evidence)  # fmt: skip


def curve(fit: Fit, points: Sequence[Point], turns: Floats) -> tuple[Floats, Floats]:
    """Fitted height and its spread at ``turns``, for the level group of the last point; both shape of ``turns``."""
    sample = draw(fit, 60)
    height = sample.heights(points, fit)
    at = np.asarray(turns) / fit.scale
    family = height[:, None] + shape_db(at[None, :], sample.x[:, None], sample.width[:, None], fit.slope)
    mean = family.mean(axis=0)
    return mean, family.std(axis=0)


@dataclass(frozen=True)
class Sample:
    """Hills drawn from a posterior, all as likely as each other: tops and half-widths (in the unit of the fit's scale)."""

    x: Floats
    width: Floats

    def heights(self, points: Sequence[Point], fit: Fit) -> Floats:
        """The height of each hill's top (dB) that the readings of the last level say."""
        level = points[-1].level
        group = [n for n, q in enumerate(points) if q.level == level]
        at = np.array([fit.cores[n] for n in group])
        y = np.array([points[n].height for n in group])
        shape = shape_db(at[None, :], self.x[:, None], self.width[:, None], fit.slope)
        drop = y.max() - y
        weight = 1.0 / (np.array([max(points[n].std, 0.03) for n in group]) ** 2 + (SHAPE_SHARE * drop) ** 2)
        return np.asarray((y[None, :] - shape) @ weight / weight.sum())

    def loss(self, at: Floats) -> Floats:
        """What each hill loses (dB, capped) with the core at each of ``at``; shape (places, hills)."""
        u = (at[:, None] - self.x[None, :]) / self.width[None, :]
        return np.asarray(np.minimum(10.0 * np.log10(1.0 + u * u), LOSS_CAP))


def draw(fit: Fit, count: int) -> Sample:
    """``count`` hills from the posterior, evenly through it: the same every time, so that advice is a function of the readings."""
    flat = np.cumsum(fit.weights.ravel())
    wanted = (np.arange(count) + 0.5) / count * flat[-1]
    chosen = np.minimum(np.searchsorted(flat, wanted), flat.size - 1)
    rows, columns = np.unravel_index(chosen, fit.weights.shape)
    # Within a cell of the grid the top may lie anywhere: spread by the golden ratio, without chance.
    inside = ((np.arange(count) * 0.6180339887) % 1.0 - 0.5) * (fit.x[1] - fit.x[0])
    return Sample(fit.x[rows] + inside, fit.widths[columns])
