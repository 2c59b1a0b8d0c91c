"""The tray's questions of judgement: what was touched, accept or put aside, conventions, instrument, the way back to whole."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import shown_key
from unitone.bench.instruments import Instrument, instrument_for
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.painted import label, set_tip
from unitone.present.bench.bench_shapes import BenchView, Touchable
from unitone.quantities.registry import QUANTITIES
from unitone.words import tr


def named(field: QWidget, words: str) -> QWidget:
    """A field's label, bound to it."""
    made = label("", words)
    made.setBuddy(field)
    field.setAccessibleName(words)
    return made


class Question(QWidget):
    """One row of the tray; ``answered`` carries what was said."""

    answered = pyqtSignal(object)
    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.line = QHBoxLayout(self)
        self.line.setContentsMargins(theme.px(12), theme.px(6), theme.px(12), theme.px(6))
        self.line.setSpacing(theme.px(8))

    def buttons(self, keep: str, role: str = "") -> None:
        """Keep and cancel at the end of the row."""
        self.keep, leave = QPushButton(keep), QPushButton(tr("Cancel"))
        if role:
            self.keep.setProperty("role", role)
        self.keep.clicked.connect(self.answer)
        leave.clicked.connect(self.left.emit)
        self.line.addWidget(self.keep)
        self.line.addWidget(leave)

    def answer(self) -> None:
        """Send what stands in the fields."""
        raise AssertionError("each question answers for itself")


class TouchQuestion(Question):
    """Which part was touched, or what was done; says at once what has to be measured again."""

    def __init__(self) -> None:
        super().__init__()
        self.what, self.words = Choice(), QLineEdit()
        self.what.setEditable(True)
        self.what.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.what.setMinimumWidth(theme.px(260))
        self.what.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.words.setPlaceholderText(tr("in your words: C41 replaced, 470 µF"))
        self.words.setMaxLength(300)
        self.reach = label("small", "", True)
        self.line.addWidget(named(self.what, tr("Touched or done")))
        self.line.addWidget(self.what)
        self.words.setAccessibleName(tr("What was done"))
        self.line.addWidget(self.words, 2)
        self.line.addWidget(self.reach, 2)
        self.buttons(tr("Done"), "main")
        self.words.returnPressed.connect(self.answer)
        self.what.currentTextChanged.connect(lambda _: self._tell())
        self._known: tuple[Touchable, ...] = ()
        self._steps = 0

    def ask(self, view: BenchView) -> None:
        """Offer the sheet's parts and actions and the usual ones."""
        self._known = view.board.touchables
        self._steps = sum(len(rows) for _, rows in view.procedure.procedure)
        self.what.clear()
        for t in self._known:
            self.what.addItem(t.words if t.words.startswith(t.id) or " " in t.words else f"{t.id}, {t.words}", t.id)
        self.what.setCurrentIndex(-1)
        self.what.clearEditText()
        self.words.clear()
        self._tell()
        self.what.setFocus()

    def chosen(self) -> str:
        """The id of what is chosen, or the name that was typed."""
        text = self.what.currentText().strip()
        at = self.what.findText(text)
        return str(self.what.itemData(at)) if at >= 0 else text

    def _tell(self) -> None:
        name = self.chosen()
        found = next((t for t in self._known if t.id == name), None)
        if found is not None:
            self.reach.setText(
                tr("affects {reach}: {n} of {all} steps", reach=found.affects, n=found.steps, all=self._steps)
            )
        elif name:
            self.reach.setText(tr("not in the sheet: affects all {all} steps", all=self._steps))
        else:
            self.reach.setText(tr("a part, an action, or any name of your own"))
        self.keep.setEnabled(bool(name))

    def answer(self) -> None:
        if self.chosen():
            self.answered.emit((self.chosen(), self.words.text().strip()))


class JudgeQuestion(Question):
    """Accept what is out, or put a step aside, with the reason."""

    def __init__(self) -> None:
        super().__init__()
        self.verdict, self.reason = Choice(), QLineEdit()
        self.reason.setMaxLength(300)
        self.reason.setPlaceholderText(tr("the reason, as printed on the certificate"))
        self.reason.returnPressed.connect(self.answer)
        self.words = label("")
        self.line.addWidget(self.words)
        self.verdict.setAccessibleName(tr("Decision"))
        self.line.addWidget(self.verdict)
        self.line.addWidget(named(self.reason, tr("because")))
        self.line.addWidget(self.reason, 1)
        self.buttons(tr("Decide"), "main")
        self.reason.textChanged.connect(lambda text: self.keep.setEnabled(bool(text.strip())))

    def ask(self, view: BenchView) -> None:
        """Ask about the step at hand."""
        self.words.setText(view.step.title)
        self.verdict.clear()
        for word in view.step.can_judge:
            self.verdict.addItem(tr(word), word)
        self.reason.clear()
        self.keep.setEnabled(False)
        self.reason.setFocus()

    def answer(self) -> None:
        if self.reason.text().strip():
            self.answered.emit((str(self.verdict.currentData()), self.reason.text().strip()))


class ConventionsQuestion(Question):
    """How each question of conventions stands, who decided it, and this job's own choice."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(theme.px(10))
        self.line.addLayout(self._grid, 1)
        self.buttons(tr("Use in this job"))
        self.boxes: dict[str, QComboBox] = {}

    def ask(self, view: BenchView) -> None:
        """Show the questions as they stand."""
        while (item := self._grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self.boxes = {}
        for n, row in enumerate(view.procedure.conventions):
            box = Choice()
            stands = next(words for key, words in row.choices if key == row.choice)
            who = {
                "job": tr("this job"),
                "sheet": tr("the sheet"),
                "workshop": tr("the workshop"),
                "default": tr("default"),
            }
            by = who[row.by]
            box.addItem(stands if row.by != "job" else tr("as sheet and workshop say"), "")
            for key, words in row.choices:
                box.addItem(tr("this job: {choice}", choice=words), key)
            box.setCurrentIndex(max(0, box.findData(row.own)))
            set_tip(box, row.why)
            self.boxes[row.question] = box
            box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            self._grid.setColumnStretch(n % 4, 1)
            self._grid.addWidget(named(box, f"{row.title} · {by}"), (n // 4) * 2, n % 4)
            self._grid.addWidget(box, (n // 4) * 2 + 1, n % 4)
        next(iter(self.boxes.values())).setFocus()

    def answer(self) -> None:
        self.answered.emit({q: str(box.currentData()) for q, box in self.boxes.items() if box.currentData()})


class InstrumentQuestion(Question):
    """Which instrument the typed readings of this quantity come from."""

    def __init__(self) -> None:
        super().__init__()
        self.box = Choice()
        self.words = label("small", "", True)
        self.line.addWidget(named(self.box, tr("Read with")))
        self.line.addWidget(self.box)
        self.line.addWidget(self.words, 1)
        self.buttons(tr("Use it"), "main")
        self.box.currentIndexChanged.connect(lambda _: self._tell())
        self._serving: tuple[Instrument, ...] = ()
        self._quantity = ""

    def ask(self, view: BenchView, workshop: tuple[Instrument, ...]) -> None:
        """Offer the workshop's instruments that serve the step's quantity."""
        self._quantity = view.step.quantity
        self._serving = tuple(i for i in workshop if i.serves(self._quantity))
        self.box.clear()
        for i in self._serving:
            self.box.addItem(i.name, i.id)
        now = instrument_for(view.reading.instruments, self._quantity)
        self.box.setCurrentIndex(max(0, self.box.findData(now.id if now else "")))
        self.keep.setEnabled(bool(self._serving))
        self._tell()
        self.box.setFocus()

    def _tell(self) -> None:
        at = self.box.currentIndex()
        if not 0 <= at < len(self._serving):
            self.words.setText(
                tr(
                    "No instrument for this quantity is listed: readings are “by hand”. List yours under Workshop ({key}).",
                    key=shown_key("workshop"),
                )
            )
            return
        i = self._serving[at]
        standing = (
            tr("calibrated {date}", date=i.calibrated)
            if i.standing == "calibrated"
            else tr("indicative only: no guard band")
        )
        self.words.setText(" · ".join([standing, *i.describe_error]))

    def answer(self) -> None:
        if self._serving:
            self.answered.emit((self._quantity, str(self.box.currentData())))


#: So many measurements of a plan are seen at once, beside the cards and without them.
_ROWS, _PAGE = 5, 9


class RecheckQuestion(Question):
    """The measurements that make the job whole again, in order; choose one to go there."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout()
        self.headline, self.why = label("heading", "", True), label("small")
        head = QHBoxLayout()
        head.addWidget(self.headline, 1)
        head.addWidget(self.why)
        column.addLayout(head)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Readings to repeat"))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemActivated.connect(lambda _: self.answer())
        column.addWidget(self.list)
        self.line.addLayout(column, 1)
        self.buttons(tr("Go there"), "main")

    def ask(self, view: BenchView) -> None:
        """Show the plan."""
        self.list.clear()
        plan = view.procedure.recheck
        self.headline.setText(plan.headline if plan else tr("Nothing to measure again"))
        self.why.setText(plan.why if plan else "")
        for n, row in enumerate(plan.rows if plan else ()):
            item = QListWidgetItem(f"{n + 1}.  {row.words}  —  {row.settles}  ({tr(row.hook_up)})")
            item.setData(Qt.ItemDataRole.UserRole, row.step_id)
            set_tip(item, item.text())
            self.list.addItem(item)
        self.show_rows(False)
        self.list.setCurrentRow(0)
        self.keep.setEnabled(self.list.count() > 0)
        (self.list if self.list.count() else self.keep).setFocus()

    def show_rows(self, many: bool) -> None:
        """Some of the measurements at once, or as many as fit a page: whole rows, as half a line of words reads like a fault."""
        rows = min(max(self.list.count(), 1), _PAGE if many else _ROWS)
        self.list.setFixedHeight(rows * max(self.list.sizeHintForRow(0), theme.px(18)) + 2 * self.list.frameWidth())

    def answer(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.answered.emit(str(item.data(Qt.ItemDataRole.UserRole)))


class StepQuestion(Question):
    """A step that the sheet does not have: what it is called, what is read, and its limit. It is a check, after the step at hand."""

    def __init__(self) -> None:
        super().__init__()
        self.name, self.what, self.limit = QLineEdit(), Choice(), QLineEdit()
        self.name.setPlaceholderText(tr("AF output at full volume"))
        self.name.setMaxLength(60)
        for q in sorted(QUANTITIES.values(), key=lambda q: tr(q.title).casefold()):
            self.what.addItem(tr(q.title), q.id)
        self.what.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.what.setMinimumContentsLength(16)
        self.limit.setPlaceholderText("≥ 1.5 V")
        self.limit.setMaxLength(60)
        for field, words, share in (
            (self.name, tr("Step"), 3),
            (self.what, tr("Measured"), 2),
            (self.limit, tr("Limit"), 1),
        ):
            self.line.addWidget(named(field, words))
            self.line.addWidget(field, share)
        self.buttons(tr("Add after this step"), "main")
        for field in (self.name, self.limit):
            field.returnPressed.connect(self.answer)

    def ask(self, view: BenchView) -> None:
        """After the step at hand, reading what it reads."""
        self.name.clear()
        self.limit.clear()
        self.what.setCurrentIndex(max(self.what.findData(view.reading.quantity_id), 0))
        self.name.setFocus()

    def answer(self) -> None:
        """The new step; what is missing is asked for by the field that waits."""
        for field in (self.name, self.limit):
            if not field.text().strip():
                field.setFocus()
                return
        self.answered.emit((self.name.text().strip(), str(self.what.currentData()), self.limit.text().strip()))


class AdjusterQuestion(Question):
    """An adjuster that the sheet does not name, found on the board; or the one at hand that this radio does not have."""

    def __init__(self) -> None:
        super().__init__()
        self.name, self.kind, self.where = QLineEdit(), Choice(), QLineEdit()
        self.name.setPlaceholderText("T7")
        self.name.setMaxLength(24)
        self.name.setMaximumWidth(theme.px(110))
        for key, words in (
            ("", tr("by its name")),
            ("core", tr("core")),
            ("trimmer", tr("trimmer")),
            ("preset", tr("preset")),
        ):
            self.kind.addItem(words, key)
        self.where.setPlaceholderText(tr("where it is: the can behind the filter"))
        self.where.setMaxLength(120)
        for field, words in ((self.name, tr("Adjuster")), (self.kind, tr("Kind")), (self.where, tr("Where"))):
            self.line.addWidget(named(field, words))
            self.line.addWidget(field, 3 if field is self.where else 0)
        self.gone = QPushButton()
        self.gone.setAccessibleName(tr("This radio does not have the selected adjuster"))
        self.gone.setProperty("role", "link")
        self.gone.clicked.connect(lambda: self.answered.emit(("drop", self._selected)))
        self.line.addWidget(self.gone)
        self.buttons(tr("Add to this step"), "main")
        for field in (self.name, self.where):
            field.returnPressed.connect(self.answer)
        self._selected = ""

    def ask(self, view: BenchView) -> None:
        """For the step at hand."""
        self._selected = view.board.selected
        self.name.clear()
        self.where.clear()
        self.kind.setCurrentIndex(0)
        self.gone.setVisible(bool(self._selected))
        self.gone.setText(tr("This radio has no {adjuster}", adjuster=self._selected))
        self.name.setFocus()

    def answer(self) -> None:
        """The new adjuster; without a name nothing is said."""
        if self.name.text().strip():
            self.answered.emit(
                ("add", self.name.text().strip(), str(self.kind.currentData() or ""), self.where.text().strip())
            )
        else:
            self.name.setFocus()
