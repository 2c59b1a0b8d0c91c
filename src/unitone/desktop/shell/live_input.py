"""The sound card as a meter of the Bench: opened as it was chosen once, pumped in a thread of its own, gone with one message."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from unitone.actions import shown_key
from unitone.bench.drivers.sound_meter import SoundMeter
from unitone.desktop.audio.soundcard import SIDES, SoundInput, devices
from unitone.desktop.shell.trouble import troubles
from unitone.errors import SignalError
from unitone.session.measuring import my_bench
from unitone.store.logbook import Logbook
from unitone.words import tr

#: What the needle may average over (seconds).
AVERAGING_S = (0.5, 1.0, 2.0)


@dataclass(frozen=True)
class LiveSetting:
    """How the Bench listens: whether at all, to which input and side, averaged how long, and what is typed all the same."""

    on: bool = False
    device: str = ""
    side: str = "left"
    averaging_s: float = 1.0
    typed: tuple[str, ...] = ()

    @classmethod
    def kept(cls, logbook: Logbook) -> LiveSetting:
        """As the logbook has it; what is not understood there is as it is at first, and the input is that of the Meters."""
        data: dict[str, Any] = dict(logbook.setting("live", {}) or {})
        meters = dict(logbook.setting("meters", {}) or {})
        device = str(data.get("input", meters.get("input", "")))
        side = str(data.get("side", meters.get("side", "left")))
        averaging = data.get("averaging_s", 1.0)
        typed = data.get("typed", [])
        return cls(
            data.get("on") is True, device, side if side in dict(SIDES) else "left", averaging if averaging in AVERAGING_S else 1.0,
            tuple(str(x) for x in typed) if isinstance(typed, list) else (),
        )  # fmt: skip

    def keep(self, logbook: Logbook) -> None:
        """Into the logbook. Raises StoreError."""
        logbook.set_setting(
            "live",
            {
                "on": self.on,
                "input": self.device,
                "side": self.side,
                "averaging_s": self.averaging_s,
                "typed": list(self.typed),
            },
        )


class LiveInput(QObject):
    """One input at a time. ``changed`` when the meter came, or went; ``failed`` with the one message why it went by itself."""

    changed = pyqtSignal()
    failed = pyqtSignal(str)
    _over = pyqtSignal(object, str)

    def __init__(self, logbook: Logbook, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._logbook = logbook
        self._input: SoundInput | None = None
        self._thread: threading.Thread | None = None
        self._opened: tuple[object, ...] | None = None
        self.meter: SoundMeter | None = None
        self._over.connect(self._ended)

    def open(self, setting: LiveSetting) -> None:
        """Listen as the setting says. Raises SignalError where there is no such input, or none at all."""
        found = devices()
        if not found:
            raise SignalError(tr("No sound input is there. Plug one in, or type the readings."))
        device = next((d for d in found if d.id == setting.device), None)
        if device is None:
            if setting.device:
                raise SignalError(
                    tr(
                        "The sound input chosen for the Bench is not plugged in. Plug it in, or choose another in Workshop, Settings."
                    )
                )
            device = found[0]
        side = next(key for key, _ in SIDES if key == setting.side)
        scale = my_bench(self._logbook).inputs.of(device.id, side)
        full_scale_v = None if scale is None else scale.full_scale_v
        wanted = (device.id, side, setting.averaging_s, full_scale_v)
        if self.meter is not None and wanted == self._opened:
            return
        self.close()
        self._input = SoundInput(device, side, full_scale_v)
        self._opened = wanted
        meter = self.meter = SoundMeter(self._input.feed, setting.averaging_s)
        self._thread = threading.Thread(target=lambda: self._run(meter), name="live-input", daemon=True)
        self._thread.start()
        self._input.begin()
        self.changed.emit()

    def close(self) -> None:
        """Let go of the input and wait for its threads."""
        meter, self.meter, self._opened = self.meter, None, None
        if self._input is not None:
            self._input.stop()
            self._input = None
        if meter is not None:
            meter.cancel()
            meter.feed.close()
        if self._thread is not None:
            self._thread.join()
            self._thread = None
        if meter is not None:
            self.changed.emit()

    def _run(self, meter: SoundMeter) -> None:
        words = ""
        try:
            meter.pump()
        except SignalError as error:
            words = str(error)
        except Exception as error:
            words = troubles.caught(error, "live input")
        try:
            self._over.emit(meter, words)
        except RuntimeError:
            # The window is gone, and nobody waits for the word.
            return

    def _ended(self, meter: SoundMeter, words: str) -> None:
        if meter is not self.meter:
            return
        self.close()
        self.failed.emit(
            words
            or tr("The sound input ended. Type the readings, or press {key} to listen again.", key=shown_key("source"))
        )
