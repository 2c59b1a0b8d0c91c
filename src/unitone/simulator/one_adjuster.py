"""One adjuster on its own, with the meter that shows it: for proofs of the peak coach over thousands of seeds.

A circuit of 1/(1+(2Q·Δf/f)²) whose frequency the core shifts, end stops, play in the thread, a needle that lags and dances, and a
receiver that may hold its output level. Nothing here knows how the coach thinks of a hill.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from unitone.radio.resonance import detuning, single_loss
from unitone.simulator.mechanics import stream

Class = Literal["normal", "no-peak", "dead", "too-strong", "broken", "two-peaks"]
CLASSES: tuple[Class, ...] = ("normal", "no-peak", "dead", "too-strong")
_CENTRE_HZ, _FLOOR_DB = 10.7e6, -38.0


@dataclass(frozen=True)
class Made:
    """What a seed made: the class, turns from where it was found to its top, half-width, stops (turns), and the meter.

    ``knee_db``: output (dB over the top's at the level as found) from which it is held; ``play`` from end to end of the thread.
    """

    kind: Class
    top: float
    width: float
    low: float
    high: float
    noise: float
    lag: float
    play: float
    knee_db: float
    ratio: float
    second: float


def make(kind: Class, seed: int) -> Made:
    """The adjuster of ``seed``: widths 0.3 to 2 turns, noise 0.2 to 0.5 dB, lag 0.3 to 1 s, play up to a sixteenth of a turn."""
    rng = stream(seed, f"adjuster {kind}")
    width = float(np.exp(rng.uniform(math.log(0.3), math.log(2.0))))
    noise, lag, play = rng.uniform(0.2, 0.5), rng.uniform(0.3, 1.0), rng.uniform(0.0, 1 / 16)
    # Three in four were turned a little, the fourth anyhow; a stop lies anywhere beyond.
    top = float(np.clip(rng.normal(0.0, 1.3), -4.5, 4.5) if rng.random() < 0.75 else rng.uniform(-4.0, 4.0))
    travel = rng.uniform(5.0, 9.0)
    low = min(0.0, top) - rng.uniform(0.05, 1.0) * max(travel - abs(top), 0.1)
    high = max(0.0, top) + rng.uniform(0.05, 1.0) * max(travel - abs(top), 0.1)
    if kind == "two-peaks":
        # Narrow enough for two: wider ones run together into one broad top.
        width = 0.3 + 0.4 * (width - 0.3) / 1.7
    if kind == "no-peak":
        beyond = rng.uniform(0.4, 3.0) * width
        side = 1.0 if rng.random() < 0.5 else -1.0
        stop = side * rng.uniform(0.0, 3.0)
        low, high = (-travel, stop) if side > 0 else (stop, travel)
        top = stop + side * beyond
    knee = math.inf if kind != "too-strong" else -rng.uniform(3.0, 25.0)
    ratio = rng.uniform(0.02, 0.45)
    return Made(kind, float(top), width, float(low), float(high), noise, lag, play, knee, ratio, rng.uniform(2.5, 4.0))


class Single:
    """The adjuster at work: the hand turns it, time passes, the needle is read."""

    def __init__(self, made: Made, seed: int) -> None:
        self.made = made
        self._rng = stream(seed, f"meter {made.kind}")
        self.hand = self._core = 0.0
        self._slipped = 0.0
        self.level_db = 0.0
        self._needle = self.output_db(self._core, 0.0)
        self.readings = 0

    @property
    def core(self) -> float:
        """Where the core itself stands (turns from where it was found): behind the hand by its play."""
        return self._core

    def signal_db(self, core: float) -> float:
        """What the circuit passes (dB under its top) with the core at ``core`` turns from where it was found."""
        made = self.made
        if made.kind == "dead":
            return -6.0
        hz_per_turn = 60e3
        q = _CENTRE_HZ / (2.0 * made.width * hz_per_turn)
        off = core + self._slipped - made.top
        if made.kind == "two-peaks":
            # The core goes through the middle of the winding: inductance falls again beyond it.
            off = (off * off + made.second * off) / made.second
        at = _CENTRE_HZ + off * hz_per_turn
        loss = single_loss(detuning(_CENTRE_HZ, at, q))
        return 10.0 * math.log10(1.0 / loss + 10.0 ** (_FLOOR_DB / 10.0))

    def output_db(self, core: float, level_db: float) -> float:
        """Needle at rest (dB): what passes at that level, held beyond the knee."""
        plain = self.signal_db(core) + level_db
        knee = self.made.knee_db
        return plain if plain <= knee else knee + self.made.ratio * (plain - knee)

    def turn_to(self, turns: float) -> bool:
        """The hand goes to ``turns`` from where it was found, as far as the stops let it; True where one was felt."""
        made = self.made
        wanted = min(max(turns, made.low), made.high)
        before = self.hand
        self.hand = wanted
        self._core = min(max(self._core, wanted - made.play / 2.0), wanted + made.play / 2.0)
        if made.kind == "broken" and abs(wanted - before) > 0.05:
            self._slipped += float(self._rng.choice([0.0, self._rng.normal(0.0, 0.7)]))
        return wanted != turns

    def read(self, waited_s: float) -> float:
        """The needle ``waited_s`` after the last move (dB)."""
        rest = self.output_db(self._core, self.level_db)
        self._needle = rest + math.exp(-waited_s / self.made.lag) * (self._needle - rest)
        self.readings += 1
        return self._needle + self.made.noise * float(self._rng.standard_normal())

    def loss_db(self, best_db: float) -> float:
        """What is lost (dB) where it stands now against ``best_db``, the best that the circuit can pass."""
        return best_db - self.signal_db(self._core)

    @property
    def held(self) -> bool:
        """Is the output held, here and at this level, so that ten decibels less would fall by less than seven and a half?"""
        fall = self.output_db(self._core, self.level_db) - self.output_db(self._core, self.level_db - 10.0)
        return fall < 7.5
