"""Weightings of noise: what the ear, or a telephone, makes of each frequency. Decibels between table points by PCHIP in log f."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

Weighting = Literal["flat", "psophometric", "c-message"]
WEIGHTINGS: tuple[Weighting, ...] = ("flat", "psophometric", "c-message")
#: The band of each: what lies outside counts nothing.
BANDS_HZ: dict[Weighting, tuple[float, float]] = {
    "flat": (300.0, 3400.0), "psophometric": (16.66, 6000.0), "c-message": (60.0, 5000.0),
}  # fmt: skip
#: ITU-T O.41 (10/94), table 1, dB relative to 800 Hz (from memory).
PSOPHOMETRIC: tuple[tuple[float, float], ...] = (
    (16.66, -85.0), (50, -63.0), (100, -41.0), (200, -21.0), (300, -10.6), (400, -6.3), (500, -3.6), (600, -2.0), (700, -0.9),
    (800, 0.0), (900, 0.6), (1000, 1.0), (1200, 0.0), (1400, -0.9), (1600, -1.7), (1800, -2.4), (2000, -3.0), (2500, -4.2),
    (3000, -5.6), (3500, -8.5), (4000, -15.0), (4500, -25.0), (5000, -36.0), (6000, -43.0),
)  # fmt: skip
#: C-message, IEEE Std 743, dB relative to 1000 Hz (from memory).
C_MESSAGE: tuple[tuple[float, float], ...] = (
    (60, -55.7), (100, -42.5), (200, -25.1), (300, -16.3), (400, -11.2), (500, -7.7), (600, -5.0), (700, -2.8), (800, -1.3),
    (900, -0.3), (1000, 0.0), (1200, -0.4), (1300, -0.7), (1500, -1.2), (1800, -1.3), (2000, -1.1), (2500, -1.1), (2800, -2.0),
    (3000, -3.0), (3300, -5.1), (3500, -7.1), (4000, -14.6), (4500, -22.3), (5000, -28.7),
)  # fmt: skip
_TABLES = {"psophometric": PSOPHOMETRIC, "c-message": C_MESSAGE}


@lru_cache(maxsize=4)
def _curve(weighting: Weighting) -> PchipInterpolator:
    table = np.array(_TABLES[weighting])
    return PchipInterpolator(np.log(table[:, 0]), table[:, 1])


def weight_db(weighting: Weighting, hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Weight in dB at each frequency (Hz, above 0), same shape; −200 outside the weighting's band. Flat is 0 inside."""
    low, high = BANDS_HZ[weighting]
    inside = (hz >= low) & (hz <= high)
    if weighting == "flat":
        return np.where(inside, 0.0, -200.0)
    return np.where(inside, _curve(weighting)(np.log(np.clip(hz, low, high))), -200.0)


def weight_power(weighting: Weighting, hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """The same as a factor on power."""
    return np.asarray(10.0 ** (weight_db(weighting, hz) / 10.0), np.float64)
