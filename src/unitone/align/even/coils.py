"""Power even across the band: a joint model of all coils at all places, what to read next, and where the coils should stand.

Each coil, or coupled pair, is a tuned circuit in dB against turns whose top moves with the carrier. What those before the final
lose is hidden as far as the final is driven hard: smooth saturation after C. Rapp, "Effects of HPA-nonlinearity on a 4-DPSK/OFDM
signal" (1991), in power; what the tank loses is lost. All unknowns are fitted together to every reading of the step, by least
squares with priors (a Gaussian approximation of the posterior); what is predicted has a spread.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

Floats = NDArray[np.float64]

#: Priors (mean, standard): how far the final is overdriven (dB), logarithms of the knee's sharpness, of half-widths (turns) and of
#: a pair's coupling, and the top's place and its shift from end to end of the band (turns).
_DRIVE, _KNEE, _WIDTH, _COUPLING = (5.0, 4.0), (math.log(1.3), 0.4), (math.log(0.9), 0.6), (0.1, 0.3)
_TOP_STD, _SHIFT_STD = 2.5, 1.5
#: Is a coil behind the saturation? Log odds for the last, which is the final's tank as sheets list them, and for the others.
_BEHIND, _BEFORE, _ODDS_STD = 3.0, -3.0, 1.0
#: Parameters of the whole, and of each coil: top, log half-width, shift, log odds of being behind, log coupling of its pair.
_WHOLE, _EACH = 3, 5
#: A reading is believed this well (dB) besides its own spread, and this share of how far it lies under the best.
_MODEL_DB, _MODEL_SHARE = 0.02, 0.05
#: How much evenness a decibel more of power on the average is worth.
_POWER_WORTH = 0.3
#: Outside its limit a place counts so many times what it is outside by.
_OUTSIDE = 6.0
#: The limit's ends are kept away from by this (dB).
_GUARD_DB = 0.08
_DB = 10.0 / math.log(10.0)


@dataclass(frozen=True)
class Read:
    """One reading: where each coil stood (turns from found, in the order of the groups), the place on the band (-0.5 to 0.5), dB, spread."""

    turns: tuple[float, ...]
    place: float
    height: float
    std: float


@dataclass(frozen=True)
class Wanted:
    """What is aimed at: the places to be even over, and the limit's ends in dB (None where open).

    ``worst``: what counts is the worst place alone, as with a receiver, where nobody gives sensitivity away to be even.
    """

    places: tuple[float, ...]
    low: float | None = None
    high: float | None = None
    worst: bool = False


@dataclass(frozen=True)
class Coils:
    """The coils by group (one, or two that are coupled), and how far each may go: turns from found, low and high end."""

    groups: tuple[int, ...]
    ends: tuple[tuple[float, float], ...]
    step: float

    @property
    def count(self) -> int:
        """How many coils there are."""
        return sum(self.groups)


class Surface:
    """The fitted power over turns and places."""

    def __init__(self, coils: Coils, reads: Sequence[Read], tops: Sequence[float]) -> None:
        """Fit to all readings; ``tops`` is where each coil is taken to be at its best at the middle. Raises ValueError for none."""
        if not reads:
            raise ValueError("no reading yet")
        self.coils = coils
        self._turns = np.array([r.turns for r in reads], float)
        self._place = np.array([r.place for r in reads])
        self._height = np.array([r.height for r in reads])
        best = float(self._height.max())
        std = np.array([r.std for r in reads])
        self._sigma = np.sqrt(std**2 + _MODEL_DB**2 + (_MODEL_SHARE * (best - self._height)) ** 2)
        self._prior_mean, self._prior_std = self._priors(tops, best)
        fits = []
        paired = [n for n, size in zip(self._firsts(), coils.groups, strict=True) if size == 2]
        # The band moves the tops one way or the other; an over-coupled pair peaks on the one hump or on the other.
        for sign, hump in ((s, h) for s in (-1.0, 1.0) for h in ((0.0, 0.8, -0.8) if paired else (0.0,))):
            start = self._prior_mean.copy()
            for n, first in enumerate(self._starts()):
                start[first + 2] = sign * 0.6
                if any(n in (p, p + 1) for p in paired):
                    start[first] += hump
                    start[first + 4] = 0.4 if hump else start[first + 4]
            fits.append(least_squares(self._residuals, start, self._jacobian, method="lm", max_nfev=80))
        found = min(fits, key=lambda f: float(f.cost))
        self.parameters: Floats = np.asarray(found.x, float)
        slopes = self._jacobian(self.parameters)
        self._covariance = np.linalg.pinv(slopes.T @ slopes)
        spare = max(len(reads) - 2 * coils.count, 1)
        misfit = float(np.sum(self._residuals(found.x)[: len(reads)] ** 2)) / spare
        # A model that misses the readings knows less than it says.
        self._wider = max(math.sqrt(misfit), 1.0)

    def _firsts(self) -> list[int]:
        """The first coil of each group."""
        return [sum(self.coils.groups[:n]) for n in range(len(self.coils.groups))]

    def _starts(self) -> list[int]:
        """Where the parameters of each coil begin."""
        return [_WHOLE + _EACH * n for n in range(self.coils.count)]

    def _priors(self, tops: Sequence[float], best: float) -> tuple[Floats, Floats]:
        mean, std = [best, _DRIVE[0], _KNEE[0]], [3.0, _DRIVE[1], _KNEE[1]]
        for n, top in enumerate(tops):
            behind = _BEHIND if n >= self.coils.count - self.coils.groups[-1] else _BEFORE
            mean += [top, _WIDTH[0], 0.0, behind, _COUPLING[0]]
            std += [_TOP_STD, _WIDTH[1], _SHIFT_STD, _ODDS_STD, _COUPLING[1]]
        return np.array(mean), np.array(std)

    def _heights(self, p: Floats, turns: Floats, place: Floats) -> Floats:
        """Heights (dB): parameters (…, k), turns (…, coils) and places (…) spread against each other."""
        before: Floats | float = 0.0
        behind: Floats | float = 0.0
        at = 0
        for size in self.coils.groups:
            first = _WHOLE + _EACH * at
            x = (turns[..., at] - p[..., first] - p[..., first + 2] * place) / np.exp(p[..., first + 1])
            if size == 2:
                second = first + _EACH
                z = (turns[..., at + 1] - p[..., second] - p[..., second + 2] * place) / np.exp(p[..., second + 1])
                k2 = np.exp(2.0 * p[..., first + 4])
                loss = ((1.0 + k2 - x * z) ** 2 + (x + z) ** 2) / (1.0 + k2) ** 2
            else:
                loss = 1.0 + x * x
            lost = _DB * np.log(np.maximum(loss, 1e-6))
            share = 1.0 / (1.0 + np.exp(-p[..., first + 3]))
            before, behind = before + (1.0 - share) * lost, behind + share * lost
            at += size
        knee = np.exp(p[..., 2])

        def saturated(drive: Floats) -> Floats:
            return np.asarray(drive - _DB / knee * np.logaddexp(0.0, knee * drive / _DB))

        return np.asarray(p[..., 0] + saturated(p[..., 1] - before) - saturated(p[..., 1]) - behind)

    def _residuals(self, p: Floats) -> Floats:
        missed = (self._heights(p, self._turns, self._place) - self._height) / self._sigma
        return np.concatenate([missed, (p - self._prior_mean) / self._prior_std])

    def _slopes(self, p: Floats, turns: Floats, place: Floats) -> Floats:
        """Derivatives of the heights, shape (readings, parameters), all in one go."""
        moved = p + np.vstack([np.zeros(p.size), 1e-5 * np.eye(p.size)])
        heights = self._heights(moved[:, None, :], turns[None], place[None])
        return np.asarray((heights[1:] - heights[0]).T / 1e-5)

    def _jacobian(self, p: Floats) -> Floats:
        return np.vstack(
            [self._slopes(p, self._turns, self._place) / self._sigma[:, None], np.diag(1.0 / self._prior_std)]
        )

    def predict(self, turns: Sequence[float], places: Sequence[float]) -> tuple[Floats, Floats]:
        """(heights, spreads) in dB at places with the coils at ``turns``; both shape (places,)."""
        where, at = np.tile(np.asarray(turns, float), (len(places), 1)), np.asarray(places, float)
        slopes = self._slopes(self.parameters, where, at)
        variance = np.einsum("pn,nm,pm->p", slopes, self._covariance, slopes)
        return self._heights(self.parameters, where, at), self._wider * np.sqrt(np.maximum(variance, 0.0))

    def best(self, wanted: Wanted, start: Sequence[float], trust: float = 1.5) -> tuple[tuple[float, ...], float]:
        """(turns, cost) where the places are most even inside the limit, in whole steps of the coils.

        A pattern search from several starts: each coil alone, and every two with or against each other, by one to eight steps.
        """
        step, count = self.coils.step, self.coils.count
        # What is known is known round what was read: no coil is sent further than ``trust`` turns from ``start``.
        low = np.ceil(np.maximum([e[0] for e in self.coils.ends], np.asarray(start, float) - trust) / step) * step
        high = np.floor(np.minimum([e[1] for e in self.coils.ends], np.asarray(start, float) + trust) / step) * step
        tops = np.array([self.parameters[f] for f in self._starts()])
        shifts = np.array([self.parameters[f + 2] for f in self._starts()])
        wave = np.array([1.0 if n % 2 else -1.0 for n in range(count)])
        places = np.asarray(wanted.places, float)
        pattern = _pattern(count) * step

        def costs(at: Floats) -> Floats:
            heights = self._heights(self.parameters, at[:, None, :], places[None])
            return _unevenness(heights, wanted)

        found: list[tuple[float, Floats]] = []
        for begin in (np.asarray(start, float), tops, tops + 0.4 * shifts * wave, tops - 0.4 * shifts * wave):
            x = np.clip(np.round(begin / step) * step, low, high)
            cost = float(costs(x[None])[0])
            for _ in range(_SEARCH_AT_MOST):
                around = x + pattern
                around = around[np.all((around >= low) & (around <= high), axis=1)]
                tried = costs(around) if len(around) else np.array([np.inf])
                if tried.min() >= cost - 1e-6:
                    break
                x, cost = around[int(tried.argmin())], float(tried.min())
            found.append((cost, x))
        cost, x = min(found, key=lambda f: f[0])
        return tuple(float(v) for v in x), cost


#: The pattern search gives up after so many moves.
_SEARCH_AT_MOST = 60


@lru_cache(maxsize=8)
def _pattern(count: int) -> Floats:
    """Moves of the search in steps, shape (moves, coils)."""
    moves = []
    for size in (1, 2, 4, 8):
        for a in range(count):
            for sign in (size, -size):
                one = np.zeros(count)
                one[a] = sign
                moves.append(one)
                for b in range(a + 1, count):
                    for other in (size, -size):
                        two = one.copy()
                        two[b] = other
                        moves.append(two)
    return np.array(moves)


def unevenness(heights: Floats, wanted: Wanted) -> float:
    """What is to be made small (dB): from least to most, less a little for power, much more for what the worst place is outside the limit by."""
    return float(_unevenness(heights, wanted))


def _unevenness(heights: Floats, wanted: Wanted) -> Floats:
    """The same for many settings at once: heights (…, places), made small (…)."""
    least, most = heights.min(axis=-1), heights.max(axis=-1)
    outside = np.zeros_like(least)
    if wanted.low is not None:
        outside += np.maximum(wanted.low + _GUARD_DB - least, 0.0)
    if wanted.high is not None:
        outside += np.maximum(most - wanted.high + _GUARD_DB, 0.0)
    spread = -least if wanted.worst else most - least
    return np.asarray(spread - _POWER_WORTH * heights.mean(axis=-1) + _OUTSIDE * outside)


#: So many turns of all coils towards a better evenness, then what is reached is left.
_ROUNDS = 10
#: How far a coil may be sent from the best setting that was read (turns): where the surface is this sure (dB), else round by round.
_TRUST, _SURE_DB = (3.0, 1.25, 0.9, 0.6, 0.5), 0.2
#: A gain smaller than this (dB) is not worth a turn.
_WORTH_DB = 0.1
#: From least to most (dB), places that are even by this are left: within ±2.5 %.
_EVEN_DB = 0.22
#: A coil this many steps off its top tells which way the ends pull it; one that stops keep nearer is left out of that.
_OFF_TOP = 1.2
#: A coil is moved by this to see which way the ends of the band pull it (half-widths).
_FLANK = 0.7


@dataclass(frozen=True)
class EvenMove:
    """The next move: read at a place, turn a coil to a place (turns from found), or stop. ``gain_db``: what it is expected to bring."""

    act: Literal["read", "turn", "stop"]
    why: Literal["ends", "stagger", "even", "best", "done"]
    coil: int = 0
    turns: float = 0.0
    place: float = 0.0
    gain_db: float = 0.0


@lru_cache(maxsize=32)
def _fitted(coils: Coils, reads: tuple[Read, ...], tops: tuple[float, ...]) -> Surface:
    return Surface(coils, reads, tops)


@lru_cache(maxsize=64)
def _best(
    coils: Coils,
    reads: tuple[Read, ...],
    tops: tuple[float, ...],
    wanted: Wanted,
    start: tuple[float, ...],
    trust: float,
) -> tuple[float, ...]:
    return _fitted(coils, reads, tops).best(wanted, start, trust)[0]


def next_even_move(
    coils: Coils, reads: Sequence[Read], now: Sequence[float], tops: Sequence[float], wanted: Wanted
) -> EvenMove:
    """What to do next towards even power, once every coil is at its best at the middle (``tops``).

    ``now``: where the coils stand. The ends are read; each coil is moved a little, one down and the next up the band, to see which
    way it pulls; then the fitted surface says where all should stand, until it promises no more than is worth a turn.
    """
    anchors = _anchors(wanted.places)
    begun = _begun(coils, reads, now, tops, anchors)
    if begun is not None:
        return EvenMove("read", "ends", place=begun)
    goal, why, gain = _goal(coils, reads, tuple(now), tops, wanted, anchors)
    if goal is None:
        return EvenMove("stop", "done")
    if not _same(goal, now, coils.step):
        n = max(range(coils.count), key=lambda c: abs(goal[c] - now[c]))
        return EvenMove("turn", why, n, goal[n], gain_db=gain)
    read = _heights_at(reads, now, anchors, coils.step)
    # Half-way to a setting that is worked out, the ends tell enough.
    wanted_here = (anchors[0], anchors[-1]) if why == "stagger" else anchors
    missing = next((a for a in wanted_here if a not in read), None)
    return EvenMove("stop", "done") if missing is None else EvenMove("read", why, place=missing)


def _goal(
    coils: Coils, reads: Sequence[Read], now: tuple[float, ...], tops: Sequence[float], wanted: Wanted, anchors: tuple[float, ...]
) -> tuple[tuple[float, ...] | None, Literal["ends", "stagger", "even", "best"], float]:  # fmt: skip
    """Where the coils should stand for what is read next, why, and the gain that is expected; None when it is done."""
    rounds = _settings(reads, anchors, coils.step)
    if not any(_same(r, tops, coils.step) for r in rounds):
        return tuple(tops), "ends", 0.0
    surface = _fitted(coils, tuple(reads), tuple(tops))
    costs = [unevenness(_known(surface, reads, r, wanted, coils.step), wanted) for r in rounds]
    best_cost = min(costs)
    tried = rounds[costs.index(best_cost)]
    stop = None if _same(now, tried, coils.step) else tried
    if _is_even(_known(surface, reads, tried, wanted, coils.step), wanted):
        return stop, "best", 0.0
    since = _since_peaked(reads, tops, anchors, coils.step)
    for n in range(coils.count):
        if not _flanked(since, n, tops[n], anchors, coils):
            width = math.exp(surface.parameters[_WHOLE + _EACH * n + 1])
            far = min(max(_FLANK * width, 3 * coils.step), 1.0)
            way = 1.0 if n % 2 else -1.0
            aim = max((_inside(tops[n] + w * far, coils, n) for w in (way, -way)), key=lambda x: abs(x - tops[n]))
            return tuple(aim if c == n else v for c, v in enumerate(now)), "stagger", 0.0
    # Far only where the surface is sure of what is there, and nearer with every round.
    for trust in _TRUST[:1] + _TRUST[min(len(rounds), len(_TRUST) - 1) :]:
        aim_at = _best(coils, tuple(reads), tuple(tops), wanted, tried, trust)
        predicted, doubt = surface.predict(aim_at, wanted.places)
        if float(doubt.max()) < _SURE_DB:
            break
    gain = best_cost - unevenness(predicted, wanted)
    known = any(_same(aim_at, r, coils.step) for r in rounds)
    if len(rounds) <= _ROUNDS and not known and gain > _WORTH_DB:
        return aim_at, "even", gain
    return stop, "best", 0.0


def _known(
    surface: Surface, reads: Sequence[Read], turns: tuple[float, ...], wanted: Wanted, step: float
) -> Floats:  # fmt: skip
    """The heights of all places at a setting that was read at some of them: as read, else as the surface says."""
    heights = surface.predict(turns, wanted.places)[0]
    if wanted.worst:
        # A ratio of noises jumps by more than what is at stake: the surface knows better than one reading of it.
        return heights
    read = _heights_at(reads, turns, wanted.places, step)
    return np.array([read.get(p, h) for p, h in zip(wanted.places, heights, strict=True)])


def _begun(
    coils: Coils, reads: Sequence[Read], now: Sequence[float], tops: Sequence[float], anchors: tuple[float, ...]
) -> float | None:
    """The anchor that is still to be read where one end of the band was read already; None where all that is wanted here is read."""
    read = _heights_at(reads, now, anchors, coils.step)
    ends = (anchors[0], anchors[-1])
    if not any(e in read for e in ends):
        return None
    before = [r for r in _since_peaked(reads, tops, anchors, coils.step) if not _same(r.turns, now, coils.step)]
    moving = not all(_flanked(before, n, tops[n], anchors, coils) for n in range(coils.count))
    # While each coil is moved in its turn, the ends tell enough.
    wanted_here = ends if moving and not _same(now, tops, coils.step) else anchors
    return next((a for a in wanted_here if a not in read), None)


def _since_peaked(
    reads: Sequence[Read], tops: Sequence[float], anchors: tuple[float, ...], step: float
) -> Sequence[Read]:
    """What was read since the ends were first read with every coil at its best at the middle."""
    ends = (anchors[0], anchors[-1])
    first = next((n for n, r in enumerate(reads) if r.place in ends and _same(r.turns, tops, step)), len(reads))
    return reads[first:]


def _is_even(heights: Floats, wanted: Wanted) -> bool:
    """Inside the limit everywhere, and as even as is worth asking?"""
    low, high = float(heights.min()), float(heights.max())
    inside = (wanted.low is None or low >= wanted.low + _GUARD_DB) and (
        wanted.high is None or high <= wanted.high - _GUARD_DB
    )
    return inside and not wanted.worst and high - low <= _EVEN_DB


def _anchors(places: Sequence[float]) -> tuple[float, ...]:
    """The lowest, the middle and the highest place."""
    order = sorted(set(places))
    return tuple(dict.fromkeys((order[0], min(order, key=abs), order[-1])))


def _same(a: Sequence[float], b: Sequence[float], step: float) -> bool:
    return all(abs(x - y) < 0.6 * step for x, y in zip(a, b, strict=True))


def _heights_at(
    reads: Sequence[Read], turns: Sequence[float], anchors: Sequence[float], step: float
) -> dict[float, float]:
    """The last height read at each anchor with the coils there."""
    return {r.place: r.height for r in reads if r.place in anchors and _same(r.turns, turns, step)}


def _settings(reads: Sequence[Read], anchors: Sequence[float], step: float) -> list[tuple[float, ...]]:
    """Every setting of the coils at which all the anchors were read, in that order."""
    found: list[tuple[float, ...]] = []
    for r in reads:
        new = not any(_same(r.turns, f, step) for f in found)
        if new and len(_heights_at(reads, r.turns, anchors, step)) == len(anchors):
            found.append(r.turns)
    return found


def _flanked(reads: Sequence[Read], coil: int, top: float, anchors: Sequence[float], coils: Coils) -> bool:
    """Were both ends of the band read with this coil well away from its top, or do its stops keep it there?"""
    ends = {anchors[0], anchors[-1]}
    low, high = coils.ends[coil]
    if max(high - top, top - low) <= _OFF_TOP * coils.step:
        return True
    seen = {r.place for r in reads if abs(r.turns[coil] - top) > _OFF_TOP * coils.step}
    return ends <= seen


def _inside(turns: float, coils: Coils, coil: int) -> float:
    low, high = coils.ends[coil]
    return min(max(round(turns / coils.step) * coils.step, low), high)
