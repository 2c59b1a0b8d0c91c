"""A webcam, a film or a picture through Qt Multimedia: its frames go where the meters read them, gone with one message."""

from __future__ import annotations

import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, QTimer, QUrl, pyqtSignal
from PyQt6.QtGui import QImage

from unitone import files
from unitone.bench.camera.camera_meter import Frames
from unitone.bench.camera.taught import Frame
from unitone.desktop.audio.soundcard import multimedia
from unitone.errors import BenchError, SignalError
from unitone.session.cameras import frame_of
from unitone.words import tr

#: Frames a second that are read, the width that is asked for, and without a frame for so long the camera is gone (s).
_RATE, _WIDTH, _GONE_S = 12.0, 960, 4.0
_MOST_BYTES = 40_000_000
_PICTURES = (".png", ".jpg", ".jpeg")


@dataclass(frozen=True)
class Source:
    """A webcam (its id), or a file (its path)."""

    id: str
    name: str


def webcams() -> list[Source]:
    """Those that are plugged in. Raises SignalError where Qt's module is not there."""
    return [
        Source(bytes(d.id()).decode(errors="replace"), d.description())
        for d in multimedia().QMediaDevices.videoInputs()
    ]


class Webcam(QObject):
    """One source at a time. ``arrived`` with every frame, ``changed`` when a source came or went, ``failed`` with why it went by itself."""

    arrived = pyqtSignal()
    changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.frames = Frames()
        self.source = ""
        self._camera: Any = None
        self._player: Any = None
        self._session: Any = None
        self._sink: Any = None
        self._still: Frame | None = None
        self._last = 0.0
        self._look = QTimer(self)
        self._look.timeout.connect(self._watch)

    @property
    def running(self) -> bool:
        """Do frames come?"""
        return bool(self.source)

    def open(self, source: str) -> None:
        """A webcam by its id, or a file by its path. Raises BenchError where there is no such camera, or the file cannot be shown."""
        if source == self.source and source:
            return
        self.close()
        if source.startswith("/"):
            self._open_file(Path(source))
        else:
            self._open_camera(source)
        self.source = source
        self._last = time.monotonic()
        self._look.start(100 if self._still is not None else 500)
        self.changed.emit()

    def _open_file(self, path: Path) -> None:
        if path.suffix.lower() in _PICTURES:
            try:
                self._still = frame_of(files.read_bytes(path, _MOST_BYTES), path.name)
            except OSError as error:
                raise BenchError(
                    tr("{name} cannot be read: {reason}", name=path.name, reason=files.plain_reason(error))
                ) from None
            return
        if not path.is_file():
            raise BenchError(tr("{name} is not there. Choose another file.", name=path.name))
        try:
            qt = multimedia()
        except SignalError as error:
            raise BenchError(str(error)) from None
        self._sink = qt.QVideoSink(self)
        self._sink.videoFrameChanged.connect(self._frame)
        self._player = qt.QMediaPlayer(self)
        self._player.setVideoSink(self._sink)
        self._player.setLoops(qt.QMediaPlayer.Loops.Infinite)
        self._player.errorOccurred.connect(lambda _error, words: self._gone(words))
        self._player.setSource(QUrl.fromLocalFile(str(path)))
        self._player.play()

    def _open_camera(self, source: str) -> None:
        try:
            qt = multimedia()
            found = [d for d in qt.QMediaDevices.videoInputs() if bytes(d.id()).decode(errors="replace") == source]
        except SignalError as error:
            raise BenchError(str(error)) from None
        if not found:
            raise BenchError(
                tr("The chosen camera is not plugged in. Plug it in, or choose another in Workshop, Camera.")
            )
        self._sink = qt.QVideoSink(self)
        self._sink.videoFrameChanged.connect(self._frame)
        self._camera = qt.QCamera(found[0], self)
        # The same size each time: a taught face holds for its own size only.
        formats = [f for f in found[0].videoFormats() if f.resolution().width() <= _WIDTH and f.maxFrameRate() >= 9.0]
        if formats:
            self._camera.setCameraFormat(
                max(formats, key=lambda f: (f.resolution().width(), f.resolution().height(), f.maxFrameRate()))
            )
        self._camera.errorOccurred.connect(lambda _error, words: self._gone(words))
        self._session = qt.QMediaCaptureSession(self)
        self._session.setCamera(self._camera)
        self._session.setVideoSink(self._sink)
        self._camera.start()

    def close(self) -> None:
        """Let go of it."""
        self._look.stop()
        had, self.source, self._still = bool(self.source), "", None
        for stop in (self._camera, self._player):
            if stop is not None:
                with suppress(RuntimeError):
                    stop.stop()
                    stop.deleteLater()
        for other in (self._session, self._sink):
            if other is not None:
                with suppress(RuntimeError):
                    other.deleteLater()
        self._camera = self._player = self._session = self._sink = None
        if had:
            self.frames.end(tr("The camera was switched off. Type the reading."))
            self.changed.emit()

    def take(self, frame: Frame) -> None:
        """A frame from wherever it comes: pixels as rows, columns, red-green-blue."""
        self._last = time.monotonic()
        self.frames.push(frame)
        self.arrived.emit()

    def _frame(self, frame: Any) -> None:
        if not frame.isValid() or time.monotonic() - self._last < 0.9 / _RATE:
            return
        image = frame.toImage()
        if not image.isNull():
            self.take(pixels_of(image))

    def _watch(self) -> None:
        if self._still is not None:
            self.take(self._still)
        elif time.monotonic() - self._last > _GONE_S:
            self._gone(tr("no picture comes"))

    def _gone(self, why: str) -> None:
        if not self.source:
            return
        self.close()
        words = tr("The camera is gone ({why}). Plug it in again; until then type the readings.", why=why)
        self.frames.end(words)
        self.failed.emit(words)


def pixels_of(image: QImage) -> Frame:
    """An image's pixels, copied: shape (rows, columns, 3)."""
    plain = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = plain.constBits()
    if bits is None:
        return np.zeros((1, 1, 3), np.uint8)
    bits.setsize(plain.sizeInBytes())
    rows = np.frombuffer(bits, np.uint8).reshape(plain.height(), plain.bytesPerLine())  # type: ignore[call-overload]
    made: Frame = rows[:, : 3 * plain.width()].reshape(plain.height(), plain.width(), 3).copy()
    return made


def image_of(frame: Frame) -> QImage:
    """Pixels as an image of its own."""
    # The image looks into these bytes until it is copied: they are held on to so long.
    held = np.ascontiguousarray(frame).tobytes()
    rows, columns = frame.shape[:2]
    return QImage(held, columns, rows, 3 * columns, QImage.Format.Format_RGB888).copy()
