"""A counter from samples: the frequency of one line near the Cramér-Rao bound, with gate time and timebase."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from unitone.errors import SignalError
from unitone.signals.carrier import fit_modulation
from unitone.signals.channel import Complex
from unitone.signals.fm import channel_filter
from unitone.words import tr

#: Parts that the phase is followed over.
_PARTS = 48
#: Width in which a modulation is looked for (Hz).
_WIDTH_HZ = 12_000.0


@dataclass(frozen=True)
class Count:
    """A frequency (Hz), its standard uncertainty from the noise (Hz), and how long it was counted (seconds)."""

    hz: float
    std_hz: float
    gate_s: float


def refine(x: Complex, rate: float) -> float:
    """Frequency (Hz) of the strongest line of a complex stretch, by maximum likelihood.

    FFT peak, then the phase of short sums is followed and a line fitted to it with
    weights (the slope is the frequency left over), three times. D. C. Rife and R. R.
    Boorstyn, IEEE Trans. Inf. Theory 20 (1974), p. 591: the maximum of the
    periodogram reaches the bound above threshold. Raises SignalError below 64 samples.
    """
    n = x.size
    if n < 64:
        raise SignalError(tr("{n} samples are too few to count a frequency: at least 64 are needed.", n=n))
    size = fft.next_fast_len(2 * n)
    spectrum = np.abs(fft.fft(x, size))
    hz = float(fft.fftfreq(size, 1.0 / rate)[int(np.argmax(spectrum))])
    parts = min(_PARTS, n // 16)
    length = n // parts
    t = np.arange(parts * length) / rate
    used = np.asarray(x[: parts * length], np.complex128)
    middle = (np.arange(parts) + 0.5) * length / rate
    middle = middle - middle.mean()
    for _ in range(3):
        sums = (used * np.exp(-2j * np.pi * hz * t)).reshape(parts, length).sum(axis=1)
        phase = np.unwrap(np.angle(sums))
        weight = np.abs(sums)
        centre = float((weight @ middle) / max(weight.sum(), 1e-300))
        slope = float((weight * (middle - centre)) @ phase / max(float(weight @ (middle - centre) ** 2), 1e-300))
        hz += slope / (2 * math.pi)
    return hz


def crb_hz(cnr: float, n: int, rate: float) -> float:
    """Cramér-Rao bound (Hz, one standard deviation) for one complex line: √(6/(cnr·n(n²−1)))·rate/2π (Rife and Boorstyn 1974)."""
    return math.sqrt(6.0 / (cnr * n * (n * n - 1.0))) * rate / (2.0 * math.pi)


def count(x: Complex | NDArray[np.float64], rate: float, timebase_ppm: float = 0.0) -> Count:
    """Count the strongest line of a real or complex stretch.

    ``timebase_ppm`` is how far the sample clock runs fast (its reading is too low by so
    much). A line with a tone of FM on it is counted by a joint fit, so that no sideband
    is taken for the carrier. Raises SignalError for silence or too little.
    """
    if not np.isfinite(x).all():
        raise SignalError(tr("a sample is not a number. Export the recording again, as integers if need be."))
    if not float(np.max(np.abs(x))) > 0:
        raise SignalError(tr("it is silent: nothing to count."))
    z = np.asarray(x, np.complex128)
    if not np.iscomplexobj(x):
        # The analytic signal of a real one; its ends, where the transform rings, are left out.
        from scipy.signal import hilbert

        z = hilbert(np.asarray(x, np.float64) - float(np.mean(x)))
        edge = min(z.size // 10, 256)
        z = z[edge : z.size - edge] if z.size > 4 * edge + 64 else z
    hz = refine(z, rate)
    t = np.arange(z.size) / rate
    still = z * np.exp(-2j * np.pi * hz * t)
    line = abs(complex(still.mean())) ** 2
    rest = max(float(np.mean(np.abs(still) ** 2)) - line, 1e-30 * line)
    if rest > 0.02 * line and z.size > 0.05 * rate:
        moved = _modulated(still, rate)
        if moved is not None:
            hz += moved[0]
            line, rest = line + rest, moved[1] * (line + rest)
    return Count(hz * (1.0 + timebase_ppm * 1e-6), crb_hz(line / rest, z.size, rate), z.size / rate)


def _modulated(still: NDArray[np.complex128], rate: float) -> tuple[float, float] | None:
    """(offset Hz, noise relative to the whole) where frequency modulation by a tone explains what lies beside the line.

    None where it is noise: the phase jumps (it cannot be followed), or no tone stands out of it.
    """
    # In a channel's width alone the phase can be followed through more noise.
    fit = fit_modulation(channel_filter(still, rate, _WIDTH_HZ), rate)
    swing = fit.deviation_hz / max(fit.tone_hz, 1e-9)
    stands = swing**2 / 2.0 / max(fit.residual_rad**2 / (still.size / 2.0), 1e-30)
    if fit.residual_rad > 0.5 or stands < 200.0 or fit.deviation_hz < 20.0:
        return None
    return fit.offset_hz, max(fit.residual_rad**2, 1e-12)


def settled(readings: list[tuple[float, float]], hz_a_minute: float) -> bool:
    """Has a warming oscillator settled? ``readings``: (seconds, Hz); the slope of the last ones is below ``hz_a_minute``."""
    if len(readings) < 3:
        return False
    last = np.array(readings[-6:])
    slope = float(np.polyfit(last[:, 0], last[:, 1], 1)[0]) * 60.0
    return abs(slope) < hz_a_minute
