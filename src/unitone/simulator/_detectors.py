"""Detectors of a simulated radio receiver: FM limiter and quadrature coil; AM diode and SSB product behind automatic gain control.

Each keeps its state between blocks, so that the audio is continuous.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter

from unitone.simulator.mechanics import Mechanics
from unitone.simulator.receive_physics import AmDetector, Detector, GainControl

C64 = NDArray[np.complex64]
F32 = NDArray[np.float32]
#: The control voltage is worked out for so many samples at once: it moves far more slowly than the sound.
_DECIMATE = 24
#: The line stands where it stood so long, on average (s).
_LATELY_S = 0.1


class FmDetector:
    """Limiter and quadrature detector: instantaneous frequency in Hz near the centre."""

    def __init__(
        self, part: Detector, knee: float, mechanics: Mechanics, noise: np.random.Generator, rate: float
    ) -> None:
        self.part, self.mechanics, self._noise, self._rate = part, mechanics, noise, rate
        self._knee = np.float32(knee**2)
        self.restart()

    def restart(self) -> None:
        """Forget the past."""
        self._tank = np.zeros(1, np.complex64)

    def detect(self, y: C64) -> F32:
        """Instantaneous frequency, 1 per Hz near the centre, shape as ``y``."""
        part, rate = self.part, self._rate
        limited = y / np.sqrt(y.real**2 + y.imag**2 + self._knee)
        off = 0.0 if part.adjuster is None else self.mechanics.off(part.adjuster) * part.per_turn
        # The tank 1/(1+jf/B) round its own centre, by the bilinear transform: true in slope at the centre.
        corner = 2 * math.pi * part.half_width
        gain, pole = corner / (2 * rate + corner), (2 * rate - corner) / (2 * rate + corner)
        turned = np.exp(2j * math.pi * off / rate)
        tank, self._tank = lfilter(
            np.array([gain, gain * turned], np.complex64),
            np.array([1, -pole * turned], np.complex64),
            limited,
            zi=self._tank,
        )
        out = limited.imag * tank.real - limited.real * tank.imag
        if part.residual_fm > 0:
            out = out + self._noise.standard_normal(y.size, dtype=np.float32) * np.float32(
                part.residual_fm / part.half_width
            )
        return np.asarray(out * np.float32(part.half_width), np.float32)


class Gain:
    """Automatic gain control: gain = (1 + (level/knee)²)^(-hold/2), the level averaged over its time constant.

    Levels are aerial-referred (√W); ``volts`` is what its line stands at, a decade of signal for a volt. What is fed in behind a
    controlled stage is held by a share ``s`` of the loop alone: the line goes up by h/(1-h) decibels for each of output beyond the knee,
    so hold becomes s·h/(1-h+s·h).
    """

    def __init__(self, part: GainControl, rate: float) -> None:
        self.part, self._rate = part, rate
        self._knee = 10.0 ** ((part.knee - 30.0) / 20.0)
        self._pole = math.exp(-_DECIMATE / (part.time * rate))
        self._lately = round(_LATELY_S * rate / _DECIMATE)
        self.restart()

    def restart(self) -> None:
        """Forget the past."""
        self._level: float | None = None
        self._share = 1.0
        self.level = 0.0

    def stages_db(self, share: float = 1.0) -> float:
        """By how much the line holds down its stages now (dB, all of them together), for a signal that passes a share of the loop."""
        if not self._level:
            return 0.0
        hold, whole = self.part.hold, 10.0 * math.log10(1.0 + (self._level / self._knee) ** 2)
        return hold / (1.0 - hold + share * hold) * whole

    def expect(self, level: float) -> None:
        """The level that a signal comes with, where none was measured yet (√W)."""
        if self._level is None:
            self._level = level

    def apply(self, y: C64, share: float = 1.0, done_db: float = 0.0) -> C64:
        """``y`` as the controlled stages pass it on; shape as ``y``. ``share``: of the loop that the signal passes; ``done_db``: what
        stages before took of it already."""
        if done_db:
            y = np.asarray(y * np.float32(10.0 ** (done_db / 20.0)), np.complex64)
        self._share = share
        size = y.size - y.size % _DECIMATE
        heights = np.abs(y[:size]).reshape(-1, _DECIMATE).mean(axis=1) if size else np.abs(y).mean(keepdims=True)
        start = float(heights.mean()) if self._level is None else self._level
        smooth, _ = lfilter([1.0 - self._pole], [1.0, -self._pole], heights, zi=[self._pole * start])
        self._level = float(smooth[-1])
        self.level = float(smooth[-self._lately :].mean())
        hold = self.part.hold
        hold = share * hold / (1.0 - hold + share * hold)
        gain = (1.0 + (smooth / self._knee) ** 2) ** (-hold / 2.0)
        at = np.arange(y.size) / _DECIMATE
        return np.asarray(y * np.interp(at, np.arange(gain.size) + 1.0, gain).astype(np.float32), np.complex64)

    def volts(self) -> float:
        """Control volts: they rise once the signal is over the delay."""
        # Behind controlled stages the loop has less to hold with, and its line stands higher.
        hold, over = self.part.hold, self.level / self._knee
        if self._share < 1.0:
            over = math.sqrt((1.0 + over**2) ** (1.0 / (1.0 - hold + self._share * hold)) - 1.0)
        return self.part.volts_per_decade * math.log10(1.0 + over)


def envelope_volts(y: C64, part: AmDetector) -> F32:
    """What a diode makes of the IF, shape as ``y``: |y| once it is past the diode's own volts, its square below.

    Aerial-referred like ``y``, so that the volts that an aligned radio makes are told by the audio stage.
    """
    bend = np.float32(10.0 ** ((part.bend - 30.0) / 20.0))
    return np.asarray(np.sqrt(y.real**2 + y.imag**2 + bend**2) - bend, np.float32)
