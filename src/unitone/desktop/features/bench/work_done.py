"""The tray's questions of the work itself: what was tried, and what is loose for the time being."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout

from unitone.desktop.features.bench.questions import Question, named
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.painted import label
from unitone.present.bench.bench_shapes import BenchView
from unitone.session.session import OUTCOMES
from unitone.words import tr

_LONGEST = 300


class TriedQuestion(Question):
    """Suspected, done, seen, and whether that was the cause; what was tried before stands above it."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout()
        self.before = label("small", "", True)
        column.addWidget(self.before)
        row = QHBoxLayout()
        self.suspected, self.done, self.result = QLineEdit(), QLineEdit(), QLineEdit()
        for field, words, hint in (
            (self.suspected, tr("Suspected"), tr("leaky electrolytics")), (self.done, tr("done"), tr("replaced C41 to C44")),
            (self.result, tr("result"), tr("rail 8.4 → 8.4 V")),
        ):  # fmt: skip
            field.setMaxLength(_LONGEST)
            field.setPlaceholderText(hint)
            field.returnPressed.connect(self.answer)
            field.textChanged.connect(lambda _: self._tell())
            row.addWidget(named(field, words))
            row.addWidget(field, 1)
        self.outcome = Choice()
        self.outcome.setAccessibleName(tr("Outcome"))
        for outcome in OUTCOMES:
            self.outcome.addItem(tr(outcome), outcome)
        row.addWidget(self.outcome)
        column.addLayout(row)
        self.line.addLayout(column, 1)
        self.buttons(tr("Keep"), "main")
        self._rows: tuple[str, ...] = ()

    def ask(self, view: BenchView) -> None:
        """Empty fields, with what was tried before in sight."""
        self._rows = tuple(f"{row.words} ({row.outcome})" for row in view.log.tried)
        for field in (self.suspected, self.done, self.result):
            field.clear()
        self.outcome.setCurrentIndex(0)
        self._tell()
        self.suspected.setFocus()

    def _tell(self) -> None:
        """What was tried before; what holds the words being typed comes first, so that nobody tries it twice."""
        words = f"{self.suspected.text()} {self.done.text()}".lower().split()
        alike = [r for r in self._rows if any(len(w) > 2 and w in r.lower() for w in words)]
        shown = alike or list(self._rows)
        head = tr("Tried already: ") if alike else tr("Before: ") if shown else tr("No attempt yet in this job.")
        self.before.setText(
            head + " · ".join(shown[:3]) + (tr(" and {n} more", n=len(shown) - 3) if len(shown) > 3 else "")
        )
        self.keep.setEnabled(bool(self.suspected.text().strip() and self.done.text().strip()))

    def answer(self) -> None:
        if self.keep.isEnabled():
            texts = tuple(f.text().strip() for f in (self.suspected, self.done, self.result))
            self.answered.emit((*texts, str(self.outcome.currentData())))


class LooseQuestion(Question):
    """What is lifted, out or on for the time being: add one, put one right, or say why it stays."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout()
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Loose ends"))
        self.list.setFixedHeight(theme.px(62))
        column.addWidget(self.list)
        row = QHBoxLayout()
        self.words = QLineEdit()
        self.words.setMaxLength(_LONGEST)
        self.words.setPlaceholderText(tr("new: speaker unsoldered… or the reason it stays"))
        self.words.returnPressed.connect(self.answer)
        self.words.textChanged.connect(lambda _: self._tell())
        row.addWidget(named(self.words, tr("Words")))
        row.addWidget(self.words, 1)
        column.addLayout(row)
        self.line.addLayout(column, 1)
        self.right, self.stays = QPushButton(tr("Put right")), QPushButton(tr("Stays, because…"))
        self.right.clicked.connect(lambda: self._end(""))
        self.stays.clicked.connect(lambda: self._end(self.words.text().strip()))
        for button in (self.right, self.stays):
            self.line.addWidget(button)
        self.buttons(tr("Add"), "main")
        self.list.currentRowChanged.connect(lambda _: self._tell())

    def ask(self, view: BenchView) -> None:
        """The open ends."""
        self.list.clear()
        for entry_id, what in view.log.loose:
            item = QListWidgetItem(what)
            item.setData(Qt.ItemDataRole.UserRole, entry_id)
            self.list.addItem(item)
        self.list.setVisible(bool(view.log.loose))
        self.list.setCurrentRow(0)
        self.words.clear()
        self._tell()
        self.words.setFocus()

    def _tell(self) -> None:
        chosen, words = self.list.currentItem() is not None, bool(self.words.text().strip())
        self.right.setEnabled(chosen)
        self.stays.setEnabled(chosen and words)
        self.keep.setEnabled(words)

    def _end(self, stays: str) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.answered.emit((str(item.data(Qt.ItemDataRole.UserRole)), stays))

    def answer(self) -> None:
        if self.words.text().strip():
            self.answered.emit(("new", self.words.text().strip()))
