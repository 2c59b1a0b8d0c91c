"""What the Meters view shows of a recording, computed apart from any widget: figure, trend, wave, spectrum, and what goes to a step."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from unitone.bench.measure import channel_of, measure_iq_am, measure_iq_fm
from unitone.bench.sources import Source, open_source
from unitone.errors import SignalError
from unitone.quantities.show import number
from unitone.signals.audio import AudioMeter
from unitone.signals.fm import audio_filter, channel_filter, demodulate
from unitone.signals.sinad import fit_tone
from unitone.signals.spectrum import SpectrumMeter, find_lines
from unitone.signals.weighting import BANDS_HZ, Weighting
from unitone.words import tr

MeterTask = Literal["sinad", "deviation", "depth"]
TASKS: tuple[tuple[MeterTask, str], ...] = (
    ("sinad", tr("SINAD")),
    ("deviation", tr("Deviation")),
    ("depth", tr("AM depth")),
)
#: Points of a drawn curve: more than a screen has.
_POINTS = 1400
_PERIODS = 3
_FLOOR_DB = -100.0


@dataclass(frozen=True)
class Mark:
    """A named place in the spectrum: where (Hz), how high (dB), what."""

    hz: float
    db: float
    words: str


@dataclass(frozen=True)
class Figure:
    """A small figure beside the large one: what, value, unit, and the number for comparing (None where there is none)."""

    what: str
    text: str
    unit: str
    value: float | None


@dataclass(frozen=True)
class MeterPicture:
    """Everything that is shown of one recording measured one way. Curves are (x, y)."""

    name: str
    task: MeterTask
    figure: str
    unit: str
    spread: str
    words: str
    trend: tuple[tuple[float, float], ...]
    wave: tuple[NDArray[np.float64], NDArray[np.float64]]
    rest: NDArray[np.float64] | None
    wave_words: str
    wave_unit: str
    spectrum: tuple[NDArray[np.float64], NDArray[np.float64]]
    band_hz: tuple[float, float]
    marks: tuple[Mark, ...]
    spectrum_words: str
    figures: tuple[Figure, ...]
    warnings: tuple[str, ...]
    #: (quantity id, value in its canonical unit, standard uncertainty): what can be sent to a step.
    sends: tuple[tuple[str, float, float | None], ...]


def picture(
    path: Path, task: MeterTask, weighting: Weighting = "flat", nominal_hz: float = 1000.0, channel: int = 1
) -> MeterPicture:
    """Measure a recording and draw it. Raises SignalError naming the file."""
    try:
        source = open_source(path, "audio" if task == "sinad" else "iq", channel)
        if task == "sinad":
            return _audio(source, weighting, nominal_hz)
        return _deviation(source, nominal_hz) if task == "deviation" else _depth(source, nominal_hz)
    except SignalError as error:
        raise SignalError(str(error) if str(path) in str(error) else f"{path}: {error}") from None


def _audio(source: Source, weighting: Weighting, nominal_hz: float) -> MeterPicture:
    meter, spectrum = AudioMeter(source.rate, nominal_hz, weighting), SpectrumMeter(source.rate, False, 1 << 13)
    last = np.zeros(0)
    for given in source.blocks():
        block = np.asarray(given.real, np.float64)
        meter.take(block)
        spectrum.take(block)
        last = block if block.size >= 0.05 * source.rate else np.concatenate((last, block))
    r = meter.report()
    trace = spectrum.trace()
    tone = r.tone_hz
    top = max((db for hz, db in find_lines(trace) if tone and abs(hz - tone) < 60), default=float(trace.db.max()))
    shown = trace.hz <= min(4200.0, source.rate / 2)
    marks = [Mark(tone, 0.0, tr("tone {hz} Hz", hz=number(tone, 1)))] if tone else []
    marks += [
        Mark(tone * k, dbc, tr("{k}. harmonic {db} dB", k=k, db=number(dbc, 0)))
        for k, dbc in enumerate(r.harmonics_dbc, 2)
        if tone and dbc is not None and dbc > -60 and tone * k <= 4200
    ]
    if r.hum_hz is not None and r.hum_db is not None:
        marks.append(Mark(2 * r.hum_hz, max(r.hum_db, _FLOOR_DB), tr("{hz:g} Hz hum", hz=r.hum_hz)))
    x, y, rest = _three_periods(last[: round(source.rate)], source.rate, tone or nominal_hz)
    sends: list[tuple[str, float, float | None]] = []
    if r.sinad_db is not None and r.distortion_pct is not None:
        sends = [("rx.sinad", r.sinad_db, r.uncertainty_db), ("rx.distortion", r.distortion_pct, None)]
    return MeterPicture(
        source.name, "sinad", "—" if r.sinad_db is None else number(r.sinad_db, 1), tr("dB SINAD"),
        "" if r.uncertainty_db is None else tr("± {u} dB over {s} s", u=number(2 * r.uncertainty_db, 2), s=number(r.seconds, 1)),
        tr("level {db} dBFS · {weight}", db=number(r.level_dbfs, 1), weight=tr("300 to 3400 Hz") if weighting == "flat" else tr(weighting)),
        _trend([(s.seconds, 10 * np.log10(1 + s.tone / max(s.rest, 1e-30))) for s in meter.stretches]) if tone else (),
        (x, y), rest, tr("three periods; thin: what is not tone"), tr("full scale"),
        (trace.hz[shown], np.maximum(trace.db[shown] - top, _FLOOR_DB)), BANDS_HZ[weighting], tuple(marks), tr("dB below the tone"),
        (
            _figure(tr("distortion and noise"), r.distortion_pct, "%", 2), _figure(tr("THD"), r.thd_pct, "%", 2),
            _figure(tr("signal to noise"), r.snr_db, "dB", 1), _figure(tr("hum"), r.hum_db, "dB", 0),
        ),
        (*r.warnings, *source.warnings), tuple(sends),
    )  # fmt: skip


def _three_periods(
    x: NDArray[np.float64], rate: float, hz: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64] | None]:
    """(milliseconds, samples, what the tone leaves), from a rising passage through nought on."""
    if x.size < 0.05 * rate:
        return np.zeros(0), np.zeros(0), None
    _, _, rest = fit_tone(x, rate, hz)
    length = min(round(_PERIODS * rate / hz), x.size // 2)
    smooth = x - rest
    rising = np.flatnonzero((smooth[:-1] < 0) & (smooth[1:] >= 0))
    start = int(rising[rising < x.size - length][0]) if np.any(rising < x.size - length) else 0
    part = slice(start, start + length)
    return np.arange(length) / rate * 1e3, x[part] - x.mean(), rest[part]


def _trend(parts: list[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """(seconds from the beginning, value) of each stretch, thinned for a long recording."""
    at, points = 0.0, []
    for seconds, value in parts:
        points.append((at + seconds / 2, float(value)))
        at += seconds
    step = max(1, len(points) // _POINTS)
    return tuple(points[::step])


def _figure(what: str, value: float | None, unit: str, decimals: int) -> Figure:
    return Figure(what, "—" if value is None else number(value, decimals), unit, value)


def _first_stretch(source: Source) -> tuple[NDArray[np.complex128], float]:
    for samples, rate, _ in channel_of(source):
        return np.asarray(samples, np.complex128), rate
    raise SignalError("holds too few samples to measure.")


def _channel_spectrum(x: NDArray[np.complex128], rate: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    meter = SpectrumMeter(rate, True, 1 << 12)
    meter.take(x)
    trace = meter.trace()
    shown = np.abs(trace.hz) <= 12_000.0
    return trace.hz[shown], np.maximum(trace.db[shown] - trace.db.max(), _FLOOR_DB)


def _deviation(source: Source, nominal_hz: float) -> MeterPicture:
    r = measure_iq_fm(source, nominal_hz)
    x, rate = _first_stretch(source)
    audio = audio_filter(demodulate(channel_filter(x, rate), rate), rate)
    t, y, rest = _three_periods(audio[: round(rate)], rate, r.tone_hz or nominal_hz)
    return MeterPicture(
        source.name, "deviation", number(r.peak_deviation_hz / 1e3, 2), tr("kHz peak"),
        tr("over {s} s", s=number(r.seconds, 1)),
        tr("on a tone of {hz} Hz", hz=number(r.tone_hz, 1)) if r.tone_hz else tr("on speech: what 99.95 % of the time stays under"),
        (), (t, y / 1e3), rest / 1e3 if rest is not None and r.tone_hz else None, tr("the demodulated wave"), "kHz", _channel_spectrum(x, rate),
        (-8000.0, 8000.0), (Mark(0.0, 0.0, tr("middle of the channel")),), tr("dB below the highest line"),
        (
            _figure(tr("plus"), r.deviation_plus_hz / 1e3, "kHz", 2), _figure(tr("minus"), r.deviation_minus_hz / 1e3, "kHz", 2),
            _figure(tr("carrier"), r.carrier_error_hz, "Hz", 1), _figure(tr("SINAD"), r.sinad_db, "dB", 1),
        ),
        r.warnings, (("tx.deviation", r.peak_deviation_hz, None), ("tx.frequency_error", r.carrier_error_hz, None)),
    )  # fmt: skip


def _depth(source: Source, nominal_hz: float) -> MeterPicture:
    r = measure_iq_am(source, nominal_hz)
    x, rate = _first_stretch(source)
    envelope = np.abs(channel_filter(x, rate, 9_000.0))
    envelope = envelope / max(float(envelope.mean()), 1e-30)
    t, y, rest = _three_periods(envelope[: round(rate)] - 1.0, rate, r.tone_hz or nominal_hz)
    return MeterPicture(
        source.name, "depth", number(r.depth_pct, 1), "%", tr("over {s} s", s=number(r.seconds, 1)),
        tr("on a tone of {hz} Hz", hz=number(r.tone_hz, 1)) if r.tone_hz else tr("from the envelope's extremes"),
        (), (t, 100 * y), 100 * rest if rest is not None and r.tone_hz else None, tr("the envelope about the carrier"), "%",
        _channel_spectrum(x, rate), (-4500.0, 4500.0), (Mark(0.0, 0.0, tr("carrier")),), tr("dB below the carrier"),
        (
            _figure(tr("plus"), r.depth_plus_pct, "%", 1), _figure(tr("minus"), r.depth_minus_pct, "%", 1),
            _figure(tr("carrier"), r.carrier_error_hz, "Hz", 1), _figure(tr("distortion"), r.distortion_pct, "%", 2),
        ),
        r.warnings, (("tx.am_depth", r.depth_pct, None), ("tx.frequency_error", r.carrier_error_hz, None)),
    )  # fmt: skip


__all__ = ["TASKS", "Figure", "Mark", "MeterPicture", "MeterTask", "picture"]
