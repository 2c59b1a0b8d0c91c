"""Intake: whose radio, what is said of it, what came with it and what is missing, the first look, where the job stands."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.livefield import LiveLine, LiveWords
from unitone.desktop.widgets.painted import label, restyle
from unitone.present.card.card_shapes import CardView
from unitone.session.workshop import STATUSES
from unitone.words import N_, tr

_LINES = (("serial", N_("Serial number")), ("owner", N_("Owner")), ("call_sign", N_("Call sign")))
_WITH, _MISSING, _UNASKED = "with it", "missing", ""
_STATE_WORDS = {"open": N_("on the bench"), "waiting": N_("waiting"), "later": N_("left for later")}


def _narrow(box: Choice) -> Choice:
    """A pull-down that gives way in a small window."""
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(5)
    return box


class IntakeTab(CardTab):
    """The card as it was taken in, and may be put right."""

    def __init__(self) -> None:
        super().__init__(tr("Intake"))
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(theme.px(10))
        left.addWidget(self._who())
        left.addWidget(self._things())
        right.addWidget(self._where())
        right.addWidget(self._known())
        right.addWidget(self._wanted())
        left.addStretch(1)
        right.addStretch(1)
        self.sides.addLayout(left, 3)
        self.sides.addLayout(right, 2)
        self.column.addLayout(self.sides)

    def _who(self) -> QWidget:
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Radio and complaint")))
        grid = QGridLayout()
        grid.setHorizontalSpacing(theme.px(10))
        grid.setVerticalSpacing(1)
        self.lines: dict[str, LiveLine] = {}
        for n, (key, english) in enumerate(_LINES):
            words = tr(english)
            field = self.lines[key] = LiveLine(words)
            field.kept.connect(lambda text, k=key: self.do.emit(lambda s: s.workshop.amend_card({k: text})))
            self._put(grid, words, field, 0, n)
        self.words: dict[str, LiveWords] = {}
        for n, (key, words, hint) in enumerate(
            (("complaint", tr("Complaint"), tr("in the owner's words")),
             ("first_look", tr("First look, case closed"), tr("does it work at all? dents, corrosion, a cut lead…")))
        ):  # fmt: skip
            area = self.words[key] = LiveWords(words, hint)
            area.kept.connect(lambda text, k=key: self.do.emit(lambda s: s.workshop.amend_card({k: text})))
            self._put(grid, words, area, 2 + 2 * n, 0, 3)
        layout.addLayout(grid)
        return frame

    def _put(self, grid: QGridLayout, words: str, field: QWidget, row: int, column: int, span: int = 1) -> None:
        name = label("small", words)
        name.setBuddy(field)
        grid.addWidget(name, row, column, 1, span)
        grid.addWidget(field, row + 1, column, 1, span)

    def _things(self) -> QWidget:
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Included")))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(theme.px(10))
        self._grid.setVerticalSpacing(theme.px(4))
        for column in (1, 3):
            self._grid.setColumnStretch(column, 1)
        layout.addLayout(self._grid)
        self.things: dict[str, Choice] = {}
        row = QHBoxLayout()
        self.other = QLineEdit()
        self.other.setMaxLength(80)
        self.other.setAccessibleName(tr("Something else"))
        self.other.setPlaceholderText(tr("something else…"))
        name = label("small", tr("Something else"))
        name.setBuddy(self.other)
        row.addWidget(name)
        row.addWidget(self.other, 1)
        self.add_with, self.add_missing = QPushButton(tr("Included")), QPushButton(tr("Missing"))
        self.add_with.clicked.connect(lambda: self._other(_WITH))
        self.add_missing.clicked.connect(lambda: self._other(_MISSING))
        self.other.returnPressed.connect(lambda: self._other(_WITH))
        row.addWidget(self.add_with)
        row.addWidget(self.add_missing)
        layout.addLayout(row)
        return frame

    def _where(self) -> QWidget:
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Status")))
        self.stands = label("plain", "", True)
        layout.addWidget(self.stands)
        grid = QGridLayout()
        self.state = _narrow(Choice())
        self.state.setAccessibleName(tr("State"))
        for key in STATUSES:
            self.state.addItem(tr(_STATE_WORDS[key]), key)
        self.why, self.approved = LiveLine(tr("Waiting for")), LiveLine(tr("Approved up to"), tr("40.00"))
        self.why.setPlaceholderText(tr("the owner, a part, a manual…"))
        self.state.activated.connect(lambda _: self._state())
        self.why.kept.connect(lambda _: self._state())
        self.approved.kept.connect(lambda _: self._state())
        self.worth = LiveLine(tr("Worth of the radio"), tr("60.00"))
        self.worth.kept.connect(lambda _: self._state())
        for n, (words, field) in enumerate(
            (
                (tr("State"), self.state), (tr("Waiting for"), self.why), (tr("Approved up to (cost)"), self.approved),
                (tr("Worth of the radio"), self.worth),
            )
        ):  # fmt: skip
            name = label("small", words)
            name.setBuddy(field)
            grid.addWidget(name, n, 0)
            grid.addWidget(field, n, 1)
        layout.addLayout(grid)
        self.cost = label("quiet", "", True)
        layout.addWidget(self.cost)
        return frame

    def _known(self) -> QWidget:
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Known faults of this model")))
        self.aliases = label("quiet", "", True)
        self.known = Lines(tr("Known faults"))
        self.safety = label("caution", "", True)
        for widget in (self.aliases, self.known, self.safety):
            layout.addWidget(widget)
        return frame

    def _wanted(self) -> QWidget:
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Pages wanted")))
        self._came: dict[str, bool] = {}
        self.pages = Lines(tr("Pages wanted"), lambda page, _: self._page_came(page))
        layout.addWidget(self.pages)
        self.want = EntryForm(
            (Ask("page", tr("Page, diagram or copy"), tr("p. 14: the limits are cut off"), 4, needed=True),), tr("Wanted")
        )  # fmt: skip
        self.want.submitted.connect(lambda d: self.do.emit(lambda s: s.workshop.want_page(d["page"])))
        self.forms.append(self.want)
        layout.addWidget(self.want)
        return frame

    def _page_came(self, page: str) -> None:
        came = not self._came.get(page, False)
        self.do.emit(lambda s: s.workshop.want_page(page, came))

    # -- showing and telling ----------------------------------------------------------------------

    def fill(self, view: CardView, other: bool) -> None:
        data = view.card.to_data()
        for key, field in (*self.lines.items(), *self.words.items()):
            field.show_value(str(data.get(key, "") or ""))
            field.setEnabled(not view.finished)
        if other:
            self.other.clear()
        self._show_things(view)
        self.stands.setText(view.status_words)
        at = self.state.findData(view.status)
        self.state.setCurrentIndex(at)
        self.state.setEnabled(not view.finished)
        self.why.show_value(view.why)
        self.why.setEnabled(not view.finished)
        self.approved.show_value(view.approved)
        self.approved.setEnabled(not view.finished)
        self.worth.show_value(view.worth)
        self.worth.setEnabled(not view.finished)
        self.cost.setText(view.cost_words)
        restyle(self.cost, {"out_of_spec": "cure", "recheck": "strong"}.get(view.cost_mark, "quiet"))
        self._came = dict(view.pages)
        self.pages.show_lines(
            [
                Line(
                    "done" if came else "todo",
                    page,
                    tr("has come") if came else "",
                    page,
                    (tr("Still wanted"),) if came else (tr("Has come"),),
                )
                for page, came in view.pages
            ],
            tr("none"),
        )
        self.want._tell()
        self.aliases.setText(tr("The same board: {names}.", names=", ".join(view.aliases)) if view.aliases else "")
        self.aliases.setVisible(bool(view.aliases))
        self.known.show_lines(
            [Line("undecided", f"{f.sign}: {f.cause}" + (f" ({f.cure})" if f.cure else "")) for f in view.known_faults],
            tr("This sheet lists no known faults. Add them in Sheets, under Faults."),
        )
        self.safety.setText(view.safety)
        self.safety.setVisible(bool(self.safety.text()))

    def _show_things(self, view: CardView) -> None:
        names = list(dict.fromkeys([*view.usual_accessories, *view.card.accessories, *view.card.missing]))
        if list(self.things) != names:
            while (item := self._grid.takeAt(0)) is not None:
                if (old := item.widget()) is not None:
                    old.hide()
                    old.deleteLater()
            self.things = {}
            for n, name in enumerate(names):
                box = self.things[name] = _narrow(Choice())
                for key, words in ((_UNASKED, tr("not asked")), (_WITH, tr("included")), (_MISSING, tr("missing"))):
                    box.addItem(words, key)
                box.setAccessibleName(name)
                box.activated.connect(lambda _: self._things_said())
                words = label("plain", name, True)
                words.setBuddy(box)
                self._grid.addWidget(words, n // 2, 2 * (n % 2))
                self._grid.addWidget(box, n // 2, 2 * (n % 2) + 1)
        for name, box in self.things.items():
            stands = _WITH if name in view.card.accessories else _MISSING if name in view.card.missing else _UNASKED
            box.setCurrentIndex(box.findData(stands))
            box.setEnabled(not view.finished)
        for widget in (self.other, self.add_with, self.add_missing):
            widget.setEnabled(not view.finished)

    def _things_said(self) -> None:
        said = {name: str(box.currentData()) for name, box in self.things.items()}
        self._tell(said)

    def _other(self, how: str) -> None:
        name = self.other.text().strip()
        if name:
            self.other.clear()
            self._tell({n: str(b.currentData()) for n, b in self.things.items()} | {name: how})

    def _tell(self, said: dict[str, str]) -> None:
        came = tuple(n for n, how in said.items() if how == _WITH)
        missing = tuple(n for n, how in said.items() if how == _MISSING)
        self.do.emit(lambda s: s.workshop.amend_card({"accessories": came, "missing": missing}))

    def _state(self) -> None:
        state, why = str(self.state.currentData()), self.why.text().strip()
        approved, worth = self.approved.text().strip(), self.worth.text().strip()
        view = self.view
        if view is not None and (state, why, approved, worth) != (view.status, view.why, view.approved, view.worth):
            self.do.emit(lambda s: s.workshop.set_status(state, why, approved, worth))

    def first(self) -> QWidget:
        return self.lines["serial"]
