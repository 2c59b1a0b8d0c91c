"""What would this change do: a modification tried on a sheet's model, every band's frequencies and volts before anything is soldered."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QFrame, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from unitone.align.frequency.counts import mixing_sheets
from unitone.calculators.whatif import (
    KINDS,
    Tried,
    added_band,
    describe_row,
    merged,
    other_crystal,
    other_divider,
    table,
    volts_typed,
)
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import Card, label
from unitone.errors import UnitoneError
from unitone.quantities.entry import parse_si
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import Library
from unitone.sheet.model.sheet import Sheet
from unitone.words import figure, tr


class TryCard(Card):
    """A sheet, a change, and what comes of it on every band and mode; nothing is written anywhere."""

    def __init__(self, library: Callable[[], Library]) -> None:
        super().__init__(tr("What would this change do?"))
        self._library = library
        self.sheet: Sheet | None = None
        self._filling = False
        layout = self.column
        layout.addWidget(
            label(
                "caution",
                tr("An added band is often illegal to use: your licence decides. Mark a conversion on the papers."),
                True,
            )
        )
        self._grid = QGridLayout()
        self._grid.setVerticalSpacing(theme.px(4))
        self._grid.setColumnStretch(1, 1)
        self._grid.setColumnMinimumWidth(0, theme.px(110))
        layout.addLayout(self._grid)
        self.fields: dict[str, Choice | QLineEdit] = {}
        self._names: dict[str, QWidget] = {}
        for key, words, hint in (
            ("sheet", tr("Sheet"), ""), ("kind", tr("Change"), ""), ("oscillator", tr("Oscillator"), ""),
            ("output", tr("Line and term"), ""), ("hz", tr("New frequency"), "18.375 MHz"), ("term", tr("New multiplier"), "N/20480"),
            ("band", tr("New band's name"), "F"), ("shift", tr("Shift from the plan"), "1350 kHz"),
            ("like", tr("Based on band"), ""), ("crystal", tr("Crystal (empty: calculated)"), "19.050 MHz"),
            ("volts", tr("VCO tuning voltage now"), "A 1 1.99; C 20 2.97; E 40 4.76"),
            ("least", tr("Tuning voltage from"), "1 V"), ("most", tr("Tuning voltage to"), "5 V"),
        ):  # fmt: skip
            self._add(key, words, hint)
        self.result = QFrame()
        self.result.setProperty("role", "coach")
        inside = QVBoxLayout(self.result)
        self.headline, self.order = label("headline", "", True), label("plain", "", True)
        self.headline.setAccessibleName(tr("Change to try"))
        inside.addWidget(self.headline)
        inside.addWidget(self.order)
        layout.addWidget(self.result)
        self.missing = label("quiet", "", True)
        layout.addWidget(self.missing)
        self.rows = Lines(tr("Effect"))
        layout.addWidget(self.rows)
        layout.addWidget(
            label(
                "quiet",
                tr(
                    "From the sheet's mixing lines. Voltages by 1/f² = a + b·(1 + V/φ)^−γ, fitted to three or more readings."
                ),
                True,
            )
        )
        layout.addStretch(1)
        self._fill_sheets()

    def _add(self, key: str, words: str, hint: str) -> None:
        field: Choice | QLineEdit
        if hint:
            field = QLineEdit()
            field.setPlaceholderText(hint)
            field.setMaxLength(300)
            field.textChanged.connect(lambda _: self.work())
        else:
            field = Choice()
            field.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            field.setMinimumContentsLength(5)
            field.activated.connect(lambda _, k=key: self._chosen(k))
        name = label("small", words, True)
        name.setBuddy(field)
        field.setAccessibleName(words)
        row = len(self.fields)
        self._grid.addWidget(name, row, 0)
        self._grid.addWidget(field, row, 1)
        self.fields[key], self._names[key] = field, name

    def box(self, key: str) -> Choice:
        """A pull-down of the card."""
        found = self.fields[key]
        assert isinstance(found, Choice)
        return found

    def text(self, key: str) -> str:
        """What is typed in a field of the card."""
        found = self.fields[key]
        assert isinstance(found, QLineEdit)
        return found.text().strip()

    def _fill_sheets(self) -> None:
        for kind, english in KINDS:
            words = tr(english)
            self.box("kind").addItem(words, kind)
        for sheet, path in mixing_sheets(self._library()):
            if any(m.output == "tx.carrier" for m in sheet.mixing):
                self.box("sheet").addItem(sheet.title, path)
        self._chosen("sheet")

    def _chosen(self, key: str) -> None:
        if key == "sheet":
            path = self.box("sheet").currentData()
            self.sheet = None if path is None else read_sheet(self._library().find(str(path)))
            self._take_sheet()
        self._show_fields()
        self.work()

    def _take_sheet(self) -> None:
        self._filling = True
        for key in ("oscillator", "output", "like"):
            self.box(key).clear()
        if self.sheet is not None:
            for o in self.sheet.oscillators:
                self.box("oscillator").addItem(figure(f"{o.id}, {o.nominal_hz / 1e6:.6f} MHz"), o.id)
            for output, name, times in dict.fromkeys((m.output, n, t) for m in self.sheet.mixing for n, t in m.terms):
                self.box("output").addItem(f"{output}: {name} × {times}", (output, name))
            for name, _ in self.sheet.plan.bands:
                self.box("like").addItem(name, name)
            limits = [s.limit for s in self.sheet.steps if s.quantity_id == "vco.tuning_voltage"]
            low = min((x.low for x in limits if x.low is not None), default=None)
            high = max((x.high for x in limits if x.high is not None), default=None)
            for key, end in (("least", low), ("most", high)):
                field = self.fields[key]
                assert isinstance(field, QLineEdit)
                field.setText("" if end is None else f"{end:g} V")
        self._filling = False

    @property
    def kind(self) -> str:
        """Which change is tried."""
        return str(self.box("kind").currentData())

    def _show_fields(self) -> None:
        shown = {
            "crystal": {"oscillator", "hz"},
            "band": {"band", "shift", "like", "crystal"},
            "divider": {"output", "term"},
        }[self.kind]
        if self.sheet is not None and not self.sheet.plan.bands:
            shown = shown - {"like"}
        has_vco = self.sheet is not None and any(s.quantity_id == "vco.tuning_voltage" for s in self.sheet.steps)
        always = {"sheet", "kind"} | ({"volts", "least", "most"} if has_vco else set())
        for key, field in self.fields.items():
            for part in (field, self._names[key]):
                part.setVisible(key in shown | always)

    def work(self) -> None:
        """Try it; what is missing, or cannot be, in words."""
        if self._filling:
            return
        tried: Tried | None = None
        try:
            if self.sheet is None:
                self.missing.setText(
                    tr("No sheet here has oscillators and mixing lines. Add [[oscillator]] and [[mixing]].")
                )
            else:
                tried = self._tried(self.sheet)
                law = volts_typed(self.sheet, self.text("volts"))
                window = parse_si(self.text("least") or "1 V", "V"), parse_si(self.text("most") or "5 V", "V")
                lines = [Line(*describe_row(r)) for r in merged(table(self.sheet, tried.sheet, law, window))]
                self.rows.show_lines(lines)
                asked = self.fields["volts"].isVisibleTo(self)
                more = tr("With the VCO tuning voltage of three channels, the lock of every band is shown too.")
                self.missing.setText(more if asked and law is None else "")
        except UnitoneError as error:
            tried = None
            self.missing.setText(str(error).removeprefix(f"{self.sheet.id if self.sheet else ''}: "))
        if tried is None:
            self.rows.show_lines([])
        else:
            self.headline.setText(tried.words)
            self.order.setText(
                ""
                if tried.order_hz is None
                else tr("The crystal to order: {mhz} MHz.", mhz=f"{tried.order_hz / 1e6:.6f}")
            )
            self.order.setVisible(bool(self.order.text()))
        self.result.setVisible(tried is not None)
        self.missing.setVisible(bool(self.missing.text()))

    def _tried(self, sheet: Sheet) -> Tried:
        if self.kind == "crystal":
            hz = (
                self.text("hz")
                or f"{next(o.nominal_hz for o in sheet.oscillators if o.id == self.box('oscillator').currentData())} Hz"
            )
            return other_crystal(sheet, str(self.box("oscillator").currentData()), parse_si(hz, "Hz"))
        if self.kind == "divider":
            output, name = self.box("output").currentData()
            was = next(t for m in sheet.mixing if m.output == output for n, t in m.terms if n == name)
            return other_divider(sheet, output, name, self.text("term") or was)
        shift = parse_si(self.text("shift") or self.fields["shift"].placeholderText(), "Hz")  # type: ignore[union-attr]
        crystal = self.text("crystal")
        return added_band(
            sheet, self.text("band") or "F", round(shift), str(self.box("like").currentData() or ""), parse_si(crystal, "Hz") if crystal else None
        )  # fmt: skip

    def first(self) -> QWidget:
        """Where typing begins."""
        return self.fields["hz"] if self.kind == "crystal" else self.box("kind")
