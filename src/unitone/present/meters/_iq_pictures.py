"""Pictures of I/Q for the Meters view: deviation, AM depth, SSB."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from unitone.bench.drivers.measure import channel_of, measure_iq_am, measure_iq_fm
from unitone.bench.drivers.recording import BLOCK, Block, Source
from unitone.errors import SignalError
from unitone.present.meters.audio_pictures import FLOOR_DB, three_periods
from unitone.present.meters.meter_shapes import Curve, How, Mark, MeterPicture, Send, figure
from unitone.quantities.show import number
from unitone.signals.fm import (
    audio_filter,
    carrier_depth_db,
    channel_filter,
    demodulate,
    deviation_histogram,
    tone_for_null,
)
from unitone.signals.spectrum import SpectrumMeter, find_lines
from unitone.signals.ssb import envelope, suppression_db, two_tone
from unitone.words import tr

_SHOWN_HZ = 12_000.0
_SSB_HZ = 4_000.0
#: Two tones are taken for two where the weaker comes within this of the stronger (dB).
_EQUAL_DB = 8.0


def _first_stretch(source: Source, around_hz: float | None = None) -> tuple[NDArray[np.complex128], float]:
    for samples, rate, _ in channel_of(source, around_hz):
        return np.asarray(samples, np.complex128), rate
    raise SignalError(tr("has too few samples to measure."))


def _spectrum(x: NDArray[np.complex128], rate: float, reach_hz: float = _SHOWN_HZ) -> Curve:
    meter = SpectrumMeter(rate, True, 1 << 12)
    meter.take(x)
    trace = meter.trace()
    shown = np.abs(trace.hz) <= reach_hz
    return trace.hz[shown], np.maximum(trace.db[shown] - trace.db.max(), FLOOR_DB)


def _frequency_sends(source: Source, error_hz: float) -> tuple[Send, ...]:
    """The carrier as an error from the middle, or as a frequency where the recording says what its middle is."""
    if source.centre_hz:
        return (Send("osc.frequency", source.centre_hz + error_hz),)
    return (Send("tx.frequency_error", error_hz),)


class _Watched:
    """A source that remembers the highest of either part that passed: what a converter would have run into."""

    def __init__(self, source: Source) -> None:
        self._source, self._peak = source, 1e-12
        self.name, self.kind, self.rate, self.centre_hz = source.name, source.kind, source.rate, source.centre_hz

    @property
    def warnings(self) -> tuple[str, ...]:
        """Those of the source, which may come while it is read."""
        return self._source.warnings

    def blocks(self, size: int = BLOCK) -> Iterator[Block]:
        """The source's blocks."""
        for block in self._source.blocks(size):
            self._peak = max(self._peak, float(np.abs(block.real).max()), float(np.abs(block.imag).max()))
            yield block

    @property
    def dbfs(self) -> float:
        """The highest so far (dB, 0 = full scale)."""
        return 20 * math.log10(self._peak)


def deviation_picture(source: Source, how: How) -> MeterPicture:
    """FM: peak deviation, the demodulated wave, and on speech how the deviation is spread. Raises SignalError."""
    source = _Watched(source)
    r = measure_iq_fm(source, how.nominal_hz)
    x, rate = _first_stretch(source)
    inside = channel_filter(x, rate)
    audio = audio_filter(demodulate(inside, rate), rate)
    t, y, rest = three_periods(audio[: round(rate)], rate, r.tone_hz or how.nominal_hz)
    toned = r.tone_hz is not None
    spread = None
    if not toned:
        swing = audio - float(np.median(audio))
        most = 1.15 * max(r.peak_deviation_hz, 100.0)
        edges, share = deviation_histogram(swing, most)
        spread = (edges / 1e3, 100.0 * share)
    null = tone_for_null(how.prove_hz)
    # The channel was mixed to near zero: the carrier is looked for where this stretch has it.
    line = carrier_depth_db(inside, rate, float(demodulate(inside, rate).mean()))
    words = tr("on speech: 99.95 % of the time below this")
    if r.tone_hz is not None:
        words = tr(
            "on {hz} Hz; the carrier line stands {db} dB under the whole. {dev} kHz nulls it with a tone of {null} Hz",
            hz=number(r.tone_hz, 1), db=number(-line, 0), dev=number(how.prove_hz / 1e3, 2), null=number(null, 1),
        )  # fmt: skip
    faked = tr("noise alone would show {hz} Hz", hz=number(r.noise_hz, 0))
    return MeterPicture(
        source.name, "deviation", number(r.peak_deviation_hz / 1e3, 2), tr("kHz peak"), r.peak_deviation_hz / 1e3,
        tr("over {s} s · {faked}", s=number(r.seconds, 1), faked=faked), words,
        (
            figure(tr("plus"), r.deviation_plus_hz / 1e3, "kHz", 2), figure(tr("minus"), r.deviation_minus_hz / 1e3, "kHz", 2),
            figure(tr("carrier"), r.carrier_error_hz, "Hz", 1),
            figure(tr("SINAD"), r.sinad_db, "dB", 1) if toned else figure(tr("rms"), r.rms_hz, "Hz", 0),
        ),
        r.warnings, _spectrum(x, rate), tr("dB below the highest line") if toned else tr("% of the time · kHz"),
        (-8000.0, 8000.0), wave=(t, y / 1e3),
        rest=rest / 1e3 if rest is not None and toned else None, wave_words=tr("the demodulated wave · kHz, ms"), spread=spread,
        sends=(Send("tx.deviation", r.peak_deviation_hz), *_frequency_sends(source, r.carrier_error_hz)), peak_dbfs=source.dbfs,
    )  # fmt: skip


def depth_picture(source: Source, how: How) -> MeterPicture:
    """AM: depth, the envelope, the sidebands. Raises SignalError."""
    source = _Watched(source)
    r = measure_iq_am(source, how.nominal_hz)
    x, rate = _first_stretch(source)
    size = np.abs(channel_filter(x, rate, 9_000.0))
    size = size / max(float(size.mean()), 1e-30)
    t, y, rest = three_periods(size[: round(rate)] - 1.0, rate, r.tone_hz or how.nominal_hz)
    return MeterPicture(
        source.name, "depth", number(r.depth_pct, 1), "%", r.depth_pct, tr("over {s} s", s=number(r.seconds, 1)),
        (tr("on a tone of {hz} Hz", hz=number(r.tone_hz, 1)) if r.tone_hz else tr("from the envelope's extremes"))
        + tr(" · carrier {db} dBFS", db=number(r.carrier_dbfs, 1)),
        (
            figure(tr("plus"), r.depth_plus_pct, "%", 1), figure(tr("minus"), r.depth_minus_pct, "%", 1),
            figure(tr("carrier"), r.carrier_error_hz, "Hz", 1), figure(tr("distortion"), r.distortion_pct, "%", 2),
        ),
        r.warnings, _spectrum(x, rate), tr("dB below the carrier"), (-4500.0, 4500.0), (Mark(0.0, 0.0, tr("carrier")),),
        wave=(t, 100 * y), rest=100 * rest if rest is not None and r.tone_hz else None,
        wave_words=tr("the envelope about the carrier · %, ms"),
        sends=(Send("tx.am_depth", r.depth_pct), *_frequency_sends(source, r.carrier_error_hz)), compare_db=r.carrier_dbfs,
        peak_dbfs=source.dbfs,
    )  # fmt: skip


def ssb_picture(source: Source, how: How) -> MeterPicture:
    """SSB: on two tones their products, on one what is left of carrier and other sideband; PEP over mean. Raises SignalError."""
    source = _Watched(source)
    x, rate = _first_stretch(source, 0.0)
    power = envelope(x, rate)
    meter = SpectrumMeter(rate, True, 1 << 12)
    meter.take(x)
    found = [(hz, db) for hz, db in find_lines(meter.trace(), 12.0) if abs(hz) <= _SSB_HZ]
    if not found:
        raise SignalError(
            tr("no tone found within 4 kHz of the middle: use one tone or two equal ones, and tune to the carrier.")
        )
    seconds = x.size / rate
    pep, mean = 10 * math.log10(power.pep), 10 * math.log10(power.mean)
    common = (figure(tr("peak envelope"), pep, "dBFS", 1), figure(tr("mean"), mean, "dBFS", 1))
    strong, weak = found[0], next((f for f in found[1:] if f[1] > found[0][1] - _EQUAL_DB), None)
    top = meter.trace().db.max()
    marks = [
        Mark(hz, db - float(top), f"{number(hz, 0)} Hz") for hz, db in found[:2] if weak is not None or hz == strong[0]
    ]
    if weak is not None:
        two = two_tone(x, rate, strong[0], weak[0])
        low, high = two.tones_hz
        apart = high - low
        marks += [Mark(low - apart, two.im3_db, tr("3rd order")), Mark(high + 2 * apart, two.im5_db, tr("5th order"))]
        worst = max(two.im3_db, two.im5_db)
        shown, unit, value = number(worst, 1), tr("dB, the worst product"), worst
        words = tr("tones of {low} and {high} Hz · under PEP: 6 dB less", low=number(low, 0), high=number(high, 0))
        small = (*common, figure(tr("3rd order"), two.im3_db, "dB", 1), figure(tr("5th order"), two.im5_db, "dB", 1))
        sends: tuple[Send, ...] = ()
    else:
        carrier, other = suppression_db(x, rate, strong[0], how.carrier_hz)
        marks += [
            Mark(how.carrier_hz, carrier, tr("carrier")),
            Mark(2 * how.carrier_hz - strong[0], other, tr("other sideband")),
        ]
        shown, unit, value = number(carrier, 1), tr("dBc, carrier left"), carrier
        words = tr("one tone, {hz} Hz from the carrier's place", hz=number(strong[0] - how.carrier_hz, 0))
        small = (*common, figure(tr("carrier"), carrier, "dB", 1), figure(tr("other sideband"), other, "dB", 1))
        sends = (Send("tx.carrier_suppression", min(carrier, 0.0)),)
    size = np.abs(channel_filter(x, rate, 8_000.0))
    part = size[: round(0.02 * rate)]
    return MeterPicture(
        source.name, "ssb", shown, unit, value, tr("over {s} s · peak over mean {db} dB", s=number(seconds, 1), db=number(power.crest_db, 1)),
        words, small, source.warnings, _spectrum(x, rate, _SSB_HZ), tr("dB below the highest line"), None, tuple(marks),
        wave=(np.arange(part.size) / rate * 1e3, part), wave_words=tr("the envelope · full scale, ms"), sends=sends,
        compare_db=pep, peak_dbfs=source.dbfs,
    )  # fmt: skip
