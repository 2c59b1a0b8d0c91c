"""A board picture from its bytes: a drawing (SVG) or a photograph (PNG, JPEG), drawn sharp at any size."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QImageReader, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

Crop = tuple[float, float, float, float]
WHOLE: Crop = (0.0, 0.0, 1.0, 1.0)
#: Photographs are shown no finer than this: a board's names can be read, and memory stays small.
_FINEST = 3000


class BoardImage:
    """One picture. ``size`` is its own, in pixels; nothing is shown where it cannot be read."""

    def __init__(self, name: str, content: bytes) -> None:
        self.name = name
        self._svg: QSvgRenderer | None = None
        self._image = QImage()
        self._cache: tuple[QSize, Crop, QPixmap] | None = None
        if name.lower().endswith(".svg"):
            self._svg = QSvgRenderer(QByteArray(content))
            self.size = self._svg.defaultSize()
            self.valid = self._svg.isValid() and not self.size.isEmpty()
            return
        data = QByteArray(content)
        buffer = QBuffer(data)
        buffer.open(QIODevice.OpenModeFlag.ReadOnly)
        reader = QImageReader(buffer)
        # A photograph knows which way up it was taken.
        reader.setAutoTransform(True)
        size = reader.size()
        if max(size.width(), size.height()) > _FINEST:
            reader.setScaledSize(size.scaled(_FINEST, _FINEST, Qt.AspectRatioMode.KeepAspectRatio))
        self._image = reader.read()
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
