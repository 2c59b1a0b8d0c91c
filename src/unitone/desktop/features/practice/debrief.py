"""The debrief: first what was wrong, by the trainee; then the mark, the story, the three dearest moments, and what comes next."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QRadioButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.audio.kept_sound import KeptSound
from unitone.desktop.features.practice.charts import Numbered, StoryChart
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Card, Message, label, scrolled, set_tip
from unitone.job.damages import damage
from unitone.scenario.cautions import CAUTIONS
from unitone.scenario.debrief import MOMENTS, AdjusterLeft, Debrief, Moment
from unitone.scenario.describe import describe_moment, describe_next
from unitone.scenario.exercise import DIAGNOSES, HELP, Help, in_words
from unitone.scenario.marking import PASS, Mark
from unitone.sheet.model.sheet import Sheet
from unitone.words import tr, tr_n


class _Tile(QWidget):
    """One figure of “What it cost”: its name, the figure, and a line under it."""

    def __init__(self, name: str) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(1))
        self.setAccessibleName(name)
        column.addWidget(label("quiet", name))
        self.figure, self.words = label("title"), label("small", "", True)
        column.addWidget(self.figure)
        column.addWidget(self.words)
        column.addStretch(1)

    def show_figure(self, figure: str, words: str) -> None:
        self.figure.setText(figure)
        self.words.setText(words)


class _MomentCard(QFrame):
    """One dear moment: its number, what it was, the better move, and the way back to before it."""

    rewound = pyqtSignal(int)
    heard = pyqtSignal(int)

    def __init__(self, number: int) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self.moment: Moment | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(theme.px(14), theme.px(10), theme.px(14), theme.px(10))
        column.setSpacing(theme.px(4))
        head = QHBoxLayout()
        self.title = label("heading", "", True)
        head.setSpacing(theme.px(8))
        head.addWidget(Numbered(number))
        head.addWidget(self.title, 1)
        column.addLayout(head)
        self.words, self.better = label("", "", True), label("teal", "", True)
        column.addWidget(self.words)
        column.addWidget(self.better)
        column.addStretch(1)
        self.back = QPushButton()
        set_tip(self.back, tr("A new try from just before this move; this one stays as it is"))
        self.back.clicked.connect(lambda: self.moment and self.rewound.emit(self.moment.seq))
        self.hear = QPushButton(tr("Hear it again"))
        set_tip(self.hear, tr("The loudspeaker before this move, and after it"))
        self.hear.clicked.connect(lambda: self.moment and self.heard.emit(self.moment.seq))
        row = QHBoxLayout()
        row.setSpacing(theme.px(8))
        row.addWidget(self.back)
        row.addWidget(self.hear)
        row.addStretch(1)
        column.addLayout(row)

    def show_moment(self, moment: Moment | None, sheet: Sheet) -> None:
        self.moment = moment
        self.setVisible(moment is not None)
        if moment is None:
            return
        title, words, better = describe_moment(moment, sheet)
        self.title.setText(title)
        marks = round(moment.cost)
        said = tr_n("Cost: {n} mark.", "Cost: {n} marks.", marks) if marks else tr("Cost: less than a mark.")
        self.words.setText(f"{words} {said}")
        self.better.setText(tr("Better: {what}", what=better) if better else "")
        self.better.setVisible(bool(better))
        at = int(moment.at_s)
        self.back.setText(tr("Rewind to {time}", time=f"{at // 60}:{at % 60:02d}"))
        self.back.setVisible(moment.seq > 2)
        self.hear.setVisible(moment.heard)


class DebriefPage(QWidget):
    """Three faces: the question what was wrong, work going on, and the debrief itself."""

    #: The trainee's answer to what was wrong.
    diagnosed = pyqtSignal(str)
    rewound = pyqtSignal(int)
    #: A moment that is to be heard again.
    heard = pyqtSignal(int)
    again = pyqtSignal()
    next_wanted = pyqtSignal()
    leave = pyqtSignal()
    #: Back to the Bench, the exercise not finished.
    back = pyqtSignal()
    #: The certificate, in a form.
    save_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Debrief"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.made: Debrief | None = None
        self.sound = KeptSound(self)
        self.sound.failed.connect(self.say)
        self._passed = False
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        outer.setSpacing(theme.px(10))
        head = QHBoxLayout()
        head.addWidget(label("page", tr("Debrief")))
        self.about = label("quiet", "", True)
        self.about.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        head.addWidget(self.about, 1)
        self.saves: list[QPushButton] = []
        for form, words in (("pdf", tr("Save certificate")), ("json", tr("Export"))):
            button = QPushButton(words)
            button.clicked.connect(lambda _=False, f=form: self.save_wanted.emit(f))
            self.saves.append(button)
            head.addWidget(button)
        leave = QPushButton(tr("All exercises"))
        leave.clicked.connect(self.leave.emit)
        head.addWidget(leave)
        outer.addLayout(head)
        self.message = Message()
        outer.addWidget(self.message)
        self.faces = QStackedWidget()
        self.faces.addWidget(self._question())
        self.faces.addWidget(self._busy())
        self.faces.addWidget(self._told())
        outer.addWidget(self.faces, 1)

    def _question(self) -> QWidget:
        card = Card(tr("What was wrong with this radio?"))
        card.column.addWidget(label("quiet", tr("Besides what you aligned. Your answer is marked."), True))
        self.answers: dict[str, QRadioButton] = {}
        group = QButtonGroup(self)
        for code, words in DIAGNOSES.items():
            button = self.answers[code] = QRadioButton(tr(words))
            group.addButton(button)
            card.column.addWidget(button)
        self.answers[""].setChecked(True)
        row = QHBoxLayout()
        self.main = QPushButton(tr("Mark the exercise  ↵"))
        self.main.setProperty("role", "main")
        self.main.clicked.connect(self.answer)
        row.addWidget(self.main)
        back = QPushButton(tr("Back to the Bench"))
        back.clicked.connect(self.back.emit)
        row.addWidget(back)
        row.addStretch(1)
        card.column.addLayout(row)
        card.column.addStretch(1)
        return card

    def _busy(self) -> QWidget:
        card = Card(tr("Marking"))
        card.column.addWidget(
            label("quiet", tr("The coach takes the same radio, and the physics are asked what is possible."), True)
        )
        bar = QProgressBar()
        bar.setRange(0, 0)
        bar.setAccessibleName(tr("Marking"))
        card.column.addWidget(bar)
        card.column.addStretch(1)
        return card

    def _told(self) -> QWidget:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(10))
        top = QHBoxLayout()
        top.setSpacing(theme.px(10))
        score = Card(tr("Score"))
        row = QHBoxLayout()
        self.score = label("score")
        row.addWidget(self.score)
        self.of = label("quiet", tr("of 100"))
        self.of.setAlignment(Qt.AlignmentFlag.AlignBottom)
        row.addWidget(self.of)
        row.addStretch(1)
        score.column.addLayout(row)
        self.passed = label("strong", "", True)
        score.column.addWidget(self.passed)
        self.best = label("quiet", "", True)
        score.column.addWidget(self.best)
        score.column.addStretch(1)
        top.addWidget(score, 10)
        cost = Card(tr("What it cost"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(theme.px(24))
        self.tiles = {
            name: _Tile(words)
            for name, words in (
                ("restored", tr("In spec")), ("alone", tr("Left as found")), ("fault", tr("Fault")),
                ("moves", tr("Moves")), ("broken", tr("Broken")), ("hints", tr("Hints")),
            )
        }  # fmt: skip
        for n, tile in enumerate(self.tiles.values()):
            grid.addWidget(tile, n // 3, n % 3)
        cost.column.addLayout(grid)
        top.addWidget(cost, 26)
        column.addLayout(top)
        story = Card(tr("The job as a story"))
        self.story_words = label("quiet", "", True)
        story.column.addWidget(self.story_words)
        self.story = StoryChart()
        story.column.addWidget(self.story, 1)
        column.addWidget(story, 1)
        moments = QHBoxLayout()
        moments.setSpacing(theme.px(10))
        self.moments = [_MomentCard(n) for n in range(1, MOMENTS + 1)]
        for card in self.moments:
            card.rewound.connect(self.rewound.emit)
            card.heard.connect(self.heard.emit)
            moments.addWidget(card, 1)
        self.no_moments = label("quiet", tr("No costly moments: good work."))
        moments.addWidget(self.no_moments)
        column.addLayout(moments)
        self.adjusters = Card(tr("How far from right"), "heading")
        self.table = QGridLayout()
        self.table.setHorizontalSpacing(theme.px(28))
        self.table.setVerticalSpacing(theme.px(2))
        self.adjusters.column.addLayout(self.table)
        column.addWidget(self.adjusters)
        face = QWidget()
        whole = QVBoxLayout(face)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(theme.px(10))
        whole.addWidget(scrolled(inside), 1)
        whole.addWidget(self._next())
        return face

    def _next(self) -> QFrame:
        frame = QFrame()
        frame.setProperty("role", "coach")
        row = QHBoxLayout(frame)
        row.setContentsMargins(theme.px(16), theme.px(10), theme.px(12), theme.px(10))
        self.next_words = label("headline", "", True)
        row.addWidget(self.next_words, 1)
        self.other = QPushButton()
        self.other.clicked.connect(lambda: self._go(not self._passed))
        row.addWidget(self.other)
        self.following = QPushButton()
        self.following.setProperty("role", "main")
        self.following.clicked.connect(lambda: self._go(self._passed))
        row.addWidget(self.following)
        return frame

    # -- what is shown ------------------------------------------------------------------------------------

    def ask(self, title: str) -> None:
        """Ask what was wrong, before anything is marked."""
        self.made = None
        self.message.hide()
        self.about.setText(title)
        self._show_saves(False)
        self.answers[""].setChecked(True)
        self.faces.setCurrentIndex(0)
        self.main.setFocus()

    def _show_saves(self, there: bool) -> None:
        for button in self.saves:
            button.setVisible(there)

    def show_busy(self) -> None:
        """Marking goes on."""
        self.message.hide()
        self._show_saves(False)
        self.faces.setCurrentIndex(1)

    def tell(self, words: str) -> None:
        """What went wrong; the answer can be given again."""
        self.message.tell(words)
        self.faces.setCurrentIndex(0)

    def say(self, words: str) -> None:
        """What became of a file."""
        self.message.tell(words)

    def show_debrief(self, made: Debrief, sheet: Sheet, how: Help, best: int) -> None:
        """Show it."""
        self.made, mark, e = made, made.mark, made.exercise
        minutes = max(1, round(mark.seconds / 60))
        said = tr_n("{n} bench minute", "{n} bench minutes", minutes)
        self.about.setText(f"{in_words(e, 'title')} · {sheet.title} · {said} · {tr(HELP[how])}")
        self._show_saves(True)
        self.score.setText(str(mark.score))
        self.passed.setText(tr("Passed") if mark.passed else self._why_not(made))
        self.best.setText(tr("Best so far {n}", n=best))
        tile = {name: t.show_figure for name, t in self.tiles.items()}
        still = mark.restored[1] - mark.restored[0]
        tile["restored"](
            tr("{n} of {all}", n=mark.restored[0], all=mark.restored[1]),
            tr_n("{n} result still out or unread", "{n} results still out or unread", still)
            if still
            else tr("all that this radio allows"),
        )
        if made.mark.left_alone[1]:
            tile["alone"](
                tr("{n} of {all}", n=mark.left_alone[0], all=mark.left_alone[1]),
                ", ".join(mark.needless) or tr("what was in spec was not turned"),
            )
        else:
            tile["alone"]("—", tr("nothing was in spec as found"))
        tile["fault"](
            "—" if mark.named is None else tr("named") if mark.named else tr("not named"),
            tr("there was none") if mark.named is None else "",
        )
        tile["moves"](str(mark.moves), tr("a good hand needs {n}", n=mark.good_moves))
        tile["broken"](str(len(mark.broken)), self._hurt(mark))
        tile["hints"](str(mark.hints), tr("3 marks each") if mark.hints else "")
        self.story.show_debrief(made)
        self.story_words.setText(
            tr("How far the adjusters are from right, as found: 100 %")
            if made.of is None
            else tr("Results in spec on the log, of {n}", n=made.of)
        )
        for n, card in enumerate(self.moments):
            card.show_moment(made.moments[n] if n < len(made.moments) else None, sheet)
        self.no_moments.setVisible(not made.moments)
        self._fill(made.adjusters)
        self._passed = mark.passed
        once_more, onward = tr("Take it again"), tr("Next exercise")
        self.following.setText(f"{onward if mark.passed else once_more}  ↵")
        self.other.setText(once_more if mark.passed else onward)
        self.next_words.setText(describe_next(made))
        self.faces.setCurrentIndex(2)
        self.following.setFocus()

    @staticmethod
    def _hurt(mark: Mark) -> str:
        """What broke, or which cautions were ignored without harm."""
        if mark.broken:
            return ", ".join(damage(x).name for x in mark.broken)
        return ", ".join(tr(CAUTIONS[x]) for x in mark.cautions) or tr("every caution kept")

    @staticmethod
    def _why_not(made: Debrief) -> str:
        mark = made.mark
        if made.exercise.leave_alone and mark.needless:
            return tr("Not passed: something in spec was turned")
        if mark.named is False:
            return tr("Not passed: the fault was not named")
        if mark.broken:
            return tr("Not passed: something was broken")
        if mark.restored[0] < mark.restored[1]:
            return tr("Not passed: results are still out of spec")
        return tr("Not passed: {n} marks are a pass", n=PASS)

    def _fill(self, rows: tuple[AdjusterLeft, ...]) -> None:
        while self.table.count():
            item = self.table.takeAt(0)
            widget = None if item is None else item.widget()
            if widget is not None:
                widget.deleteLater()
        columns = 3 if len(rows) > 8 else 1
        deep = -(-len(rows) // columns)
        for column in range(columns):
            for n, words in enumerate((tr("Adjuster"), tr("As found"), tr("As left"), tr("Turned"))):
                self.table.addWidget(label("small", words), 0, column * 4 + n)
        for n, row in enumerate(rows):
            at, down = (n // deep) * 4, n % deep + 1
            cells: tuple[QLabel, ...] = (
                label("strong", row.adjuster),
                label("", _off(row.found, row.unit)),
                label("", _off(row.left, row.unit)),
                label("quiet", tr("yes") if row.turned else tr("no")),
            )
            for k, cell in enumerate(cells):
                self.table.addWidget(cell, down, at + k)

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Nothing sounds of a page that is not looked at."""
        super().hideEvent(event)
        self.sound.silence()

    # -- what the trainee does -----------------------------------------------------------------------------

    def _go(self, onward: bool) -> None:
        (self.next_wanted if onward else self.again).emit()

    def answer(self) -> None:
        """Give the answer that is chosen."""
        self.diagnosed.emit(next(code for code, button in self.answers.items() if button.isChecked()))

    def press(self, name: str) -> None:
        """Do an action of this view."""
        if name == "debrief-main":
            if self.faces.currentIndex() == 0:
                self.answer()
            elif self.made is not None:
                self._go(self._passed)
        elif name == "debrief-again" and self.made is not None:
            self.again.emit()
        elif name == "debrief-leave":
            self.leave.emit()


def _off(value: float, unit: str) -> str:
    """How far from right, and which way."""
    if unit == "turns":
        return tr("{n} turns", n=f"{value:+.2f}")
    return f"{value:+.0f}°"
