"""The channel chart: one mark for each place, found as a ring, now as the verdict's shape, the limit as a band."""

from __future__ import annotations

from itertools import groupby

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.marks import draw_mark, standing
from unitone.desktop.widgets.painted import Painted, elided, set_tip
from unitone.present.bench.channel_chart import ChartMark, ChartView
from unitone.words import tr


class ChannelChart(Painted):
    """Shows a chart; nothing in it is pressed."""

    def __init__(self) -> None:
        super().__init__(tr("Channel chart"))
        self._view: ChartView | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(theme.px(118))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(420), theme.px(170))

    def show_chart(self, view: ChartView | None) -> None:
        """Show a chart, or nothing."""
        self._view = view
        self.setVisible(view is not None)
        if view is not None:
            self.setAccessibleDescription(f"{view.title}: {view.words}")
            set_tip(self, view.words)
        self.update()

    @property
    def view(self) -> ChartView | None:
        """What is shown."""
        return self._view

    def _area(self, painter: QPainter, view: ChartView) -> QRectF:
        painter.setFont(theme.font(12))
        wide = max((painter.fontMetrics().horizontalAdvance(t) for _, t in view.ticks), default=0)
        line = painter.fontMetrics().height()
        return QRectF(
            wide + theme.px(12),
            line + theme.px(8),
            self.width() - wide - theme.px(18),
            self.height() - 3 * line - theme.px(16),
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        view = self._view
        if view is None:
            return
        painter = self.painter()
        area = self._area(painter, view)
        low, high = view.span

        def y(value: float) -> float:
            share = (value - low) / (high - low)
            return area.bottom() - min(max(share, 0.0), 1.0) * area.height()

        self._ground(painter, view, area, y)
        step = area.width() / len(view.marks)
        at = [area.left() + (n + 0.5) * step for n in range(len(view.marks))]
        self._names(painter, view, area, step)
        side = min(theme.px(13), max(step * 0.5, theme.px(7)))
        for _, of in groupby(range(len(view.marks)), key=lambda n: view.marks[n].group):
            numbers = [n for n in of if view.marks[n].now is not None]
            painter.setPen(QPen(theme.colour("teal"), theme.px(1)))
            for a, b in zip(numbers, numbers[1:], strict=False):
                painter.drawLine(
                    QPointF(at[a], y(view.marks[a].now or 0.0)), QPointF(at[b], y(view.marks[b].now or 0.0))
                )
        for mark, x in zip(view.marks, at, strict=True):
            self._mark(painter, mark, x, y, side)

    def _ground(self, painter: QPainter, view: ChartView, area: QRectF, y) -> None:  # type: ignore[no-untyped-def]
        top = area.top() if view.high is None else y(view.high)
        bottom = area.bottom() if view.low is None else y(view.low)
        painter.fillRect(QRectF(area.left(), top, area.width(), bottom - top), theme.colour("teal_soft"))
        painter.setFont(theme.font(12))
        line = painter.fontMetrics().height()
        taken: list[float] = []
        for value, text in view.ticks:
            height = y(value)
            if value in (view.low, view.high, 0.0):
                painter.setPen(QPen(theme.colour("line"), 1))
                painter.drawLine(QPointF(area.left(), height), QPointF(area.right(), height))
            if any(abs(height - t) < line for t in taken):
                continue
            taken.append(height)
            painter.setPen(theme.colour("quiet"))
            box = QRectF(0, height - line / 2, area.left() - theme.px(6), line)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(theme.colour("quiet"))
        head = QRectF(0, 0, self.width(), line)
        painter.drawText(head, Qt.AlignmentFlag.AlignLeft, elided(painter, f"{view.title}: {view.words}", self.width()))

    def _names(self, painter: QPainter, view: ChartView, area: QRectF, step: float) -> None:
        """Channel numbers under the marks where there is room, and the groups under those."""
        painter.setFont(theme.font(12))
        metrics = painter.fontMetrics()
        line = metrics.height()
        widest = max(metrics.horizontalAdvance(m.label) for m in view.marks)
        every = max(1, -(-int(widest + theme.px(6)) // max(int(step), 1)))
        under = area.bottom() + theme.px(4)
        for n, mark in enumerate(view.marks):
            if n % every == 0 or mark.at_hand:
                painter.setPen(theme.colour("ink" if mark.at_hand else "quiet"))
                box = QRectF(area.left() + n * step - step, under, 3 * step, line)
                painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, mark.label)
        start = 0
        for group, of in groupby(view.marks, key=lambda m: m.group):
            count = len(list(of))
            left, right = area.left() + start * step, area.left() + (start + count) * step
            if group:
                painter.setPen(theme.colour("ink"))
                room = right - left - theme.px(4)
                box = QRectF(left, under + line, right - left, line)
                painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, elided(painter, group, room))
            if start:
                painter.setPen(QPen(theme.colour("line"), 1, Qt.PenStyle.DotLine))
                painter.drawLine(QPointF(left, area.top()), QPointF(left, under + 2 * line))
            start += count

    def _mark(self, painter: QPainter, mark: ChartMark, x: float, y, side: float) -> None:  # type: ignore[no-untyped-def]
        if mark.at_hand:
            painter.setPen(QPen(theme.colour("orange"), theme.px(2)))
            bottom = self._area(painter, self._view).bottom() if self._view is not None else self.height()
            painter.drawLine(QPointF(x, bottom), QPointF(x, bottom + theme.px(5)))
        if mark.expected is not None:
            value, low, high = mark.expected
            painter.setPen(QPen(theme.colour("quiet"), theme.px(2)))
            painter.drawLine(QPointF(x - side / 2, y(value)), QPointF(x + side / 2, y(value)))
            painter.drawLine(QPointF(x, y(low)), QPointF(x, y(high)))
        if mark.found is not None and mark.found != mark.now:
            painter.setPen(QPen(theme.colour("quiet"), max(theme.px(1), 1.4)))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, y(mark.found)), side * 0.42, side * 0.42)
        if mark.now is not None:
            verdict = standing(True, mark.stale, mark.inside)
            draw_mark(painter, QRectF(x - side / 2, y(mark.now) - side / 2, side, side), verdict)
