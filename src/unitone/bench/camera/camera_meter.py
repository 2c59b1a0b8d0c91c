"""A taught meter before a camera as a meter of the bench: the needle ten times a second, whole readings with their spread."""

from __future__ import annotations

import math
import threading
import time
from collections import deque
from typing import Protocol

import numpy as np

from unitone.bench.camera._leds import LedReader
from unitone.bench.camera.needle import NeedleReader, Seen, Trouble
from unitone.bench.camera.taught import Frame, Taught
from unitone.bench.ports import Measured
from unitone.errors import BenchError
from unitone.sheet.model.sheet import Conditions
from unitone.words import N_, tr

WORDS: dict[Trouble, str] = {
    "moved": N_("The camera has moved: the marks stand elsewhere. Put it back, or teach the meter again."),
    "covered": N_("Something hides the scale. Clear the view, or type the reading."),
    "glare": N_("Glare hides the needle. Move the lamp or the camera."),
    "no needle": N_("The needle is not seen. Clear the view, and give more light from the side."),
    "two needles": N_("Two needles are seen: a shadow or a hand. Clear the view."),
    "size": N_("The picture has another size than the meter was taught in. Teach it again."),
}
#: A whole reading averages so long; a needle still on its way (spread as a share of the scale) is waited for, so long at most (s).
_AVERAGE_S, _STILL, _PATIENCE_S = 0.6, 0.006, 4.0
#: Live readings average so many frames; without a frame for so long the camera is gone (s).
_LIVE, _GONE_S = 3, 2.0


class Reader(Protocol):
    """Reads frames of one taught meter."""

    taught: Taught

    def read(self, frame: Frame) -> Seen:
        """What a frame shows."""
        ...


def reader_of(taught: Taught, frame: Frame) -> Reader:
    """The reader of a taught meter, made from the frame it was taught in. Raises BenchError where it cannot be read there."""
    return LedReader(taught, frame) if taught.face == "leds" else NeedleReader(taught, frame)


class Frames:
    """The camera's last frame: pushed by whoever has one, taken by whoever reads. Thread-safe."""

    def __init__(self) -> None:
        self._there = threading.Condition()
        self._frame: Frame | None = None
        self._count = 0
        self._words = ""

    def push(self, frame: Frame) -> None:
        """The next frame: shape (rows, columns, 3), 8 bits; not changed any more by its giver. Raises BenchError for another shape."""
        if frame.ndim != 3 or frame.shape[2] != 3 or frame.dtype != np.uint8:
            raise BenchError(tr("The camera gives pictures of another kind. Choose another camera."))
        with self._there:
            self._frame, self._words = frame, ""
            self._count += 1
            self._there.notify_all()

    def end(self, words: str) -> None:
        """No more frames, and why."""
        with self._there:
            self._frame, self._words = None, words
            self._there.notify_all()

    def last(self) -> tuple[int, Frame] | None:
        """(number, frame) of the last one; None before the first."""
        with self._there:
            return None if self._frame is None else (self._count, self._frame)

    def after(self, count: int, seconds: float) -> tuple[int, Frame]:
        """The next frame after number ``count``, waited for so long at most. Raises BenchError where none comes."""
        with self._there:
            self._there.wait_for(
                lambda: (self._frame is not None and self._count > count) or bool(self._words), seconds
            )
            if self._frame is None or self._count <= count:
                raise BenchError(
                    self._words or tr("The camera gives no picture. Plug it in again, or type the reading.")
                )
            return self._count, self._frame


class CameraMeter:
    """A taught meter and the frames that it is read from."""

    def __init__(self, reader: Reader, frames: Frames) -> None:
        self._reader, self._frames = reader, frames
        self._stopped = threading.Event()
        self._recent: deque[tuple[int, Seen]] = deque(maxlen=_LIVE)

    @property
    def name(self) -> str:
        """See ``Meter``."""
        return self._reader.taught.name

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id == self._reader.taught.quantity

    def seconds_for(self, quantity_id: str) -> float:
        """See ``Meter``."""
        del quantity_id
        return 2.0 * _AVERAGE_S

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """Frames for a while, once the needle stands. Raises BenchError: why nothing is read, and the cure."""
        del quantity_id, conditions
        self._stopped.clear()
        started = time.monotonic()
        at = self._frames.last()
        count = -1 if at is None else at[0]
        kept: list[tuple[float, Seen]] = []
        while True:
            if self._stopped.is_set():
                raise BenchError(tr("The reading was broken off."))
            count, frame = self._frames.after(count, _GONE_S)
            seen = self._reader.read(frame)
            now = time.monotonic()
            if seen.value is None:
                # A hand that passes is waited for.
                if now - started > _PATIENCE_S:
                    raise BenchError(tr(WORDS[seen.trouble]))
                kept = []
                continue
            kept = [k for k in kept if now - k[0] < _AVERAGE_S]
            kept.append((now, seen))
            places = [k[1].place for k in kept]
            long_enough = len(kept) > 2 and kept[-1][0] - kept[0][0] > 0.6 * _AVERAGE_S
            late = now - started > _PATIENCE_S
            if (long_enough and max(places) - min(places) < _STILL) or (late and len(kept) > 2):
                return self._measured([k[1] for k in kept])

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """The needle in the last frames; what is wrong with them as a warning. None before the first frame."""
        del quantity_id, conditions
        got = self._frames.last()
        if got is None:
            return None
        if not self._recent or self._recent[-1][0] != got[0]:
            self._recent.append((got[0], self._reader.read(got[1])))
        last = self._recent[-1][1]
        if last.value is None:
            self._recent.clear()
            return Measured(None, self.name, source="camera", warning=tr(WORDS[last.trouble]))
        return self._measured([s for _, s in self._recent if s.value is not None])

    def cancel(self) -> None:
        """See ``Meter``."""
        self._stopped.set()

    def _measured(self, seen: list[Seen]) -> Measured:
        bound = seen[-1].bound
        values = [s.value for s in seen if s.value is not None and s.bound == bound]
        mean = math.fsum(values) / len(values)
        spread = math.fsum((v - mean) ** 2 for v in values) / max(1, len(values) - 1)
        doubt = max(s.doubt for s in seen)
        return Measured(mean, self.name, math.sqrt(spread / len(values) + doubt**2) or None, bound, source="camera")
