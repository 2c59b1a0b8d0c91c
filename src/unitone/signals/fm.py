"""FM measured from I/Q: deviation either way, on a tone and on speech, carrier error, what noise would have faked.

The frequency of each sample is the phase step to the next (rate/2π times the
argument of x[n]·x*[n−1]); a tone and its harmonics are fitted to it by least
squares, which noise moves far less than a peak. On speech the peak is taken after
the audio filter, at a percentile that noise alone would not reach.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.signal import firwin, oaconvolve
from scipy.special import jn_zeros

from unitone.errors import SignalError
from unitone.signals.channel import Complex
from unitone.signals.phasors import phasors
from unitone.signals.sinad import fit_tone, ratio_db, tone_powers
from unitone.words import tr

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
#: Gaussian noise lies so many times its rms beyond zero, either way, for one sample in two thousand.
_NOISE_PEAK = 3.48
_STANDS_OUT = 60.0
_LEAST_S = 0.05
#: Tones that are looked for (Hz).
_TONES_HZ = (70.0, 3_500.0)
#: How a channel is widened, step by step, up to a share of the rate; the slope of its filter (Hz); none is widened into noise (dB).
_WIDER = (1.25, 1.6, 2.0, 2.4)
_WIDEST, _FILTER_EDGE_HZ, _LEAST_TO_WIDEN_DB = 0.88, 1_000.0, 10.0


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


def measure_fm(
    x: Complex, rate: float, nominal_hz: float = 1000.0, width_hz: float = CHANNEL_WIDTH_HZ, spoken: bool = False
) -> FmReport:
    """Measure one stretch of a channel, shape (n,), mixed to near zero. Raises SignalError for too little, or silence.

    Any tone from 70 to 3500 Hz is found and fitted, the one near ``nominal_hz`` first. ``width_hz`` is what the channel
    begins with: it is widened to what the modulation needs, and a warning says so. ``spoken``: it is speech, however much like a
    tone a vowel looks.
    """
    if x.size < _LEAST_S * rate + 700:
        raise SignalError(
            tr(
                "{x:.0f} ms are too little to measure FM: at least {x2:.0f} ms are needed.",
                x=x.size / rate * 1000.0,
                x2=_LEAST_S * 1000.0 + 20,
            )
        )
    widths = [width_hz, *(w for k in _WIDER if (w := k * width_hz) < _WIDEST * rate), _WIDEST * rate]
    offset = 0.0
    report = _measure(x, rate, nominal_hz, width_hz, offset, spoken)
    wide = width_hz
    for following in widths[1:]:
        if _needed_hz(report) <= wide or following <= wide:
            break
        # The middle of the channel is where the carrier is: a filter beside it cuts one side of the deviation.
        wider = _measure(x, rate, nominal_hz, following, report.carrier_error_hz, spoken)
        # Wider lets more noise in, by as much as it is wider. What comes in more is a neighbour; what lessens it shows that
        # the narrow filter had cut the signal.
        lost = report.cnr_db - wider.cnr_db - 10.0 * math.log10(following / wide)
        if lost > 0.7 or (report.cnr_db < _LEAST_TO_WIDEN_DB and wider.cnr_db <= report.cnr_db):
            break
        report, wide, offset = wider, following, report.carrier_error_hz
    if abs(report.carrier_error_hz - offset) > 0.02 * wide:
        report = _measure(x, rate, nominal_hz, wide, report.carrier_error_hz, spoken)
    if wide > width_hz:
        words = tr("the channel is widened to {x:.0f} kHz: the deviation needs it.", x=wide / 1000.0)
        report = replace(report, warnings=(*report.warnings, words))
    return report


def _needed_hz(report: FmReport) -> float:
    """The width (Hz) that a modulation needs for its peaks to come out within a few thousandths.

    Of a tone's sidebands those up to β + 2β^⅓ + 1 count (J_n(β) falls off over (β/2)^⅓ beyond n = β:
    Abramowitz & Stegun 9.3.23); of speech, Carson's rule.
    """
    if report.tone_hz is None:
        return 2.0 * (report.peak_deviation_hz + AUDIO_HZ)
    beta = report.peak_deviation_hz / report.tone_hz
    return 2.0 * (report.tone_hz * (beta + 2.0 * float(np.cbrt(beta)) + 1.0) + _FILTER_EDGE_HZ)


def _measure(
    x: Complex, rate: float, nominal_hz: float, width_hz: float, offset_hz: float, spoken: bool = False
) -> FmReport:
    """``measure_fm`` in a channel of one width, ``offset_hz`` from the middle."""
    moved: Complex = x if not offset_hz else np.asarray(x, np.complex128) * phasors(-offset_hz, rate, x.size)
    inside = channel_filter(moved, rate, width_hz)
    if not float(np.max(np.abs(inside))) > 0:
        raise SignalError(tr("it is silent from beginning to end. Check what was recorded."))
    ratio = cnr_db(inside)
    raw = demodulate(inside, rate)
    audio = audio_filter(raw, rate)
    warnings: list[str] = []
    error = float(raw.mean())
    swing = audio - float(audio.mean())
    hz, tone_power, rest = fit_tone(swing, rate, nominal_hz)
    other = _strongest_tone(swing, rate)
    if abs(other / nominal_hz - 1.0) > 0.1:
        found = fit_tone(swing, rate, other)
        if found[1] > tone_power:
            hz, tone_power, rest = found
    stands = tone_power / max(float(np.mean(rest**2)) * rate / (2 * AUDIO_HZ) / max(swing.size / 2, 1), 1e-30)
    noise = _noise_peak(ratio, width_hz)
    if ratio < LEAST_CNR_DB:
        warnings.append(
            tr(
                "carrier only {ratio:.0f} dB over the noise: peaks are raised by it. Record a stronger signal.",
                ratio=ratio,
            )
        )
    sinad = distortion = tone = None
    if (
        not spoken
        and stands > _STANDS_OUT
        and tone_power > 0.3 * (float(np.mean(swing**2)) - (noise / _NOISE_PEAK) ** 2)
    ):
        tone = hz
        plus, minus, error = _tone_peaks(raw, rate, hz)
        powers = tone_powers(swing, rate, hz)
        sinad, distortion = powers.sinad_db, powers.distortion_pct
        rms = math.sqrt(float(np.mean(swing**2)))
    else:
        level = np.sort(_while_on_the_air(audio, inside, raw.size) - error)
        share = (100.0 - SPEECH_PERCENTILE) / 100.0
        plus, minus = float(np.quantile(level, 1.0 - share)), -float(np.quantile(level, share))
        rms = math.sqrt(float(np.mean(swing**2)))
        if max(plus, minus) < 2.0 * noise:
            warnings.append(tr("no modulation above the noise: this is residual FM."))
    return FmReport(
        max(plus, minus), plus, minus, rms, tone, error + offset_hz, sinad, distortion,
        math.sqrt(float(np.mean(rest**2))) if tone is not None else rms, noise, ratio, x.size / rate, tuple(warnings),
    )  # fmt: skip


def _strongest_tone(swing: NDArray[np.float64], rate: float) -> float:
    """The strongest line (Hz) of a demodulated wave within the audio band."""
    spectrum = np.abs(fft.rfft(swing * np.hanning(swing.size)))
    step = rate / swing.size
    low, high = max(1, round(_TONES_HZ[0] / step)), round(_TONES_HZ[1] / step) + 1
    return (low + int(np.argmax(spectrum[low:high]))) * step


def _while_on_the_air(audio: NDArray[np.float64], inside: NDArray[np.complex128], length: int) -> NDArray[np.float64]:
    """The audio without the moments at which the carrier comes, goes or is not there: they are no modulation.

    ``length`` is that of the demodulated wave before the audio filter, whose ends ``audio`` lacks.
    """
    size = np.abs(inside)
    away = size < 0.25 * float(np.median(size))
    if not away.any():
        return audio
    # A click lasts as long as the filter behind it.
    taps = length - audio.size + 1
    near = np.convolve(away[1:], np.ones(taps), "valid") > 0
    kept = audio[~near[: audio.size]]
    return kept if kept.size > 0.1 * audio.size else audio


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
    wave = (x - x.mean()) * _window(x.size)
    seconds = float(t[-1] - t[0])
    width = 1.0 / seconds
    rate = (x.size - 1) / seconds

    def power(at: float) -> float:
        return float(abs(complex(wave @ phasors(-at, rate, x.size))) ** 2)

    beside = [power(hz + k * width) for k in (-9, -7, -5, 5, 7, 9)]
    return power(hz) > times * sum(beside) / len(beside)


@lru_cache(maxsize=8)
def _window(n: int) -> NDArray[np.float64]:
    return np.hanning(n)


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
        raise SignalError(tr("A carrier null needs a tone above 0 Hz and one of the first twenty nulls."))
    return float(jn_zeros(0, null)[-1]) * tone_hz


def tone_for_null(deviation_hz: float, null: int = 1) -> float:
    """Tone (Hz) whose ``null``-th carrier null stands at this deviation. Raises SignalError."""
    if deviation_hz <= 0:
        raise SignalError(tr("A deviation is above zero."))
    return deviation_hz / null_deviation(1.0, null)


def carrier_depth_db(x: Complex, rate: float, offset_hz: float = 0.0) -> float:
    """How far the carrier line lies under the whole signal (dB): deep at a null. Flat mean over whole samples."""
    t = np.arange(x.size) / rate
    line = abs(complex(np.mean(np.asarray(x, np.complex128) * np.exp(-2j * np.pi * offset_hz * t)))) ** 2
    whole = float(np.mean(np.abs(x) ** 2))
    if whole <= 0:
        raise SignalError(tr("it is silent: no carrier to look for."))
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
