"""Pictures of audio for the Meters view: SINAD and what it is made of, volts, and the wave three periods long."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from unitone.bench.drivers.recording import Source
from unitone.present.meters.meter_shapes import Figure, How, Mark, MeterPicture, Send, figure
from unitone.quantities.show import number
from unitone.signals.audio import AudioMeter, AudioReport, band_power
from unitone.signals.sinad import fit_tone
from unitone.signals.spectrum import SpectrumMeter, Trace, find_lines
from unitone.signals.weighting import BANDS_HZ
from unitone.words import tr

#: Points of a drawn curve: more than a screen has.
_POINTS = 1400
_PERIODS = 3
FLOOR_DB = -100.0
_SHOWN_HZ = 4200.0
#: A line is named where it stands so far over its surroundings (dB).
_STANDS_DB = 8.0
#: Audio for the wave: long enough for a lowest tone, short enough to be fitted at once.
_WAVE_S = 0.2


class _Heard:
    """One pass over a source: report, spectrum, the last stretch of samples."""

    def __init__(self, source: Source, how: How) -> None:
        self.meter = AudioMeter(source.rate, how.nominal_hz, how.weighting)
        spectrum = SpectrumMeter(source.rate, False, 1 << 13)
        self.last = np.zeros(0)
        power, seconds = 0.0, 0.0
        for given in source.blocks():
            block = np.asarray(given.real, np.float64)
            self.meter.take(block)
            spectrum.take(block)
            if block.size >= 0.05 * source.rate:
                self.last = block
                power += band_power(block, source.rate, how.weighting) * block.size
                seconds += block.size
            else:
                self.last = np.concatenate((self.last, block))[-round(source.rate) :]
        self.report: AudioReport = self.meter.report()
        self.trace = spectrum.trace()
        #: Power in the weighted band, tone and noise alike.
        self.in_band = power / seconds if seconds else band_power(self.last, source.rate, how.weighting)


def audio_picture(source: Source, how: How) -> MeterPicture:
    """SINAD, or volts, of everything the source gives. Raises SignalError."""
    heard = _Heard(source, how)
    r = heard.report
    tone = r.tone_hz
    trace = heard.trace
    shown = trace.hz <= min(_SHOWN_HZ, source.rate / 2)
    top = max(
        (db for hz, db in find_lines(trace) if tone and abs(hz - tone) < 60), default=float(trace.db[shown].max())
    )
    marks = [Mark(tone, 0.0, tr("tone {hz} Hz", hz=number(tone, 1)))] if tone else []
    marks += [
        Mark(tone * k, dbc, tr("{k}. harmonic {db} dB", k=k, db=number(dbc, 0)))
        for k, dbc in enumerate(r.harmonics_dbc, 2)
        if tone and dbc is not None and dbc > -60 and tone * k <= _SHOWN_HZ and _stands(trace, tone * k)
    ]
    if r.hum_hz is not None and r.hum_db is not None:
        marks.append(Mark(2 * r.hum_hz, max(r.hum_db, FLOOR_DB), tr("{hz:g} Hz hum", hz=r.hum_hz)))
    x, y, rest = three_periods(heard.last[: round(_WAVE_S * source.rate)], source.rate, tone or how.nominal_hz)
    weight = tr("300 to 3400 Hz") if how.weighting == "flat" else tr(how.weighting)
    rms = math.sqrt(heard.in_band)
    crest = 20 * math.log10(max(heard.meter.health.peak, 1e-12) / max(rms, 1e-12))
    small = (
        figure(tr("distortion and noise"), r.distortion_pct, "%", 2), figure(tr("THD"), r.thd_pct, "%", 2),
        figure(tr("signal to noise"), r.snr_db, "dB", 1), figure(tr("hum"), r.hum_db, "dB", 0),
    )  # fmt: skip
    sends: list[Send] = []
    value: float | None
    if how.task == "volts":
        value, text, unit, volts = _volts(rms, how.full_scale_v)
        sends = [] if volts is None else [Send("rx.af_voltage", volts)]
        small = (_tone_volts(r, how.full_scale_v), *small[1:3], figure(tr("peak over rms"), crest, "dB", 1))
        doubt = tr("rms over {s} s", s=number(r.seconds, 1))
        warnings = list(r.warnings_of_level)
        if how.full_scale_v is None:
            warnings.append(
                tr(
                    "not calibrated in volts: the level is against full scale. Workshop, My bench calibrates this input."
                )
            )
    else:
        value, text, unit = r.sinad_db, "—" if r.sinad_db is None else number(r.sinad_db, 1), tr("dB SINAD")
        doubt = (
            ""
            if r.uncertainty_db is None
            else tr("± {u} dB over {s} s", u=number(2 * r.uncertainty_db, 2), s=number(r.seconds, 1))
        )
        warnings = list(r.warnings)
        if r.sinad_db is not None and r.distortion_pct is not None:
            sends = [Send("rx.sinad", r.sinad_db, r.uncertainty_db), Send("rx.distortion", r.distortion_pct)]
    return MeterPicture(
        source.name, how.task, text, unit, value, doubt, tr("level {db} dBFS · {weight}", db=number(r.level_dbfs, 1), weight=weight),
        small, (*warnings, *source.warnings), (trace.hz[shown], np.maximum(trace.db[shown] - top, FLOOR_DB)),
        tr("dB below the tone") if tone else tr("dB below the highest"), BANDS_HZ[how.weighting], tuple(marks),
        wave=(x, y), rest=rest if tone else None, trend=_trend(heard.meter, how) if tone else (),
        wave_words=tr("three periods; thin: what is not tone · full scale, ms") if tone else tr("full scale, ms"), sends=tuple(sends),
        compare_db=10 * math.log10(max(heard.in_band, 1e-30)), peak_dbfs=20 * math.log10(max(heard.meter.health.peak, 1e-12)),
    )  # fmt: skip


def _stands(trace: Trace, hz: float) -> bool:
    """Does a line stand out of what lies beside it in the drawn spectrum? One that does not is named nowhere."""
    step = float(trace.hz[1] - trace.hz[0])
    at, reach, beside = (
        round(hz / step),
        math.ceil(3 * trace.bandwidth_hz / step),
        math.ceil(12 * trace.bandwidth_hz / step),
    )
    if at - beside < 0 or at + beside >= trace.db.size:
        return False
    around = np.concatenate((trace.db[at - beside : at - reach], trace.db[at + reach + 1 : at + beside + 1]))
    return float(trace.db[at - 1 : at + 2].max()) > float(np.median(around)) + _STANDS_DB


def _volts(rms: float, full_scale_v: float | None) -> tuple[float, str, str, float | None]:
    """(value, text, unit, volts rms or None) of an rms relative to full scale; a sine at full scale is 0 dBFS."""
    if full_scale_v is None:
        value = 20 * math.log10(max(rms * math.sqrt(2.0), 1e-12))
        return value, number(value, 1), "dBFS", None
    volts = rms * math.sqrt(2.0) * full_scale_v
    return (volts, number(volts, 3), "V", volts) if volts >= 1.0 else (volts, number(1e3 * volts, 1), "mV", volts)


def _tone_volts(r: AudioReport, full_scale_v: float | None) -> Figure:
    """The tone alone: what is left of the level when noise and hum are taken out."""
    if r.tone_hz is None or r.tone_dbfs is None:
        return figure(tr("the tone alone"), None, "", 1)
    if full_scale_v is None:
        return figure(tr("the tone alone"), r.tone_dbfs, "dBFS", 1)
    return figure(tr("the tone alone"), 1e3 * full_scale_v * 10 ** (r.tone_dbfs / 20), "mV", 1)


def three_periods(
    x: NDArray[np.float64], rate: float, hz: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64] | None]:
    """(milliseconds, samples, what the tone leaves), from a rising passage through zero on."""
    if x.size < 0.05 * rate:
        return np.zeros(0), np.zeros(0), None
    _, _, rest = fit_tone(x, rate, hz)
    length = min(round(_PERIODS * rate / hz), x.size // 2)
    smooth = x - rest
    rising = np.flatnonzero((smooth[:-1] < 0) & (smooth[1:] >= 0))
    start = int(rising[rising < x.size - length][0]) if np.any(rising < x.size - length) else 0
    part = slice(start, start + length)
    return np.arange(length) / rate * 1e3, x[part] - x.mean(), rest[part]


def _trend(meter: AudioMeter, how: How) -> tuple[tuple[float, float], ...]:
    """(seconds from the beginning, value) of each stretch, thinned for a long recording."""
    at, points = 0.0, []
    for s in meter.stretches:
        value = 10 * math.log10(1 + s.tone / max(s.rest, 1e-30))
        if how.task == "volts":
            value = _volts(math.sqrt(s.tone + s.rest), how.full_scale_v)[0]
        points.append((at + s.seconds / 2, value))
        at += s.seconds
    return tuple(points[:: max(1, len(points) // _POINTS)])


def describe_ratio(held: MeterPicture, now: MeterPicture) -> str:
    """What two levels say together: quieting or (S+N)/N, carrier shift (AM), PEP (SSB); empty where they cannot be compared."""
    if held.compare_db is None or now.compare_db is None or held.task != now.task:
        return ""
    more = held.compare_db - now.compare_db
    if now.task == "depth":
        # The carrier's level with modulation on and off: how far modulation moves it.
        shift = 100.0 * (10.0 ** (-more / 20.0) - 1.0)
        return tr("carrier shift against held: {pct} %", pct=number(shift, 1, sign=True)) if abs(shift) >= 0.1 else ""
    if abs(more) < 0.5 or now.task == "sinad":
        return ""
    if now.task == "ssb":
        return tr("PEP {db} dB against held", db=number(-more, 1, sign=True))
    if more > 0:
        return tr(
            "{db} dB less than held: (S+N)/N with the tone (AM) or the RF (SSB) off, quieting with the RF on",
            db=number(more, 1),
        )
    return tr("{db} dB more than held", db=number(-more, 1))
