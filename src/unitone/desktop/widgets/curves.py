"""Plots that only show: a thick curve, a thin one, a dashed limit, bars, a band, and names at places."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QSizePolicy

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.axis import FigureAxis

Values = NDArray[np.float64]


def scale_of(x: Values) -> tuple[float, str]:
    """(divisor, unit) in which frequencies up to those of ``x`` are read best."""
    most = float(np.abs(x).max()) if x.size else 0.0
    return (1e6, "MHz") if most >= 2e6 else (1e3, "kHz") if most >= 2e4 else (1.0, "Hz")


class Curves(pg.PlotWidget):  # type: ignore[misc]
    """One plot. Nothing in it can be dragged; what it shows is given whole each time."""

    def __init__(self, name: str, suffix: str = "") -> None:
        super().__init__(axisItems={"bottom": FigureAxis("bottom", suffix), "left": FigureAxis("left")})
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setMouseEnabled(False, False)
        self.setMinimumSize(theme.px(80), theme.px(44))
        # A plot takes what is left: words and buttons come first.
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.hideButtons()
        self.setMenuEnabled(False)
        self._band = pg.LinearRegionItem(movable=False)
        self._bars = pg.BarGraphItem(x0=[0.0], x1=[0.0], height=[0.0])
        self._thin, self._thick, self._limit = pg.PlotCurveItem(), pg.PlotCurveItem(), pg.PlotCurveItem()
        for part in (self._band, self._bars, self._thin, self._thick, self._limit):
            self.addItem(part, ignoreBounds=True)
        self._band.hide()
        self._words: list[pg.TextItem] = []
        #: A steady curve is drawn as one: less than this fills no plot.
        self.least = 0.0
        self.getPlotItem().setContentsMargins(0, theme.px(6), 0, 0)
        theme.changed.connect(self._dress)
        self._dress()

    def _dress(self) -> None:
        self.setBackground(theme.colour("card"))
        for side in ("left", "bottom"):
            axis = self.getPlotItem().getAxis(side)
            axis.setPen(pg.mkPen(theme.colour("line")))
            axis.setTextPen(pg.mkPen(theme.colour("quiet")))
            axis.setStyle(tickFont=theme.font(12), tickLength=4)
        self._thick.setPen(pg.mkPen(theme.colour("teal"), width=2))
        self._thin.setPen(pg.mkPen(theme.colour("recheck"), width=1))
        self._limit.setPen(pg.mkPen(theme.colour("out_of_spec"), width=2, style=Qt.PenStyle.DashLine))
        self._bars.setOpts(pen=pg.mkPen(theme.colour("teal"), width=1), brush=pg.mkBrush(theme.colour("teal_soft")))
        self._band.setBrush(pg.mkBrush(theme.colour("teal_soft")))
        for line in self._band.lines:
            line.setPen(pg.mkPen(None))
        for words in self._words:
            words.setColor(theme.colour("ink"))

    def show_nothing(self) -> None:
        """An empty place."""
        nothing = np.zeros(0)
        self.show_curves(nothing, nothing)

    def show_bars(self, edges: Values, shares: Values) -> None:
        """A histogram: edges of shape (n+1,), shares of shape (n,)."""
        self._clear()
        self._bars.setOpts(x0=edges[:-1], x1=edges[1:], height=shares)
        self._bars.show()
        self._axes(True)
        self.setXRange(float(edges[0]), float(edges[-1]), padding=0.01)
        self.setYRange(0.0, 1.15 * max(float(shares.max()), 1e-9), padding=0)

    def show_curves(
        self, x: Values, y: Values, thin: Values | None = None, band: tuple[float, float] | None = None,
        marks: tuple[tuple[float, float, str], ...] = (), limit: tuple[Values, Values] | None = None,
    ) -> None:  # fmt: skip
        """Draw these; nothing where there is nothing."""
        self._clear()
        self._thick.setData(x, y)
        if thin is not None:
            self._thin.setData(x, thin)
        if limit is not None:
            self._limit.setData(*limit)
        self._axes(bool(x.size))
        self._band.setVisible(band is not None and bool(x.size))
        if not x.size:
            self._name(())
            return
        parts = [y] + ([thin] if thin is not None else []) + ([limit[1]] if limit is not None else [])
        low, high = min(float(p.min()) for p in parts), max(float(p.max()) for p in parts)
        spare = max(0.0, self.least - (high - low)) / 2.0
        low, high = low - spare, high + spare
        room = 0.12 * (high - low or 1.0)
        self.setXRange(float(x[0]), float(x[-1]), padding=0.01)
        self.setYRange(low - room / 2, high + room, padding=0)
        if band is not None:
            self._band.setRegion((max(band[0], float(x[0])), min(band[1], float(x[-1]))))
        self._name(tuple(m for m in marks if x[0] <= m[0] <= x[-1]))

    def _clear(self) -> None:
        for part in (self._thick, self._thin, self._limit):
            part.setData([], [])
        self._bars.hide()
        self._band.hide()

    def _axes(self, shown: bool) -> None:
        for side in ("left", "bottom"):
            self.getPlotItem().showAxis(side, shown)

    def _name(self, marks: tuple[tuple[float, float, str], ...]) -> None:
        """Names at places; those that are there already are moved, so that a living plot makes nothing anew."""
        marks = self._apart(marks)
        while len(self._words) > len(marks):
            self.removeItem(self._words.pop())
        while len(self._words) < len(marks):
            item = pg.TextItem("", color=theme.colour("ink"))
            item.setFont(theme.font(12, True))
            self.addItem(item, ignoreBounds=True)
            self._words.append(item)
        for item, (at, height, words) in zip(self._words, marks, strict=True):
            if item.toPlainText() != words:
                item.setText(words, theme.colour("ink"))
            item.setAnchor((1.06, 0.4) if self._to_the_left(at) else (-0.06, 0.4))
            item.setPos(at, height)

    def _to_the_left(self, at: float) -> bool:
        """Near the right edge a name stands to the left of its place."""
        low, high = self.getViewBox().viewRange()[0]
        return bool(at > low + 0.75 * (high - low))

    def _apart(self, marks: tuple[tuple[float, float, str], ...]) -> tuple[tuple[float, float, str], ...]:
        """The names that lie on no other: the first ones win."""
        wide, tall = self.getViewBox().viewPixelSize()
        metrics = QFontMetrics(theme.font(12, True))
        kept: list[tuple[float, float, str]] = []
        boxes: list[tuple[float, float, float]] = []
        for at, height, words in marks:
            size = metrics.horizontalAdvance(words) * 1.12 * wide
            start = at - size if self._to_the_left(at) else at
            if all(
                start + size < other or other + width < start or abs(height - level) > metrics.height() * tall
                for other, width, level in boxes
            ):
                kept.append((at, height, words))
                boxes.append((start, size, height))
        return tuple(kept)
