"""Live readings: which sound input the Bench listens to, averaged how long, and which quantities it reads."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QFrame, QGridLayout, QVBoxLayout

from unitone.actions import shown_key
from unitone.bench.drivers.sound_figures import FROM_AUDIO, FROM_IQ
from unitone.desktop.audio.soundcard import SIDES, Devices, devices
from unitone.desktop.shell.live_input import AVERAGING_S, LiveSetting
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.painted import label, set_tip
from unitone.errors import SignalError, UnitoneError
from unitone.quantities.registry import quantity
from unitone.quantities.show import number
from unitone.session.measuring import my_bench
from unitone.store.logbook import Logbook
from unitone.words import tr


class LiveReadings(QFrame):
    """Kept as it is chosen. ``changed`` when the Bench is to listen in another way."""

    changed = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self._logbook = logbook
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        layout.setSpacing(theme.px(8))
        layout.addWidget(label("heading", tr("Live readings")))
        layout.addWidget(
            label("quiet", tr("The sound card reads a real radio on the Bench. What it does not read is typed."), True)
        )
        self.on = QCheckBox(tr("Listen to the sound card on the Bench"))
        self.device, self.side, self.averaging = Choice(), Choice(), Choice()
        for key, english in SIDES:
            self.side.addItem(tr(english), key)
        for seconds in AVERAGING_S:
            self.averaging.addItem(tr("{s} s", s=number(seconds, 1)), seconds)
        layout.addWidget(self.on)
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(6))
        grid.setColumnStretch(1, 1)
        for row, (name, box) in enumerate(
            ((tr("Input"), self.device), (tr("Channel of the input"), self.side), (tr("Averaging"), self.averaging))
        ):
            box.setAccessibleName(name)
            box.activated.connect(lambda _: self._keep())
            grid.addWidget(label("", name), row, 0)
            grid.addWidget(box, row, 1)
        layout.addLayout(grid)
        layout.addWidget(
            label("quiet", tr("Read live, else typed. {key} changes it on the Bench.", key=shown_key("source")), True)
        )
        self.quantities: dict[str, QCheckBox] = {}
        for name in (*FROM_AUDIO, *FROM_IQ):
            box = self.quantities[name] = QCheckBox(tr(quantity(name).title))
            box.clicked.connect(lambda _: self._keep())
            layout.addWidget(box)
        self.words = label("warn", "", True)
        self.words.setAccessibleName(tr("About the input"))
        layout.addWidget(self.words)
        layout.addStretch(1)
        self.on.clicked.connect(lambda _: self._keep())
        self._told = Devices(self)
        self._told.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """The inputs that there are now, and what was chosen."""
        setting, words = LiveSetting.kept(self._logbook), ""
        try:
            found = devices()
        except SignalError as error:
            found, words = [], str(error)
        self.device.clear()
        for one in found:
            self.device.addItem(one.name, one.id)
        at = self.device.findData(setting.device)
        if at < 0 and setting.device and not words:
            words = tr("The chosen input is not plugged in.")
            self.device.addItem(tr("chosen input, not plugged in"), setting.device)
            at = self.device.count() - 1
        elif not found and not words:
            words = tr("No sound input is there. Plug one in.")
        self.device.setCurrentIndex(max(at, 0) if self.device.count() else -1)
        self.side.setCurrentIndex(self.side.findData(setting.side))
        self.averaging.setCurrentIndex(self.averaging.findData(setting.averaging_s))
        self.on.setChecked(setting.on)
        self._say(words)
        self._show_quantities(setting)

    def _show_quantities(self, setting: LiveSetting) -> None:
        scale = my_bench(self._logbook).inputs.of(str(self.device.currentData() or ""), setting.side)
        in_volts = scale is not None and scale.full_scale_v is not None
        for name, box in self.quantities.items():
            box.setVisible(name in (FROM_IQ if setting.side == "iq" else FROM_AUDIO))
            can = name != "rx.af_voltage" or in_volts
            box.setEnabled(can)
            box.setChecked(can and name not in setting.typed)
            set_tip(box, "" if can else tr("Calibrate this input in volts first: My bench."))
            title = tr(quantity(name).title)
            box.setText(title if can else tr("{title}: input not calibrated in volts", title=title))

    def _keep(self) -> None:
        before = LiveSetting.kept(self._logbook)
        shown = [(name, box) for name, box in self.quantities.items() if not box.isHidden() and box.isEnabled()]
        typed = {*before.typed} - {name for name, _ in shown} | {name for name, box in shown if not box.isChecked()}
        setting = replace(
            before, on=self.on.isChecked(), device=str(self.device.currentData() or before.device), side=str(self.side.currentData()),
            averaging_s=float(self.averaging.currentData()), typed=tuple(sorted(typed)),
        )  # fmt: skip
        try:
            setting.keep(self._logbook)
        except UnitoneError as error:
            self._say(str(error))
            return
        self.refresh()
        self.changed.emit()

    def _say(self, words: str) -> None:
        self.words.setText(words)
        self.words.setVisible(bool(words))
