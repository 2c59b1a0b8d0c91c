"""The axis of a plot: figures with the decimal mark in use, a true minus, and their unit where it stands with them."""

from __future__ import annotations

import pyqtgraph as pg

from unitone.words import figure


class FigureAxis(pg.AxisItem):  # type: ignore[misc]
    """``side`` as pyqtgraph names it: bottom, left, …; ``suffix`` follows every figure."""

    def __init__(self, side: str, suffix: str = "") -> None:
        super().__init__(side)
        self._suffix = suffix

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [
            figure(f"{text}{self._suffix}".replace("-", "−")) for text in super().tickStrings(values, scale, spacing)
        ]
