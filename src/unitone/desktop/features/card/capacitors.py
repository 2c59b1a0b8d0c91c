"""Capacitors as marked and measured, each judged, and what the sample as a whole says."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import label, restyle
from unitone.present.card.card_shapes import CardView
from unitone.radio.parts import TOLERANCE
from unitone.words import tr


class CapacitorsTab(CardTab):
    """One row to type, a list that is judged."""

    def __init__(self) -> None:
        super().__init__(tr("Capacitors"))
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Measure a capacitor")))
        layout.addWidget(
            label("caution", tr("Stored charge: discharge it through a resistor first. Valve sets: unplugged, bled, measured, by qualified "
                                "people."), True)
        )  # fmt: skip
        self.form = EntryForm(
            (
                Ask("part", tr("Which"), "C41", 1, needed=True),
                Ask("dielectric", tr("Type"), share=2, choices=tuple((d, tr(d)) for d in TOLERANCE)),
                Ask("marked", tr("Marked"), "100 uF", 1, needed=True), Ask("measured", tr("Measured"), "62 uF", 1, needed=True),
                Ask("esr", tr("ESR"), "0.4 ohm", 1, wide=True),
                Ask("at", tr("ESR at"), share=1, choices=(("100000", tr("100 kHz")), ("100", tr("100 Hz")))),
            ),
            tr("Judge  ↵"),
        )  # fmt: skip
        self.form.submitted.connect(self._measured)
        self.forms.append(self.form)
        layout.addWidget(self.form)
        self.column.addWidget(frame)
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Sample")))
        self.words = label("plain", "", True)
        layout.addWidget(self.words)
        self.list = Lines(tr("Capacitors measured"))
        layout.addWidget(self.list)
        self.column.addWidget(frame)
        self.column.addStretch(1)

    def _measured(self, said: dict[str, str]) -> None:
        self.do.emit(
            lambda s: s.workshop.measure_capacitor(
                said["part"], said["dielectric"], said["marked"], said["measured"], said["esr"], float(said["at"])
            )
        )

    def fill(self, view: CardView, other: bool) -> None:
        self.form.offer("part", view.names)
        self.words.setText(view.capacitors_words)
        restyle(self.words, "headline" if view.recap else "plain")
        self.list.show_lines(
            [
                Line(
                    "out_of_spec" if c.replace else "in_spec",
                    " · ".join(x for x in (c.part, tr(c.dielectric), tr("marked {v}", v=c.marked), tr("measured {v}", v=c.measured),
                                           tr("ESR {v}", v=c.esr) if c.esr else "") if x),
                    c.words,
                )
                for c in view.capacitors
            ]
        )  # fmt: skip

    def first(self) -> QWidget:
        return self.form.fields["part"]
