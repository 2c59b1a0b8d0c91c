"""What the Meters view shows of a source, whichever it is: one way in for files, the sound card and the simulated radio."""

from __future__ import annotations

from pathlib import Path

from unitone.bench.drivers.recording import SIGMF_ENDINGS, Source, open_source, stereo
from unitone.errors import SignalError
from unitone.present.meters._iq_pictures import depth_picture, deviation_picture, ssb_picture
from unitone.present.meters._line_pictures import (
    TRACE_ENDINGS,
    frequency_picture,
    lines_picture,
    response_picture,
    trace_lines_picture,
)
from unitone.present.meters.audio_pictures import audio_picture
from unitone.present.meters.meter_shapes import TAKES, How, MeterPicture
from unitone.words import N_, tr

_PICTURES = {
    "sinad": audio_picture, "volts": audio_picture, "deviation": deviation_picture, "depth": depth_picture, "ssb": ssb_picture,
    "frequency": frequency_picture, "lines": lines_picture,
}  # fmt: skip
_WANTED = {"audio": N_("audio"), "iq": N_("I/Q"), "trace": N_("a CSV or Touchstone file")}


def measure_source(source: Source, how: How) -> MeterPicture:
    """Measure a source. Raises SignalError."""
    if source.kind not in TAKES[how.task] or how.task == "response":
        kinds = tr(" or ").join(tr(_WANTED[k]) for k in TAKES[how.task])
        raise SignalError(
            tr(
                "{name} is {have}; this is measured from {kinds}.",
                name=source.name,
                have=tr(_WANTED[source.kind]),
                kinds=kinds,
            )
        )
    return _PICTURES[how.task](source, how)


def measure_recording(path: Path, how: How) -> MeterPicture:
    """Measure a file: a recording, or an exported trace. Raises SignalError naming the file."""
    try:
        trace = path.suffix.lower() in TRACE_ENDINGS
        if how.task == "response":
            return response_picture(path, how, None if trace else open_source(path, "audio", how.channel))
        if trace:
            if how.task != "lines":
                raise SignalError(tr("is a table of numbers: Lines or IF curve shows it."))
            return trace_lines_picture(path, how)
        takes = TAKES[how.task]
        complex_ = "iq" in takes and ("audio" not in takes or path.suffix.lower() in SIGMF_ENDINGS or stereo(path))
        return measure_source(open_source(path, "iq" if complex_ else "audio", how.channel), how)
    except SignalError as error:
        raise SignalError(str(error) if str(path) in str(error) else f"{path}: {error}") from None
