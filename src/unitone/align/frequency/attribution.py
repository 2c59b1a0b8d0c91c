"""Which oscillator is off: frequency errors on channels, bands and modes traced to their sources.

Each reading is an exact rational combination of the oscillators' errors (the mixing model), less the counter's own
timebase in proportion to the frequency. Most oscillators are near; one or two may be far off. Every such hypothesis is
weighed by its evidence (Gaussian marginal likelihood; C. E. Rasmussen and C. K. I. Williams, Gaussian Processes, 2006,
2.2, or any text on Bayesian linear regression), so that a shared shift is given to the likeliest source, and what the
readings cannot tell is said, with the reading that would.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from unitone.radio.nullspace import null_space

#: How far a healthy oscillator is from nominal, how far a faulty one, and the counter's timebase (Hz, Hz, ppm; standard).
HEALTHY_HZ, FAULTY_HZ, TIMEBASE_PPM = 25.0, 600.0, 1.0
#: A poor counter is so many times further off; how likely one is.
POOR_TIMES, POOR = 10.0, 0.01
#: How likely any one oscillator is off, and any one entry wrong (a slip of the pen, another channel), before anything is read.
FAULT, WRONG = 0.08, 0.02
#: A wrong entry is off by this much (Hz, standard).
WRONG_HZ = 5_000.0
#: An oscillator is named from here on, and cleared below the other.
SURE, CLEAR = 0.97, 0.03
#: The error of an oscillator that is off is wanted so fine (Hz, standard); a reading is expected to be so fine.
FINE_HZ, _GATE_HZ = 12.0, 10.0
#: Wrong entries are looked for under this many of the likeliest hypotheses, among this many readings.
_LIKELY, _DOUBTED = 12, 12


@dataclass(frozen=True)
class Source:
    """An oscillator as it can be off: id, nominal Hz, the adjuster that trims it (None: fixed)."""

    id: str
    nominal_hz: float
    trim: str | None = None


@dataclass(frozen=True)
class Point:
    """Something that can be counted: a label, its nominal Hz, and how many times each oscillator is in it (exact).

    ``direct`` is the oscillator that is counted by itself at its own test point; ``cost`` what reading it takes (a channel
    on the dial: 1).
    """

    label: str
    hz: float
    terms: tuple[tuple[str, Fraction], ...]
    direct: str | None = None
    cost: float = 1.0


@dataclass(frozen=True)
class Counted:
    """A reading: the point, its error as the counter shows it (Hz), and how finely it was counted (Hz, standard); ``twice``: it was
    counted twice alike, so what does not fit is the radio, and no slip."""

    point: Point
    error_hz: float
    u_hz: float = 10.0
    twice: bool = False


@dataclass(frozen=True)
class Judged:
    """What is known of one oscillator: its error at its own test point (Hz), how sure, and how likely it is off."""

    source: Source
    error_hz: float
    std_hz: float
    p_off: float


@dataclass(frozen=True)
class Attribution:
    """The answer. ``named`` are off beyond doubt, ``open`` may be; ``timebase_ppm`` and its spread are the counter's.

    ``alike`` are the exact combinations that no reading so far tells apart: whole numbers by oscillator, and by
    ``"timebase"``. ``suspect`` is the number of the reading that does not fit, ``following`` the one that would tell most.
    """

    judged: tuple[Judged, ...]
    timebase_ppm: float
    timebase_std_ppm: float
    alike: tuple[tuple[tuple[str, int], ...], ...]
    suspect: int | None
    following: Point | None
    #: Means and covariances of all errors, the timebase's (ppm) last.
    mean: tuple[float, ...] = ()
    spread: tuple[tuple[float, ...], ...] = ()

    def expected(self, point: Point) -> tuple[float, float]:
        """What a counter would show off nominal at a point, and how sure that is (Hz, standard)."""
        row = np.array(row_of(point, [j.source.id for j in self.judged]))
        return float(row @ np.array(self.mean)), math.sqrt(max(float(row @ np.array(self.spread) @ row), 0.0))

    @property
    def named(self) -> tuple[Judged, ...]:
        """The oscillators that are off beyond doubt, the worst first."""
        return tuple(sorted((j for j in self.judged if j.p_off > SURE), key=lambda j: -abs(j.error_hz)))

    @property
    def open(self) -> tuple[Judged, ...]:
        """Those that may be off: the readings do not tell."""
        return tuple(j for j in self.judged if CLEAR <= j.p_off <= SURE)

    @property
    def settled(self) -> bool:
        """Is every oscillator either named or cleared?"""
        return not self.open


class _Model:
    """Readings as a linear model: rows of coefficients, the timebase last."""

    def __init__(self, sources: Sequence[Source], readings: Sequence[Counted]) -> None:
        self.names = [s.id for s in sources]
        self.rows = np.array([row_of(r.point, self.names) for r in readings]).reshape(len(readings), len(sources) + 1)
        self.errors = np.array([r.error_hz for r in readings])
        self.u = np.array([r.u_hz for r in readings])
        weight = 1.0 / self.u**2
        self.information = (self.rows * weight[:, None]).T @ self.rows
        self.pull = self.rows.T @ (weight * self.errors)

    def without(self, k: int) -> _Model:
        """The same with one reading left out."""
        made = copy(self)
        row, weight = self.rows[k], float(self.u[k]) ** -2
        made.information = self.information - weight * np.outer(row, row)
        made.pull = self.pull - weight * self.errors[k] * row
        return made

    def weigh(
        self, prior_sd: NDArray[np.float64]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """(log evidence up to a constant, means, covariances) for prior standard deviations, shape (hypotheses, unknowns).

        Hypotheses differ from the narrowest of all in a few unknowns: one matrix is inverted, and each of them is that one changed
        in a few of its diagonal's places (M. A. Woodbury, Inverting Modified Matrices, 1950; the determinant by the same lemma).
        """
        base, columns, small, log_det = self._changed(prior_sd)
        shares = np.linalg.solve(small, columns)
        covariance = base - columns.transpose(0, 2, 1) @ shares
        mean = covariance @ self.pull
        evidence = 0.5 * (mean @ self.pull) - 0.5 * log_det - np.log(prior_sd).sum(axis=1)
        return evidence, mean, covariance

    def evidence(self, prior_sd: NDArray[np.float64]) -> NDArray[np.float64]:
        """What ``weigh`` gives first, without means and covariances: a fifth of the work."""
        base, columns, small, log_det = self._changed(prior_sd)
        pulled = columns @ self.pull
        gained = (pulled * np.linalg.solve(small, pulled[:, :, None])[:, :, 0]).sum(axis=1)
        told: NDArray[np.float64] = 0.5 * (self.pull @ base @ self.pull - gained - log_det) - np.log(prior_sd).sum(
            axis=1
        )
        return told

    def _changed(
        self, prior_sd: NDArray[np.float64]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """The inverse for the narrowest of all; and of each hypothesis that one's columns at its wider unknowns, the small matrix to be
        solved with them, and the logarithm of its whole determinant."""
        narrow = prior_sd.min(axis=0)
        first = self.information + np.diag(narrow**-2.0)
        base = np.linalg.inv(first)
        less = prior_sd**-2.0 - narrow**-2.0
        wider = less != 0.0
        most = max(int(wider.sum(axis=1).max()), 1)
        # Each hypothesis' wider unknowns first; what fills up the row behind them counts for nothing.
        at = np.argsort(~wider, axis=1, kind="stable")[:, :most]
        counts = np.take_along_axis(wider, at, axis=1)
        change = np.where(counts, np.take_along_axis(less, at, axis=1), 1.0)
        columns = base[at] * counts[:, :, None]
        small = base[at[:, :, None], at[:, None, :]] * (counts[:, :, None] & counts[:, None, :])
        small[:, range(most), range(most)] += 1.0 / change
        _, log_small = np.linalg.slogdet(small)
        log_det = np.linalg.slogdet(first)[1] + np.log(np.abs(change)).sum(axis=1) + log_small
        return base, columns, small, log_det


def row_of(point: Point, names: Sequence[str]) -> list[float]:
    """How a reading moves with each oscillator's Hz, and with the timebase's ppm (a fast one shows too little)."""
    terms = dict(point.terms)
    return [*(float(terms.get(n, 0)) for n in names), -point.hz * 1e-6]


@dataclass(frozen=True)
class _Beliefs:
    """Hypotheses before anything is read: which oscillators are off, whether the counter is poor, spreads and log odds."""

    off: tuple[tuple[int, ...], ...]
    poor: tuple[bool, ...]
    prior_sd: NDArray[np.float64]
    log_prior: NDArray[np.float64]

    @classmethod
    def of(cls, count: int, timebase_ppm: float, pairs: Sequence[tuple[tuple[int, ...], bool]]) -> _Beliefs:
        """From (oscillators off, counter poor) of each hypothesis."""
        prior_sd = np.full((len(pairs), count + 1), HEALTHY_HZ)
        log_prior = np.empty(len(pairs))
        for h, (wrong, poor) in enumerate(pairs):
            prior_sd[h, list(wrong)] = FAULTY_HZ
            prior_sd[h, count] = timebase_ppm * (POOR_TIMES if poor else 1.0)
            log_prior[h] = len(wrong) * math.log(FAULT) + (count - len(wrong)) * math.log1p(-FAULT)
            log_prior[h] += math.log(POOR) if poor else math.log1p(-POOR)
        return cls(tuple(w for w, _ in pairs), tuple(p for _, p in pairs), prior_sd, log_prior)

    @classmethod
    @lru_cache(maxsize=32)
    def usual(cls, count: int, timebase_ppm: float, trusted: bool) -> _Beliefs:
        """None, one or two oscillators off, with a good counter and, where it is not trusted, with a poor one."""
        few = [(), *((i,) for i in range(count)), *combinations(range(count), 2)]
        return cls.of(
            count, timebase_ppm, [(wrong, poor) for poor in ((False,) if trusted else (False, True)) for wrong in few]
        )

    def weigh(self, model: _Model) -> _Weighed:
        """Every hypothesis against the readings."""
        evidence, means, covariances = model.weigh(self.prior_sd)
        return _Weighed(evidence + self.log_prior, means, covariances, list(range(len(self.off))))

    def and_also(self, more: _Beliefs) -> _Beliefs:
        """Both together."""
        return _Beliefs(
            self.off + more.off, self.poor + more.poor, np.vstack((self.prior_sd, more.prior_sd)),
            np.concatenate((self.log_prior, more.log_prior)),
        )  # fmt: skip


def _widened(model: _Model, beliefs: _Beliefs, whole: _Weighed) -> tuple[_Beliefs, _Weighed]:
    """More than two oscillators off, where the readings ask for it: the likeliest hypothesis with one more of them off, as long as
    that gains. A radio that many hands have been in is not two trimmers out."""
    count = beliefs.prior_sd.shape[1] - 1
    timebase_ppm = float(beliefs.prior_sd[0, count])
    while True:
        top = int(np.argmax(whole.logs))
        wrong, poor = beliefs.off[top], beliefs.poor[top]
        if len(wrong) < 2:
            return beliefs, whole
        known = {(frozenset(w), p) for w, p in zip(beliefs.off, beliefs.poor, strict=True)}
        wider = [(tuple(sorted((*wrong, i))), poor) for i in range(count) if i not in wrong]
        # What was taken in early may be what was wrong: one out, one in, where more than two are in.
        if len(wrong) > 2:
            wider += [(tuple(sorted({*wrong, i} - {o})), poor) for o in wrong for i in range(count) if i not in wrong]
        wider = [x for x in wider if (frozenset(x[0]), x[1]) not in known]
        if not wider:
            return beliefs, whole
        more = _Beliefs.of(count, timebase_ppm, wider)
        gained = more.weigh(model)
        beliefs = beliefs.and_also(more)
        before = float(whole.logs.max())
        whole = _Weighed(
            np.concatenate((whole.logs, gained.logs)), np.concatenate((whole.means, gained.means)),
            np.concatenate((whole.covariances, gained.covariances)), list(range(len(beliefs.off))),
        )  # fmt: skip
        if float(gained.logs.max()) <= before:
            return beliefs, whole


def attribute(
    sources: Sequence[Source],
    readings: Sequence[Counted],
    candidates: Sequence[Point] = (),
    timebase_ppm: float = TIMEBASE_PPM,
    trusted: bool = False,
) -> Attribution:
    """Trace readings to their oscillators. With no readings everything is open and the first reading is named.

    ``timebase_ppm``: how far the counter's own clock may be (standard); one that is ``trusted`` was checked, and is not taken
    for a poor one whatever the readings look like. Raises ValueError without oscillators, or for a
    reading of one that is not among them.
    """
    if not sources:
        raise ValueError("a radio has at least one oscillator")
    names = [s.id for s in sources]
    for point in [r.point for r in readings] + list(candidates):
        for name, _ in point.terms:
            if name not in names:
                raise ValueError(f"{point.label} names an oscillator {name!r} that is not there")
    n = len(sources)
    model = _Model(sources, readings)
    beliefs = _Beliefs.usual(n, timebase_ppm, trusted)
    whole = beliefs.weigh(model)
    if len(readings) > 2:
        beliefs, whole = _widened(model, beliefs, whole)
    hypotheses = beliefs.off
    best = _without_wrong(model, beliefs, whole, {k for k, r in enumerate(readings) if r.twice})
    weight = np.exp(best.logs - best.logs.max())
    weight /= weight.sum()
    mean = weight @ best.means
    squares = best.covariances + best.means[:, :, None] * best.means[:, None, :]
    spread = np.einsum("h,hij->ij", weight, squares) - np.outer(mean, mean)
    off = np.array([[i in hypotheses[h] for i in range(n)] for h in best.used])
    p_off = weight @ off
    judged = tuple(
        Judged(s, float(mean[i]), math.sqrt(max(float(spread[i, i]), 0.0)), float(p_off[i]))
        for i, s in enumerate(sources)
    )
    kept = [r for k, r in enumerate(readings) if k != best.suspect]
    taken = {r.point.label for r in kept}
    left = [c for c in candidates if c.label not in taken]
    return Attribution(
        judged, float(mean[n]), math.sqrt(max(float(spread[n, n]), 0.0)), cannot_tell(sources, [r.point for r in kept]), best.suspect,
        _telling(left, names, weight, best, p_off) or _refining(left, names, judged, spread),
        tuple(map(float, mean)), tuple(tuple(map(float, r)) for r in spread),
    )  # fmt: skip


@dataclass(frozen=True)
class _Weighed:
    """Hypotheses with their log weights, means and covariances; ``used`` are their numbers, ``suspect`` the reading left out."""

    logs: NDArray[np.float64]
    means: NDArray[np.float64]
    covariances: NDArray[np.float64]
    used: list[int]
    suspect: int | None = None


def _without_wrong(full: _Model, beliefs: _Beliefs, whole: _Weighed, sure: set[int]) -> _Weighed:
    """The hypotheses again with each reading but those that are ``sure`` left out as wrong, under the likeliest of them; or the whole,
    where nothing is gained.

    A wrong entry has a likelihood of its own, N(0, WRONG_HZ): leaving it out costs the odds that any entry is wrong.
    """
    if full.errors.size < 4:
        return whole
    trials = list(range(len(beliefs.off)))
    if full.errors.size > _DOUBTED:
        # With many readings one wrong one does not hide the likely ones, and time counts.
        plain = [h for h, off in enumerate(beliefs.off) if len(off) < 2]
        trials = sorted({*np.argsort(-whole.logs)[:_LIKELY].tolist(), *plain})
    # What the readings' own spread adds to the evidence is the same for all of them together, not for all but one.
    own = -0.5 * (full.errors / full.u) ** 2 - np.log(full.u)
    suspect, best_total = None, _total(whole.logs)
    for k in _worth_doubting(full, whole):
        if k in sure:
            continue
        wrong = -0.5 * (full.errors[k] / WRONG_HZ) ** 2 - math.log(WRONG_HZ) + math.log(WRONG)
        total = _total(full.without(k).evidence(beliefs.prior_sd[trials]) + beliefs.log_prior[trials] - own[k] + wrong)
        if total > best_total:
            suspect, best_total = k, total
    if suspect is None:
        return whole
    evidence, means, covariances = full.without(suspect).weigh(beliefs.prior_sd)
    return _Weighed(evidence + beliefs.log_prior, means, covariances, whole.used, suspect)


def _worth_doubting(full: _Model, whole: _Weighed) -> list[int]:
    """The readings that fit worst under the likeliest hypotheses: all of a few, some of many."""
    if full.errors.size <= _DOUBTED:
        return list(range(full.errors.size))
    likely = np.argsort(-whole.logs)[:3]
    left = full.errors[None, :] - whole.means[likely] @ full.rows.T
    held = np.einsum("hij,ri,rj->hr", whole.covariances[likely], full.rows, full.rows)
    # Left out, a reading would be expected so much less finely than it is fitted.
    apart = np.abs(left) / np.sqrt(np.maximum(full.u**2 - held, 1e-3 * full.u**2))
    return [int(k) for k in np.argsort(-apart.max(axis=0))[:_DOUBTED]]


def _total(logs: NDArray[np.float64]) -> float:
    top = float(logs.max())
    return top + math.log(float(np.exp(logs - top).sum()))


def _telling(
    candidates: Sequence[Point],
    names: Sequence[str],
    weight: NDArray[np.float64],
    best: _Weighed,
    p_off: NDArray[np.float64],
) -> Point | None:
    """The reading that tells most of which hypothesis is right, for what it costs; None where nothing is open.

    Told = ½·log2(total variance) less the mean of ½·log2(variance under each hypothesis): what the mixture does not know
    and each hypothesis does (the mutual information of Gaussians, from above).
    """
    if not candidates or not ((p_off >= CLEAR) & (p_off <= SURE)).any():
        return None
    rows = np.array([row_of(p, names) for p in candidates])
    expected = best.means @ rows.T
    widths = np.einsum("hij,ci,cj->hc", best.covariances, rows, rows) + _GATE_HZ**2
    middle = weight @ expected
    total = weight @ (widths + (expected - middle) ** 2)
    told = 0.5 * (np.log2(total) - weight @ np.log2(widths)) / np.array([p.cost for p in candidates])
    at = int(np.argmax(told))
    return candidates[at] if told[at] > 1e-3 else None


def _refining(
    candidates: Sequence[Point], names: Sequence[str], judged: Sequence[Judged], spread: NDArray[np.float64]
) -> Point | None:
    """The reading after which the error of the worst known oscillator that is off stands best; None where all stand well."""
    off = [i for i, j in enumerate(judged) if j.p_off > SURE and j.std_hz > FINE_HZ]
    if not off or not candidates:
        return None
    at = max(off, key=lambda i: judged[i].std_hz)
    rows = np.array([row_of(p, names) for p in candidates])
    shared = rows @ spread[:, at]
    gained = (
        shared**2
        / (np.einsum("ci,ij,cj->c", rows, spread, rows) + _GATE_HZ**2)
        / np.array([p.cost for p in candidates])
    )
    best = int(np.argmax(gained))
    return candidates[best] if gained[best] > 0.05 * spread[at, at] else None


def cannot_tell(sources: Sequence[Source], points: Sequence[Point]) -> tuple[tuple[tuple[str, int], ...], ...]:
    """Exact combinations of oscillators (and the timebase) that leave every one of these readings as it is.

    The timebase counts in ppm of each nominal frequency, taken to whole Hz.
    """
    names = [s.id for s in sources]
    rows = []
    for point in points:
        terms = dict(point.terms)
        rows.append([*(terms.get(n, Fraction(0)) for n in names), Fraction(-round(point.hz), 10**6)])
    return tuple(
        tuple((name, k) for name, k in zip([*names, "timebase"], vector, strict=True) if k)
        for vector in null_space(rows, len(names) + 1)
    )
