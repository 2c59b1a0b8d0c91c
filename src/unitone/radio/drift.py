"""A count that drifts: how fast it goes now, and how long until what is left to come is small."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

#: Counts of one point further apart than this tell a drift (s); older ones are of another warm-up.
_LEAST_S, _MOST_S = 20.0, 1800.0


@dataclass(frozen=True)
class Drift:
    """How a count moves: Hz a minute now, its spread, and how long until what is left to come is small (s; None: not seen)."""

    hz_per_minute: float
    std: float
    wait_s: float | None


def drift(readings: Sequence[tuple[float, float]], small_hz: float, u_hz: float = 1.0) -> Drift | None:
    """From (seconds, Hz) of one point, untouched between: the slope at the end, and the wait until less than ``small_hz`` is to come.

    Warming up goes like c + a·exp(-t/tau): for each tau of a fine scale c and a are a line, and the least squares choose. No
    wait is told where a constant does as well, or where the course is still straight (tau far beyond the time that was watched).
    None for fewer than three counts, or too short a time.
    """
    if len(readings) < 3 or readings[-1][0] - readings[0][0] < _LEAST_S:
        return None
    t, f = np.array([r[0] for r in readings]), np.array([r[1] for r in readings])
    watched = float(t[-1] - t[0])
    best: tuple[float, float, float] | None = None
    for tau in np.geomspace(watched / 10.0, watched * 3.0, 80):
        shape = np.exp(-(t - t[-1]) / tau)
        design = np.stack([np.ones_like(t), shape], 1)
        (c, a), *_ = np.linalg.lstsq(design, f, rcond=None)
        left = float(np.sum((f - c - a * shape) ** 2))
        if best is None or left < best[0]:
            best = (left, float(a), float(tau))
    assert best is not None
    left, to_come, tau = best
    constant = float(np.sum((f - f.mean()) ** 2))
    seen = constant - left > 9.0 * u_hz**2 and len(t) > 3 and tau < 2.9 * watched
    wait = None if not seen else max(tau * math.log(abs(to_come) / small_hz), 0.0) if to_come else 0.0
    # While it warms up the law itself says how fast it goes at the last count; else all the counts tell it together.
    last = t[len(t) // 2 :] if seen else t
    away = last - last.mean()
    square = float(away @ away)
    slope, std = float(away @ f[-len(last) :]) / square, u_hz / math.sqrt(square)
    if seen:
        slope = -to_come / tau
    return Drift(60.0 * slope, 60.0 * std, wait)
