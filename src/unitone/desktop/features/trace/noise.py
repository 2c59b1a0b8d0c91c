"""The noise hunt: one question at a time, yes or no, and the part of the radio that the answers point to."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from unitone.actions import keyed
from unitone.desktop.features.trace.ladder import Shares
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import Card, label, set_tip
from unitone.present.trace.trace_shapes import NoiseView
from unitone.words import tr

#: With less room under the question (pixels at normal type) the answers are not shown.
_LEAST_ANSWERS = 90


class NoisePane(QWidget):
    """Knows no job: it tells the answers."""

    answered = pyqtSignal(str, bool)
    #: What the question asks is to be done on the simulated radio, and listened to.
    tried = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.question = ""
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(12))
        left = QVBoxLayout()
        left.setSpacing(theme.px(10))
        self.coach = QFrame()
        self.coach.setProperty("role", "coach")
        inside = QVBoxLayout(self.coach)
        inside.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        self.headline, self.how = label("title", "", True), label("quiet", "", True)
        inside.addWidget(self.headline)
        inside.addWidget(self.how)
        keys = QHBoxLayout()
        self.yes, self.no = (
            QPushButton(keyed(tr("Yes  Y"), "trace-yes")),
            QPushButton(keyed(tr("No  N"), "trace-nothing")),
        )
        self.yes.setProperty("role", "main")
        self.yes.clicked.connect(lambda: self.answer(True))
        self.no.clicked.connect(lambda: self.answer(False))
        self.listen = QPushButton(keyed(tr("Listen  L"), "trace-listen"))
        set_tip(self.listen, tr("The simulated radio as it is, then with it done"))
        self.listen.clicked.connect(self.try_it)
        keys.addWidget(self.yes)
        keys.addWidget(self.no)
        keys.addWidget(self.listen)
        keys.addStretch(1)
        inside.addLayout(keys)
        self.heard = label("teal", "", True)
        self.heard.hide()
        inside.addWidget(self.heard)
        inside.addStretch(1)
        left.addWidget(self.coach)
        answers = self.answers = Card(tr("Answers so far"), "heading")
        self.lines = Lines(tr("Answers so far"), self._again)
        inside_answers = QWidget()
        column = QVBoxLayout(inside_answers)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.lines)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setAccessibleName(tr("Answers so far"))
        area.setWidget(inside_answers)
        answers.column.addWidget(area, 1)
        left.addWidget(answers, 1)
        row.addLayout(left, 6)
        right = Card(tr("Where the noise comes from"), "heading")
        self.shares = Shares(tr("Where the noise comes from"))
        right.column.addWidget(self.shares)
        self.then = label("plain", "", True)
        right.column.addWidget(self.then)
        right.column.addStretch(1)
        row.addWidget(right, 4)

    def show_noise(self, noise: NoiseView, finished: bool, simulated: bool) -> None:
        """Show the question at hand and what was answered; what a simulated radio gives can be listened to."""
        if noise.question != self.question:
            self.show_heard("")
        self.question = noise.question
        top = noise.places[0]
        self.headline.setText(noise.words or tr("Likely: {place}.", place=top[0]))
        self.how.setText(noise.how or top[1])
        for button in (self.yes, self.no):
            button.setVisible(bool(noise.question) and not finished)
        self.listen.setVisible(bool(noise.question) and simulated and not finished)
        self.lines.show_lines(
            [
                Line("", words, tr("yes") if yes else tr("no"), key, () if finished else (tr("Change"),))
                for key, words, yes in noise.answered
            ],
            tr("None yet. Meters, Spectrum shows hum, hiss and whistles apart."),
        )
        self._answers = {key: yes for key, _, yes in noise.answered}
        self.shares.show_shares(tuple((title, percent, "") for title, _, percent in noise.places))
        # What the coach says already is not said twice.
        self.then.setText(top[1] if noise.answered and top[1] != self.how.text() else "")
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The question keeps its words whole; the answers give way."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        inside = self.coach.layout()
        assert inside is not None
        inside.activate()
        wanted = inside.totalHeightForWidth(self.coach.width())
        self.coach.setMinimumHeight(max(0, min(wanted, self.height())))
        self.answers.setVisible(wanted + theme.px(_LEAST_ANSWERS) < self.height())

    def answer(self, yes: bool) -> None:
        """Yes or no to the question at hand."""
        if self.question:
            self.answered.emit(self.question, yes)

    def try_it(self) -> None:
        """Do on the simulated radio what the question asks, and listen."""
        if self.question and self.listen.isEnabled() and not self.listen.isHidden():
            self.listen.setEnabled(False)
            self.heard.setText(tr("listening…"))
            self.heard.show()
            self._fit()
            self.tried.emit(self.question)

    def show_heard(self, words: str) -> None:
        """What was heard; nothing is listened to any more."""
        self.listen.setEnabled(True)
        self.heard.setText(words)
        self.heard.setVisible(bool(words))
        self._fit()

    def _again(self, key: str, _: int) -> None:
        self.answered.emit(key, not self._answers[key])
