"""A steady turn in the complex plane, without a sine for every sample."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray


def phasors(hz: float, rate: float, n: int, cycles: float | None = None) -> NDArray[np.complex128]:
    """exp(j2π(hz·t + cycles)) at ``n`` samples, t = k/rate, shape (n,); without ``cycles`` told from the middle, t = (k − (n−1)/2)/rate.

    A long turn is the product of a coarse and a fine one: two short tables instead of ``n`` sines, in double precision.
    """
    fine_n = math.isqrt(n) + 1
    step = 2.0 * math.pi * hz / rate
    start = -step * (n - 1) / 2 if cycles is None else 2.0 * math.pi * cycles
    fine = np.exp(1j * step * np.arange(fine_n))
    coarse = np.exp(1j * (start + fine_n * step * np.arange(-(-n // fine_n))))
    made: NDArray[np.complex128] = (coarse[:, None] * fine[None, :]).reshape(-1)[:n]
    return made
