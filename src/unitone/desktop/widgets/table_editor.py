"""One list of a sheet: its rows at the left, the form of the chosen row (or rows) at the right."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QItemSelectionModel, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QBoxLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import shown_key
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.form import FormView
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.painted import elided, label, set_tip
from unitone.sheet.editing.draft import Draft
from unitone.sheet.editing.fields import Field
from unitone.sheet.format.build import Problem
from unitone.words import tr

_ROLE = Qt.ItemDataRole.UserRole
#: Narrower than this, the form stands under its list.
_BESIDE = 400
RowWords = Callable[[dict[str, Any]], tuple[str, str]]


class RowDelegate(QStyledItemDelegate):
    """Two lines a row: its name, what it is; a triangle where something is wrong with it."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Any) -> QSize:
        del option
        return QSize(theme.px(120), theme.px(42 if index.data(_ROLE)[1] else 28))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: Any) -> None:
        assert painter is not None
        title, sub, wrong = index.data(_ROLE)
        box = QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(QPen(theme.colour("teal"), 1))
            painter.setBrush(theme.colour("teal_soft"))
            painter.drawRoundedRect(box.adjusted(1, 1, -2, -1), 6, 6)
        inner = box.adjusted(theme.px(8), theme.px(3), -theme.px(8), -theme.px(3))
        if wrong:
            side = theme.px(12)
            draw_mark(painter, QRectF(inner.right() - side, inner.top() + theme.px(4), side, side), "out_of_spec")
            inner.setRight(inner.right() - side - theme.px(6))
        painter.setFont(theme.font(13, True))
        painter.setPen(theme.colour("ink"))
        first = QRectF(inner.left(), inner.top(), inner.width(), theme.px(20))
        painter.drawText(first, Qt.AlignmentFlag.AlignVCenter, elided(painter, title, inner.width()))
        if sub:
            painter.setFont(theme.font(12))
            painter.setPen(theme.colour("quiet"))
            second = QRectF(inner.left(), inner.top() + theme.px(19), inner.width(), theme.px(17))
            painter.drawText(second, Qt.AlignmentFlag.AlignVCenter, elided(painter, sub, inner.width()))
        painter.restore()


class RowList(QListWidget):
    """Rows that can be chosen together and dragged into another order."""

    moved = pyqtSignal(list)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setItemDelegate(RowDelegate(self))
        self.setUniformItemSizes(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)

    def dropEvent(self, event: Any) -> None:
        for n in range(self.count()):
            item = self.item(n)
            assert item is not None
            item.setData(Qt.ItemDataRole.UserRole + 1, n)
        super().dropEvent(event)
        order = []
        for n in range(self.count()):
            item = self.item(n)
            assert item is not None
            order.append(item.data(Qt.ItemDataRole.UserRole + 1))
        self.moved.emit(order)


class TableEditor(QWidget):
    """Edits one table of a draft. ``changed`` is sent after every change of the draft."""

    changed = pyqtSignal()

    def __init__(
        self, table: str, title: str, fields: Sequence[Field], words: RowWords, names: Callable[[str], list[str]]
    ) -> None:
        super().__init__()
        self.setAccessibleName(title)
        self.table, self._words = table, words
        self._draft: Draft | None = None
        self._problems: tuple[Problem, ...] = ()
        #: Makes the row that "add" adds, from the row before it.
        self.make: Callable[[dict[str, Any] | None], dict[str, Any]] = lambda _: {}
        #: Called after a field was changed by hand: fills in what goes with it.
        self.after_edit: Callable[[int, Field], None] = lambda _row, _field: None
        self.after_finish: Callable[[int, Field], None] = lambda _row, _field: None
        self._sides = row = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(12))
        left = QVBoxLayout()
        left.setSpacing(theme.px(6))
        self.list = RowList(title)
        self.list.itemSelectionChanged.connect(self._selected)
        self.list.moved.connect(self._dragged)
        self.empty = label("quiet", tr("Nothing here yet. Add the first: {key}.", key=shown_key("next-row")), True)
        left.addWidget(self.empty)
        left.addWidget(self.list, 1)
        buttons = QHBoxLayout()
        buttons.setSpacing(theme.px(4))
        self.add_button = self._button(
            tr("Add"), self.add, tr("Add a row like this one: {key}", key=shown_key("next-row")), ""
        )
        self.copy_button = self._button(tr("Duplicate"), self.duplicate, shown_key("duplicate"), "link")
        self.remove_button = self._button(tr("Remove"), self.remove, tr("Delete; undo brings it back"), "link")
        self.up_button = self._button("▲", lambda: self.move(-1), tr("Move up: {key}", key=shown_key("row-up")), "link")
        self.down_button = self._button(
            "▼", lambda: self.move(1), tr("Move down: {key}", key=shown_key("row-down")), "link"
        )
        for button in (self.add_button, self.copy_button, self.remove_button, self.up_button, self.down_button):
            buttons.addWidget(button)
        buttons.addStretch(1)
        left.addLayout(buttons)
        row.addLayout(left, 10)
        right = QVBoxLayout()
        self.head = label("heading", "", True)
        right.addWidget(self.head)
        self.form = FormView(fields, names)
        self.form.setAccessibleName(title)
        self.form.edited.connect(self._edited)
        self.form.finished.connect(self._finished)
        right.addWidget(self.form, 1)
        row.addLayout(right, 21)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The form beside the list, or under it where there is no room for both."""
        super().resizeEvent(event)
        beside = self.width() / theme.scale >= _BESIDE
        self._sides.setDirection(QBoxLayout.Direction.LeftToRight if beside else QBoxLayout.Direction.TopToBottom)

    def _button(self, words: str, do: Callable[[], object], tip: str, role: str) -> QPushButton:
        button = QPushButton(words)
        if role:
            button.setProperty("role", role)
        set_tip(button, tip)
        button.setAccessibleName(f"{words} ({tip})")
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: do())
        return button

    # -- showing -------------------------------------------------------------------------------

    def show_draft(self, draft: Draft | None, keep: bool = False) -> None:
        """Show a draft's table; ``keep`` keeps the chosen rows."""
        self._draft = draft
        chosen = self.rows() if keep else []
        rows = draft.rows(self.table) if draft is not None else []
        self.list.blockSignals(True)
        while self.list.count() > len(rows):
            self.list.takeItem(self.list.count() - 1)
        while self.list.count() < len(rows):
            self.list.addItem(QListWidgetItem())
        self.list.blockSignals(False)
        self._paint_rows()
        self.empty.setVisible(not rows)
        self.choose([c for c in chosen if c < len(rows)] or ([0] if rows else []))
        self._selected()

    def _paint_rows(self) -> None:
        rows = self._draft.rows(self.table) if self._draft is not None else []
        wrong = {p.place[1] for p in self._problems if len(p.place) > 1 and p.place[0] == self.table}
        for n, row in enumerate(rows):
            item = self.list.item(n)
            assert item is not None
            title, sub = self._words(row)
            shown = (title, sub, n in wrong)
            if item.data(_ROLE) != shown:
                item.setData(_ROLE, shown)
                item.setData(
                    Qt.ItemDataRole.AccessibleTextRole, f"{title}, {sub}{tr(', has an error') if n in wrong else ''}"
                )
                set_tip(item, f"{title}\n{sub}")

    def rows(self) -> list[int]:
        """Numbers of the chosen rows."""
        return sorted(i.row() for i in self.list.selectedIndexes())

    def choose(self, rows: list[int]) -> None:
        """Choose these rows."""
        self.list.blockSignals(True)
        self.list.clearSelection()
        for n in rows:
            item = self.list.item(n)
            if item is not None:
                item.setSelected(True)
        if rows and (item := self.list.item(rows[-1])) is not None:
            self.list.setCurrentItem(item, QItemSelectionModel.SelectionFlag.NoUpdate)
            self.list.scrollToItem(item)
        self.list.blockSignals(False)
        self._selected()

    def _selected(self) -> None:
        chosen = self.rows()
        draft = self._draft
        self.form.setEnabled(bool(chosen))
        for button in (self.copy_button, self.remove_button, self.up_button, self.down_button):
            button.setEnabled(bool(chosen))
        if draft is None or not chosen:
            self.head.setText("")
            self.form.show_rows(lambda _: [None])
            self.form.show_cures({})
            return
        self.head.setText(
            tr("{n} rows selected: your entry goes into all of them", n=len(chosen)) if len(chosen) > 1 else ""
        )
        self.head.setVisible(len(chosen) > 1)
        self.form.show_rows(lambda f: [draft.get((self.table, n, *f.key)) for n in chosen])
        self._show_cures()

    def show_problems(self, problems: tuple[Problem, ...]) -> None:
        """Mark the rows that have to be mended, and the fields of the chosen row."""
        self._problems = problems
        self._paint_rows()
        self._show_cures()

    def _show_cures(self) -> None:
        chosen = self.rows()
        cures: dict[tuple[str, ...], str] = {}
        general: list[str] = []
        if len(chosen) == 1:
            for problem in self._problems:
                if problem.place[:2] != (self.table, chosen[0]):
                    continue
                key = self.field_of(problem)
                if key is None:
                    general.append(f"{problem.key}: {problem.text}")
                elif key not in cures:
                    cures[key] = problem.text
        self.form.show_cures(cures, "\n".join(general))

    def field_of(self, problem: Problem) -> tuple[str, ...] | None:
        """The key of the field that a problem is about."""
        inside = tuple(str(p) for p in problem.place[2:] if not isinstance(p, int))
        for field in self.form.fields:
            if inside[: len(field.key)] == field.key:
                return field.key
        for field in self.form.fields:
            if inside[:1] == field.key[:1]:
                return field.key
        return None

    def go_to(self, problem: Problem) -> None:
        """Choose the row of a problem and put the cursor into its field."""
        if len(problem.place) > 1 and isinstance(problem.place[1], int):
            self.choose([min(problem.place[1], self.list.count() - 1)])
            self.form.focus_field(self.field_of(problem) or self.form.fields[0].key)

    # -- changing --------------------------------------------------------------------------------

    def _edited(self, field: Field, value: Any) -> None:
        chosen = self.rows()
        if self._draft is None or not chosen:
            return
        if field.key == ("id",) and len(chosen) == 1:
            self._draft.rename(self.table, chosen[0], value or "", typing=True)
        else:
            self._draft.put_many(self.table, chosen, field.key, value, typing=True)
        if len(chosen) == 1:
            self.after_edit(chosen[0], field)
        self._paint_rows()
        self.changed.emit()

    def _finished(self, field: Field) -> None:
        chosen = self.rows()
        if self._draft is not None and len(chosen) == 1:
            self.after_finish(chosen[0], field)

    def refresh_form(self) -> None:
        """Show what the draft holds, where something else than the form changed it."""
        self._paint_rows()
        self._selected()

    def add(self) -> None:
        """A row more after the one at hand, with the cursor in it."""
        if self._draft is None:
            return
        chosen = self.rows()
        rows = self._draft.rows(self.table)
        before = rows[chosen[-1]] if chosen else rows[-1] if rows else None
        at = self._draft.add(self.table, self.make(before), chosen[-1] if chosen else None)
        self.show_draft(self._draft)
        self.choose([at])
        self.form.focus_field(self.form.fields[0].key)
        self.changed.emit()

    def duplicate(self) -> None:
        """Copies of the chosen rows."""
        if self._draft is not None and self.rows():
            made = self._draft.duplicate(self.table, self.rows())
            self.show_draft(self._draft)
            self.choose(made)
            self.changed.emit()

    def remove(self) -> None:
        """Take the chosen rows out; undo brings them back."""
        chosen = self.rows()
        if self._draft is not None and chosen:
            self._draft.remove(self.table, chosen)
            self.show_draft(self._draft)
            self.choose([min(chosen[0], self.list.count() - 1)] if self.list.count() else [])
            self.changed.emit()

    def move(self, by: int) -> None:
        """Move the chosen rows together."""
        if self._draft is not None and self.rows():
            made = self._draft.move(self.table, self.rows(), by)
            self.show_draft(self._draft, keep=True)
            self.choose(made)
            self.changed.emit()

    def _dragged(self, order: list[int]) -> None:
        if self._draft is not None:
            chosen = [order.index(n) for n in self.rows() if n in order]
            self._draft.place_rows(self.table, order)
            self.show_draft(self._draft)
            self.choose(chosen)
            self.changed.emit()
