"""The axis of a plot: figures with the decimal mark in use, a true minus, and their unit where it stands with them."""

from __future__ import annotations

import math

import pyqtgraph as pg
from PyQt6.QtGui import QFontMetrics

from unitone.words import figure


class FigureAxis(pg.AxisItem):  # type: ignore[misc]
    """``side`` as pyqtgraph names it: bottom, left, …; ``suffix`` follows every figure."""

    def __init__(self, side: str, suffix: str = "") -> None:
        super().__init__(side)
        self._suffix = suffix

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        found: list[tuple[float, float]] = super().tickSpacing(minVal, maxVal, size)
        if self.orientation not in ("left", "right") or not 0.0 < maxVal - minVal < math.inf:
            return found
        # Beside a low plot figures would stand on each other.
        apart = 1.35 * self._figure_height()
        roomy = [s for s in found if s[0] * size / (maxVal - minVal) >= apart]
        if roomy:
            return roomy
        # The next of 1, 2, 5, 10 … that has room.
        least = apart * (maxVal - minVal) / max(size, 1.0)
        ten = 10.0 ** math.floor(math.log10(least))
        return [(next(k * ten for k in (1.0, 2.0, 5.0, 10.0) if k * ten >= least), 0.0)]

    def _figure_height(self) -> float:
        font = self.style["tickFont"]
        return float(QFontMetrics(font).height()) if font is not None else 14.0

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [
            figure(f"{text}{self._suffix}".replace("-", "−")) for text in super().tickStrings(values, scale, spacing)
        ]
