"""Supply, currents and the voltage table: typed with Tab, judged at once, with what a low rail means and where to go next."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.lines import MarkIcon
from unitone.desktop.widgets.livefield import LiveLine
from unitone.desktop.widgets.painted import label, restyle
from unitone.job.shop import SUPPLY_PATHS
from unitone.job.verdicts import describe_verdict
from unitone.present.card.card_shapes import CardView, CurrentCell, VoltsCell
from unitone.words import tr


class _Row(QFrame):
    """One row of the table: where, what should stand there, the field, the verdict, and under it what it means."""

    def __init__(self, tab: RailsTab, cell: VoltsCell) -> None:
        super().__init__()
        self.id = cell.id
        grid = QGridLayout(self)
        grid.setContentsMargins(theme.px(8), theme.px(4), theme.px(8), theme.px(4))
        grid.setHorizontalSpacing(theme.px(10))
        grid.setVerticalSpacing(1)
        self.title, self.where = label("strong", cell.title, True), label("small", cell.where, True)
        self.mode, self.should = label("quiet", cell.mode), label("plain", "", True)
        self.field = LiveLine(tr("{title}, volts", title=cell.title), tr("volts"))
        self.field.setMaximumWidth(theme.px(120))
        self.field.kept.connect(lambda text: tab.read(self, text))
        self.take = QPushButton(tr("read"))
        self.take.setProperty("role", "link")
        self.take.setAccessibleName(tr("Let the bench read {title}", title=cell.title))
        # Tab goes from field to field.
        self.take.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        # The columns stand where they are whether a row can be read by the bench or not.
        policy = self.take.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.take.setSizePolicy(policy)
        self.take.clicked.connect(lambda: tab.measure(self))
        self.mark, self.verdict = MarkIcon(), label("plain", "")
        self.found = label("quiet", "")
        self.words, self.error = label("quiet", "", True), label("cure", "", True)
        grid.addWidget(self.title, 0, 0)
        grid.addWidget(self.where, 1, 0)
        for column, widget in enumerate((self.mode, self.should, self.field, self.take), 1):
            grid.addWidget(widget, 0, column, 2, 1)
        said = QHBoxLayout()
        said.setSpacing(theme.px(6))
        said.addWidget(self.mark)
        said.addWidget(self.verdict, 1)
        grid.addLayout(said, 0, 5)
        grid.addWidget(self.found, 1, 5)
        for column, share in enumerate((5, 2, 4, 2, 0, 3)):
            grid.setColumnStretch(column, share)
        grid.addWidget(self.words, 2, 0, 1, 6)
        grid.addWidget(self.error, 3, 0, 1, 6)
        self.error.hide()

    def show_cell(self, cell: VoltsCell, finished: bool) -> None:
        self.mode.setText(cell.mode)
        self.should.setText(cell.should)
        if cell.value != self.field.shown:
            self.error.hide()
        self.field.show_value(cell.value)
        self.field.setEnabled(not finished)
        self.take.setVisible(cell.measurable and not finished)
        self.mark.show_mark(cell.verdict)
        self.verdict.setText(describe_verdict(cell.verdict))
        self.found.setText(tr("found {v}", v=cell.found) if cell.found else "")
        self.words.setText(cell.words)
        self.words.setVisible(bool(cell.words))
        restyle(self, "coach" if cell.following else "well" if cell.words else "")

    def refuse(self, words: str) -> None:
        self.field.refused()
        self.error.setText(words)
        self.error.show()
        self.field.setFocus()


class RailsTab(CardTab):
    """The voltage table of the job's sheet, under the supply that feeds it."""

    def __init__(self) -> None:
        super().__init__(tr("Rails"))
        self.column.addWidget(self._supply())
        self.next = QFrame()
        self.next.setProperty("role", "coach")
        inside = QVBoxLayout(self.next)
        self.next_words = label("headline", "", True)
        self.next_words.setAccessibleName(tr("Where to measure next"))
        inside.addWidget(self.next_words)
        self.column.addWidget(self.next)
        frame, self._table = boxed()
        head = QHBoxLayout()
        head.addWidget(label("heading", tr("Voltages")))
        self.tally = label("quiet", "", True)
        head.addWidget(self.tally, 1)
        self._table.addLayout(head)
        self.column.addWidget(frame)
        frame, inside = boxed()
        inside.addWidget(label("heading", tr("Point under the probe")))
        self.point = EntryForm(
            (
                Ask("title", tr("Point"), "V3 anode", 3), Ask("where", tr("Where"), tr("pin 6, top of the chassis"), 3),
                Ask("volts", tr("Expected, if known"), "220 V", 2), Ask("measured", tr("Measured, V"), "198", 2),
            ),
            tr("Add and log"),
        )  # fmt: skip
        self.point.submitted.connect(self._add_point)
        inside.addWidget(self.point)
        self.column.addWidget(frame)
        self.forms.append(self.point)
        self.column.addStretch(1)
        self.rows: dict[str, _Row] = {}
        self._asked: QWidget | None = None

    def _supply(self) -> QWidget:
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Supply")))
        grid = QGridLayout()
        grid.setHorizontalSpacing(theme.px(12))
        grid.setVerticalSpacing(1)
        self.path = Choice()
        for key in SUPPLY_PATHS:
            self.path.addItem(tr(key), key)
        self.path.activated.connect(lambda _: self._set("path", str(self.path.currentData())))
        self.limit = LiveLine(tr("Current limit set, A"), "2")
        self.meter = LiveLine(tr("Meter used"), "10 Mohm")
        self.limit.kept.connect(lambda text: self._set("limit", text, self.limit))
        self.meter.kept.connect(lambda text: self._set("meter", text, self.meter))
        self.currents: dict[str, tuple[LiveLine, MarkIcon, QLabel]] = {}
        asks: list[tuple[str, QWidget]] = [
            (tr("Fed by"), self.path), (tr("Current limit set, A"), self.limit), (tr("Meter used"), self.meter),
        ]  # fmt: skip
        for way, words in (("receive", tr("Current at rest, mA")), ("transmit", tr("Current keyed, mA"))):
            field = LiveLine(words, "320")
            field.kept.connect(lambda text, w=way, f=field: self._current(w, text, f))
            self.currents[way] = (field, MarkIcon(), label("small", ""))
            asks.append((words, field))
        names: dict[QWidget, QWidget] = {}
        for n, (words, widget) in enumerate(asks):
            name = label("small", words, True)
            name.setBuddy(widget)
            widget.setAccessibleName(words)
            grid.addWidget(name, 0, n)
            grid.addWidget(widget, 1, n)
            grid.setColumnStretch(n, 1)
            names[widget] = name
        #: A receiver has no current keyed.
        self._current_cells: dict[str, tuple[QWidget, ...]] = {
            way: (field, mark, should, names[field]) for way, (field, mark, should) in self.currents.items()
        }
        for n, (_, mark, should) in enumerate(self.currents.values()):
            row = QHBoxLayout()
            row.setSpacing(theme.px(6))
            row.addWidget(mark)
            row.addWidget(should, 1)
            grid.addLayout(row, 2, 3 + n)
        layout.addLayout(grid)
        self.safety = label("caution", "", True)
        self.words = label("quiet", "", True)
        self.error = label("cure", "", True)
        self.error.hide()
        layout.addWidget(self.safety)
        layout.addWidget(self.words)
        layout.addWidget(self.error)
        return frame

    # -- telling -----------------------------------------------------------------------------------

    def _set(self, key: str, text: str, field: LiveLine | None = None) -> None:
        self._asked = field or self.path
        self.do.emit(lambda s: s.workshop.set_supply(**{key: text}))

    def _add_point(self, said: dict[str, str]) -> None:
        """A row of this radio's own table, and its first reading."""
        title, where, volts, measured = (said.get(k, "").strip() for k in ("title", "where", "volts", "measured"))

        def add(session) -> None:  # type: ignore[no-untyped-def]
            row = session.growing.add_voltage(title, where, volts)
            if measured:
                session.workshop.read_volts(row, measured)

        self.do.emit(add)

    def _current(self, way: str, text: str, field: LiveLine) -> None:
        self._asked = field
        self.do.emit(lambda s: s.workshop.read_current(way, text))

    def read(self, row: _Row, text: str) -> None:
        """A typed reading of a row."""
        if text:
            self._asked = row
            self.do.emit(lambda s: s.workshop.read_volts(row.id, text))

    def measure(self, row: _Row) -> None:
        """Let the bench read a row."""
        self._asked = row
        self.do.emit(lambda s: s.workshop.measure_volts(row.id))

    def failed(self, words: str) -> bool:
        asked, self._asked = self._asked, None
        if asked is None and self.point.pending:
            return super().failed(words)
        if isinstance(asked, _Row):
            asked.refuse(words)
            return True
        if asked is None:
            return False
        if isinstance(asked, LiveLine):
            asked.refused()
            asked.setFocus()
        self.error.setText(words)
        self.error.show()
        return True

    # -- showing ------------------------------------------------------------------------------------

    def fill(self, view: CardView, other: bool) -> None:
        if self._asked is not None:
            self._asked = None
            self.error.hide()
        self.path.setCurrentIndex(self.path.findData(view.path))
        self.limit.show_value(view.limit)
        self.meter.show_value(view.meter)
        for widget in (self.path, self.limit, self.meter):
            widget.setEnabled(not view.finished)
        for cell in view.currents:
            self._show_current(cell, view.finished)
        self.safety.setText(view.safety)
        self.safety.setVisible(bool(view.safety))
        ways = {c.way for c in view.currents}
        for way, widgets in self._current_cells.items():
            for widget in widgets:
                widget.setVisible(way in ways)
        self.words.setText(view.supply_words)
        self.words.setVisible(bool(view.supply_words))
        self.next_words.setText(view.next_words)
        self.next.setVisible(bool(view.next_words))
        self.tally.setText(view.rails_words)
        if list(self.rows) != [c.id for c in view.volts] or other:
            for old in self.rows.values():
                self._table.removeWidget(old)
                old.hide()
                old.deleteLater()
            self.rows = {c.id: _Row(self, c) for c in view.volts}
            for row in self.rows.values():
                self._table.addWidget(row)
        for cell in view.volts:
            self.rows[cell.id].show_cell(cell, view.finished)

    def _show_current(self, cell: CurrentCell, finished: bool) -> None:
        field, mark, should = self.currents[cell.way]
        field.show_value(cell.value)
        field.setEnabled(not finished)
        mark.show_mark(cell.verdict)
        should.setText(cell.should)

    def first(self) -> QWidget:
        empty = next((r for r in self.rows.values() if not r.field.text()), None)
        return empty.field if empty is not None else self.path
