"""The Meters view: a recording measured, its figure large, its wave and spectrum drawn, compared, and sent to the step at hand."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.views.stepcard import Figure
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.livefield import LiveLine
from unitone.desktop.widgets.painted import label
from unitone.errors import UnitoneError
from unitone.quantities.entry import parse_si
from unitone.session.meters import TASKS, MeterPicture, MeterTask, picture
from unitone.signals.weighting import WEIGHTINGS, Weighting
from unitone.words import tr

_WEIGHT_WORDS = {"flat": tr("300 to 3400 Hz, flat"), "psophometric": tr("psophometric"), "c-message": tr("C-message")}


class Curves(pg.PlotWidget):  # type: ignore[misc]
    """A plot that only shows: one thick curve, a thin one, a band, and names at places."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setMouseEnabled(False, False)
        self.setMinimumSize(theme.px(80), theme.px(44))
        # A plot takes what is left: words and buttons come first.
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.hideButtons()
        self.setMenuEnabled(False)
        self._band = pg.LinearRegionItem(movable=False)
        self._thin, self._thick = pg.PlotCurveItem(), pg.PlotCurveItem()
        for part in (self._band, self._thin, self._thick):
            self.addItem(part, ignoreBounds=True)
        self._band.hide()
        self._words: list[pg.TextItem] = []
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
        self._band.setBrush(pg.mkBrush(theme.colour("teal_soft")))
        for line in self._band.lines:
            line.setPen(pg.mkPen(None))
        for words in self._words:
            words.setColor(theme.colour("ink"))

    def show_curves(
        self, x: NDArray[np.float64], y: NDArray[np.float64], thin: NDArray[np.float64] | None = None,
        band: tuple[float, float] | None = None, marks: tuple[tuple[float, float, str], ...] = (),
    ) -> None:  # fmt: skip
        """Draw these; nothing where there is nothing."""
        self._thick.setData(x, y)
        self._thin.setData(x, thin) if thin is not None else self._thin.setData([], [])
        self._band.setVisible(band is not None)
        for old in self._words:
            self.removeItem(old)
        self._words = []
        for side in ("left", "bottom"):
            self.getPlotItem().showAxis(side, bool(x.size))
        if not x.size:
            return
        low, high = (
            float(min(y.min(), thin.min() if thin is not None else y.min())),
            float(max(y.max(), thin.max() if thin is not None else y.max())),
        )
        spare = max(0.0, self.least - (high - low)) / 2.0
        low, high = low - spare, high + spare
        room = 0.12 * (high - low or 1.0)
        self.setXRange(float(x[0]), float(x[-1]), padding=0.01)
        self.setYRange(low - room / 2, high + room, padding=0)
        if band is not None:
            self._band.setRegion((max(band[0], float(x[0])), min(band[1], float(x[-1]))))
        for at, height, words in marks:
            item = pg.TextItem(words, color=theme.colour("ink"), anchor=(-0.06, 0.4))
            item.setFont(theme.font(12, True))
            item.setPos(at, height)
            self.addItem(item, ignoreBounds=True)
            self._words.append(item)


class MetersPage(QWidget):
    """One recording at a time, measured off the window's thread."""

    send = pyqtSignal(str, float, object, str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Meters"))
        self.shown: MeterPicture | None = None
        self.held: MeterPicture | None = None
        self._path: Path | None = None
        self._task: MeterTask = "sinad"
        self._measuring = Errand("meter", self)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(16), theme.px(16), theme.px(14))
        outer.setSpacing(theme.px(10))
        outer.addLayout(self._head())
        columns = QHBoxLayout()
        columns.setSpacing(theme.px(12))
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(theme.px(10))
        left.addWidget(self._figure(), 3)
        left.addWidget(self._source())
        left.addWidget(self._how())
        left.addStretch(1)
        right.addWidget(self._plot("wave", tr("The wave")), 5)
        right.addWidget(self._plot("spectrum", tr("Where it lies")), 6)
        right.addWidget(self._against())
        # In a low window the left column scrolls, the plots keep their room.
        inside = QWidget()
        left.setContentsMargins(0, 0, theme.px(4), 0)
        inside.setLayout(left)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inside)
        columns.addWidget(area, 3)
        columns.addLayout(right, 5)
        outer.addLayout(columns, 1)
        self._tell(tr("Choose a recording: WAV, FLAC or SigMF. A stereo file is I/Q for deviation and depth."))

    def _card(self, title: str, right: QWidget | None = None) -> tuple[QFrame, QVBoxLayout]:
        card = QFrame()
        card.setProperty("role", "card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(theme.px(14), theme.px(10), theme.px(14), theme.px(12))
        layout.setSpacing(theme.px(6))
        row = QHBoxLayout()
        row.addWidget(label("heading", title))
        if isinstance(right, QLabel):
            # What does not fit is not worth a second line: plots below would be squeezed by it.
            right.setMinimumWidth(theme.px(20))
            right.setAlignment(Qt.AlignmentFlag.AlignRight)
            row.addWidget(right, 1)
        else:
            row.addStretch(1)
        layout.addLayout(row)
        return card, layout

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(theme.px(6))
        row.addWidget(label("page", tr("Meters")))
        self.name = label("quiet", "", True)
        row.addWidget(self.name, 1)
        self.chips: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for task, words in TASKS:
            chip = self.chips[task] = QPushButton(words)
            chip.setProperty("role", "chip")
            chip.setCheckable(True)
            chip.setChecked(task == self._task)
            chip.clicked.connect(lambda _=False, t=task: self._choose(t))
            group.addButton(chip)
            row.addWidget(chip)
        return row

    def _figure(self) -> QWidget:
        self.spread = label("quiet", "")
        card, layout = self._card(tr("Reading"), self.spread)
        self.figure = Figure(100)
        layout.addWidget(self.figure, 1)
        self.words = label("quiet", "", True)
        layout.addWidget(self.words)
        self.trend = Curves(tr("Reading over the recording"))
        self.trend.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.trend.setFixedHeight(theme.px(84))
        #: A steady reading is drawn as one: less than this (dB) fills no plot.
        self.trend.least = 2.0
        layout.addWidget(self.trend)
        self.warnings = Lines(tr("What is wrong with it"))
        layout.addWidget(self.warnings)
        return card

    def _source(self) -> QWidget:
        card, layout = self._card(tr("Listening to"))
        self.file = label("plain", tr("no recording yet"), True)
        layout.addWidget(self.file)
        self.open = QPushButton(tr("A recording…  Ctrl O"))
        self.open.clicked.connect(self.ask)
        layout.addWidget(self.open)
        return card

    def _how(self) -> QWidget:
        card, layout = self._card(tr("How it is heard"))
        grid = QGridLayout()
        self.weighting = Choice()
        for key in WEIGHTINGS:
            self.weighting.addItem(_WEIGHT_WORDS[key], key)
        self.weighting.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.weighting.setMinimumContentsLength(8)
        self.weighting.activated.connect(lambda _: self.measure())
        self.tone, self.channel = LiveLine(tr("Tone near"), "1 kHz"), LiveLine(tr("Channel"), "1")
        self.tone.show_value("1 kHz")
        self.channel.show_value("1")
        for line in (self.tone, self.channel):
            line.kept.connect(lambda text, f=line: (f.show_value(text), self.measure()))
        for n, (words, field) in enumerate(
            ((tr("Weighting"), self.weighting), (tr("Tone near"), self.tone), (tr("Channel"), self.channel))
        ):
            name = label("small", words)
            name.setBuddy(field)
            field.setAccessibleName(words)
            grid.addWidget(name, n, 0)
            grid.addWidget(field, n, 1)
        layout.addLayout(grid)
        return card

    def _plot(self, name: str, title: str) -> QWidget:
        words = label("quiet", "")
        card, layout = self._card(title, words)
        plot = Curves(title)
        layout.addWidget(plot, 1)
        setattr(self, name, plot)
        setattr(self, f"{name}_words", words)
        return card

    def _against(self) -> QWidget:
        self.held_words = label("quiet", tr("hold one to compare with"))
        card, layout = self._card(tr("Found against now"), self.held_words)
        card.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        holder = QWidget()
        # Room for three lines, whether one is held or not: nothing moves when it is.
        holder.setMinimumHeight(theme.px(80))
        self.cells = QGridLayout(holder)
        self.cells.setContentsMargins(0, 0, 0, 0)
        self.cells.setHorizontalSpacing(theme.px(12))
        layout.addWidget(holder)
        row = QHBoxLayout()
        self.to_step, self.hold = QPushButton(tr("Send to step  Ctrl ↵")), QPushButton(tr("Hold  Ctrl H"))
        self.to_step.clicked.connect(lambda: self.press("meter-send"))
        self.hold.clicked.connect(lambda: self.press("meter-hold"))
        self.told = label("quiet", "", True)
        row.addWidget(self.to_step)
        row.addWidget(self.hold)
        row.addWidget(self.told, 1)
        layout.addLayout(row)
        self.wave: Curves
        self.spectrum: Curves
        return card

    # -- measuring ---------------------------------------------------------------------------------

    def ask(self) -> None:
        """Choose a recording."""
        name, _ = QFileDialog.getOpenFileName(
            self, tr("A recording"), "", tr("Recordings (*.wav *.flac *.aif *.aiff *.ogg *.sigmf-meta)")
        )
        if name:
            self.take(Path(name))

    def take(self, path: Path) -> None:
        """Measure this recording."""
        self._path = path
        self.file.setText(path.name)
        self.file.setToolTip(str(path))
        self.measure()

    def _choose(self, task: MeterTask) -> None:
        self._task = task
        self.measure()

    def measure(self) -> None:
        """Measure anew what is chosen; what is wrong stands in words."""
        path = self._path
        if path is None:
            return
        try:
            hz = parse_si(self.tone.text() or "1 kHz", "Hz")
            channel = int(self.channel.text() or "1")
            if not 50 <= hz <= 3400:
                raise ValueError
        except (UnitoneError, ValueError):
            self._tell(tr("A tone lies between 50 and 3400 Hz, like 1 kHz; a channel is 1, 2 …"))
            return
        task, weighting = self._task, str(self.weighting.currentData())
        weight: Weighting = next(w for w in WEIGHTINGS if w == weighting)
        self.told.setText(tr("measuring…"))
        self._measuring.run(lambda: picture(path, task, weight, hz, channel), self.show_picture, self._failed)

    def _failed(self, words: str) -> None:
        self.shown = None
        self._tell(words)

    def _tell(self, words: str) -> None:
        """Words where there is nothing to show."""
        self.figure.show_figure("—", "")
        self.spread.setText("")
        self.words.setText("")
        self.told.setText("")
        self.warnings.show_lines([Line("too close to call", words)])
        nothing = np.zeros(0)
        for plot in (self.wave, self.spectrum, self.trend):
            plot.show_curves(nothing, nothing)
        self.trend.hide()
        self._show_cells()

    def show_picture(self, seen: MeterPicture) -> None:
        """Show what was measured."""
        self.shown = seen
        self.name.setText(seen.name)
        self.figure.show_figure(seen.figure, seen.unit)
        self.spread.setText(seen.spread)
        self.words.setText(seen.words)
        self.told.setText("")
        self.warnings.show_lines([Line("too close to call", w) for w in seen.warnings])
        self.warnings.setVisible(bool(seen.warnings))
        self.trend.setVisible(len(seen.trend) > 1)
        if len(seen.trend) > 1:
            points = np.array(seen.trend)
            self.trend.show_curves(points[:, 0], points[:, 1])
        self.wave.show_curves(*seen.wave, seen.rest)
        self.wave_words.setText(f"{seen.wave_words} · {seen.wave_unit}, ms")  # type: ignore[attr-defined]
        marks = tuple((m.hz, m.db, m.words) for m in seen.marks)
        self.spectrum.show_curves(*seen.spectrum, None, seen.band_hz, marks)
        self.spectrum_words.setText(f"{seen.spectrum_words} · Hz")  # type: ignore[attr-defined]
        self.figure.setAccessibleDescription(f"{seen.figure} {seen.unit} {seen.spread}")
        self._show_cells()

    def _show_cells(self) -> None:
        """The small figures, and beside them those of the one that is held."""
        while (item := self.cells.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        held = (
            self.held
            if self.held is not None and self.shown is not None and self.held.task == self.shown.task
            else None
        )
        for n, figure in enumerate(self.shown.figures if self.shown else ()):
            self.cells.addWidget(label("small", figure.what), 0, n)
            self.cells.addWidget(
                label("headline", f"{figure.text} {figure.unit}" if figure.value is not None else "—"), 1, n
            )
            if held is not None:
                was = held.figures[n]
                said = tr("was {v} {unit}", v=was.text, unit=was.unit) if was.value is not None else tr("was —")
                self.cells.addWidget(label("quiet", said), 2, n)
        if held is not None:
            self.held_words.setText(
                tr("held: {figure} {unit}, {name}", figure=held.figure, unit=held.unit, name=held.name)
            )
        elif self.held is None:
            self.held_words.setText(tr("hold one to compare with"))
        can = self.shown is not None and bool(self.shown.sends)
        # Orange is where the hand goes next: to a recording first, then to the step.
        for button, main in ((self.open, self.shown is None), (self.to_step, self.shown is not None)):
            button.setProperty("role", "main" if main else "")
            if (style := button.style()) is not None:
                style.unpolish(button)
                style.polish(button)
        self.weighting.setEnabled(self._task == "sinad")
        self.to_step.setEnabled(can)
        self.hold.setEnabled(self.shown is not None)

    # -- doing ----------------------------------------------------------------------------------------

    def press(self, name: str) -> None:
        """An action by its id."""
        if name == "meter-open":
            self.ask()
        elif name == "meter-hold" and self.shown is not None:
            self.held = self.shown
            self._show_cells()
        elif name == "meter-send" and self.shown is not None and self.shown.sends:
            quantity_id, value, u = self.shown.sends[0]
            self.send.emit(quantity_id, value, u, self.shown.name)

    def sent(self, words: str) -> None:
        """How sending went."""
        self.told.setText(words)
