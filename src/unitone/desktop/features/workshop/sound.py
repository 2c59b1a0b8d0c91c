"""Settings, sound and speech: which output is heard, how the coach speaks; and where inputs and cameras are chosen."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QPushButton

from unitone.desktop.audio.soundcard import SOUND_OUTPUT, devices, use_output
from unitone.desktop.audio.voice import RATES, Voice, engines, voice_of
from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.painted import Card, label
from unitone.errors import UnitoneError
from unitone.store.logbook import Logbook
from unitone.words import N_, tr

_RATES = {"slow": N_("slow"), "normal": N_("normal"), "fast": N_("fast")}


class SoundBox(Card):
    """Kept as it is chosen. ``camera_wanted`` when the camera's own page is asked for."""

    camera_wanted = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__(tr("Sound and speech"), "heading")
        self._logbook = logbook
        self._looking = Errand("outputs", self)
        self._voice: Voice | None = None
        self.column.addWidget(
            label(
                "quiet",
                tr(
                    "The pitch, the simulated radio and the coach are heard here. The input is chosen under Live readings."
                ),
                True,
            )
        )
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(8))
        self.output, self.engine = Choice(), Choice()
        for row, (words, box) in enumerate(((tr("Output"), self.output), (tr("Speech"), self.engine))):
            box.setAccessibleName(words)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            named = label("", words)
            named.setBuddy(box)
            grid.addWidget(named, row, 0)
            grid.addWidget(box, row, 1)
        self.output.activated.connect(lambda _: self._keep_output())
        self.engine.activated.connect(lambda _: self._keep_speech())
        grid.setColumnStretch(1, 1)
        self.column.addLayout(grid)
        self.rates = ChipRow(tr("How fast it speaks"), [(r, tr(_RATES[r])) for r in RATES], self._choose_rate)
        self.column.addWidget(self.rates)
        self.say = QPushButton(tr("Say something"))
        self.say.clicked.connect(self._speak)
        self.column.addWidget(self.say)
        self.words = label("cure", "", True)
        self.words.setAccessibleName(tr("Message"))
        self.words.hide()
        self.column.addWidget(self.words)
        self.camera = QPushButton(tr("Choose the camera"))
        self.camera.setProperty("role", "link")
        self.camera.clicked.connect(self.camera_wanted)
        self.column.addWidget(self.camera)
        self._fill_speech()
        self.output.addItem(tr("as the machine has it"), "")
        # Asking the machine for its outputs takes a while.
        self._looking.run(lambda: [(d.id, d.name) for d in devices(True)], self._take_outputs, self._tell)

    def _take_outputs(self, found: list[tuple[str, str]]) -> None:
        chosen = str(self._logbook.setting(SOUND_OUTPUT, "") or "")
        for identifier, name in found:
            self.output.addItem(name, identifier)
        if chosen and self.output.findData(chosen) < 0:
            self.output.addItem(tr("not plugged in now"), chosen)
        self.output.setCurrentIndex(max(0, self.output.findData(chosen)))

    def _fill_speech(self) -> None:
        engine, rate = voice_of(self._logbook)
        there = engines()
        self.engine.addItem(tr("as the machine has it") if there else tr("none installed"), "")
        for name in there:
            self.engine.addItem(name, name)
        self.engine.setCurrentIndex(max(0, self.engine.findData(engine)))
        self.engine.setEnabled(len(there) > 1)
        self.rates.mark(rate)

    def _keep_output(self) -> None:
        chosen = str(self.output.currentData() or "")
        if self._set(SOUND_OUTPUT, chosen):
            use_output(chosen)

    def _choose_rate(self, rate: str) -> None:
        self._keep_speech(rate)
        self.rates.mark(voice_of(self._logbook)[1])

    def _keep_speech(self, rate: str = "") -> None:
        self._set("voice_engine", str(self.engine.currentData() or ""))
        if rate:
            self._set("voice_rate", rate)

    def _speak(self) -> None:
        try:
            self._voice = Voice(self, *voice_of(self._logbook))
        except UnitoneError as error:
            self._tell(str(error))
            return
        self._voice.failed.connect(self._tell)
        self._tell("")
        self._voice.say(tr("Turn L7 an eighth of a turn clockwise."))

    def _set(self, key: str, value: object) -> bool:
        try:
            self._logbook.set_setting(key, value)
        except UnitoneError as error:
            self._tell(str(error))
            return False
        return True

    def _tell(self, words: str) -> None:
        self.words.setText(words)
        self.words.setVisible(bool(words))
