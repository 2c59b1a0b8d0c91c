"""Selectivity, and how flat the gain control is: a generator that the program sets, and a meter read at two of its settings."""

from __future__ import annotations

import math
import threading
from collections.abc import Sequence
from dataclasses import replace

from unitone.bench.ports import Measured, Meter
from unitone.bench.wire.instrument import WireGenerator
from unitone.errors import BenchError, LevelOutOfReach
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr

#: What rises with the signal and is read for selectivity, the best first; what is read for the rise of the audio.
_FOLLOWS, _AUDIO = ("rx.agc_voltage", "rx.s_meter", "rx.needle"), "rx.af_voltage"
#: How far beside the channel (Hz), in which steps the level goes up at first, how near it is found (dB), and where it ends (dB over the start).
_BESIDE_HZ, _COARSE_DB, _FINE_DB, _MOST_DB = 10e3, 10.0, 0.5, 110.0
#: The rise of the audio counts from 10 µV in 50 Ω (dBm).
_FROM_DBM = -87.0


class TwoSettingsByWire:
    """A meter made of a generator and of one that follows the signal."""

    def __init__(self, generator: WireGenerator, meters: Sequence[Meter]) -> None:
        self._generator = generator
        self._follows = next(((q, m) for q in _FOLLOWS for m in meters if m.measures(q)), None)
        self._audio = next((m for m in meters if m.measures(_AUDIO)), None)
        self._stopped = threading.Event()

    @property
    def name(self) -> str:
        """See ``Meter``."""
        return self._generator.wired.card.name

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return (quantity_id == "rx.selectivity" and self._follows is not None) or (
            quantity_id == "rx.agc_rise" and self._audio is not None
        )

    def seconds_for(self, quantity_id: str) -> float:
        """See ``Meter``."""
        return 30.0 if quantity_id == "rx.selectivity" else 4.0

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """See ``Meter``: it is found, not watched."""
        del quantity_id, conditions
        return None

    def cancel(self) -> None:
        """See ``Meter``."""
        self._stopped.set()

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """The decibels between two settings that read alike, or between two readings. Raises BenchError without a level, or as they do."""
        if conditions.level_dbm is None:
            raise BenchError(tr("This check needs a level on the generator: set one up."))
        self._stopped.clear()
        if quantity_id == "rx.agc_rise":
            assert self._audio is not None
            weak = self._read(_AUDIO, self._audio, replace(conditions, level_dbm=_FROM_DBM))
            strong = self._read(_AUDIO, self._audio, conditions)
            return Measured(20.0 * math.log10(max(strong, 1e-9) / max(weak, 1e-9)), self.name, 0.3, source="remote")
        assert self._follows is not None
        still = replace(conditions, tone_hz=None, deviation_hz=None, depth_pct=None)
        wanted = self._height(still)
        found = [self._beside(still, side * _BESIDE_HZ, wanted) for side in (-1.0, 1.0)]
        # The less of both sides counts; a side that the generator did not reach is more than it reached.
        least, reached = min(found)
        return Measured(
            least, self.name, _FINE_DB / 12.0**0.5 if reached else None, "" if reached else ">", source="remote"
        )

    def _beside(self, still: Conditions, offset: float, wanted: float) -> tuple[float, bool]:
        """How many decibels more give the same reading beside the channel; (so far it went, False) where the generator does not reach it."""
        assert still.level_dbm is not None
        low, high = 0.0, 0.0
        try:
            while self._height(replace(still, offset_hz=offset, level_dbm=round(still.level_dbm + high, 2))) < wanted:
                low, high = high, high + _COARSE_DB
                if high > _MOST_DB:
                    return low, False
        except LevelOutOfReach:
            return low, False
        while high - low > _FINE_DB:
            middle = (low + high) / 2
            there = self._height(replace(still, offset_hz=offset, level_dbm=round(still.level_dbm + middle, 2)))
            low, high = (middle, high) if there < wanted else (low, middle)
        return (low + high) / 2, True

    def _height(self, conditions: Conditions) -> float:
        assert self._follows is not None
        # A gain control's volts may fall as the signal rises: what counts is how far they stand from none.
        value = self._read(*self._follows, conditions)
        return abs(value) if self._follows[0] == "rx.agc_voltage" else value

    def _read(self, quantity_id: str, meter: Meter, conditions: Conditions) -> float:
        if self._stopped.is_set():
            raise BenchError(tr("The reading was broken off."))
        self._generator.set(conditions)
        value = meter.measure(quantity_id, conditions).value
        if value is None:
            raise BenchError(tr("{name} does not read that.", name=meter.name))
        return value
