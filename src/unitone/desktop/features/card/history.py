"""What the logbook knows besides: earlier jobs on this radio, and what the last ones of its model had in common."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.features.jobs.cards import describe_state
from unitone.desktop.widgets.lines import CountedList, Line, Lines
from unitone.desktop.widgets.painted import label
from unitone.present.card.card_shapes import CardView
from unitone.present.card.earlier_jobs import History
from unitone.store.rows import JobRow
from unitone.words import day, tr


class HistoryTab(CardTab):
    """Computed from the tapes; nothing here is typed."""

    opened = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__(tr("History"))
        frame, layout = boxed()
        self.head = label("heading", "")
        layout.addWidget(self.head)
        self.recurs = CountedList()
        layout.addWidget(self.recurs)
        self.column.addWidget(frame)
        for name, title in (("model", tr("The last of this model")), ("serial", tr("This radio, earlier"))):
            frame, layout = boxed()
            layout.addWidget(label("heading", title))
            lines = Lines(title, lambda key, _: self.opened.emit(key))
            setattr(self, name, lines)
            layout.addWidget(lines)
            self.column.addWidget(frame)
        self.column.addStretch(1)
        self.model: Lines
        self.serial: Lines

    def fill(self, view: CardView, other: bool) -> None:
        del view, other

    def look(self) -> None:
        """What is shown until something is found."""
        self.head.setText(tr("Looking through the logbook…"))

    def show_history(self, found: History) -> None:
        """What was found."""
        self.head.setText(
            tr("Common to the last {n} of this model", n=found.of) if found.of else tr("First of this model here")
        )  # fmt: skip
        self.recurs.show_counted(
            found.recurring, found.of, tr("No finding came up twice.") if found.of > 1 else "", most=12
        )
        self.model.show_lines([_line(r) for r in found.model], tr("No earlier job."))
        self.serial.show_lines([_line(r) for r in found.serial], tr("This serial number is new here."))

    def first(self) -> QWidget:
        return self


def _line(row: JobRow) -> Line:
    mark, words = describe_state(row)
    facts = row.summary.get("facts", [])
    told = ", ".join(facts[:6]) or tr("found in spec")
    return Line(mark, f"{row.number:04d} · {day(row.updated)} · {words}", told, row.id, (tr("open"),))
