"""What the Meters listen to: the sound card, the simulated radio on the Bench, a recording. One row each, one is chosen."""

from __future__ import annotations

from typing import Literal

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from unitone.actions import keyed
from unitone.desktop.audio.soundcard import SIDES, Device, Devices, Side, devices
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.painted import Painted, elided, label, set_tip
from unitone.errors import SignalError
from unitone.words import tr

Where = Literal["", "card", "simulated", "file"]


class SourceRow(Painted):
    """One source: a ring, its name, a quiet line. A click, Space or Enter chooses it."""

    chosen = pyqtSignal()

    def __init__(self, name: str, quiet: str) -> None:
        super().__init__(name)
        self.name, self.quiet, self.on, self.main = name, quiet, False, False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(220), theme.px(42))

    def show_row(self, on: bool, quiet: str, main: bool = False) -> None:
        """Chosen or not, its quiet line, and whether the hand goes here next."""
        self.on, self.quiet, self.main = on, quiet, main
        set_tip(self, quiet)
        self.setAccessibleDescription(f"{tr('chosen') if on else tr('not chosen')}. {quiet}")
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        del event
        self.setFocus()
        self.chosen.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if (
            event is not None
            and event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and not event.modifiers()
        ):
            self.chosen.emit()
            return
        super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        edge = "orange" if self.main else "teal" if self.on or self.hasFocus() else "well"
        painter.setPen(QPen(theme.colour(edge), theme.px(2) if self.hasFocus() or self.main else 1))
        painter.setBrush(theme.colour("teal_soft" if self.on else "well"))
        painter.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 2), theme.px(8), theme.px(8))
        painter.setPen(QPen(theme.colour("teal"), theme.px(2)))
        painter.setBrush(theme.colour("teal") if self.on else Qt.BrushStyle.NoBrush)
        side = theme.px(10)
        painter.drawEllipse(QRectF(theme.px(12), (self.height() - side) / 2, side, side))
        x, room = theme.px(32), self.width() - theme.px(40)
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(14, True))
        painter.drawText(QPointF(x, self.height() / 2 - theme.px(3)), elided(painter, self.name, room))
        painter.setPen(theme.colour("ink" if self.on else "quiet"))
        painter.setFont(theme.font(12))
        painter.drawText(QPointF(x, self.height() / 2 + theme.px(14)), elided(painter, self.quiet, room))


class Listening(QFrame):
    """The card with the three sources. ``wanted`` tells which one is to be taken (again)."""

    wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(14), theme.px(10), theme.px(14), theme.px(12))
        layout.setSpacing(theme.px(6))
        layout.addWidget(label("heading", tr("Listening to")))
        self.rows: dict[str, SourceRow] = {
            "card": SourceRow(
                keyed(tr("Sound card  Ctrl L"), "meter-card"), tr("live, from the loudspeaker or a receiver")
            ),
            "simulated": SourceRow(keyed(tr("Simulated radio  Ctrl R"), "meter-simulated"), tr("the job on the Bench")),
            "file": SourceRow(
                keyed(tr("A recording…  Ctrl O"), "meter-open"),
                tr("WAV, FLAC, I/Q as SigMF or stereo WAV, CSV, Touchstone"),
            ),
        }
        for where, row in self.rows.items():
            row.chosen.connect(lambda w=where: self.wanted.emit(w))
            layout.addWidget(row)
            if where == "card":
                layout.addWidget(self._card())
        self.where: Where = ""
        self._told = Devices(self)
        self._told.changed.connect(self.refresh)
        self.found: list[Device] = []
        self.trouble = ""
        self.refresh()

    def _card(self) -> QWidget:
        self._choice = QWidget()
        row = QHBoxLayout(self._choice)
        row.setContentsMargins(0, 0, 0, 0)
        self.device, self.side = Choice(), Choice()
        for key, english in SIDES:
            words = tr(english)
            self.side.addItem(words, key)
        for box, name in ((self.device, tr("Input")), (self.side, tr("Channel of the input"))):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
            box.activated.connect(lambda _: self.wanted.emit("card"))
        row.addWidget(self.device, 3)
        row.addWidget(self.side, 2)
        self._choice.hide()
        return self._choice

    def refresh(self) -> None:
        """The inputs that there are now; the chosen one stays chosen."""
        now = self.device.currentData()
        try:
            self.found, self.trouble = devices(), ""
        except SignalError as error:
            self.found, self.trouble = [], str(error)
        self.device.clear()
        for device in self.found:
            self.device.addItem(device.name, device.id)
        self.device.setCurrentIndex(max(0, self.device.findData(now)) if self.found else -1)
        if self.where != "card":
            self.show_where(self.where, {})

    def choose(self, identifier: str, side: str) -> None:
        """Choose an input and its channel, where they are there."""
        if (at := self.device.findData(identifier)) >= 0:
            self.device.setCurrentIndex(at)
        if (at := self.side.findData(side)) >= 0:
            self.side.setCurrentIndex(at)

    def chosen(self) -> tuple[Device, Side]:
        """The chosen input and its channel. Raises SignalError where there is none."""
        if not self.found:
            raise SignalError(
                self.trouble
                or tr("No sound input is there. Plug in a microphone, an interface or a receiver, and choose again.")
            )
        identifier = self.device.currentData()
        device = next((d for d in self.found if d.id == identifier), self.found[0])
        return device, self.side.currentData()

    def show_where(self, where: Where, quiet: dict[str, str], main: bool = False) -> None:
        """Which source is listened to, quiet lines by source, and whether choosing one is the next move."""
        self.where = where
        usual = {
            "card": tr("the loudspeaker, or a receiver's audio") if self.found else tr("no input is there"),
            "simulated": tr("the job on the Bench"), "file": tr("WAV, FLAC, SigMF, CSV, Touchstone"),
        }  # fmt: skip
        for name, row in self.rows.items():
            row.show_row(name == where, quiet.get(name) or usual[name], main)
        self._choice.setVisible(where == "card" and bool(self.found))
