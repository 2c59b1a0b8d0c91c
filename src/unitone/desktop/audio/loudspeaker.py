"""The simulated radio's loudspeaker on the machine's own: as it goes on, or a stretch that was kept."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from unitone.desktop.audio.soundcard import SoundOutput, heard_at
from unitone.errors import BenchError, SignalError
from unitone.signals.playback import LOUD, Playback
from unitone.words import tr

#: So much of a kept stretch is handed on at a time, and ahead of what is heard (s).
_PIECE_S, _AHEAD_S = 0.1, 0.35


class Loudspeaker(QObject):
    """Plays what is pushed into ``playback`` until it is stopped. Raises BenchError where there is no sound output."""

    failed = pyqtSignal(str)
    #: A kept stretch was played to its end.
    ended = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        try:
            there = heard_at()
            if there is None:
                raise BenchError(tr("No sound output on this machine: the radio cannot be heard."))
            self._output = SoundOutput(there, Playback)
        except SignalError as error:
            raise BenchError(str(error)) from None
        source = self._output.source
        assert isinstance(source, Playback)
        self.playback = source
        self._output.failed.connect(self.failed)
        self._output.begin()
        self._kept: NDArray[np.float64] = np.zeros(0)
        self._rate = 1.0
        self._feeding = QTimer(self)
        self._feeding.setInterval(round(_PIECE_S * 500))
        self._feeding.timeout.connect(self._feed)

    def play(self, samples: NDArray[np.float64], rate: float) -> None:
        """Play a stretch once: shape (n,), shares of full scale, made at ``rate`` (Hz)."""
        self._kept, self._rate = samples * LOUD, rate
        self._feed()
        self._feeding.start()

    def _feed(self) -> None:
        piece = round(_PIECE_S * self._rate)
        while len(self._kept) and self.playback.waiting_s() < _AHEAD_S:
            self.playback.push(self._kept[:piece], self._rate)
            self._kept = self._kept[piece:]
        if not len(self._kept) and self.playback.waiting_s() <= 0.0:
            self._feeding.stop()
            self.ended.emit()

    def stop(self) -> None:
        """Let go of the sound output."""
        self._feeding.stop()
        self._output.stop()
