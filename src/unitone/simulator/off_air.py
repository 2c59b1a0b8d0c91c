"""Stations off the air: many, weak and strong, that fade; what a technician without a generator peaks a receiver by."""

from __future__ import annotations

import math

import numpy as np

from unitone.simulator.mechanics import stream

#: Stations near any mark of a dial (dBm at the aerial socket), from the weakest: by day and by night there is a choice of them.
LEVELS_DBM = tuple(range(-112, -34, 4))
#: What conditions call one of them.
STATION = "station"
#: How far they fade up and down (dB), and how long they take (s).
_FADES_DB, _FROM_S, _TO_S = 3.0, 12.0, 45.0
_WAVES = 3


class OffAir:
    """The stations of one place and evening, by its seed: how strong each comes in at a moment."""

    def __init__(self, seed: int) -> None:
        self._seed = seed
        self._fades: dict[tuple[float, int], tuple[np.ndarray, np.ndarray, np.ndarray]] = {}

    def level_dbm(self, mark_hz: float, which: int, seconds: float) -> float:
        """The level of one of the stations near a mark (dBm), so long after switching on."""
        key = (mark_hz, which)
        if key not in self._fades:
            rng = stream(self._seed, f"off air {mark_hz:.0f} {which}")
            share = rng.uniform(0.3, 1.0, _WAVES)
            periods = rng.uniform(_FROM_S, _TO_S, _WAVES)
            self._fades[key] = (_FADES_DB * share / share.sum(), periods, rng.uniform(0.0, 2.0 * math.pi, _WAVES))
        depth, periods, phase = self._fades[key]
        return LEVELS_DBM[which] + float(np.sum(depth * np.sin(2.0 * math.pi * seconds / periods + phase)))
