"""Instruments by wire: which card at which address, whether it answers, and a card tried line by line."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QVBoxLayout

from unitone.bench.wire.instrument_card import InstrumentCard
from unitone.bench.wire.link import VisaLink
from unitone.bench.wire.wizard import TriedLine, try_card
from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import label
from unitone.errors import UnitoneError
from unitone.session.wires import WireState, cards_of, keep_wires, kept_wires
from unitone.store.logbook import Logbook
from unitone.words import tr


class WiresBox(QFrame):
    """Kept as it is chosen. ``changed`` when the Bench is to be wired anew."""

    changed = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self._logbook = logbook
        self._trying = Errand("card", self)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        layout.setSpacing(theme.px(8))
        layout.addWidget(label("heading", tr("Instruments by wire")))
        layout.addWidget(
            label("quiet", tr("The Bench sets a generator by wire; RF off is confirmed before you key. Meters by wire are read, not typed."), True)
        )  # fmt: skip
        self._cards = {f.made.id: f.made for f in cards_of(logbook) if f.made is not None}
        broken = [f for f in cards_of(logbook) if f.made is None]
        self.form = EntryForm(
            (
                Ask("card", tr("Card"), share=3, choices=tuple((k, tr(c.name)) for k, c in self._cards.items())),
                Ask("address", tr("Connection"), "192.168.1.20:5025", 3, needed=True, wide=True),
            ),
            tr("Connect"),
        )  # fmt: skip
        self.form.submitted.connect(self._add)
        layout.addWidget(self.form)
        self.list = Lines(tr("Instruments by wire"), self._pressed, stacked=True)
        layout.addWidget(self.list)
        self.trial_head = label("strong", "", True)
        self.trial_head.hide()
        self.trial = Lines(tr("Trial, line by line"), stacked=True)
        layout.addWidget(self.trial_head)
        layout.addWidget(self.trial)
        self.broken = label("cure", "\n".join(p for f in broken for p in f.problems), True)
        self.broken.setVisible(bool(broken))
        layout.addWidget(self.broken)
        self._states: tuple[WireState, ...] = ()
        self.show_states(())

    def show_states(self, states: tuple[WireState, ...]) -> None:
        """Which of them answer; what is not connected yet is shown as chosen."""
        self._states = states
        told = {(s.card, s.address): s for s in states}
        lines = []
        for n, (card, address) in enumerate(kept_wires(self._logbook)):
            s = told.get((card, address))
            name = tr(self._cards[card].name) if card in self._cards else card
            mark = "todo" if s is None else "in_spec" if s.there else "out_of_spec"
            words = tr("not connected yet") if s is None else s.words
            lines.append(Line(mark, f"{name}, {address}", words, str(n), (tr("Try"), tr("Remove"))))
        self.list.show_lines(lines, tr("None: every reading is typed, or read by the sound card."))

    def _add(self, d: dict[str, str]) -> None:
        try:
            keep_wires(self._logbook, [*kept_wires(self._logbook), (d["card"], d["address"].strip())])
        except UnitoneError as error:
            self.form.show_error(str(error))
            return
        self.form.taken()
        self.show_states(self._states)
        self.changed.emit()

    def _pressed(self, key: str, button: int) -> None:
        rows = kept_wires(self._logbook)
        if int(key) >= len(rows):
            return
        card, address = rows[int(key)]
        if button == 1:
            keep_wires(self._logbook, [r for n, r in enumerate(rows) if n != int(key)])
            self.trial_head.hide()
            self.trial.show_lines([])
            self.show_states(self._states)
            self.changed.emit()
        elif card in self._cards:
            self.try_out(self._cards[card], address)

    def try_out(self, card: InstrumentCard, address: str) -> None:
        """Talk to it line by line, off the window's thread."""
        self.trial_head.setText(tr("Trying {name} at {address}…", name=tr(card.name), address=address))
        self.trial_head.show()
        self.trial.show_lines([])

        def run() -> list[TriedLine]:
            link = VisaLink(address, card)
            try:
                return list(try_card(card, link))
            finally:
                link.close()

        self._trying.run(run, lambda found: self._tried(card, found), self._refused)

    def _tried(self, card: InstrumentCard, found: list[TriedLine]) -> None:
        wrong = sum(not x.right for x in found)
        self.trial_head.setText(
            tr("{name}: all lines right", name=tr(card.name))
            if not wrong
            else tr("{name}: {n} lines wrong", name=tr(card.name), n=wrong)
        )
        self.trial.show_lines(
            [Line("in_spec" if x.right else "out_of_spec", f"{x.sent} → {x.answered or '—'}", x.means) for x in found]
        )

    def _refused(self, words: str) -> None:
        self.trial_head.setText(words)
