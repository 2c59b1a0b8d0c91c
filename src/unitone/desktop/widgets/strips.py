"""The strips: the signal path along the top, the tape along the bottom, the limit bar beside the figure."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.painted import Painted, elided
from unitone.present.bench.bench_shapes import Bar, PathStage, TapeCell
from unitone.words import tr


class PathStrip(Painted):
    """Stages of the receive path, then of the send path; the one at hand in orange."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(tr("Signal path"), parent)
        self._stages: tuple[PathStage, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(600), theme.px(60 if self._two_lines() else 46))

    def _slot(self) -> float:
        """The width of a stage; between the two paths one is left free."""
        ways = {s.way for s in self._stages}
        return (self.width() - theme.px(24)) / max(len(self._stages) + len(ways) - 1, 1)

    def _two_lines(self) -> bool:
        """Is a title of several words too long for one line?"""
        metrics, slot = QFontMetricsF(theme.font(12)), self._slot()
        return any(" " in s.title and metrics.horizontalAdvance(s.title) > slot for s in self._stages)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.updateGeometry()

    def show_path(self, stages: tuple[PathStage, ...]) -> None:
        """Show these stages."""
        self._stages = stages
        self.setAccessibleDescription(", ".join(f"{s.title}: {s.mark}" for s in stages))
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 10, 10)
        if not self._stages:
            return
        ways = [w for w in ("receive", "transmit") if any(s.way == w for s in self._stages)]
        width = self._slot()
        x = theme.px(12) + width / 2
        y = theme.px(17)
        painter.setFont(theme.font(12))
        for way in ways:
            stages = [s for s in self._stages if s.way == way]
            if way != ways[0]:
                painter.setPen(theme.colour("quiet"))
                painter.drawText(QRectF(x - width / 2, 0, width, self.height()), Qt.AlignmentFlag.AlignCenter, tr(way))
                x += width
            pen = QPen(theme.colour("teal" if way == "receive" else "quiet"), 3 if way == "receive" else 2)
            if way == "transmit":
                pen.setStyle(Qt.PenStyle.DotLine)
            painter.setPen(pen)
            painter.drawLine(QPointF(x, y), QPointF(x + width * (len(stages) - 1), y))
            for stage in stages:
                self._stage(painter, stage, x, y, width)
                x += width

    def _stage(self, painter, stage: PathStage, x: float, y: float, width: float) -> None:  # type: ignore[no-untyped-def]
        side = theme.px(18 if stage.mark == "now" else 14)
        box = QRectF(x - side / 2, y - side / 2, side, side)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("card"))
        painter.drawEllipse(box)
        draw_mark(painter, box, stage.mark, stage.mark == "now")
        painter.setFont(theme.font(12, stage.mark == "now"))
        painter.setPen(theme.colour("orange_text" if stage.mark == "now" else "quiet"))
        lines = [stage.title]
        if painter.fontMetrics().horizontalAdvance(stage.title) > width:
            first, _, rest = stage.title.partition(" ")
            lines = [first, rest] if rest else lines
        for n, line in enumerate(lines):
            text = QRectF(x - width / 2, y + theme.px(8 + 14 * n), width, theme.px(20))
            painter.drawText(text, Qt.AlignmentFlag.AlignCenter, elided(painter, line, width - theme.px(2)))


class TapeStrip(Painted):
    """The last entries of the tape, newest at the right."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(tr("Log"), parent)
        self._cells: tuple[TapeCell, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(600), theme.px(60))

    def show_tape(self, cells: tuple[TapeCell, ...]) -> None:
        """Show these entries."""
        self._cells = cells
        self.setAccessibleDescription("; ".join(f"{c.time} {c.what} {c.value}" for c in cells[-8:]))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("rail"))
        painter.drawRoundedRect(QRectF(self.rect()), 10, 10)
        cell = theme.px(150)
        painter.setFont(theme.font(13, True))
        # As wide as the word is in this language.
        head = max(theme.px(64), theme.px(26) + painter.fontMetrics().horizontalAdvance(tr("Log")))
        painter.setPen(theme.colour("rail_orange"))
        painter.drawText(QRectF(theme.px(16), 0, head, self.height()), Qt.AlignmentFlag.AlignVCenter, tr("Log"))
        room = max(1, int((self.width() - head - theme.px(12)) // cell))
        wide = (self.width() - head - theme.px(12)) / room
        if not self._cells:
            painter.setPen(theme.colour("rail_text"))
            painter.setFont(theme.font(13))
            painter.drawText(
                QRectF(head, 0, self.width() - head, self.height()),
                Qt.AlignmentFlag.AlignVCenter,
                tr("nothing logged yet"),
            )
        for n, entry in enumerate(self._cells[-room:]):
            left = head + n * wide
            painter.setPen(QPen(theme.colour("rail_now"), 1))
            painter.drawLine(QPointF(left, theme.px(10)), QPointF(left, self.height() - theme.px(10)))
            inner = QRectF(left + theme.px(10), theme.px(8), wide - theme.px(18), self.height() - theme.px(16))
            painter.setPen(theme.colour("rail_text"))
            painter.setFont(theme.font(11))
            painter.drawText(inner, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, entry.time)
            bold = theme.font(13, True)
            plain = theme.font(12)
            for f in (bold, plain):
                f.setStrikeOut(entry.voided)
            painter.setFont(bold)
            value = elided(painter, entry.value, inner.width())
            taken = painter.fontMetrics().horizontalAdvance(value)
            painter.drawText(inner, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignRight, value)
            painter.setFont(plain)
            what = elided(painter, entry.what, inner.width() - taken - theme.px(6))
            painter.drawText(inner, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, what)


class LimitBar(Painted):
    """The quantity from end to end: the band that holds, a tick where it was found, a pointer where it is."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(tr("Limit bar"), parent)
        self._bar: Bar | None = None
        self._live: float | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(260), theme.px(72))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(150), theme.px(72))

    def show_bar(self, bar: Bar) -> None:
        """Show a step's limits and marks."""
        self._bar, self._live = bar, None
        self.setAccessibleDescription(tr("limit {limit}", limit=bar.limit))
        self.update()

    def show_live(self, place: float | None) -> None:
        """Move the pointer to the needle."""
        self._live = place
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        bar = self._bar
        if bar is None:
            return
        painter = self.painter()
        left, right = theme.px(10), self.width() - theme.px(10)
        top, thick = theme.px(24), theme.px(14)
        span = right - left
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("line"))
        painter.drawRoundedRect(QRectF(left, top, span, thick), thick / 2, thick / 2)
        painter.setPen(QPen(theme.colour("in_spec"), 1.2))
        painter.setBrush(theme.colour("holds_soft"))
        band = QRectF(left + span * bar.band[0], top, max(span * (bar.band[1] - bar.band[0]), 4), thick)
        painter.drawRoundedRect(band, thick / 2, thick / 2)
        if bar.found is not None:
            x = left + span * bar.found
            painter.setPen(QPen(theme.colour("ink"), 2))
            painter.drawLine(QPointF(x, top - theme.px(5)), QPointF(x, top + thick + theme.px(5)))
        now = self._live if self._live is not None else bar.now
        if now is not None:
            x, s = left + span * now, theme.px(8)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("orange"))
            painter.drawPolygon(
                QPolygonF([QPointF(x - s, top - s - 6), QPointF(x + s, top - s - 6), QPointF(x, top - 3)])
            )
        self._words(painter, bar, left, span, top + thick)

    def _words(self, painter, bar: Bar, left: float, span: float, under: float) -> None:  # type: ignore[no-untyped-def]
        row = QRectF(left, under + theme.px(5), span, theme.px(18))
        painter.setFont(theme.font(12, True))
        painter.setPen(theme.colour("in_spec"))
        metrics = painter.fontMetrics()
        width = metrics.horizontalAdvance(bar.limit) + 4
        centre = left + span * (bar.band[0] + bar.band[1]) / 2
        x = min(max(centre - width / 2, left - 6), left + span - width + 6)
        limit_box = QRectF(x, row.top(), width, row.height())
        painter.drawText(limit_box, Qt.AlignmentFlag.AlignCenter, bar.limit)
        painter.setFont(theme.font(12))
        painter.setPen(theme.colour("quiet"))
        taken = [limit_box]
        if bar.found is not None:
            self._place(painter, tr("found"), left + span * bar.found, row, taken, left, span)
        self._place(painter, bar.start, left, row, taken, left, span)
        self._place(painter, bar.end, left + span, row, taken, left, span)

    def _place(self, painter, text: str, x: float, row: QRectF, taken: list[QRectF], left: float, span: float) -> None:  # type: ignore[no-untyped-def]
        """Write ``text`` under ``x`` unless something stands there already."""
        width = painter.fontMetrics().horizontalAdvance(text) + 6
        box = QRectF(min(max(x - width / 2, left - 8), left + span - width + 8), row.top(), width, row.height())
        if not any(box.intersects(other) for other in taken):
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            taken.append(box)
