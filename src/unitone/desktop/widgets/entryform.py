"""A row of fields that adds one entry: labels above, Enter adds, what was wrong stands below and nothing typed is lost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QStringListModel, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice, dress_list
from unitone.desktop.widgets.painted import label

_LONGEST = 500


@dataclass(frozen=True)
class Ask:
    """One field: its key, its words, an example, its share of the row, and its choices where it has some."""

    key: str
    words: str
    hint: str = ""
    share: int = 2
    choices: tuple[tuple[str, str], ...] = ()
    needed: bool = False
    wide: bool = False


class EntryForm(QWidget):
    """Knows no job: it tells what was typed and is told whether it was taken."""

    submitted = pyqtSignal(dict)

    def __init__(self, asks: Sequence[Ask], button: str) -> None:
        super().__init__()
        self._asks = tuple(asks)
        self.pending = False
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(theme.px(3))
        self.fields: dict[str, QLineEdit | Choice] = {}
        rows: list[list[Ask]] = [[]]
        for ask in self._asks:
            if ask.wide and rows[-1]:
                rows.append([])
            rows[-1].append(ask)
        self.add = QPushButton(button)
        self.add.clicked.connect(self.submit)
        for row in rows:
            outer.addLayout(self._row(row, row is rows[-1]))
        self.error = label("cure", "", True)
        self.error.hide()
        outer.addWidget(self.error)
        self._tell()

    def _row(self, asks: list[Ask], last: bool) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(theme.px(8))
        grid.setVerticalSpacing(1)
        for column, ask in enumerate(asks):
            field = self._field(ask)
            words = label("small", ask.words)
            words.setBuddy(field)
            field.setAccessibleName(ask.words)
            grid.addWidget(words, 0, column)
            grid.addWidget(field, 1, column)
            grid.setColumnStretch(column, ask.share)
            self.fields[ask.key] = field
        if last:
            grid.addWidget(self.add, 1, len(asks))
        return grid

    def _field(self, ask: Ask) -> QLineEdit | Choice:
        if ask.choices:
            box = Choice()
            for key, words in ask.choices:
                box.addItem(words, key)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
            return box
        line = QLineEdit()
        line.setMaxLength(_LONGEST)
        line.setPlaceholderText(ask.hint)
        line.setMinimumWidth(theme.px(50))
        line.returnPressed.connect(self.submit)
        line.textChanged.connect(lambda _: self._tell())
        return line

    def offer(self, key: str, names: Sequence[str]) -> None:
        """Complete a field from these names."""
        field = self.fields[key]
        if not isinstance(field, QLineEdit):
            return
        completer = field.completer()
        if completer is None:
            completer = QCompleter(self)
            completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
            field.setCompleter(completer)
            dress_list(completer)
        completer.setModel(QStringListModel(list(names), completer))

    def text(self, key: str) -> str:
        """What stands in a field."""
        field = self.fields[key]
        return field.text().strip() if isinstance(field, QLineEdit) else str(field.currentData())

    def set_text(self, key: str, text: str) -> None:
        """Put a text into a field, or choose it."""
        field = self.fields[key]
        if isinstance(field, QLineEdit):
            field.setText(text)
        else:
            field.setCurrentIndex(max(0, field.findData(text)))

    def _tell(self) -> None:
        needed = [a.key for a in self._asks if a.needed and a.key in self.fields]
        self.add.setEnabled(self.isEnabled() and all(self.text(k) for k in needed))

    def submit(self) -> None:
        """Tell what was typed."""
        # A second press before the first was answered would say the same twice.
        if self.add.isEnabled() and not self.pending:
            self.pending = True
            self.submitted.emit({a.key: self.text(a.key) for a in self._asks})

    def show_error(self, words: str) -> None:
        """It was not taken: what stands in the fields stays."""
        self.pending = False
        self.error.setText(words)
        self.error.show()

    def taken(self) -> None:
        """It was taken: empty the fields for the next, with the cursor in the first."""
        if not self.pending:
            return
        self.pending = False
        self.error.hide()
        held = any(f.hasFocus() for f in self.fields.values()) or self.add.hasFocus()
        for ask in self._asks:
            field = self.fields[ask.key]
            if isinstance(field, QLineEdit):
                field.clear()
        if held:
            next(iter(self.fields.values())).setFocus()
