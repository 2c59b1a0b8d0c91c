"""The trace of a live reading: the last thirty seconds, and the highest so far."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted
from unitone.quantities.show import number
from unitone.words import tr

_SPAN_S = 30.0
#: The least that the scale shows (dB).
_LEAST_DB = 6.0


class LiveTrace(Painted):
    """Decibels over the start against the seconds before now."""

    def __init__(self) -> None:
        super().__init__(tr("Reading over the last 30 s"))
        self._trace: tuple[tuple[float, float], ...] = ()
        self._top: float | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(320), theme.px(180))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(200), theme.px(90))

    def show_trace(self, trace: tuple[tuple[float, float], ...], top_db: float | None) -> None:
        """Show these points, and where the top is known to lie."""
        self._trace, self._top = trace, top_db
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.setBrush(theme.colour("well"))
        painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), theme.px(8), theme.px(8))
        painter.setFont(theme.font(13))
        metrics = painter.fontMetrics()
        foot, left = metrics.height() + theme.px(6), metrics.horizontalAdvance("−20 dB") + theme.px(16)
        room = QRectF(left, theme.px(14), self.width() - left - theme.px(18), self.height() - foot - theme.px(20))
        heights = [db for _, db in self._trace] + ([self._top] if self._top is not None else [])
        low, high = min(heights, default=-1.0), max(heights, default=_LEAST_DB)
        middle, half = (low + high) / 2, max(high - low, _LEAST_DB) * 0.56

        def at(seconds: float, db: float) -> QPointF:
            return QPointF(
                room.right() + seconds / _SPAN_S * room.width(),
                room.center().y() - (db - middle) / half * room.height() / 2,
            )

        painter.setPen(theme.colour("quiet"))
        # As many marks as there is room for their words.
        fit = 1.4 * metrics.height() * 2 * half / max(room.height(), 1)
        step = next((n for n in (1, 2, 5, 10, 20) if n >= fit), 50)
        for n in range(int((middle - half) // step) + 1, int((middle + half) // step) + 1):
            y = at(0, n * step).y()
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(room.left(), y), QPointF(room.right(), y))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(
                QRectF(0, y - metrics.height() / 2, left - theme.px(8), metrics.height()), Qt.AlignmentFlag.AlignRight,
                tr("{db} dB", db=number(n * step, 0, sign=n != 0)),
            )  # fmt: skip
        marks = ((-30, tr("−30 s")), (-20, tr("−20 s")), (-10, tr("−10 s")), (0, tr("now")))
        for seconds, words in marks if room.width() > 6 * metrics.horizontalAdvance("−30 s") else (marks[0], marks[-1]):
            wide = metrics.horizontalAdvance(words)
            x = min(max(at(seconds, 0).x() - wide / 2, left), self.width() - wide - theme.px(8))
            painter.drawText(QPointF(x, self.height() - theme.px(8)), words)
        if self._top is not None:
            y = at(0, self._top).y()
            painter.setPen(QPen(theme.colour("in_spec"), 2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(room.left(), y), QPointF(room.right(), y))
        if not self._trace:
            return
        painter.setPen(QPen(theme.colour("teal"), theme.px(3)))
        painter.drawPolyline(QPolygonF([at(s, db) for s, db in self._trace]))
        painter.setPen(QPen(theme.colour("orange"), theme.px(3)))
        painter.setBrush(theme.colour("card"))
        painter.drawEllipse(at(*self._trace[-1]), theme.px(6), theme.px(6))
