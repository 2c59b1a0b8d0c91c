"""FM measured from I/Q: deviation either way, on a tone and on speech, carrier error, what noise would have faked.

The frequency of each sample is the phase step to the next (rate/2π times the
argument of x[n]·x*[n−1]); a tone and its harmonics are fitted to it by least
squares, which noise moves far less than a peak. On speech the peak is taken after
the audio filter, at a percentile that noise alone would not reach.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.signal import firwin, oaconvolve
from scipy.special import jn_zeros

from unitone.errors import SignalError
from unitone.signals.channel import Complex
from unitone.signals.sinad import fit_tone, ratio_db, tone_powers

#: Audio that may modulate a narrow-band set (Hz): the filter in front of the peak.
AUDIO_HZ = 3_400.0
#: Rate that a channel is measured at (samples a second): Carson's 2·(5 + 3.4) kHz fits with room for the filter.
CHANNEL_RATE = 48_000.0
#: The channel's filter, full width (Hz).
CHANNEL_WIDTH_HZ = 16_000.0
#: Percentile of |deviation| that stands for the peak of speech: one sample in two thousand lies above it.
SPEECH_PERCENTILE = 99.95
#: Under this carrier-to-noise ratio (dB) a peak of speech is no longer trustworthy (METHOD: +6.5 % at 20 dB, +0.8 % at 30).
LEAST_CNR_DB = 25.0
_HARMONICS = 5
#: Gaussian noise lies so many times its rms beyond nought, either way, for one sample in two thousand.
_NOISE_PEAK = 3.48
_STANDS_OUT = 60.0
_LEAST_S = 0.05


@dataclass(frozen=True)
class FmReport:
    """Hz throughout. ``deviation_plus_hz`` and ``deviation_minus_hz`` are from the carrier; ``rms_hz`` of the modulation.

    ``tone_hz`` is None on speech. ``noise_hz`` is the peak deviation that the noise alone
    would show behind the same filter; ``cnr_db`` in the channel.
    """

    peak_deviation_hz: float
    deviation_plus_hz: float
    deviation_minus_hz: float
    rms_hz: float
    tone_hz: float | None
    carrier_error_hz: float
    sinad_db: float | None
    distortion_pct: float | None
    residual_hz: float
    noise_hz: float
    cnr_db: float
    seconds: float
    warnings: tuple[str, ...]


def channel_filter(x: Complex, rate: float, width_hz: float = CHANNEL_WIDTH_HZ) -> NDArray[np.complex128]:
    """The channel alone: a linear-phase low-pass of half the width on either side. Ends shorten by the filter."""
    if width_hz >= 0.9 * rate:
        return np.asarray(x, np.complex128)
    taps = firwin(255, width_hz / rate, window=("kaiser", 9.0))
    return np.asarray(oaconvolve(x, taps, "valid"), np.complex128)


def demodulate(x: NDArray[np.complex128], rate: float) -> NDArray[np.float64]:
    """Frequency (Hz) between neighbouring samples, shape (n−1,)."""
    return np.asarray(np.angle(x[1:] * np.conj(x[:-1])) * rate / (2.0 * math.pi), np.float64)


def audio_filter(f: NDArray[np.float64], rate: float, high_hz: float = AUDIO_HZ) -> NDArray[np.float64]:
    """Low-pass to the audio band; ends shorten by the filter."""
    taps = firwin(401, 2.0 * high_hz * 1.08 / rate, window=("kaiser", 7.0))
    return np.asarray(oaconvolve(f, taps, "valid"), np.float64)


def cnr_db(x: NDArray[np.complex128]) -> float:
    """Carrier-to-noise ratio (dB) of a signal of constant envelope: mean and spread of |x|² tell both.

    For a carrier of power C in complex noise of power N: E|x|² = C + N and
    var|x|² = 2CN + N² (Rice; S. M. Kay, Fundamentals of Statistical Signal
    Processing I, 1993, from memory), solved for C/N.
    """
    power = np.abs(x) ** 2
    mean, var = float(power.mean()), float(power.var())
    carrier = math.sqrt(max(mean * mean - var, 0.0))
    noise = mean - carrier
    return 10.0 * math.log10(max(carrier, 1e-30) / max(noise, 1e-12 * mean))


def measure_fm(x: Complex, rate: float, nominal_hz: float = 1000.0, width_hz: float = CHANNEL_WIDTH_HZ) -> FmReport:
    """Measure one stretch of a channel, shape (n,), mixed to near nought. Raises SignalError for too little, or silence."""
    if x.size < _LEAST_S * rate + 700:
        raise SignalError(
            f"{x.size / rate * 1e3:.0f} ms are too little to measure FM: at least {_LEAST_S * 1e3 + 20:.0f} ms are needed."
        )
    inside = channel_filter(x, rate, width_hz)
    if not float(np.max(np.abs(inside))) > 0:
        raise SignalError("it is silent from beginning to end. Check what was recorded.")
    ratio = cnr_db(inside)
    raw = demodulate(inside, rate)
    audio = audio_filter(raw, rate)
    warnings: list[str] = []
    error = float(raw.mean())
    swing = audio - float(audio.mean())
    hz, tone_power, rest = fit_tone(swing, rate, nominal_hz)
    stands = tone_power / max(float(np.mean(rest**2)) * rate / (2 * AUDIO_HZ) / max(swing.size / 2, 1), 1e-30)
    noise = _noise_peak(ratio, width_hz)
    if ratio < LEAST_CNR_DB:
        warnings.append(
            f"carrier only {ratio:.0f} dB over the noise: peaks are raised by it. Record a stronger signal."
        )
    sinad = distortion = tone = None
    if stands > _STANDS_OUT and tone_power > 0.3 * (float(np.mean(swing**2)) - (noise / _NOISE_PEAK) ** 2):
        tone = hz
        plus, minus, error = _tone_peaks(raw, rate, hz)
        powers = tone_powers(swing, rate, nominal_hz)
        sinad, distortion = powers.sinad_db, powers.distortion_pct
        rms = math.sqrt(float(np.mean(swing**2)))
    else:
        middle = float(np.median(audio)) if abs(float(np.median(audio)) - error) < 0.02 * width_hz else error
        level = np.sort(audio - middle)
        share = (100.0 - SPEECH_PERCENTILE) / 100.0
        plus, minus = float(np.quantile(level, 1.0 - share)), -float(np.quantile(level, share))
        rms = math.sqrt(float(np.mean(swing**2)))
        if max(plus, minus) < 2.0 * noise:
            warnings.append("no modulation stands out of the noise: what is shown is residual FM.")
    return FmReport(
        max(plus, minus), plus, minus, rms, tone, error, sinad, distortion,
        math.sqrt(float(np.mean(rest**2))) if tone is not None else rms, noise, ratio, x.size / rate, tuple(warnings),
    )  # fmt: skip


def _tone_peaks(raw: NDArray[np.float64], rate: float, hz: float) -> tuple[float, float, float]:
    """(plus, minus, carrier offset) in Hz of the fitted tone with its harmonics, corrected for the step between samples.

    A phase step averages the frequency over one sample: each line is multiplied by
    sin(πf/fs)/(πf/fs), which is divided out.
    """
    n = raw.size
    t = np.asarray((np.arange(n) - (n - 1) / 2) / rate, np.float64)
    lines = [k for k in range(1, _HARMONICS + 1) if k * hz < min(AUDIO_HZ * 1.5, 0.45 * rate)]
    # A harmonic that is only noise would raise the peak: those that stand out are kept.
    lines = [k for k in lines if k == 1 or stands_out(raw, t, k * hz)]
    rows = [np.ones(n)]
    for k in lines:
        rows += [np.cos(2 * np.pi * k * hz * t), np.sin(2 * np.pi * k * hz * t)]
    design = np.stack(rows)
    found = np.linalg.solve(design @ design.T, design @ raw)
    turns = np.arange(720) / 720
    wave = np.zeros(720)
    for n_line, k in enumerate(lines):
        lost = np.sinc(k * hz / rate)
        wave += (
            found[1 + 2 * n_line] * np.cos(2 * np.pi * k * turns)
            + found[2 + 2 * n_line] * np.sin(2 * np.pi * k * turns)
        ) / lost
    return float(wave.max()), -float(wave.min()), float(found[0])


def stands_out(x: NDArray[np.float64], t: NDArray[np.float64], hz: float, times: float = 9.0) -> bool:
    """Does the line at ``hz`` hold ``times`` the power that its neighbours, a few bins off, hold on average?"""
    window = np.hanning(x.size)
    wave = (x - x.mean()) * window
    width = 1.0 / (t[-1] - t[0])

    def power(at: float) -> float:
        return abs(complex(wave @ np.exp(-2j * np.pi * at * t))) ** 2

    beside = [power(hz + k * width) for k in (-9, -7, -5, 5, 7, 9)]
    return power(hz) > times * sum(beside) / len(beside)


def _noise_peak(ratio_db_: float, width_hz: float) -> float:
    """Peak deviation (Hz, at the speech percentile) that noise alone shows behind the audio filter.

    Above threshold the demodulated noise has the density N/(2C)·f²·2/B; its power up to W
    is N/(C·B)·W³/3 (any text on FM; S. Haykin, Communication Systems, from memory).
    """
    noise = 10.0 ** (-ratio_db_ / 10.0)
    rms = math.sqrt(noise / width_hz * AUDIO_HZ**3 / 3.0 * 2.0)
    return _NOISE_PEAK * rms


def null_deviation(tone_hz: float, null: int = 1) -> float:
    """Peak deviation (Hz) at which the carrier vanishes for the ``null``-th time with this tone. Raises SignalError.

    Zeros of J0 (Abramowitz & Stegun, table 9.5; scipy.special.jn_zeros): β = Δf/fm.
    """
    if tone_hz <= 0 or not 1 <= null <= 20:
        raise SignalError("A carrier null needs a tone above 0 Hz and one of the first twenty nulls.")
    return float(jn_zeros(0, null)[-1]) * tone_hz


def tone_for_null(deviation_hz: float, null: int = 1) -> float:
    """Tone (Hz) whose ``null``-th carrier null stands at this deviation. Raises SignalError."""
    if deviation_hz <= 0:
        raise SignalError("A deviation is above nought.")
    return deviation_hz / null_deviation(1.0, null)


def carrier_depth_db(x: Complex, rate: float, offset_hz: float = 0.0) -> float:
    """How far the carrier line lies under the whole signal (dB): deep at a null. Flat mean over whole samples."""
    t = np.arange(x.size) / rate
    line = abs(complex(np.mean(np.asarray(x, np.complex128) * np.exp(-2j * np.pi * offset_hz * t)))) ** 2
    whole = float(np.mean(np.abs(x) ** 2))
    if whole <= 0:
        raise SignalError("it is silent: no carrier to look for.")
    return 10.0 * math.log10(max(line, 1e-20 * whole) / whole)


def deviation_histogram(
    f: NDArray[np.float64], most_hz: float, bins: int = 60
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(edges in Hz, share of the time in each bin) of a demodulated wave: how the deviation of speech is spread."""
    counts, edges = np.histogram(np.clip(f, -most_hz, most_hz), bins=bins, range=(-most_hz, most_hz))
    return np.asarray(edges, np.float64), np.asarray(counts / max(f.size, 1), np.float64)


def line_spectrum(f: NDArray[np.float64], rate: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(Hz, peak Hz of each line) of the demodulated wave, Hann window: what modulates, and how much."""
    n = f.size
    window = np.hanning(n)
    return np.asarray(fft.rfftfreq(n, 1.0 / rate)), np.asarray(
        2.0 * np.abs(fft.rfft((f - f.mean()) * window)) / window.sum()
    )


__all__ = [
    "FmReport", "audio_filter", "carrier_depth_db", "channel_filter", "cnr_db", "demodulate", "deviation_histogram", "line_spectrum",
    "measure_fm", "null_deviation", "ratio_db", "tone_for_null",
]  # fmt: skip
