"""The stage that is looked at: its pins with what was read, and its parts in the order of suspicion on the board."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from unitone.desktop.shell.shown_board import ShownBoard
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.lines import MarkIcon
from unitone.desktop.widgets.livefield import LiveLine
from unitone.desktop.widgets.painted import Elided, label
from unitone.job.verdicts import describe_verdict
from unitone.present.trace.trace_shapes import PinView, StageView
from unitone.quantities.show import number
from unitone.words import tr


class PinsCard(QFrame):
    """The voltage table of one stage: typed with Tab, or read by the bench."""

    #: (row, text) was typed; a row is to be read by the bench.
    typed = pyqtSignal(str, str)
    wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        column = QVBoxLayout(self)
        column.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        column.setSpacing(theme.px(6))
        head = QHBoxLayout()
        self.title, self.meter = label("heading", "", True), label("teal", "")
        head.addWidget(self.title, 1)
        head.addWidget(self.meter)
        column.addLayout(head)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(theme.px(8))
        self._grid.setVerticalSpacing(theme.px(3))
        for at, share in enumerate((0, 6, 4, 3, 4, 0)):
            self._grid.setColumnStretch(at, share)
        column.addLayout(self._grid)
        self.empty = label("quiet", "", True)
        self.meaning, self.error = label("plain", "", True), label("cure", "", True)
        for part in (self.empty, self.meaning, self.error):
            column.addWidget(part)
        column.addStretch(1)
        self.fields: dict[str, LiveLine] = {}
        self._marks: dict[str, MarkIcon] = {}
        self._shown: tuple[str, ...] | None = None
        self.error.hide()

    def show_stage(self, stage: StageView, finished: bool, fresh: bool = True) -> None:
        """Show the pins of a stage; a picture that is not ``fresh`` leaves what was refused."""
        self.title.setText(stage.title or tr("Pin by pin"))
        self.meter.setText(stage.meter)
        self.empty.setText(
            ""
            if stage.pins
            else tr("The sheet has no voltages of this stage.")
            if stage.id
            else tr("Choose a stage on the ladder.")
        )
        self.empty.setVisible(not stage.pins)
        self.meaning.setText(stage.meaning)
        self.meaning.setVisible(bool(stage.meaning))
        rows = tuple(p.row for p in stage.pins)
        if rows != self._shown:
            self._shown = rows
            self._build(stage.pins)
        if fresh:
            self.error.hide()
        for pin in stage.pins:
            self.fields[pin.row].show_value(pin.value)
            self.fields[pin.row].setEnabled(not finished)
            self._marks[pin.row].show_mark(pin.mark)
            self._marks[pin.row].setAccessibleName(describe_verdict(pin.mark))

    def _build(self, pins: tuple[PinView, ...]) -> None:
        while (item := self._grid.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.fields, self._marks = {}, {}
        for n, pin in enumerate(pins):
            mark, field = MarkIcon(), LiveLine(tr("{pin}, volts", pin=pin.pin), tr("volts"))
            field.kept.connect(lambda text, r=pin.row: text and self.typed.emit(r, text))
            self.fields[pin.row], self._marks[pin.row] = field, mark
            cells: list[QWidget] = [
                mark,
                Elided("strong", pin.pin),
                Elided("quiet", pin.feeds),
                label("quiet", pin.should),
                field,
            ]
            if pin.measurable:
                read = QPushButton(tr("read"))
                read.setProperty("role", "link")
                read.setAccessibleName(tr("Let the bench read {title}", title=pin.pin))
                read.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
                read.clicked.connect(lambda _=False, r=pin.row: self.wanted.emit(r))
                cells.append(read)
            for at, cell in enumerate(cells):
                self._grid.addWidget(cell, n, at)

    def refuse(self, row: str, words: str) -> None:
        """A typed figure was not taken: it stays, and why stands below."""
        if row in self.fields:
            self.fields[row].refused()
            self.fields[row].setFocus()
        self.error.setText(words)
        self.error.show()

    def first_empty(self) -> LiveLine | None:
        """The field of the first row that was not read yet."""
        return next((f for f in self.fields.values() if not f.text()), None)


class LookCard(QFrame):
    """Where to look first: the board with the suspected parts, and how each is checked."""

    #: A part was checked: (its id, is it bad).
    checked = pyqtSignal(str, bool)

    def __init__(self, blob: Callable[[str], bytes], tell: Callable[[str], object]) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self._stage = StageView("", "")
        column = QVBoxLayout(self)
        column.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        column.setSpacing(theme.px(6))
        head = QHBoxLayout()
        head.addWidget(label("heading", tr("Look here first")), 1)
        self.source = label("teal", "")
        head.addWidget(self.source)
        column.addLayout(head)
        row = QHBoxLayout()
        row.setSpacing(theme.px(12))
        self.board = ShownBoard(blob, tell)
        # The picture takes the room that the parts beside it leave.
        self.board.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        row.addWidget(self.board, 5)
        self.parts = QVBoxLayout()
        self.parts.setSpacing(0)
        holder = QWidget()
        holder.setLayout(self.parts)
        row.addWidget(holder, 5)
        column.addLayout(row, 1)
        self.buttons: dict[tuple[str, bool], QPushButton] = {}

    def show_stage(self, stage: StageView, finished: bool) -> None:
        """Show the parts of a stage, and the picture that shows the first of them."""
        same = (stage.parts, finished) == (self._stage.parts, self._finished) if self._stage.id else False
        self._stage, self._finished = stage, finished
        if not same:
            self._build(stage, finished)
        wanted = stage.picture
        self.source.setText(wanted.title if wanted is not None else "")
        self.board.show_picture(wanted, stage.board_pins)

    _finished = False

    def _build(self, stage: StageView, finished: bool) -> None:
        while (item := self.parts.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.buttons = {}
        for n, part in enumerate(stage.parts, 1):
            box = QWidget()
            inside = QVBoxLayout(box)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.setSpacing(0)
            first = QHBoxLayout()
            words = tr("{n} {part}, {title}", n=n, part=part.id, title=part.title)
            first.addWidget(Elided("strong" if not part.checked else "quiet", words), 1)
            first.addWidget(
                label("quiet", tr("good") if part.checked else tr("{percent} %", percent=number(part.percent, 0)))
            )
            inside.addLayout(first)
            second = QHBoxLayout()
            second.addWidget(Elided("quiet", part.how), 1)
            if not part.checked and not finished:
                for bad, name in ((False, tr("good")), (True, tr("found it"))):
                    button = QPushButton(name)
                    button.setProperty("role", "link")
                    button.setAccessibleName(f"{part.id}: {name}")
                    button.clicked.connect(lambda _=False, p=part.id, b=bad: self.checked.emit(p, b))
                    self.buttons[part.id, bad] = button
                    second.addWidget(button)
            inside.addLayout(second)
            self.parts.addWidget(box)
        if not stage.parts:
            words = tr("Once the stage is known, its parts stand here in the order of suspicion.")
            self.parts.addWidget(label("quiet", words, True))
        self.parts.addStretch(1)
