"""A board picture from its bytes: a drawing (SVG) or a photograph (PNG, JPEG), drawn sharp at any size.

A drawing that may take long is drawn by a process of its own, which is stopped when it takes too long: the window never waits for it.
"""

from __future__ import annotations

import hashlib
import resource
import subprocess
import sys
from collections.abc import Callable

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QObject, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QImageReader, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

from unitone.desktop.shell.errand import Errand
from unitone.errors import SheetError
from unitone.sheet.format.pictures import MAX_PIXELS, is_simple_drawing
from unitone.words import tr

Crop = tuple[float, float, float, float]
WHOLE: Crop = (0.0, 0.0, 1.0, 1.0)
#: Pictures are shown no finer than this: a board's names can be read, and memory stays small.
_FINEST = 3000
#: A drawing that is not drawn by then (seconds), or needs more memory than this (bytes), is refused.
DRAWN_WITHIN, _MEMORY = 6.0, 2_000_000_000
#: Drawings that were drawn apart, by the hash of their text: each is drawn once, the last few are kept.
_DRAWN: dict[str, QImage] = {}
_KEPT = 8


def read_image(content: bytes) -> QImage:
    """A photograph the right way up, no finer than it is shown; a null image where it cannot be read."""
    # Qt counts in MB what a decoded picture takes: as much as the pictures that are taken in may need.
    QImageReader.setAllocationLimit(MAX_PIXELS * 8 // 1_000_000)
    data = QByteArray(content)
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer)
    # A photograph knows which way up it was taken.
    reader.setAutoTransform(True)
    size = reader.size()
    if max(size.width(), size.height()) > _FINEST:
        reader.setScaledSize(size.scaled(_FINEST, _FINEST, Qt.AspectRatioMode.KeepAspectRatio))
    return reader.read()


class BoardImage:
    """One picture. ``size`` is its own, in pixels; nothing is shown where it cannot be read."""

    def __init__(self, name: str, content: bytes | QImage) -> None:
        self.name = name
        self._svg: QSvgRenderer | None = None
        self._image = QImage()
        self._cache: tuple[QSize, Crop, QPixmap] | None = None
        if isinstance(content, bytes) and name.lower().endswith(".svg"):
            self._svg = QSvgRenderer(QByteArray(content))
            self.size = self._svg.defaultSize()
            self.valid = self._svg.isValid() and not self.size.isEmpty()
            return
        self._image = read_image(content) if isinstance(content, bytes) else content
        self.size = self._image.size()
        self.valid = not self._image.isNull()

    def shape(self, crop: Crop = WHOLE) -> float:
        """Width over height of the part that is shown."""
        left, top, right, bottom = crop
        return (self.size.width() * (right - left)) / max(self.size.height() * (bottom - top), 1e-6)

    def draw(self, painter: QPainter, area: QRectF, crop: Crop = WHOLE, ratio: float = 1.0) -> None:
        """Draw the part within ``crop`` over ``area``; kept, and drawn anew only when size or part change."""
        size = QSize(max(1, round(area.width() * ratio)), max(1, round(area.height() * ratio)))
        if self._cache is None or self._cache[0] != size or self._cache[1] != crop:
            self._cache = (size, crop, self._render(size, crop))
        painter.drawPixmap(area, self._cache[2], QRectF(self._cache[2].rect()))

    def pixmap(self, size: QSize) -> QPixmap:
        """The whole picture at that size."""
        return self._render(size, WHOLE)

    def _render(self, size: QSize, crop: Crop) -> QPixmap:
        left, top, right, bottom = crop
        pixmap = QPixmap(size)
        pixmap.fill(Qt.GlobalColor.transparent)
        inner = QPainter(pixmap)
        inner.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if self._svg is not None:
            width, height = size.width() / (right - left), size.height() / (bottom - top)
            self._svg.render(inner, QRectF(-left * width, -top * height, width, height))
        else:
            w, h = self._image.width(), self._image.height()
            inner.drawImage(QRectF(0, 0, size.width(), size.height()), self._image,
                            QRectF(left * w, top * h, (right - left) * w, (bottom - top) * h))  # fmt: skip
        inner.end()
        return pixmap


class ImageReader(QObject):
    """Makes a ``BoardImage`` of a picture's bytes: at once, or later where drawing it may take long."""

    def __init__(self, parent: QObject, every: bool = False) -> None:
        super().__init__(parent)
        self._errand = Errand("drawing", self, every)

    def read(self, name: str, content: bytes, then: Callable[[BoardImage], None], fail: Callable[[str], None]) -> None:
        """Calls ``then`` with the picture, or ``fail`` with the reason why it cannot be shown. Of several asked for,
        the last counts; with ``every`` each does."""
        hashed = hashlib.sha256(content).hexdigest()
        if not name.lower().endswith(".svg") or is_simple_drawing(content):
            image = BoardImage(name, content)
        elif hashed in _DRAWN:
            image = BoardImage(name, _DRAWN[hashed])
        else:

            def drawn(image: QImage) -> None:
                while len(_DRAWN) >= _KEPT:
                    _DRAWN.pop(next(iter(_DRAWN)))
                _DRAWN[hashed] = image
                then(BoardImage(name, image))

            self._errand.run(lambda: draw_apart(name, content), drawn, fail)
            return
        if image.valid:
            then(image)
        else:
            fail(_cannot(name))

    def wait(self) -> None:
        """Wait until what is being drawn is done."""
        self._errand.wait()


def _cannot(name: str) -> str:
    return tr("{name}: the picture cannot be shown. Save it again as PNG or JPEG.", name=name)


def draw_apart(name: str, content: bytes) -> QImage:
    """A drawing as an image, drawn by a process of its own. Raises SheetError where that fails or takes too long."""
    try:
        done = subprocess.run(
            [sys.executable, "-m", "unitone.desktop.widgets.picture"],
            input=content, capture_output=True, timeout=DRAWN_WITHIN, check=False, env=_environment(),
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        raise SheetError(
            [
                tr(
                    "{name}: the drawing takes longer than {s} s to draw. Save it as PNG.",
                    name=name,
                    s=f"{DRAWN_WITHIN:g}",
                )
            ]
        ) from None
    except OSError as error:
        raise SheetError([f"{_cannot(name)} ({error.strerror})"]) from None
    image = QImage.fromData(QByteArray(done.stdout), "PNG")
    if done.returncode or image.isNull():
        raise SheetError([_cannot(name)])
    return image


def _environment() -> dict[str, str]:
    import os

    return {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)}


def _draw() -> int:
    """The process of its own: SVG on standard input, PNG on standard output, within its memory."""
    from PyQt6.QtGui import QGuiApplication

    resource.setrlimit(resource.RLIMIT_CPU, (round(2 * DRAWN_WITHIN), round(2 * DRAWN_WITHIN)))
    resource.setrlimit(resource.RLIMIT_AS, (_MEMORY, _MEMORY))
    QImageReader.setAllocationLimit(MAX_PIXELS * 8 // 1_000_000)
    app = QGuiApplication(sys.argv[:1])
    renderer = QSvgRenderer(QByteArray(sys.stdin.buffer.read()))
    size = renderer.defaultSize()
    if not renderer.isValid() or size.isEmpty():
        return 1
    image = QImage(
        size.scaled(_FINEST, _FINEST, Qt.AspectRatioMode.KeepAspectRatio), QImage.Format.Format_ARGB32_Premultiplied
    )
    if image.isNull():
        return 1
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    renderer.render(painter, QRectF(image.rect()))
    painter.end()
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    sys.stdout.buffer.write(bytes(buffer.data()))
    del app
    return 0


if __name__ == "__main__":
    sys.exit(_draw())
