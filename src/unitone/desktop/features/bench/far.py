"""Far view: the number, the limit and the arrow over the whole window, to be read across the room."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from unitone.desktop.shell.worker import LiveFigure
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.painted import Painted
from unitone.present.bench.bench_shapes import BenchView
from unitone.present.bench.sweeping import SweepView
from unitone.words import tr

_WRAP = int(Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)


class FarView(Painted):
    """Lies over its parent, whose keys go on working under it; a click on the coach's line does what it says."""

    pressed = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(tr("Far view"), parent)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._view: BenchView | None = None
        self._live: LiveFigure | None = None
        self._sweep: SweepView | None = None
        self._typed: str | None = None
        self.status = ""
        self._coach = QRectF()
        parent.installEventFilter(self)
        self.hide()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Always as large as what it lies over."""
        if event is not None and event.type() == QEvent.Type.Resize and watched is self.parentWidget():
            self._fill()
        return False

    def _fill(self) -> None:
        over = self.parentWidget()
        if over is not None:
            self.setGeometry(over.rect())

    def open(self) -> None:
        """Lie over the window."""
        self._fill()
        self.raise_()
        self.show()

    def show_view(self, view: BenchView) -> None:
        """The step at hand as it stands."""
        self._view, self._live = view, None
        self.setAccessibleDescription(f"{view.reading.figure} {view.reading.unit}. {view.coach.headline}")
        self.update()

    def show_live(self, live: LiveFigure) -> None:
        """The needle now."""
        self._live = live
        self.update()

    def show_sweep(self, sweep: SweepView | None) -> None:
        """A core that is swept: its figure and its coach's line; None: none is."""
        self._sweep = sweep
        self.update()

    def show_typed(self, text: str | None) -> None:
        """What is being typed, instead of the number; None: nothing is."""
        self._typed = text
        self.update()

    def show_status(self, words: str) -> None:
        """What is heard, and which key logs."""
        self.status = words
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._coach.contains(event.position()):
            self.pressed.emit()
        elif event.position().y() < theme.px(60):
            self.closed.emit()

    # -- painting ---------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        painter.fillRect(self.rect(), theme.colour("paper"))
        view = self._view
        if view is None:
            return
        w, h, edge = float(self.width()), float(self.height()), theme.px(28)
        inner = w - 2 * edge
        # Words grow with the window, not only with the type that was chosen.
        unit = min(w / 1280.0, h / 800.0)
        at = edge * 0.6
        at = self._head(painter, view, edge, inner, at, unit)
        foot = 26.0 * unit + edge * 0.5
        coach = min(h * 0.27, 230.0 * unit)
        bar = 92.0 * unit
        caution = self._caution(view)
        warn = 34.0 * unit if caution else 0.0
        number = QRectF(edge, at, inner, max(h - at - foot - coach - bar - warn - edge * 0.6, 60.0))
        self._number(painter, view, number)
        self._bar(painter, view, QRectF(edge, number.bottom(), inner, bar), unit)
        self._coach = QRectF(edge, number.bottom() + bar, inner, coach)
        self._say(painter, view, self._coach, unit)
        below = self._coach.bottom() + edge * 0.25
        if caution:
            self._line(painter, QRectF(edge, below, inner, warn), caution, 20.0 * unit, "out_of_spec", True)
            below += warn
        self._line(painter, QRectF(edge, below, inner, h - below - edge * 0.2), self.status, 16.0 * unit, "quiet")

    def _font(self, painter: QPainter, pixels: float, bold: bool = False) -> None:
        font = theme.font(13, bold)
        font.setPixelSize(max(round(pixels), 9))
        painter.setFont(font)

    def _fit(self, painter: QPainter, text: str, room: QRectF, most: float, bold: bool, least: float = 12.0) -> None:
        """The largest type, up to ``most`` pixels, in which ``text`` fits the room on as many lines as it takes."""
        size = most
        while size > least:
            self._font(painter, size, bold)
            if painter.boundingRect(room, _WRAP, text).height() <= room.height():
                longest = max((painter.fontMetrics().horizontalAdvance(word) for word in text.split()), default=0)
                if longest <= room.width():
                    return
            size *= 0.92
        self._font(painter, least, bold)

    def _line(self, painter: QPainter, room: QRectF, text: str, pixels: float, colour: str, bold: bool = False) -> None:
        self._fit(painter, text, room, pixels, bold)
        painter.setPen(theme.colour(colour))
        painter.drawText(room, _WRAP, text)

    def _head(self, painter: QPainter, view: BenchView, edge: float, inner: float, at: float, unit: float) -> float:
        tall = 48.0 * unit
        close = tr("F  back to the Bench")
        self._font(painter, 17.0 * unit)
        width = painter.fontMetrics().horizontalAdvance(close) + edge
        painter.setPen(theme.colour("teal"))
        painter.drawText(
            QRectF(edge + inner - width, at, width, tall),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            close,
        )
        self._line(painter, QRectF(edge, at, inner - width, tall), f"{view.step.title}", 32.0 * unit, "ink", True)
        self._line(
            painter,
            QRectF(edge, at + tall, inner, 36.0 * unit),
            view.step.dial_words or view.step.panel_words,
            21.0 * unit,
            "teal",
        )
        return at + tall + 36.0 * unit

    def _number(self, painter: QPainter, view: BenchView, room: QRectF) -> None:
        live = self._live
        figure, unit = (live.figure, live.unit) if live is not None else (view.reading.figure, view.reading.unit)
        if self._sweep is not None:
            figure, unit = self._sweep.figure, self._sweep.unit
        typed = self._typed
        if typed is not None:
            figure, unit = typed + "▏", tr("Enter logs, Esc leaves")
        size = room.height() * 0.9
        while size > 24:
            self._font(painter, size, True)
            wide = painter.fontMetrics().horizontalAdvance(figure)
            self._font(painter, max(size * 0.24, 14))
            wide_unit = painter.fontMetrics().horizontalAdvance(unit)
            if wide + wide_unit + size * 0.16 <= room.width():
                break
            size *= 0.94
        self._font(painter, size, True)
        metrics = painter.fontMetrics()
        base = room.center().y() + metrics.capHeight() / 2
        logged = live is None and typed is None
        painter.setPen(theme.colour("orange_text" if typed is not None else "ink"))
        painter.drawText(QPointF(room.left(), base), figure)
        x = room.left() + metrics.horizontalAdvance(figure) + size * 0.12
        self._font(painter, max(size * 0.24, 14))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QPointF(x, base), unit)
        self._font(painter, max(size * 0.11, 13))
        state = "" if typed is not None or figure == "—" else tr("logged") if logged else tr("live")
        painter.drawText(QPointF(x, base - size * 0.45), state)

    def _bar(self, painter: QPainter, view: BenchView, room: QRectF, unit: float) -> None:
        bar = view.reading.bar
        left, span, top, thick = room.left(), room.width(), room.top() + 26.0 * unit, 26.0 * unit
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("line"))
        painter.drawRoundedRect(QRectF(left, top, span, thick), thick / 2, thick / 2)
        painter.setPen(QPen(theme.colour("in_spec"), 2.0))
        painter.setBrush(theme.colour("holds_soft"))
        band = QRectF(left + span * bar.band[0], top, max(span * (bar.band[1] - bar.band[0]), 6), thick)
        painter.drawRoundedRect(band, thick / 2, thick / 2)
        if bar.found is not None:
            x = left + span * bar.found
            painter.setPen(QPen(theme.colour("ink"), 4))
            painter.drawLine(QPointF(x, top - 8 * unit), QPointF(x, top + thick + 8 * unit))
        now = self._live.place if self._live is not None and self._live.place is not None else bar.now
        if now is not None:
            x, s = left + span * now, 18.0 * unit
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("orange"))
            painter.drawPolygon(
                QPolygonF([QPointF(x - s, top - s - 6), QPointF(x + s, top - s - 6), QPointF(x, top - 2)])
            )
        self._font(painter, 22.0 * unit, True)
        limit = f"{bar.limit} {bar.counts_at}".strip()
        width = painter.fontMetrics().horizontalAdvance(limit) + 8
        x = min(max(band.center().x() - width / 2, left), left + span - width)
        painter.setPen(theme.colour("in_spec"))
        painter.drawText(QRectF(x, top + thick + 4 * unit, width, 34 * unit), Qt.AlignmentFlag.AlignCenter, limit)

    def _say(self, painter: QPainter, view: BenchView, room: QRectF, unit: float) -> None:
        calm = view.coach.advice.act in ("conclude", "go to", "seal", "finish", "done", "log")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("teal_soft" if calm else "orange_soft"))
        painter.drawRoundedRect(room, 14, 14)
        side = min(room.height() * 0.62, room.width() * 0.16)
        box = QRectF(room.left() + 22 * unit, room.center().y() - side / 2, side * 1.1, side)
        self._arrow(painter, view, box, theme.colour("orange"))
        words = QRectF(
            box.right() + 24 * unit, room.top() + 8 * unit, room.right() - box.right() - 44 * unit, room.height()
        )
        big = QRectF(words.left(), words.top(), words.width(), words.height() * 0.6)
        self._line(
            painter, big, view.coach.headline if self._sweep is None else self._sweep.headline, 58.0 * unit, "ink", True
        )
        small = QRectF(words.left(), big.bottom(), words.width(), room.bottom() - big.bottom() - 8 * unit)
        self._line(
            painter, small, view.coach.detail if self._sweep is None else self._sweep.detail, 24.0 * unit, "quiet"
        )

    def _arrow(self, painter: QPainter, view: BenchView, box: QRectF, colour: QColor) -> None:
        if view.coach.arrow == 0:
            side = min(box.width(), box.height()) * 0.7
            draw_mark(
                painter, QRectF(box.center().x() - side / 2, box.center().y() - side / 2, side, side), view.step.verdict
            )
            return
        points = [(0.02, 0.5), (0.46, 0.06), (0.46, 0.32), (0.98, 0.32), (0.98, 0.68), (0.46, 0.68), (0.46, 0.94)]
        if view.coach.arrow > 0:
            points = [(1 - x, y) for x, y in points]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon(
            QPolygonF([QPointF(box.left() + x * box.width(), box.top() + y * box.height()) for x, y in points])
        )

    @staticmethod
    def _caution(view: BenchView) -> str:
        """The usual caution goes wherever the step goes; a hook-up that does not fit is said first."""
        found = [] if view.hook_up.ok else [tr("Hook-up: {words}  H confirms it.", words=view.hook_up.words)]
        return " ".join([*found, *view.step.cautions])
