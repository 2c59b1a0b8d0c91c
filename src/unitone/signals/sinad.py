"""SINAD and distortion of a tone in sampled audio.

SINAD = (S+N+D)/(N+D), a power ratio in dB. The tone is found by itself within
±10 % of its nominal frequency and fitted by least squares; what is left is
weighed over 300-3400 Hz. Powers are averaged, never decibels.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.signal import firwin, upfirdn
from scipy.signal.windows import tukey

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


@lru_cache(maxsize=8)
def _decimator(factor: int) -> NDArray[np.float64]:
    return np.asarray(firwin(65, 0.9 / factor), dtype=np.float64)


@lru_cache(maxsize=32)
def _band_mask(n: int, rate: float, low: float, high: float) -> NDArray[np.float64]:
    """Weight of each rfft bin: 1 inside, the covered fraction at the edges, 0 outside."""
    width = rate / n
    centre = np.arange(n // 2 + 1) * width
    covered = np.minimum(centre + width / 2, high) - np.maximum(centre - width / 2, low)
    return np.asarray(np.clip(covered / width, 0.0, 1.0), np.float64)


@lru_cache(maxsize=32)
def _hann(n: int) -> NDArray[np.float64]:
    return np.asarray(np.hanning(n), np.float64)


@lru_cache(maxsize=32)
def taper(n: int, share: float = 0.2) -> NDArray[np.float64]:
    """Tukey window of unit mean square: what keeps strong hum from leaking into the band; ``share`` of it is ramps."""
    window = np.asarray(tukey(n, share), dtype=np.float64)
    return window / math.sqrt(float(np.mean(window**2)))


def phasors(hz: float, rate: float, n: int) -> NDArray[np.complex128]:
    """exp(j2π·hz·t) at ``n`` samples round the middle of a stretch, t = (k − (n−1)/2)/rate, shape (n,).

    A long turn is the product of a coarse and a fine one: two short tables instead of ``n`` sines, in double precision.
    """
    fine_n = math.isqrt(n) + 1
    step = 2.0 * math.pi * hz / rate
    fine = np.exp(1j * step * np.arange(fine_n))
    coarse = np.exp(1j * step * (fine_n * np.arange(-(-n // fine_n)) - (n - 1) / 2))
    made: NDArray[np.complex128] = (coarse[:, None] * fine[None, :]).reshape(-1)[:n]
    return made


def _follow(x: NDArray[np.float64], rate: float, hz: float, nominal_hz: float) -> float:
    """A frequency nearer than the FFT's bins: the phase of sums over a few cycles each, followed through the stretch."""
    parts = int(np.clip(x.size / (0.02 * rate), 5, 48))
    length = x.size // parts
    turned = x * phasors(-hz, rate, x.size)
    sums = turned[: parts * length].reshape(parts, length).sum(axis=1)
    phase, weight = np.unwrap(np.angle(sums)), np.abs(sums)
    at = np.arange(parts) * (length / rate)
    at = at - float(weight @ at) / max(float(weight.sum()), 1e-300)
    slope = float((weight * at) @ phase) / max(float(weight @ at**2), 1e-300)
    return float(np.clip(hz + slope / (2 * np.pi), 0.9 * nominal_hz, 1.1 * nominal_hz))


def fit_tone(x: NDArray[np.float64], rate: float, nominal_hz: float) -> tuple[float, float, NDArray[np.float64]]:
    """Least-squares tone near ``nominal_hz`` (±10 %) in ``x``.

    Returns (frequency Hz, mean-square power, residual of the same shape as x).
    Coarse FFT peak, then Gauss-Newton on the frequency.
    """
    n = x.size
    size = fft.next_fast_len(2 * n, real=True)
    spectrum = np.abs(fft.rfft(x * _hann(n), size))
    step = rate / size
    lo, hi = int(0.9 * nominal_hz / step), int(math.ceil(1.1 * nominal_hz / step)) + 1
    hz = (lo + int(np.argmax(spectrum[lo:hi]))) * step
    hz = _follow(x, rate, hz, nominal_hz)
    turn = phasors(hz, rate, n)
    # One step of Gauss-Newton on amplitude, phase and frequency together, all samples at once.
    design = np.empty((4, n))
    design[0], design[1], design[2] = turn.real, turn.imag, 1.0
    a, b = np.linalg.lstsq(design[:3] @ design[:3].T, design[:3] @ x, rcond=1e-12)[0][:2]
    t = (np.arange(n) - (n - 1) / 2) / rate
    design[3] = (2 * np.pi * t) * (b * design[0] - a * design[1])
    solution = np.linalg.lstsq(design @ design.T, design @ x, rcond=1e-12)[0]
    hz = float(np.clip(hz + solution[3], 0.9 * nominal_hz, 1.1 * nominal_hz))
    turn = phasors(hz, rate, n)
    design[0], design[1] = turn.real, turn.imag
    plain = design[:3]
    a, b, dc = np.linalg.solve(plain @ plain.T, plain @ x)
    residual = x - a * plain[0] - b * plain[1] - dc
    return hz, float(a * a + b * b) / 2.0, residual


def tone_powers(
    x: Samples, rate: float, nominal_hz: float = 1000.0, band_hz: tuple[float, float] = BAND_HZ
) -> TonePowers:
    """Power of the tone and of everything else in band.

    ``x``: audio samples, shape (n,), any unit; ``rate`` in Hz. Raises ValueError
    for fewer than 20 ms of signal, for a rate under 8 kHz or for samples that
    are not finite.
    """
    if rate < 8000.0 or x.size < 0.02 * rate:
        raise ValueError("SINAD needs at least 20 ms of audio at 8 kHz or more")
    work = np.asarray(x, dtype=np.float64)
    if not np.all(np.isfinite(work)):
        raise ValueError("the audio holds samples that are not numbers")
    factor = round(rate / _WORK_RATE)
    if factor > 1 and abs(rate - factor * _WORK_RATE) < 1e-6:
        taps = _decimator(factor)
        edge = taps.size // factor + 1
        work = upfirdn(taps, work, up=1, down=factor)[edge:-edge]
        rate = _WORK_RATE
    hz, tone, residual = fit_tone(work, rate, nominal_hz)
    n = residual.size
    size = fft.next_fast_len(n, real=True)
    spectrum = fft.rfft(residual * taper(n), size)
    density = np.abs(spectrum) ** 2 * 2.0 / (n * size)
    mask = _band_mask(size, rate, *band_hz)
    bins = (band_hz[1] - band_hz[0]) * n / rate
    rest = float(density @ mask) * bins / max(bins - _LOST_BINS, 1.0)
    return TonePowers(tone, rest, hz, n / rate)


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
