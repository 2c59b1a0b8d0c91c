"""Pictures of frequencies for the Meters view: a counted line, a table of lines against a limit, an IF's curve."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unitone.bench.drivers.measure import channel_of
from unitone.bench.drivers.recording import Block, Source
from unitone.errors import SignalError
from unitone.files import plain_reason, read_text
from unitone.present.meters.audio_pictures import FLOOR_DB, three_periods
from unitone.present.meters.meter_shapes import Curve, How, Mark, MeterPicture, Send, figure
from unitone.quantities.show import number
from unitone.signals.counter import count
from unitone.signals.response import measure_response, read_response, sweep_is_slow, swept
from unitone.signals.spectrum import MAX_CSV_BYTES, SpectrumMeter, Spur, Trace, read_csv, spurs
from unitone.words import tr, tr_n

#: A counter's gate is this long at most (seconds); more of a recording is not needed.
_GATE_S = 10.0
#: Rows of the table of lines.
_ROWS = 9
Counted = NDArray[np.complex64] | NDArray[np.float64]
TRACE_ENDINGS = (".csv", ".txt", ".s1p", ".s2p")


def nice_hz(hz: float, decimals: int | None = None) -> tuple[str, str]:
    """(figure, unit) of a frequency: Hz, kHz or MHz, chosen after rounding; ``decimals`` are those of a hertz (below 0: tens, hundreds …)."""
    for scale, unit, lost in ((1.0, "Hz", 0), (1e3, "kHz", 3), (1e6, "MHz", 6)):
        places = max((1 if decimals is None else decimals) + lost, 0)
        if abs(round(hz / scale, places)) < 1000.0 or unit == "MHz":
            return number(hz / scale, min(places, 9)), unit
    raise AssertionError("unreachable")


def frequency_picture(source: Source, how: How) -> MeterPicture:
    """The strongest line counted. Raises SignalError."""
    complex_ = source.kind == "iq"
    samples, rate, offset = _gate(source)
    got = count(samples, rate, 0.0)
    raw = got.hz + offset
    audio = np.asarray(samples.real, np.float64)
    # The clock of the samples errs in what was sampled, and a receiver's own middle comes from the same clock.
    hz = (raw + source.centre_hz) * (1.0 + how.ppm * 1e-6)
    decimals = int(np.clip(math.ceil(-math.log10(max(2 * got.std_hz, 1e-6))), 0, 4))
    shown, unit = nice_hz(hz, decimals)
    away = raw if complex_ else hz - how.nominal_hz
    whole = source.centre_hz if complex_ else how.nominal_hz
    t, y, _ = three_periods(audio[: round(0.2 * rate)], rate, float(np.clip(abs(got.hz), 50.0, 0.4 * rate)))
    trace = _trace_of([samples], rate, complex_)
    near = slice(None) if complex_ else trace.hz <= max(4000.0, 2 * abs(raw))
    words = tr("timebase not calibrated: see My bench")
    if how.ppm:
        words = tr("timebase {ppm} ppm taken into account", ppm=number(how.ppm, 2, sign=True))
    return MeterPicture(
        source.name, "frequency", shown, unit, hz,
        tr("± {u} Hz, gate {s} s", u=number(2 * got.std_hz, max(decimals, 1)), s=number(got.gate_s, 2)), words,
        (
            figure(tr("from the middle") if complex_ else tr("from nominal"), away, "Hz", decimals),
            figure(tr("in ppm"), away / whole * 1e6 if whole else None, "ppm", 2),
            figure(tr("spread of it"), 1e3 * got.std_hz, "mHz", 2), figure(tr("gate"), got.gate_s, "s", 2),
        ),
        source.warnings, (trace.hz[near] + offset, np.maximum(trace.db[near] - trace.db.max(), FLOOR_DB)),
        tr("dB below the highest line"), None, (Mark(raw, 0.0, f"{shown} {unit}"),), wave=(t, y),
        wave_words=tr("three periods · full scale, ms"),
        sends=(Send("ref.frequency", hz, got.std_hz), Send("osc.frequency", hz, got.std_hz)),
        peak_dbfs=20 * math.log10(max(float(np.abs(audio).max()), 1e-12)),
    )  # fmt: skip


def _gate(source: Source) -> tuple[Counted, float, float]:
    """(samples of one gate, their rate, the offset that was mixed to zero). Raises SignalError for too few."""
    offset, rate = 0.0, source.rate
    parts: list[NDArray[Any]] = []
    if source.kind == "iq":
        for x, rate, offset in channel_of(source):  # noqa: B007
            parts.append(x)
            if sum(p.size for p in parts) >= _GATE_S * rate:
                break
    else:
        parts = [np.asarray(b.real, np.float64) for b in _until(source, _GATE_S)]
    if sum(p.size for p in parts) < 0.05 * rate:
        raise SignalError(tr("at least 50 ms are needed to count a frequency."))
    return np.concatenate(parts), rate, offset


def _until(source: Source, seconds: float) -> Iterator[Block]:
    """Blocks of the first seconds."""
    left = seconds * source.rate
    for block in source.blocks():
        yield block[: math.ceil(left)]
        left -= block.size
        if left <= 0:
            return


def _trace_of(blocks: Iterable[Block], rate: float, complex_: bool) -> Trace:
    meter = SpectrumMeter(rate, complex_, 1 << 13)
    for block in blocks:
        meter.take(block)
    return meter.trace()


def lines_picture(source: Source, how: How) -> MeterPicture:
    """Every line of a recording. Raises SignalError."""
    trace = _trace_of(source.blocks(), source.rate, source.kind == "iq")
    return _lines(trace, source.name, source.centre_hz if source.kind == "iq" else 0.0, how, source.warnings)


def trace_lines_picture(path: Path, how: How) -> MeterPicture:
    """Every line of a spectrum that an analyser exported as CSV. Raises SignalError."""
    try:
        text = read_text(path, MAX_CSV_BYTES, "utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise SignalError(
            tr("{path}: cannot be read as text ({why}). Export the trace as CSV.", path=path, why=plain_reason(error))
        ) from None
    return _lines(read_csv(text, str(path)), path.name, 0.0, how, ())


def _lines(trace: Trace, name: str, centre_hz: float, how: How, warnings: tuple[str, ...]) -> MeterPicture:
    carrier, level, found = spurs(trace, how.limit)
    # No finer than the trace: a tenth of its steps, and no finer than a hertz.
    fine = min(0, 1 - math.ceil(math.log10(float(trace.hz[1] - trace.hz[0]))))
    top = carrier + centre_hz
    if how.limit and centre_hz:
        # A limit is written in frequencies on the air.
        _, _, found = spurs(Trace(trace.hz + centre_hz, trace.db, trace.bandwidth_hz), how.limit)
        found = [Spur(s.hz - centre_hz, s.dbc, s.name, s.margin_db) for s in found]
    worst = min(found, key=lambda s: s.margin_db if s.margin_db is not None else -s.dbc, default=None)
    rows = [(tr("Hz"), tr("dBc"), tr("line"), tr("margin"))]
    rows += [
        (
            " ".join(nice_hz(s.hz + centre_hz, fine)), number(s.dbc, 1), s.name,
            "" if s.margin_db is None else tr("{db} dB {way}", db=number(abs(s.margin_db), 1), way=tr("under") if s.margin_db >= 0 else tr("OVER")),
        )
        for s in found[:_ROWS]
    ]  # fmt: skip
    second = next((s for s in found if s.name == "harmonic 2"), None)
    over = [s for s in found if s.margin_db is not None and s.margin_db < 0]
    said = list(warnings)
    if len(found) > _ROWS:
        said.append(tr_n("{n} weaker line not shown.", "{n} weaker lines not shown.", len(found) - _ROWS))
    names = ", ".join(" ".join(nice_hz(s.hz + centre_hz, fine)) for s in over[:3])
    out = (tr("over the limit: {names}{more}", names=names, more=" …" if len(over) > 3 else ""),) if over else ()
    words = tr("no line found beside the carrier")
    if worst is not None:
        words = f"{' '.join(nice_hz(worst.hz + centre_hz, fine))} {worst.name}"
    shown_floor = max(float(trace.db.min() - level), FLOOR_DB - 20)
    x = trace.hz + centre_hz
    line: Curve | None = None
    if how.limit:
        line = (x, np.interp(x, [p[0] for p in how.limit], [p[1] for p in how.limit]))
    return MeterPicture(
        name, "lines", "—" if worst is None else number(worst.dbc, 1), tr("dBc, the worst line"), None if worst is None else worst.dbc,
        tr("carrier {f}", f=" ".join(nice_hz(top, fine))),
words,
        (
            figure(tr("lines"), float(len(found)), "", 0), figure(tr("second harmonic"), None if second is None else second.dbc, "dBc", 1),
            figure(tr("noise floor"), trace.floor_db - level, "dBc", 0),
            figure(tr("margin"), None if worst is None else worst.margin_db, "dB", 1),
        ),
        tuple(said), (x, np.maximum(trace.db - level, shown_floor)), tr("dB below the carrier"), None,
        tuple(Mark(s.hz + centre_hz, s.dbc, s.name or " ".join(nice_hz(s.hz + centre_hz, fine))) for s in found[:4]), limit=line, table=tuple(rows),
        sends=() if second is None else (Send("tx.harmonic", second.dbc),), out=out,
    )  # fmt: skip


def response_picture(path: Path, how: How, source: Source | None = None) -> MeterPicture:
    """An IF's curve from CSV, Touchstone, or the record of a sweep (``source``). Raises SignalError."""
    warnings: list[str] = []
    if source is not None:
        if how.sweep is None:
            raise SignalError(
                tr("a recorded sweep needs its frequencies: type them under Sweep, like 300 Hz to 3400 Hz in 10 s.")
            )
        start, stop, seconds = how.sweep
        x = np.concatenate([np.asarray(b.real, np.float64) for b in _until(source, seconds)])
        hz, db = swept(x, source.rate, start, stop, seconds)
    else:
        hz, db = read_response(path)
    r = measure_response(hz, db)
    if (
        how.sweep is not None
        and (width := r.bandwidth_hz[3.0])
        and not sweep_is_slow(width, abs(how.sweep[1] - how.sweep[0]) / how.sweep[2])
    ):
        warnings.append(tr("sweep too fast for this filter: the curve is smeared. Use ten times the sweep time."))
    six, three = r.bandwidth_hz[6.0], r.bandwidth_hz[3.0]
    if six is None:
        warnings.append(tr("the record does not go 6 dB down on both sides: sweep wider."))
    elif r.bandwidth_hz[60.0] is None:
        warnings.append(tr("the record does not go 60 dB down on both sides: no shape factor."))
    main = six if six is not None else three
    text, unit = ("—", "kHz") if main is None else nice_hz(main, 0 if main > 100 else 1)
    middle = "" if r.centre_hz is None else tr("middle at {f}", f=" ".join(nice_hz(r.centre_hz, 0)))
    rows = [(tr("down"), tr("bandwidth"))]
    rows += [(f"{down:g} dB", "—" if w is None else " ".join(nice_hz(w, 0))) for down, w in r.bandwidth_hz.items()]
    return MeterPicture(
        path.name, "response", text, unit + (tr(" at −6 dB") if six is not None else tr(" at −3 dB") if main else ""), main, middle,
        tr("top at {f}", f=" ".join(nice_hz(r.top_hz, 0))),
        (
            figure(tr("shape factor 60/6"), r.shape_factor, "", 2), figure(tr("ripple"), r.ripple_db, "dB", 1),
            figure(tr("sides differ by"), r.symmetry_db, "dB", 1),
            figure(tr("middle to top"), None if r.centre_hz is None else (r.top_hz - r.centre_hz), "Hz", 0),
        ),
        tuple(warnings), (hz, np.maximum(db - r.top_db, FLOOR_DB)), tr("dB below the top"),
        None if r.centre_hz is None or main is None else (r.centre_hz - main / 2, r.centre_hz + main / 2), (), table=tuple(rows),
    )  # fmt: skip
