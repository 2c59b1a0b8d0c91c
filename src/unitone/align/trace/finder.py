"""Which stage is bad, and which test to do next.

A generator fed into the input of a stage needs some level for standard output. Is a stage from there on weak or dead, it needs more, by
what that stage has lost; what lies before the point does not matter, nor does what lies behind the place that is watched (an S-meter, a
probe). Every hypothesis (nothing wrong; one stage, or two, with what each has lost) foretells how much more each point needs; what is read
says how well it does. The next test is the one that, for its trouble, is expected to tell most about which stages are bad: the entropy of
that, in bits, before and after, over every answer that may come.

The levels that a sheet expects are those of another specimen: they lie a few decibels off, point by point, always the same there. To repeat a
reading at one point does not help; a neighbouring point does. Circuits that are only out of line lose a little each, and every point before
them sees that loss: what points have in common is told by their covariance, so that a deficit that grows slowly is no broken stage.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from unitone.errors import EntryError
from unitone.words import tr

Floats = NDArray[np.float64]
Way = Literal["inject", "volts", "look", "signal", "parts"]
#: What can be asked for; ``parts`` is only told: every part of a stage was checked.
WAYS: tuple[Way, ...] = ("inject", "volts", "look", "signal")

#: How far a level that the sheet expects lies off on this specimen (dB, standard), and how well a level is read.
_SPECIMEN_DB, _READ_DB = 4.0, 1.0
_NOISE_DB2 = _SPECIMEN_DB**2 + _READ_DB**2
#: A reading further off than this is no matter of circuits out of line (dB).
_FAR_DB = 15.0
#: What a weak stage may have lost (dB), and a dead one.
_DROPS_DB: tuple[float, ...] = (10.0, 15.0, 20.0, 26.0, 33.0, 41.0, 50.0, 60.0)
_DEAD_DB = 200.0
#: A stage that fails is dead in so many cases; the rest share its weakened states.
_DEAD_SHARE = 0.5
#: Two bad stages are so rare against one; and nothing wrong at all.
_TWO_SHARE, _NOTHING_SHARE = 0.04, 0.02
#: An answer that fits nothing: a slip of the hand, a lead that fell off.
_OUTLIER = 0.02
#: Answers of an injection are told apart this finely when a test is weighed (dB).
_BIN_DB = 4.0
_BINS = np.arange(-14.0, 74.0, _BIN_DB)
#: Of bad stages so many show it in their voltages, or to the eye; of good ones so many seem to.
#: A signal that is not there at a stage's own point says the same as much as volts do: an oscillator's is one of its faults.
_SHOWS: Mapping[Way, tuple[float, float]] = {
    "volts": (0.75, 0.05), "look": (0.35, 0.03), "signal": (0.3, 0.02),
    "parts": (0.98, 0.02),
}  # fmt: skip
#: From here on a stage is named without further tests.
SURE = 0.95


@dataclass(frozen=True)
class ChainStage:
    """One stage of a chain, in the order in which the signal passes: its prior weight (how often it is the bad one, against the others),
    and the trouble of each test at it (1 is an injection at a point that lies open). A way that is not there cannot be tested."""

    id: str
    weight: float = 1.0
    trouble: Mapping[Way, float] | None = None
    #: The last stage before the place that is watched while a generator feeds this one; empty: the output.
    until: str = ""
    #: What its circuits may have lost by being out of line (dB, standard): that is no fault.
    detuned_db: float = 0.0

    def trouble_of(self, way: Way) -> float | None:
        """None where that test cannot be done here."""
        if self.trouble is None:
            return {"inject": 1.0, "volts": 1.3, "look": 0.5}.get(way)
        return self.trouble.get(way)


@dataclass(frozen=True)
class Told:
    """What one test showed at a stage. Injection: ``excess_db`` over the level expected there, None where no level was enough (then
    ``most_db`` is how much was tried), watched behind stage ``until`` (empty: as the chain says). The rest: ``wrong``."""

    stage: str
    way: Way
    excess_db: float | None = None
    most_db: float = 60.0
    wrong: bool = False
    until: str = ""


@dataclass(frozen=True)
class Test:
    """A test that could be done next: where, how, its trouble, what it is expected to tell (bits)."""

    stage: str
    way: Way
    trouble: float
    bits: float

    @property
    def worth(self) -> float:
        """Bits for the trouble."""
        return self.bits / self.trouble


@dataclass(frozen=True)
class Suspect:
    """A stage with how likely it is bad, and what it is then likely to have lost (dB; None: dead)."""

    stage: str
    probability: float
    lost_db: float | None


class Finder:
    """The state of a search. ``tell`` it what was found; ``suspects`` and ``next_test`` follow from everything told."""

    def __init__(
        self, chain: Sequence[ChainStage], told: Sequence[Told] = (), sound: float = _NOTHING_SHARE, probed: bool = False
    ) -> None:  # fmt: skip
        """``probed``: the signal starts at the first stage, and a probe goes from output to output (a transmitter).
        ``sound``: how likely nothing is wrong before anything is told: little for a radio with a complaint, much after a repair."""
        if len(chain) < 2:
            raise EntryError(tr("A chain has two stages at the least."))
        self.chain = tuple(chain)
        self._place = {s.id: n for n, s in enumerate(self.chain)}
        if len(self._place) != len(self.chain):
            raise EntryError(tr("Two stages of the chain have the same name."))
        self._until = [self._place.get(s.until, len(self.chain) - 1) for s in self.chain]
        self.lost, self.bad, prior = _hypotheses([s.weight for s in self.chain], sound)
        self._probed = probed
        self._prior = np.log(prior)
        self._log = self._prior
        self._drift = np.array([s.detuned_db**2 for s in self.chain])
        self.told: list[Told] = []
        for one in told:
            self._take(one)
        self._weigh()

    # -- what is known ------------------------------------------------------------------------------

    def tell(self, told: Told) -> None:
        """One finding more. Injected twice at one point, the later reading stands: the specimen is what it is."""
        self._take(told)
        self._weigh()

    def _take(self, told: Told) -> None:
        if told.stage not in self._place:
            raise EntryError(tr("The chain has no stage {name!r}.", name=told.stage))
        if told.way == "inject":
            same = (told.stage, told.way, told.until)
            self.told = [t for t in self.told if (t.stage, t.way, t.until) != same]
        self.told.append(told)

    def _weigh(self) -> None:
        """Every hypothesis by all that was told, one finding after the other."""
        self._log = self._prior.copy()
        before: list[Told] = []
        for told in self.told:
            self._log += self._likelihood(told, before)
            if told.way == "inject" and told.excess_db is not None:
                before.append(told)

    def _span(self, told: Told) -> tuple[int, int]:
        """The stages that a signal passes: first and last."""
        at = self._place[told.stage]
        if self._probed:
            return 0, at
        return at, self._place[told.until] if told.until else self._until[at]

    def _excess(self, first: int, last: int) -> Floats:
        """How much more a point needs by each hypothesis (dB), shape (hypotheses,): what is lost from there to where it is watched."""
        return np.asarray(self.lost[:, first : last + 1].sum(axis=1), np.float64)

    def _common(self, one: tuple[int, int], other: tuple[int, int]) -> float:
        """What the readings of two spans have in common (dB²): the circuits out of line that both pass."""
        first, last = max(one[0], other[0]), min(one[1], other[1])
        return float(self._drift[first : last + 1].sum()) if first <= last else 0.0

    def _foretold(self, span: tuple[int, int], before: Sequence[Told]) -> tuple[Floats, float]:
        """(mean, standard) of a reading over ``span`` by each hypothesis (dB), after the readings before it."""
        mean, own = self._excess(*span), _NOISE_DB2 + self._common(span, span)
        if before:
            spans = [self._span(t) for t in before]
            shared = np.array([[self._common(a, b) for b in spans] for a in spans]) + _NOISE_DB2 * np.eye(len(spans))
            with_this = np.array([self._common(span, s) for s in spans])
            if with_this.any():
                gain = np.linalg.solve(shared, with_this)
                # A reading that fits a hypothesis in no way says nothing of how far its circuits are out of line.
                off = np.stack(
                    [
                        np.clip(float(t.excess_db or 0.0) - self._excess(*s), -_FAR_DB, _FAR_DB)
                        for t, s in zip(before, spans, strict=True)
                    ]
                )
                mean, own = mean + gain @ off, own - float(gain @ with_this)
        return mean, math.sqrt(own)

    def _likelihood(self, told: Told, before: Sequence[Told]) -> Floats:
        """Logarithms, shape (hypotheses,)."""
        if told.way != "inject":
            shows, seems = _SHOWS[told.way]
            chance = np.where(self.bad[:, self._place[told.stage]], shows, seems)
            return np.asarray(np.log(chance if told.wrong else 1.0 - chance), np.float64)
        mean, spread = self._foretold(self._span(told), before)
        # "No level is enough" is the tail from there on.
        tail = told.excess_db is None
        off = (mean - (told.most_db if told.excess_db is None else told.excess_db)) / spread
        fits = ndtr(off) if tail else np.exp(-0.5 * off**2) / spread
        # Answers that fit nothing are spread over the whole range.
        return np.asarray(np.log((1.0 - _OUTLIER) * fits + _OUTLIER / 100.0), np.float64)

    @property
    def weights(self) -> Floats:
        """Probability of each hypothesis, shape (hypotheses,)."""
        made = np.exp(self._log - self._log.max())
        return np.asarray(made / made.sum(), np.float64)

    @property
    def suspects(self) -> tuple[Suspect, ...]:
        """Every stage, the likeliest first; with two bad ones both stand at the top."""
        w = self.weights
        found = []
        for at, stage in enumerate(self.chain):
            mine = self.bad[:, at] * w
            total = float(mine.sum())
            lost = self.lost[:, at]
            dead = float(mine[lost >= _DEAD_DB].sum())
            weak = mine * (lost < _DEAD_DB)
            mean = float((weak * lost).sum() / weak.sum()) if weak.sum() > 0 else 0.0
            found.append(Suspect(stage.id, total, None if dead > 0.5 * total else mean))
        return tuple(sorted(found, key=lambda s: -s.probability))

    @property
    def nothing_wrong(self) -> float:
        """How likely the chain is sound."""
        return float(self.weights[0])

    @property
    def two_faults(self) -> float:
        """How likely two stages are bad."""
        return float(self.weights[self.bad.sum(axis=1) > 1].sum())

    @property
    def breaks(self) -> Floats:
        """How likely each stage is the break, the last one that is bad, nearest the output; the last figure is that none is. Shape
        (stages + 1,). What is bad before a dead stage cannot be seen: the break is repaired first, and the ladder measured again."""
        return np.asarray(np.bincount(self._break_of, self.weights, len(self.chain) + 1), np.float64)

    @property
    def found(self) -> str:
        """The stage at the break as far as it is known: the likeliest. Empty for a chain that is sound."""
        best = int(self.breaks.argmax())
        return self.chain[best].id if best < len(self.chain) else ""

    @property
    def confidence(self) -> float:
        """How sure that is."""
        return float(self.breaks.max())

    @property
    def sure(self) -> bool:
        """Is it known well enough to put the generator aside?"""
        return self.confidence >= SURE

    @cached_property
    def _break_of(self) -> NDArray[np.intp]:
        """The bad stage of each hypothesis nearest to what is watched: the last, or with a probe the first. The number of stages where none is
        bad."""
        n = len(self.chain)
        if self._probed:
            return np.asarray(np.where(self.bad.any(axis=1), np.argmax(self.bad, axis=1), n), np.intp)
        last = n - 1 - np.argmax(self.bad[:, ::-1], axis=1)
        return np.asarray(np.where(self.bad.any(axis=1), last, n), np.intp)

    def contradictions(self) -> tuple[Told, ...]:
        """Findings that the likeliest hypothesis does not foretell: a slip, or more wrong than was thought."""
        best = int(self.weights.argmax())
        odd = []
        for told in self.told:
            if told.way == "inject":
                span = self._span(told)
                away, spread = float(self._excess(*span)[best]), math.sqrt(_NOISE_DB2 + self._common(span, span))
                off = (
                    (away < told.most_db - 3 * spread)
                    if told.excess_db is None
                    else abs(told.excess_db - away) > 3 * spread
                )
                if off:
                    odd.append(told)
            elif told.wrong and not self.bad[best, self._place[told.stage]]:
                odd.append(told)
        return tuple(odd)

    # -- what to do next ------------------------------------------------------------------------------

    def tests(self) -> tuple[Test, ...]:
        """Every test that was not done yet, the one that tells most for its trouble first."""
        done = {(t.stage, t.way) for t in self.told}
        of, labels = self._break_of, len(self.chain) + 1
        w = self.weights
        before = _bits(self.breaks)
        which = np.zeros((labels, w.size))
        which[of, np.arange(w.size)] = w
        found = []
        for at, stage in enumerate(self.chain):
            for way in WAYS:
                trouble = stage.trouble_of(way)
                if trouble is None or (stage.id, way) in done:
                    continue
                answers = self._answers(at) if way == "inject" else self._shown(at, way)
                joint = which @ answers
                chance = joint.sum(axis=0)
                within = joint / np.maximum(chance, 1e-300)
                after = -float((joint * np.log2(np.maximum(within, 1e-300))).sum())
                found.append(Test(stage.id, way, trouble, max(before - after, 0.0)))
        return tuple(sorted(found, key=lambda t: (-t.worth, t.trouble)))

    def next_test(self) -> Test | None:
        """The test that tells most for its trouble; None where nothing is left that tells anything."""
        return next((t for t in self.tests() if t.bits > 1e-3), None)

    def _answers(self, at: int) -> Floats:
        """How likely each answer of an injection is by each hypothesis, shape (hypotheses, bins + 1): the last is "no level is enough"."""
        before = [t for t in self.told if t.way == "inject" and t.excess_db is not None]
        mean, spread = self._foretold((0, at) if self._probed else (at, self._until[at]), before)
        edges = ndtr((_BINS[None, :] - mean[:, None]) / spread)
        inside = np.diff(edges, axis=1)
        made = np.concatenate((inside, 1.0 - inside.sum(axis=1, keepdims=True)), axis=1)
        return np.asarray((1.0 - _OUTLIER) * made + _OUTLIER / made.shape[1], np.float64)

    def _shown(self, at: int, way: Way) -> Floats:
        shows, seems = _SHOWS[way]
        chance = np.where(self.bad[:, at], shows, seems)
        return np.stack((chance, 1.0 - chance), axis=1)


def _bits(p: Floats) -> float:
    """Entropy (bits) of a distribution."""
    q = p[p > 1e-12]
    return float(-(q * np.log2(q)).sum())


def _hypotheses(weights: Sequence[float], sound: float) -> tuple[Floats, NDArray[np.bool_], Floats]:
    """(lost dB by stage, which stages are bad, prior) of every hypothesis; the first is that nothing is wrong."""
    n = len(weights)
    share = np.array(weights, float)
    if not np.all(share > 0):
        raise EntryError(tr("Every stage of the chain needs a weight above zero."))
    share = share / share.sum()
    drops = (*_DROPS_DB, _DEAD_DB)
    of_drop = [*([(1.0 - _DEAD_SHARE) / len(_DROPS_DB)] * len(_DROPS_DB)), _DEAD_SHARE]
    # The rest is shared by what may be wrong.
    rows, prior = [np.zeros(n)], [sound / (1.0 - sound)]
    for at in range(n):
        for db, p in zip(drops, of_drop, strict=True):
            row = np.zeros(n)
            row[at] = db
            rows.append(row)
            prior.append(float(share[at]) * p)
    # Of two, what each has lost is told coarsely: it is which ones that counts.
    few = (15.0, 30.0, 50.0, _DEAD_DB)
    for a, b in combinations(range(n), 2):
        for x in few:
            for y in few:
                row = np.zeros(n)
                row[a], row[b] = x, y
                rows.append(row)
                px = _DEAD_SHARE if x == _DEAD_DB else (1.0 - _DEAD_SHARE) / 3.0
                py = _DEAD_SHARE if y == _DEAD_DB else (1.0 - _DEAD_SHARE) / 3.0
                prior.append(_TWO_SHARE * 2.0 * float(share[a] * share[b]) * px * py)
    lost = np.array(rows)
    chance = np.array(prior)
    return lost, lost > 0.0, chance / chance.sum()
