"""The level for 12 dB SINAD from a few readings round it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

WANTED_DB = 12.0
_SLOPE, _SLOPE_STD = 1.6, 0.4
_LOWEST_DBM, _HIGHEST_DBM = -135.0, -50.0
_WINDOW_DB = 4.0


@dataclass(frozen=True)
class LevelMove:
    """The next level to try, or the level found with its spread (dBm, dB)."""

    try_dbm: float | None = None
    found_dbm: float | None = None
    std_db: float | None = None
    hopeless: bool = False


def next_level(readings: Sequence[tuple[float, float]], start_dbm: float) -> LevelMove:
    """From (level dBm, SINAD dB) readings, oldest first: where to read next, or the 12 dB level.

    A straight line through the readings within 4 dB of the mark, its slope held
    near 1.6 dB per dB; three such readings are asked for.
    """
    if not readings:
        return LevelMove(try_dbm=start_dbm)
    near = [(level, sinad) for level, sinad in readings if abs(sinad - WANTED_DB) <= _WINDOW_DB]
    if len(near) >= 3:
        found, std = _line(near)
        return LevelMove(found_dbm=found, std_db=std)
    if near:
        found, _ = _line(near)
        # Either side in turn, so that the slope is seen as well.
        return LevelMove(try_dbm=round(found + (0.8 if len(near) % 2 else -0.8), 1))
    # The nearest reading; of several drowned in noise the strongest signal.
    level, sinad = min(readings, key=lambda r: (round(abs(r[1] - WANTED_DB)), -r[0] if r[1] < WANTED_DB else r[0]))
    if sinad < WANTED_DB and level >= _HIGHEST_DBM:
        return LevelMove(hopeless=True, found_dbm=_HIGHEST_DBM)
    if sinad <= 2.0:
        move = 10.0
    elif sinad < WANTED_DB:
        move = min((WANTED_DB - sinad) / _SLOPE + 0.3, 6.0)
    else:
        # Far above the mark the curve flattens, so the distance is underrated: be bold.
        move = -min((sinad - WANTED_DB) / 1.2, 12.0)
    wanted = level + move
    for tried, value in readings:
        if abs(tried - wanted) < 0.3:
            wanted += 1.5 if value < WANTED_DB else -1.5
    return LevelMove(try_dbm=round(min(max(wanted, _LOWEST_DBM), _HIGHEST_DBM), 1))


def _line(near: Sequence[tuple[float, float]]) -> tuple[float, float]:
    """Level (dBm) at 12 dB and its spread (dB): ridge regression with the slope's prior."""
    x = np.array([level for level, _ in near])
    y = np.array([sinad for _, sinad in near])
    reading_std = 0.3
    centre = x.mean()
    design = np.stack([np.ones_like(x), x - centre], axis=1) / reading_std
    normal = design.T @ design + np.diag([0.0, 1.0 / _SLOPE_STD**2])
    offset, slope = np.linalg.solve(normal, design.T @ (y / reading_std) + np.array([0.0, _SLOPE / _SLOPE_STD**2]))
    slope = max(float(slope), 0.5)
    return float(centre + (WANTED_DB - offset) / slope), float(reading_std / np.sqrt(len(near)) / slope)
