"""Readings that are no hill of one tuned circuit: two peaks of one core, or a core that does not stay where it is put."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from unitone.align.peak.hill import Point, shape_db

#: A hill that needs this many times the meter's noise to be believed is none; two of them have to do better by this share.
MISFIT, _BETTER = 2.2, 0.5
#: Readings to go by before the shape is doubted.
LEAST = 5
#: One place, read twice with moves between: further apart than this many times the meter's noise, and than this (dB), is a jump.
_JUMP_STD, _JUMP_DB = 6.0, 1.8
_TOPS = np.arange(-7.0, 7.01, 1 / 8)
_APART = np.arange(1.25, 6.3, 0.25)
_WIDTHS = np.geomspace(0.25, 2.2, 7)
#: The middle between two peaks is read at least this far under the lower of them, else they are one (dB).
_SADDLE_DB = 1.5


def two_peaks(points: Sequence[Point], slope: float, noise: float) -> tuple[float, float] | None:
    """Turns of the anticlockwise and the clockwise peak, where the readings show both; None where one hill does as well.

    A core that goes through the middle of its winding passes the same inductance twice: detuning goes with (p-x1)·(p-x2).
    ``noise``: how many times the meter's own the noise of one hill would have to be. Positions of cores in turns, one level.
    """
    p, y = np.array([q.turns for q in points]), np.array([q.height for q in points])
    std = np.array([max(q.std, 0.05) for q in points])
    x1 = _TOPS[:, None, None, None]
    apart, width = _APART[None, :, None, None], _WIDTHS[None, None, :, None]
    u = (p - x1) * (p - x1 - apart) / apart
    shape = shape_db(u, np.zeros(1), width, slope)
    weight = 1.0 / (std**2 + (0.04 * (y.max() - y)) ** 2)
    mean = (y - shape) @ weight / weight.sum()
    squares = ((y - shape - mean[..., None]) ** 2) @ weight
    i, j, k = np.unravel_index(int(np.argmin(squares)), squares.shape)
    left = float(squares[i, j, k]) / max(len(points) - 4, 1)
    low, high, w = float(_TOPS[i]), float(_TOPS[i] + _APART[j]), float(_WIDTHS[k])
    saddle = -float(shape_db(np.array([-_APART[j] / 4.0]), np.zeros(1), np.array([w]), slope)[0])
    seen = all(np.any(np.abs(p - top) < 1.7 * w) for top in (low, high))
    return (low, high) if seen and saddle > _SADDLE_DB and left**0.5 < _BETTER * noise else None


def jumps(points: Sequence[Point], tolerance: float) -> bool:
    """Does one place give two heights, though the hand came back to it? ``tolerance`` (turns): the same place."""
    for n, late in enumerate(points):
        for m in range(n - 1):
            early = points[m]
            came_back = any(abs(q.turns - late.turns) > tolerance for q in points[m + 1 : n])
            if came_back and early.level == late.level and abs(early.turns - late.turns) <= tolerance:
                spread = (early.std**2 + late.std**2) ** 0.5
                if abs(early.height - late.height) > max(_JUMP_STD * spread, _JUMP_DB):
                    return True
    return False
