"""Test signals to feed a microphone input or a sound card: tones, two tones, noise, low tones, sweeps; block by block, click-free.

Levels are peak, relative to full scale (1.0). A generator starts at a cautious level
and never jumps: every change of level or frequency is a ramp, and the phase goes on
through it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from unitone.errors import SignalError
from unitone.words import tr

Shape = Literal["tone", "two-tone", "noise", "sweep"]
#: −40 dB of full scale: some millivolts from a line output, safe for any microphone input (common practice, no source).
CAUTIOUS = 0.01
#: A change of level takes so long (seconds): nothing clicks.
RAMP_S = 0.02
#: Lowest and highest frequency that is made (Hz; the upper one as a share of the sample rate too).
LOWEST_HZ, SHARE = 20.0, 0.45


@dataclass(frozen=True)
class Setting:
    """What is wanted: shape, frequency (Hz), second frequency (two-tone, or end of a sweep), level (peak), sweep length (s)."""

    shape: Shape = "tone"
    hz: float = 1000.0
    second_hz: float = 1900.0
    level: float = CAUTIOUS
    sweep_s: float = 10.0

    def check(self, rate: float) -> None:
        """Raises SignalError for what cannot be made at this sample rate."""
        wanted = [self.hz] if self.shape in ("tone", "noise") else [self.hz, self.second_hz]
        for hz in wanted if self.shape != "noise" else []:
            if not LOWEST_HZ <= hz <= SHARE * rate:
                raise SignalError(
                    tr(
                        "{hz:g} Hz cannot be made at {rate:g} samples a second: {lowest_hz:g} to {x:g} Hz can.",
                        hz=hz,
                        rate=rate,
                        lowest_hz=LOWEST_HZ,
                        x=SHARE * rate,
                    )
                )
        if self.shape == "two-tone" and self.hz == self.second_hz:
            raise SignalError(tr("Two tones of the same frequency are one. Choose another second one."))
        if not (math.isfinite(self.level) and 0.0 <= self.level <= 1.0):
            raise SignalError(tr("A level of {level:g} is not between 0 and full scale, 1.", level=self.level))
        if self.shape == "sweep" and not 0.1 <= self.sweep_s <= 3600.0:
            raise SignalError(tr("A sweep takes between a tenth of a second and an hour."))


@dataclass
class Generator:
    """Makes blocks without end. ``change`` may be called between blocks; ``stop`` ramps down."""

    rate: float
    setting: Setting = field(default_factory=Setting)
    seed: int = 1

    def __post_init__(self) -> None:
        self.setting.check(self.rate)
        self._rng = np.random.default_rng(self.seed)
        self._phases = [0.0, 0.0]
        # Silence first: the first level is reached by a ramp as well.
        self._level = 0.0
        self._swept = 0.0

    def change(self, setting: Setting) -> None:
        """Another setting from the next block on. Raises SignalError; the old one then goes on."""
        setting.check(self.rate)
        if (setting.shape, setting.hz, setting.second_hz) != (
            self.setting.shape,
            self.setting.hz,
            self.setting.second_hz,
        ):
            self._swept = 0.0
        self.setting = setting

    def stop(self) -> None:
        """Down to silence by a ramp."""
        self.setting = Setting(self.setting.shape, self.setting.hz, self.setting.second_hz, 0.0, self.setting.sweep_s)

    def block(self, n: int) -> NDArray[np.float64]:
        """The next ``n`` samples."""
        s = self.setting
        return self._shape(s, n) * self._envelope(s.level, n)

    def _envelope(self, wanted: float, n: int) -> NDArray[np.float64]:
        """Level of each sample: from where it stands to where it shall, by half a cosine a ramp long."""
        ramp = max(1, round(RAMP_S * self.rate))
        start, self_level = self._level, np.full(n, wanted)
        if start != wanted:
            used = min(ramp, n)
            # A block shorter than the ramp goes only part of the way.
            share = 0.5 - 0.5 * np.cos(np.pi * np.minimum(np.arange(1, used + 1) / ramp, 1.0))
            self_level[:used] = start + (wanted - start) * share
            if used < ramp:
                self_level[used:] = self_level[used - 1] if used else start
        self._level = float(self_level[-1]) if n else start
        return self_level

    def _shape(self, s: Setting, n: int) -> NDArray[np.float64]:
        if s.shape == "tone":
            return self._sine(0, s.hz, n)
        if s.shape == "two-tone":
            # Either at half, so that the crest is the level.
            return 0.5 * (self._sine(0, s.hz, n) + self._sine(1, s.second_hz, n))
        if s.shape == "noise":
            # A third of the peak is the rms: one sample in 370 would pass it, and is held there.
            return np.clip(self._rng.standard_normal(n) / 3.0, -1.0, 1.0)
        return self._sweep(s, n)

    def _sine(self, which: int, hz: float, n: int) -> NDArray[np.float64]:
        step = 2.0 * math.pi * hz / self.rate
        made = np.sin(self._phases[which] + step * np.arange(n))
        self._phases[which] = (self._phases[which] + step * n) % (2.0 * math.pi)
        return np.asarray(made, np.float64)

    def _sweep(self, s: Setting, n: int) -> NDArray[np.float64]:
        """A linear sweep there and back again, so that nothing jumps where it ends."""
        at = self._swept + np.arange(n) / self.rate
        turn = (at / s.sweep_s) % 2.0
        share = np.where(turn <= 1.0, turn, 2.0 - turn)
        hz = s.hz + (s.second_hz - s.hz) * share
        phase = self._phases[0] + 2.0 * np.pi * np.cumsum(hz) / self.rate
        self._phases[0] = float(phase[-1] % (2.0 * math.pi)) if n else self._phases[0]
        self._swept += n / self.rate
        return np.asarray(np.sin(phase), np.float64)


#: Low tones in use for selective calling, 67.0 to 250.3 Hz (EIA/TIA-603, from memory).
LOW_TONES_HZ = (
    67.0, 71.9, 74.4, 77.0, 79.7, 82.5, 85.4, 88.5, 91.5, 94.8, 97.4, 100.0, 103.5, 107.2, 110.9, 114.8, 118.8, 123.0, 127.3, 131.8,
    136.5, 141.3, 146.2, 151.4, 156.7, 162.2, 167.9, 173.8, 179.9, 186.2, 192.8, 203.5, 210.7, 218.1, 225.7, 233.6, 241.8, 250.3,
)  # fmt: skip
