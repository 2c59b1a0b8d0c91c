"""A tone that rises with the reading, for eyes that stay on the board."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from unitone.desktop.audio.soundcard import SoundOutput, heard_at
from unitone.errors import BenchError, SignalError
from unitone.present.bench.eyes import pitch_hz
from unitone.signals.generate import Setting
from unitone.words import tr

#: Soft: -34 dB of full scale. Without a fresh reading it falls silent after so long (milliseconds).
_LEVEL, _SILENT_AFTER_MS = 0.02, 600


class Pitch(QObject):
    """Sounds the readings that it is given; the first of a step is its reference unless another is told. Raises BenchError."""

    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        try:
            there = heard_at()
            if there is None:
                raise BenchError(tr("No sound output on this machine: the pitch cannot be heard."))
            self._output = SoundOutput(there, Setting("tone", 440.0, level=0.0))
        except SignalError as error:
            raise BenchError(str(error)) from None
        self._output.failed.connect(self.failed)
        self._output.begin()
        self._step, self._reference = "", 0.0
        self.hz = 0.0
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_SILENT_AFTER_MS)
        self._rest.timeout.connect(self.rest)

    def sound(self, step: str, db: float | None, reference_db: float | None = None) -> None:
        """The reading of ``step`` stands at ``db``: sound it. None of it is silence."""
        if db is None:
            self.rest()
            return
        if reference_db is not None:
            self._reference = reference_db
        elif step != self._step:
            self._reference = db
        self._step = step
        self.hz = pitch_hz(db, self._reference)
        self._output.change(Setting("tone", self.hz, level=_LEVEL))
        self._rest.start()

    def rest(self) -> None:
        """Silence, until the next reading."""
        self.hz = 0.0
        self._output.change(Setting("tone", 440.0, level=0.0))

    def stop(self) -> None:
        """Let go of the sound output."""
        self._rest.stop()
        self._output.stop()
