"""Camera: a meter's needle (or its LEDs) taught by a few clicks in the camera's picture, read at once, and kept for the Bench."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QBoxLayout, QFileDialog, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from unitone.bench.camera.camera_meter import WORDS, Reader, reader_of
from unitone.bench.camera.needle import Seen
from unitone.bench.camera.taught import Face, Frame, Mark, Taught
from unitone.desktop.camera.webcam import Webcam, image_of, webcams
from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.faceview import FaceView
from unitone.desktop.widgets.figure import Figure
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import Card, label, scrolled
from unitone.errors import BenchError, EntryError, SignalError, UnitoneError
from unitone.quantities.entry import EXPECTED, parse_entry
from unitone.quantities.registry import QUANTITIES, quantity
from unitone.quantities.show import number, show, show_value
from unitone.radio.levels import canonical, mark_db
from unitone.session.cameras import KeptMeter, keep_meters, kept_meters
from unitone.store.logbook import Logbook
from unitone.words import tr

#: Seen from farther beside than this, the needle stands over another mark than straight on: it is told (degrees).
_BESIDE_DEG = 20.0
#: A face that could not be read is tried again in another frame after so long (s).
_AGAIN_S = 0.7


def value_of(text: str, quantity_id: str) -> float:
    """The number beside a mark in the quantity's canonical unit. Raises EntryError with the expected form."""
    q = quantity(quantity_id)
    if q.kind == "s-units" and text.strip().startswith("+"):
        return mark_db(text)
    typed = parse_entry(text, q.kind, q.shown)
    if typed.bound or typed.word:
        raise EntryError.not_understood(text, EXPECTED[q.kind])
    return canonical(typed, q)


class CameraPage(QWidget):
    """Everything that is kept is kept at once. ``changed`` when the Bench is to read other meters, or another camera."""

    changed = pyqtSignal()

    def __init__(self, logbook: Logbook, webcam: Webcam) -> None:
        super().__init__()
        self.setAccessibleName(tr("Camera"))
        self._logbook, self._webcam = logbook, webcam
        self._pivot: tuple[float, float] | None = None
        self._marks: list[tuple[float, float, str]] = []
        self._open_mark: tuple[float, float] | None = None
        self._face: Face = "needle"
        self._reader: Reader | None = None
        self._taught_in: Frame | None = None
        self._making = Errand("camera", self)
        #: When the last try at a reader ended; None while one goes on.
        self._tried: float | None = -_AGAIN_S
        #: What the view shows: a picture file gives the same frame again and again.
        self._looked: tuple[Frame, Reader | None] | None = None
        columns = self._columns = QHBoxLayout(self)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(theme.px(12))
        self.view = FaceView()
        self.view.clicked.connect(self._clicked)
        columns.addWidget(self.view, 5)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, theme.px(8), 0)
        column.setSpacing(theme.px(12))
        column.addWidget(self._source_card())
        column.addWidget(self._teach_card())
        column.addWidget(self._kept_card())
        column.addStretch(1)
        columns.addWidget(scrolled(inside, whole=True), 3)
        webcam.arrived.connect(self._arrived)
        webcam.failed.connect(self._failed)
        self._show_kept()
        self._tell()

    # -- what stands on it ------------------------------------------------------------------------------------

    def _source_card(self) -> Card:
        card = Card(tr("Camera"), "heading")
        self.source = Choice()
        self.source.setAccessibleName(tr("Camera"))
        self.source.activated.connect(lambda _: self._choose_source())
        self.file = QPushButton(tr("Picture or film…"))
        self.file.clicked.connect(self._ask_file)
        row = QHBoxLayout()
        row.addWidget(self.source, 1)
        row.addWidget(self.file)
        card.column.addLayout(row)
        self.source_words = label("cure", "", True)
        self.source_words.hide()
        card.column.addWidget(self.source_words)
        return card

    def _teach_card(self) -> Card:
        card = Card(tr("Teach a meter"), "heading")
        self.reads = Choice()
        self.reads.setAccessibleName(tr("Reads"))
        for q in sorted(QUANTITIES.values(), key=lambda q: tr(q.title)):
            self.reads.addItem(tr(q.title), q.id)
        self.reads.setCurrentIndex(self.reads.findData("tx.power"))
        self.reads.activated.connect(lambda _: self.start_over())
        row = QHBoxLayout()
        words = label("", tr("Reads"))
        words.setBuddy(self.reads)
        row.addWidget(words)
        row.addWidget(self.reads, 1)
        card.column.addLayout(row)
        self.faces = ChipRow(tr("Kind of meter"), (("needle", tr("Needle")), ("leds", tr("LEDs"))), self.choose_face)
        self.faces.mark("needle")
        card.column.addWidget(self.faces)
        self.next = label("strong", "", True)
        self.next.setAccessibleName(tr("Next move"))
        card.column.addWidget(self.next)
        self.number = QLineEdit()
        self.number.setAccessibleName(tr("Number beside the mark"))
        self.number.setMaxLength(30)
        self.number.returnPressed.connect(self._take_number)
        card.column.addWidget(self.number)
        self.wrong = label("cure", "", True)
        self.wrong.hide()
        card.column.addWidget(self.wrong)
        self.figure = Figure(46)
        card.column.addWidget(self.figure)
        self.about = label("quiet", "", True)
        self.about.setAccessibleName(tr("About the reading"))
        card.column.addWidget(self.about)
        row = QHBoxLayout()
        self.again = QPushButton(tr("Start over"))
        self.again.clicked.connect(self.start_over)
        self.keep = QPushButton(tr("Keep this meter"))
        self.keep.setProperty("role", "main")
        self.keep.clicked.connect(self._keep)
        row.addWidget(self.again)
        row.addStretch(1)
        row.addWidget(self.keep)
        card.column.addLayout(row)
        self.marks = Lines(tr("Marks"), self._remove_mark)
        card.column.addWidget(self.marks)
        return card

    def _kept_card(self) -> Card:
        card = Card(tr("Meters kept"), "heading")
        self.list = Lines(tr("Meters kept"), self._kept_pressed, stacked=True)
        card.column.addWidget(self.list)
        return card

    # -- the camera ---------------------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh_sources()
        if not self._webcam.running and (chosen := str(self._logbook.setting("camera", "") or "")):
            self._open(chosen)

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        # The Bench goes on with it where it reads from it.
        self.changed.emit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        narrow = self.width() < theme.px(760)
        self._columns.setDirection(QBoxLayout.Direction.TopToBottom if narrow else QBoxLayout.Direction.LeftToRight)

    def refresh_sources(self) -> None:
        """The cameras that there are now, and the one chosen."""
        chosen, words = str(self._logbook.setting("camera", "") or ""), ""
        try:
            found = [(s.id, s.name) for s in webcams()]
        except SignalError as error:
            found, words = [], str(error)
        if chosen.startswith("/"):
            found.append((chosen, Path(chosen).name))
        self.source.clear()
        self.source.addItem(tr("none"), "")
        for key, name in found:
            self.source.addItem(name, key)
        if chosen and self.source.findData(chosen) < 0:
            self.source.addItem(tr("chosen camera, not plugged in"), chosen)
        self.source.setCurrentIndex(max(0, self.source.findData(chosen)))
        self._say_source(words)
        if not self._webcam.running:
            empty = tr("No camera is plugged in. Plug one in, or open a picture or a film of the meter.")
            ready = tr("Choose the camera that looks at the meter.")
            self._show_no_frame(ready if found else empty)

    def _say_source(self, words: str) -> None:
        self.source_words.setText(words)
        self.source_words.setVisible(bool(words))

    def _choose_source(self) -> None:
        self._open(str(self.source.currentData() or ""))

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self,
            tr("Picture or film…"),
            "",
            tr("Pictures and films (*.png *.jpg *.jpeg *.mp4 *.mkv *.avi *.webm *.mov)"),
        )
        if name:
            self._open(name)

    def _open(self, source: str) -> None:
        """From this source from now on; one that cannot be opened says why, and stays chosen."""
        words = ""
        try:
            if source != str(self._logbook.setting("camera", "") or ""):
                self._logbook.set_setting("camera", source)
            if source:
                self._webcam.open(source)
            else:
                self._webcam.close()
        except (BenchError, UnitoneError) as error:
            self._webcam.close()
            words = str(error)
        self.refresh_sources()
        self._say_source(words)

    def _failed(self, words: str) -> None:
        self._show_no_frame(words)
        self.refresh_sources()
        self._say_source(words)

    def _show_no_frame(self, words: str) -> None:
        self._looked = None
        self.view.show_image(None, words)

    def _arrived(self) -> None:
        if not self.isVisible():
            return
        got = self._webcam.frames.last()
        if got is None:
            return
        frame, before = got[1], self._looked
        self._looked = (frame, self._reader)
        if before is None or before[0] is not frame:
            self.view.show_image(image_of(frame))
        if self._reader is not None:
            if before is None or before[0] is not frame or before[1] is not self._reader:
                self._show_seen(self._reader.read(frame))
        elif self._complete() and self._tried is not None and time.monotonic() - self._tried > _AGAIN_S:
            # What stood in the way may be gone by now: a hand, a needle at rest outside of the marks, LEDs all dark.
            self._make()

    # -- teaching --------------------------------------------------------------------------------------------------

    def choose_face(self, name: str) -> None:
        """A needle, or a row of LEDs."""
        self.faces.mark(name)
        self._face = "leds" if name == "leds" else "needle"
        self.start_over()

    def start_over(self) -> None:
        """Nothing is clicked any more."""
        self._pivot, self._marks, self._open_mark = None, [], None
        self.number.clear()
        self._changed()

    def _clicked(self, x: float, y: float) -> None:
        if self._face == "needle" and self._pivot is None:
            self._pivot = (x, y)
        else:
            self._open_mark = (x, y)
            self.number.setFocus()
        self._changed()

    def _take_number(self) -> None:
        if self._open_mark is None:
            return
        text = self.number.text().strip()
        try:
            value_of(text, self._quantity())
        except EntryError as error:
            self._say(str(error))
            return
        self._marks.append((*self._open_mark, text))
        self._open_mark = None
        self.number.clear()
        self._changed()
        self.view.setFocus()

    def teach(self, pivot: tuple[float, float] | None, marks: Sequence[tuple[float, float, str]]) -> None:
        """All clicks at once: the pivot, and (x, y, number as typed) of each mark. Raises EntryError for a number that is none."""
        for _, _, text in marks:
            value_of(text, self._quantity())
        self._pivot, self._marks, self._open_mark = pivot, list(marks), None
        self._changed()

    def _remove_mark(self, key: str, button: int) -> None:
        del button
        if key == "pivot":
            self._pivot = None
        else:
            self._marks = [m for n, m in enumerate(self._marks) if str(n) != key]
        self._changed()

    def _quantity(self) -> str:
        return str(self.reads.currentData())

    def _complete(self) -> bool:
        return len(self._marks) > 1 and (self._pivot is not None or self._face == "leds")

    def _changed(self) -> None:
        self._reader = None
        self._say("")
        self._tell()
        if self._complete():
            self._make()

    def _tell(self) -> None:
        """The next move, the marks so far, and no reading."""
        leds = self._face == "leds"
        if self._open_mark is not None:
            words = tr("Type the number that stands there, and press Enter.")
        elif not leds and self._pivot is None:
            words = tr("Click the pivot that the needle turns round.")
        elif not self._marks:
            words = tr("Click the lowest LED.") if leds else tr("Click the first mark of the scale.")
        elif len(self._marks) < 2:
            words = tr("Click the next LED.") if leds else tr("Click another mark, at the far end.")
        elif leds:
            words = tr("Click every LED. Keep the meter when it reads right.")
        else:
            words = tr("More marks make it truer: six are plenty. Keep the meter when it reads right.")
        self.next.setText(words)
        self.number.setVisible(self._open_mark is not None)
        q = quantity(self._quantity())
        self.number.setPlaceholderText(tr(EXPECTED[q.kind]))
        lines = [Line("", tr("pivot"), "", "pivot", (tr("Remove"),))] if self._pivot is not None else []
        lines += [Line("", self._shown(m[2]), "", str(n), (tr("Remove"),)) for n, m in enumerate(self._marks)]
        self.marks.show_lines(lines)
        self.again.setEnabled(bool(self._pivot or self._marks or self._open_mark))
        self.keep.setEnabled(False)
        self.figure.show_figure("—", "")
        self.about.setText("")
        self._show_clicks(None)

    def _shown(self, text: str) -> str:
        return show(quantity(self._quantity()), value_of(text, self._quantity()))

    def _show_clicks(self, needle: float | None) -> None:
        open_mark = [(*self._open_mark, "?")] if self._open_mark is not None else []
        self.view.show_taught(self._pivot, [*self._marks, *open_mark], needle)

    def _taught(self, frame: Frame) -> Taught:
        name = tr("{what} by camera", what=tr(quantity(self._quantity()).title))
        marks = tuple(Mark(x, y, value_of(text, self._quantity())) for x, y, text in self._marks)
        return Taught(name, self._quantity(), self._face, marks, self._pivot, frame.shape[1], frame.shape[0]).checked()

    def _make(self) -> None:
        """A reader of what was clicked so far, off the window's thread."""
        got = self._webcam.frames.last()
        if got is None:
            self._say(tr("The camera gives no picture. Plug it in again, or type the reading."))
            return
        frame = got[1]
        try:
            taught = self._taught(frame)
        except UnitoneError as error:
            self._say(str(error))
            return
        clicks, self._tried = (self._pivot, tuple(self._marks), self._face), None

        def failed(words: str) -> None:
            self._tried = time.monotonic()
            self._say(words)

        def made(reader: Reader) -> None:
            self._tried = time.monotonic()
            if clicks == (self._pivot, tuple(self._marks), self._face):
                self._reader, self._taught_in = reader, frame
                self._say("")
                self.keep.setEnabled(not self._logbook.frozen)
                self._show_seen(reader.read(frame))

        self._making.run(lambda: reader_of(taught, frame), made, failed)

    def _say(self, words: str) -> None:
        self.wrong.setText(words)
        self.wrong.setVisible(bool(words))

    def _show_seen(self, seen: Seen) -> None:
        assert self._reader is not None
        q = quantity(self._reader.taught.quantity)
        if seen.value is None:
            self.figure.show_figure("—", "")
            self.about.setText(tr(WORDS[seen.trouble]))
            self._show_clicks(None)
            return
        figure, unit = show_value(q, seen.value)
        self.figure.show_figure({"": "", "<": "< ", ">": "> "}[seen.bound] + figure, unit)
        self.about.setText(" ".join(self._words_of(seen)))
        if self._reader.taught.pivot is not None:
            angles = self._reader.taught.angles()
            self._show_clicks(float(angles[0] + seen.place * (angles[-1] - angles[0])))

    def _words_of(self, seen: Seen) -> list[str]:
        assert self._reader is not None
        taught = self._reader.taught
        span = taught.marks[-1].value - taught.marks[0].value
        words = []
        if seen.bound:
            words.append(tr("The needle stands beyond the marks."))
        elif seen.doubt:
            words.append(tr("Doubt ±{pct} % of the scale.", pct=number(200.0 * seen.doubt / span, 1)))
        beside = taught.viewing_angle_deg()
        if beside is not None and beside > _BESIDE_DEG:
            words.append(
                tr("Seen about {n}° from the side: the needle seems to stand over another mark. Look at it straight on.",
                   n=round(beside))
            )  # fmt: skip
        return words

    # -- what is kept ----------------------------------------------------------------------------------------------

    def _keep(self) -> None:
        reader, frame = self._reader, self._taught_in
        if reader is None or frame is None:
            return
        others = [m for m in kept_meters(self._logbook) if m.taught.quantity != reader.taught.quantity]
        try:
            keep_meters(self._logbook, [*others, KeptMeter.of(reader.taught, frame)])
        except UnitoneError as error:
            self._say(str(error))
            return
        self.start_over()
        self.next.setText(tr("Kept: the Bench reads it now."))
        self._show_kept()
        self.changed.emit()

    def _show_kept(self) -> None:
        lines = []
        for meter in kept_meters(self._logbook):
            q, marks = quantity(meter.taught.quantity), meter.taught.marks
            reach = tr(
                "{low} to {high}, {n} marks", low=show(q, marks[0].value), high=show(q, marks[-1].value), n=len(marks)
            )
            lines.append(Line("in_spec", meter.taught.name, reach, q.id, (tr("Remove"),)))
        self.list.show_lines(lines, tr("None: teach a meter that the Bench is to read."))

    def _kept_pressed(self, key: str, button: int) -> None:
        del button
        try:
            keep_meters(self._logbook, [m for m in kept_meters(self._logbook) if m.taught.quantity != key])
        except UnitoneError as error:
            self._say(str(error))
            return
        self._show_kept()
        self.changed.emit()

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        if event is not None and event.key() == Qt.Key.Key_Escape and self._open_mark is not None:
            self._open_mark = None
            self.number.clear()
            self._changed()
        else:
            super().keyPressEvent(event)
