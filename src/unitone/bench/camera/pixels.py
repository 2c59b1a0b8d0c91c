"""Values of a frame between its pixels, at places that are the same in every frame."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from unitone.bench.camera.taught import Frame

Numbers = NDArray[np.float32]


class Sampler:
    """Bilinear samples at fixed places. Only the part of a frame that holds them is touched."""

    def __init__(self, x: NDArray[np.float64], y: NDArray[np.float64], width: int, height: int) -> None:
        """Places of any one shape (pixels); what lies outside of the frame is taken from its edge."""
        x, y = np.clip(x, 0.0, width - 1.001), np.clip(y, 0.0, height - 1.001)
        left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
        self._rows = slice(int(top.min()), int(top.max()) + 2)
        self._columns = slice(int(left.min()), int(left.max()) + 2)
        self._stride = self._columns.stop - self._columns.start
        self._at = ((top - self._rows.start) * self._stride + (left - self._columns.start)).astype(np.int32)
        self._fx, self._fy = (x - left).astype(np.float32), (y - top).astype(np.float32)

    def planes(self, frame: Frame) -> tuple[Numbers, Numbers]:
        """(the darkest, the brightest of the three colours) at each place, 0..255.

        A red needle is dark in green on a white face and bright in red on a black one: one plane of the two shows any needle.
        """
        part = frame[self._rows, self._columns]
        red, green, blue = part[..., 0], part[..., 1], part[..., 2]
        return (
            self._between(np.minimum(np.minimum(red, green), blue)),
            self._between(np.maximum(np.maximum(red, green), blue)),
        )

    def _between(self, plane: NDArray[np.uint8]) -> Numbers:
        flat = np.ascontiguousarray(plane).ravel().astype(np.float32)
        a, b = flat.take(self._at), flat.take(self._at + 1)
        upper = a + (b - a) * self._fx
        a, b = flat.take(self._at + self._stride), flat.take(self._at + self._stride + 1)
        lower = a + (b - a) * self._fx
        made: Numbers = upper + (lower - upper) * self._fy
        return made
