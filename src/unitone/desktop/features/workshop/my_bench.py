"""My bench: generator, pads and sound card of this workshop, and the guided calibrations that say what they really do."""

from __future__ import annotations

import dataclasses
import datetime
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)
from ulid import ULID

from unitone.bench.calibration.guides import (
    GUIDES,
    Concluded,
    Guide,
    GuideAsk,
    conclude,
    guide,
    kept,
    known_rows,
    targets,
)
from unitone.bench.instruments import Instrument
from unitone.bench.mybench import Kind, MyBench, parse_pads
from unitone.bench.path import Kit
from unitone.desktop.audio.soundcard import SIDES, SoundInput, devices
from unitone.desktop.shell.errand import Errand
from unitone.desktop.shell.listener import Listener, Seen
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice, choice_of
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.livefield import LiveLine
from unitone.desktop.widgets.painted import label, scrolled, set_tip
from unitone.errors import SignalError, UnitoneError
from unitone.files import write_file
from unitone.present.meters.meter_shapes import How
from unitone.present.papers import paper_head
from unitone.quantities.entry import decibels, parse_si
from unitone.quantities.show import number
from unitone.report.level_chart import render_chart
from unitone.session.measuring import my_bench
from unitone.store.logbook import Logbook, utc_now
from unitone.words import tr

#: A field is at least so wide: in a narrow window words beside it are broken into lines before it is cut.
_LEAST = 52


def _card(title: str) -> tuple[QFrame, QVBoxLayout]:
    card = QFrame()
    card.setProperty("role", "card")
    layout = QVBoxLayout(card)
    layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
    layout.setSpacing(theme.px(6))
    layout.addWidget(label("heading", title))
    return card, layout


class GuideCard(QFrame):
    """One calibration: what to do, what to type, what comes of it as it is typed, and keeping it."""

    keep = pyqtSignal(str, object)

    def __init__(self, bench: Callable[[], MyBench], instruments: Callable[[], tuple[Instrument, ...]]) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self._bench, self._instruments = bench, instruments
        self.guide: Guide = GUIDES[0]
        self.fields: dict[str, QLineEdit | Choice] = {}
        self.rows: list[tuple[QLineEdit, QLineEdit]] = []
        self.concluded: Concluded | None = None
        self._input: SoundInput | None = None
        self._listener = Listener(self)
        self._listener.seen.connect(self._heard)
        self._listener.ended.connect(lambda _, words: words and self._told(words))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        outer.setSpacing(theme.px(8))
        self.title, self.needs = label("title", "", True), label("quiet", "", True)
        self.steps, self.caution = label("plain", "", True), label("caution", "", True)
        for part in (self.title, self.needs, self.steps, self.caution):
            outer.addWidget(part)
        self._place = QVBoxLayout()
        outer.addLayout(self._place)
        self.listen = QPushButton(tr("Listen to the input"))
        self.listen.clicked.connect(self._listen)
        outer.addWidget(self.listen, 0, Qt.AlignmentFlag.AlignLeft)
        self.result = QFrame()
        self.result.setProperty("role", "coach")
        inside = QVBoxLayout(self.result)
        self.words, self.mind = label("headline", "", True), label("quiet", "", True)
        self.words.setAccessibleName(tr("Effect"))
        inside.addWidget(self.words)
        inside.addWidget(self.mind)
        outer.addWidget(self.result)
        self.button = QPushButton(tr("Save calibration"))
        self.button.setProperty("role", "main")
        self.button.clicked.connect(self._keep)
        outer.addWidget(self.button, 0, Qt.AlignmentFlag.AlignLeft)
        outer.addStretch(1)
        self.show_guide("pads")

    def show_guide(self, kind: str) -> None:
        """Show another calibration, its fields empty but for what is usual."""
        self.stop()
        g = self.guide = guide(kind)
        self.title.setText(g.title)
        self.needs.setText(tr("You need {needs}.", needs=g.needs))
        self.steps.setText("\n".join(f"{n}.  {words}" for n, words in enumerate(g.steps, 1)))
        self.caution.setText(g.caution)
        self.caution.setVisible(bool(g.caution))
        while (item := self._place.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.fields, self.rows = {}, []
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(theme.px(4))
        grid.setHorizontalSpacing(theme.px(10))
        at = 0
        if g.rows is not None:
            for column, words in enumerate(g.rows):
                grid.addWidget(label("small", words, True), 0, column + 1)
            for n in range(g.row_count):
                pair = (QLineEdit(), QLineEdit())
                grid.addWidget(label("small", tr("Row {n}", n=n + 1)), n + 1, 0)
                for column, (field, hint) in enumerate(
                    zip(pair, (("A", "-97.3 dBm") if n == 0 else ("", "")), strict=True)
                ):
                    field.setPlaceholderText(hint)
                    field.setMinimumWidth(theme.px(_LEAST))
                    field.setAccessibleName(tr("{what}, row {n}", what=g.rows[column], n=n + 1))
                    field.textChanged.connect(lambda _: self.work_out())
                    grid.addWidget(field, n + 1, column + 1)
                self.rows.append(pair)
            at = g.row_count + 1
        for n, ask in enumerate(g.asks):
            field = self._field(ask)
            name = label("small", ask.words, True)
            name.setBuddy(field)
            field.setAccessibleName(ask.words)
            grid.addWidget(name, at + n, 0, 1, 1 if g.rows is None else 2)
            grid.addWidget(field, at + n, 1 if g.rows is None else 2)
            self.fields[ask.key] = field
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1 if g.rows is not None else 0)
        self._place.addWidget(holder)
        self.listen.setVisible(g.kind == "input")
        self.work_out()

    def _field(self, ask: GuideAsk) -> QLineEdit | Choice:
        if ask.choices or ask.what:
            return choice_of(ask.choices or self._targets(ask.what), "", self.work_out)
        line = QLineEdit(ask.usual)
        line.setPlaceholderText(ask.hint)
        line.setMaxLength(80)
        line.setMinimumWidth(theme.px(_LEAST))
        line.textChanged.connect(lambda _: self.work_out())
        return line

    def _targets(self, what: str) -> tuple[tuple[str, str], ...]:
        if what not in ("input", "output"):
            return targets(what, self._instruments())
        try:
            found = devices(what == "output")
        except SignalError:
            return ()
        if what == "output":
            return tuple((d.id, d.name) for d in found)
        return tuple((f"{d.id}/{side}", f"{d.name}, {tr(words)}") for d in found for side, words in SIDES)

    def _typed(self) -> dict[str, str]:
        return {k: f.text() if isinstance(f, QLineEdit) else str(f.currentData() or "") for k, f in self.fields.items()}

    def work_out(self) -> None:
        """What comes of what is typed so far; what is missing, or cannot be, in words."""
        try:
            self.concluded = conclude(
                self.guide.kind, self._typed(), [(a.text(), b.text()) for a, b in self.rows], self._bench()
            )
            self.words.setText(self.concluded.words)
            self.mind.setText(self.concluded.mind)
        except UnitoneError as error:
            self.concluded = None
            self.words.setText("")
            self.mind.setText(str(error))
        self.words.setVisible(bool(self.words.text()))
        self.mind.setVisible(bool(self.mind.text()))
        self.button.setEnabled(self.concluded is not None)

    def _keep(self) -> None:
        if self.concluded is not None:
            self.keep.emit(self.guide.kind, self.concluded)

    # -- listening to the input that is calibrated ----------------------------------------------

    def _listen(self) -> None:
        if self._input is not None:
            self.stop()
            return
        target = self._typed().get("target", "")
        identifier, _, side = target.rpartition("/")
        try:
            device = next((d for d in devices() if d.id == identifier), None)
            if device is None:
                raise SignalError(tr("No sound input is there. Plug one in, and choose it."))
            self._input = SoundInput(device, next(s for s, _ in SIDES if s == side))
        except SignalError as error:
            self._told(str(error))
            return
        self._listener.start(self._input.feed, How("volts"))
        self._input.begin()
        self.listen.setText(tr("Take this level, stop listening"))

    def _heard(self, feed: object, seen: Seen) -> None:
        self._listener.shown()
        if feed is not self._listener.feed:
            return
        field = self.fields.get("dbfs")
        if seen.picture is None:
            self._told(seen.words)
        elif isinstance(field, QLineEdit) and seen.picture.value is not None:
            tone = seen.picture.figures[0].value
            if tone is None:
                self._told(tr("no tone near 1 kHz is heard: turn it on."))
            else:
                field.setText(number(tone, 2))

    def _told(self, words: str) -> None:
        self.mind.setText(words)
        self.mind.show()

    def stop(self) -> None:
        """Let go of the input."""
        if self._input is not None:
            self._input.stop()
            self._listener.stop()
            self._input = None
            self.listen.setText(tr("Listen to the input"))


class MyBenchPage(QWidget):
    """Left: generator, pads, and what is known. Right: the calibration at hand. ``changed`` tells that something was found."""

    changed = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self._logbook = logbook
        self._charting = Errand("chart", self, every=True)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(12))
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, theme.px(4), 0)
        column.setSpacing(theme.px(10))
        column.addWidget(self._generator())
        card, layout = _card(tr("Calibrations of this bench"))
        layout.addWidget(
            label(
                "quiet",
                tr("Compare one instrument with another; no laboratory needed. Every step uses the results."),
                True,
            )
        )
        self.known = Lines(tr("Calibrations of this bench"), self._pressed, bold=True, stacked=True)
        self.told = label("teal", "", True)
        self.told.hide()
        layout.addWidget(self.told)
        layout.addWidget(self.known)
        column.addWidget(card)
        column.addStretch(1)
        row.addWidget(scrolled(left, whole=True), 1)
        self.guide = GuideCard(lambda: my_bench(self._logbook), self._instruments)
        self.guide.keep.connect(self._keep)
        row.addWidget(scrolled(self.guide, whole=True), 1)
        self.show_bench()

    def _instruments(self) -> tuple[Instrument, ...]:
        return tuple(Instrument.from_data(i) for i in self._logbook.setting("instruments", []) or [])

    def _generator(self) -> QFrame:
        card, layout = _card(tr("Generator, pads and cables"))
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(4))
        self.pads, self.usual = (
            LiveLine(tr("Pads and cables"), tr("A 20; B 20; cable 0.4")),
            LiveLine(tr("Usually in line, dB"), "40, or 20+20"),
        )
        self.least, self.most = (
            LiveLine(tr("Generator minimum"), "-100 dBm"),
            LiveLine(tr("Generator maximum"), "0 dBm"),
        )
        self.fine = LiveLine(tr("Steps"), "0.1 dB")
        self.counts = QCheckBox(tr("display includes the pads"))
        fields = ((tr("Pads and cables"), self.pads, 3), (tr("Usually in line, dB"), self.usual, 1), (tr("Dial step"), self.fine, 1),
                  (tr("Generator minimum"), self.least, 1), (tr("Generator maximum"), self.most, 1))  # fmt: skip
        at = 0
        for words, field, span in fields:
            name = label("small", words, True)
            name.setBuddy(field)
            field.setAccessibleName(words)
            field.setMinimumWidth(theme.px(_LEAST))
            grid.addWidget(name, at // 2, 2 * (at % 2))
            grid.addWidget(field, at // 2, 2 * (at % 2) + 1, 1, span)
            at += 2 if span == 3 else 1
            field.kept.connect(lambda text, f=field: self._keep_kit(f, text))
        self.counts.setAccessibleName(self.counts.text())
        self.counts.clicked.connect(lambda _: self._keep_kit(None, ""))
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        layout.addLayout(grid)
        layout.addWidget(self.counts)
        self.wrong = label("cure", "", True)
        self.wrong.hide()
        layout.addWidget(self.wrong)
        self.chart = QPushButton(tr("Chart of levels (PDF)…"))
        set_tip(
            self.chart, tr("µV, dBm, S-units, and what this generator shows behind these pads: to hang up beside it")
        )
        self.chart.clicked.connect(self._ask_chart)
        layout.addWidget(self.chart, 0, Qt.AlignmentFlag.AlignLeft)
        return card

    def _ask_chart(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, tr("Chart of levels"), "levels.pdf", "PDF (*.pdf)")
        if path:
            self.save_chart(Path(path))

    def save_chart(self, path: Path) -> None:
        """Write the chart by the generator, off the window's thread."""
        kit, head = my_bench(self._logbook).kit(self._kit()), paper_head(self._logbook)
        self._charting.run(
            lambda: write_file(path, render_chart(kit, utc_now(), head)),
            lambda _: self._say(tr("Saved: {path}", path=path)),
            self._say,
        )

    # -- showing ------------------------------------------------------------------------------------

    def _kit(self) -> Kit:
        return Kit.from_data(self._logbook.setting("kit", {}) or {})

    def show_bench(self) -> None:
        """Show what is kept."""
        bench, kit = my_bench(self._logbook), self._kit()
        self.pads.show_value(
            "; ".join(f"{p.name} {p.marked_db:g}" if p.name != f"{p.marked_db:g}" else p.name for p in bench.pads)
        )
        self.usual.show_value("+".join(f"{p:g}" for p in kit.pads_db))
        self.least.show_value(f"{kit.least_dbm:g} dBm")
        self.most.show_value(f"{kit.most_dbm:g} dBm")
        self.fine.show_value(f"{kit.resolution_db:g} dB")
        self.counts.setChecked(kit.generator_knows)
        names = {i.id: i.name for i in self._instruments()}
        for output in (False, True):
            try:
                for d in devices(output):
                    names |= {d.id: d.name} | {f"{d.id}/{side}": f"{d.name}, {tr(words)}" for side, words in SIDES}
            except SignalError:
                break
        rows = known_rows(bench, names, datetime.date.today())
        self._rows = rows
        self.known.show_lines(
            [
                Line(
                    r.mark,
                    r.title,
                    r.words,
                    str(n),
                    (tr("calibrate"), tr("delete")) if r.voided_id else (tr("calibrate"),),
                )
                for n, r in enumerate(rows)
            ]
        )

    def _pressed(self, key: str, button: int) -> None:
        row = self._rows[int(key)]
        if button == 0:
            self.guide.show_guide(row.kind)
            first = next(iter(self.guide.rows), None)
            (first[0] if first else next(iter(self.guide.fields.values()))).setFocus()
            return
        # Struck, not forgotten: the one before it counts again.
        self._write(my_bench(self._logbook).void(row.voided_id))
        self._say(tr("Deleted: {title}. The one before it is used, if any.", title=row.title))

    def _say(self, words: str) -> None:
        self.told.setText(words)
        self.told.show()

    # -- keeping ------------------------------------------------------------------------------------

    def _write(self, bench: MyBench) -> None:
        self._logbook.set_setting("my_bench", bench.to_data())
        self.show_bench()
        self.changed.emit()

    def _keep(self, kind: Kind, concluded: Concluded) -> None:
        self.guide.stop()
        made = kept(kind, concluded, str(ULID()), datetime.date.today())
        self._write(my_bench(self._logbook).add(made))
        self._say(tr("kept: {words}", words=concluded.words))
        self.guide.show_guide(kind)

    def _keep_kit(self, field: LiveLine | None, text: str) -> None:
        """Generator and pads as typed; what does not hold is said, and stays in its field."""
        try:
            if field is self.pads:
                self._write(dataclasses.replace(my_bench(self._logbook), pads=parse_pads(text)))
            else:
                self._logbook.set_setting("kit", self._read_kit().to_data())
                self.show_bench()
                self.changed.emit()
        except UnitoneError as error:
            if field is not None:
                field.refused()
            self.wrong.setText(str(error))
            self.wrong.show()
            return
        self.wrong.hide()
        self.guide.work_out()

    def _read_kit(self) -> Kit:
        least, most = parse_si(self.least.text() or "-100", "dBm"), parse_si(self.most.text() or "0", "dBm")
        fine = parse_si(self.fine.text() or "0.1", "dB")
        if not (-200 <= least < most <= 40):
            raise SignalError(tr("Generator range: −200 to 40 dBm, minimum below maximum."))
        if not 0.001 <= fine <= 20:
            raise SignalError(tr("Dial step: 0.001 to 20 dB."))
        return dataclasses.replace(
            self._kit(), least_dbm=least, most_dbm=most, resolution_db=fine, pads_db=decibels(self.usual.text()),
            generator_knows=self.counts.isChecked(),
        )  # fmt: skip

    def stop(self) -> None:
        """Nothing listens any more."""
        self.guide.stop()
