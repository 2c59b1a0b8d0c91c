"""Crystals pulled by their load capacitance, and trimmers."""

from __future__ import annotations

import math


def loaded_frequency(series_hz: float, c1_f: float, c0_f: float, load_f: float) -> float:
    """f_L = f_s·(1 + C1/(2(C0+C_L))) in Hz (IEC 60122-1: load resonance offset).

    All capacitances in farad. Raises ValueError unless C0 + C_L is positive.
    """
    if c0_f + load_f <= 0:
        raise ValueError("C0 + C_L must be above zero")
    return series_hz * (1.0 + c1_f / (2.0 * (c0_f + load_f)))


def trimmer_capacitance(degrees: float, least_f: float, most_f: float) -> float:
    """Capacitance (F) of a rotary ceramic trimmer: most at 0°, least at 180°, the same again after a revolution."""
    return least_f + (most_f - least_f) * (1.0 + math.cos(math.radians(degrees))) / 2.0
