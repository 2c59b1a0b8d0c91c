"""The procedure with its verdicts, and the turns ledger."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.marks import draw_mark, verdict_colour
from unitone.desktop.widgets.painted import Painted, label, set_tip
from unitone.job.verdicts import describe_verdict
from unitone.present.bench.bench_shapes import LedgerRow, ProcedureRow
from unitone.words import tr

_ROLE = Qt.ItemDataRole.UserRole


def _value(row: ProcedureRow) -> str:
    """What stands at the right of a step: its reading, else its verdict where it has one."""
    value = row.value or ("" if row.verdict == "todo" else describe_verdict(row.verdict))
    if row.look:
        return tr("look · {value}", value=value) if value else tr("look")
    return value


def _room(row: ProcedureRow, width: float) -> tuple[float, float, bool]:
    """(width for the title, its height, does the value stand beside it?): a title is wrapped, never cut."""
    title, small = QFontMetricsF(theme.font(13, row.current)), QFontMetricsF(theme.font(12, row.current))
    free = width - theme.px(29) - theme.px(8)
    beside = free - small.horizontalAdvance(_value(row)) - theme.px(6)
    longest = max(title.horizontalAdvance(word) for word in row.title.split() or [""])
    wide = beside if longest <= beside else free
    flags = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft
    return wide, title.boundingRect(QRectF(0, 0, wide, 10_000), int(flags), row.title).height(), longest <= beside


class _ProcedureDelegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        row, view = index.data(_ROLE), self.parent()
        if not isinstance(row, ProcedureRow) or not isinstance(view, QListWidget):
            return QSize(theme.px(120), theme.px(27))
        viewport = view.viewport()
        _, high, beside = _room(row, option.rect.width() if viewport is None else viewport.width())
        below = 0.0 if beside else QFontMetricsF(theme.font(12, row.current)).height()
        return QSize(theme.px(120), max(theme.px(26), round(high + below + theme.px(8))))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        row, box = index.data(_ROLE), QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not isinstance(row, ProcedureRow):
            painter.setFont(theme.font(11, True))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(
                box.adjusted(theme.px(8), 0, 0, -theme.px(4)), Qt.AlignmentFlag.AlignBottom, str(row).upper()
            )
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(box.bottomLeft() + QPointF(theme.px(8), 0), box.bottomRight() - QPointF(theme.px(4), 0))
            painter.restore()
            return
        if row.current:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("orange_soft"))
            painter.drawRoundedRect(box.adjusted(0, 1, -2, -1), 6, 6)
        side = theme.px(13)
        draw_mark(painter, QRectF(box.left() + theme.px(8), box.center().y() - side / 2, side, side), row.verdict)
        painter.setFont(theme.font(12, row.current))
        value = _value(row)
        wide, high, beside = _room(row, box.width())
        painter.setPen(
            theme.colour("orange_text")
            if row.current
            else verdict_colour(row.verdict)
            if row.verdict in ("out_of_spec", "recheck")
            else theme.colour("quiet")
        )
        across = Qt.AlignmentFlag.AlignVCenter if beside else Qt.AlignmentFlag.AlignBottom
        painter.drawText(
            box.adjusted(0, 0, -theme.px(8), 0 if beside else -theme.px(4)), across | Qt.AlignmentFlag.AlignRight, value
        )
        painter.setFont(theme.font(13, row.current))
        painter.setPen(theme.colour("ink"))
        top = box.center().y() - high / 2 if beside else box.top() + theme.px(4)
        where = QRectF(box.left() + theme.px(29), top, wide, high)
        painter.drawText(where, int(Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft), row.title)
        painter.restore()


class ProcedureList(QListWidget):
    """The procedure: headings and steps; a click goes to a step."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Procedure"))
        self.setItemDelegate(_ProcedureDelegate(self))
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.itemClicked.connect(self._go)
        # Steps are reached with Page Up and Page Down from anywhere on the Bench.
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._rows: tuple[tuple[str, tuple[ProcedureRow, ...]], ...] = ()
        theme.changed.connect(self._theme_changed)

    def _theme_changed(self) -> None:
        self.scheduleDelayedItemsLayout()

    def show_procedure(self, groups: tuple[tuple[str, tuple[ProcedureRow, ...]], ...]) -> None:
        """Show these steps; the one at hand is kept in sight."""
        if groups == self._rows:
            return
        same = [[r.step_id for r in rows] for _, rows in groups] == [
            [r.step_id for r in rows] for _, rows in self._rows
        ]
        self._rows = groups
        if not same:
            self.clear()
            for title, rows in groups:
                heading = QListWidgetItem()
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                heading.setData(_ROLE, title)
                self.addItem(heading)
                for _ in rows:
                    self.addItem(QListWidgetItem())
        # A value that came may leave its title fewer letters a line.
        self.scheduleDelayedItemsLayout()
        at = 0
        for title, rows in groups:
            self.item(at).setData(_ROLE, title)
            at += 1
            for row in rows:
                item = self.item(at)
                item.setData(_ROLE, row)
                look = tr("worth a look") if row.look else ""
                item.setData(
                    Qt.ItemDataRole.AccessibleTextRole,
                    f"{row.title}: {describe_verdict(row.verdict)} {row.value} {look}".strip(),
                )
                set_tip(
                    item, f"{row.title}\n{describe_verdict(row.verdict)} {row.value}" + (f"\n{look}" if look else "")
                )
                if row.current:
                    self.scrollToItem(item)
                at += 1

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The step at hand stays in sight when the room changes."""
        super().resizeEvent(event)
        for n in range(self.count()):
            row = self.item(n).data(_ROLE)
            if isinstance(row, ProcedureRow) and row.current:
                self.scrollToItem(self.item(n))

    def _go(self, item: QListWidgetItem) -> None:
        row = item.data(_ROLE)
        if isinstance(row, ProcedureRow):
            self.chosen.emit(row.step_id)


class ItemList(ProcedureList):
    """A list that has the cursor: arrow keys go through it."""

    step = pyqtSignal(int)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.step.emit(1 if event.key() == Qt.Key.Key_Down else -1)
            return
        super().keyPressEvent(event)


class _Slide(Painted):
    """One adjuster's way from where it was found, drawn."""

    pressed = pyqtSignal()

    def __init__(self, row: LedgerRow) -> None:
        super().__init__(row.adjuster)
        self.row = row

    def set_row(self, row: LedgerRow) -> None:
        self.row = row
        set_tip(self, ", ".join(x for x in (row.where, row.tool, row.seen) if x))
        self.setAccessibleName(f"{row.adjuster} {row.text}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(180), theme.px(24))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(150), theme.px(24))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        del event
        self.pressed.emit()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter, row = self.painter(), self.row
        y = self.height() / 2
        painter.setFont(theme.font(13, True))
        painter.setPen(theme.colour("orange_text" if row.current else "ink"))
        painter.drawText(QRectF(0, 0, theme.px(40), self.height()), Qt.AlignmentFlag.AlignVCenter, row.adjuster)
        text_width = theme.px(100)
        left, right = theme.px(44), self.width() - text_width - theme.px(6)
        painter.setPen(QPen(theme.colour("line"), theme.px(3), cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        middle = (left + right) / 2
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.drawLine(QPointF(middle, y - theme.px(6)), QPointF(middle, y + theme.px(6)))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("orange" if row.current else "teal"))
        painter.drawEllipse(QPointF(middle + row.place * (right - left) / 2, y), theme.px(6), theme.px(6))
        painter.setFont(theme.font(13))
        painter.setPen(theme.colour("ink"))
        painter.drawText(
            QRectF(self.width() - text_width, 0, text_width, self.height()),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, row.text,
        )  # fmt: skip


class Ledger(QWidget):
    """Every adjuster of the step, and every other that was moved, with the way back."""

    chosen = pyqtSignal(str)
    back = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Turns ledger"))
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(2)
        self._rows: dict[str, tuple[QWidget, _Slide, QPushButton]] = {}

    def show_rows(self, rows: tuple[LedgerRow, ...]) -> None:
        """Show these adjusters in this order."""
        if [r.adjuster for r in rows] != list(self._rows) or not self._layout.count():
            while (item := self._layout.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            self._rows = {row.adjuster: self._make(row) for row in rows}
            for holder, _, _ in self._rows.values():
                self._layout.addWidget(holder)
            if not rows:
                self._layout.addWidget(label("quiet", tr("Nothing has been turned."), True))
            self._layout.addStretch(1)
        for row in rows:
            _, slide, button = self._rows[row.adjuster]
            slide.set_row(row)
            button.setEnabled(row.moved)

    def _make(self, row: LedgerRow) -> tuple[QWidget, _Slide, QPushButton]:
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(theme.px(4))
        slide = _Slide(row)
        slide.pressed.connect(lambda name=row.adjuster: self.chosen.emit(name))
        button = QPushButton(tr("back"))
        button.setProperty("role", "link")
        button.setAccessibleName(tr("Take {adjuster} back to where it was found", adjuster=row.adjuster))
        set_tip(button, button.accessibleName())
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda _=False, name=row.adjuster: self.back.emit(name))
        line.addWidget(slide, 1)
        line.addWidget(button)
        return holder, slide, button
