"""A whole recording measured in a stream: each task of ``signals/`` over a source's blocks."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from unitone.bench.drivers.recording import BLOCK, Source, open_source, stereo
from unitone.errors import SignalError
from unitone.signals.am import AmReport, measure_am
from unitone.signals.audio import AudioMeter, AudioReport
from unitone.signals.channel import Channel, strongest_offset
from unitone.signals.fm import CHANNEL_RATE, FmReport, measure_fm
from unitone.signals.spectrum import SpectrumMeter, Trace, spurs
from unitone.signals.weighting import Weighting
from unitone.words import tr

Task = Literal["sinad", "fm", "am", "spectrum"]
TASKS: tuple[Task, ...] = ("sinad", "fm", "am", "spectrum")
#: A stretch of a channel that is measured at once (seconds).
_STRETCH_S = 2.0
#: Width in which the strongest signal is looked for (Hz).
_LOOK_HZ = 16_000.0


def measure_sinad(source: Source, nominal_hz: float = 1000.0, weighting: Weighting = "flat") -> AudioReport:
    """SINAD of a whole recording. Raises SignalError."""
    meter = AudioMeter(source.rate, nominal_hz, weighting)
    for block in source.blocks():
        meter.take(np.asarray(block.real, np.float64))
    report = meter.report()
    return dataclasses.replace(report, warnings=(*report.warnings, *source.warnings))


def channel_of(source: Source, around_hz: float | None = None) -> Iterator[tuple[NDArray[np.complex64], float, float]]:
    """(samples of the channel, their rate, the offset that was mixed to zero), stretch by stretch. Raises SignalError."""
    channel: Channel | None = None
    held: list[NDArray[np.complex64]] = []
    count = 0
    for given in source.blocks(BLOCK):
        block = np.asarray(given, np.complex64)
        if channel is None:
            found = around_hz if around_hz is not None else strongest_offset(block, source.rate, _LOOK_HZ)
            channel = Channel(source.rate, found, CHANNEL_RATE)
        made = channel.take(block)
        held.append(made)
        count += made.size
        if count >= _STRETCH_S * channel.rate:
            yield np.concatenate(held), channel.rate, channel.offset_hz
            held, count = [], 0
    if channel is not None and count:
        yield np.concatenate(held), channel.rate, channel.offset_hz


def measure_iq_fm(source: Source, nominal_hz: float = 1000.0, spoken: bool = False) -> FmReport:
    """FM of a whole recording: averages of its stretches on a tone, the highest peak on speech. Raises SignalError."""
    reports = _stretches(source, lambda x, rate: measure_fm(x, rate, nominal_hz, spoken=spoken))
    offset, parts = reports
    seconds = sum(p.seconds for p in parts)

    def mean(name: str) -> float:
        return float(sum(float(getattr(p, name)) * p.seconds for p in parts) / seconds)

    toned = [p for p in parts if p.tone_hz is not None]
    plus, minus = (
        (mean("deviation_plus_hz"), mean("deviation_minus_hz"))
        if len(toned) == len(parts)
        else (max(p.deviation_plus_hz for p in parts), max(p.deviation_minus_hz for p in parts))
    )
    sinads = [p.sinad_db for p in toned if p.sinad_db is not None]
    return FmReport(
        max(plus, minus), plus, minus, mean("rms_hz"),
        sum((p.tone_hz or 0.0) * p.seconds for p in toned) / sum(p.seconds for p in toned) if len(toned) == len(parts) else None,
        mean("carrier_error_hz") + offset,
        # Ratios of powers are averaged as powers.
        float(10 * np.log10(np.mean(10 ** (np.array(sinads) / 10)))) if len(toned) == len(parts) and sinads else None,
        mean("distortion_pct") if len(toned) == len(parts) else None, mean("residual_hz"), mean("noise_hz"), mean("cnr_db"), seconds,
        (*dict.fromkeys(w for p in parts for w in p.warnings), *source.warnings),
    )  # fmt: skip


def measure_iq_am(source: Source, nominal_hz: float = 1000.0) -> AmReport:
    """AM of a whole recording: averages of its stretches on a tone, the extremes on speech. Raises SignalError."""
    offset, parts = _stretches(source, lambda x, rate: measure_am(x, rate, nominal_hz))
    seconds = sum(p.seconds for p in parts)

    def mean(name: str) -> float:
        return float(sum(float(getattr(p, name)) * p.seconds for p in parts) / seconds)

    toned = all(p.tone_hz is not None for p in parts)
    depth, plus, minus = (
        mean(n) if toned else float(max(getattr(p, n) for p in parts))
        for n in ("depth_pct", "depth_plus_pct", "depth_minus_pct")
    )
    return AmReport(
        depth, plus, minus, mean("tone_hz") if toned else None, mean("carrier_error_hz") + offset, mean("carrier_dbfs"),
        mean("distortion_pct") if toned else None, seconds, (*dict.fromkeys(w for p in parts for w in p.warnings), *source.warnings),
    )  # fmt: skip


def _stretches(source: Source, measure: Any) -> tuple[float, list[Any]]:
    """(offset mixed to zero, a report for each stretch); a remainder too short to measure is left out, unless it is all."""
    offset = 0.0
    parts: list[Any] = []
    for x, rate, found in channel_of(source):
        offset = found
        try:
            parts.append(measure(x, rate))
        except SignalError:
            if not parts or x.size > 0.5 * rate:
                raise
    if not parts:
        raise SignalError(tr("has too few samples to measure."))
    return offset, parts


def measure_spectrum(source: Source) -> tuple[Trace, dict[str, Any]]:
    """(averaged spectrum, carrier and spurs as plain data). Raises SignalError."""
    meter = SpectrumMeter(source.rate, source.kind == "iq")
    for block in source.blocks():
        meter.take(block)
    trace = meter.trace()
    carrier, level, found = spurs(trace)
    centre = source.centre_hz if source.kind == "iq" else 0.0
    return trace, {
        "carrier_hz": round(carrier + centre, 3), "carrier_dbfs": round(level, 2), "floor_dbfs": round(trace.floor_db, 2),
        "spurs": [{"hz": round(s.hz + centre, 3), "dbc": round(s.dbc, 2), "name": s.name} for s in found], "warnings": list(source.warnings),
    }  # fmt: skip


def measure_file(
    path: Path, task: Task, channel: int = 1, weighting: Weighting = "flat", nominal_hz: float = 1000.0
) -> dict[str, Any]:
    """One file as plain data, in the keys that the command line promises. Raises SignalError naming the file."""
    try:
        iq = (
            task in ("fm", "am")
            or (task == "spectrum" and path.suffix.lower().startswith(".sigmf"))
            or (task == "spectrum" and stereo(path))
        )
        source = open_source(path, "iq" if iq else "audio", channel)
        if task == "sinad":
            return _rounded(measure_sinad(source, nominal_hz, weighting))
        if task == "fm":
            return _rounded(measure_iq_fm(source, nominal_hz))
        if task == "am":
            return _rounded(measure_iq_am(source, nominal_hz))
        return measure_spectrum(source)[1]
    except SignalError as error:
        raise SignalError(str(error) if str(path) in str(error) else f"{path}: {error}") from None


def _rounded(report: Any) -> dict[str, Any]:
    """A report as plain data, with more figures than its uncertainty has and no more."""

    def plain(value: Any) -> Any:
        if isinstance(value, float):
            return round(value, 4)
        if isinstance(value, tuple):
            return [plain(v) for v in value]
        return value

    return {f.name: plain(getattr(report, f.name)) for f in dataclasses.fields(report)}
