"""The hill: readings against turns with the fitted curve, its band, and the peak."""

from __future__ import annotations

from html import escape

import pyqtgraph as pg
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QColor, QFontMetricsF
from PyQt6.QtWidgets import QGraphicsItem, QLabel, QStackedLayout, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.axis import FigureAxis
from unitone.desktop.widgets.painted import label
from unitone.present.bench.bench_shapes import HillView
from unitone.words import tr, tr_n

pg.setConfigOptions(antialias=True)


class HillPlot(QWidget):
    """A plot that only shows: no mouse zoom, nothing to break with a sleeve."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Readings against turns"))
        self._view: HillView | None = None
        self.plot = pg.PlotWidget(axisItems={"bottom": FigureAxis("bottom"), "left": FigureAxis("left")})
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
        self._later = QTimer(self, singleShot=True, interval=0)
        self._later.timeout.connect(self._draw_latest)
        self._make_items()
        theme.changed.connect(self._theme_changed)

    def _theme_changed(self) -> None:
        self._dress()
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
            tr_n(
                "{n} reading of {adjuster}. {peak}",
                "{n} readings of {adjuster}. {peak}",
                len(view.points),
                adjuster=view.adjuster,
                peak=view.peak_text,
            )
        )
        # In an event of its own: the card's words do not wait for it.
        self._later.start()

    def _draw_latest(self) -> None:
        if self._view is not None and self._view.points:
            self._draw(self._view)

    @property
    def drawn(self) -> bool:
        """Is a plot shown, and no words in its place?"""
        return self._view is not None and bool(self._view.points)

    def _make_items(self) -> None:
        """Everything that is ever drawn, made once: a picture only moves it."""
        item = self.plot.getPlotItem()
        self._low, self._high = pg.PlotCurveItem(), pg.PlotCurveItem()
        self._band = pg.FillBetweenItem(self._low, self._high)
        self._curve, self._points, self._now = pg.PlotCurveItem(), pg.ScatterPlotItem(), pg.ScatterPlotItem()
        self._found = pg.ScatterPlotItem()
        self._here, self._peak, self._target = pg.InfiniteLine(0, 90), pg.InfiniteLine(0, 90), pg.InfiniteLine(0, 0)
        self._words = pg.TextItem()
        for part in (
            self._band,
            self._curve,
            self._target,
            self._here,
            self._peak,
            self._found,
            self._points,
            self._now,
        ):
            item.addItem(part, ignoreBounds=True)
        item.addItem(self._words, ignoreBounds=True)
        item.disableAutoRange()
        self._dress()

    def _dress(self) -> None:
        """Colours and type of the theme in force."""
        item = self.plot.getPlotItem()
        self.plot.setBackground(theme.colour("card"))
        for side in ("left", "bottom"):
            axis = item.getAxis(side)
            axis.setPen(pg.mkPen(theme.colour("line")))
            axis.setTextPen(pg.mkPen(theme.colour("quiet")))
            axis.setStyle(tickFont=theme.font(12), tickLength=4)
            axis.enableAutoSIPrefix(False)
            # Drawn once for a range: a reading moves what lies between the axes.
            axis.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)
        item.showGrid(x=False, y=True, alpha=0.2)
        dash = Qt.PenStyle.DashLine
        self._band.setBrush(QColor(theme.colour("teal_soft")))
        self._curve.setPen(pg.mkPen(theme.colour("teal"), width=2))
        self._target.setPen(pg.mkPen(theme.colour("in_spec"), width=1.6, style=dash))
        self._peak.setPen(pg.mkPen(theme.colour("in_spec"), width=1.6, style=dash))
        self._here.setPen(pg.mkPen(theme.colour("orange"), width=2))
        self._points.setSize(theme.px(9))
        self._points.setBrush(theme.colour("card"))
        self._points.setPen(pg.mkPen(theme.colour("ink"), width=2))
        self._found.setSize(theme.px(11))
        self._found.setBrush(None)
        self._found.setPen(pg.mkPen(theme.colour("quiet"), width=2))
        self._now.setSize(theme.px(15))
        self._now.setBrush(None)
        self._now.setPen(pg.mkPen(theme.colour("orange"), width=3))
        self._words.setFont(theme.font(13, True))
        self._labels = ("", "")

    def _draw(self, view: HillView) -> None:
        item = self.plot.getPlotItem()
        self._label_axes(item, view)
        self._curve.setData(list(view.curve_x), list(view.curve_y))
        self._low.setData(list(view.curve_x), list(view.curve_low))
        self._high.setData(list(view.curve_x), list(view.curve_high))
        for part in (self._curve, self._band):
            part.setVisible(bool(view.curve_x))
        xs, ys = zip(*view.points, strict=True)
        self._points.setData(list(xs), list(ys))
        self._found.setData([x for x, _ in view.found], [y for _, y in view.found])
        at_hand = abs(view.here - xs[-1]) < 1e-6
        self._now.setData([xs[-1]] if at_hand else [], [ys[-1]] if at_hand else [])
        self._here.setPos(view.here)
        self._target.setVisible(view.target is not None)
        self._target.setPos(view.target or 0.0)
        self._range(item, view, xs, ys)
        for part in (self._peak, self._words):
            part.setVisible(view.peak is not None)
        if view.peak is not None:
            (left, right), (_, top) = item.viewRange()
            self._peak.setPos(view.peak)
            self._words.setAnchor((0 if view.peak < (left + right) / 2 else 1, 0))
            self._words.setText(view.peak_text, color=theme.colour("in_spec"))
            self._words.setPos(view.peak, top)

    def _label_axes(self, item: pg.PlotItem, view: HillView) -> None:
        if view.x_unit in ("dBm", "%", "kHz"):
            words = f"{view.adjuster}, {view.x_unit}"
        elif self.height() < theme.px(150) or self.width() < theme.px(420):
            words = tr("{adjuster}, {unit}, cw to the right", adjuster=view.adjuster, unit=view.x_unit)
        else:
            words = tr(
                "{adjuster}, {unit} from where it was found (cw to the right)",
                adjuster=view.adjuster,
                unit=view.x_unit,
            )
        # What does not fit would be cut at the edge without a word.
        room = self.plot.width() - theme.px(70)
        words = QFontMetricsF(theme.font(12)).elidedText(words, Qt.TextElideMode.ElideRight, max(room, 60.0))
        if self._labels != (words, view.y_unit):
            self._labels = (words, view.y_unit)
            style = {"color": theme.tokens.quiet, "font-size": f"{theme.px(12)}px"}
            item.setLabel("bottom", escape(words), **style)
            item.setLabel("left", escape(view.y_unit), **style)

    def _range(self, item: pg.PlotItem, view: HillView, xs: tuple[float, ...], ys: tuple[float, ...]) -> None:
        """Enough of the axes to give the readings room, never a needle's width."""
        least = {"dBm": 6.0, tr("turns"): 0.5, "kHz": 2.0}.get(view.x_unit, 20.0)
        low, high = min([*xs, view.here, *view.curve_x]), max([*xs, view.here, *view.curve_x])
        room = max(0.06 * (high - low), least / 4)
        item.setXRange(low - room, high + room, padding=0)
        values = [*ys, *view.curve_y, *(y for _, y in view.found)] + ([view.target] if view.target is not None else [])
        bottom, top = min(values), max(values)
        if view.curve_y and view.y_unit in ("dB", "W") and view.x_unit != "kHz":
            bottom = max(bottom, min(ys) - 0.6 * max(max(ys) - min(ys), 1.0))
        if view.curve_y and view.y_unit == "%":
            top = min(top, max(ys) * 1.6)
        room = 0.14 * max(top - bottom, 1e-3, abs(top) * 0.02)
        item.setYRange(bottom - room, top + (1.8 if self.height() > theme.px(170) else 4.0) * room, padding=0)
