"""What to do now in a trace: headline, why, the danger, and the answer in one key or one figure."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout

from unitone.actions import keyed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ButtonRows
from unitone.desktop.widgets.painted import label
from unitone.present.trace.trace_shapes import TraceCoach
from unitone.words import tr

_LONGEST = 60


class CoachCard(QFrame):
    """Tells which answer was given; knows no job."""

    #: main, nothing, mark, fine, wrong, good, repaired, other, walk, bench
    pressed = pyqtSignal(str)
    typed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "coach")
        self.setAccessibleName(tr("What to do now"))
        column = QVBoxLayout(self)
        column.setContentsMargins(theme.px(16), theme.px(10), theme.px(16), theme.px(10))
        column.setSpacing(theme.px(4))
        self.headline = label("title", "", True)
        self.detail = label("quiet", "", True)
        self.caution = label("warn", "", True)
        self.error = label("cure", "", True)
        for part in (self.headline, self.detail, self.caution):
            column.addWidget(part)
        row = QHBoxLayout()
        row.setSpacing(theme.px(8))
        self.field = QLineEdit()
        self.field.setMaxLength(_LONGEST)
        self.field.setAccessibleName(tr("Level that was enough"))
        self.field.setPlaceholderText(tr("level, like 85 µV or −60 dBm"))
        self.field.setMinimumWidth(theme.px(170))
        self.field.returnPressed.connect(self._enter)
        self.main = QPushButton("")
        self.main.setProperty("role", "main")
        self.main.clicked.connect(lambda: self.pressed.emit("main"))
        row.addWidget(self.field, 2)
        row.addWidget(self.main)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(self.error)
        self.buttons: dict[str, QPushButton] = {}
        for name, words in (
            ("nothing", keyed(tr("Heard nothing  N"), "trace-nothing")),
            ("mark", keyed(tr("No scale: set the mark here  M"), "trace-mark")),
            ("fine", keyed(tr("Fine  F"), "trace-fine")),
            ("wrong", keyed(tr("Something is wrong  W"), "trace-wrong")),
            ("good", keyed(tr("Part is good  F"), "trace-fine")),
            ("repaired", keyed(tr("Found it: repaired  R"), "trace-repaired")),
            ("other", keyed(tr("Another test  O"), "trace-other")), ("walk", keyed(tr("Walk in order  I"), "trace-walk")),
        ):  # fmt: skip
            button = QPushButton(words)
            button.clicked.connect(lambda _=False, x=name: self.pressed.emit(x))
            self.buttons[name] = button
        self.buttons["walk"].setCheckable(True)
        self.answers = ButtonRows(tr("Answers"), self.buttons.values())
        column.addWidget(self.answers)
        self.error.hide()

    def show_coach(self, coach: TraceCoach, simulated: bool, finished: bool, walk: bool) -> None:
        """Show a move, with the answers that it takes."""
        self.headline.setText(coach.headline)
        for part, words in ((self.detail, coach.detail), (self.caution, coach.caution)):
            part.setText(words)
            part.setVisible(bool(words))
        self.error.hide()
        self.field.clear()
        act = coach.act
        by_itself = simulated and coach.measurable
        self.field.setVisible(act == "inject" and not finished)
        self.field.setPlaceholderText(tr("level, like 85 µV or −60 dBm") if coach.marks else tr("peak volts, like 2.4"))
        main = {
            "inject": tr("Measure  ↵") if by_itself else tr("Log the level  ↵"), "volts": tr("Measure them  ↵") if by_itself else "",
            "signal": tr("Look  ↵") if by_itself else "", "whole": tr("To the Bench  ↵"), "hook-up": tr("Confirm hook-up  ↵"),
        }.get(act, "")  # fmt: skip
        self.main.setText(main)
        self.main.setVisible(bool(main) and (not finished or act == "whole"))
        shown: set[str] = set()
        if act == "inject":
            shown = {"nothing", "mark"} if coach.marks else {"nothing"}
        elif act in ("signal", "look"):
            shown = {"fine", "wrong"}
        elif act == "part":
            shown = {"good", "repaired"}
        if coach.others > 0:
            shown = shown | {"other"}
        if act in ("inject", "volts", "look", "signal"):
            shown = shown | {"walk"}
        for name, button in self.buttons.items():
            button.setVisible(name in shown and not finished)
        self.buttons["walk"].setChecked(walk)
        self.answers.refresh()

    def start_typing(self, text: str = "") -> None:
        """A digit was pressed anywhere: it begins the level."""
        if self.field.isVisible():
            self.field.setFocus()
            self.field.setText(text)

    def _enter(self) -> None:
        if text := self.field.text().strip():
            self.typed.emit(text)
        else:
            self.pressed.emit("main")

    def refuse(self, words: str) -> None:
        """What was typed or pressed was not taken, and why; what was typed stays."""
        self.error.setText(words)
        self.error.show()
        if self.field.isVisible():
            self.field.setFocus()
            self.field.selectAll()
