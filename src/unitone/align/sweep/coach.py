"""The sweep coach: a hand turns a core steadily, ten readings a second come, and it is told when to turn back, and when to stop.

No angle is known. While the hand moves steadily, time stands in for it: over a pass the reading follows the
tuned circuit, y = H − 10·log10(1 + ((t − t₀)/τ)²) in decibels of signal, so that the height H of the
top is fitted over all readings of the pass and not just remembered. On the slow way back the same law, with H
known, tells from the flank how many half-widths are left (one reading 3 dB down is one half-width away), and when to
say "stop" ahead of the hand's reaction. The rest reading has the last word: it is held against H, and
the hand is sent on, or back, until nothing is left to gain.

A core that goes through the middle of its winding has a second peak as high as the first, and the outer one is the right one. A pass never
comes that far: once a peak is found, the hand is sent outwards over it when somebody asks for that.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: What the hand is told. ``too strong`` is said by who knows the level; the others say what they are.
Code = Literal[
    "hold",
    "turn",
    "rising",
    "back",
    "slowly back",
    "straight back",
    "stop",
    "wait",
    "on a little",
    "back a little",
    "peaked",
    "at stop",
    "no effect",
    "outwards",
    "second peak",
    "no second peak",
    "too strong",
]

#: The start is read at rest for so long, and so is the end (seconds).
_BASE_S, _REST_S = 0.8, 1.2
#: From "stop" until a hand stands still, and until it moves after "turn" (seconds).
_REACTION_S = 0.35
_STANDS_S = 0.55
#: Readings that are averaged for the eye of the coach.
_SMOOTH = 5
#: A top counts as passed this far below it (dB), or by so many spreads of the smoothed reading where that is more.
_PASSED_DB, _PASSED_SPREADS = 1.0, 3.5
#: A reading that has not moved for so long while the core was turned is one that the core does not move.
_FLAT_S = 16.0
#: Seconds (of so many readings) differ by less than so many of their own spreads where nothing happens.
_SECOND, _FLAT_SPREADS = 10, 5.0
#: The law holds near the top; lower readings say less of it (dB).
_NEAR_DB = 3.5
#: A hill explains so much more of a pass than a level does (in squares of the noise).
_STANDS_OUT = 30.0
#: So slow is "slowly" against the pass before, as a hand takes it: its middle, and its spread (natural logarithm).
_SLOWER, _SLOWER_SPREAD = 3.0, 0.35
#: A core whose half-width takes so long to turn through is broad enough to be stopped in time without slowing down (seconds).
_BROAD_S = 7.0
#: The approach to a broader core than this (half-width in seconds) is looked at over longer, and averaged more.
_USUAL_S = 10.0
#: After so long a slow way back that still falls is one away from the top (seconds).
_TURNED_ROUND_S = 3.0
#: What going on has to be worth (dB, in the mean of all that may be), and how often it is brought nearer.
_WORTH_DB, _MOST_NUDGES = 0.04, 2
#: So far under the top (dB), beyond all doubt, nothing is brought nearer by little.
_FAR_DB = 0.4
#: Readings of the approach are forgotten over so long (seconds).
_MEMORY_S = 3.0
#: Outwards of a peak a second one is looked for over so many of its half-widths, and for so long at least and at most (seconds).
_BEYOND_WIDTHS, _BEYOND_S = 14.0, (8.0, 90.0)
#: A second hill this much lower than the first (dB) is no peak of the same circuit.
_LOWER_DB = 3.0
#: Half-widths to go are looked for on this grid when the hand stands.
_U = np.linspace(-1.6, 1.6, 129)
#: How surely a hand stops where it was meant to (half-widths), as a kernel on the grid.
_WANDER = np.exp(-0.5 * (np.linspace(-0.25, 0.25, 21) / 0.07) ** 2)


@dataclass(frozen=True)
class Said:
    """What the coach says now: the code, how far the reading stands under the top (dB), the top, and what was gained since the start.

    ``count`` goes up with every command to the hand, the same one twice in a row, too.
    """

    code: Code
    below_db: float = 0.0
    top_db: float | None = None
    gained_db: float = 0.0
    count: int = 0


@dataclass(frozen=True)
class PassFit:
    """The top of a pass: height (dB) with its spread, when it was passed, and the half-width in seconds of turning."""

    height: float
    std: float
    at: float
    tau: float


def fit_pass(t: Floats, y: Floats, noise: float) -> PassFit:
    """The tuned circuit over one pass, shapes (n,) both; ``noise``: spread of a reading (dB)."""
    top = float(np.max(np.convolve(y, np.ones(3) / 3, "valid"))) if y.size >= 3 else float(y.max())
    near = y > top - _NEAR_DB
    tn, yn = t[near], y[near]
    span = max(float(t[-1] - t[0]), 0.5)
    at = np.linspace(t[0], t[-1], 81)[:, None, None]
    tau = np.geomspace(0.08, 2.0, 22)[None, :, None] * span
    curve = -10.0 * np.log10(1.0 + ((tn[None, None, :] - at) / tau) ** 2)
    height = (yn - curve).mean(axis=2)
    left = ((yn - curve - height[:, :, None]) ** 2).sum(axis=2)
    weight = np.exp(-0.5 * (left - left.min()) / noise**2)
    weight /= weight.sum()
    mean = float((weight * height).sum())
    spread = math.sqrt(float((weight * (height - mean) ** 2).sum()) + noise**2 / max(yn.size, 1))
    return PassFit(
        mean, spread, float((weight * at[:, :, 0]).sum()), float(np.exp((weight * np.log(tau[:, :, 0])).sum()))
    )


def stands_out(t: Floats, y: Floats, noise: float) -> bool:
    """Is there a hill in this pass, beyond what noise makes of a level that does not move? Shapes (n,) both."""
    fit = fit_pass(t, y, noise)
    curve = fit.height - 10.0 * np.log10(1.0 + ((t - fit.at) / fit.tau) ** 2)
    near = curve > fit.height - 2.0 * _NEAR_DB
    flat, hill = y[near] - y[near].mean(), y[near] - curve[near]
    return float((flat**2).sum() - (hill**2).sum()) > _STANDS_OUT * noise**2


class SweepCoach:
    """One core. ``take`` every reading (seconds, dB of signal); what it returns is what the hand is told from then on.

    ``noise``: spread of a reading (dB), as the meter is known to have it; what the rest at the start shows is taken along.
    """

    def __init__(self, noise: float = 0.35, reaction_s: float = _REACTION_S) -> None:
        self.noise, self._reaction = noise, reaction_s
        self._t: list[float] = []
        self._y: list[float] = []
        self._state: Literal["base", "pass", "approach", "nudge", "rest", "beyond", "over"] = "base"
        self._from = 0
        self._base = 0.0
        self._fit: PassFit | None = None
        self._said: Code = "hold"
        self._until = 0.0
        #: Where the hand stands (half-widths before the top), as a distribution over the grid.
        self._where: Floats | None = None
        self._nudges = 0
        self._tau = 1.0
        #: How many times slower the way back is than the pass, and how much longer it is looked at than usual.
        self._slower, self._longer = _SLOWER, 1.0
        self._lowest = 0
        self._turning = 0.0
        self._count = 0
        self._stops = self._again = 0
        #: Was a second peak looked for; does it rise; is the hand on its way back to the first?
        self._looked = self._rises = self._returns = False

    @property
    def said(self) -> Said:
        """What holds now."""
        if not self._y:
            return Said("hold", count=0)
        now = self._smooth()
        top = self._fit.height if self._fit is not None else None
        return Said(self._said, max((top or now) - now, 0.0), top, now - self._base, self._count)

    def take(self, seconds: float, height_db: float) -> Said:
        """One reading more."""
        self._t.append(seconds)
        self._y.append(height_db)
        getattr(self, f"_{self._state}_step")(seconds)
        return self.said

    @property
    def over(self) -> bool:
        """Is there nothing more to say?"""
        return self._state == "over"

    def felt_stop(self) -> Said:
        """The core is at its stop: still rising there, or the way back is the way to go; the second stop without an effect says that it has none."""
        if self._state == "approach":
            self._begin_approach()
        elif self._state == "beyond":
            self._return(self._t[-1])
        elif self._state == "pass":
            if self._has_risen():
                self._said, self._state = "at stop", "over"
            elif self._stops and self._is_flat():
                self._said, self._state = "no effect", "over"
            else:
                self._stops += 1
                self._begin_pass("back", self._t[-1])
        return self.said

    def _has_risen(self) -> bool:
        """Does the last second of this pass stand clearly over its lowest?"""
        y = np.array(self._y[self._from :])
        if y.size < 2 * _SECOND:
            return False
        seconds = y[y.size % _SECOND :].reshape(-1, _SECOND).mean(axis=1)
        return float(seconds[-1] - seconds.min()) > max(0.7 * self._margin, 6.0 * self.noise / math.sqrt(_SECOND))

    def _smooth(self) -> float:
        return float(np.mean(self._y[-_SMOOTH:]))

    def _smoothed(self, since: int, n: int = _SMOOTH) -> Floats:
        y = np.array(self._y[since:])
        return np.convolve(y, np.ones(n) / n, "valid") if y.size >= n else y[:0]

    @property
    def _margin(self) -> float:
        return max(_PASSED_DB, _PASSED_SPREADS * self.noise / math.sqrt(_SMOOTH))

    def _base_step(self, now: float) -> None:
        if now - self._t[0] < _BASE_S:
            return
        self._base = float(np.mean(self._y))
        if len(self._y) >= 5:
            # Eight readings say little by themselves: what the meter is known to have counts as twelve.
            seen = float(np.var(self._y, ddof=1))
            self.noise = math.sqrt((12.0 * self.noise**2 + (len(self._y) - 1) * seen) / (11.0 + len(self._y)))
        self._begin_pass("turn", now)

    def _begin_pass(self, code: Code, now: float) -> None:
        self._state, self._from, self._turning = "pass", len(self._y) - 1, now
        self._tell(code)

    def _tell(self, code: Code) -> None:
        """A command to the hand."""
        self._said = code
        self._count += 1

    def _pass_step(self, now: float) -> None:
        s = self._smoothed(self._from)
        if s.size < 2:
            return
        top = float(s.max())
        if s[-1] < top - self._margin:
            # Did this pass go over a top, or down from where it began?
            rose = top - float(s[: int(s.argmax()) + 1].min())
            if rose > self._margin:
                t, y = np.array(self._t[self._from :]), np.array(self._y[self._from :])
                if not stands_out(t, y, self.noise):
                    return
                fit = fit_pass(t, y, self.noise)
                if self._returns and self._fit is not None and fit.height < self._fit.height - _LOWER_DB:
                    # The lower hill on the way back.
                    self._from = len(self._y) - 1
                    return
                self._take_top(fit)
            elif self._returns:
                self._from = len(self._y) - 1
            else:
                self._begin_pass("back", now)
            return
        if s[-1] > float(s.min()) + self._margin:
            self._said = "rising"
        elif now - self._turning > _FLAT_S and self._is_flat() and not self._returns:
            self._said, self._state = "no effect", "over"

    def _take_top(self, fit: PassFit) -> None:
        """A top was passed: back to it."""
        self._fit = fit
        self._slower = 1.0 if fit.tau > _BROAD_S else _SLOWER
        self._tau = fit.tau * self._slower
        self._longer = max(1.0, self._tau / _USUAL_S)
        self._begin_approach()

    # -- a second peak ----------------------------------------------------------------------------

    @property
    def can_look(self) -> bool:
        """Is a peak found, and was none looked for beyond it?"""
        return self._state == "over" and self._said == "peaked" and not self._looked

    def look_beyond(self) -> Said:
        """Outwards over the peak that was found; nothing where ``can_look`` says no."""
        if self.can_look:
            self._looked, self._where = True, None
            self._nudges = self._again = 0
            self._state, self._from, self._turning = "beyond", len(self._y) - 1, self._t[-1]
            self._lowest = self._from
            self._tell("outwards")
        return self.said

    def _beyond_step(self, now: float) -> None:
        assert self._fit is not None
        s = self._smoothed(self._from)
        if s.size < 2:
            return
        if not self._rises:
            self._lowest = self._from + int(s.argmin())
            if s[-1] > float(s.min()) + self._margin and self._fit.height - float(s.min()) > self._margin:
                self._rises, self._said = True, "second peak"
            elif now - self._turning > float(np.clip(_BEYOND_WIDTHS * self._fit.tau, *_BEYOND_S)):
                self._return(now)
            return
        risen = self._smoothed(self._lowest)
        if risen.size and risen[-1] < float(risen.max()) - self._margin:
            t, y = np.array(self._t[self._lowest :]), np.array(self._y[self._lowest :])
            fit = fit_pass(t, y, self.noise)
            if stands_out(t, y, self.noise) and fit.height > self._fit.height - _LOWER_DB:
                self._take_top(fit)
            else:
                self._return(now)

    def _return(self, now: float) -> None:
        """There is none, or a lower one: the first is passed once more, and taken."""
        self._returns = True
        self._begin_pass("no second peak", now)

    def _is_flat(self) -> bool:
        """Do seconds of this pass differ by no more than noise makes them?"""
        y = np.array(self._y[self._from :])
        if y.size < 2 * _SECOND:
            return False
        means = y[: y.size // _SECOND * _SECOND].reshape(-1, _SECOND).mean(axis=1)
        return float(np.ptp(means)) < _FLAT_SPREADS * self.noise / math.sqrt(_SECOND)

    # -- the slow way back ----------------------------------------------------------------------

    def _begin_approach(self) -> None:
        self._state, self._from = "approach", len(self._y) - 1
        self._lowest = self._from
        self._tell("straight back" if self._slower == 1.0 else "slowly back")

    def _approach_step(self, now: float) -> None:
        assert self._fit is not None
        over = round(_SMOOTH * self._longer)
        s = self._smoothed(self._from, over)
        if s.size < 2:
            return
        fell = s[-1] < float(s.max()) - self._margin and int(s.argmin()) >= s.size - over
        if fell and now - self._t[self._from] > _TURNED_ROUND_S and self._fit.height - s[-1] > 1.5 * self._margin:
            # The hand was still before the top when it turned round, and has gone over it by now.
            self._begin_approach()
            return
        # The reading still falls while the hand turns round and takes up the play.
        self._lowest = self._from + int(s.argmin())
        risen = s[-1] - float(s.min())
        if risen < 2.5 * self.noise / math.sqrt(over):
            return
        to_go, _ = self._to_go(now)
        passed = float(s[int(s.argmin()) :].max()) - s[-1]
        if to_go <= self._reaction or passed > 0.6 or (self._fit.height - s[-1] < 0.1 and passed > 0.2):
            self._stop(now)

    def _stop(self, now: float) -> None:
        self._state, self._until = "rest", now + _STANDS_S + _REST_S
        self._tell("stop")

    def _posterior(self, now: float) -> tuple[Floats, Floats, Floats]:
        """(weights, when the top is met, half-width in seconds) of this approach, on a grid."""
        assert self._fit is not None
        t, y = np.array(self._t[self._lowest :]), np.array(self._y[self._lowest :])
        kept = round(60 * self._longer)
        t, y = t[-kept:], y[-kept:]
        at = (now + self._longer * np.linspace(-2.0, 6.0, 65))[:, None, None]
        tau = (self._fit.tau * self._slower * np.geomspace(0.4, 2.3, 13))[None, :, None]
        curve = -10.0 * np.log10(1.0 + ((t[None, None, :] - at) / tau) ** 2)
        # The top is known from the pass before; what the law misses on the flanks is allowed for.
        spread = np.sqrt(self.noise**2 + (0.05 * curve) ** 2)
        rest = y - curve - self._fit.height
        # Speed wanders: what was read long ago says less of how far it is now.
        memory = np.exp((t - now) / (_MEMORY_S * self._longer))
        w = memory / spread**2
        n, s1 = w.sum(axis=2), (w * rest).sum(axis=2)
        shift = s1 / (n + 1.0 / self._fit.std**2)
        left = (w * (rest - shift[:, :, None]) ** 2).sum(axis=2) + (shift / self._fit.std) ** 2
        left += 2.0 * (memory * np.log(spread)).sum(axis=2)
        prior = (np.log(tau[:, :, 0] / (self._fit.tau * self._slower)) / _SLOWER_SPREAD) ** 2
        weight = np.exp(-0.5 * (left + prior - (left + prior).min()))
        return weight / weight.sum(), at[:, 0, 0], tau[0, :, 0]

    def _to_go(self, now: float) -> tuple[float, float]:
        """(seconds until the top, half-width in seconds) by all that this approach has shown."""
        weight, at, tau = self._posterior(now)
        self._tau = float(np.exp((weight.sum(axis=0) * np.log(tau)).sum()))
        return float((weight.sum(axis=1) * at).sum()) - now, self._tau

    # -- at rest -----------------------------------------------------------------------------------

    def _rest_step(self, now: float) -> None:
        self._said = "wait" if self._said != "stop" or now > self._until - _REST_S else "stop"
        if now < self._until:
            return
        assert self._fit is not None
        n = sum(1 for t in self._t if t > now - _REST_S)
        mean, std = float(np.mean(self._y[-n:])), self.noise / math.sqrt(n)
        if self._fit.height - mean > _FAR_DB + 3.0 * math.hypot(self._fit.std, std) and self._again < _MOST_NUDGES:
            # Nowhere near: it is looked for once more, from the other side.
            self._again += 1
            self._nudges, self._where = 0, None
            self._begin_approach()
            return
        if self._where is None:
            # The hand had stopped a reaction after it was told: where that was, by the approach's own law.
            stood = self._until - _REST_S - _STANDS_S + self._reaction
            weight, at, tau = self._posterior(stood)
            u = ((at[:, None] - stood) / tau[None, :]).ravel()
            found = np.bincount(
                np.clip(np.round((u - _U[0]) / (_U[1] - _U[0])), 0, _U.size - 1).astype(int), weight.ravel(), _U.size
            )
            self._where = _spread(found.astype(np.float64))
        # The top's height is not known for certain: what rests higher than it says so.
        doubt = math.hypot(self._fit.std, std)
        where = self._where * np.exp(-0.5 * ((mean - self._fit.height + _loss(_U)) / doubt) ** 2)
        where /= where.sum()
        # What would be won by going there, in the mean of all that may be.
        moved = _loss(np.subtract.outer(_U, _U))
        expected: Floats = moved.T @ where
        best = int(expected.argmin())
        gain = float((where * _loss(_U)).sum()) - float(expected[best])
        if gain < _WORTH_DB or self._nudges >= _MOST_NUDGES:
            self._state, self._said = "over", "peaked"
            return
        self._nudges += 1
        further = float(_U[best])
        self._where = _spread(np.interp(_U + further, _U, where, 0.0, 0.0))
        self._state = "nudge"
        self._tell("on a little" if further > 0 else "back a little")
        self._until = now + max(0.15, abs(further) * self._tau)

    def _nudge_step(self, now: float) -> None:
        if now >= self._until:
            self._stop(now)


def _loss(u: Floats) -> Floats:
    """What a circuit loses (dB) so many half-widths from its top."""
    made: Floats = 10.0 * np.log10(1.0 + u**2)
    return made


def _spread(where: Floats) -> Floats:
    """A distribution over the grid after a hand has moved, as surely as hands do."""
    made: Floats = np.convolve(where, _WANDER, "same") + 1e-9
    return made
