"""The Meters view: a source measured, its figure large, its curves drawn, compared, and sent to the step at hand."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import cast

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import keyed
from unitone.bench.drivers.live import Feed
from unitone.bench.mybench import MyBench
from unitone.bench.ports import Heard
from unitone.desktop.audio.soundcard import SoundInput
from unitone.desktop.features.meters.against import Against, card_of
from unitone.desktop.features.meters.how import HowCard
from unitone.desktop.features.meters.listening import Listening
from unitone.desktop.features.meters.tones import TonesCard
from unitone.desktop.shell.errand import Errand
from unitone.desktop.shell.listener import Listener, Seen
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.curves import Curves, scale_of
from unitone.desktop.widgets.figure import Figure
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import Elided, label
from unitone.errors import SignalError, UnitoneError
from unitone.present.meters.meter_pictures import measure_recording
from unitone.present.meters.meter_shapes import TAKES, TASKS, How, MeterPicture, MeterTask
from unitone.words import tr

#: A word about what was done stands for so long over a living picture (seconds).
_TOLD_S = 6.0
#: Curves are drawn so often at most (seconds): the eye follows no more, and the figure has the time.
_PLOTS_EVERY_S = 0.12
#: Tasks on I/Q, and how near to full scale a peak is a converter's end (dB).
_IQ_TASKS, _FULL_DB = ("deviation", "depth", "ssb"), 0.05
_SOURCE_CODES = {"card": "sound card", "simulated": "simulated", "file": "file"}


class MetersPage(QWidget):
    """One source at a time, measured off the window's thread."""

    #: What can go to a step, the source's name, and of what kind the source is.
    send = pyqtSignal(object, str, str)
    #: The simulated radio of the job on the Bench is wanted, or not any more.
    simulated_wanted = pyqtSignal(bool)
    #: (input's id, its side) was chosen.
    input_chosen = pyqtSignal(str, str)

    def __init__(self, bench: Callable[[], MyBench]) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Meters"))
        self.shown: MeterPicture | None = None
        self.held: MeterPicture | None = None
        self.frozen = False
        self._bench = bench
        self._path: Path | None = None
        self._task: MeterTask = "sinad"
        self._measuring = Errand("meter", self)
        self._listener = Listener(self)
        self._listener.seen.connect(self._seen)
        self._listener.ended.connect(self._ended)
        self._input: SoundInput | None = None
        self._told_until = self._drawn = 0.0
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(14), theme.px(16), theme.px(14))
        outer.setSpacing(theme.px(8))
        outer.addLayout(self._head())
        outer.addLayout(self._columns(), 1)
        theme.changed.connect(self._share_height)
        self._tell(tr("Choose what to listen to. A stereo recording is I/Q for deviation, depth and SSB."))

    # -- the cards -------------------------------------------------------------------------------

    def _columns(self) -> QHBoxLayout:
        columns = QHBoxLayout()
        columns.setSpacing(theme.px(12))
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(theme.px(10))
        left.addWidget(self._reading(), 3)
        self.listening = Listening()
        self.listening.wanted.connect(self.listen_to)
        left.addWidget(self.listening)
        self.how = HowCard()
        self.how.changed.connect(self.measure)
        left.addWidget(self.how)
        left.addStretch(1)
        self.upper = QStackedWidget()
        self.tones = TonesCard()
        self.tones.running.connect(self._sounding)
        # In a low window the generator's fields scroll: the curves below keep their room.
        self.tones_area = QScrollArea()
        self.tones_area.setWidgetResizable(True)
        self.tones_area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.tones_area.setWidget(self.tones)
        for part in (self._plot("wave", tr("Waveform")), self._table(), self.tones_area):
            self.upper.addWidget(part)
        self.upper.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Ignored)
        right.addWidget(self.upper, 5)
        self.lower = self._plot("spectrum", tr("Spectrum"))
        right.addWidget(self.lower, 6)
        self.against = Against()
        self.against.pressed.connect(self.press)
        self.told, self.to_step, self.describe_held = (
            self.against.told,
            self.against.to_step,
            self.against.describe_held,
        )
        right.addWidget(self.against)
        # In a low window the left column scrolls, the plots keep their room.
        inside = QWidget()
        left.setContentsMargins(0, 0, theme.px(4), 0)
        inside.setLayout(left)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inside)
        # As wide as its widest card, with the bar beside it: nothing of it is cut.
        area.setMinimumWidth(inside.minimumSizeHint().width() + theme.px(12))
        columns.addWidget(area, 3)
        columns.addLayout(right, 5)
        return columns

    def _head(self) -> QVBoxLayout:
        head = QVBoxLayout()
        head.setSpacing(theme.px(4))
        row = QHBoxLayout()
        row.setSpacing(theme.px(6))
        row.addWidget(label("page", tr("Meters")))
        self.name = Elided("quiet")
        row.addWidget(self.name, 1)
        self.sounding = QPushButton("")
        self.sounding.setAccessibleName(tr("Stop the tone"))
        self.sounding.clicked.connect(lambda: self.press("meter-tone"))
        self.sounding.hide()
        row.addWidget(self.sounding)
        head.addLayout(row)
        self.tasks = ChipRow(
            tr("Measurement"),
            [(name, tr(words)) for name, words in TASKS],
            lambda name: self._choose(cast("MeterTask", name)),
        )
        self.tasks.mark(self._task)
        self.chips = self.tasks.chips
        row2 = QHBoxLayout()
        row2.addWidget(self.tasks, 1)
        self.tones_chip = self._chip(tr("Tones out"), lambda _=False: self._show_upper())
        row2.addWidget(self.tones_chip)
        head.addLayout(row2)
        return head

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._share_height()

    def _share_height(self) -> None:
        """In a low window one of the two places has all the room: generator or table where one is shown, else the lower curve."""
        room = self.height() - self.against.sizeHint().height() - theme.px(110)
        upper = self.upper.currentIndex() != 0
        both = room >= theme.px(430 if self.upper.currentWidget() is self.tones_area else 320)
        self.upper.setVisible(both or upper)
        self.lower.setVisible(both or not upper)

    def _chip(self, words: str, do: Callable[[bool], None]) -> QPushButton:
        chip = QPushButton(words)
        chip.setProperty("role", "chip")
        chip.setCheckable(True)
        chip.clicked.connect(do)
        return chip

    def _reading(self) -> QWidget:
        self.doubt = Elided("quiet")
        card, layout = card_of(tr("Reading"), self.doubt)
        self.figure = Figure(100)
        self.figure.setMinimumHeight(theme.px(70))
        layout.addWidget(self.figure, 1)
        self.words = label("quiet", "", True)
        layout.addWidget(self.words)
        self.trend = Curves(tr("Reading over time"), " s")
        self.trend.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.trend.setFixedHeight(theme.px(84))
        #: A steady reading is drawn as one: less than this (dB) fills no plot.
        self.trend.least = 2.0
        layout.addWidget(self.trend)
        self.warnings = Lines(tr("Warnings"))
        layout.addWidget(self.warnings)
        return card

    def _plot(self, name: str, title: str) -> QWidget:
        words = Elided("quiet")
        card, layout = card_of(title, words)
        plot = Curves(title)
        layout.addWidget(plot, 1)
        setattr(self, name, plot)
        setattr(self, f"{name}_words", words)
        self.wave: Curves
        self.spectrum: Curves
        self.wave_words: QLabel
        self.spectrum_words: QLabel
        return card

    def _table(self) -> QWidget:
        card, layout = card_of(tr("Figures"))
        holder = QWidget()
        self.rows = QGridLayout(holder)
        self.rows.setContentsMargins(0, 0, theme.px(8), 0)
        self.rows.setVerticalSpacing(theme.px(2))
        self.rows.setHorizontalSpacing(theme.px(28))
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(holder)
        area.setAccessibleName(tr("Figures"))
        layout.addWidget(area, 1)
        return card

    # -- sources --------------------------------------------------------------------------------------

    def ask(self) -> None:
        """Choose a recording."""
        name, _ = QFileDialog.getOpenFileName(
            self,
            tr("A recording"),
            "",
            tr("Recordings (*.wav *.flac *.aif *.aiff *.ogg *.sigmf-meta *.csv *.txt *.s1p *.s2p)"),
        )
        if name:
            self.take(Path(name))
        else:
            self._show_source()

    def take(self, path: Path) -> None:
        """Measure this recording."""
        self.quiet()
        self._path = path
        self.listening.where = "file"
        self._show_source()
        self.measure()

    def listen_to(self, where: str) -> None:
        """Take another source, or the same one anew."""
        if where == "file":
            self.ask()
            return
        self.quiet()
        self.listening.where = "card" if where == "card" else "simulated"
        if where == "simulated":
            self.simulated_wanted.emit(True)
            self._show_source()
            self._tell(tr("listening to the simulated radio…"))
            return
        try:
            device, side = self.listening.chosen()
            known = self._bench().inputs.of(device.id, side)
            self._input = SoundInput(device, side, None if known is None else known.full_scale_v)
        except SignalError as error:
            self.listening.where = ""
            self._show_source()
            self._tell(str(error))
            return
        if known is not None and known.ppm is not None:
            self.how.ppm.show_value(f"{known.ppm:g} ppm")
        self.input_chosen.emit(device.id, side)
        self._start(self._input.feed)
        self._input.begin()
        self._show_source()

    def quiet(self) -> None:
        """Let go of whatever is listened to."""
        if self.listening.where == "simulated":
            self.simulated_wanted.emit(False)
        if self._input is not None:
            self._input.stop()
            self._input = None
        self._listener.stop()
        self.listening.where = ""
        self._path = None
        self._freeze(False)

    def stop(self) -> None:
        """The window closes: nothing sounds, nothing listens."""
        self.tones.stop()
        self.quiet()

    def _start(self, feed: Feed) -> None:
        """Measure a live feed, in a task that takes what it gives."""
        if feed.kind not in TAKES[self._task] or self._task == "response":
            self._mark_task("sinad" if feed.kind == "audio" else "deviation")
        self.shown = None
        self._tell(tr("listening…"))
        how = self._read()
        self._listener.start(feed, how if how is not None else How(self._task))

    def hear(self, heard: Heard) -> None:
        """A stretch of the simulated radio's sound; another kind of it (keyed, or let go) is another feed."""
        if self.listening.where != "simulated":
            return
        feed = self._listener.feed
        if feed is None or (feed.kind, feed.rate, feed.name) != (heard.kind, heard.rate, heard.name):
            feed = Feed(heard.rate, heard.kind, heard.name, heard.centre_hz, heard.full_scale_v)
            self._start(feed)
            self._show_source()
        feed.push(heard.samples)

    def deaf(self, words: str) -> None:
        """Why the simulated radio cannot be heard now."""
        if self.listening.where == "simulated":
            self._listener.stop()
            self._tell(words)

    def _seen(self, feed: Feed, seen: Seen) -> None:
        self._listener.shown()
        if feed is not self._listener.feed or self.frozen:
            return
        if seen.picture is None:
            self._tell(seen.words, seen.overload)
        else:
            self.show_picture(seen.picture, seen.overload, time.monotonic() - self._drawn > _PLOTS_EVERY_S)

    def _ended(self, feed: Feed, words: str) -> None:
        if feed is self._listener.feed and words:
            # The last picture stays, and can still be held or sent.
            self.warnings.show_lines([Line("out_of_spec", words)])
            self.warnings.show()
            self.told.setText(tr("stopped listening"))

    def _show_source(self) -> None:
        where, quiet = self.listening.where, {}
        if where == "file" and self._path is not None:
            quiet = {"file": self._path.name}
        elif where == "card" and self._input is not None:
            known = self._bench().inputs.of(self._input.device.id, self._input.side)
            quiet = {"card": tr("not calibrated in volts: My bench does it") if known is None else known.words}
        elif where == "simulated" and (feed := self._listener.feed) is not None:
            quiet = {"simulated": feed.name}
        self.listening.show_where(where, quiet, main=not where and self.shown is None)
        self.how.show_task(self._task, where in ("card", "simulated"))
        self._show_buttons()

    # -- measuring ---------------------------------------------------------------------------------

    def _choose(self, task: MeterTask) -> None:
        self._mark_task(task)
        self.shown = None
        self.tones_chip.setChecked(False)
        self._show_upper()
        self._show_source()
        self.measure()

    def _mark_task(self, task: MeterTask) -> None:
        self._task = task
        self.tasks.mark(task)

    def _read(self) -> How | None:
        """How it shall be measured; what a field does not take stands in words."""
        try:
            return self.how.read(self._task)
        except UnitoneError as error:
            self._tell(str(error))
            return None

    def measure(self) -> None:
        """Measure what is chosen in the way that is chosen; what is wrong stands in words."""
        how = self._read()
        if how is None:
            return
        if self._listener.feed is not None:
            if self._listener.feed.kind not in TAKES[self._task] or self._task == "response":
                self._tell(tr("This source does not give this measurement. Choose another source or a recording."))
            self._listener.change(how)
            return
        path = self._path
        if path is None:
            return
        self.told.setText(tr("measuring…"))
        self._measuring.run(lambda: measure_recording(path, how), self.show_picture, self._failed)

    def _failed(self, words: str) -> None:
        self.shown = None
        self._tell(words)

    def _tell(self, words: str, overload: bool = False) -> None:
        """Words where there is nothing to show."""
        self.shown = None
        self.figure.show_figure("—", "")
        for part in (self.doubt, self.words, self.told):
            part.setText("")
        self._warn([Line("undecided", words)], overload)
        for plot in (self.wave, self.spectrum, self.trend):
            plot.show_nothing()
        self.trend.hide()
        self._show_cells()

    def _warn(self, lines: list[Line], overload: bool) -> None:
        if overload:
            lines = [
                Line("out_of_spec", tr("Overload: turn the input down, or add a pad.")),
                *lines,
            ]
        self.warnings.show_lines(lines)
        self.warnings.setVisible(bool(lines))

    def show_picture(self, seen: MeterPicture, overload: bool = False, plots: bool = True) -> None:
        """Show what was measured; a living figure comes more often than its curves."""
        self.shown = seen
        self.name.setText(seen.name)
        self.figure.show_figure(seen.figure, seen.unit)
        self.figure.setAccessibleDescription(f"{seen.figure} {seen.unit} {seen.doubt}")
        self.doubt.setText(seen.doubt)
        self.words.setText(seen.words)
        if time.monotonic() > self._told_until:
            self.told.setText("")
        # A recording of I/Q that stands just at full scale was clipped by its converter.
        clipped = seen.task in _IQ_TASKS and seen.peak_dbfs is not None and abs(seen.peak_dbfs) < _FULL_DB
        overload = overload or clipped
        self._warn(
            [*(Line("out_of_spec", w) for w in seen.out), *(Line("undecided", w) for w in seen.warnings)],
            overload,
        )
        if plots:
            self._drawn = time.monotonic()
            self._draw(seen)
        self._show_cells()

    def _draw(self, seen: MeterPicture) -> None:
        self.trend.setVisible(len(seen.trend) > 1)
        if len(seen.trend) > 1:
            points = np.array(seen.trend)
            self.trend.show_curves(points[:, 0], points[:, 1])
        self._show_upper()
        if seen.table:
            self._fill(seen.table)
        else:
            self.wave.show_curves(*seen.wave, seen.rest)
            self.wave_words.setText(seen.wave_words)
        if seen.spread is not None:
            self.spectrum.show_bars(*seen.spread)
            self.spectrum_words.setText(seen.spectrum_words)
        else:
            by, unit = scale_of(seen.spectrum[0])
            marks = tuple((m.hz / by, m.db, m.words) for m in seen.marks)
            band = None if seen.band_hz is None else (seen.band_hz[0] / by, seen.band_hz[1] / by)
            limit = None if seen.limit is None else (seen.limit[0] / by, seen.limit[1])
            self.spectrum.show_curves(seen.spectrum[0] / by, seen.spectrum[1], None, band, marks, limit)
            self.spectrum_words.setText(f"{seen.spectrum_words} · {unit}")

    def _show_upper(self) -> None:
        if self.tones_chip.isChecked():
            self.upper.setCurrentWidget(self.tones_area)
        else:
            self.upper.setCurrentIndex(1 if self.shown is not None and self.shown.table else 0)
        self._share_height()

    def _fill(self, table: tuple[tuple[str, ...], ...]) -> None:
        while (item := self.rows.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        # A short table is read from afar as well.
        role = "headline" if len(table) <= 7 else "plain"
        for line, row in enumerate(table):
            for column, text in enumerate(row):
                part = label("small" if line == 0 else role, text)
                if column < 2:
                    part.setAlignment(Qt.AlignmentFlag.AlignRight)
                self.rows.addWidget(part, line, column)
        self.rows.setColumnStretch(max(len(r) for r in table), 1)
        self.rows.setRowStretch(len(table), 1)

    def _show_cells(self) -> None:
        """The small figures, and beside them those of the one that is held."""
        if said := self.against.show_figures(self.shown, self.held):
            self.told.setText(said)
        self._show_buttons()

    def _show_buttons(self) -> None:
        self.against.show_buttons(self.shown, self._listener.feed is not None, self.frozen)

    # -- doing ----------------------------------------------------------------------------------------

    def press(self, name: str) -> None:
        """An action by its id."""
        if name == "meter-open":
            self.ask()
        elif name == "meter-card":
            self.listen_to("card")
        elif name == "meter-simulated":
            self.listen_to("simulated")
        elif name == "meter-hold" and self.shown is not None:
            self.held = self.shown
            self._show_cells()
        elif name == "meter-freeze" and (self._listener.feed is not None or self.frozen):
            self._freeze(not self.frozen)
        elif name == "meter-keep" and self._listener.feed is not None:
            self._ask_keep()
        elif name == "meter-tone":
            self.tones.calibrate(self._bench().outputs)
            self.tones.press()
        elif name == "meter-tones":
            self.tones_chip.click()
        elif name == "meter-send" and (self.shown is None or not self.shown.sends):
            self._say(tr("There is no reading to send yet."))
        elif name == "meter-send" and self.shown is not None:
            sends = tuple((s.quantity_id, s.value, s.u) for s in self.shown.sends)
            self.send.emit(sends, self.shown.name, _SOURCE_CODES.get(self.listening.where, "file"))

    def _freeze(self, frozen: bool) -> None:
        self.frozen = frozen
        self.told.setText(tr("frozen: sound continues") if frozen else "")
        self._show_buttons()

    def _ask_keep(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Keep the last 10 s"), "kept.wav", tr("Sound files (*.wav)"))
        if name:
            self.keep(Path(name))

    def keep(self, path: Path) -> None:
        """Write the last ten seconds to a file."""
        try:
            seconds = self._listener.keep(path)
            self._say(tr("{s} s kept in {name}", s=f"{seconds:.1f}", name=path.name))
        except SignalError as error:
            self._say(str(error))

    def _sounding(self, words: str) -> None:
        """What sounds is always in sight, with the way to stop it."""
        self.sounding.setText(keyed(tr("Stop: {words}  Ctrl .", words=words), "meter-tone"))
        self.sounding.setVisible(bool(words))

    def sent(self, words: str) -> None:
        """How sending went."""
        self._say(words)

    def _say(self, words: str) -> None:
        """A word that a living picture does not wipe away at once."""
        self.told.setText(words)
        self._told_until = time.monotonic() + _TOLD_S
