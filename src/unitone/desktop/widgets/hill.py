"""The hill: readings against turns with the fitted curve, its band, and the peak."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QLabel, QStackedLayout, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label
from unitone.session.shapes import HillView
from unitone.words import tr

pg.setConfigOptions(antialias=True)


class HillPlot(QWidget):
    """A plot that only shows: no mouse zoom, nothing to break with a sleeve."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Readings against turns"))
        self._view: HillView | None = None
        self.plot = pg.PlotWidget()
        self.plot.setAccessibleName(tr("Plot"))
        self.plot.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.plot.setMouseEnabled(False, False)
        self.plot.hideButtons()
        self.plot.setMenuEnabled(False)
        self.empty: QLabel = label("quiet", "", wrap=True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(self.plot)
        self._stack.addWidget(self.empty)
        self.setMinimumHeight(theme.px(120))
        theme.changed.connect(self._theme_changed)

    def _theme_changed(self) -> None:
        self.show_hill(self._view, self.empty.text())

    def show_hill(self, view: HillView | None, otherwise: str) -> None:
        """Show a hill, or the words ``otherwise`` where there is nothing to draw yet."""
        self._view = view
        if view is None or not view.points:
            self.empty.setText(otherwise)
            self._stack.setCurrentWidget(self.empty)
            self.setAccessibleDescription(otherwise)
            return
        self._stack.setCurrentWidget(self.plot)
        self.setAccessibleDescription(
            tr("{n} readings of {adjuster}. {peak}", n=len(view.points), adjuster=view.adjuster, peak=view.peak_text)
        )
        self._draw(view)

    def _draw(self, view: HillView) -> None:
        item = self.plot.getPlotItem()
        item.clear()
        self.plot.setBackground(theme.colour("card"))
        quiet, teal = theme.colour("quiet"), theme.colour("teal")
        for side in ("left", "bottom"):
            axis = item.getAxis(side)
            axis.setPen(pg.mkPen(theme.colour("line")))
            axis.setTextPen(pg.mkPen(quiet))
            axis.setStyle(tickFont=theme.font(12), tickLength=4)
            axis.enableAutoSIPrefix(False)
        style = {"color": theme.tokens.quiet, "font-size": f"{theme.px(12)}px"}
        turning = view.x_unit != "dBm"
        words = tr(
            "{adjuster}, {unit} from where it was found (cw to the right)", adjuster=view.adjuster, unit=view.x_unit
        )
        item.setLabel("bottom", words if turning else f"{view.adjuster}, dBm", **style)
        if self.height() < theme.px(150) or self.width() < theme.px(420):
            item.setLabel(
                "bottom",
                tr("{adjuster}, {unit}, cw to the right", adjuster=view.adjuster, unit=view.x_unit)
                if turning
                else "dBm",
                **style,
            )
        item.setLabel("left", view.y_unit, **style)
        item.showGrid(x=True, y=True, alpha=0.18)
        if view.curve_x:
            band = QColor(theme.colour("teal_soft"))
            low = pg.PlotDataItem(view.curve_x, view.curve_low, pen=None)
            high = pg.PlotDataItem(view.curve_x, view.curve_high, pen=None)
            item.addItem(pg.FillBetweenItem(low, high, brush=band))
            item.plot(view.curve_x, view.curve_y, pen=pg.mkPen(teal, width=2.4))
        if view.target is not None:
            item.addItem(
                pg.InfiniteLine(
                    view.target, 0, pen=pg.mkPen(theme.colour("holds"), width=1.6, style=Qt.PenStyle.DashLine)
                )
            )
        xs, ys = zip(*view.points, strict=True)
        item.plot(
            xs, ys, pen=None, symbol="o", symbolSize=theme.px(9), symbolBrush=theme.colour("card"),
            symbolPen=pg.mkPen(theme.colour("ink"), width=2),
        )  # fmt: skip
        item.addItem(pg.InfiniteLine(view.here, 90, pen=pg.mkPen(theme.colour("orange"), width=2)))
        if abs(view.here - xs[-1]) < 1e-6:
            item.plot([xs[-1]], [ys[-1]], pen=None, symbol="o", symbolSize=theme.px(15), symbolBrush=None,
                      symbolPen=pg.mkPen(theme.colour("orange"), width=3))  # fmt: skip
        self._range(item, view, xs, ys)
        if view.peak is not None:
            item.addItem(
                pg.InfiniteLine(
                    view.peak, 90, pen=pg.mkPen(theme.colour("holds"), width=1.6, style=Qt.PenStyle.DashLine)
                )
            )
            words = pg.TextItem(
                view.peak_text,
                color=theme.colour("holds"),
                anchor=(0 if view.peak < sum(item.viewRange()[0]) / 2 else 1, 0),
            )
            words.setFont(theme.font(13, True))
            words.setPos(view.peak, item.viewRange()[1][1])
            item.addItem(words, ignoreBounds=True)

    def _range(self, item: pg.PlotItem, view: HillView, xs: tuple[float, ...], ys: tuple[float, ...]) -> None:
        """Enough of the axes to give the readings room, never a needle's width."""
        least = {"dBm": 6.0, tr("turns"): 0.5}.get(view.x_unit, 20.0)
        low, high = min([*xs, view.here, *view.curve_x]), max([*xs, view.here, *view.curve_x])
        room = max(0.06 * (high - low), least / 4)
        item.setXRange(low - room, high + room, padding=0)
        values = [*ys, *view.curve_y] + ([view.target] if view.target is not None else [])
        bottom, top = min(values), max(values)
        if view.curve_y and view.y_unit in ("dB", "W"):
            bottom = max(bottom, min(ys) - 0.6 * max(max(ys) - min(ys), 1.0))
        if view.curve_y and view.y_unit == "%":
            top = min(top, max(ys) * 1.6)
        room = 0.14 * max(top - bottom, 1e-3, abs(top) * 0.02)
        item.setYRange(bottom - room, top + (1.8 if self.height() > theme.px(170) else 4.0) * room, padding=0)
