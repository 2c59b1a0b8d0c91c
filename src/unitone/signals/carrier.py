"""What a socket sends: power, frequency and deviation of complex envelopes.

A component is (centre frequency, complex envelope); |envelope|² is watts. The
counter and the modulation meter fit the unwrapped phase jointly with carrier
offset and tone, which comes near the Cramér-Rao bound at bench levels.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

Envelope = NDArray[np.complex128] | NDArray[np.complex64]


@dataclass(frozen=True)
class Component:
    """Part of a signal round ``centre_hz``: envelope samples, shape (n,), in √W, at ``rate`` Hz."""

    centre_hz: float
    rate: float
    envelope: Envelope

    @property
    def watts(self) -> float:
        """Mean power in watts."""
        return float(np.mean(np.abs(self.envelope) ** 2)) if self.envelope.size else 0.0


@dataclass(frozen=True)
class PhaseFit:
    """Carrier offset (Hz), tone deviation (peak, Hz), tone (Hz), peaks of the fitted and residual modulation (Hz)."""

    offset_hz: float
    deviation_hz: float
    tone_hz: float
    residual_rad: float


def strongest(components: Sequence[Component]) -> Component:
    """The component with most power. Raises ValueError when there is none."""
    if not components:
        raise ValueError("no signal")
    return max(components, key=lambda c: c.watts)


def total_watts(components: Sequence[Component]) -> float:
    """Calculator of the mean powers in watts: what a thermal wattmeter shows."""
    return sum(c.watts for c in components)


def fit_carrier(envelope: Envelope, rate: float) -> float:
    """Frequency offset (Hz) of an unmodulated carrier by least squares on its unwrapped phase.

    Needs a carrier well above the noise (about 10 dB in the sampled bandwidth).
    Raises ValueError for fewer than 16 samples. Source: S. A. Tretter, IEEE
    Trans. Inf. Theory 31 (1985), p. 832.
    """
    if envelope.size < 16:
        raise ValueError("a frequency needs at least 16 samples")
    phase = np.unwrap(np.angle(envelope.astype(np.complex128)))
    t = (np.arange(phase.size) - (phase.size - 1) / 2) / rate
    return float((t @ phase) / (t @ t) / (2 * math.pi))


def fit_modulation(envelope: Envelope, rate: float, nominal_tone_hz: float = 1000.0) -> PhaseFit:
    """Joint fit of carrier offset and tone modulation to the unwrapped phase.

    β = Δf/fm, so the peak deviation is the fitted phase amplitude (rad) times
    the tone frequency. The tone is found within ±10 % of nominal. Raises
    ValueError for less than 20 ms.
    """
    n = envelope.size
    if n < 0.02 * rate:
        raise ValueError("deviation needs at least 20 ms of signal")
    phase = np.unwrap(np.angle(envelope.astype(np.complex128)))
    t = (np.arange(n) - (n - 1) / 2) / rate
    flat = phase - np.polyval(np.polyfit(t, phase, 1), t)
    size = fft.next_fast_len(2 * n, real=True)
    spectrum = np.abs(fft.rfft(flat * np.hanning(n), size))
    step = rate / size
    lo, hi = int(0.9 * nominal_tone_hz / step), int(math.ceil(1.1 * nominal_tone_hz / step)) + 1
    tone = (lo + int(np.argmax(spectrum[lo:hi]))) * step
    a = b = slope = 0.0
    residual = flat
    for turn in range(4):
        c, s = np.cos(2 * np.pi * tone * t), np.sin(2 * np.pi * tone * t)
        rows = [c, s, t, np.ones(n)]
        if turn:
            rows.append(2 * np.pi * t * (b * c - a * s))
        design = np.stack(rows)
        solution = np.linalg.lstsq(design @ design.T, design @ phase, rcond=1e-14)[0]
        a, b, slope = float(solution[0]), float(solution[1]), float(solution[2])
        residual = phase - solution @ design
        if turn:
            tone = float(np.clip(tone + solution[4], 0.9 * nominal_tone_hz, 1.1 * nominal_tone_hz))
    return PhaseFit(slope / (2 * math.pi), math.hypot(a, b) * tone, tone, float(np.sqrt(np.mean(residual**2))))


def carrier_line(envelope: Envelope) -> float:
    """Power (W) of the carrier line alone: |mean envelope|². It vanishes at the Bessel nulls of FM."""
    return float(abs(np.mean(envelope.astype(np.complex128))) ** 2)
