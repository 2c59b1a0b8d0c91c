"""SINAD and distortion of a tone in sampled audio.

SINAD = (S+N+D)/(N+D), a power ratio in dB. The tone is found by itself within
±10 % of its nominal frequency and fitted by least squares; what is left is
weighed over 300-3400 Hz. Powers are averaged, never decibels.

This is the one SINAD of the program: ``resample`` brings audio to the rate it is worked
at, ``measure_tone`` measures a stretch. A simulated receiver, a recording and a sound card
all end here; ``signals.audio`` only takes apart what the tone left.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.signal import firwin
from scipy.signal.windows import tukey

from unitone.errors import SignalError
from unitone.signals.phasors import phasors
from unitone.signals.polyphase import filter_whole
from unitone.signals.weighting import BANDS_HZ, Weighting, weight_power
from unitone.words import tr

Samples = NDArray[np.float64] | NDArray[np.float32]

BAND_HZ = (300.0, 3400.0)
_WORK_RATE = 12_000.0
#: Bins by which the fitted tone and its frequency shorten the residual (degrees of freedom).
_LOST_BINS = 1.5


@dataclass(frozen=True)
class TonePowers:
    """Powers (square units) of one stretch: the tone, the rest in band, and the tone's frequency (Hz)."""

    tone: float
    rest: float
    tone_hz: float
    seconds: float

    @property
    def sinad_db(self) -> float:
        """(S+N+D)/(N+D) in dB; never below 0 by definition."""
        return ratio_db(self.tone, self.rest)

    @property
    def distortion_pct(self) -> float:
        """√((N+D)/(S+N+D)) in per cent: what a distortion meter shows."""
        total = self.tone + self.rest
        return 100.0 * math.sqrt(self.rest / total) if total > 0 else 100.0


def ratio_db(tone: float, rest: float) -> float:
    """SINAD in dB from tone and rest power; 0 for silence, 120 at most (double precision)."""
    if tone <= 0:
        return 0.0
    return min(10.0 * math.log10(1.0 + tone / rest), 120.0) if rest > 0 else 120.0


def sinad_std_db(sinad_db: float, seconds: float, bandwidth_hz: float = 3100.0) -> float:
    """Theoretical spread (dB) of a SINAD reading in white noise.

    σ = 4.343·ρ/(1+ρ)·√((2/ν)(1+2/ρ)), ν = 2BT, ρ = S/(N+D): first-order
    propagation of the χ² spread of the noise power and of the tone estimate.
    """
    rho = max(10.0 ** (sinad_db / 10.0) - 1.0, 1e-3)
    nu = 2.0 * bandwidth_hz * seconds
    return float(4.343 * rho / (1.0 + rho) * math.sqrt(2.0 / nu * (1.0 + 2.0 / rho)))


@lru_cache(maxsize=16)
def _taps(up: int, down: int) -> NDArray[np.float64]:
    """The resampling filter: ten periods of the lower rate either side, Kaiser 5."""
    most = max(up, down)
    return np.asarray(up * firwin(20 * most + 1, 1.0 / most, window=("kaiser", 5.0)), np.float64)


def work_rate(rate: float) -> tuple[float, int, int]:
    """(rate to work at, up, down): 12 kHz from the usual rates, else the rate itself."""
    if rate <= 1.5 * _WORK_RATE:
        return rate, 1, 1
    divisor = math.gcd(round(rate), round(_WORK_RATE))
    up, down = round(_WORK_RATE) // divisor, round(rate) // divisor
    if abs(rate - round(rate)) > 1e-6 or up > 400 or down > 4000:
        down = max(1, round(rate / _WORK_RATE))
        return rate / down, 1, down
    return _WORK_RATE, up, down


def resample(x: Samples, rate: float) -> tuple[NDArray[np.float64], float]:
    """Audio, shape (n,), brought to the rate it is worked at, without the filter's edges; with that rate (Hz)."""
    work, up, down = work_rate(rate)
    if (up, down) == (1, 1):
        return np.ascontiguousarray(x, np.float64), rate
    taps = _taps(up, down)
    # In single precision a constant far above the signal would cost digits: it is no signal.
    return filter_whole(np.asarray(x, np.float64) - float(np.mean(x, dtype=np.float64)), taps, up, down), work


@lru_cache(maxsize=32)
def _weights(size: int, rate: float, weighting: Weighting) -> NDArray[np.float64]:
    """Weight of each bin of a real FFT: the share of it inside the band, times the weighting's power there."""
    low, high = BANDS_HZ[weighting]
    covered, centres = share_of_bins(size, rate, low, min(high, rate / 2))
    return covered if weighting == "flat" else covered * weight_power(weighting, np.maximum(centres, low))


def share_of_bins(size: int, rate: float, low: float, high: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(share inside low to high Hz, centre in Hz) of each bin of a real FFT of that size; shapes (size // 2 + 1,)."""
    width = rate / size
    centres = np.arange(size // 2 + 1, dtype=np.float64) * width
    covered = np.minimum(centres + width / 2, high) - np.maximum(centres - width / 2, low)
    return np.asarray(np.clip(covered / width, 0.0, 1.0), np.float64), centres


@lru_cache(maxsize=32)
def _hann(n: int) -> NDArray[np.float64]:
    return np.asarray(np.hanning(n), np.float64)


@lru_cache(maxsize=32)
def taper(n: int, share: float = 0.2) -> NDArray[np.float64]:
    """Tukey window of unit mean square: what keeps strong hum from leaking into the band; ``share`` of it is ramps."""
    window = np.asarray(tukey(n, share), dtype=np.float64)
    return window / math.sqrt(float(np.mean(window**2)))


def correlate(x: NDArray[np.float64], rate: float, hz: NDArray[np.float64]) -> NDArray[np.complex128]:
    """Calculator of x·exp(−j2π·f·t) for each frequency of ``hz`` (Hz, shape (m,)), t from the first sample; shape (m,).

    In rows of √n samples: what turns within a row is the same for all of them, and a product of matrices does it at once.
    """
    long = math.isqrt(x.size) + 1
    rows = -(-x.size // long)
    padded = np.zeros(rows * long)
    padded[: x.size] = x
    step = -2j * np.pi * np.asarray(hz) / rate
    within = np.exp(np.arange(long)[:, None] * step)
    across = np.exp(long * np.arange(rows)[:, None] * step)
    table = padded.reshape(rows, long)
    made: NDArray[np.complex128] = ((table @ within.real + 1j * (table @ within.imag)) * across).sum(axis=0)
    return made


def _follow(x: NDArray[np.float64], rate: float, hz: float, nominal_hz: float) -> float:
    """A frequency nearer than the FFT's bins: the phase of sums over a few cycles each, followed through the stretch."""
    parts = int(np.clip(x.size / (0.02 * rate), 5, 48))
    length = x.size // parts
    # What turns within a part is the same in all of them.
    within = phasors(-hz, rate, length)
    table = x[: parts * length].reshape(parts, length)
    across = np.exp(-2j * np.pi * hz * (length / rate) * np.arange(parts))
    sums = (table @ within.real + 1j * (table @ within.imag)) * across
    phase, weight = np.unwrap(np.angle(sums)), np.abs(sums)
    at = np.arange(parts) * (length / rate)
    at = at - float(weight @ at) / max(float(weight.sum()), 1e-300)
    slope = float((weight * at) @ phase) / max(float(weight @ at**2), 1e-300)
    return float(np.clip(hz + slope / (2 * np.pi), 0.9 * nominal_hz, 1.1 * nominal_hz))


@lru_cache(maxsize=32)
def _ramp(n: int, rate: float) -> NDArray[np.float64]:
    """2π times the seconds from the middle of a stretch, shape (n,)."""
    return np.asarray(2.0 * np.pi / rate * (np.arange(n) - (n - 1) / 2), np.float64)


def _products(hz: float, rate: float, n: int) -> NDArray[np.float64]:
    """Sums over a stretch of the products of cosine, sine and one, told from its middle, shape (3, 3).

    A cosine sums up to sin(nω/2)/sin(ω/2) there (Dirichlet's kernel), a sine to nothing.
    """
    half = math.pi * hz / rate
    one, two = math.sin(n * half) / math.sin(half), math.sin(2.0 * n * half) / math.sin(2.0 * half)
    return np.array([[(n + two) / 2.0, 0.0, one], [0.0, (n - two) / 2.0, 0.0], [one, 0.0, n]])


def fit_tone(x: NDArray[np.float64], rate: float, nominal_hz: float) -> tuple[float, float, NDArray[np.float64]]:
    """Least-squares tone near ``nominal_hz`` (±10 %) in ``x``.

    Returns (frequency Hz, mean-square power, residual of the same shape as x).
    Coarse FFT peak, then Gauss-Newton on the frequency.
    """
    n = x.size
    size = fft.next_fast_len(n, real=True)
    spectrum = fft.rfft(x * _hann(n), size)
    step = rate / size
    lo, hi = int(0.9 * nominal_hz / step), int(math.ceil(1.1 * nominal_hz / step)) + 1
    hz = (lo + int(np.argmax(np.abs(spectrum[lo:hi])))) * step
    hz = _follow(x, rate, hz, nominal_hz)
    turn = phasors(hz, rate, n)
    # One step of Gauss-Newton on amplitude, phase and frequency together, all samples at once.
    design = np.empty((4, n))
    design[0], design[1], design[2] = turn.real, turn.imag, 1.0
    products = np.empty((4, 4))
    products[:3, :3] = _products(hz, rate, n)
    a, b = np.linalg.lstsq(products[:3, :3], design[:3] @ x, rcond=1e-12)[0][:2]
    design[3] = _ramp(n, rate) * (b * design[0] - a * design[1])
    products[3] = products[:, 3] = design @ design[3]
    solution = np.linalg.lstsq(products, design @ x, rcond=1e-12)[0]
    hz = float(np.clip(hz + solution[3], 0.9 * nominal_hz, 1.1 * nominal_hz))
    turn = phasors(hz, rate, n)
    design[0], design[1] = turn.real, turn.imag
    plain = design[:3]
    solved = np.linalg.solve(_products(hz, rate, n), plain @ x)
    a, b, _ = solved
    residual: NDArray[np.float64] = x - solved @ plain
    return hz, float(a * a + b * b) / 2.0, residual


@dataclass(frozen=True)
class ToneFit:
    """A stretch taken apart: the tone (Hz, mean-square power, weighted), what is left weighted, and the means to look further.

    ``residual`` (n,) is what the tone left, tapered by ``window`` (n,) with the density ``density`` (mean square a bin of
    ``width`` Hz); ``bins``: independent bins of the band; ``lost``: by how much the fit makes the rest too small.
    """

    hz: float
    plain: float
    tone: float
    rest: float
    residual: NDArray[np.float64]
    window: NDArray[np.float64]
    density: NDArray[np.float64]
    width: float
    bins: float
    lost: float


def measure_tone(
    x: NDArray[np.float64], rate: float, nominal_hz: float = 1000.0, weighting: Weighting = "flat"
) -> ToneFit:
    """Measure a stretch of audio, shape (n,), already at its working rate (Hz). Raises SignalError for a rate under 8 kHz."""
    if rate < 8000.0:
        raise SignalError(tr("{rate:g} samples a second are too few: audio to 3400 Hz needs 8000 or more.", rate=rate))
    hz, power, residual = fit_tone(x, rate, nominal_hz)
    n = residual.size
    size = fft.next_fast_len(n, real=True)
    # Ramps of 25 ms are enough against hum; in a short stretch they may take a fifth, which costs degrees of freedom.
    window = taper(n, min(0.2, max(0.05, 0.05 * rate / n)))
    tapered = residual * window
    spectrum = fft.rfft(tapered, size)
    density = (spectrum.real**2 + spectrum.imag**2) * (2.0 / (n * size))
    bins = (BAND_HZ[1] - BAND_HZ[0]) * n / rate
    lost = bins / max(bins - _LOST_BINS, 1.0)
    at_tone = 1.0 if weighting == "flat" else float(weight_power(weighting, np.array([hz]))[0])
    rest = float(density @ _weights(size, rate, weighting)) * lost
    return ToneFit(hz, power, power * at_tone, rest, tapered, window, density, rate / size, bins, lost)


def tone_powers(x: Samples, rate: float, nominal_hz: float = 1000.0) -> TonePowers:
    """Power of the tone and of everything else in band.

    ``x``: audio samples, shape (n,), any unit; ``rate`` in Hz. Raises ValueError
    for fewer than 20 ms of signal, for a rate under 8 kHz or for samples that
    are not finite.
    """
    if rate < 8000.0 or x.size < 0.02 * rate:
        raise ValueError("SINAD needs at least 20 ms of audio at 8 kHz or more")
    if not np.all(np.isfinite(x)):
        raise ValueError("the audio holds samples that are not numbers")
    work, rate = resample(x, rate)
    found = measure_tone(work, rate, nominal_hz)
    return TonePowers(found.tone, found.rest, found.hz, work.size / rate)


def merge(parts: list[TonePowers]) -> TonePowers:
    """One long measurement from short ones: powers averaged by their length. Raises ValueError when empty."""
    if not parts:
        raise ValueError("nothing was measured")
    seconds = sum(p.seconds for p in parts)
    return TonePowers(
        sum(p.tone * p.seconds for p in parts) / seconds,
        sum(p.rest * p.seconds for p in parts) / seconds,
        sum(p.tone_hz * p.seconds for p in parts) / seconds,
        seconds,
    )


def rms(x: Samples) -> float:
    """Root mean square of ``x``, the unit of ``x``; 0 for no samples."""
    return math.sqrt(float(np.mean(np.square(x, dtype=np.float64)))) if x.size else 0.0
