"""Stretches of sound that were kept, on the machine's loudspeaker."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from unitone.errors import BenchError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from unitone.desktop.audio.loudspeaker import Loudspeaker


class KeptSound(QObject):
    """Plays kept stretches, one at a time: another one takes the place of what still sounds."""

    #: Why nothing is heard.
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.loudspeaker: Loudspeaker | None = None

    def play(self, samples: NDArray[np.float64], rate: float) -> None:
        """Play a stretch once: shape (n,), shares of full scale, made at ``rate`` (Hz)."""
        from unitone.desktop.audio.loudspeaker import Loudspeaker

        self.silence()
        try:
            self.loudspeaker = Loudspeaker(self)
        except BenchError as error:
            self.failed.emit(str(error))
            return
        self.loudspeaker.failed.connect(self.failed)
        self.loudspeaker.ended.connect(self.silence)
        self.loudspeaker.play(samples, rate)

    def silence(self) -> None:
        """Stop what is played."""
        if self.loudspeaker is not None:
            self.loudspeaker.stop()
            self.loudspeaker = None
