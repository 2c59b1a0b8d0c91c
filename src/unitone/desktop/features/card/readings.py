"""The as-found sheet: a table of boxes typed down the column; Enter logs and goes on, a hook-up is confirmed where it changes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.lines import MarkIcon
from unitone.desktop.widgets.painted import Elided, label, set_tip
from unitone.present.card.card_shapes import CardView
from unitone.present.card.found_and_left import ReadingCell, ReadingGroup, ReadingRow, ReadingsView
from unitone.words import tr

_UP, _DOWN = Qt.Key.Key_Up, Qt.Key.Key_Down


class _Box(QWidget):
    """One box: verdict, field, and under it what was found where that differs."""

    #: What was typed and entered; empty where the bench is to read it.
    entered = pyqtSignal(str)
    #: To the box before (-1) or after (1).
    left = pyqtSignal(int)
    taken = pyqtSignal()

    def __init__(self, cell: ReadingCell) -> None:
        super().__init__()
        self.cell = cell
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        row = QHBoxLayout()
        row.setSpacing(theme.px(4))
        self.mark = MarkIcon()
        self.field = QLineEdit()
        self.field.setAccessibleName(f"{cell.name}, {cell.unit}")
        self.field.setPlaceholderText(cell.unit)
        self.field.setMaxLength(60)
        self.field.setMinimumWidth(theme.px(78))
        self.field.installEventFilter(self)
        set_tip(self.field, cell.hint)
        row.addWidget(self.mark)
        row.addWidget(self.field, 1)
        column.addLayout(row)
        self.found = label("small", "")
        self.found.setContentsMargins(theme.px(22), 0, 0, 0)
        column.addWidget(self.found)

    def show_cell(self, cell: ReadingCell, finished: bool) -> None:
        """What the job says now; a text that is being typed stays."""
        if cell.value != self.cell.value or not self.field.isModified():
            self.field.setText(cell.value)
            # A long figure is read from its beginning.
            self.field.home(False)
        self.cell = cell
        self.field.setEnabled(not finished)
        self.mark.show_mark(cell.verdict)
        self.found.setText(tr("found {v}", v=cell.found) if cell.found else "")
        self.found.setVisible(bool(cell.found))

    @property
    def typed(self) -> str:
        """What was typed and is not logged; empty where nothing was."""
        text = self.field.text().strip()
        return text if self.field.isModified() and text != self.cell.value else ""

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        """Enter, arrows up and down, Escape: the sheet's own keys."""
        if isinstance(event, QKeyEvent) and event.type() in (QEvent.Type.KeyPress, QEvent.Type.ShortcutOverride):
            press = event.type() == QEvent.Type.KeyPress
            key = event.key()
            if (
                key in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
                and not event.modifiers() & Qt.KeyboardModifier.ControlModifier
            ):
                if press:
                    self.entered.emit(self.typed)
                else:
                    event.accept()
                return True
            if key in (_UP, _DOWN) and press:
                self.left.emit(-1 if key == _UP else 1)
                return True
            if event.matches(QKeySequence.StandardKey.Undo) and not self.field.isModified():
                # Nothing is typed here: it is the last entry that is meant.
                event.ignore()
                return True
            if key == Qt.Key.Key_Escape and self.field.isModified():
                if press:
                    self.field.setText(self.cell.value)
                else:
                    event.accept()
                return True
        if isinstance(event, QEvent) and event.type() == QEvent.Type.FocusIn:
            QTimer.singleShot(0, self.field.selectAll)
            self.taken.emit()
        return super().eventFilter(watched, event)  # type: ignore[arg-type]


class _Confirm(QPushButton):
    """Pressed by Enter, too: hands stay on the number pad."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter presses it."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
            return
        super().keyPressEvent(event)


class _Group(QFrame):
    """The lines of one hook-up under their heading."""

    def __init__(self, group: ReadingGroup, confirm: Callable[..., None]) -> None:
        super().__init__()
        self.setProperty("role", "well")
        row = QHBoxLayout(self)
        row.setContentsMargins(theme.px(8), theme.px(4), theme.px(8), theme.px(4))
        self.title = label("strong", group.title)
        self.safety = Elided("warn", group.safety)
        self.button = _Confirm(tr("Confirm hook-up"))
        self.button.setProperty("role", "main")
        self.button.setAccessibleDescription(group.safety)
        self.button.clicked.connect(confirm)
        row.addWidget(self.title)
        row.addWidget(self.safety, 1)
        row.addWidget(self.button)

    def show_group(self, group: ReadingGroup, finished: bool) -> None:
        """Asked for while something is left to be read on it."""
        left = any(not c.value for r in group.rows for c in r.cells)
        self._ask(left and not group.confirmed and not finished)

    def _ask(self, wanted: bool) -> None:
        self.safety.setVisible(wanted)
        self.button.setVisible(wanted)

    def take_focus(self) -> None:
        """Ask for the hook-up now, as for a box that is read once more."""
        self._ask(True)
        self.button.setFocus()


class ReadingsTab(CardTab):
    """Every reading of the procedure on one page."""

    #: The sheet to fill in by pencil is wanted.
    paper = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__(tr("As-found sheet"))
        frame, inside = boxed()
        self.words, self.next_words = label("headline", ""), label("quiet", "", True)
        self.next_words.setAccessibleName(tr("What comes next"))
        self.print = QPushButton(tr("Sheet to fill in (PDF)"))
        set_tip(self.print, tr("Every reading with its limit and an empty box, to fill in by pencil"))
        self.print.clicked.connect(lambda: self.paper.emit("readings"))
        head = QHBoxLayout()
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addWidget(self.words)
        names.addWidget(self.next_words)
        head.addLayout(names, 1)
        head.addWidget(self.print)
        inside.addLayout(head)
        self.error = label("cure", "", True)
        self.error.setAccessibleName(tr("Message"))
        self.error.hide()
        self.keys = label(
            "small",
            tr(
                "Enter logs and goes on · Enter on an empty box lets the bench read it, where it can · ↑ ↓ another box · "
                "Ctrl Z deletes the last entry"
            ),
            True,
        )
        inside.addWidget(self.keys)
        self.column.addWidget(frame)
        frame, self._table = boxed()
        self.column.addWidget(frame)
        self.column.addStretch(1)
        self._grid: QWidget | None = None
        self._shape: object = None
        self.boxes: list[_Box] = []
        self.groups: list[_Group] = []
        self._rows: dict[QWidget, int] = {}
        self._width = 3
        self._asked: _Box | None = None
        self._confirming = False

    # -- showing --------------------------------------------------------------------------------------

    def fill(self, view: CardView, other: bool) -> None:
        """Made anew where the sheet has other lines, else brought up to date."""
        sheet = view.readings
        shape = (
            sheet.columns,
            tuple(
                (g.hook_up, tuple((r.title, r.limit, tuple(c.name for c in r.cells)) for r in g.rows))
                for g in sheet.groups
            ),
        )
        if other or shape != self._shape:
            self._build(sheet)
            self._shape = shape
        self.words.setText(sheet.words)
        self.next_words.setText(sheet.next_words)
        for group, made in zip(sheet.groups, self.groups, strict=True):
            made.show_group(group, view.finished)
        cells = [c for g in sheet.groups for r in g.rows for c in r.cells]
        asked, self._asked = self._asked, None
        for cell, box in zip(cells, self.boxes, strict=True):
            if box is asked and cell.value != box.cell.value:
                box.field.setModified(False)
            box.show_cell(cell, view.finished)
        if asked is not None or self._confirming:
            self.error.hide()
            self._confirming = False
            if asked is None or not asked.typed:
                self._go(asked, 1)

    def _build(self, sheet: ReadingsView) -> None:
        if self._grid is not None:
            self._table.removeWidget(self._grid)
            self.error.setParent(None)
            self._grid.hide()
            self._grid.deleteLater()
        self._grid = QWidget()
        grid = QGridLayout(self._grid)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(theme.px(10))
        grid.setVerticalSpacing(theme.px(5))
        grid.setColumnStretch(0, 3)
        grid.setColumnStretch(1, 2)
        self.boxes, self.groups, self._rows = [], [], {}
        self._width = 2 + len(sheet.columns)
        for column, words in enumerate((tr("Reading"), tr("In spec"), *sheet.columns)):
            grid.addWidget(label("small", words), 0, column)
            if column > 1:
                grid.setColumnStretch(column, 2)
        at = 1
        for group in sheet.groups:
            made = _Group(group, lambda _=False, way=group.hook_up: self._confirm(way))
            self.groups.append(made)
            grid.addWidget(made, at, 0, 1, self._width)
            self._rows[made] = at + 1
            at += 2
            for row in group.rows:
                self._line(grid, at, row)
                # Room under each line for what is to be said of it.
                at += 2
        self._table.addWidget(self._grid)

    def _line(self, grid: QGridLayout, at: int, row: ReadingRow) -> None:
        names = QWidget()
        column = QVBoxLayout(names)
        column.setContentsMargins(theme.px(8), 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(label("plain", row.title, True))
        if row.how:
            column.addWidget(label("small", row.how, True))
        names.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        grid.addWidget(names, at, 0)
        grid.addWidget(label("quiet", row.limit, True), at, 1)
        for cell in row.cells:
            box = _Box(cell)
            box.entered.connect(lambda text, b=box: self._entered(b, text))
            box.left.connect(lambda by, b=box: self._go(b, by))
            box.taken.connect(lambda b=box: self.ensureWidgetVisible(b, 0, theme.px(60)))
            self.boxes.append(box)
            self._rows[box] = at + 1
            grid.addWidget(box, at, 2 + cell.column)

    # -- telling ----------------------------------------------------------------------------------------

    def _group_of(self, box: _Box) -> tuple[ReadingGroup, _Group]:
        assert self.view is not None
        for group, made in zip(self.view.readings.groups, self.groups, strict=True):
            if any((c.step, c.index) == (box.cell.step, box.cell.index) for r in group.rows for c in r.cells):
                return group, made
        raise AssertionError("a box belongs to a group")

    def _entered(self, box: _Box, text: str) -> None:
        """Log what was typed; on an empty box let the bench read, or go on. The hook-up is asked for first."""
        group, made = self._group_of(box)
        cell = box.cell
        if not group.confirmed and (text or cell.measurable):
            self._tell(tr("{safety} Confirm the hook-up first: Enter.", safety=group.safety), made)
            made.take_focus()
            return
        if text:
            self._asked = box
            self.do.emit(lambda s: s.type_at(cell.step, cell.index, text))
        elif cell.measurable and not cell.value:
            self._asked = box
            self.do.emit(lambda s: s.measure_at(cell.step, cell.index))
        else:
            self._go(box, 1)

    def _confirm(self, way: str) -> None:
        self._confirming = True
        waiting = next((b for b in self.boxes if b.typed), None)
        if waiting is None:
            self.do.emit(lambda s: s.confirm_hook_up(way))
            return
        # What was typed before the hook-up was confirmed is logged with it.
        self._asked, cell, text = waiting, waiting.cell, waiting.typed

        def both(session) -> None:  # type: ignore[no-untyped-def]
            session.confirm_hook_up(way)
            session.type_at(cell.step, cell.index, text)

        self.do.emit(both)

    def _go(self, box: _Box | None, by: int) -> None:
        """To the next empty box (by 1), or simply up or down; without one, to the first that is empty."""
        if not self.boxes:
            return
        at = self.boxes.index(box) if box is not None else -1
        if by == 1 and (box is None or box.cell.value):
            after = [*self.boxes[at + 1 :], *self.boxes[: at + 1]]
            target = next((b for b in after if not b.cell.value), None)
        else:
            target = self.boxes[min(max(at + by, 0), len(self.boxes) - 1)]
        if target is None:
            self.print.setFocus()
            return
        group, made = self._group_of(target)
        if group.confirmed or self.view is None or self.view.finished:
            target.field.setFocus()
        else:
            self._tell(tr("{safety} Confirm the hook-up: Enter.", safety=group.safety), made)
            made.take_focus()

    def _tell(self, words: str, where: QWidget | None) -> None:
        """Said right under the line that it is about."""
        layout = None if self._grid is None else self._grid.layout()
        if isinstance(layout, QGridLayout):
            layout.addWidget(self.error, self._rows.get(where, 1) if where is not None else 1, 0, 1, self._width)
        self.error.setText(words)
        self.error.show()
        QTimer.singleShot(0, lambda: self.ensureWidgetVisible(self.error, 0, theme.px(70)))

    def failed(self, words: str) -> bool:
        """What was refused stays in its box; the words stand under its line."""
        asked, self._asked = self._asked, None
        confirming, self._confirming = self._confirming, False
        if asked is None and not confirming:
            return False
        self._tell(words, asked or next((g for g in self.groups if g.button.isVisible()), None))
        if asked is not None:
            asked.field.setModified(True)
            asked.field.setFocus()
            asked.field.selectAll()
        return True

    def first(self) -> QWidget:
        """The first box that is empty."""
        empty = next((b for b in self.boxes if not b.cell.value), None)
        return empty.field if empty is not None else self.print
