"""The level at which a radio gives its reference SINAD (12 dB) or (S+N)/N (10 dB), from a few readings, with its uncertainty.

A grid of candidate levels and slopes is weighed by every reading taken so far
(Bayes), with a curve that rises linearly in dB from the noise and flattens at a
ceiling. Unlike bisection, no reading is final: one that was wrong is outvoted.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

WANTED_DB = 12.0
_LOWEST_DBM, _HIGHEST_DBM = -135.0, -50.0
#: Candidate slopes of S/N against level near the mark (dB per dB): 1 for AM, up to 2.5 for FM below threshold.
_SLOPES = np.array([0.9, 1.0, 1.15, 1.35, 1.6, 1.9, 2.25, 2.65])
#: How likely each is before anything is read (practice: FM sets lie between 1.2 and 2.2).
_PRIOR = np.array([0.6, 0.9, 1.0, 1.2, 1.2, 1.0, 0.8, 0.5])
#: Candidate ceilings of the S/N (dB): hum, residual FM, distortion.
_CEILINGS = np.array([17.0, 22.0, 30.0, 45.0])
#: Spread of a reading near the mark, and how it grows with the distance from it, where the curve's shape is unsure (dB).
_NEAR_STD, _FAR_STD = 0.4, 0.25
#: One reading in so many is simply wrong.
_WRONG = 0.03
#: The level is found when it is this sure (dB), or when more readings would not help much.
_SURE_DB, _MOST = 0.16, 14
_LEAST = 4


@dataclass(frozen=True)
class LevelMove:
    """The next level to try, or the level found with its spread (dBm, dB); ``slope`` is what the readings say of the curve."""

    try_dbm: float | None = None
    found_dbm: float | None = None
    std_db: float | None = None
    hopeless: bool = False
    slope: float | None = None


@lru_cache(maxsize=4)
def _levels() -> NDArray[np.float64]:
    return np.arange(_LOWEST_DBM - 5.0, _HIGHEST_DBM + 5.01, 0.1)


def sinad_at(
    delta_db: NDArray[np.float64], slope: NDArray[np.float64], ceiling_db: NDArray[np.float64], wanted_db: float
) -> NDArray[np.float64]:
    """SINAD (dB) at ``delta_db`` above the level that gives ``wanted_db``; all broadcast together.

    S/N rises by ``slope`` dB a dB and flattens at ``ceiling_db``; SINAD = (S+N)/N. The curve goes through the mark.
    """
    mark = 10.0 ** (wanted_db / 10.0) - 1.0
    roof = 10.0 ** (ceiling_db / 10.0)
    # What the rising part has to be at the mark, so that rising part and ceiling together give it.
    rising = 1.0 / (1.0 / mark - 1.0 / roof)
    snr = 1.0 / (1.0 / (rising * 10.0 ** (slope * np.clip(delta_db, -200.0, 200.0) / 10.0)) + 1.0 / roof)
    return np.asarray(10.0 * np.log10(1.0 + snr), np.float64)


def posterior(readings: Sequence[tuple[float, float]], wanted_db: float = WANTED_DB) -> tuple[float, float, float]:
    """(level dBm, its standard deviation dB, slope dB/dB) from (level dBm, SINAD dB) readings. Raises ValueError for none."""
    if not readings:
        raise ValueError("no readings")
    grid = _levels()
    log = np.broadcast_to(np.log(_PRIOR)[None, :, None], (grid.size, _SLOPES.size, _CEILINGS.size)).copy()
    for level, sinad in readings:
        expected = sinad_at(level - grid[:, None, None], _SLOPES[None, :, None], _CEILINGS[None, None, :], wanted_db)
        std = math.hypot(_NEAR_STD, _FAR_STD * abs(sinad - wanted_db))
        near = np.exp(-0.5 * ((sinad - expected) / std) ** 2) / std
        log += np.log((1.0 - _WRONG) * near + _WRONG / 40.0)
    weight = np.exp(log - log.max())
    weight /= weight.sum()
    at = weight.sum(axis=(1, 2))
    mean = float(grid @ at)
    std = math.sqrt(max(float((grid - mean) ** 2 @ at), 0.0))
    return mean, std, float(_SLOPES @ weight.sum(axis=(0, 2)))


def next_level(readings: Sequence[tuple[float, float]], start_dbm: float, wanted_db: float = WANTED_DB) -> LevelMove:
    """From (level dBm, SINAD dB) readings, oldest first: where to read next, or the level found with its spread."""
    if not readings:
        return LevelMove(try_dbm=start_dbm)
    highest = max(level for level, _ in readings)
    if highest >= _HIGHEST_DBM and max(s for level, s in readings if level >= _HIGHEST_DBM) < wanted_db:
        return LevelMove(hopeless=True, found_dbm=_HIGHEST_DBM)
    mean, std, slope = posterior(readings, wanted_db)
    near = [level for level, sinad in readings if abs(sinad - wanted_db) <= 4.0]
    if len(near) >= 2 and ((len(readings) >= _LEAST and std < _SURE_DB) or len(readings) >= _MOST):
        return LevelMove(found_dbm=mean, std_db=std, slope=slope)
    if len(near) < 2 and std > 1.5:
        # Far from the mark: go to the middle of what is left, boldly but never by more than twelve dB at once.
        last = readings[-1][0]
        wanted = min(max(mean, last - 12.0), last + 12.0)
    else:
        # Either side in turn, where the slope shows and the curve is still steep.
        wanted = mean + (0.7 if len(readings) % 2 else -0.7) / max(slope, 1.0) * 1.4
    for tried, sinad in readings:
        if abs(tried - wanted) < 0.05 and len(near) < 2:
            wanted += 1.5 if sinad < wanted_db else -1.5
    return LevelMove(try_dbm=round(min(max(wanted, _LOWEST_DBM), _HIGHEST_DBM), 1), slope=slope)
