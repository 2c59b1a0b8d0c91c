"""The ladder: every stage from the aerial to the loudspeaker, what it took against what was expected, the break lit."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted, elided
from unitone.present.trace.trace_shapes import RungMark, RungView
from unitone.quantities.show import number
from unitone.words import N_, tr

_ROW, _LEFT = 60, 44
#: The bar of a rung that needs so much more than expected is full (dB).
_FULL_DB = 60.0
#: The colour of each mark, and the word for those that do not see it.
_LOOKS: dict[RungMark, tuple[str, str]] = {
    "todo": ("quiet", N_("not measured")), "ok": ("teal", N_("as expected")), "weak": ("out_of_spec", N_("weak")),
    "dead": ("out_of_spec", N_("not heard")), "here": ("orange", N_("measure here")), "break": ("out_of_spec", N_("the fault is here")),
    "unknown": ("quiet", N_("not measured")),
}  # fmt: skip


class LadderView(Painted):
    """Click a rung to look at its stage."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__(tr("Ladder of stages"))
        self.rungs: tuple[RungView, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(460), theme.px(_ROW) * max(len(self.rungs), 1) + theme.px(8))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(330), self.sizeHint().height())

    def show_rungs(self, rungs: tuple[RungView, ...]) -> None:
        """Show these."""
        if rungs == self.rungs:
            return
        self.rungs = rungs
        self.setAccessibleDescription("; ".join(f"{r.title}: {r.value or tr(_LOOKS[r.mark][1])}" for r in rungs))
        self.updateGeometry()
        self.update()

    def place(self, stage: str) -> QRectF:
        """Where a rung stands."""
        at = next((n for n, r in enumerate(self.rungs) if r.id == stage), 0)
        return QRectF(0, at * self._row(), self.width(), self._row())

    def _row(self) -> float:
        return max(theme.px(_ROW), min(theme.px(_ROW + 14), (self.height() - theme.px(8)) / max(len(self.rungs), 1)))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = int(event.position().y() // self._row())
        if 0 <= at < len(self.rungs):
            self.chosen.emit(self.rungs[at].id)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        row, x = self._row(), theme.px(24.0)
        for n, rung in enumerate(self.rungs):
            box = QRectF(0, n * row, self.width(), row)
            self._ground(painter, rung, box)
        painter.setPen(QPen(theme.colour("teal"), theme.px(3)))
        if self.rungs:
            last = len(self.rungs) - 0.5
            painter.drawLine(QPointF(x, row * 0.5), QPointF(x, row * last))
        for n, rung in enumerate(self.rungs):
            self._rung(painter, rung, QRectF(0, n * row, self.width(), row), x)

    def _ground(self, painter: QPainter, rung: RungView, box: QRectF) -> None:
        ground = {"break": "out_of_spec_soft", "here": "orange_soft"}.get(rung.mark, "well" if rung.current else "")
        if not ground:
            return
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour(ground))
        painter.drawRoundedRect(box.adjusted(2, 2, -2, -2), theme.px(8), theme.px(8))

    def _rung(self, painter: QPainter, rung: RungView, box: QRectF, x: float) -> None:
        colour = theme.colour(_LOOKS[rung.mark][0])
        middle = QPointF(x, box.center().y())
        self._bead(painter, rung, middle)
        text = box.adjusted(theme.px(_LEFT), theme.px(7), -theme.px(12), -theme.px(7))
        painter.setFont(theme.font(16, True))
        wide = painter.fontMetrics().horizontalAdvance(rung.value)
        painter.setPen(colour if rung.mark in ("weak", "dead", "here", "break") else theme.colour("ink"))
        painter.drawText(text, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, rung.value)
        painter.setPen(theme.colour("ink"))
        left = QRectF(text.left(), text.top(), text.width() - wide - theme.px(10), text.height())
        painter.drawText(
            left, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, elided(painter, rung.title, left.width())
        )
        painter.setFont(theme.font(13))
        painter.setPen(theme.colour("quiet"))
        under = rung.expected
        if rung.excess_db is not None and rung.excess_db > 3.0:
            under = tr("{expected}, {db} dB more", expected=under, db=number(rung.excess_db, 0))
        wide = painter.fontMetrics().horizontalAdvance(under)
        painter.drawText(text, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, under)
        detail = " · ".join(w for w in (rung.detail, rung.beside) if w)
        painter.drawText(
            QRectF(text.left(), text.top(), text.width() - wide - theme.px(12), text.height()),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom,
            elided(painter, detail, text.width() - wide - theme.px(12)),
        )

    def _bead(self, painter: QPainter, rung: RungView, at: QPointF) -> None:
        side = theme.px(10.0)
        colour = theme.colour(_LOOKS[rung.mark][0])
        painter.setBrush(theme.colour("card"))
        if rung.mark in ("dead", "break", "weak"):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(at, side * 1.15, side * 1.15)
            painter.setPen(QPen(colour, theme.px(3)))
            d = side * 0.6
            painter.drawLine(at + QPointF(-d, -d), at + QPointF(d, d))
            painter.drawLine(at + QPointF(-d, d), at + QPointF(d, -d))
            return
        painter.setPen(QPen(colour, theme.px(3)))
        if rung.mark == "here":
            painter.setBrush(colour)
        painter.drawEllipse(at, side * 0.8, side * 0.8)
        if rung.mark == "here":
            painter.setBrush(theme.colour("card"))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(at, side * 0.3, side * 0.3)


class Shares(Painted):
    """Names with a bar each: how likely, in per cent; the likeliest first."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self._rows: tuple[tuple[str, float, str], ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(220), theme.px(40) * max(len(self._rows), 1))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(150), self.sizeHint().height())

    def show_shares(self, rows: tuple[tuple[str, float, str], ...]) -> None:
        """(name, per cent, words) of each."""
        if rows == self._rows:
            return
        self._rows = rows
        self.setAccessibleDescription("; ".join(f"{name} {number(pct, 0)} % {words}" for name, pct, words in rows))
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        row = theme.px(40)
        for n, (name, percent, words) in enumerate(self._rows):
            top = n * row
            first = n == 0 and percent >= 50.0
            painter.setFont(theme.font(14, n == 0))
            share = tr("{percent} %", percent=number(percent, 0))
            painter.setPen(theme.colour("out_of_spec" if first else "ink"))
            wide = painter.fontMetrics().horizontalAdvance(share)
            room = QRectF(0, top, self.width(), row)
            painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, share)
            painter.setPen(theme.colour("ink"))
            shown = " · ".join(x for x in (name, words) if x)
            painter.drawText(
                QRectF(0, top, self.width() - wide - theme.px(8), row), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop,
                elided(painter, shown, self.width() - wide - theme.px(8)),
            )  # fmt: skip
            bar = QRectF(0, top + theme.px(22), self.width(), theme.px(8))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("line"))
            painter.drawRoundedRect(bar, bar.height() / 2, bar.height() / 2)
            filled = QRectF(bar.left(), bar.top(), max(bar.width() * percent / 100.0, bar.height()), bar.height())
            painter.setBrush(theme.colour("out_of_spec" if first else "quiet"))
            painter.drawRoundedRect(filled, bar.height() / 2, bar.height() / 2)
