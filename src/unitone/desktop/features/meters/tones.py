"""Tones out of the sound card: what sounds, how loud, and a way to stop it that is always in sight."""

from __future__ import annotations

import math

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from unitone.actions import keyed
from unitone.desktop.audio.soundcard import Device, Devices, SoundOutput, devices
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.livefield import LiveLine
from unitone.desktop.widgets.painted import label
from unitone.errors import SignalError, UnitoneError
from unitone.quantities.entry import normalise, parse_si
from unitone.quantities.show import number
from unitone.signals.generate import CAUTIOUS, LOW_TONES_HZ, Setting
from unitone.words import N_, tr

_SHAPES = (
    ("tone", N_("one tone")), ("two-tone", N_("two tones")), ("noise", N_("noise")), ("low", N_("low tone")), ("sweep", N_("sweep")),
)  # fmt: skip
#: Louder than this is asked for twice: −20 dBFS is some 100 mV, enough to overdrive a microphone input.
_LOUD_DBFS = -20.0
_CAUTIOUS_DBFS = 20 * math.log10(CAUTIOUS)


class TonesCard(QFrame):
    """The generator. ``running`` tells what sounds, empty when nothing does."""

    running = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self.output: SoundOutput | None = None
        self._full_scale: dict[str, float] = {}
        self._loud = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(14), theme.px(10), theme.px(14), theme.px(12))
        layout.setSpacing(theme.px(6))
        layout.addWidget(label("heading", tr("Tones out")))
        layout.addWidget(
            label(
                "quiet",
                tr("Microphone input through a pad, or a loudspeaker beside the microphone. Keyed: dummy load on."),
                True,
            )
        )
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(4))
        self.device, self.shape, self.low = Choice(), Choice(), Choice()
        for key, english in _SHAPES:
            words = tr(english)
            self.shape.addItem(words, key)
        for hz in LOW_TONES_HZ:
            self.low.addItem(f"{hz:.1f} Hz", hz)
        self.low.setCurrentIndex(self.low.findData(100.0))
        self.hz, self.second, self.seconds = (
            LiveLine(tr("Frequency"), "1 kHz"),
            LiveLine(tr("Second"), "1.9 kHz"),
            LiveLine(tr("Sweep time"), "10 s"),
        )
        self.level = LiveLine(tr("Level"), tr("-40 dBFS, or 20 mV where calibrated"))
        for line, text in (
            (self.hz, "1 kHz"),
            (self.second, "1.9 kHz"),
            (self.seconds, "10 s"),
            (self.level, f"{_CAUTIOUS_DBFS:g} dBFS"),
        ):
            line.show_value(text)
        self._rows: dict[str, tuple[QLabel, QComboBox | LiveLine]] = {}
        fields: tuple[tuple[str, str, QComboBox | LiveLine], ...] = (
            ("device", tr("Output"), self.device), ("shape", tr("What"), self.shape), ("low", tr("Low tone"), self.low),
            ("level", tr("Peak level"), self.level), ("hz", tr("Frequency"), self.hz), ("second", tr("Second frequency"), self.second),
            ("seconds", tr("Sweep time"), self.seconds),
        )  # fmt: skip
        for n, (key, words, field) in enumerate(fields):
            name = label("small", words)
            name.setBuddy(field)
            field.setAccessibleName(words)
            # A low tone and a free frequency share a place: one of them is shown.
            place = {"hz": 2, "level": 3, "second": 4, "seconds": 5}.get(key, n)
            grid.addWidget(name, place // 2, 2 * (place % 2))
            grid.addWidget(field, place // 2, 2 * (place % 2) + 1)
            self._rows[key] = (name, field)
            if isinstance(field, LiveLine):
                field.kept.connect(lambda text, f=field: (f.show_value(text), self._change()))
            else:
                field.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                field.setMinimumContentsLength(8)
                field.activated.connect(lambda _: self._change())
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        layout.addLayout(grid)
        row = QHBoxLayout()
        self.button = QPushButton(keyed(tr("Start  Ctrl ."), "meter-tone"))
        self.button.clicked.connect(self.press)
        self.told = label("quiet", "", True)
        row.addWidget(self.button)
        row.addWidget(self.told, 1)
        layout.addLayout(row)
        layout.addStretch(1)
        self._told = Devices(self)
        self._told.changed.connect(self.refresh)
        self.refresh()
        self._fields()

    def calibrate(self, full_scale: dict[str, float]) -> None:
        """Volts rms of a sine at full scale, by output: levels may then be given in volts."""
        self._full_scale = full_scale

    def refresh(self) -> None:
        """The outputs that there are now."""
        now = self.device.currentData()
        try:
            found = devices(True)
            self.told.setText("" if found else tr("No sound output is there. Plug one in."))
        except SignalError as error:
            found = []
            self.told.setText(str(error))
        self.device.clear()
        for device in found:
            self.device.addItem(device.name, device.id)
        self.device.setCurrentIndex(max(0, self.device.findData(now)) if found else -1)
        self.button.setEnabled(bool(found))
        if self.output is not None and self.output.device.id not in {d.id for d in found}:
            self._lost(
                tr(
                    "{name} is gone: the tone has stopped. Plug it in again, and start the tone.",
                    name=self.output.device.name,
                )
            )

    def setting(self) -> Setting:
        """What is wanted. Raises SignalError saying what a field takes."""
        shape = self.shape.currentData()
        hz = float(self.low.currentData()) if shape == "low" else _read(self.hz)
        second = _read(self.second) if shape in ("two-tone", "sweep") else 1900.0
        try:
            seconds = parse_si(self.seconds.text(), "s") if shape == "sweep" else 10.0
        except UnitoneError:
            raise SignalError(tr("Enter the sweep time, like 10 s.")) from None
        made = Setting("tone" if shape == "low" else shape, hz, second, self._level(), seconds)
        made.check(48_000.0)
        return made

    def _level(self) -> float:
        """Peak relative to full scale, from dBFS or volts rms."""
        text = self.level.text().strip()
        plain = normalise(text).replace(" ", "").lower()
        form = tr("Write the level like -40 dBFS (0 at most), or 20 mV if the output is calibrated (My bench).")
        if plain.endswith("v"):
            full = self._full_scale.get(str(self.device.currentData()))
            if full is None:
                raise SignalError(tr("This output is not calibrated in volts. {form}", form=form))
            try:
                share = parse_si(text, "V") / full
            except UnitoneError:
                raise SignalError(form) from None
        else:
            try:
                share = 10 ** (float(plain.removesuffix("dbfs").removesuffix("db")) / 20)
            except ValueError:
                raise SignalError(form) from None
        if not 0 < share <= 1.0:
            raise SignalError(form)
        return share

    def press(self) -> None:
        """Start, or stop."""
        if self.output is not None:
            self.stop()
            self.told.setText(tr("stopped"))
            return
        try:
            wanted = self.setting()
            if self.device.currentData() is None:
                raise SignalError(tr("No sound output is there. Plug one in."))
            if 20 * math.log10(wanted.level) > _LOUD_DBFS and not self._loud:
                # Once more, knowing what it is: a loud tone can hurt ears and microphone inputs.
                self._loud = True
                raise SignalError(tr("Loud: protect your ears and check the pad, then start again."))
            output = SoundOutput(Device(str(self.device.currentData()), self.device.currentText()), wanted)
        except UnitoneError as error:
            self.told.setText(str(error))
            return
        output.failed.connect(self._lost)
        self.output = output
        output.begin()
        self._say(wanted)

    def _change(self) -> None:
        """Something was chosen or typed: what sounds follows by a ramp; what cannot be is said, and the old goes on."""
        self._fields()
        if self.output is None:
            self.told.setText("")
            try:
                self.setting()
            except UnitoneError as error:
                self.told.setText(str(error))
            return
        if self.output.device.id != self.device.currentData():
            self.stop()
            self.press()
            return
        try:
            wanted = self.setting()
            self.output.change(wanted)
        except UnitoneError as error:
            self.told.setText(tr("{error} The old tone continues.", error=str(error)))
            return
        self._say(wanted)

    def _say(self, wanted: Setting) -> None:
        self._loud = False
        words = {
            "tone": tr("{hz} Hz", hz=number(wanted.hz, 1)), "two-tone": tr("{a} and {b} Hz", a=number(wanted.hz, 0), b=number(wanted.second_hz, 0)),
            "noise": tr("noise"), "sweep": tr("sweep {a} to {b} Hz", a=number(wanted.hz, 0), b=number(wanted.second_hz, 0)),
        }[wanted.shape]  # fmt: skip
        text = tr("{what} at {db} dBFS", what=words, db=number(20 * math.log10(wanted.level), 1))
        full = self._full_scale.get(str(self.device.currentData()))
        if full is not None:
            text += tr(", {mv} mV", mv=number(1e3 * full * wanted.level, 1))
        self.told.setText(tr("sounding: {text}", text=text))
        self.button.setText(keyed(tr("Stop  Ctrl ."), "meter-tone"))
        self.running.emit(text)

    def _lost(self, words: str) -> None:
        self.stop()
        self.told.setText(words)

    def stop(self) -> None:
        """Down by a ramp, and off."""
        if self.output is not None:
            self.output.stop()
            self.output = None
            self.button.setText(keyed(tr("Start  Ctrl ."), "meter-tone"))
            self.running.emit("")

    def _fields(self) -> None:
        shape = self.shape.currentData()
        shown = {
            "hz": shape in ("tone", "two-tone", "sweep"), "low": shape == "low", "second": shape in ("two-tone", "sweep"),
            "seconds": shape == "sweep",
        }  # fmt: skip
        for key, row in self._rows.items():
            for part in row:
                part.setVisible(shown.get(key, True))


def _read(field: LiveLine) -> float:
    try:
        return parse_si(field.text() or field.placeholderText(), "Hz")
    except UnitoneError:
        raise SignalError(tr("Write the frequency like 1 kHz or 440 Hz.")) from None
