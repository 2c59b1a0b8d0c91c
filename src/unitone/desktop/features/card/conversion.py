"""Conversion: which channels are wanted and the ways to them, recipes for modifications, the record of what was changed, the band switch."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QApplication, QFileDialog, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from unitone.conversions.convert import Conversion, convert
from unitone.desktop.features.card._channel_table import ChannelTable
from unitone.desktop.features.card._modifications import ModificationsPage
from unitone.desktop.features.card._recipes import RecipesPage
from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import label
from unitone.errors import UnitoneError
from unitone.files import write_file
from unitone.present.card.card_shapes import CardView
from unitone.present.card.conversion_view import ConversionView, conversion_view
from unitone.present.card.switch_view import switch_view
from unitone.report.head import Head
from unitone.report.pin_table import render_pin_table
from unitone.store.logbook import utc_now
from unitone.words import tr

#: So much of a long table is seen at once.
_TABLE_HIGH = 330


class ConversionTab(CardTab):
    """Worked out off the window's thread, with the VCO as it was read on this radio."""

    def __init__(self, read: Callable[[str], bytes], head: Callable[[], Head]) -> None:
        super().__init__(tr("Conversion"))
        self.chips = ChipRow(
            tr("Conversion"),
            (("channels", tr("Wanted channels")), ("recipes", tr("Recipes")), ("modifications", tr("Modifications")), ("switch", tr("Band switch"))),
            self.show_part,
        )  # fmt: skip
        self.column.addWidget(self.chips)
        self._working, self._saving = Errand("conversion", self), Errand("save", self, every=True)
        self._head = head
        self._found: Conversion | None = None
        self.shown: ConversionView | None = None
        self._asked = ""
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Wanted channels")))
        self.about = label("quiet", "", True)
        layout.addWidget(self.about)
        self.want = EntryForm(
            (Ask("want", tr("Channels"), "26.515..27.855 step 0.01; alphas; -5 kHz; 27.205", 4, needed=True),), tr("Work out  ↵")
        )  # fmt: skip
        self.want.submitted.connect(self._work_out)
        layout.addWidget(self.want)
        self.busy = label("quiet", "", True)
        self.busy.hide()
        layout.addWidget(self.busy)
        wanted = QWidget()
        column = QVBoxLayout(wanted)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(12))
        column.addWidget(frame)
        self.result = QWidget()
        inside = QVBoxLayout(self.result)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(theme.px(12))
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Ways, best first")))
        self.ways = Lines(tr("Ways, best first"), lambda key, _: self.choose(int(key)), stacked=True)
        layout.addWidget(self.ways)
        inside.addWidget(frame)
        frame, layout = boxed()
        self.head = label("heading", "", True)
        layout.addWidget(self.head)
        self.crystals, self.mind = Lines(tr("Crystals")), Lines(tr("What to mind"))
        self.volts = label("plain", "", True)
        layout.addWidget(self.crystals)
        layout.addWidget(self.volts)
        layout.addWidget(self.mind)
        self.table = ChannelTable()
        self._holder = QScrollArea()
        self._holder.setWidgetResizable(True)
        self._holder.setWidget(self.table)
        layout.addWidget(self._holder)
        row = QHBoxLayout()
        self.copy, self.keep = QPushButton(tr("Copy table")), QPushButton(tr("Keep in the log"))
        self.copy.clicked.connect(self._copy)
        self.keep.clicked.connect(self._keep)
        self.kept = label("quiet", "", True)
        self.print = QPushButton(tr("Save PDF…"))
        self.print.clicked.connect(self._ask_print)
        row.addWidget(self.copy)
        row.addWidget(self.print)
        row.addWidget(self.keep)
        row.addWidget(self.kept, 1)
        layout.addLayout(row)
        inside.addWidget(frame)
        self.result.hide()
        column.addWidget(self.result)
        self.recipes = RecipesPage(self.do.emit, read)
        self.modifications = ModificationsPage(self.do.emit, read)
        self.change = self.modifications.form
        self.forms.append(self.change)
        self.parts: dict[str, QWidget] = {
            "channels": wanted, "recipes": self.recipes, "modifications": self.modifications, "switch": self._switch_box(),
        }  # fmt: skip
        for part in self.parts.values():
            self.column.addWidget(part)
        self.column.addStretch(1)
        self.show_part("channels")

    def show_part(self, name: str) -> None:
        """Turn to one of the four."""
        self.chips.mark(name)
        for key, part in self.parts.items():
            part.setVisible(key == name)
        if name == "recipes":
            self.recipes.look()
        self.first().setFocus()

    def _switch_box(self) -> QWidget:
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Band switch")))
        layout.addWidget(
            label("quiet", tr("Measure every wire in every position. Then say in which positions each new line has to be live."), True)
        )  # fmt: skip
        self.switch = EntryForm(
            (
                Ask("wires", tr("Wires, volts by position"), "brown: 8 0 0 0; red: 0 8 0 0; yellow: 0 0 0 8", 4, needed=True),
                Ask("needs", tr("New lines"), tr("band D crystal = 4; module line 2 = 2 4"), 4, wide=True),
                Ask("diode", tr("Diodes"), share=2, choices=(("silicon", tr("silicon")), ("schottky", tr("Schottky"))), wide=True),
                Ask("volts", tr("Module, volts"), "5 V", 1), Ask("amps", tr("Module, current"), "20 mA", 1),
            ),
            tr("Work out  ↵"),
        )  # fmt: skip
        self.switch.submitted.connect(self._switched)
        layout.addWidget(self.switch)
        self.takes = label("strong", "", True)
        self.takes.hide()
        self.wires, self.lines = Lines(tr("Wires of the switch")), Lines(tr("New lines"))
        layout.addWidget(self.wires)
        layout.addWidget(self.takes)
        layout.addWidget(self.lines)
        return frame

    def _switched(self, d: dict[str, str]) -> None:
        try:
            found = switch_view(d["wires"], d["needs"], d["diode"], d["volts"], d["amps"])
        except UnitoneError as error:
            self.switch.show_error(str(error))
            return
        # What was typed stays: a switch is measured wire by wire.
        self.switch.pending = False
        self.switch.error.hide()
        self.wires.show_lines([Line(mark, words) for mark, words in found.wires])
        self.takes.setText(found.takes)
        self.takes.setVisible(bool(found.takes))
        self.lines.show_lines([Line(mark, words) for mark, words in found.lines])

    def fill(self, view: CardView, other: bool) -> None:
        known = view.synthesiser is not None
        self.want.setEnabled(known)
        self.want._tell()
        self.keep.setEnabled(not view.finished)
        self.modifications.show_card(view, other)
        self.recipes.show_card(view, other)
        n = len(view.modified)
        self.chips.rename("modifications", tr("Modifications") + (f" ({n})" if n else ""))
        if other and self.parts["recipes"].isVisible():
            self.recipes.look()
        self.about.setText(
            tr("Frequencies in MHz; several with semicolons. The VCO is taken as it was read in this job, else as the sheet tells it.")
            if known
            else tr("This sheet does not describe its synthesiser. Add its pins and weights to the sheet, [[pll]].")
        )  # fmt: skip
        if other:
            self._found, self.shown = None, None
            self.result.hide()
            self.busy.hide()

    def _work_out(self, d: dict[str, str]) -> None:
        if self.view is None or self.view.synthesiser is None:
            return
        sheet, law, share = self.view.synthesiser
        self._asked = want = d["want"]
        self.busy.setText(tr("Working it out…"))
        self.busy.show()
        self._working.run(lambda: convert(sheet, want, law, share), self._worked_out, self._refused)

    def _refused(self, words: str) -> None:
        self.busy.hide()
        self.want.show_error(words)

    def _worked_out(self, found: Conversion) -> None:
        self.busy.hide()
        self.want.taken()
        self.want.set_text("want", self._asked)
        self._found = found
        self.result.show()
        self.choose(0)

    def choose(self, at: int) -> None:
        """Show this way in full."""
        if self._found is None:
            return
        self.shown = view = conversion_view(self._found, at)
        self.kept.setText("")
        self.ways.show_lines(
            [
                Line(w.mark, w.title + (" ◂" if n == at else ""), w.takes, str(n), () if n == at else (tr("Show"),))
                for n, w in enumerate(view.ways)
            ]
        )
        self.head.setText(view.ways[at].title)
        self.crystals.show_lines([Line("now", c) for c in view.crystals])
        self.volts.setText(tr("VCO tuning voltage: {list}", list=" · ".join(view.corners)) if view.corners else "")
        self.mind.show_lines([Line("recheck", w) for w in view.warnings])
        self.table.show_conversion(view)
        self._holder.setFixedHeight(min(self.table.sizeHint().height() + theme.px(16), theme.px(_TABLE_HIGH)))

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None and self.shown is not None:
            clipboard.setText(self.shown.as_table)
            self.kept.setText(tr("Copied: paste it into a spreadsheet."))

    def _ask_print(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Save this table"), "conversion.pdf", tr("PDF (*.pdf)"))
        if name:
            self.save_pdf(Path(name))

    def save_pdf(self, path: Path) -> None:
        """Write the way that is shown, and its channels, as a page to print; what goes wrong is told."""
        view, card = self.shown, self.view
        if view is None or card is None:
            return
        notes = (*view.crystals, *view.corners, *view.warnings)
        rows = [c.cells for c in view.channels]
        title, way = card.title, f"{view.ways[view.at].title} · {view.ways[view.at].takes}"
        utc, head = utc_now(), self._head()
        self._saving.run(
            lambda: write_file(path, render_pin_table(title, way, notes, view.columns, rows, utc, head)),
            lambda _: self.kept.setText(tr("Saved: {name}", name=path.name)),
            self.kept.setText,
        )

    def _keep(self) -> None:
        if self.shown is not None:
            words = tr("Conversion asked: {want}. {plan}", want=self._asked, plan=self.shown.as_note)
            self.do.emit(lambda s: s.note(words))
            self.kept.setText(tr("Kept with the notes of this job."))

    def show_card(self, view: CardView) -> None:
        self.modifications.taken()
        super().show_card(view)

    def failed(self, words: str) -> bool:
        return super().failed(words) or self.recipes.failed(words)

    def first(self) -> QWidget:
        shown = next((k for k, part in self.parts.items() if not part.isHidden()), "channels")
        return {
            "channels": self.want.fields["want"], "recipes": self.recipes.list, "modifications": self.change.fields["what"],
            "switch": self.switch.fields["wires"],
        }[shown]  # fmt: skip
