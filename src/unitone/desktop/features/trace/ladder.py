"""The ladder: every stage from the aerial to the loudspeaker, what it took against what was expected, the break lit; below it its branches."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted, elided
from unitone.present.trace.trace_shapes import BranchView, RungMark, RungView
from unitone.quantities.show import number
from unitone.words import N_, tr

_ROW, _LEFT = 60, 44
#: The heading over the branches, and the row of one.
_HEAD, _BRANCH = 34, 50
#: The bar of a rung that needs so much more than expected is full (dB).
_FULL_DB = 60.0
#: The colour of each mark, and the word for those that do not see it.
_LOOKS: dict[RungMark, tuple[str, str]] = {
    "todo": ("quiet", N_("not measured")), "ok": ("teal", N_("as expected")), "weak": ("out_of_spec", N_("weak")),
    "dead": ("out_of_spec", N_("not heard")), "here": ("orange", N_("measure here")), "break": ("out_of_spec", N_("the fault is here")),
    "unknown": ("quiet", N_("not measured")),
}  # fmt: skip


class LadderView(Painted):
    """Click a rung, or a branch, to look at its stage."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__(tr("Ladder of stages"))
        self.rungs: tuple[RungView, ...] = ()
        self.branches: tuple[BranchView, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(460), theme.px(_ROW) * max(len(self.rungs), 1) + theme.px(8) + self._below())

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(330), self.sizeHint().height())

    def show_rungs(self, rungs: tuple[RungView, ...], branches: tuple[BranchView, ...] = ()) -> None:
        """Show these."""
        if (rungs, branches) == (self.rungs, self.branches):
            return
        self.rungs, self.branches = rungs, branches
        self.setAccessibleDescription(
            "; ".join(f"{r.title}: {r.value or tr(_LOOKS[r.mark][1])}" for r in (*rungs, *branches))
        )
        self.updateGeometry()
        self.update()

    def place(self, stage: str) -> QRectF:
        """Where a rung or a branch stands."""
        for n, branch in enumerate(self.branches):
            if branch.id == stage:
                return self._branch_box(n)
        at = next((n for n, r in enumerate(self.rungs) if r.id == stage), 0)
        return QRectF(0, at * self._row(), self.width(), self._row())

    def _row(self) -> float:
        room = self.height() - theme.px(8) - self._below()
        return max(theme.px(_ROW), min(theme.px(_ROW + 14), room / max(len(self.rungs), 1)))

    def _below(self) -> int:
        """The height of the branches."""
        return theme.px(_HEAD) + theme.px(_BRANCH) * len(self.branches) if self.branches else 0

    def _branch_box(self, n: int) -> QRectF:
        top = len(self.rungs) * self._row() + theme.px(_HEAD) + n * theme.px(_BRANCH)
        return QRectF(0, top, self.width(), theme.px(_BRANCH))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = int(event.position().y() // self._row())
        if 0 <= at < len(self.rungs):
            self.chosen.emit(self.rungs[at].id)
            return
        for n, branch in enumerate(self.branches):
            if self._branch_box(n).contains(event.position()):
                self.chosen.emit(branch.id)

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
        if self.branches:
            painter.setFont(theme.font(13, True))
            painter.setPen(theme.colour("quiet"))
            head = QRectF(theme.px(_LEFT), len(self.rungs) * row, self.width(), theme.px(_HEAD) - theme.px(4))
            painter.drawText(head, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom, tr("Branches"))
        for n, branch in enumerate(self.branches):
            self._ground(painter, branch, self._branch_box(n))
            self._branch(painter, branch, self._branch_box(n), x)

    def _branch(self, painter: QPainter, branch: BranchView, box: QRectF, x: float) -> None:
        self._bead(painter, branch, QPointF(x, box.center().y()), 0.75)
        text = box.adjusted(theme.px(_LEFT), theme.px(5), -theme.px(12), -theme.px(5))
        lit = branch.mark in ("weak", "dead", "here", "break")
        self._line(
            painter, text, Qt.AlignmentFlag.AlignTop, (branch.title, True, "ink"),
            (branch.value, True, _LOOKS[branch.mark][0] if lit else "ink"), 14,
        )  # fmt: skip
        self._line(
            painter,
            text,
            Qt.AlignmentFlag.AlignBottom,
            (branch.detail, False, "quiet"),
            (branch.expected, False, "quiet"),
            13,
        )

    def _line(
        self, painter: QPainter, box: QRectF, at: Qt.AlignmentFlag, left: tuple[str, bool, str], right: tuple[str, bool, str], size: int
    ) -> None:  # fmt: skip
        """Words to the left, as far as those to the right leave room: (words, bold, colour)."""
        wide = 0
        for side, (words, bold, colour) in ((Qt.AlignmentFlag.AlignRight, right), (Qt.AlignmentFlag.AlignLeft, left)):
            painter.setFont(theme.font(size, bold))
            painter.setPen(theme.colour(colour))
            room = QRectF(box.left(), box.top(), box.width() - wide, box.height())
            painter.drawText(room, side | at, elided(painter, words, room.width()))
            wide = painter.fontMetrics().horizontalAdvance(words) + theme.px(12) if words else 0

    def _ground(self, painter: QPainter, rung: RungView | BranchView, box: QRectF) -> None:
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

    def _bead(self, painter: QPainter, rung: RungView | BranchView, at: QPointF, size: float = 1.0) -> None:
        side = theme.px(10.0) * size
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
