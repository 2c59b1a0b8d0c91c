"""Tuned circuits: single and coupled pairs."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Number = TypeVar("Number", float, "NDArray[np.float64]")


def detuning(hz: Number, centre_hz: float, q: float) -> Number:
    """Normalised detuning x = 2·Q·(f-f0)/f0 (half-widths; |x| = 1 is the -3 dB point)."""
    return 2.0 * q * (hz - centre_hz) / centre_hz


def single_loss(x: float) -> float:
    """Power loss factor (≥ 1) of a single tuned circuit at detuning ``x``: 1 + x²."""
    return 1.0 + x * x


def single_response(x: NDArray[np.float64]) -> NDArray[np.complex128]:
    """Complex response 1/(1+jx) of a single tuned circuit, 1 at its centre."""
    return np.asarray(1.0 / (1.0 + 1j * x), dtype=np.complex128)


def pair_loss(x1: Number, x2: Number, coupling: Number) -> Number:
    """Power loss factor of a coupled pair, 1 when both are tuned: |pair_response|^-2. Below 1 where over-coupling lifts its humps.

    Numbers or arrays that broadcast together.
    """
    k2 = coupling * coupling
    return ((1.0 + k2 - x1 * x2) ** 2 + (x1 + x2) ** 2) / (1.0 + k2) ** 2


def pair_response(x1: NDArray[np.float64], x2: NDArray[np.float64], coupling: float) -> NDArray[np.complex128]:
    """Complex response of a coupled pair, 1 when both are tuned: (1+k²)/((1+jx1)(1+jx2)+k²).

    ``coupling`` k is in units of critical coupling. Source: F. E. Terman, Radio
    Engineers' Handbook (1943), section 3, coupled circuits.
    """
    k2 = coupling * coupling
    return np.asarray((1.0 + k2) / ((1.0 + 1j * x1) * (1.0 + 1j * x2) + k2), dtype=np.complex128)
