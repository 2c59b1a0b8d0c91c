"""A filter that changes the sample rate, worked as one product of matrices.

Many outputs in a row see the same stretch of input, each with the filter shifted: their taps make the
columns of a small matrix. Some zeros are multiplied that a filter in a loop would leave out, and yet the
product takes a fifth of its time.
"""

from __future__ import annotations

from functools import lru_cache
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Filter = NDArray[np.float64] | NDArray[np.float32]
_Kind = TypeVar("_Kind", np.float64, np.float32, np.complex64)


@lru_cache(maxsize=16)
def _shifted(taps: bytes, dtype: str, up: int, down: int) -> tuple[NDArray[np.floating], int, int]:
    """(taps of neighbouring outputs, shape (stretch, outputs); the first output that is whole; its first sample)."""
    filter_ = np.frombuffer(taps, dtype)
    outputs = up * max(1, round(filter_.size / (up * down)))
    first = -(-(filter_.size - 1) // down)
    start = -(-(first * down - filter_.size + 1) // up)
    stretch = (first + outputs - 1) * down // up - start + 1
    at = (first + np.arange(outputs))[None, :] * down - (start + np.arange(stretch))[:, None] * up
    inside = (at >= 0) & (at < filter_.size)
    made = np.zeros((stretch, outputs), filter_.dtype)
    made[inside] = filter_[at[inside]]
    return made, first, start


def filter_whole(x: NDArray[_Kind], taps: Filter, up: int = 1, down: int = 1) -> NDArray[_Kind]:
    """Samples raised ``up`` times with zeros between, filtered, every ``down``-th kept: what SciPy's ``upfirdn`` gives, less
    its edges.

    ``x``: shape (n,); ``taps``: shape (k,), of the same precision. Returns shape (m,): the outputs that the whole filter
    lies over, none for an ``x`` shorter than the filter.
    """
    columns, first, start = _shifted(taps.tobytes(), taps.dtype.str, up, down)
    stretch, outputs = columns.shape
    count = (x.size - 1) * up // down - first + 1
    if count <= 0:
        return x[:0]
    step = outputs // up * down
    rows = -(-count // outputs)
    padded = np.zeros((rows - 1) * step + stretch, x.dtype)
    used = x[start : start + padded.size]
    padded[: used.size] = used

    looked = np.lib.stride_tricks.sliding_window_view(padded, stretch)[::step]
    if np.iscomplexobj(looked):
        made = np.empty((rows, outputs), x.dtype)
        made.real = np.ascontiguousarray(looked.real) @ columns
        made.imag = np.ascontiguousarray(looked.imag) @ columns
    else:
        made = np.ascontiguousarray(looked) @ columns
    return made.reshape(-1)[:count]
