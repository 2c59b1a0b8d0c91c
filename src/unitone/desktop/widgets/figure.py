"""The reading as a figure that is read from across the room."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted
from unitone.words import tr

#: The unit's size, the smallest of the figure, and the smallest that is worth having beside its unit (pixels before scaling).
_UNIT, _LEAST, _LEAST_BESIDE = 18, 20, 32


class Figure(Painted):
    """The reading, large, with its unit. Painted, so that a living needle never lays the card out anew."""

    def __init__(self, size: int) -> None:
        super().__init__(tr("Reading"))
        self._figure, self._unit, self._size = "—", "", size
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(250), theme.px(self._size + 14))

    def set_size(self, size: int) -> None:
        """Larger where there is room for it (pixels before scaling)."""
        if size != self._size:
            self._size = size
            self.updateGeometry()
            self.update()

    def text(self) -> str:
        """The figure as it is shown."""
        return self._figure

    def show_figure(self, figure: str, unit: str) -> None:
        """Show a figure and its unit."""
        if (figure, unit) != (self._figure, self._unit):
            self._figure, self._unit = figure, unit
            self.setAccessibleDescription(f"{figure} {unit}".strip())
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        # Where there is no reading, that is said softly: a bar of ink would be the loudest thing in sight.
        none = self._figure == "—"
        size = self._size // 2 if none else self._size
        painter.setFont(theme.font(_UNIT))
        unit = painter.fontMetrics()
        room = self.width() - unit.horizontalAdvance(self._unit) - theme.px(14)
        fits = self._largest(painter, size, room)
        # Where both have no room in one line, the unit stands under its figure.
        under = (
            bool(self._unit)
            and fits < _LEAST_BESIDE
            and self.height() >= theme.px(_LEAST_BESIDE + _UNIT) + unit.descent()
        )
        if under:
            size = min(size, int((self.height() - unit.height()) / theme.scale))
            fits = self._largest(painter, size, self.width())
        painter.setFont(theme.font(fits, True))
        metrics = painter.fontMetrics()
        # A decimal comma hangs below its line.
        below = metrics.descent() + unit.capHeight()
        tall = metrics.capHeight() + (below if under else 0)
        base = (self.height() - tall) / 2 + metrics.capHeight()
        painter.setPen(theme.colour("quiet" if none else "ink"))
        painter.drawText(QPointF(0, base), self._figure)
        at = QPointF(metrics.horizontalAdvance(self._figure) + theme.px(12), base)
        if under:
            at = QPointF(0, base + below)
        painter.setFont(theme.font(_UNIT))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(at, self._unit)

    def _largest(self, painter: QPainter, size: int, room: int) -> int:
        """The largest size of the figure, down to the smallest there is, that fits into so many pixels."""
        while size > _LEAST:
            painter.setFont(theme.font(size, True))
            if painter.fontMetrics().horizontalAdvance(self._figure) <= room:
                break
            size -= 4
        return size
