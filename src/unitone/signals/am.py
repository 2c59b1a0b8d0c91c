"""AM measured from I/Q: depth either way on a tone, carrier level and shift, distortion.

The signal is turned so that its carrier stands still and real; a tone and its
harmonics are fitted to the real part (coherent detection), so that noise adds
nothing to the depth as it does to an envelope's peak.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from unitone.errors import SignalError
from unitone.signals.channel import Complex
from unitone.signals.counter import refine
from unitone.signals.fm import channel_filter, stands_out
from unitone.signals.sinad import fit_tone
from unitone.words import tr

AM_WIDTH_HZ = 9_000.0
_HARMONICS = 4
#: A carrier is looked for so far beside the middle (half the usual raster); a line is found in so many samples.
_HALF_CHANNEL_HZ, _LINE_SAMPLES = 5_000.0, 1 << 16
_LEAST_S = 0.05
_STANDS_OUT = 60.0


@dataclass(frozen=True)
class AmReport:
    """Depths in per cent; ``depth_pct`` = (max − min)/(max + min) of the envelope. Level in dB relative to full scale.

    Without a tone the depths come from the filtered envelope's extremes (speech) and ``tone_hz`` is None.
    """

    depth_pct: float
    depth_plus_pct: float
    depth_minus_pct: float
    tone_hz: float | None
    carrier_error_hz: float
    carrier_dbfs: float
    distortion_pct: float | None
    seconds: float
    warnings: tuple[str, ...]


def measure_am(x: Complex, rate: float, nominal_hz: float = 1000.0, width_hz: float = AM_WIDTH_HZ) -> AmReport:
    """Measure one stretch of a channel, shape (n,), mixed to near zero. Raises SignalError for too little, silence, no carrier."""
    if x.size < _LEAST_S * rate + 300:
        raise SignalError(
            tr(
                "{x:.0f} ms are too little to measure AM: at least {x2:.0f} ms are needed.",
                x=x.size / rate * 1000.0,
                x2=_LEAST_S * 1000.0,
            )
        )
    off = _carrier_hz(x, rate)
    if abs(off) + width_hz / 2.0 > rate / 2.0:
        raise SignalError(
            tr(
                "the carrier lies {off:.0f} Hz beside the middle, so that a sideband is cut off at {rate:.0f} samples a second. Tune to it.",
                off=off,
                rate=rate,
            )
        )
    # The filter goes round the carrier: one that stands beside it cuts a sideband, and the depth reads half.
    x = np.asarray(x * np.exp(-2j * np.pi * off / rate * np.arange(x.size)), np.complex128)
    inside = channel_filter(x, rate, width_hz)
    if not float(np.max(np.abs(inside))) > 0:
        raise SignalError(tr("it is silent from beginning to end. Check what was recorded."))
    offset = refine(inside, rate)
    n = inside.size
    t = np.asarray((np.arange(n) - (n - 1) / 2) / rate, np.float64)
    still = inside * np.exp(-2j * np.pi * offset * t)
    carrier = complex(still.mean())
    if abs(carrier) ** 2 < 0.2 * float(np.mean(np.abs(still) ** 2)):
        raise SignalError(
            tr("no carrier found: this is not AM, or it is far off the middle. Check mode and frequency.")
        )
    turned = still * np.conj(carrier) / abs(carrier)
    wave = turned.real
    # What AM leaves in quadrature is noise, and as much of it lies in phase.
    noise = float(np.mean(turned.imag**2))
    level = float(wave.mean())
    hz, tone_power, rest = fit_tone(wave - level, rate, nominal_hz)
    stands = tone_power / max(float(np.mean(rest**2)) * rate / width_hz / max(n / 2, 1), 1e-30)
    warnings: list[str] = []
    tone = distortion = None
    if stands > _STANDS_OUT and tone_power > 0.3 * (float(np.mean((wave - level) ** 2)) - noise):
        tone = hz
        shape, level, lines = _fitted(wave, rate, hz, t)
        high, low = float(shape.max()), float(shape.min())
        distortion = 100.0 * math.sqrt(sum(a * a for a in lines[1:])) / lines[0]
    else:
        high, low = float(np.quantile(wave, 0.9995)), float(np.quantile(wave, 0.0005))
        warnings.append(
            tr(
                "no tone near {nominal_hz:g} Hz: depth taken from the envelope's extremes, which noise raises.",
                nominal_hz=nominal_hz,
            )
        )
    if low < 0:
        warnings.append(
            tr("over 100 % on the negative side: the carrier is cut off, it splatters. Turn the modulation down.")
        )
    plus, minus = 100.0 * (high / level - 1.0), 100.0 * (1.0 - low / level)
    depth = 100.0 * (high - low) / (high + low) if high + low > 0 else 100.0
    return AmReport(
        depth, plus, minus, tone, off + offset, 20.0 * math.log10(level), distortion, n / rate, tuple(warnings)
    )


def _carrier_hz(x: Complex, rate: float) -> float:
    """Where the carrier stands beside the middle (Hz, to a bin): the strongest line less than half a channel away."""
    n = min(x.size, _LINE_SAMPLES)
    start = (x.size - n) // 2
    power = np.abs(fft.fft(x[start : start + n] * np.hanning(n))) ** 2
    hz = np.asarray(fft.fftfreq(n, 1.0 / rate))
    return float(hz[int(np.argmax(np.where(np.abs(hz) <= _HALF_CHANNEL_HZ, power, 0.0)))])


def _fitted(
    wave: NDArray[np.float64], rate: float, hz: float, t: NDArray[np.float64]
) -> tuple[NDArray[np.float64], float, list[float]]:
    """(one period of the fitted envelope in 720 steps, carrier, amplitudes of tone and harmonics)."""
    del rate
    kept = [k for k in range(1, _HARMONICS + 1) if k == 1 or stands_out(wave, t, k * hz)]
    rows = [np.ones(wave.size)]
    for k in kept:
        rows += [np.cos(2 * np.pi * k * hz * t), np.sin(2 * np.pi * k * hz * t)]
    design = np.stack(rows)
    found = np.linalg.solve(design @ design.T, design @ wave)
    turns = 2 * np.pi * np.arange(720) / 720
    shape = np.full(720, float(found[0]))
    lines = [0.0] * _HARMONICS
    for n, k in enumerate(kept):
        a, b = float(found[1 + 2 * n]), float(found[2 + 2 * n])
        shape += a * np.cos(k * turns) + b * np.sin(k * turns)
        lines[k - 1] = math.hypot(a, b)
    return shape, float(found[0]), lines


def carrier_shift_pct(unmodulated: AmReport, modulated: AmReport) -> float:
    """By how much the carrier's amplitude changes when it is modulated (%): none in a good transmitter."""
    return 100.0 * (math.pow(10.0, (modulated.carrier_dbfs - unmodulated.carrier_dbfs) / 20.0) - 1.0)


def depth_from_volts(highest: float, lowest: float) -> float:
    """m = (Vmax − Vmin)/(Vmax + Vmin) in per cent, of an envelope on a scope. Raises SignalError for what is no envelope."""
    if not (math.isfinite(highest) and math.isfinite(lowest)) or highest <= 0 or lowest < 0 or lowest > highest:
        raise SignalError(tr("An envelope's highest volts lie above its lowest, and neither below zero."))
    return 100.0 * (highest - lowest) / (highest + lowest)
