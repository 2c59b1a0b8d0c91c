"""The voltage-controlled oscillator: coil, varactor, and the tuning voltage that a frequency asks for."""

from __future__ import annotations

import math


def varactor_capacitance(volts: float, c0_f: float, phi: float = 0.7, gamma: float = 0.5) -> float:
    """C(V) = C0/(1+V/φ)^γ in farad (abrupt junction: γ = 0.5). Raises ValueError for V ≤ -φ."""
    if volts <= -phi:
        raise ValueError("a varactor conducts at that voltage")
    return float(c0_f / (1.0 + volts / phi) ** gamma)


def resonant_hz(henry: float, farad: float) -> float:
    """f = 1/(2π√(LC)) in Hz. Raises ValueError unless both are positive."""
    if henry <= 0 or farad <= 0:
        raise ValueError("inductance and capacitance must be above zero")
    return 1.0 / (2.0 * math.pi * math.sqrt(henry * farad))


def control_volts(hz: float, henry: float, fixed_f: float, c0_f: float, phi: float = 0.7, gamma: float = 0.5) -> float:
    """Control volts that tune coil ‖ (fixed + varactor) to ``hz``; inf where no voltage can, -inf below -φ.

    Inverts ``resonant_hz`` and ``varactor_capacitance``.
    """
    needed = 1.0 / ((2.0 * math.pi * hz) ** 2 * henry) - fixed_f
    if needed <= 0:
        return math.inf
    return float(phi * ((c0_f / needed) ** (1.0 / gamma) - 1.0))
