"""Handing over: what each control does and whether it was tried, the papers, and the radio given back."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QWidget

from unitone.desktop.features.card._leaving import LeavingBox
from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.livefield import LiveLine
from unitone.desktop.widgets.painted import label, set_tip
from unitone.present.card.card_shapes import CardView, ControlCell
from unitone.sheet.model.front_panel import control_words, position_words
from unitone.words import tr

_UNTRIED, _WORKS, _BROKEN = "", "works", "broken"


class HandingTab(CardTab):
    """Controls to try, one by one; then the papers."""

    paper = pyqtSignal(str)
    #: This radio was saved as a sheet of the workshop, of that id.
    kept = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__(tr("Handing over"))
        frame, layout = boxed()
        head = QHBoxLayout()
        head.addWidget(label("heading", tr("Controls")))
        self.tally = label("quiet", "", True)
        head.addWidget(self.tally, 1)
        layout.addLayout(head)
        layout.addWidget(
            label("quiet", tr("Try each control with the covers on. Your words are printed on the handover page."), True)
        )  # fmt: skip
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(theme.px(10))
        self._grid.setVerticalSpacing(theme.px(4))
        for column, share in enumerate((2, 6, 2, 4)):
            self._grid.setColumnStretch(column, share)
        layout.addLayout(self._grid)
        self.add = EntryForm(
            (Ask("control", tr("Another control"), tr("tone switch"), 2, needed=True), Ask("does", tr("Function"), tr("cuts the hiss"), 4)), tr("Add")
        )  # fmt: skip
        self.add.submitted.connect(lambda d: self.do.emit(lambda s: s.workshop.tell_control(d["control"], d["does"])))
        self.forms.append(self.add)
        layout.addWidget(self.add)
        self.error = label("cure", "", True)
        self.error.hide()
        layout.addWidget(self.error)
        self.column.addWidget(frame)
        frame, layout = boxed()
        self.leaving = LeavingBox(self.do.emit)
        self.forms.append(self.leaving.add)
        layout.addWidget(self.leaving)
        self.column.addWidget(frame)
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Papers")))
        row = QHBoxLayout()
        self.page, self.certificate = QPushButton(tr("Handover page")), QPushButton(tr("Certificate"))
        self.page.clicked.connect(lambda: self.paper.emit("handover"))
        self.certificate.clicked.connect(lambda: self.paper.emit("certificate"))
        row.addWidget(self.page)
        row.addWidget(self.certificate)
        self.charts = QPushButton(tr("Before and after"))
        self.charts.clicked.connect(lambda: self.paper.emit("before-after"))
        row.addWidget(self.charts)
        self.sheet = QPushButton(tr("Save as a sheet"))
        set_tip(self.sheet, tr("For the next radio of its kind: limits from what was left"))
        self.sheet.clicked.connect(lambda: self.do.emit(lambda s: self.kept.emit(s.growing.keep_as_sheet())))
        self.kept.connect(
            lambda name: self._kept_words.setText(tr("Saved as the sheet {name}: new jobs can use it.", name=name))
        )
        row.addWidget(self.sheet)
        row.addStretch(1)
        layout.addLayout(row)
        self._kept_words = label("quiet", "", True)
        layout.addWidget(self._kept_words)
        self.give = EntryForm((Ask("to", tr("Given back to"), tr("the allotment society"), 3),), tr("Handed over"))
        self.give.submitted.connect(lambda d: self.do.emit(lambda s: s.workshop.hand_over(d["to"])))
        self.given = label("plain", "", True)
        layout.addWidget(self.give)
        layout.addWidget(self.given)
        self.column.addWidget(frame)
        self.column.addStretch(1)
        self.rows: dict[str, tuple[LiveLine, Choice, LiveLine]] = {}

    def fill(self, view: CardView, other: bool) -> None:
        self.tally.setText(view.controls_words)
        if list(self.rows) != [c.id for c in view.controls] or other:
            while (item := self._grid.takeAt(0)) is not None:
                if (old := item.widget()) is not None:
                    old.hide()
                    old.deleteLater()
            self.rows = {c.id: self._row(n, c) for n, c in enumerate(view.controls)}
        for c in view.controls:
            does, tried, note = self.rows[c.id]
            does.show_value(c.does)
            tried.setCurrentIndex(tried.findData(_UNTRIED if c.works is None else _WORKS if c.works else _BROKEN))
            note.show_value(c.words)
        # What the controls do is told, and tried, after the last reading as well.
        self.add.setEnabled(view.status not in ("handed over", "archived"))
        self.add._tell()
        self.sheet.setEnabled(view.finished)
        if other:
            self._kept_words.setText("")
        done = view.status in ("handed over", "archived")
        self.give.setVisible(view.finished and not done)
        self.give.setEnabled(True)
        self.give._tell()
        self.given.setText(
            view.status_words if done else "" if view.finished else tr("The job is not finished: the papers say so. Finish it on the Bench.")
        )  # fmt: skip
        self.given.setVisible(bool(self.given.text()))
        self.leaving.show_card(view, other)
        self.error.hide()

    def _row(self, at: int, c: ControlCell) -> tuple[LiveLine, Choice, LiveLine]:
        name = label("strong", control_words(c.id), True)
        set_tip(name, position_words(c.positions))
        does = LiveLine(tr("{name}: function", name=control_words(c.id)), tr("in plain words"))
        tried = Choice()
        tried.setAccessibleName(tr("{name}: tried", name=control_words(c.id)))
        for key, words in ((_UNTRIED, tr("not tried")), (_WORKS, tr("works")), (_BROKEN, tr("does not work"))):
            tried.addItem(words, key)
        note = LiveLine(tr("{name}: remark", name=control_words(c.id)), tr("what does not work"))
        name.setBuddy(does)
        does.kept.connect(lambda text, n=c.id: self.do.emit(lambda s: s.workshop.tell_control(n, text)))
        tried.activated.connect(lambda _, n=c.id: self._tried(n))
        note.kept.connect(lambda _, n=c.id: self._tried(n))
        for column, widget in enumerate((name, does, tried, note)):
            self._grid.addWidget(widget, at, column)
        return does, tried, note

    def _tried(self, name: str) -> None:
        _, tried, note = self.rows[name]
        how, words = str(tried.currentData()), note.text().strip()
        if how == _UNTRIED:
            return
        if how == _BROKEN and not words:
            note.setFocus()
            self.error.setText(tr("Describe what {name} does not do. It is printed on the handover page.", name=name))
            self.error.show()
            return
        self.do.emit(lambda s: s.workshop.test_control(name, how == _WORKS, words))

    def failed(self, words: str) -> bool:
        if self.give.pending:
            self.give.show_error(words)
            return True
        return super().failed(words)

    def show_card(self, view: CardView) -> None:
        super().show_card(view)
        self.give.taken()

    def first(self) -> QWidget:
        return next(iter(self.rows.values()))[1] if self.rows else self.add.fields["control"]
