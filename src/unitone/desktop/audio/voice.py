"""The coach's line, spoken: through Qt TextToSpeech where a speech engine is installed, else with words on how to install one."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QLocale, QLoggingCategory, QObject, pyqtSignal

from unitone.errors import BenchError
from unitone.present.bench.eyes import spoken
from unitone.store.ports import Settings
from unitone.words import LANGUAGES, language, tr

#: What Qt calls the engine that says nothing: it is for tests alone.
SILENT = "mock"
HOW_TO_INSTALL = "sudo apt-get install speech-dispatcher speech-dispatcher-espeak-ng espeak-ng"


#: How fast, as Qt counts it (-1 to 1).
RATES = {"slow": -0.35, "normal": 0.0, "fast": 0.35}


def engines() -> list[str]:
    """The speech engines of this machine; none where Qt's speech is not there."""
    try:
        from PyQt6.QtTextToSpeech import QTextToSpeech
    except ImportError:
        return []
    return [e for e in QTextToSpeech.availableEngines() if e != SILENT]


def voice_of(settings: Settings) -> tuple[str, str]:
    """The engine that was chosen (empty: the first there is), and how fast it speaks."""
    rate = str(settings.setting("voice_rate", "") or "normal")
    return str(settings.setting("voice_engine", "") or ""), rate if rate in RATES else "normal"


class Voice(QObject):
    """Says one line at a time; a new one interrupts the old. Made when it is first wanted. Raises BenchError without an engine."""

    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None, engine: str = "", rate: str = "normal") -> None:
        super().__init__(parent)
        # It brings Qt's sound with it, which speaks of libraries that are not on this machine: no news to a technician.
        QLoggingCategory.setFilterRules("qt.multimedia.*=false")
        try:
            from PyQt6.QtTextToSpeech import QTextToSpeech
        except ImportError as error:
            raise BenchError(
                tr("Nothing can be spoken: {error}. Install an engine: {how}.", error=str(error), how=HOW_TO_INSTALL)
            ) from None
        there = [e for e in QTextToSpeech.availableEngines() if e != SILENT or engine == SILENT]
        chosen = engine or next(iter(there), "")
        if not chosen:
            raise BenchError(
                tr("No speech engine is installed. Install one, then start Unitone again: {how}", how=HOW_TO_INSTALL)
            )
        self._state = QTextToSpeech.State
        self.speech: Any = QTextToSpeech(chosen, self)
        self.said = ""
        if self.speech.state() == self._state.Error:
            raise BenchError(
                tr("The speech engine does not start ({why}). Install it: {how}",
                   why=self.speech.errorString() or chosen, how=HOW_TO_INSTALL)
            )  # fmt: skip
        self.speech.setRate(RATES[rate])
        self.speech.setLocale(QLocale(language() if language() in LANGUAGES else "en"))
        self.speech.errorOccurred.connect(lambda _reason, words: self.failed.emit(words))

    def say(self, line: str) -> None:
        """Say ``line`` now, unless it is what was said last."""
        if not line or line == self.said:
            return
        self.said = line
        self.speech.say(spoken(line))

    def hush(self) -> None:
        """Stop in the middle of the word."""
        self.said = ""
        self.speech.stop()
