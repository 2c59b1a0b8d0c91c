"""Where samples come from: sound files and I/Q recordings, streamed block by block through one narrow port.

A source is of kind ``audio`` (real, one channel) or ``iq`` (complex). Full scale is 1.0. Nothing is ever loaded whole.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from unitone import files
from unitone.errors import SignalError
from unitone.words import tr

Kind = Literal["audio", "iq"]
Block = NDArray[np.float64] | NDArray[np.complex64]
#: Samples in a block: small against memory, large against Python's pace.
BLOCK = 1 << 18
SOUND_ENDINGS = (".wav", ".flac", ".aif", ".aiff", ".ogg", ".w64", ".rf64")
#: Metadata of a recording (bytes): with thousands of annotations it stays below this.
MAX_META = 8_000_000
SIGMF_ENDINGS = (".sigmf-meta", ".sigmf-data")

#: Samples a second that a recording can have: from a slow needle to the fastest converter.
_LEAST_RATE, _MOST_RATE = 1.0, 1e11


class Source(Protocol):
    """The port: what it is, how fast, and its blocks."""

    name: str
    kind: Kind
    rate: float
    #: Frequency of zero in the samples (Hz; 0 where not known, or for audio).
    centre_hz: float

    @property
    def warnings(self) -> tuple[str, ...]:
        """What is wrong with it, in words; whole once its blocks were read."""

    def blocks(self, size: int = BLOCK) -> Iterator[Block]:
        """Blocks of samples in order, shape (n,). Raises SignalError."""


@dataclass
class Samples:
    """A source in memory, for simulated radios and tests."""

    samples: Block
    rate: float
    kind: Kind = "audio"
    name: str = "samples"
    centre_hz: float = 0.0
    warnings: tuple[str, ...] = ()

    def blocks(self, size: int = BLOCK) -> Iterator[Block]:
        """The samples in blocks."""
        for at in range(0, self.samples.size, size):
            yield self.samples[at : at + size]


class SoundFile:
    """A sound file (WAV, FLAC, …, 8 to 32 bit or float) as audio of one channel, or a stereo one as I/Q (left I, right Q)."""

    def __init__(self, path: Path, kind: Kind = "audio", channel: int = 1) -> None:
        import soundfile

        self.path, self.name, self.kind, self.centre_hz = path, path.name, kind, 0.0
        #: What is missing of it, in words.
        self.damage: tuple[str, ...] = ()
        _readable(path)
        try:
            info = soundfile.info(str(path))
        except (soundfile.LibsndfileError, RuntimeError) as error:
            raise SignalError(
                tr(
                    "{path}: is not a readable sound file ({why}). Export it as WAV or FLAC.",
                    path=path,
                    why=_plain(error),
                )
            ) from None
        self.rate, self.channels, self.frames = float(info.samplerate), int(info.channels), int(info.frames)
        if self.rate <= 0 or self.frames <= 0:
            raise SignalError(tr("{path}: has no samples. Record it again.", path=path))
        if kind == "iq" and self.channels != 2:
            raise SignalError(
                tr(
                    "{path}: has {channels} channel(s); I/Q is stereo, left I and right Q.",
                    path=path,
                    channels=self.channels,
                )
            )
        if kind == "audio" and not 1 <= channel <= self.channels:
            raise SignalError(
                tr(
                    "{path}: has no channel {channel}: it has {channels}.",
                    path=path,
                    channel=channel,
                    channels=self.channels,
                )
            )
        self._channel = channel
        if short := _short_by(path):
            self.damage = (
                tr(
                    "its header promises {short} bytes more than there are: truncated. What is there is measured.",
                    short=short,
                ),
            )

    @property
    def warnings(self) -> tuple[str, ...]:
        """See ``Source``."""
        if self.channels > 1 and self.kind == "audio" and self._channel == 1:
            words = tr("{channels} channels: the first is measured, unless another is chosen.", channels=self.channels)
            return (*self.damage, words)
        return self.damage

    def blocks(self, size: int = BLOCK) -> Iterator[Block]:
        """Blocks; a file that ends before its header says gives what is there, and a warning."""
        import soundfile

        read = 0
        try:
            with soundfile.SoundFile(str(self.path)) as file:
                for frames in file.blocks(
                    blocksize=size, dtype="float32" if self.kind == "iq" else "float64", always_2d=True
                ):
                    read += frames.shape[0]
                    if self.kind == "iq":
                        yield np.ascontiguousarray(frames).view(np.complex64)[:, 0]
                    else:
                        yield np.ascontiguousarray(frames[:, self._channel - 1])
        except (soundfile.LibsndfileError, RuntimeError) as error:
            if not read:
                raise SignalError(
                    tr("{path}: cannot be read on ({why}). Export it again.", path=self.path, why=_plain(error))
                ) from None
            self.damage += (
                tr(
                    "breaks off after {x:.2f} s ({why}): what came before is measured.",
                    x=read / self.rate,
                    why=_plain(error),
                ),
            )
        if read < self.frames:
            self.damage += (
                tr(
                    "ends after {read} samples although its header says {frames}: truncated?",
                    read=read,
                    frames=self.frames,
                ),
            )


#: SigMF's data types that are taken: NumPy type of one part, full scale, offset.
_TYPES = {
    "f32": ("f4", 1.0, 0.0), "f64": ("f8", 1.0, 0.0), "i32": ("i4", 2.0**31, 0.0), "i16": ("i2", 2.0**15, 0.0), "i8": ("i1", 2.0**7, 0.0),
    "u32": ("u4", 2.0**31, 2.0**31), "u16": ("u2", 2.0**15, 2.0**15), "u8": ("u1", 2.0**7, 2.0**7 - 0.5),
}  # fmt: skip


class SigMfFile:
    """A SigMF recording (``NAME.sigmf-meta`` with ``NAME.sigmf-data`` beside it): complex is I/Q, real is audio."""

    def __init__(self, path: Path) -> None:
        meta, data = path.with_suffix(".sigmf-meta"), path.with_suffix(".sigmf-data")
        self.path, self.name = data, path.name
        _readable(meta)
        found = _meta(meta)
        core = found["global"]
        self.rate = _positive(core.get("core:sample_rate"), meta, "core:sample_rate")
        if not _LEAST_RATE <= self.rate <= _MOST_RATE:
            raise SignalError(
                tr(
                    "{meta}: core:sample_rate is {rate:g}: samples a second are meant, {least_rate:g} to {most_rate:g}.",
                    meta=meta,
                    rate=self.rate,
                    least_rate=_LEAST_RATE,
                    most_rate=_MOST_RATE,
                )
            )
        form = str(core.get("core:datatype", ""))
        self.kind: Kind = "iq" if form.startswith("c") else "audio"
        base, _, ending = form[1:].partition("_")
        if form[:1] not in ("c", "r") or base not in _TYPES or ending not in ("le", "be", ""):
            raise SignalError(
                tr(
                    "{meta}: core:datatype is {form!r}, which is not known. Expected one like cf32_le or ci16_le.",
                    meta=meta,
                    form=form,
                )
            )
        kind, self._full, self._offset = _TYPES[base]
        self._dtype = np.dtype({"be": ">", "le": "<", "": "|"}[ending] + kind)
        captures = found.get("captures") or [{}]
        try:
            self.centre_hz = float(captures[0].get("core:frequency", 0.0) or 0.0)
        except (TypeError, ValueError, AttributeError):
            raise SignalError(tr("{meta}: core:frequency of its first capture is not a number.", meta=meta)) from None
        if int(core.get("core:num_channels", 1) or 1) != 1:
            raise SignalError(
                tr("{meta}: has several channels interleaved: one is used. Export them separately.", meta=meta)
            )
        _readable(data)
        whole = (2 if self.kind == "iq" else 1) * self._dtype.itemsize
        size = data.stat().st_size
        if size < whole:
            raise SignalError(tr("{data}: has no samples. Record it again.", data=data))
        self.frames, left = divmod(size, whole)
        self.damage: tuple[str, ...] = (tr("the last sample is cut off: truncated?"),) if left else ()

    @property
    def warnings(self) -> tuple[str, ...]:
        """See ``Source``."""
        return self.damage

    def blocks(self, size: int = BLOCK) -> Iterator[Block]:
        """Blocks of samples."""
        parts = 2 if self.kind == "iq" else 1
        with self.path.open("rb") as file:
            left = self.frames
            while left > 0:
                raw = np.fromfile(file, self._dtype, parts * min(size, left))
                if not raw.size:
                    break
                left -= raw.size // parts
                if parts == 2:
                    pairs: NDArray[np.float32] = raw[: raw.size // 2 * 2].astype(np.float32)
                    pairs = (pairs - np.float32(self._offset)) / np.float32(self._full)
                    yield np.ascontiguousarray(pairs).view(np.complex64)
                else:
                    yield (raw.astype(np.float64) - self._offset) / self._full


def open_source(path: Path, kind: Kind = "audio", channel: int = 1) -> Source:
    """A file as a source. Raises SignalError naming the file and the cure."""
    if path.suffix.lower() in SIGMF_ENDINGS:
        source: Source = SigMfFile(path)
        if source.kind != kind:
            have, want = ("I/Q", "audio") if source.kind == "iq" else ("audio", "I/Q")
            raise SignalError(tr("{path}: is {have}, and {want} is wanted here.", path=path, have=have, want=want))
        return source
    if path.suffix.lower() not in SOUND_ENDINGS:
        raise SignalError(tr("{path}: is not a known recording. Use WAV, FLAC, or SigMF (.sigmf-meta).", path=path))
    return SoundFile(path, kind, channel)


def stereo(path: Path) -> bool:
    """Is it a sound file of two channels, which may be I/Q? Raises SignalError for one that cannot be read."""
    return path.suffix.lower() in SOUND_ENDINGS and SoundFile(path).channels == 2


def recordings(places: list[Path]) -> list[Path]:
    """The recordings among files and folders, folders in the order of their names; SigMF once, by its meta file."""
    found: list[Path] = []
    for place in places:
        if place.is_dir():
            wanted = (*SOUND_ENDINGS, ".sigmf-meta")
            found += sorted(p for p in place.iterdir() if p.suffix.lower() in wanted and not p.name.startswith("."))
        else:
            found.append(place)
    return found


def _readable(path: Path) -> None:
    try:
        if not files.check_readable(path):
            raise SignalError(tr("{path}: is empty. Record it again.", path=path))
        files.open_readable(path).close()
    except OSError as error:
        raise SignalError(
            tr("{path}: cannot be read ({why}). Check its name.", path=path, why=files.plain_reason(error))
        ) from None


def _short_by(path: Path) -> int:
    """By how many bytes a RIFF file is shorter than its own header says; 0 for whole files and other forms."""
    with path.open("rb") as file:
        head = file.read(12)
    if head[:4] != b"RIFF" or head[8:12] != b"WAVE":
        return 0
    promised = int.from_bytes(head[4:8], "little")
    # A recorder that was cut off leaves zero or all ones: then the length is the file's.
    return 0 if promised in (0, 0xFFFFFFFF) else max(0, promised + 8 - path.stat().st_size)


def _meta(path: Path) -> dict[str, Any]:
    try:
        data = files.read_json(path, MAX_META)
    except (ValueError, OSError) as error:
        raise SignalError(
            tr(
                "{path}: is not SigMF metadata ({why}). Take the file that ends in .sigmf-meta.",
                path=path,
                why=files.plain_reason(error),
            )
        ) from None
    if not isinstance(data, dict) or not isinstance(data.get("global"), dict):
        raise SignalError(tr("{path}: has no “global” part: it is not SigMF metadata.", path=path))
    if not isinstance(data.get("captures", []), list):
        raise SignalError(tr("{path}: its captures are not a list: it is not SigMF metadata.", path=path))
    return data


def _positive(value: object, path: Path, key: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not np.isfinite(value) or value <= 0:
        raise SignalError(tr("{path}: {key} is {value!r}, not a number above zero.", path=path, key=key, value=value))
    return float(value)


def _plain(error: Exception) -> str:
    return str(error).rpartition(":")[2].strip().rstrip(".") or type(error).__name__
