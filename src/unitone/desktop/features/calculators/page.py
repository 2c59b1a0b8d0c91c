"""The Calculators view: calculators named by the question they answer, worked out as one types."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import keyed
from unitone.align.frequency.counts import Typed, counted_one, mixing_sheets, point_at, sources, trace
from unitone.calculators.calculator import SUBJECTS, SYNTHESISER
from unitone.calculators.catalogue import CALCULATORS, Calculator, Given
from unitone.calculators.typed import work_out
from unitone.desktop.features.calculators.channel_path import PathCard
from unitone.desktop.features.calculators.drawings import Drawing
from unitone.desktop.features.calculators.whatif import TryCard
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice, choice_of
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import Card, label, scrolled, set_tip
from unitone.errors import UnitoneError
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import Library
from unitone.sheet.model.mixing_model import Place, places
from unitone.sheet.model.sheet import Sheet
from unitone.words import figure, tr

_OSCILLATORS, _PATH, _TRY = "oscillators", "path", "try"
#: A sheet with more places than this is offered by its ends and middle alone.
_MOST_PLACES = 150
_ROWS = 11


def _card() -> tuple[QFrame, QVBoxLayout]:
    card = QFrame()
    card.setProperty("role", "card")
    layout = QVBoxLayout(card)
    layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
    layout.setSpacing(theme.px(8))
    return card, layout


class ExampleLine(QLineEdit):
    """A field whose figure is chosen when it is entered: typing overwrites the example."""

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """All of it is chosen, by key and by click."""
        super().focusInEvent(event)
        QTimer.singleShot(0, self.selectAll)


class CalculatorCard(Card):
    """One calculator: its fields, what comes of them, the formula and what it assumed."""

    def __init__(self, chosen: Calculator) -> None:
        super().__init__(chosen.question)
        self.chosen = chosen
        layout = self.column
        if chosen.caution:
            layout.addWidget(label("caution", chosen.caution, True))
        self.example = label("small", tr("Worked example: type your own figures over it."))
        layout.addWidget(self.example)
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(4))
        self.fields: dict[str, QLineEdit | Choice] = {}
        for n, given in enumerate(chosen.given):
            field = self._field(given)
            name = label("small", given.words, True)
            name.setBuddy(field)
            field.setAccessibleName(given.words)
            grid.addWidget(name, n, 0)
            grid.addWidget(field, n, 1)
            self.fields[given.key] = field
        grid.setColumnStretch(1, 1)
        grid.setColumnMinimumWidth(0, theme.px(170))
        layout.addLayout(grid)
        self.result = QFrame()
        self.result.setProperty("role", "coach")
        self.answers = QGridLayout(self.result)
        self.answers.setColumnStretch(1, 1)
        layout.addWidget(self.result)
        self.drawing = Drawing(chosen.name)
        layout.addWidget(self.drawing)
        self.missing = label("quiet", "", True)
        layout.addWidget(self.missing)
        layout.addWidget(label("quiet", chosen.formula, True))
        if chosen.assumes:
            layout.addWidget(label("quiet", tr("Assumes: {what}.", what=chosen.assumes), True))
        layout.addStretch(1)
        self.work()

    def _field(self, given: Given) -> QLineEdit | Choice:
        if given.choices:
            return choice_of(given.choices, given.usual, self.work)
        line = ExampleLine(figure(given.example))
        line.setPlaceholderText(given.hint)
        line.setMaxLength(300)
        line.textChanged.connect(lambda _: self.work())
        line.textEdited.connect(lambda _: self._own())
        return line

    def _own(self) -> None:
        """From here on the figures are the technician's."""
        self.example.setVisible(False)

    def typed(self) -> dict[str, str]:
        """What stands in the fields."""
        return {k: f.text() if isinstance(f, QLineEdit) else str(f.currentData()) for k, f in self.fields.items()}

    def work(self) -> None:
        """Work it out; what is missing, or cannot be, in words."""
        while (item := self.answers.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        try:
            found = work_out(self.chosen, self.typed())
            self.missing.setText("")
        except UnitoneError as error:
            found = []
            self.missing.setText(str(error))
        for n, answer in enumerate(found):
            words = label("headline" if n == 0 else "plain", figure(answer.text), True)
            words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            words.setAccessibleName(answer.words)
            self.answers.addWidget(label("quiet", answer.words), n, 0, Qt.AlignmentFlag.AlignTop)
            self.answers.addWidget(words, n, 1)
        self.result.setVisible(bool(found))
        self.drawing.show_answers(self.typed() if found else {}, {a.key: a.value for a in found})
        self.missing.setVisible(bool(self.missing.text()))

    def first(self) -> QWidget:
        """Where typing begins: the first figure."""
        return next((f for f in self.fields.values() if isinstance(f, QLineEdit)), next(iter(self.fields.values())))


class OscillatorsCard(Card):
    """Where are my oscillators: a sheet, readings of the counter, and what they say; the reading to take next."""

    def __init__(self, library: Callable[[], Library]) -> None:
        super().__init__(tr("Where are my oscillators?"))
        self._library = library
        self.sheet: Sheet | None = None
        self._filling = False
        layout = self.column
        layout.addWidget(
            label(
                "quiet",
                tr("RF burns: key into a dummy load. Count carriers on a few channels, bands and modes after warm-up."),
                True,
            )
        )
        row = QHBoxLayout()
        self.sheets = Choice()
        name = label("small", tr("Sheet"))
        name.setBuddy(self.sheets)
        self.sheets.setAccessibleName(tr("Sheet"))
        self.sheets.activated.connect(lambda _: self._take_sheet())
        row.addWidget(name)
        row.addWidget(self.sheets, 1)
        layout.addLayout(row)
        self.result = QFrame()
        self.result.setProperty("role", "coach")
        inside = QVBoxLayout(self.result)
        self.headline, self.following = label("headline", "", True), label("plain", "", True)
        self.headline.setAccessibleName(tr("What the readings say"))
        inside.addWidget(self.headline)
        inside.addWidget(self.following)
        self.take = QPushButton(tr("Remove this reading"))
        self.take.clicked.connect(self._take_following)
        inside.addWidget(self.take, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(self.result)
        self.lines = Lines(tr("What the readings say"), stacked=True)
        layout.addWidget(self.lines)
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(3))
        grid.addWidget(label("small", tr("Counted where")), 0, 0)
        grid.addWidget(label("small", tr("Counter shows")), 0, 1)
        grid.addWidget(label("small", tr("Off by")), 0, 2)
        self.rows: list[tuple[Choice, QLineEdit]] = []
        self._off = []
        for n in range(_ROWS):
            where, hz, off = Choice(), QLineEdit(), label("quiet", "")
            where.setAccessibleName(tr("Counted where, reading {n}", n=n + 1))
            where.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            where.setMinimumContentsLength(10)
            where.activated.connect(lambda _: self.work())
            hz.setAccessibleName(tr("Counter shows, reading {n}", n=n + 1))
            hz.setPlaceholderText("27.205013 MHz" if n == 0 else "")
            hz.textChanged.connect(lambda _: self.work())
            hz.setMinimumWidth(theme.px(130))
            off.setMinimumWidth(theme.px(76))
            for column, part in enumerate((where, hz, off)):
                grid.addWidget(part, n + 1, column)
            self.rows.append((where, hz))
            self._off.append(off)
        grid.setColumnStretch(0, 4)
        grid.setColumnStretch(1, 3)
        layout.addLayout(grid)
        layout.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        """The sheets that say how their frequencies are made."""
        self.sheets.clear()
        for sheet, path in mixing_sheets(self._library()):
            self.sheets.addItem(sheet.title, path)
        self._take_sheet()

    def _take_sheet(self) -> None:
        path = self.sheets.currentData()
        self.sheet = None if path is None else read_sheet(self._library().find(str(path)))
        self._spots: list[Typed] = []
        self._filling = True
        for where, hz in self.rows:
            where.clear()
            hz.clear()
        if self.sheet is not None:
            every = places(self.sheet, "transmit")
            for place in every if len(every) <= _MOST_PLACES else places(self.sheet, "transmit", ends_only=True):
                try:
                    point_at(self.sheet, place, "")
                except UnitoneError:
                    continue
                self._spots.append(Typed("transmit", place.band or "", place.mode or "", place.channel or "", "", ""))
            self._spots += [Typed("transmit", "", "", "", s.id, "") for s in sources(self.sheet)]
            self._spots.append(Typed("transmit", "", "", "", "standard", ""))
            names = [self._name(t) for t in self._spots]
            keyed = [n for n, t in enumerate(self._spots) if not t.point]
            # The ends and the middle first: they tell most.
            order = [keyed[0], keyed[-1], keyed[len(keyed) // 2], *keyed] if keyed else []
            order = list(dict.fromkeys([*order, *range(len(names))]))
            for n, (where, _) in enumerate(self.rows):
                where.addItems(names)
                where.setCurrentIndex(order[min(n, len(order) - 1)])
        self._filling = False
        self.work()

    def _name(self, t: Typed) -> str:
        assert self.sheet is not None
        return point_at(self.sheet, Place("transmit", t.band or None, t.mode or None, t.channel or None), t.point).label

    def work(self) -> None:
        """Trace what is typed so far, as each reading is typed."""
        if self._filling:
            return
        if self.sheet is None:
            self.headline.setText(
                tr("No sheet here has oscillators and mixing lines. Add [[oscillator]] and [[mixing]].")
            )
            self.following.setText("")
            self.take.hide()
            return
        typed, used = [], []
        for n, (where, hz) in enumerate(self.rows):
            self._off[n].setText("")
            if hz.text().strip() and where.currentIndex() >= 0:
                t = self._spots[where.currentIndex()]
                typed.append(Typed(t.way, t.band, t.mode, t.channel, t.point, hz.text()))
                used.append(n)
        wrong, readings = [], []
        for n, t in zip(used, typed, strict=True):
            try:
                one = counted_one(self.sheet, t)
            except UnitoneError as error:
                wrong.append(Line("out_of_spec", tr("Reading {n}: {error}", n=n + 1, error=str(error))))
                continue
            readings.append(one)
            self._off[n].setText(f"{one.error_hz:+.0f} Hz".replace("-", "−"))
        found = trace(self.sheet, readings)
        self.headline.setText(found.headline)
        self.following.setText(found.following[:1].upper() + found.following[1:])
        self.following.setVisible(bool(found.following))
        self._next = found.found.following
        self.take.setVisible(self._next is not None and len(used) < _ROWS)
        lines = [
            *wrong,
            *(Line("out_of_spec", w) for w in found.named if w != found.headline),
            *(Line("undecided", w) for w in found.cannot_tell),
        ]
        if found.suspect:
            lines.insert(0, Line("recheck", found.suspect[:1].upper() + found.suspect[1:]))
        self.lines.show_lines(lines)

    def _take_following(self) -> None:
        """The reading that was named, put into the next free row."""
        if self._next is None:
            return
        free = next((r for r in self.rows if not r[1].text().strip()), None)
        at = next((n for n, t in enumerate(self._spots) if self._name(t) == self._next.label), -1)
        if free is not None and at >= 0:
            free[0].setCurrentIndex(at)
            free[1].setFocus()


class CalculatorsPage(QWidget):
    """Left the questions, right the one that is asked. ↑ and ↓ choose, Tab goes to its first field."""

    def __init__(self, library: Callable[[], Library]) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Calculators"))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(14), theme.px(16), theme.px(14))
        outer.setSpacing(theme.px(10))
        outer.addWidget(label("page", tr("Calculators")))
        row = QHBoxLayout()
        row.setSpacing(theme.px(12))
        card, layout = _card()
        layout.addWidget(label("heading", tr("What do you want to know?")))
        self.find = QLineEdit()
        self.find.setPlaceholderText(keyed(tr("find a question  Ctrl F"), "find-calculator"))
        self.find.setAccessibleName(tr("Find a question"))
        self.find.textChanged.connect(lambda _: self._fill())
        layout.addWidget(self.find)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Questions"))
        self.list.setProperty("role", "questions")
        self.list.setWordWrap(True)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(
            lambda item, _: item is not None and self.show_calculator(str(item.data(Qt.ItemDataRole.UserRole) or ""))
        )
        layout.addWidget(self.list, 1)
        self.empty = label("quiet", tr("No question has these words."), True)
        layout.addWidget(self.empty)
        row.addWidget(card, 2)
        self.cards = QStackedWidget()
        self._made: dict[str, QScrollArea] = {}
        self.inside: dict[str, CalculatorCard | OscillatorsCard | PathCard | TryCard] = {}
        self._new = library
        row.addWidget(self.cards, 3)
        outer.addLayout(row, 1)
        self._fill()

    def _fill(self) -> None:
        wanted = self.find.text().strip().casefold().split()
        now = self.list.currentItem()
        chosen = now.data(Qt.ItemDataRole.UserRole) if now is not None else ""
        self.list.blockSignals(True)
        self.list.clear()
        questions = [
            (_OSCILLATORS, tr("Where are my oscillators?"), SYNTHESISER),
            (_PATH, tr("How is this channel made?"), SYNTHESISER),
            (_TRY, tr("What would this change do?"), SYNTHESISER),
            *((s.name, s.question, s.group) for s in CALCULATORS),
        ]
        for subject in SUBJECTS:
            rows = [
                (name, question) for name, question, group in questions
                if group == subject and all(w in f"{question} {tr(subject)} {name}".casefold() for w in wanted)
            ]  # fmt: skip
            if not rows:
                continue
            head = QListWidgetItem(tr(subject).upper())
            head.setFlags(Qt.ItemFlag.NoItemFlags)
            head.setFont(theme.font(12, bold=True))
            self.list.addItem(head)
            for name, question in rows:
                item = QListWidgetItem(question)
                set_tip(item, f"{tr(subject)}: {question}")
                item.setData(Qt.ItemDataRole.UserRole, name)
                self.list.addItem(item)
                if name == chosen:
                    self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        if self.list.currentRow() < 0 and self.list.count():
            self.list.setCurrentRow(1)
        self.empty.setVisible(not self.list.count())

    def show_question(self, name: str) -> None:
        """Choose a question by its name, whatever was looked for."""
        self.find.clear()
        for n in range(self.list.count()):
            item = self.list.item(n)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == name:
                self.list.setCurrentItem(item)
                self.show_calculator(name)
                first = self.inside[name].first() if hasattr(self.inside[name], "first") else None
                (first or self.list).setFocus()

    def show_calculator(self, name: str) -> None:
        """Ask this one; what was typed in another stays there."""
        if not name:
            return
        if name not in self._made:
            card: CalculatorCard | OscillatorsCard | PathCard | TryCard
            if name == _OSCILLATORS:
                card = OscillatorsCard(self._new)
            elif name == _PATH:
                card = PathCard(self._new)
            elif name == _TRY:
                card = TryCard(self._new)
            else:
                card = CalculatorCard(next(s for s in CALCULATORS if s.name == name))
            self.inside[name] = card
            self._made[name] = scrolled(card)
            self.cards.addWidget(self._made[name])
        self.cards.setCurrentWidget(self._made[name])

    def press(self, name: str) -> None:
        """An action by its id."""
        if name == "find-calculator":
            self.find.setFocus()
            self.find.selectAll()
