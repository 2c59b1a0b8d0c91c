"""What a dial covers between its stops, against what it should: what is missing at which end, and whether that is a shift or a narrow range."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

RangeFinding = Literal["covers", "shifted", "narrow"]
#: An end counts as missed from half a per cent on (common practice for a printed dial, no source).
_MISSED = 0.005


@dataclass(frozen=True)
class RangeVerdict:
    """Whether a dial covers its band: what is missing at either end (Hz, zero where nothing is), and of what kind that is."""

    finding: RangeFinding
    low_missing_hz: float
    high_missing_hz: float


def judge_range(low_hz: float, high_hz: float, wanted_low_hz: float, wanted_high_hz: float) -> RangeVerdict:
    """Judge what was counted at both stops (Hz) against what is wanted there.

    One coil and a variable capacitor: the ratio of the ends is the root of the ratio of the capacitances, and the coil moves both ends by
    the same share (f = 1/(2π√(LC)), W. Thomson, 1853). So where the ratio suffices the coil brings both ends in: *shifted*. Where it does
    not, fixed capacitance across the gang is too large, whatever the coil: *narrow*. Raises ValueError for ends that are not above zero
    and in order.
    """
    if not (0.0 < low_hz < high_hz and 0.0 < wanted_low_hz < wanted_high_hz):
        raise ValueError("both ends are above zero, the lower one first")
    low, high = max(0.0, low_hz - wanted_low_hz), max(0.0, wanted_high_hz - high_hz)
    low = low if low > _MISSED * wanted_low_hz else 0.0
    high = high if high > _MISSED * wanted_high_hz else 0.0
    if not low and not high:
        return RangeVerdict("covers", 0.0, 0.0)
    enough = high_hz / low_hz >= wanted_high_hz / wanted_low_hz * (1.0 - _MISSED) / (1.0 + _MISSED)
    return RangeVerdict("shifted" if enough else "narrow", low, high)
