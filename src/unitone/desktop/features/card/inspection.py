"""The inspection: what to look at by kind of radio, how it was found, on which parts, with photographs, and what was done."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QStackedLayout, QWidget

from unitone.actions import keyed
from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.form import TokenLine
from unitone.desktop.widgets.lines import SHAPE, Line, Lines
from unitone.desktop.widgets.lists import ItemList
from unitone.desktop.widgets.painted import label
from unitone.desktop.widgets.photographs import LargePhotograph, Photographs
from unitone.errors import SheetError
from unitone.job.shop import describe_look
from unitone.present.bench.bench_shapes import ProcedureRow
from unitone.present.card.card_shapes import CardView, LookRow
from unitone.sheet.editing.fields import Field
from unitone.sheet.format.pictures import read_picture
from unitone.words import N_, tr

_SAID = (
    ("fine", N_("Fine  Alt F"), "look-fine"),
    ("wrong", N_("Wrong  Alt W"), "look-wrong"),
    ("repaired", N_("Repaired  Alt M"), "look-mended"),
)


class InspectionTab(CardTab):
    """Items at the left, the one at hand at the right."""

    def __init__(self, read: Callable[[str], bytes]) -> None:
        super().__init__(tr("Inspection"))
        self.at = ""
        self._pictures: dict[str, bytes] = {}
        self._asked = False
        row = QHBoxLayout()
        row.setSpacing(theme.px(12))
        frame, layout = boxed()
        self.tally = label("quiet", "", True)
        layout.addWidget(self.tally)
        self.items = ItemList(tr("What to look at"))
        self.items.chosen.connect(self.choose)
        self.items.step.connect(self._neighbour)
        layout.addWidget(self.items, 1)
        self.other = QLineEdit()
        self.other.setMaxLength(80)
        self.other.setAccessibleName(tr("Look at something else"))
        self.other.setPlaceholderText(tr("look at something else…"))
        self.other.returnPressed.connect(self._something_else)
        layout.addWidget(self.other)
        row.addWidget(frame, 2)
        holder = QWidget()
        self.stack = QStackedLayout(holder)
        self.stack.addWidget(self._at_hand(read))
        self.large = LargePhotograph()
        self.large.closed.connect(lambda: self.stack.setCurrentIndex(0))
        self.stack.addWidget(self.large)
        row.addWidget(holder, 3)
        self.column.addLayout(row, 1)

    def _at_hand(self, read: Callable[[str], bytes]) -> QWidget:
        frame, layout = boxed()
        self.title, self.how = label("title", "", True), label("quiet", "", True)
        layout.addWidget(self.title)
        layout.addWidget(self.how)
        grid = QGridLayout()
        grid.setHorizontalSpacing(theme.px(10))
        grid.setVerticalSpacing(1)
        self.words, self.done = QLineEdit(), QLineEdit()
        self.on = TokenLine(
            Field(("on",), tr("Adjusters or parts"), "ids", source="adjuster"), lambda _: list(self._names())
        )
        self.stage = Choice()
        for n, (words, field, hint) in enumerate(
            ((tr("What is wrong, in a few words"), self.words, tr("seal broken, slot chewed")),
             (tr("Adjusters or parts"), self.on, "T2, T3, C41"), (tr("What was done"), self.done, tr("resealed after alignment")),
             (tr("Stage"), self.stage, ""))
        ):  # fmt: skip
            name = label("small", words)
            name.setBuddy(field)
            field.setAccessibleName(words)
            if isinstance(field, QLineEdit):
                field.setMaxLength(400)
                field.setPlaceholderText(hint)
            grid.addWidget(name, 2 * (n // 2), n % 2)
            grid.addWidget(field, 2 * (n // 2) + 1, n % 2)
            grid.setColumnStretch(n % 2, 1)
        layout.addLayout(grid)
        self.error = label("cure", "", True)
        self.error.hide()
        layout.addWidget(self.error)
        row = QHBoxLayout()
        self.said: dict[str, QPushButton] = {}
        for look, english, does in _SAID:
            words = keyed(tr(english), does)
            button = self.said[look] = QPushButton(words)
            button.clicked.connect(lambda _=False, x=look: self.say(x))
            row.addWidget(button)
        self.add = QPushButton(tr("Photographs…"))
        self.add.clicked.connect(self._ask_photographs)
        row.addStretch(1)
        row.addWidget(self.add)
        layout.addLayout(row)
        self.with_it = label("teal", "", True)
        self.with_it.hide()
        layout.addWidget(self.with_it)
        layout.addWidget(label("heading", tr("Findings")))
        self.lines = Lines(tr("Findings"))
        # What was found stands beside its photograph.
        found = QHBoxLayout()
        found.setSpacing(theme.px(12))
        found.addWidget(self.lines, 1, Qt.AlignmentFlag.AlignTop)
        self.photographs = Photographs(read)
        self.photographs.wanted.connect(self._large)
        found.addWidget(self.photographs, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(found, 1)
        return frame

    def _names(self) -> tuple[str, ...]:
        return self.view.names if self.view is not None else ()

    # -- showing ---------------------------------------------------------------------------------

    def fill(self, view: CardView, other: bool) -> None:
        if other:
            self.at = ""
            self._clear()
            self.stage.clear()
            self.stage.addItem(tr("not said"), "")
            for key, title in view.stages:
                self.stage.addItem(title, key)
        if self._asked:
            # It was taken: on to what nobody has looked at yet.
            self._asked = False
            self._clear()
            following = self._unlooked(view)
            self.at = following or self.at
        known = {x.id for x in view.looks}
        if not self.at or (self.at not in known and other):
            self.at = self._unlooked(view) or (view.looks[0].id if view.looks else "")
        self.tally.setText(view.looks_words)
        groups: dict[str, list[ProcedureRow]] = {}
        for x in view.looks:
            mark = SHAPE.get(x.look, "todo")
            groups.setdefault(x.group, []).append(
                ProcedureRow(x.id, x.title, mark, describe_look(x.look) if x.look else "", x.id == self.at)
            )  # type: ignore[arg-type]
        if self.at and self.at not in known:
            groups.setdefault(tr("Also"), []).append(ProcedureRow(self.at, self.at, "todo", "", True))
        self.items.show_procedure(tuple((title, tuple(rows)) for title, rows in groups.items()))
        row = self._row(view)
        self.title.setText(row.title if row else self.at)
        self.how.setText(row.how if row else "")
        self.lines.show_lines([Line(row.look, t) for t in row.lines] if row else [], tr("Not inspected yet."))
        self.photographs.show_photographs(row.pictures if row else ())
        for widget in (self.words, self.on, self.done, self.stage, self.add, self.other, *self.said.values()):
            widget.setEnabled(not view.finished)

    def _row(self, view: CardView) -> LookRow | None:
        return next((x for x in view.looks if x.id == self.at), None)

    def _unlooked(self, view: CardView) -> str:
        """The next item after the one at hand that nobody has looked at; round to the first."""
        ids = [x.id for x in view.looks]
        start = ids.index(self.at) + 1 if self.at in ids else 0
        order = view.looks[start:] + view.looks[:start]
        return next((x.id for x in order if not x.look), "")

    def _clear(self) -> None:
        for field in (self.words, self.on, self.done):
            field.clear()
        self.stage.setCurrentIndex(0)
        self._pictures = {}
        self._tell_pictures()
        self.error.hide()

    def choose(self, item: str) -> None:
        """Take another item in hand; what was typed for the one before is not carried over."""
        if item != self.at and self.view is not None:
            self.at = item
            self._clear()
            self.stack.setCurrentIndex(0)
            self.fill(self.view, False)

    def _neighbour(self, way: int) -> None:
        if self.view is not None:
            ids = [x.id for x in self.view.looks]
            at = (ids.index(self.at) if self.at in ids else 0) + way
            if 0 <= at < len(ids):
                self.choose(ids[at])

    def _something_else(self) -> None:
        name = self.other.text().strip()
        if name:
            self.other.clear()
            self.choose(name)
            self.words.setFocus()

    # -- telling -------------------------------------------------------------------------------------

    def say(self, look: str) -> None:
        """Keep how the item at hand was found."""
        if self.view is None or self.view.finished or not self.at:
            return
        item, words, done, stage = self.at, self.words.text(), self.done.text(), str(self.stage.currentData() or "")
        on = tuple(x.strip() for x in self.on.text().replace("+", ",").split(",") if x.strip())
        pictures = dict(self._pictures)
        self._asked = True
        self.do.emit(lambda s: s.workshop.look_at(item, look, words, on, done, stage, pictures))

    def failed(self, words: str) -> bool:
        if not self._asked:
            return False
        self._asked = False
        self._refuse(words)
        self.words.setFocus()
        return True

    def _refuse(self, words: str) -> None:
        self.error.setText(words)
        self.error.show()

    def _ask_photographs(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Photographs"), "", tr("Pictures (*.png *.jpg *.jpeg *.svg)"))
        self.add_photographs([Path(n) for n in names])

    def add_photographs(self, paths: list[Path]) -> None:
        """Take photographs to go with the next word on this item; what is no picture is refused with words."""
        wrong = []
        for path in paths:
            try:
                self._pictures[path.name] = read_picture(path)
            except SheetError as error:
                wrong += error.problems
        self.error.setVisible(bool(wrong))
        self.error.setText("\n".join(wrong))
        self._tell_pictures()

    def _tell_pictures(self) -> None:
        n = len(self._pictures)
        self.with_it.setText(
            tr("Also: {names}. Choose fine, wrong or repaired.", names=", ".join(self._pictures)) if n else ""
        )
        self.with_it.setVisible(bool(n))

    def _large(self, name: str, image: QImage) -> None:
        self.stack.setCurrentIndex(1)
        self.large.show_image(name, image)

    def first(self) -> QWidget:
        return self.items
