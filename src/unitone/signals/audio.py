"""A recording of audio measured: SINAD and what it is made of, in a stream.

SINAD = (S+N+D)/(N+D). The tone is found by itself within ±10 % of its nominal
frequency in stretches of a second; powers are averaged over the stretches, never
decibels. Harmonics count as distortion; hum is told apart from noise by the mains
family (50 or 60 Hz) whose lines stand out.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from unitone.errors import SignalError
from unitone.signals._faults import Health
from unitone.signals.sinad import (
    BAND_HZ,
    correlate,
    measure_tone,
    ratio_db,
    resample,
    share_of_bins,
    sinad_std_db,
    taper,
)
from unitone.signals.weighting import Weighting, weight_power
from unitone.words import tr

#: Stretches of this length are measured one by one (seconds).
STRETCH_S = 1.0
_LEAST_S = 0.05
_HARMONICS = 5
#: A tone stands so many times over the mean power of a noise bin, or there is none: the largest of a few hundred
#: exponentially distributed bins lies at 6 to 10.
_STANDS_OUT = 25.0
#: The fixed notch of a simple meter: second order, this Q (common practice, no source).
NOTCH_Q = 5.0
#: Further off than this, a fixed notch misreads noticeably.
_OFF_TONE = 0.005
_HUM_TO_HZ = 620.0


@dataclass(frozen=True)
class Stretch:
    """Powers of one stretch (full scale² = 1): tone, everything else weighted, harmonics 2 to 5, hum by family, noise."""

    seconds: float
    tone_hz: float
    tone: float
    rest: float
    stands_out: float
    harmonics: tuple[float, ...]
    hum: tuple[float, float]
    noise: float


@dataclass(frozen=True)
class AudioReport:
    """What a recording says. None where there is no tone; ``warnings`` say why and what to do.

    ``level_dbfs``: rms of everything, 0 dB = a sine at full scale, ``tone_dbfs`` of the tone alone; ``uncertainty_db``:
    standard uncertainty of the SINAD; ``harmonics_dbc``: 2nd to 5th, dB relative to the
    tone (None above half the sample rate); ``hum_db``: dB relative to the tone, of the
    family ``hum_hz``; ``snr_db``: tone to what is neither harmonic nor hum.
    """

    sinad_db: float | None
    tone_hz: float | None
    tone_dbfs: float | None
    level_dbfs: float
    distortion_pct: float | None
    thd_pct: float | None
    harmonics_dbc: tuple[float | None, ...]
    hum_hz: float | None
    hum_db: float | None
    snr_db: float | None
    seconds: float
    uncertainty_db: float | None
    weighting: Weighting
    warnings: tuple[str, ...]

    @property
    def warnings_of_level(self) -> tuple[str, ...]:
        """Those that matter to whoever wants the level alone: the first says that there is no tone, where there is none."""
        return self.warnings[1:] if self.sinad_db is None else self.warnings


def measure_stretch(x: NDArray[np.float64], rate: float, nominal_hz: float, weighting: Weighting = "flat") -> Stretch:
    """Measure one stretch, shape (n,), already at its working rate. Raises SignalError for a rate under 8 kHz."""
    found = measure_tone(x, rate, nominal_hz, weighting)
    size = round(rate / found.width)
    flat = float(found.density @ _in_band(size, rate)) * found.lost
    harmonics = _harmonics(found.residual, rate, found.hz, float(found.window.sum()))
    hum = (_family(found.density, found.width, 50.0), _family(found.density, found.width, 60.0))
    inside = sum(
        p for k, p in enumerate(harmonics, 2) if not math.isnan(p) and BAND_HZ[0] <= k * found.hz <= BAND_HZ[1]
    )
    floor = flat / max(found.bins, 1.0)
    return Stretch(
        x.size / rate, found.hz, found.tone, found.rest, found.plain / max(floor, 1e-30), harmonics, hum, max(flat - inside, 0.0)
    )  # fmt: skip


@lru_cache(maxsize=16)
def _in_band(size: int, rate: float) -> NDArray[np.float64]:
    return share_of_bins(size, rate, *BAND_HZ)[0]


def _harmonics(tapered: NDArray[np.float64], rate: float, hz: float, weight: float) -> tuple[float, ...]:
    """Mean-square powers of the lines at 2 to 5 times ``hz`` in what the tone left, by correlation; NaN above 0.48 of the rate."""
    times = np.arange(2, _HARMONICS + 1)
    powers = 2.0 * np.abs(correlate(tapered, rate, hz * times.astype(np.float64))) ** 2 / weight**2
    return tuple(float(p) if k * hz < 0.48 * rate else math.nan for k, p in zip(times, powers, strict=True))


def _family(density: NDArray[np.float64], width: float, mains_hz: float) -> float:
    """Power of the mains family's lines up to 600 Hz, less what the noise beside each line would give."""
    total = 0.0
    for k in range(1, int(_HUM_TO_HZ / mains_hz) + 1):
        # Lines that both families share say nothing of which it is: 300 and 600 Hz are left out.
        if mains_hz * k % 300.0 == 0.0:
            continue
        at, reach = round(mains_hz * k / width), max(1, math.ceil(2.5 / width))
        beside = max(3, math.ceil(8.0 / width))
        if at - beside < 0 or at + beside >= density.size:
            continue
        line = density[at - reach : at + reach + 1]
        around = np.concatenate((density[at - beside : at - reach], density[at + reach + 1 : at + beside + 1]))
        # The median of exponentially distributed bins is ln 2 of their mean; a sort is quicker than np.median here.
        floor = float(np.sort(around)[around.size // 2]) / 0.693 if around.size else 0.0
        total += max(0.0, float(line.sum()) - 2.0 * floor * line.size)
    return total


class AudioMeter:
    """Takes blocks of audio, shape (n,), full scale = 1, and gives a report of all of them. Keeps a stretch, not the file."""

    def __init__(self, rate: float, nominal_hz: float = 1000.0, weighting: Weighting = "flat") -> None:
        if not 8000.0 <= rate <= 10e6:
            raise SignalError(tr("{rate:g} samples a second: audio is measured between 8 kHz and 10 MHz.", rate=rate))
        self.rate, self.nominal_hz, self.weighting = rate, nominal_hz, weighting
        self.health = Health(rate)
        self.stretches: list[Stretch] = []
        self._rest: NDArray[np.float64] = np.zeros(0)

    def take(self, block: NDArray[np.float64] | NDArray[np.float32]) -> None:
        """Take a block. Raises SignalError for samples that are not numbers."""
        self.health.take(block)
        held = np.concatenate((self._rest, np.asarray(block, np.float64)))
        size = round(STRETCH_S * self.rate)
        at = 0
        while held.size - at >= size:
            self._measure(held[at : at + size])
            at += size
        self._rest = held[at:]

    def _measure(self, x: NDArray[np.float64]) -> None:
        x, rate = resample(x, self.rate)
        if x.size >= _LEAST_S * rate * 0.8:
            self.stretches.append(measure_stretch(x, rate, self.nominal_hz, self.weighting))

    def report(self) -> AudioReport:
        """The report of everything taken. Raises SignalError for silence and for too little."""
        self.health.check(_LEAST_S)
        # A remainder too short to say much is left out, unless it is all there is.
        if self._rest.size and (not self.stretches or self._rest.size > 0.5 * STRETCH_S * self.rate):
            self._measure(self._rest)
            self._rest = np.zeros(0)
        if not self.stretches:
            raise SignalError(tr("too little of it can be measured: at least 50 ms are needed."))
        return summarise(self.stretches, self.health, self.nominal_hz, self.weighting)


def summarise(stretches: list[Stretch], health: Health, nominal_hz: float, weighting: Weighting) -> AudioReport:
    """One report of many stretches: powers averaged by their length."""
    seconds = sum(s.seconds for s in stretches)

    def mean(values: Iterable[float]) -> float:
        return sum(v * s.seconds for v, s in zip(values, stretches, strict=True)) / seconds

    warnings = health.warnings()
    swing = math.sqrt(max(health.rms**2 - health.offset**2, 1e-30))
    level = 20.0 * math.log10(swing * math.sqrt(2.0))
    with_tone = [s for s in stretches if s.stands_out > _STANDS_OUT]
    if len(with_tone) < 0.5 * len(stretches):
        warnings.insert(
            0,
            tr(
                "no tone near {nominal_hz:g} Hz: nothing to measure SINAD against. Turn it on, raise the level, or name its frequency.",
                nominal_hz=nominal_hz,
            ),
        )
        return AudioReport(
            None,
            None,
            None,
            level,
            None,
            None,
            (None,) * (_HARMONICS - 1),
            None,
            None,
            None,
            seconds,
            None,
            weighting,
            tuple(warnings),
        )
    if len(with_tone) < len(stretches):
        warnings.append(
            tr(
                "the tone is missing in {x} of {n} stretches of a second.",
                x=len(stretches) - len(with_tone),
                n=len(stretches),
            )
        )
    tone, rest = mean(s.tone for s in stretches), mean(s.rest for s in stretches)
    hz = mean(s.tone_hz for s in stretches)
    sinad = ratio_db(tone, rest)
    harmonics = [mean(s.harmonics[k] for s in stretches) for k in range(_HARMONICS - 1)]
    unweighted = tone / (1.0 if weighting == "flat" else float(weight_power(weighting, np.array([hz]))[0]))
    dbc = tuple(None if math.isnan(p) else round(10.0 * math.log10(max(p, 1e-30) / unweighted), 2) for p in harmonics)
    thd = 100.0 * math.sqrt(sum(p for p in harmonics if not math.isnan(p)) / unweighted)
    families = mean(s.hum[0] for s in stretches), mean(s.hum[1] for s in stretches)
    hum = max(families)
    noise = mean(s.noise for s in stretches)
    shows = hum > 1e-7 * unweighted and hum > 0.02 * noise
    off = hz / nominal_hz - 1.0
    if abs(off) > _OFF_TONE:
        fixed = fixed_notch_db(tone, rest, hz, nominal_hz)
        warnings.append(
            tr(
                "the tone is {hz:.1f} Hz, {x:+.1f} % off: a meter with a fixed {nominal_hz:g} Hz notch would read {fixed:.1f} dB.",
                hz=hz,
                x=100 * off,
                nominal_hz=nominal_hz,
                fixed=fixed,
            )
        )
    return AudioReport(
        sinad, hz, 10.0 * math.log10(max(2.0 * unweighted, 1e-30)), level, 100.0 * math.sqrt(rest / (tone + rest)), thd, dbc,
        (50.0 if families[0] >= families[1] else 60.0) if shows else None,
        round(10.0 * math.log10(hum / unweighted), 2) if shows else None, ratio_db(unweighted, max(noise, 1e-30)), seconds,
        _uncertainty(stretches, sinad, seconds), weighting, tuple(warnings),
    )  # fmt: skip


def _uncertainty(stretches: list[Stretch], sinad: float, seconds: float) -> float:
    """Theory for white noise, or the spread between the stretches where it is larger (clicks, fading)."""
    theory = sinad_std_db(sinad, seconds)
    if len(stretches) < 4:
        return theory
    rests = np.array([s.rest for s in stretches])
    seen = 4.343 * float(rests.std(ddof=1) / max(rests.mean(), 1e-30)) / math.sqrt(len(stretches))
    return max(theory, seen)


def fixed_notch_db(tone: float, rest: float, tone_hz: float, notch_hz: float, q: float = NOTCH_Q) -> float:
    """What a meter with a fixed second-order notch shows: the tone leaks through it and counts as distortion (dB).

    |H|² = (f0²−f²)² / ((f0²−f²)² + (f·f0/Q)²), the notch biquad of any filter text.
    """
    apart = (notch_hz**2 - tone_hz**2) ** 2
    leak = apart / (apart + (tone_hz * notch_hz / q) ** 2)
    return ratio_db(tone * (1.0 - leak), rest + tone * leak)


def band_power(x: NDArray[np.float64], rate: float, weighting: Weighting = "flat") -> float:
    """Weighted power in band of a stretch, shape (n,), square of its unit: tone and noise alike. Raises SignalError."""
    if rate < 8000.0 or x.size < _LEAST_S * rate:
        raise SignalError(tr("at least 50 ms of audio at 8 kHz or more are needed."))
    n = x.size
    density = np.abs(fft.rfft((x - x.mean()) * taper(n))) ** 2 * 2.0 / (n * n)
    centres = np.arange(density.size) * rate / n
    return float(density @ weight_power(weighting, np.maximum(centres, 1e-3)))


def power_ratio_db(more: float, less: float) -> float:
    """10·log10 of two powers, such as (S+N)/N with the tone (AM) or the RF (SSB) on and off, or quieting. Raises SignalError."""
    if more <= 0 or less <= 0:
        raise SignalError(tr("one of the two recordings is silent: nothing can be compared."))
    return 10.0 * math.log10(more / less)
