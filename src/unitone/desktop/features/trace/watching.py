"""An intermittent watched: the live reading, a key for each thing that is moved, and what the drop-outs went with."""

from __future__ import annotations

import time

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication, QFrame, QHBoxLayout, QLineEdit, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from unitone.actions import keyed
from unitone.align.trace.intermittent import Watcher
from unitone.desktop.features.trace.ladder import Shares
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.figure import Figure
from unitone.desktop.widgets.painted import Card, Painted, label
from unitone.present.trace.trace_shapes import TraceView
from unitone.words import tr

#: The last minute is drawn; so many things have a key.
_SPAN_S, _MOST = 60.0, 9
#: The scale of the strip spans at least such a share of the highest reading.
_LEAST_SPAN = 0.5


class Strip(Painted):
    """The reading over the last minute, its drop-outs, and what was moved when."""

    def __init__(self) -> None:
        super().__init__(tr("Reading over the last minute"))
        self.watcher: Watcher | None = None
        self.now = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(400), theme.px(170))

    def show_watch(self, watcher: Watcher | None, now: float) -> None:
        """Show what was watched up to now."""
        self.watcher, self.now = watcher, now
        if watcher is not None:
            self.setAccessibleDescription(
                tr("{n} drop-outs, {m} movements", n=len(watcher.drops), m=len(watcher.moved))
            )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.setBrush(theme.colour("well"))
        painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), theme.px(8), theme.px(8))
        watch = self.watcher
        if watch is None or not watch.seconds:
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, tr("nothing watched yet"))
            return
        room = QRectF(self.rect()).adjusted(theme.px(10), theme.px(22), -theme.px(10), -theme.px(24))
        start = max(self.now - _SPAN_S, 0.0)
        span = max(self.now - start, 5.0)

        def x(seconds: float) -> float:
            return room.left() + (seconds - start) / span * room.width()

        seen = [(t, v) for t, v in watch.values if t >= start]
        low, high = min((v for _, v in seen), default=0.0), max((v for _, v in seen), default=1.0)
        # A reading that only trembles is drawn as a line: what counts is a fall.
        least = max(_LEAST_SPAN * abs(high), 1e-9)
        low = min(low, high - least)
        scale = high - low
        painter.setPen(QPen(theme.colour("teal"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(
            QPolygonF([QPointF(x(t), room.bottom() - (v - low) / scale * room.height()) for t, v in seen])
        )
        painter.setFont(theme.font(12))
        for t, what in watch.moved:
            if t >= start:
                painter.setPen(QPen(theme.colour("orange"), 2))
                painter.drawLine(QPointF(x(t), room.bottom()), QPointF(x(t), room.bottom() + theme.px(6)))
                painter.setPen(theme.colour("quiet"))
                box = QRectF(x(t) - theme.px(50), room.bottom() + theme.px(5), theme.px(100), theme.px(18))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, what)
        painter.setPen(theme.colour("out_of_spec"))
        for t in watch.drops:
            if t >= start:
                at = QPointF(x(t), theme.px(12))
                d = theme.px(5)
                painter.setBrush(theme.colour("out_of_spec"))
                painter.drawPolygon(QPolygonF([at + QPointF(-d, -d), at + QPointF(d, -d), at + QPointF(0, d)]))


class WatchPane(QWidget):
    """Watch, move things one at a time, and read which movement went with which drop-out."""

    #: Watching began or ended; a part is moved (a simulated radio feels it); a watch is to be logged.
    watching = pyqtSignal(bool)
    moved = pyqtSignal(str)
    done = pyqtSignal(object)
    #: The reading of another step is to be watched.
    step_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.watcher: Watcher | None = None
        self._began = 0.0
        self._fall = 0.0
        self._known: tuple[str, ...] = ()
        self.things: list[str] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(12))
        left, right = Card(tr("Watched reading"), "heading"), Card(tr("What the drop-outs went with"), "heading")
        row.addWidget(left, 6)
        row.addWidget(right, 4)
        head = QHBoxLayout()
        self.figure = Figure(44)
        self.figure.setMaximumHeight(theme.px(64))
        head.addWidget(self.figure, 1)
        self.start, self.drop = (
            QPushButton(tr("Start watching  ↵")),
            QPushButton(keyed(tr("Drop-out heard  Space"), "trace-drop")),
        )
        self.start.setProperty("role", "main")
        self.start.clicked.connect(self.toggle)
        self.drop.clicked.connect(self.heard)
        head.addWidget(self.drop)
        head.addWidget(self.start)
        left.column.addLayout(head)
        self.step = Choice()
        self.step.setAccessibleName(tr("Watched reading"))
        self.step.activated.connect(lambda _: self.step_wanted.emit(str(self.step.currentData())))
        left.column.addWidget(self.step)
        self.words = label("quiet", "", True)
        left.column.addWidget(self.words)
        self.strip = Strip()
        left.column.addWidget(self.strip, 1)
        right.column.addWidget(label("quiet", tr("Press a thing’s key each time you move it, three times each."), True))
        self.name = QLineEdit()
        self.name.setMaxLength(60)
        self.name.setAccessibleName(tr("Thing to move"))
        self.name.setPlaceholderText(tr("loom at the hinge, plug P3, V5 in its socket"))
        self.name.returnPressed.connect(self.add)
        right.column.addWidget(self.name)
        holder = QFrame()
        self._keys = QVBoxLayout(holder)
        self._keys.setContentsMargins(0, 0, 0, 0)
        self._keys.setSpacing(theme.px(4))
        right.column.addWidget(holder)
        self.tally = label("strong", "", True)
        right.column.addWidget(self.tally)
        self.shares = Shares(tr("Suspects"))
        right.column.addWidget(self.shares)
        right.column.addStretch(1)

    def show_trace(self, view: TraceView) -> None:
        """What the job's log says of the watches so far, and the things that the sheet suggests."""
        suggested = tuple(p.id for p in view.stage.parts if p.id)[:3]
        if suggested != self._known and not self.things:
            self._known = suggested
            self.things = list(suggested)
            self._build()
        if [self.step.itemData(n) for n in range(self.step.count())] != [i for i, _ in view.steps]:
            self.step.clear()
            for identifier, title in view.steps:
                self.step.addItem(title, identifier)
        self.step.setCurrentIndex(self.step.findData(view.step))
        self.step.setEnabled(bool(view.steps) and self.watcher is None)
        self._fall = view.drop_by
        self.tally.setText(view.watched)
        self.shares.show_shares(tuple((m.what, m.percent, m.words) for m in view.moved))
        self.words.setText(
            tr("The simulated radio is read at the step at hand. Press a thing’s key: the bench’s hand moves it.") if view.simulated
            else tr("The live reading of the step at hand, from the sound card. Without one, press Space when you hear it drop out.")
        )  # fmt: skip
        self.start.setEnabled(not view.finished)

    def add(self) -> None:
        """One thing more that is moved."""
        text = self.name.text().strip()
        if text and text not in self.things and len(self.things) < _MOST:
            self.things.append(text)
            self.name.clear()
            self._build()

    def _build(self) -> None:
        while (item := self._keys.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        for n, what in enumerate(self.things, 1):
            button = QPushButton(tr("Moved: {what}  {key}", what=what, key=n))
            button.clicked.connect(lambda _=False, k=n: self.move_thing(k))
            self._keys.addWidget(button)

    def toggle(self) -> None:
        """Begin to watch, or end it: what was watched goes to the log."""
        if self.watcher is None:
            self.watcher, self._began = Watcher(self._fall), time.monotonic()
            self.start.setText(tr("End and log  ↵"))
            self.watching.emit(True)
            return
        watcher, self.watcher = self.watcher, None
        self.start.setText(tr("Start watching  ↵"))
        self.watching.emit(False)
        if watcher.seconds > 0:
            self.done.emit(watcher)

    def _seconds(self) -> float:
        return time.monotonic() - self._began

    def take(self, figure: str, unit: str, value: float | None) -> None:
        """A live figure; a drop-out beeps."""
        if self.watcher is None:
            return
        self.figure.show_figure(figure, unit)
        if value is not None and self.watcher.take(self._seconds(), value):
            QApplication.beep()
        self.strip.show_watch(self.watcher, self._seconds())

    def heard(self) -> None:
        """A drop-out was heard or seen."""
        if self.watcher is not None:
            self.watcher.drop(self._seconds())
            self.strip.show_watch(self.watcher, self._seconds())

    def move_thing(self, key: int) -> None:
        """The thing with that key is moved now."""
        if self.watcher is not None and 1 <= key <= len(self.things):
            what = self.things[key - 1]
            self.watcher.move(self._seconds(), what)
            self.moved.emit(what)
            self.strip.show_watch(self.watcher, self._seconds())
