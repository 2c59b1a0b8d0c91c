"""Thermal noise and the noise factor of a chain."""

from __future__ import annotations

import math
from collections.abc import Sequence

#: Boltzmann's constant, J/K (exact since the 2019 SI), and the reference temperature of noise figures (IEEE).
BOLTZMANN = 1.380649e-23
T0 = 290.0
KT0 = BOLTZMANN * T0


def ktb_dbm(bandwidth_hz: float) -> float:
    """Thermal noise power kT0·B in dBm: -174 dBm/Hz. Raises ValueError unless the bandwidth is positive."""
    if bandwidth_hz <= 0:
        raise ValueError("bandwidth must be above zero")
    return 10.0 * math.log10(KT0 * bandwidth_hz / 1e-3)


def friis(stages: Sequence[tuple[float, float]]) -> float:
    """Noise factor of a chain from (noise factor, power gain) of each stage, both linear.

    F = F1 + (F2-1)/G1 + (F3-1)/(G1·G2) + … (H. T. Friis, Proc. IRE 32, 1944, p. 419).
    A passive loss L at T0 is (L, 1/L). Raises ValueError on an empty chain.
    """
    if not stages:
        raise ValueError("a chain has at least one stage")
    total, gain = 1.0, 1.0
    for factor, stage_gain in stages:
        total += (factor - 1.0) / gain
        gain *= stage_gain
    return total
