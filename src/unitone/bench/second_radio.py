"""A second radio as the measure of a single-sideband carrier: what a voice sounds like on it tells how far the carrier is off.

The sidebands run against each other: a carrier too high is heard as a voice too high in USB, too low in LSB. A clarifier that has to be
turned up until the voice is natural says the same in both: the carrier is that much too high.
"""

from __future__ import annotations

import re
from typing import Final

from unitone.errors import BenchError
from unitone.quantities.entry import Bound, Typed
from unitone.sheet.model.injection import SIDES
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr

#: How conditions name the two ways, and what a meter of each reads: the voice's shift, or how far the clarifier was turned (Hz).
BY_CLARIFIER, BY_VOICE = "clarifier", "voice"
VOICE_SHIFT, CLARIFIER = "tx.voice_shift", "tx.clarifier"
_READS: Final = {BY_VOICE: VOICE_SHIFT, BY_CLARIFIER: CLARIFIER}
_CLOCK: Final = re.compile(r"^(?P<hour>\d{1,2})(?::(?P<minutes>\d\d)|\s*(?:o'clock|uhr|h))$", re.ASCII)
#: A knob's place is read to so many hours (standard uncertainty; common practice, no source).
CLOCK_U_HOURS: Final = 0.15
#: A voice so much too high or too low is just told from a natural one (Hz). Common practice, no source: about 30 to 50 Hz.
JUST_TOLD_HZ = 30.0


def read_as(quantity_id: str, conditions: Conditions | None) -> str:
    """What is really read where a second radio stands for a counter; the quantity itself in every other case."""
    if conditions is None or quantity_id != "tx.frequency_error":
        return quantity_id
    return _READS.get(conditions.source or "", quantity_id)


def side_of(mode: str | None) -> float:
    """+1 in USB, -1 in LSB. Raises BenchError in any other mode: nothing of the pitch tells of the carrier there."""
    try:
        return SIDES[(mode or "").lower()]
    except KeyError:
        raise BenchError(tr("A voice tells of the carrier in USB and LSB alone.")) from None


def carrier_error_hz(reading_hz: float, conditions: Conditions) -> float:
    """The carrier's error (Hz) from what was read on the second radio. Raises BenchError in other modes than USB and LSB."""
    return reading_hz if conditions.source == BY_CLARIFIER else reading_hz * side_of(conditions.mode)


def clock_hours(typed: str) -> float | None:
    """Where a knob points, as hours from 12 o'clock (``11 o'clock``, ``11:00``, ``1:30``, ``11 h``): -1, -1, 1.5, -1. None where that
    is no place on a clock. A knob has no place at the bottom: 6 o'clock counts as neither."""
    match = _CLOCK.match(typed.strip().lower().replace("’", "'"))
    if match is None:
        return None
    hour, minutes = int(match["hour"]), int(match["minutes"] or 0)
    if not 1 <= hour <= 12 or minutes >= 60:
        return None
    past = hour % 12 + minutes / 60.0
    if past == 6.0:
        return None
    return past if past < 6.0 else past - 12.0


def is_heard(conditions: Conditions) -> bool:
    """Is the carrier told by a second radio there?"""
    return conditions.source in _READS


def heard_as(entry: Typed, value: float | None, conditions: Conditions) -> tuple[float | None, float | None, Bound]:
    """(what was read in Hz, the carrier's error in Hz, its bound) of what was typed of a second radio: a figure, or natural, too high,
    too low. Raises BenchError in other modes than USB and LSB."""
    if entry.word == "natural":
        return None, 0.0, ""
    if entry.word in ("too high", "too low"):
        high = (1.0 if entry.word == "too high" else -1.0) * side_of(conditions.mode)
        return None, high * JUST_TOLD_HZ, ">" if high > 0 else "<"
    return (value, None if value is None else carrier_error_hz(value, conditions), entry.bound)
