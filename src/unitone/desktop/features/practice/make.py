"""Make an exercise: a radio of any sheet with a physics file, what is turned and what is broken in it, and the complaint."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice, choice_of
from unitone.desktop.widgets.painted import Card, Message, label, scrolled, set_tip
from unitone.scenario.exercise import SKILLS, Exercise
from unitone.scenario.exercise_file import sealed_exercise
from unitone.scenario.practice_radio import Makeable, make_radio, makeable
from unitone.sheet.library import Library
from unitone.words import tr

#: A row shows so many letters; all of them stand in its tip.
_LETTERS = 34
#: How far something may be turned, as shares of what the sheet's physics file calls misaligned.
_FAR = {"little": (0.3, 0.6), "usual": (0.6, 1.1), "far": (1.1, 1.7)}


class _Ticked(QWidget):
    """Names with a tick each, in a column that scrolls."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.boxes: dict[str, QCheckBox] = {}
        inside = QWidget()
        self._column = QVBoxLayout(inside)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(theme.px(4))
        self._column.addStretch(1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scrolled(inside))

    def show_rows(self, rows: Iterable[tuple[str, str]], ticked: bool) -> None:
        """(id, words) each, all ticked or none."""
        for box in self.boxes.values():
            self._column.removeWidget(box)
            box.deleteLater()
        self.boxes = {}
        for name, words in rows:
            box = self.boxes[name] = QCheckBox(
                words if len(words) <= _LETTERS else f"{words[: _LETTERS - 1].rstrip()}…"
            )
            set_tip(box, words)
            box.setChecked(ticked)
            self._column.insertWidget(self._column.count() - 1, box)

    def ticked(self) -> tuple[str, ...]:
        """The ids that are ticked."""
        return tuple(name for name, box in self.boxes.items() if box.isChecked())


class MakePage(QWidget):
    """Everything on one page; what is made is sealed before it leaves it."""

    #: A sealed exercise to be kept among one's own; or to be saved as a file.
    made = pyqtSignal(object)
    saved = pyqtSignal(object)
    leave = pyqtSignal()

    def __init__(self, library: Library) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Make an exercise"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._library = library
        self._looking, self._sealing = Errand("makeable", self), Errand("seal", self)
        self.radio: Makeable | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        outer.setSpacing(theme.px(10))
        head = QHBoxLayout()
        head.addWidget(label("page", tr("Make an exercise")))
        head.addStretch(1)
        leave = QPushButton(tr("All exercises"))
        leave.clicked.connect(self.leave.emit)
        head.addWidget(leave)
        outer.addLayout(head)
        self.message = Message()
        outer.addWidget(self.message)
        row = QHBoxLayout()
        row.setSpacing(theme.px(12))
        row.addWidget(self._words(), 10)
        row.addWidget(self._wrong(), 11)
        outer.addLayout(row, 1)
        foot = QHBoxLayout()
        self.told = label("quiet", tr("What is wrong goes into the file under a seal."), True)
        foot.addWidget(self.told, 1)
        self.to_file = QPushButton(tr("Save as a file"))
        self.to_file.clicked.connect(lambda: self._seal(self.saved.emit))
        foot.addWidget(self.to_file)
        self.keep = QPushButton(tr("Keep among my exercises"))
        self.keep.setProperty("role", "main")
        self.keep.clicked.connect(lambda: self._seal(self.made.emit))
        foot.addWidget(self.keep)
        outer.addLayout(foot)

    def _words(self) -> QWidget:
        card = Card(tr("What the trainee reads"))
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(8))
        self.sheet = choice_of([], "", self._look)
        self.sheet.setAccessibleName(tr("Sheet"))
        self.fields: dict[str, QLineEdit] = {}
        names = (
            ("title", tr("Title")), ("complaint", tr("Complaint")), ("purpose", tr("Purpose")), ("habit", tr("Habit")),
        )  # fmt: skip
        grid.addWidget(label("quiet", tr("Sheet")), 0, 0)
        grid.addWidget(self.sheet, 0, 1)
        for n, (key, words) in enumerate(names, 1):
            field = self.fields[key] = QLineEdit()
            field.setAccessibleName(words)
            field.setMaxLength(300)
            grid.addWidget(label("quiet", words), n, 0)
            grid.addWidget(field, n, 1)
        self.fields["complaint"].setPlaceholderText(tr("Deaf since it fell off the bench"))
        self.skill = choice_of([(k, tr(v)) for k, v in SKILLS.items()], "receive", lambda: None)
        self.grade = choice_of([(str(n), tr("grade {n}", n=n)) for n in range(1, 6)], "2", lambda: None)
        for n, (words, box) in enumerate(((tr("Skill"), self.skill), (tr("Grade"), self.grade)), len(names) + 1):
            box.setAccessibleName(words)
            grid.addWidget(label("quiet", words), n, 0)
            grid.addWidget(box, n, 1)
        card.column.addLayout(grid)
        card.column.addWidget(label("heading", tr("Steps of the exercise")))
        self.steps = _Ticked(tr("Steps of the exercise"))
        card.column.addWidget(self.steps, 1)
        return card

    def _wrong(self) -> QWidget:
        card = Card(tr("What is wrong"))
        card.column.addWidget(label("heading", tr("Turned by somebody")))
        self.turned = _Ticked(tr("Turned by somebody"))
        card.column.addWidget(self.turned, 1)
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(8))
        self.far: Choice = choice_of(
            [("little", tr("a little")), ("usual", tr("as usual")), ("far", tr("far"))], "usual", lambda: None
        )
        self.fault: Choice = choice_of([], "", lambda: None)
        for n, (words, box) in enumerate(((tr("How far"), self.far), (tr("Fault"), self.fault))):
            box.setAccessibleName(words)
            grid.addWidget(label("quiet", words), n, 0)
            grid.addWidget(box, n, 1)
        grid.setColumnStretch(1, 1)
        card.column.addLayout(grid)
        self.leaving = QCheckBox(tr("A needless turn fails the exercise"))
        card.column.addWidget(self.leaving)
        return card

    # -- what can be chosen --------------------------------------------------------------------------------

    def begin(self) -> None:
        """List the radios that an exercise can be made of."""
        kept = [(k.id, k.title) for k in self._library.kept() if k.simulated]
        at = self.sheet.currentData()
        self.sheet.clear()
        for name, title in kept:
            self.sheet.addItem(title, name)
        self.sheet.setCurrentIndex(max(0, self.sheet.findData(at)))
        self.keep.setEnabled(bool(kept))
        self.to_file.setEnabled(bool(kept))
        self.message.hide()
        self._look()

    def _look(self) -> None:
        name = self.sheet.currentData()
        if name:
            self._looking.run(lambda: makeable(str(name), self._library), self._show, self.message.tell)

    def _show(self, radio: Makeable) -> None:
        self.radio = radio
        self.steps.show_rows(radio.steps, True)
        self.turned.show_rows(radio.adjusters, False)
        self.fault.clear()
        self.fault.addItem(tr("none"), "")
        for name, words in radio.faults:
            self.fault.addItem(words, name)

    def exercise(self) -> Exercise:
        """What stands on the page, not sealed yet."""
        steps, turned = self.steps.ticked(), self.turned.ticked()
        every = self.radio is not None and len(steps) == len(self.radio.steps)
        text = {key: field.text().strip() for key, field in self.fields.items()}
        return Exercise(
            "own", self.skill.currentData(), int(self.grade.currentData()), text["title"], text["complaint"], text["purpose"], text["habit"],
            str(self.sheet.currentData()), () if every else steps, turned, False, _FAR[str(self.far.currentData())],
            str(self.fault.currentData() or ""), self.leaving.isChecked(),
        )  # fmt: skip

    def _seal(self, then) -> None:  # type: ignore[no-untyped-def]
        exercise, library = self.exercise(), self._library
        if not (exercise.title and exercise.complaint):
            self.message.tell(tr("Give the exercise a title, and write what the owner says."))
            return
        if not self.steps.ticked():
            self.message.tell(tr("Tick the steps of the exercise: one at least."))
            return
        if not (exercise.turned or exercise.fault):
            self.message.tell(tr("Nothing is wrong with this radio yet: tick what was turned, or choose a fault."))
            return
        self.message.hide()

        def work() -> Exercise:
            make_radio(exercise, exercise.seed, library)
            return sealed_exercise(exercise, library)

        self._sealing.run(work, then, self.message.tell)
