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
#: AM and SSB rise dB for dB: a detector that is linear has no threshold to be under.
_LINEAR_PRIOR = np.array([1.0, 2.0, 1.0, 0.15, 0.03, 0.01, 0.01, 0.01])
#: Spread of a reading near the mark before its readings say better, worth so many of them; and how it grows with the
#: distance from the mark, where the curve's shape is unsure (dB).
_NEAR_STD, _WORTH, _FAR_STD = 0.4, 5.0, 0.25
#: What the readings may say of their spread (dB).
_LEAST_STD, _MOST_STD = 0.2, 1.2
#: At this mark and below it the ratio is taken to be (S+N)/N behind a linear detector (dB).
_LINEAR_MARK_DB = 10.0
#: One reading in so many is simply wrong.
_WRONG = 0.03
#: Decibels of power in the exponents of e.
_NEPER = math.log(10.0) / 10.0
#: The level is found when it is this sure (dB), or when more readings would not help much.
_SURE_DB, _MOST = 0.16, 14
_LEAST, _LEAST_LOOKED_AT = 4, 3
#: On a chart, or where it is only looked at: sure enough (dB) where the limit is at least so many of its spreads away.
_CHART_DB, _CLEAR = 0.35, 4.0


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
    # (Powers of ten by way of e: the same figures, sooner.)
    snr = 1.0 / (1.0 / (rising * np.exp(slope * (_NEPER * np.clip(delta_db, -200.0, 200.0)))) + 1.0 / roof)
    return np.asarray(np.log1p(snr) / _NEPER, np.float64)


def posterior(readings: Sequence[tuple[float, float]], wanted_db: float = WANTED_DB) -> tuple[float, float, float]:
    """(level dBm, its standard deviation dB, slope dB/dB) from (level dBm, SINAD dB) readings. Raises ValueError for none."""
    if not readings:
        raise ValueError("no readings")
    grid = _levels()
    curves = [_curves(level, wanted_db) for level, _ in readings]
    weight = _weigh(readings, wanted_db, None)
    if len(readings) >= _LEAST:
        # How far the readings lie from the curve tells their spread; the usual one counts as a few readings more.
        squares = [
            min(float(np.sum(weight * (sinad - c) ** 2)), 9.0 * _NEAR_STD**2)
            for (_, sinad), c in zip(readings, curves, strict=True)
            if abs(sinad - wanted_db) <= 4.0
        ]
        spread = math.sqrt((_WORTH * _NEAR_STD**2 + sum(squares)) / (_WORTH + len(squares)))
        weight = _weigh(readings, wanted_db, min(max(spread, _LEAST_STD), _MOST_STD))
    at = weight.sum(axis=(1, 2))
    mean = float(grid @ at)
    std = math.sqrt(max(float((grid - mean) ** 2 @ at), 0.0))
    return mean, std, float(_SLOPES @ weight.sum(axis=(0, 2)))


# A search asks about the same readings again with each new one.
@lru_cache(maxsize=32)
def _curves(level: float, wanted_db: float) -> NDArray[np.float64]:
    """The SINAD (dB) at a level, over (level that gives the mark, slope, ceiling)."""
    away = level - _levels()[:, None, None]
    return sinad_at(away, _SLOPES[None, :, None], _CEILINGS[None, None, :], wanted_db)


def _likelihood(level: float, sinad: float, wanted_db: float, near_std: float) -> NDArray[np.float64]:
    """The logarithm of how likely a reading is, over the same."""
    std = math.hypot(near_std, _FAR_STD * abs(sinad - wanted_db))
    near = np.exp(-0.5 * ((sinad - _curves(level, wanted_db)) / std) ** 2) / std
    return np.asarray(np.log((1.0 - _WRONG) * near + _WRONG / 40.0), np.float64)


@lru_cache(maxsize=32)
def _usual_likelihood(level: float, sinad: float, wanted_db: float) -> NDArray[np.float64]:
    """The same for the usual spread of a reading."""
    return _likelihood(level, sinad, wanted_db, _NEAR_STD)


def _weigh(readings: Sequence[tuple[float, float]], wanted_db: float, near_std: float | None) -> NDArray[np.float64]:
    """The posterior over (level, slope, ceiling), adding up to one, for this spread of a reading near the mark (dB), or the usual one."""
    prior = _LINEAR_PRIOR if wanted_db <= _LINEAR_MARK_DB else _PRIOR
    log = np.log(prior)[None, :, None] + sum(
        _usual_likelihood(level, s, wanted_db) if near_std is None else _likelihood(level, s, wanted_db, near_std)
        for level, s in readings
    )
    weight: NDArray[np.float64] = np.exp(log - log.max())
    return weight / float(weight.sum())


def next_level(
    readings: Sequence[tuple[float, float]],
    start_dbm: float,
    wanted_db: float = WANTED_DB,
    most_dbm: float | None = None,
) -> LevelMove:
    """From (level dBm, SINAD dB) readings, oldest first: where to read next, or the level found with its spread.

    ``most_dbm`` (of what is only looked at) is the highest level that is still in limits: a place that is clearly
    on one side of it is known well enough sooner.
    """
    if not readings:
        return LevelMove(try_dbm=start_dbm)
    highest = max(level for level, _ in readings)
    if highest >= _HIGHEST_DBM and max(s for level, s in readings if level >= _HIGHEST_DBM) < wanted_db:
        return LevelMove(hopeless=True, found_dbm=_HIGHEST_DBM)
    mean, std, slope = posterior(readings, wanted_db)
    near = [level for level, sinad in readings if abs(sinad - wanted_db) <= 4.0]
    sure = std < _SURE_DB or (most_dbm is not None and std < min(_CHART_DB, abs(mean - most_dbm) / _CLEAR))
    least = _LEAST if most_dbm is None else _LEAST_LOOKED_AT
    if len(near) >= 2 and ((len(readings) >= least and sure) or len(readings) >= _MOST):
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
