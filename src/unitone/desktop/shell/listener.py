"""Listening: a feed is measured in a thread of its own, and pictures come as fast as they are looked at."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from unitone.bench.drivers.live import Feed
from unitone.desktop.shell.trouble import troubles
from unitone.errors import SignalError
from unitone.present.meters.live_pictures import KEPT_S, LiveMeter
from unitone.present.meters.meter_shapes import How, MeterPicture
from unitone.words import tr


@dataclass(frozen=True)
class Seen:
    """One picture of a live source, or the words why there is none just now; whether the input is overloaded."""

    picture: MeterPicture | None
    words: str
    overload: bool


class Listener(QObject):
    """Measures one feed at a time. ``shown`` must be called when a picture was drawn: then the next one is made."""

    seen = pyqtSignal(object, object)
    ended = pyqtSignal(object, str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._meter: LiveMeter | None = None
        self._thread: threading.Thread | None = None
        self._free = threading.Event()
        self._lock = threading.Lock()

    @property
    def feed(self) -> Feed | None:
        """What is listened to."""
        return None if self._meter is None else self._meter.feed

    def start(self, feed: Feed, how: How) -> None:
        """Listen to this feed; the one before is let go."""
        self.stop()
        meter = self._meter = LiveMeter(feed, how)
        self._free.set()
        self._thread = threading.Thread(target=lambda: self._run(meter), name="listener", daemon=True)
        self._thread.start()

    def change(self, how: How) -> None:
        """Measure in another way."""
        with self._lock:
            if self._meter is not None:
                self._meter.change(how)

    def shown(self) -> None:
        """The last picture was drawn."""
        self._free.set()

    def stop(self) -> None:
        """Let go of the feed and wait for the thread."""
        if self._meter is not None:
            self._meter.feed.close()
        if self._thread is not None:
            self._thread.join()
        self._meter = self._thread = None

    def keep(self, path: Path) -> float:
        """Write the last seconds to a WAV file (I/Q: stereo); returns how many. Raises SignalError."""
        import soundfile

        meter = self._meter
        with self._lock:
            samples = None if meter is None else meter.last(KEPT_S)
        if meter is None or samples is None or not samples.size:
            raise SignalError(tr("Nothing is being listened to: there is nothing to keep."))
        if np.iscomplexobj(samples):
            samples = np.stack([samples.real, samples.imag], 1)
        try:
            soundfile.write(str(path), samples, round(meter.feed.rate), subtype="FLOAT")
        except (OSError, RuntimeError) as error:
            raise SignalError(
                tr("{path}: cannot be written ({error}). Choose another folder.", path=path, error=error)
            ) from None
        return len(samples) / meter.feed.rate

    def _run(self, meter: LiveMeter) -> None:
        words = ""
        try:
            for block in meter.feed.blocks():
                with self._lock:
                    meter.take(block)
                # Measuring waits for whoever looks; the samples do not.
                if self._free.is_set() and meter.due() and meter.feed.waiting_s < 0.25:
                    self._free.clear()
                    self._tell(meter)
        except SignalError as error:
            words = str(error)
        except Exception as error:
            words = troubles.caught(error, "listener")
        try:
            self.ended.emit(meter.feed, words)
        except RuntimeError:
            # The window is gone, and nobody waits for the word.
            return

    def _tell(self, meter: LiveMeter) -> None:
        try:
            with self._lock:
                seen = Seen(meter.picture(), "", meter.overload)
        except SignalError as error:
            seen = Seen(None, str(error), meter.overload)
        except Exception as error:
            seen = Seen(None, troubles.caught(error, "meter"), meter.overload)
        try:
            self.seen.emit(meter.feed, seen)
        except RuntimeError:
            return
