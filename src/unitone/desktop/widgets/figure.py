"""The reading as a figure that is read from across the room."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QSize
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QSizePolicy

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted
from unitone.words import tr


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
        painter.setFont(theme.font(18))
        room = self.width() - painter.fontMetrics().horizontalAdvance(self._unit) - theme.px(14)
        painter.setFont(theme.font(size, True))
        while size > 20 and painter.fontMetrics().horizontalAdvance(self._figure) > room:
            size -= 4
            painter.setFont(theme.font(size, True))
        metrics = painter.fontMetrics()
        base = (self.height() + metrics.capHeight()) / 2
        painter.setPen(theme.colour("quiet" if none else "ink"))
        painter.drawText(QPointF(0, base), self._figure)
        x = metrics.horizontalAdvance(self._figure) + theme.px(12)
        painter.setFont(theme.font(18))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QPointF(x, base), self._unit)
