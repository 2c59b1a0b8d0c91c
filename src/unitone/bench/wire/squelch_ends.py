"""Where a squelch opens and closes, by a generator that the program sets and a meter that hears whether audio comes through."""

from __future__ import annotations

import threading
from dataclasses import replace

from unitone.bench.ports import Measured, Meter
from unitone.bench.wire.instrument import WireGenerator
from unitone.errors import BenchError
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr

_AUDIO = "rx.af_voltage"
#: From where to where the level is taken (dBm), in which steps at first and at last (dB).
_LEAST_DBM, _MOST_DBM, _COARSE_DB, _FINE_DB = -130.0, -40.0, 4.0, 0.5
#: More than this comes from a loudspeaker whose squelch is open, noise or tone, at any volume that can be heard (V).
_OPEN_V = 4e-3


class SquelchByWire:
    """A meter of squelch ends made of two instruments."""

    def __init__(self, generator: WireGenerator, audio: Meter) -> None:
        self._generator, self._audio = generator, audio
        self._stopped = threading.Event()

    @property
    def name(self) -> str:
        """See ``Meter``."""
        return self._generator.wired.card.name

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id in ("rx.squelch_opens", "rx.squelch_closes", "rx.squelch_tight")

    def seconds_for(self, quantity_id: str) -> float:
        """See ``Meter``."""
        del quantity_id
        return 20.0 * max(0.3, self._audio.seconds_for(_AUDIO))

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """See ``Meter``: an end is found, not watched."""
        del quantity_id, conditions
        return None

    def cancel(self) -> None:
        """See ``Meter``."""
        self._stopped.set()
        self._audio.cancel()

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """Up until it opens, or down from there until it closes, in half decibels. Raises BenchError as the two instruments do."""
        self._stopped.clear()
        try:
            if self._is_open(conditions, None):
                return Measured(_LEAST_DBM, self.name, None, "<", "always open", source="remote")
            return self._closes(conditions) if quantity_id == "rx.squelch_closes" else self._opens(conditions)
        finally:
            self._generator.off()

    def _opens(self, conditions: Conditions) -> Measured:
        coarse = self._up(conditions, _LEAST_DBM, _COARSE_DB)
        if coarse is None:
            return Measured(_MOST_DBM, self.name, None, ">", "never opens", source="remote")
        # Closed again before the fine steps: a squelch holds on to what opened it.
        start = self._down(conditions, coarse, _COARSE_DB)
        at = None if start is None else self._up(conditions, start + _FINE_DB, _FINE_DB)
        return self._found(coarse if at is None else at - _FINE_DB / 2)

    def _closes(self, conditions: Conditions) -> Measured:
        opened = self._up(conditions, _LEAST_DBM, _COARSE_DB)
        if opened is None:
            return Measured(_MOST_DBM, self.name, None, ">", "never opens", source="remote")
        coarse = self._down(conditions, opened, _COARSE_DB)
        if coarse is None:
            return Measured(_LEAST_DBM, self.name, None, "<", "never closes", source="remote")
        self._is_open(conditions, opened)
        at = self._down(conditions, min(opened, coarse + 2 * _COARSE_DB), _FINE_DB)
        return self._found(coarse if at is None else at + _FINE_DB / 2)

    def _up(self, conditions: Conditions, level: float, step: float) -> float | None:
        """The first level upward at which audio comes; None where none opens it."""
        while level <= _MOST_DBM:
            if self._is_open(conditions, level):
                return level
            level += step
        return None

    def _down(self, conditions: Conditions, level: float, step: float) -> float | None:
        """The first level downward at which audio is gone; None where none closes it."""
        while level >= _LEAST_DBM - _COARSE_DB:
            if not self._is_open(conditions, level):
                return level
            level -= step
        return None

    def _is_open(self, conditions: Conditions, level: float | None) -> bool:
        return self._volts(replace(conditions, level_dbm=None if level is None else round(level, 2))) > _OPEN_V

    def _volts(self, conditions: Conditions) -> float:
        if self._stopped.is_set():
            raise BenchError(tr("The reading was broken off."))
        self._generator.set(conditions)
        return self._audio.measure(_AUDIO, conditions).value or 0.0

    def _found(self, level: float) -> Measured:
        # Anywhere within the last step is as likely.
        return Measured(level, self.name, _FINE_DB / 12.0**0.5, source="remote")
