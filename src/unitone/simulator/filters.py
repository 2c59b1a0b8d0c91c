"""The filters of simulated radios, each worked out once: a proof makes thousands of radios with the same few."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter

Kind = Literal["lowpass", "highpass", "bandpass"]


def butterworth(order: int, hz: float | tuple[float, float], kind: Kind, rate: float) -> NDArray[np.float64]:
    """Second-order sections, shape (sections, 6), of a ``lowpass``, ``highpass`` or ``bandpass`` with its corners at ``hz``."""
    return _made(order, hz, kind, rate).copy()


@lru_cache(maxsize=64)
def _made(order: int, hz: float | tuple[float, float], kind: Kind, rate: float) -> NDArray[np.float64]:
    return np.asarray(butter(order, hz, btype=kind, fs=rate, output="sos"), np.float64)
