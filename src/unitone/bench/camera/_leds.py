"""A row of LEDs in a frame: which of them are lit, and what the highest lit one says."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from unitone.bench.camera.needle import Seen
from unitone.bench.camera.pixels import Sampler
from unitone.bench.camera.taught import Frame, Taught
from unitone.errors import BenchError
from unitone.words import tr

#: A spot round each LED is looked at, and a ring round it: radii as shares of the distance between neighbours.
_SPOT, _RING = 0.16, 0.5
#: Lit and dark LEDs differ by so much as they are taught (of 255).
_CONTRAST = 18.0
#: A LED whose brightness stands this near to the middle between dark and lit is not told apart.
_UNSURE = 0.16


class LedReader:
    """Reads a taught row of LEDs. Made from a frame in which at least one is lit, and at least one is dark."""

    def __init__(self, taught: Taught, frame: Frame) -> None:
        """Raises BenchError where nothing tells lit from dark, or the frame is not of the taught size."""
        self.taught = taught.checked()
        if frame.shape[:2] != (taught.height, taught.width):
            raise BenchError(tr("The picture has another size than the meter was taught in. Teach it again."))
        at = np.array([(m.x, m.y) for m in self.taught.marks])
        pitch = float(np.min(np.hypot(*np.diff(at, axis=0).T)))
        self._spots = self._around(at, _SPOT * pitch)
        #: Dark and lit as the teaching showed them: the spot's brightness above its surroundings, scaled by the picture's own light.
        glow = self._glow(frame)
        order = np.sort(glow)
        gaps = np.diff(order)
        cut = int(np.argmax(gaps))
        if gaps[cut] < _CONTRAST:
            raise BenchError(tr("Teach the LEDs while some are lit and some are dark: feed a middling signal."))
        self._dark, self._lit = float(np.median(order[: cut + 1])), float(np.median(order[cut + 1 :]))

    def _around(self, at: NDArray[np.float64], radius: float) -> Sampler:
        turn = np.linspace(0, 2 * math.pi, 8, endpoint=False)
        x = np.concatenate(
            (at[:, :1], at[:, :1] + radius * np.cos(turn), at[:, :1] + 0.5 * radius * np.cos(turn)), axis=1
        )
        y = np.concatenate(
            (at[:, 1:], at[:, 1:] + radius * np.sin(turn), at[:, 1:] + 0.5 * radius * np.sin(turn)), axis=1
        )
        return Sampler(x, y, self.taught.width, self.taught.height)

    def _glow(self, frame: Frame) -> NDArray[np.float32]:
        """How bright each LED is, shape (marks,): the brightest colour, so that red, amber and green count alike."""
        _, bright = self._spots.planes(frame)
        made: NDArray[np.float32] = np.median(bright, axis=1)
        return made

    def segments(self, frame: Frame) -> NDArray[np.float64]:
        """0 dark, 1 lit, for each LED from the lowest; NaN where that is not sure, shape (marks,)."""
        glow = (self._glow(frame) - self._dark) / (self._lit - self._dark)
        made = np.where(glow > 0.5, 1.0, 0.0)
        made[np.abs(glow - 0.5) < _UNSURE] = math.nan
        return made

    def read(self, frame: Frame) -> Seen:
        """The value of the highest LED of an unbroken row that is lit, or of a single one (a dot)."""
        if frame.shape[:2] != (self.taught.height, self.taught.width):
            return Seen(None, trouble="size")
        lit = self.segments(frame)
        if np.any(np.isnan(lit)):
            return Seen(None, trouble="covered")
        values = [m.value for m in self.taught.marks]
        on = np.flatnonzero(lit)
        if not len(on):
            return Seen(values[0], bound="<", place=0.0)
        top = int(on[-1])
        if len(on) not in (1, top + 1):
            return Seen(None, trouble="covered")
        step = (values[min(top + 1, len(values) - 1)] - values[max(top - 1, 0)]) / 2.0
        place = top / (len(values) - 1)
        if top == len(values) - 1:
            return Seen(values[top], bound=">", place=place)
        return Seen(values[top], abs(step) / math.sqrt(12.0), place=place)
