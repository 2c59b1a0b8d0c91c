"""The simulated radio's loudspeaker on the machine's own."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from unitone.desktop.audio.soundcard import SoundOutput, devices
from unitone.errors import BenchError, SignalError
from unitone.signals.playback import Playback
from unitone.words import tr


class Loudspeaker(QObject):
    """Plays what is pushed into ``playback`` until it is stopped. Raises BenchError where there is no sound output."""

    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        try:
            there = devices(output=True)
            if not there:
                raise BenchError(tr("No sound output on this machine: the radio cannot be heard."))
            self._output = SoundOutput(there[0], Playback)
        except SignalError as error:
            raise BenchError(str(error)) from None
        source = self._output.source
        assert isinstance(source, Playback)
        self.playback = source
        self._output.failed.connect(self.failed)
        self._output.begin()

    def stop(self) -> None:
        """Let go of the sound output."""
        self._output.stop()
