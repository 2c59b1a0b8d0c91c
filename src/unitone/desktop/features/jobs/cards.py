"""The cards in the list of jobs: read page by page, painted with what was found and how it stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.painted import elided
from unitone.store.rows import JobRow
from unitone.words import figure, tr

ROLE = Qt.ItemDataRole.UserRole
#: So many cards are read at a time.
PAGE = 60


def describe_state(row: JobRow) -> tuple[str, str]:
    """(mark, words) of where a job stands."""
    s = row.summary
    if row.held:
        return "now", tr("open at {bench}", bench=row.held)
    if row.status in ("finished", "handed over", "archived"):
        out = s.get("verdicts", {}).get("out_of_spec", 0) + s.get("verdicts", {}).get("accepted", 0)
        words = {"finished": tr("to hand over"), "handed over": tr("handed over"), "archived": tr("archived")}[
            row.status
        ]
        return ("out_of_spec" if out else "in_spec"), words + (tr(", {n} out", n=out) if out else "")
    if row.status == "waiting":
        return "recheck", tr("waiting")
    if row.status == "later":
        return "recheck", tr("left for later")
    if not s.get("readings"):
        return "todo", tr("inspected, not measured") if s.get("findings") else tr("not begun")
    if s.get("phase") == "as-found":
        return "now", tr("as found, step {n} of {all}", n=s["step_number"], all=s["steps"])
    return "now", tr("step {n} of {all} · {title}", n=s["step_number"], all=s["steps"], title=tr(s["step_title"]))


def reason(row: JobRow) -> str:
    """What a waiting job waits for, or why it was left; with what was approved."""
    if row.status not in ("waiting", "later"):
        return ""
    return str(row.summary.get("why") or "")


def measured(row: JobRow) -> bool:
    """Was any of the quantities read that a card shows?"""
    return any(m["text"] for m in row.summary.get("marks", []))


class JobsModel(QAbstractListModel):
    """The cards, as the logbook gave them; more are fetched as the list is scrolled."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[JobRow] = []
        self._more: Callable[[int], list[JobRow]] | None = None

    def set_rows(self, rows: list[JobRow], more: Callable[[int], list[JobRow]]) -> None:
        """The first page, and where the following ones come from (by how many are there already)."""
        self.beginResetModel()
        self.rows = rows
        self._more = more if len(rows) >= PAGE else None
        self.endResetModel()

    def canFetchMore(self, parent: QModelIndex | None = None) -> bool:
        return self._more is not None and not (parent is not None and parent.isValid())

    def fetchMore(self, parent: QModelIndex | None = None) -> None:
        """The next page."""
        if self._more is None:
            return
        following = self._more(len(self.rows))
        if len(following) < PAGE:
            self._more = None
        if following:
            self.beginInsertRows(QModelIndex(), len(self.rows), len(self.rows) + len(following) - 1)
            self.rows += following
            self.endInsertRows()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def data(self, index: QModelIndex, role: int = 0) -> Any:
        row = self.rows[index.row()]
        if role == ROLE:
            return row
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return ", ".join(
                x
                for x in (f"{row.number:04d} {row.radio}", row.card["complaint"], describe_state(row)[1], reason(row))
                if x
            )
        return None


#: Narrower than the first, a card's marks stand three in a row; narrower than the second two, and where a job stands is
#: told by its mark alone.
_ONE_ROW, _THREE = 640, 330


def _columns(view: QWidget | None, marks: int) -> int:
    """So many marks stand side by side."""
    width = _ONE_ROW + 1.0 if view is None else view.width() / theme.scale
    return max(1, marks if width > _ONE_ROW else 3 if width > _THREE else 2)


class CardDelegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        row: JobRow = index.data(ROLE)
        height = 76 + (24 if reason(row) else 0)
        if measured(row):
            marks = len(row.summary["marks"])
            height += 2 + 40 * -(-marks // _columns(option.widget, marks))
        return QSize(theme.px(400), theme.px(height))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        row: JobRow = index.data(ROLE)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        box = QRectF(option.rect).adjusted(1.5, 1.5, -theme.px(6), -theme.px(8))
        painter.setPen(QPen(theme.colour("orange" if chosen else "line"), 2.4 if chosen else 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(box, 10, 10)
        inner = box.adjusted(theme.px(16), theme.px(10), -theme.px(16), -theme.px(10))
        self._head(painter, row, inner, option.widget)
        top = theme.px(50)
        if words := reason(row):
            painter.setFont(theme.font(13, True))
            painter.setPen(theme.colour("recheck"))
            line = QRectF(inner.left(), inner.top() + theme.px(46), inner.width(), theme.px(22))
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, elided(painter, words, inner.width()))
            top += theme.px(24)
        if measured(row):
            area = QRectF(inner.left(), inner.top() + top, inner.width(), inner.height() - top)
            self._marks(painter, row, area, _columns(option.widget, len(row.summary["marks"])))
        painter.restore()

    def _head(self, painter: QPainter, row: JobRow, inner: QRectF, view: QWidget | None) -> None:
        mark, words = describe_state(row)
        if view is not None and view.width() / theme.scale <= _THREE:
            words = ""
        side = theme.px(14)
        painter.setFont(theme.font(17, True))
        named = painter.fontMetrics().horizontalAdvance(f"{row.number:04d}  {row.radio}")
        painter.setFont(theme.font(13))
        # The radio's name comes first; where it stands gets what is left, but never less than a third.
        room = max(inner.width() * 0.32, inner.width() - named - side - theme.px(28))
        right = int(min(painter.fontMetrics().horizontalAdvance(words) + theme.px(6), room)) if words else 0
        line = QRectF(inner.left(), inner.top(), inner.width(), theme.px(24))
        painter.setPen(theme.colour("ink"))
        painter.drawText(
            line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, elided(painter, words, right)
        )
        draw_mark(
            painter,
            QRectF(inner.right() - right - side - theme.px(4), line.center().y() - side / 2, side, side),
            mark,
            mark == "now",
        )
        painter.setFont(theme.font(15, True))
        painter.setPen(theme.colour("quiet"))
        number = f"{row.number:04d}"
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, number)
        taken = painter.fontMetrics().horizontalAdvance(number + "  ")
        painter.setFont(theme.font(17, True))
        painter.setPen(theme.colour("ink"))
        room = inner.width() - taken - right - side - theme.px(16)
        painter.drawText(line.adjusted(taken, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, elided(painter, row.radio, room))
        painter.setFont(theme.font(13))
        painter.setPen(theme.colour("quiet"))
        words = " · ".join(x for x in (row.card["complaint"], row.card["owner"]) if x)
        second = QRectF(inner.left(), inner.top() + theme.px(24), inner.width(), theme.px(22))
        painter.drawText(second, Qt.AlignmentFlag.AlignVCenter, elided(painter, words, inner.width()))

    def _marks(self, painter: QPainter, row: JobRow, area: QRectF, columns: int) -> None:
        marks = row.summary["marks"]
        width = area.width() / columns
        for n, mark in enumerate(marks):
            top = area.top() + (n // columns) * theme.px(40)
            box = QRectF(area.left() + (n % columns) * width, top, width - theme.px(11), area.height())
            painter.setFont(theme.font(11))
            painter.setPen(theme.colour("ink"))
            value = figure(tr(mark["text"])) if mark["text"] else "—"
            painter.drawText(box, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight, value)
            taken = painter.fontMetrics().horizontalAdvance(value)
            painter.setPen(theme.colour("quiet"))
            painter.drawText(
                box,
                Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft,
                elided(painter, tr(mark["name"]), box.width() - taken - 6),
            )
            found_and_left_bar(painter, QRectF(box.left(), box.top() + theme.px(22), box.width(), theme.px(8)), mark)


def found_and_left_bar(painter: QPainter, bar: QRectF, mark: dict[str, Any]) -> None:
    """Found (a ring) and now (a disc or a triangle) on one bar with the band that holds."""
    radius = bar.height() / 2
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("line"))
    painter.drawRoundedRect(bar, radius, radius)
    low, high = mark["band"]
    painter.setPen(QPen(theme.colour("in_spec"), 1))
    painter.setBrush(theme.colour("holds_soft"))
    painter.drawRoundedRect(
        QRectF(bar.left() + bar.width() * low, bar.top(), bar.width() * (high - low), bar.height()), radius, radius
    )
    y = bar.center().y()
    found, now = mark["found"], mark["now"]
    places = [bar.left() + radius + p * (bar.width() - 2 * radius) for p in (found, now) if p is not None]
    if len(places) == 2:
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.drawLine(QPointF(places[0], y), QPointF(places[1], y))
    side = theme.px(11)
    if found is not None:
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.setBrush(theme.colour("card"))
        painter.drawEllipse(QPointF(places[0], y), theme.px(4), theme.px(4))
    if now is not None:
        verdict = (
            "recheck"
            if mark["stale"]
            else "in_spec"
            if mark["in_spec"]
            else "out_of_spec"
            if mark["in_spec"] is False
            else "undecided"
        )
        draw_mark(painter, QRectF(places[-1] - side / 2, y - side / 2, side, side), verdict)
