"""A coupled pair: its two cores as one problem.

Detuning one winding moves the other's peak, so a visit to each alone ends beside the top. First each is brought near its own peak
(``unitone.align.peak.core``); then all readings together are fitted with the pair's response
A - s·10·log10(((1+k²-ab)²+(a+b)²)/(1+k²)²), a and b in half-widths from the tops, k in units of critical coupling (F. E. Terman,
Radio Engineers' Handbook, 1943, section 3), and the next reading is the one after which the least is expected to be lost.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from scipy.optimize import least_squares
from scipy.special import ndtri

from unitone.align.peak.core import Move, next_move, play_of, scale_of
from unitone.align.peak.hill import HALF_PLAY, LOSS_CAP, Floats, Point, core_at
from unitone.radio.resonance import pair_loss
from unitone.sheet.model.sheet import TURN, Adjuster

#: Before the readings tell: half-width (turns; mean and spread of its logarithm) and coupling (the same).
_WIDTH, _COUPLING = (math.log(0.8), 0.55), (math.log(0.75), 0.65)
_TOP_STD = 2.0
_HILLS, _PLAYED = 160, 16
#: What another reading has to gain, and how much may be lost at the most on the average (dB).
_READING_DB, _ENOUGH_DB = 0.005, 0.04
#: Moves of both that gain less than this together are idle (dB).
_IDLE_DB = 0.01
#: A core of a pair that is only brought near its peak: so much may be lost there, on average (dB).
_NEAR_DB = 0.35
_MOST = 18
#: Lower than the highest reading by this (dB), and by four spreads of a reading, is worse than it was.
_LOWER_DB = 0.15
#: Between two levels the generator's own difference counts, less so the further they are apart: so much (dB), and of each dB between them.
_LEVELS_DB, _LEVELS_SHARE = 1.0, 0.1
#: An over-coupled pair reads as high on its flanks as in its middle, one core off this way and one that way: the band is then tilted and the
#: detector's sine bent. What each half-width of that is worth, beyond the first (dB; common practice, no source).
_TILT_DB = 0.2
#: A top lies beyond a stop when it is further out than this share of its half-width.
_BEYOND_WIDTHS = 0.35
#: A reading is believed this much less for each dB under the best.
_SHAPE_SHARE = 0.08


@dataclass(frozen=True)
class PairRead:
    """One reading: where each of the two cores stood (turns from found), height (dB), spread (dB), level group."""

    turns: tuple[float, float]
    height: float
    std: float
    level: float | None = None


@dataclass(frozen=True)
class PairMove:
    """The move for the pair: which of its two cores (0 or 1), and what to do with it; coupling where it is known."""

    which: int
    move: Move
    coupling: float | None = None


@dataclass(frozen=True)
class PairFit:
    """Pairs drawn from what the readings say: tops (hills × 2), half-widths (hills × 2), couplings, heights, and their weights."""

    tops: Floats
    widths: Floats
    coupling: Floats
    heights: Floats
    weight: Floats
    spread: float

    def middle(self) -> Floats:
        """Where each core loses the least on average (turns)."""
        sharp = self.weight[:, None] / self.widths**2
        return np.asarray((sharp * self.tops).sum(axis=0) / sharp.sum(axis=0))

    def loss(self, cores: Floats) -> Floats:
        """What each drawn pair loses (dB, capped) with the cores at ``cores`` (…, 2); shape (…, hills)."""
        off = (cores[..., None, :] - self.tops) / self.widths
        db = response_db(off[..., 0], off[..., 1], self.coupling, 1.0)
        return np.minimum(np.maximum(-db, 0.0), LOSS_CAP)

    def tilt(self, cores: Floats) -> float:
        """By how much more than a half-width the cores stand apart, each counted from its top (half-widths); 0 for a pair that has one peak."""
        off = (cores - self.tops) / self.widths
        apart = np.maximum(np.abs(off[:, 0] - off[:, 1]) - 1.0, 0.0)
        return float(self.weight @ np.where(self.coupling > 1.0, apart, 0.0))


def response_db(a: Floats, b: Floats, coupling: Floats, slope: float) -> Floats:
    """Height (dB) of a pair against both tuned, ``a`` and ``b`` half-widths off; all broadcast together."""
    return np.asarray(-slope * 10.0 * np.log10(pair_loss(a, b, np.asarray(coupling, np.float64))))


def next_pair_move(
    reads: Sequence[PairRead],
    slope: float,
    adjusters: tuple[Adjuster, Adjuster],
    positions_mdeg: tuple[int, int],
    stops_mdeg: tuple[tuple[int | None, int | None], tuple[int | None, int | None]],
) -> PairMove:
    """The next move for the pair from the readings of this visit, oldest first."""
    return _next(tuple(reads), slope, adjusters, positions_mdeg, stops_mdeg)


@lru_cache(maxsize=256)
def _next(
    reads: tuple[PairRead, ...],
    slope: float,
    adjusters: tuple[Adjuster, Adjuster],
    positions: tuple[int, int],
    stops: tuple[tuple[int | None, int | None], tuple[int | None, int | None]],
) -> PairMove:
    if not reads:
        return PairMove(0, Move("read", positions[0], "first-move"))
    start = 0
    odd: list[Move] = []
    for which in (0, 1):
        # The run of readings in which this core alone was turned, up to where they first said that it is near its peak.
        other = reads[start].turns[1 - which]
        end = start
        while end < len(reads) and abs(reads[end].turns[1 - which] - other) < 1e-9:
            end += 1
        points = [Point(r.turns[which], r.height, r.std, r.level) for r in reads[start:end]]
        near = None
        for n in range(1, len(points) + 1):
            last = start + n == len(reads)
            at = positions[which] if last else round(points[n - 1].turns * TURN)
            move = next_move(points[:n], slope, adjusters[which], at, stops[which], enough_db=_NEAR_DB)
            if move.act == "stop":
                near = n
                break
            if last:
                return PairMove(which, move)
        if near is not None and move.why in ("dead", "jumps"):
            odd.append(move)
        start = start + (near or len(points)) - 1
    if odd:
        # One of them does nothing, or does not stay: the other was peaked by itself, and together they tell no more.
        return PairMove(1, odd[0])
    if len(reads) < 4:
        return PairMove(0, Move("read", positions[0], "first-move"))
    return _jointly(reads, slope, adjusters, positions, stops)


def fit_pair(reads: Sequence[PairRead], slope: float, scale: float, play: float) -> PairFit:
    """Pairs that the readings allow, drawn from the posterior. Raises ValueError for fewer than four readings."""
    if len(reads) < 4:
        raise ValueError("a pair needs at least four readings")
    cores = np.stack([core_at([r.turns[n] / scale for r in reads], play) for n in (0, 1)], axis=1)
    y = np.array([r.height for r in reads])
    best = {r.level: max(q.height for q in reads if q.level == r.level) for r in reads}
    drop = np.array([best[r.level] - r.height for r in reads])
    std = np.sqrt(np.array([max(r.std, 0.03) for r in reads]) ** 2 + (_SHAPE_SHARE * drop) ** 2)
    groups = np.stack([[1.0 if r.level == level else 0.0 for r in reads] for level in best])
    here = cores[np.argmax(y - np.array([best[r.level] for r in reads]))]

    def heights_free(shape: Floats) -> tuple[Floats, Floats]:
        """Residuals with each level's height at its best, and the height of the last reading's level; ``shape`` (…, n)."""
        weight = groups / std**2
        mean = (y - shape) @ weight.T / weight.sum(axis=1)
        return (y - shape - mean @ groups) / std, mean @ groups[:, -1]

    def shape_of(x: Floats) -> Floats:
        off = (cores - x[..., None, 0:2]) / np.exp(x[..., None, 2:4])
        return response_db(off[..., 0], off[..., 1], np.exp(x[..., 4])[..., None], slope)

    middle = np.array([here[0], here[1], _WIDTH[0], _WIDTH[0], _COUPLING[0]])
    prior_std = np.array([_TOP_STD, _TOP_STD, _WIDTH[1], _WIDTH[1], _COUPLING[1]])

    def residuals(x: Floats) -> Floats:
        fit, _ = heights_free(shape_of(x))
        # Both windings of a transformer are much alike.
        alike = (x[..., 2:3] - x[..., 3:4]) / 0.25
        return np.concatenate([fit, (x - middle) / prior_std, alike], axis=-1)

    def slopes(x: Floats) -> Floats:
        """The residuals' slopes by small steps, all five in one go."""
        return np.asarray((residuals(x + 1e-6 * np.eye(5)) - residuals(x)).T / 1e-6)

    starts = ((0.0, 0.0), (-1.0, 1.0), (1.0, -1.0))
    fits = []
    for da, db in starts:
        x = middle.copy()
        x[0] += 0.5 * da
        x[1] += 0.5 * db
        fits.append(least_squares(residuals, x, slopes, method="lm", max_nfev=60))
    best_fit = min(fits, key=lambda f: float(f.cost))
    jacobian: Floats = np.asarray(best_fit.jac, np.float64)
    covariance = np.linalg.inv(jacobian.T @ jacobian + 1e-9 * np.eye(5))
    # Spread evenly through a Student-t of five degrees, the same every time; then weighed by the true posterior.
    n = np.arange(_HILLS)
    primes = np.array([0.6180339887, 0.7548776662, 0.8191725134, 0.8566748839, 0.8812714616, 0.8986537126])
    uniform = (0.5 + n[:, None] * primes) % 1.0
    normal = ndtri(uniform[:, :5] * 0.996 + 0.002)
    chi = np.sqrt(5.0 / np.maximum(_gamma5(uniform[:, 5]), 1e-6))
    z = normal * chi[:, None]
    drawn = best_fit.x + z @ np.linalg.cholesky(covariance + 1e-12 * np.eye(5)).T
    fit, height = heights_free(shape_of(drawn))
    alike = (drawn[:, 2] - drawn[:, 3]) / 0.25
    log = -0.5 * ((fit**2).sum(axis=1) + (((drawn - middle) / prior_std) ** 2).sum(axis=1) + alike**2)
    proposal = -0.5 * (5.0 + 5.0) * np.log1p((z**2).sum(axis=1) / 5.0)
    weight = np.exp(log - proposal - (log - proposal).max())
    freedom = max(len(reads) - 6, 1)
    noise = math.sqrt((4.0 + float((fit**2 * weight[:, None]).sum() / weight.sum())) / (4.0 + freedom))
    spread = max(noise, 0.7) * float(np.median([max(r.std, 0.03) for r in reads]))
    return PairFit(drawn[:, :2], np.exp(drawn[:, 2:4]), np.exp(drawn[:, 4]), height, weight / weight.sum(), spread)


def _gamma5(uniform: Floats) -> Floats:
    """Chi-square of five degrees of freedom at these probabilities."""
    from scipy.special import gammaincinv

    return np.asarray(2.0 * gammaincinv(2.5, uniform * 0.996 + 0.002))


def _jointly(
    reads: tuple[PairRead, ...],
    slope: float,
    adjusters: tuple[Adjuster, Adjuster],
    positions: tuple[int, int],
    stops: tuple[tuple[int | None, int | None], tuple[int | None, int | None]],
) -> PairMove:
    scale = scale_of(adjusters[0])
    play = play_of(adjusters[0]) / scale
    unit = scale * TURN
    steps = [a.step_mdeg / unit for a in adjusters]
    fine = [a.step_mdeg // 2 if a.kind == "core" else a.step_mdeg for a in adjusters]
    limits = [(-math.inf if s[0] is None else s[0] / unit, math.inf if s[1] is None else s[1] / unit) for s in stops]
    fit = fit_pair(reads, slope, scale, play)
    cores = np.array([core_at([r.turns[n] / scale for r in reads], play)[-1] for n in (0, 1)])
    hands = np.array([p / unit for p in positions])
    coupling = float(fit.weight @ fit.coupling)
    middle = np.array([float(np.clip(m, *lim)) for m, lim in zip(fit.middle(), limits, strict=True)])
    unsure = float(fit.loss(middle) @ fit.weight)
    read_at = np.array([t / scale for t in reads[-1].turns])
    moved = [abs(r - h) >= 0.2 * s for r, h, s in zip(read_at, hands, steps, strict=True)]
    # Decided from where it was read last, so that a move under way does not change the mind.
    which, place, after = _best_reading(fit, cores, read_at, steps, limits, slope, play)
    confirm = PairMove(moved.index(True) if any(moved) else 1, Move("read", positions[0], "confirm-peak"), coupling)
    if len(reads) < _MOST and (unsure > _ENOUGH_DB or unsure - after > _READING_DB):
        if any(moved):
            return confirm
        target = round(place * unit / adjusters[which].step_mdeg) * adjusters[which].step_mdeg
        if target == positions[which]:
            # The step that it has ends where it stands: what is there to be had is another reading of it.
            return confirm
        return PairMove(which, Move("go", target, "pair", loss_db=unsure), coupling)
    back = _back_to_best(reads, slope, adjusters, positions) if len(reads) >= _MOST else None
    shut = _beyond_a_stop(fit, limits)
    ended = PairMove(1, Move("stop", 0, "peaked")) if shut is None else PairMove(shut, Move("stop", 0, "at-stop"))
    ended = replace(ended, move=replace(ended.move, loss_db=unsure), coupling=coupling)
    if back is not None:
        return confirm if back.move.act == "read" else ended if back.move.act == "stop" else back
    # Both to the middle, the farther first; moves that gain next to nothing together are not made.
    targets = [round(middle[n] * unit / fine[n]) * fine[n] for n in (0, 1)]
    there = np.array([np.clip(cores[n], targets[n] / unit - play, targets[n] / unit + play) for n in (0, 1)])
    gain = float((fit.loss(cores) - fit.loss(there)) @ fit.weight) + _TILT_DB * (fit.tilt(cores) - fit.tilt(there))
    away = [0.0 if moved[n] else abs(targets[n] - positions[n]) for n in (0, 1)]
    far = int(np.argmax(away))
    if len(reads) < _MOST + 2 and gain > _IDLE_DB and away[far] > fine[far] // 2:
        return PairMove(far, Move("go", targets[far], "to-peak", loss_db=unsure), coupling)
    if any(moved):
        return confirm
    back = _back_to_best(reads, slope, adjusters, positions)
    return back if back is not None and back.move.act == "go" else ended


def _beyond_a_stop(fit: PairFit, limits: Sequence[tuple[float, float]]) -> int | None:
    """The core whose top lies beyond a stop that it touched, by more than a part of its width; None where neither does."""
    wide = np.exp(np.log(fit.widths).T @ fit.weight)
    for n, (middle, (low, high)) in enumerate(zip(fit.middle(), limits, strict=True)):
        if middle < low - _BEYOND_WIDTHS * wide[n] or middle > high + _BEYOND_WIDTHS * wide[n]:
            return n
    return None


def _back_to_best(
    reads: Sequence[PairRead], slope: float, adjusters: tuple[Adjuster, Adjuster], positions: tuple[int, int]
) -> PairMove | None:
    """Readings that no pair explains, and the last of them lower than one before: back to where it was highest, the farther core
    first, and there it ends. None where it is as high here as it ever was. The last one is often read at a level of its own."""
    last = reads[-1]

    def surely(r: PairRead) -> float:
        """How high that reading would at least be at the last one's level."""
        if r.level is None or last.level is None or r.level == last.level:
            return r.height if r.level == last.level else -math.inf
        apart = r.level - last.level
        return r.height - slope * (apart + _LEVELS_DB + _LEVELS_SHARE * abs(apart))

    best = max(reads, key=surely)
    steps = [a.step_mdeg for a in adjusters]
    places = [round(t * TURN) for t in best.turns]
    at_best = all(abs(a - b) * TURN <= 0.3 * s for a, b, s in zip(last.turns, best.turns, steps, strict=True))
    lower = surely(best) - last.height > max(4.0 * last.std, _LOWER_DB)
    if not lower and not (at_best and len(reads) > _MOST):
        return None
    away = [abs(places[n] - positions[n]) if lower else 0 for n in (0, 1)]
    far = int(np.argmax(away))
    if away[far] > 0.3 * steps[far]:
        return PairMove(far, Move("go", places[far], "to-peak"))
    if any(abs(last.turns[n] * TURN - positions[n]) > 0.3 * steps[n] for n in (0, 1)):
        return PairMove(far, Move("read", positions[far], "confirm-peak"))
    return PairMove(1, Move("stop", 0, "peaked"))


def _best_reading(
    fit: PairFit, cores: Floats, hands: Floats, steps: Sequence[float], limits: Sequence[tuple[float, float]],
    slope: float, play: float,
) -> tuple[int, float, float]:  # fmt: skip
    """Which core to move where (turns) for the reading after which the least is expected to be lost, and that loss (dB)."""
    middle = fit.middle()
    wide = np.exp(np.log(fit.widths).T @ fit.weight)
    candidates: list[tuple[int, float]] = []
    for n in (0, 1):
        wanted = [middle[n] + f * wide[n] for f in (-1.4, -0.9, -0.5, 0.5, 0.9, 1.4)]
        wanted += [hands[n] + k * steps[n] for k in (-8, -4, 4, 8)]
        places = np.unique(np.clip(np.round(np.array(wanted) / steps[n]) * steps[n], *limits[n]))
        candidates += [(n, float(p)) for p in places if abs(p - hands[n]) > 0.3 * steps[n]]
    there = np.repeat(cores[None, :], len(candidates), axis=0)
    for row, (n, place) in enumerate(candidates):
        there[row, n] = np.clip(cores[n], place - play, place + play)
    off = (there[:, None, :] - fit.tops) / fit.widths
    mean = fit.heights + response_db(off[..., 0], off[..., 1], fit.coupling, slope)
    order = np.cumsum(fit.weight)
    chosen = np.minimum(np.searchsorted(order, (np.arange(_PLAYED) + 0.5) / _PLAYED), _HILLS - 1)
    noise = ndtri(((np.arange(_PLAYED) * 0.6180339887 + 0.31) % 1.0) * 0.98 + 0.01)
    spread = fit.spread * 1.1
    played = mean[:, chosen] + spread * noise
    likely = fit.weight * np.exp(-0.5 * ((played[:, :, None] - mean[:, None, :]) / spread) ** 2)
    total = np.maximum(likely.sum(axis=2), 1e-300)
    sharp = 1.0 / fit.widths**2
    best = (likely @ (sharp * fit.tops)) / np.maximum(likely @ sharp, 1e-300)
    for n in (0, 1):
        best[..., n] = np.clip(best[..., n], *limits[n])
    loss = np.einsum("cks,cks->ck", likely, fit.loss(best)) / total
    score = loss.mean(axis=1)
    cost = score + np.array([0.002 * abs(place - hands[n]) for n, place in candidates])
    best_row = int(np.argmin(cost))
    n, place = candidates[best_row]
    return n, place, float(score[best_row])


__all__ = ["HALF_PLAY", "PairFit", "PairMove", "PairRead", "fit_pair", "next_pair_move", "response_db"]
