"""How it is measured: the fields that the task at hand needs, each with its unit, read at the edge."""

from __future__ import annotations

import math

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QGridLayout, QLabel, QVBoxLayout, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.livefield import LiveLine
from unitone.desktop.widgets.painted import label
from unitone.errors import SignalError, UnitoneError
from unitone.present.meters.meter_shapes import How, MeterTask, parse_limit, parse_sweep
from unitone.quantities.entry import normalise, parse_si
from unitone.signals.weighting import WEIGHTINGS
from unitone.words import N_, tr

_WEIGHT_WORDS = {"flat": N_("300 to 3400 Hz, flat"), "psophometric": N_("psophometric"), "c-message": N_("C-message")}
_AVERAGE = ((0.25, N_("0.25 s")), (1.0, N_("1 s")), (3.0, N_("3 s")), (10.0, N_("10 s")))
#: Which fields each task shows.
_SHOWN: dict[MeterTask, tuple[str, ...]] = {
    "sinad": ("weighting", "tone", "average", "channel"), "volts": ("weighting", "tone", "average", "channel"),
    "deviation": ("tone", "prove", "average"), "depth": ("tone", "average"), "ssb": ("place", "average"),
    "frequency": ("nominal", "ppm", "average", "channel"), "lines": ("limit", "average", "channel"), "response": ("sweep", "channel"),
}  # fmt: skip


class HowCard(QFrame):
    """The card. ``changed`` tells when something was chosen or typed."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(14), theme.px(10), theme.px(14), theme.px(12))
        layout.setSpacing(theme.px(6))
        layout.addWidget(label("heading", tr("Settings")))
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(4))
        self.weighting, self.average = Choice(), Choice()
        for key in WEIGHTINGS:
            self.weighting.addItem(tr(_WEIGHT_WORDS[key]), key)
        for seconds, english in _AVERAGE:
            words = tr(english)
            self.average.addItem(words, seconds)
        self.average.setCurrentIndex(1)
        for box in (self.weighting, self.average):
            # In a narrow window the words of the list may be wider than it is shown.
            box.setMinimumWidth(theme.px(90))
        self.tone, self.channel = LiveLine(tr("Tone near"), "1 kHz"), LiveLine(tr("Channel"), "1")
        self.prove, self.place = LiveLine(tr("Deviation to prove"), "2 kHz"), LiveLine(tr("Carrier position"), "0 Hz")
        self.nominal, self.ppm = LiveLine(tr("Nominal"), "1 kHz"), LiveLine(tr("Clock error"), "0 ppm")
        self.limit, self.sweep = LiveLine(tr("Limit line"), tr("-60, or 54 MHz -60; 81 MHz -70")), LiveLine(
            tr("Sweep"), tr("300 Hz to 3400 Hz in 10 s")
        )  # fmt: skip
        for line, text in (
            (self.tone, "1 kHz"), (self.channel, "1"), (self.prove, "2 kHz"), (self.place, "0 Hz"), (self.nominal, "1 kHz"), (self.ppm, "0 ppm"),
        ):  # fmt: skip
            line.show_value(text)
        self._rows: dict[str, tuple[QLabel, QWidget]] = {}
        fields = (
            ("weighting", tr("Weighting"), self.weighting), ("tone", tr("Tone near"), self.tone), ("prove", tr("Deviation to prove"), self.prove),
            ("place", tr("Carrier position"), self.place), ("nominal", tr("Nominal"), self.nominal), ("ppm", tr("Clock error"), self.ppm),
            ("limit", tr("Limit line, dBc"), self.limit), ("sweep", tr("Sweep"), self.sweep), ("average", tr("Averaged over"), self.average),
            ("channel", tr("Channel of the file"), self.channel),
        )  # fmt: skip
        for n, (key, words, field) in enumerate(fields):
            name = label("small", words)
            name.setBuddy(field)
            field.setAccessibleName(words)
            grid.addWidget(name, n, 0)
            grid.addWidget(field, n, 1)
            self._rows[key] = (name, field)
            if isinstance(field, LiveLine):
                field.kept.connect(lambda text, f=field: (f.show_value(text), self.changed.emit()))
            elif isinstance(field, QComboBox):
                field.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                field.setMinimumContentsLength(8)
                field.activated.connect(lambda _: self.changed.emit())
        grid.setColumnStretch(1, 1)
        layout.addLayout(grid)
        self.show_task("sinad", False)

    def show_task(self, task: MeterTask, live: bool) -> None:
        """Show what this task needs: averaging where it is live, a channel where it is a file."""
        for key, row in self._rows.items():
            wanted = key in _SHOWN[task] and not (key == "average" and not live) and not (key == "channel" and live)
            for part in row:
                part.setVisible(wanted)

    def read(self, task: MeterTask) -> How:
        """What is chosen. Raises SignalError saying what a field takes."""
        tone = _hz(self.tone, 50, 3400, tr("A tone lies between 50 and 3400 Hz, like 1 kHz."))
        nominal = _hz(self.nominal, 1, 1e12, tr("A nominal frequency must be above zero, like 1 kHz or 10.24 MHz."))
        prove = _hz(self.prove, 100, 50_000, tr("A deviation to prove lies between 100 Hz and 50 kHz, like 2 kHz."))
        place = _hz(self.place, -4000, 4000, tr("The carrier lies within 4 kHz of the middle, like 0 Hz."))
        channel = normalise(self.channel.text() or "1")
        if not channel.isdigit() or int(channel) < 1:
            raise SignalError(tr("A channel of a file is 1, 2 …"))
        clock = _ppm(self.ppm.text())
        weighting = next(w for w in WEIGHTINGS if w == self.weighting.currentData())
        return How(
            task, weighting, nominal if task == "frequency" else tone, int(channel), float(self.average.currentData()), None,
            parse_limit(self.limit.text()), clock, parse_sweep(self.sweep.text()) if task == "response" else None, prove, place,
        )  # fmt: skip


def _hz(field: LiveLine, low: float, high: float, words: str) -> float:
    try:
        value = parse_si(field.text() or field.placeholderText(), "Hz")
    except UnitoneError:
        raise SignalError(words) from None
    if not low <= value <= high:
        raise SignalError(words)
    return value


def _ppm(text: str) -> float:
    plain = normalise(text or "0").lower().removesuffix("ppm").strip()
    try:
        value = float(plain)
    except ValueError:
        value = math.nan
    if not abs(value) <= 1000:
        raise SignalError(tr("Enter the clock error in ppm, like 12 ppm or -3.5 ppm. My bench measures it."))
    return value
