"""A hand that turns a core without stopping while a meter is read ten times a second: for proofs of the sweep coach.

The circuit is that of ``one_adjuster``, with noise from reading to reading and no lag; the hand has a
speed that wanders, a reaction time, and play. It knows only what it is told.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from unitone.simulator.mechanics import stream
from unitone.simulator.one_adjuster import Class, Made, Single

#: Between two readings (seconds).
TICK_S = 0.1
#: Inside a tick the hand is moved so often.
_FINE = 4
#: "Slowly", as a share of the usual speed.
_SLOW = 1.0 / 3.0


@dataclass(frozen=True)
class Hand:
    """Turns a second, reaction (seconds) and its spread, and which way it begins."""

    speed: float
    reaction_s: float
    reaction_std_s: float
    way: int


def sweep_made(kind: Class, seed: int) -> tuple[Made, Hand]:
    """The core and the hand of ``seed``: widths 0.2 to 2 turns, speeds 0.05 to 0.4 turns a second with the wider cores turned faster,
    reaction 0.2 to 0.5 s, noise of SINAD over a tenth of a second, half of them beginning the wrong way."""
    rng = stream(seed, f"sweep {kind}")
    width = float(np.exp(rng.uniform(math.log(0.2), math.log(2.0))))
    # Nobody turns a sharp core as fast as a broad one: what counts is half-widths a second.
    speed = float(np.clip(width * np.exp(rng.uniform(math.log(0.2), math.log(0.7))), 0.05, 0.4))
    side = 1.0 if rng.random() < 0.5 else -1.0
    off = side * width * rng.uniform(0.2, 2.5)
    travel = rng.uniform(5.0, 9.0)
    low, high = min(0.0, off) - 0.3 * travel, max(0.0, off) + 0.3 * travel
    if kind == "no-peak":
        stop = side * width * rng.uniform(0.5, 2.0)
        low, high = (stop - travel, stop) if side > 0 else (stop, stop + travel)
        off = stop + side * width * rng.uniform(0.5, 2.0)
    second = 3.0
    if kind == "two-peaks":
        # Narrow enough for two, both inside the travel; found on either side of the ridge between them.
        narrow = 0.2 + 0.35 * (width - 0.2) / 1.8
        width, speed = narrow, float(np.clip(speed * narrow / width, 0.05, 0.4))
        second = float(rng.uniform(2.5, 4.0))
        off = float(rng.uniform(-1.0, second + 1.0))
        low, high = off - second - rng.uniform(0.8, 2.0), max(0.0, off) + rng.uniform(0.8, 2.0)
        low = min(low, -0.3)
    noise, play = rng.uniform(0.25, 0.45), rng.uniform(0.0, 1 / 24)
    made = Made(
        kind, float(off), width, float(low), float(high), float(noise), 1e-3, float(play), math.inf, 0.1, second
    )
    wrong = rng.random() < 0.5
    return made, Hand(speed, rng.uniform(0.2, 0.5), 0.08, int(-side if wrong else side))


class Motion:
    """How a hand moves by what it is told: after its reaction time, at a speed that wanders."""

    def __init__(self, hand: Hand, rng: np.random.Generator) -> None:
        self._hand, self._rng = hand, rng
        self.seconds = 0.0
        self._way, self._share = 0.0, 1.0
        self._last_way = float(hand.way)
        self._pending: list[tuple[float, float, float]] = []
        self._wander = 0.0

    def tell(self, what: str) -> None:
        """``turn``, ``back``, ``slowly back``, ``on a little``, ``back a little``, ``outwards``, ``stop``: done after the reaction time."""
        after = self.seconds + max(
            self._hand.reaction_s + self._hand.reaction_std_s * float(self._rng.standard_normal()), 0.1
        )
        # Outwards is anticlockwise, whichever way the hand came.
        ways = {"turn": float(self._hand.way), "stop": 0.0, "on a little": self._last_way, "outwards": -1.0}
        way = ways.get(what, -self._last_way)
        share = (
            _SLOW * float(np.exp(0.15 * self._rng.standard_normal()))
            if what in ("slowly back", "on a little", "back a little")
            else 1.0
        )
        if way:
            self._last_way = way
        self._pending.append((after, way, share))

    def move(self, seconds: float) -> float:
        """So much time passes; the turns that the hand makes in it, clockwise positive."""
        self.seconds += seconds
        while self._pending and self.seconds >= self._pending[0][0]:
            _, self._way, self._share = self._pending.pop(0)
        self._wander += -self._wander * seconds / 1.5 + 0.2 * math.sqrt(2 * seconds / 1.5) * float(
            self._rng.standard_normal()
        )
        return self._way * self._hand.speed * self._share * math.exp(self._wander) * seconds


class SweepingHand:
    """The core in a hand. ``tell`` what it is to do; ``tick`` lets a tenth of a second pass and gives the reading."""

    def __init__(self, made: Made, hand: Hand, seed: int) -> None:
        self.core = Single(made, seed)
        self._rng = stream(seed, "sweeping hand")
        self._motion = Motion(hand, self._rng)
        self.tell = self._motion.tell
        self.at_stop = False

    @property
    def seconds(self) -> float:
        """Since the hand began."""
        return self._motion.seconds

    def tick(self) -> float:
        """A tenth of a second passes; the reading at its end (dB)."""
        total = 0.0
        for _ in range(_FINE):
            turned = self._motion.move(TICK_S / _FINE)
            if turned:
                self.at_stop = self.core.turn_to(self.core.hand + turned)
            total += self.core.output_db(self.core.core, 0.0)
        # The meter averages over its tenth of a second.
        return total / _FINE + self.core.made.noise * float(self._rng.standard_normal())

    @property
    def on_outer(self) -> bool:
        """Of two peaks, does the core stand by the outer one, anticlockwise of the ridge between them?"""
        made = self.core.made
        return made.kind == "two-peaks" and self.core.core < made.top - made.second / 2.0

    @property
    def loss_db(self) -> float:
        """What is lost against the best that it can pass inside its travel (dB)."""
        made = self.core.made
        best = self.core.signal_db(min(max(made.top, made.low), made.high))
        return best - self.core.signal_db(self.core.core)
