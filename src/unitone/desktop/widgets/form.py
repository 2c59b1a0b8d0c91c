"""Forms made of declared fields: label, field, and under it the cure for whatever is wrong with it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QEvent, QObject, QStringListModel, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice, dress_list
from unitone.desktop.widgets.painted import label
from unitone.sheet.editing.fields import Field
from unitone.words import N_, tr

#: Shown where several rows are chosen and differ.
SEVERAL = N_("(several)")
Names = Callable[[str], list[str]]


class TokenLine(QLineEdit):
    """A line that completes the last of several names."""

    def __init__(self, field: Field, names: Names) -> None:
        super().__init__()
        self._field, self._names = field, names
        self._completer: QCompleter | None = None
        if field.source:
            self.textEdited.connect(self._offer)

    def event(self, event: QEvent | None) -> bool:
        """Tab closes the list of completions before the field is left, so that leaving it counts."""
        if isinstance(event, QKeyEvent) and event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
            self._close_list()
        return super().event(event)

    def _close_list(self) -> None:
        if self._completer is not None and (popup := self._completer.popup()) is not None:
            popup.hide()

    def _last(self) -> tuple[str, str]:
        text = self.text()
        at = max(text.rfind(","), text.rfind("+")) + 1
        return text[:at], text[at:].strip()

    def _offer(self, _: str) -> None:
        _, token = self._last()
        names = [n for n in self._names(self._field.source) if n]
        if not token or token in names:
            self._close_list()
            return
        if self._completer is None:
            self._completer = QCompleter(self)
            self._completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            self._completer.setFilterMode(Qt.MatchFlag.MatchContains)
            self._completer.setWidget(self)
            dress_list(self._completer)
            self._completer.activated[str].connect(lambda name: self._take(self._last()[0], name))
        self._completer.setModel(QStringListModel(names, self._completer))
        self._completer.setCompletionPrefix(token)
        if self._completer.completionCount():
            self._completer.complete()
        else:
            self._close_list()

    def _take(self, before: str, name: str) -> None:
        self.setText(f"{before} {name}".strip() if before else name)
        self.textEdited.emit(self.text())


class Words(QPlainTextEdit):
    """A few lines of text; Tab goes on to the next field."""

    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setTabChangesFocus(True)
        self.setFixedHeight(theme.px(58))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and event.modifiers():
            event.ignore()
            return
        super().keyPressEvent(event)


class FormView(QScrollArea):
    """Shows the values of one row, or of several at once; says what was typed. It knows no draft."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal(object)

    def __init__(self, fields: Sequence[Field], names: Names, columns: int = 2, first: int = 0, more: str = "") -> None:
        super().__init__()
        self.fields = tuple(fields)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.widgets: dict[tuple[str, ...], QWidget] = {}
        self._cures: dict[tuple[str, ...], QLabel] = {}
        self._filling = False
        holder = QWidget()
        outer = QVBoxLayout(holder)
        outer.setContentsMargins(0, 0, theme.px(10), 0)
        self.general = label("warn", "", True)
        self.general.setAccessibleName(tr("What is wrong"))
        self.general.hide()
        outer.addWidget(self.general)
        self._rest_keys = frozenset(f.key for f in self.fields[first:]) if first else frozenset()
        self.more = QPushButton(more)
        self.rest = QWidget()
        outer.addLayout(self._grid(self.fields[:first] if first else self.fields, names, columns))
        if first:
            self.more.setProperty("role", "link")
            self.more.setCheckable(True)
            self.more.toggled.connect(self.rest.setVisible)
            outer.addWidget(self.more)
            rest = self._grid(self.fields[first:], names, columns)
            rest.setContentsMargins(0, 0, 0, 0)
            self.rest.setLayout(rest)
            self.rest.hide()
            outer.addWidget(self.rest)
        outer.addStretch(1)
        self.setWidget(holder)

    def _grid(self, fields: Sequence[Field], names: Names, columns: int) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(theme.px(14))
        grid.setVerticalSpacing(theme.px(6))
        for column in range(columns):
            grid.setColumnStretch(column, 1)
        row = column = 0
        for field in fields:
            wide = field.wide or field.kind in ("long", "lines")
            if wide and column:
                row, column = row + 1, 0
            grid.addWidget(self._cell(field, names), row, column, 1, columns if wide else 1, Qt.AlignmentFlag.AlignTop)
            column += columns if wide else 1
            if column >= columns:
                row, column = row + 1, 0
        return grid

    def open_rest(self) -> None:
        """Show what was opened on demand."""
        if self._rest_keys:
            self.more.setChecked(True)

    def _cell(self, field: Field, names: Names) -> QWidget:
        cell = QWidget()
        layout = QVBoxLayout(cell)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(1)
        widget = self._widget(field, names)
        widget.setAccessibleName(field.words)
        widget.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        widget.setMinimumWidth(theme.px(60))
        words = label("small", field.words, True)
        words.setBuddy(widget)
        cure = label("cure", "", True)
        cure.hide()
        layout.addWidget(words)
        layout.addWidget(widget)
        layout.addWidget(cure)
        self.widgets[field.key] = widget
        self._cures[field.key] = cure
        return cell

    def _widget(self, field: Field, names: Names) -> QWidget:
        if field.choices:
            box = Choice()
            box.addItem("", "")
            for key, words in field.choices:
                box.addItem(words, key)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(8)
            if len(field.choices) > 8:
                box.setEditable(True)
                box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
                completer = box.completer()
                assert completer is not None
                completer.setFilterMode(Qt.MatchFlag.MatchContains)
                completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
                dress_list(completer)
                line = box.lineEdit()
                assert line is not None
                line.setAccessibleName(field.words)
                line.editingFinished.connect(lambda: self._chosen(field, box))
            box.activated.connect(lambda _: self._chosen(field, box))
            return box
        if field.kind in ("long", "lines"):
            words = Words()
            words.setPlaceholderText(field.hint)
            words.textChanged.connect(lambda: self._typed(field, words.toPlainText()))
            words.installEventFilter(self)
            return words
        line = TokenLine(field, names)
        line.setPlaceholderText(field.hint)
        line.setMaxLength(4000)
        line.textEdited.connect(lambda text: self._typed(field, text))
        line.editingFinished.connect(lambda: self.finished.emit(field))
        return line

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Leaving a text of several lines ends its step of undo, as leaving a line does."""
        if event is not None and event.type() == QEvent.Type.FocusOut:
            for field in self.fields:
                if self.widgets[field.key] is watched:
                    self.finished.emit(field)
        return super().eventFilter(watched, event)

    def _typed(self, field: Field, text: str) -> None:
        if not self._filling:
            self.edited.emit(field, field.read(text))

    def _chosen(self, field: Field, box: QComboBox) -> None:
        if self._filling:
            return
        at = box.findText(box.currentText())
        text = str(box.itemData(at)) if at >= 0 else box.currentText().strip()
        self.edited.emit(field, field.read(text))
        self.finished.emit(field)

    # -- showing -------------------------------------------------------------------------------

    def show_rows(self, values: Callable[[Field], list[Any]]) -> None:
        """Show the values of the chosen rows: one text where they agree, a word where they differ."""
        self._filling = True
        try:
            for field in self.fields:
                texts = {field.show(v) for v in values(field)}
                several = len(texts) > 1
                self._fill(field, next(iter(texts)) if len(texts) == 1 else "", several)
        finally:
            self._filling = False

    def _fill(self, field: Field, text: str, several: bool) -> None:
        widget = self.widgets[field.key]
        if isinstance(widget, QComboBox):
            at = widget.findData(text)
            widget.setCurrentIndex(at)
            if widget.isEditable() and (line := widget.lineEdit()) is not None:
                line.setText(widget.itemText(at) if at >= 0 else text)
                line.setPlaceholderText(tr(SEVERAL) if several else "")
            elif at < 0 and text:
                widget.setPlaceholderText(text)
            else:
                widget.setPlaceholderText(tr(SEVERAL) if several else "")
        elif isinstance(widget, QPlainTextEdit):
            if widget.toPlainText() != text:
                widget.setPlainText(text)
            widget.setPlaceholderText(tr(SEVERAL) if several else field.hint)
        elif isinstance(widget, QLineEdit):
            if widget.text() != text:
                widget.setText(text)
            widget.setPlaceholderText(tr(SEVERAL) if several else field.hint)

    def show_cures(self, cures: dict[tuple[str, ...], str], general: str = "") -> None:
        """Show what is wrong under the fields; what belongs to no field stands at the top."""
        for key, cure in self._cures.items():
            text = cures.get(key, "")
            if cure.text() != text:
                cure.setText(text)
            cure.setVisible(bool(text))
            if text and key in self._rest_keys:
                self.open_rest()
        self.general.setText(general)
        self.general.setVisible(bool(general))

    def focus_field(self, key: tuple[str, ...]) -> None:
        """Put the cursor into a field and bring it in sight."""
        widget = self.widgets.get(key) or self.widgets[self.fields[0].key]
        if key in self._rest_keys:
            self.open_rest()
        widget.setFocus()
        self.ensureWidgetVisible(widget)
