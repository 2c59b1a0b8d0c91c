"""Bands: what works on which band and what is dead, where somebody left off, and what the dial covers between its stops."""

from __future__ import annotations

from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from unitone.desktop.features.card._band_table import BandTable
from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import label
from unitone.job.shop import SECTION_LOOKS
from unitone.present.card.bands_view import BandCell
from unitone.present.card.card_shapes import CardView
from unitone.words import tr

#: Room for the bar under a table that is wider than the page.
_BAR = 16


class BandsTab(CardTab):
    """A table, the place that is chosen in it with all that was found there, and the stops of the dial."""

    def __init__(self) -> None:
        super().__init__(tr("Bands"))
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Bands by sections")))
        self.where, self.tally = label("plain", "", True), label("quiet", "", True)
        layout.addWidget(self.where)
        layout.addWidget(self.tally)
        self.table = BandTable()
        self.table.chosen.connect(lambda *_: self._show_place())
        self.table.opened.connect(self._fill_in)
        self._holder = QScrollArea()
        self._holder.setWidgetResizable(True)
        self._holder.setWidget(self.table)
        layout.addWidget(self._holder)
        self.column.addWidget(frame)
        frame, layout = boxed()
        self.place = label("heading", "", True)
        layout.addWidget(self.place)
        self.finding = EntryForm(
            (
                Ask("look", tr("State"), share=1, choices=tuple((x, tr(x)) for x in SECTION_LOOKS)),
                Ask("words", tr("Finding"), tr("no oscillation above 9 MHz"), 3, wide=True),
                Ask("following", tr("Next idea"), tr("swap the coil’s padder"), 3),
            ),
            tr("Log finding  ↵"),
        )
        self.finding.submitted.connect(self._found)
        layout.addWidget(self.finding)
        self.history = Lines(tr("Findings here"), stacked=True)
        layout.addWidget(self.history)
        layout.addWidget(label("heading", tr("Not in the table")))
        self.other = EntryForm(
            (
                Ask("band", tr("Band (empty: all)"), "SW3", 2), Ask("section", tr("Section"), tr("beat oscillator"), 2, needed=True),
                Ask("look", tr("State"), share=1, choices=tuple((x, tr(x)) for x in SECTION_LOOKS)),
                Ask("words", tr("Finding"), "", 3, wide=True), Ask("following", tr("Next idea"), "", 3),
            ),
            tr("Log finding"),
        )  # fmt: skip
        self.other.submitted.connect(
            lambda d: self.do.emit(
                lambda s: s.workshop.find_section(d["band"], d["section"], d["look"], d["words"], d["following"])
            )
        )
        layout.addWidget(self.other)
        left = QVBoxLayout()
        left.addWidget(frame)
        left.addStretch(1)
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Dial stops")))
        layout.addWidget(
            label("quiet", tr("Turn the dial from stop to stop. Couple the counter loosely: a few pF or a loop."), True)
        )
        self.stops = EntryForm(
            (
                Ask("band", tr("Band"), tr("MW"), 1, needed=True),
                Ask("counted", tr("Counted"), share=1, choices=(("oscillator", tr("oscillator")), ("signal", tr("dial reading")))),
                Ask("low", tr("At the low stop"), "975 kHz", 1, needed=True, wide=True),
                Ask("high", tr("At the high stop"), "2.065 MHz", 1, needed=True),
            ),
            tr("Log stops"),
        )  # fmt: skip
        self.stops.submitted.connect(
            lambda d: self.do.emit(lambda s: s.workshop.count_stops(d["band"], d["low"], d["high"], d["counted"]))
        )
        layout.addWidget(self.stops)
        self.stops_list, self.dial_list = Lines(tr("Dial stops"), stacked=True), Lines(tr("Dial error"))
        layout.addWidget(self.stops_list)
        layout.addWidget(self.dial_list)
        right = QVBoxLayout()
        right.addWidget(frame)
        right.addStretch(1)
        self.sides.addLayout(left, 3)
        self.sides.addLayout(right, 2)
        self.column.addLayout(self.sides)
        self.column.addStretch(1)
        self.forms += [self.finding, self.other, self.stops]

    def fill(self, view: CardView, other: bool) -> None:
        bands = view.bands
        if other:
            self.table.at = (0, 0)
        self.where.setText(tr("Where you were: {words}", words=bands.where_words) if bands.where_words else "")
        self.where.setVisible(bool(bands.where_words))
        self.tally.setText(bands.tally)
        self.table.show_bands(bands)
        self._holder.setFixedHeight(self.table.sizeHint().height() + theme.px(_BAR))
        self.stops.offer("band", [b for b, _ in bands.bands if b])
        self.stops_list.show_lines(
            [Line(r.mark, f"{r.band}: {r.counted}", " · ".join(x for x in (r.wanted and tr("should be {range}", range=r.wanted), r.words) if x))
             for r in bands.stops],
            tr("No stops counted yet."),
        )  # fmt: skip
        self.dial_list.show_lines(
            [Line(mark, tr("{band}: dial off by {words}", band=band, words=words)) for band, words, mark in bands.dial]
        )
        self._show_place()

    def _show_place(self) -> None:
        cell, view = self.table.cell, self.view
        if cell is None or view is None:
            return
        self.place.setText(self._name(cell))
        self.history.show_lines(
            [
                Line(cell.mark if n == 0 else "todo", f"{look}: {words}" if words else look, when)
                for n, (when, look, words) in enumerate(cell.history)
            ],
            tr("Nothing found here yet."),
        )

    def _name(self, cell: BandCell) -> str:
        assert self.view is not None
        band = dict(self.view.bands.bands)[cell.band]
        return f"{band} · {dict(self.view.bands.sections)[cell.section]}"

    def _fill_in(self) -> None:
        field = self.finding.fields["look"]
        if isinstance(field, Choice):
            field.setFocus()

    def _found(self, d: dict[str, str]) -> None:
        cell = self.table.cell
        if cell is not None:
            band, section = cell.band, cell.section
            self.do.emit(lambda s: s.workshop.find_section(band, section, d["look"], d["words"], d["following"]))

    def first(self) -> QWidget:
        return self.table
