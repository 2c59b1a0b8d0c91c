"""The first page of a new workshop: what is repaired, what stands on the bench, which language; then the first radio."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import Flow
from unitone.desktop.widgets.painted import Card, Message, label, scrolled
from unitone.errors import UnitoneError
from unitone.session.first_evening import (
    ON_BENCH,
    REPAIRED,
    conventions_for,
    end_first_evening,
    on_bench,
    repaired,
    set_on_bench,
    set_repaired,
)
from unitone.store.logbook import Logbook
from unitone.words import LANGUAGES, N_, language, tr

#: What a bench does without, in words: a question of the conventions and its choice.
_WITHOUT: dict[tuple[str, str], str] = {
    ("source", "station"): N_("A weak, steady station off air feeds the receiver."),
    ("reading", "af"): N_("Cores are peaked by the AF voltmeter."),
    ("reading", "ear"): N_("Cores are peaked by ear: louder, softer, same."),
    ("carrier", "clarifier"): N_("SSB carriers are set by a second radio."),
    ("modulation", "voice"): N_("Modulation is set by voice."),
}


class WelcomePage(QWidget):
    """Everything is kept as it is ticked; two ways lead on."""

    #: A real radio is on the bench; a simulated one is wanted; or neither now.
    radio_wanted = pyqtSignal()
    practice_wanted = pyqtSignal()
    left = pyqtSignal()
    language_chosen = pyqtSignal(str)

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Welcome"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._logbook = logbook
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(28), theme.px(20), theme.px(28), theme.px(16))
        outer.setSpacing(theme.px(10))
        outer.addWidget(label("page", tr("Welcome to Unitone")))
        outer.addWidget(
            label("quiet", tr("Three questions, then your first radio. All of it can be changed in Workshop."), True)
        )
        self.message = Message()
        outer.addWidget(self.message)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, theme.px(6), 0)
        column.setSpacing(theme.px(12))
        self.repaired = self._ticks({k: w for k, (w, _) in REPAIRED.items()}, repaired(logbook), self._keep_repaired)
        self.there = self._ticks(ON_BENCH, on_bench(logbook), self._keep_bench)
        self.languages = self._ticks(LANGUAGES, frozenset({language()}), lambda: None, translated=False)
        for name, chip in self.languages.items():
            chip.clicked.connect(lambda _=False, n=name: self._speak(n))
        self.without = label("", "", True)
        for title, words, chips in (
            (tr("What do you repair?"), tr("These stand first when you open a job."), self.repaired),
            (tr("What is on your bench?"), tr("Untick what you do not have: the coach finds another way."), self.there),
            (tr("Which language?"), "", self.languages),
        ):
            card = Card(title)
            if words:
                card.column.addWidget(label("quiet", words, True))
            card.column.addWidget(Flow(title, chips.values()))
            if chips is self.there:
                card.column.addWidget(self.without)
            column.addWidget(card)
        column.addWidget(self._how_it_goes())
        column.addStretch(1)
        outer.addWidget(scrolled(inside), 1)
        outer.addWidget(self._ways())
        self._say_without()

    def _ticks(
        self, names: Mapping[str, str], ticked: frozenset[str], keep: Callable[[], None], translated: bool = True
    ) -> dict[str, QPushButton]:
        made = {}
        for name, words in names.items():
            shown = tr(words) if translated else words
            chip = made[name] = QPushButton(shown)
            chip.setProperty("role", "chip")
            chip.setCheckable(True)
            chip.toggled.connect(lambda on, c=chip, w=shown: c.setText(f"✓  {w}" if on else w))
            chip.setAccessibleName(chip.text())
            chip.setChecked(name in ticked)
            chip.clicked.connect(lambda _=False: keep())
        return made

    @staticmethod
    def _how_it_goes() -> Card:
        """A job in four sentences, and the caution that stands before all of them."""
        card = Card(tr("How a job goes"))
        for n, words in enumerate(
            (
                tr("Open a job. Without a sheet for the radio, a general procedure leads."),
                tr("Read it as found: nothing is turned yet. Type the readings, or let the bench take them."),
                tr("Turn what the coach says, as far as it says. Every turn is kept and can be taken back."),
                tr("Prove it, print the certificate, hand it over."),
            ),
            1,
        ):
            card.column.addWidget(label("", f"{n}.  {words}", True))
        card.column.addWidget(
            label(
                "caution",
                tr(
                    "Mains and valve sets can kill; transmit into a dummy load only. Local rules and licences come first. "
                    "Leave what you are not sure of to a qualified person."
                ),
                True,
            )
        )
        return card

    def _ways(self) -> QFrame:
        frame = QFrame()
        frame.setProperty("role", "coach")
        row = QHBoxLayout(frame)
        row.setContentsMargins(theme.px(16), theme.px(12), theme.px(12), theme.px(12))
        row.setSpacing(theme.px(8))
        self.later = QPushButton(tr("Later"))
        self.later.setProperty("role", "link")
        self.later.clicked.connect(lambda: self._go(self.left))
        self.practise = QPushButton(tr("Align a practice radio"))
        self.practise.clicked.connect(lambda: self._go(self.practice_wanted))
        self.radio = QPushButton(tr("My radio is on the bench  ↵"))
        self.radio.setProperty("role", "main")
        self.radio.clicked.connect(lambda: self._go(self.radio_wanted))
        row.addWidget(self.later)
        row.addStretch(1)
        row.addWidget(self.practise)
        row.addWidget(self.radio)
        return frame

    @staticmethod
    def _ticked(chips: Mapping[str, QPushButton]) -> list[str]:
        return [name for name, chip in chips.items() if chip.isChecked()]

    def _keep_repaired(self) -> None:
        self._try(lambda: set_repaired(self._logbook, self._ticked(self.repaired)))

    def _keep_bench(self) -> None:
        self._try(lambda: set_on_bench(self._logbook, self._ticked(self.there)))
        self._say_without()

    def _say_without(self) -> None:
        chosen = conventions_for(self._ticked(self.there)).items()
        said = [tr(_WITHOUT[c]) for c in chosen if c in _WITHOUT]
        self.without.setText(" ".join(said))
        self.without.setVisible(bool(said))

    def _speak(self, code: str) -> None:
        self.languages[language()].setChecked(True)
        if code == language():
            return
        self.languages[code].setChecked(False)
        look = self._logbook.setting("look", {}) or {}
        if self._try(lambda: self._logbook.set_setting("look", {**look, "language": code})):
            self.language_chosen.emit(code)

    def _go(self, way: object) -> None:
        if self._try(lambda: end_first_evening(self._logbook)):
            way.emit()  # type: ignore[attr-defined]

    def _try(self, keep: Callable[[], object]) -> bool:
        """Keep something; a logbook that takes nothing says why."""
        try:
            keep()
        except UnitoneError as error:
            self.message.tell(str(error))
            return False
        return True

    def press(self, name: str) -> None:
        """Do an action of this view."""
        {"welcome-radio": self.radio, "welcome-practice": self.practise, "welcome-later": self.later}[name].click()
