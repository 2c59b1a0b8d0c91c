"""How is this channel made: the path from the crystals to the aerial, drawn for the channel chosen."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QSizePolicy

from unitone.align.frequency.counts import FrequencyPath, PathBox, frequency_path, mixing_sheets
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import Card, Painted, elided, label
from unitone.errors import UnitoneError
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import Library
from unitone.sheet.model.mixing_model import modes_of
from unitone.sheet.model.sheet import Sheet
from unitone.words import figure, tr

_HEIGHT = 46


class PathDrawing(Painted):
    """Oscillators left, what is made of them right, a line for each that goes in, with how many times."""

    def __init__(self) -> None:
        super().__init__(tr("Path from the crystals to the aerial"))
        self._path: FrequencyPath | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        most = 1 if self._path is None else max(len(self._path.oscillators), len(self._path.outputs), 1)
        return QSize(theme.px(360), theme.px(_HEIGHT + 14) * most)

    def show_path(self, path: FrequencyPath | None) -> None:
        """Draw another path, or nothing."""
        self._path = path
        self.setVisible(path is not None)
        if path is not None:
            self.setAccessibleDescription("; ".join(f"{b.id} {b.mhz}" for b in (*path.oscillators, *path.outputs)))
        self.updateGeometry()
        self.update()

    def _place(self, boxes: tuple[PathBox, ...], left: float, width: float) -> dict[str, QRectF]:
        step = self.height() / max(len(boxes), 1)
        tall = theme.px(_HEIGHT)
        return {b.id: QRectF(left, n * step + (step - tall) / 2, width, tall) for n, b in enumerate(boxes)}

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        if self._path is None:
            return
        painter = self.painter()
        wide = self.width() * 0.36
        first = self._place(self._path.oscillators, 1, wide)
        last = self._place(self._path.outputs, self.width() - wide - 1, wide)
        for name, output, _ in self._path.joins:
            a, b = first[name], last[output]
            painter.setPen(QPen(theme.colour("teal"), theme.px(2)))
            painter.drawLine(QPointF(a.right(), a.center().y()), QPointF(b.left(), b.center().y()))
        for text, spot in self._labels(first, last):
            painter.setFont(theme.font(12, True))
            size = painter.fontMetrics().horizontalAdvance(text)
            box = QRectF(spot.x() - size / 2 - theme.px(5), spot.y() - theme.px(9), size + theme.px(10), theme.px(18))
            painter.fillRect(box, theme.colour("card"))
            painter.setPen(theme.colour("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        for boxes, rects, ground in ((self._path.oscillators, first, "well"), (self._path.outputs, last, "teal_soft")):
            for box in boxes:
                rect = rects[box.id]
                painter.setPen(QPen(theme.colour("line"), 1))
                painter.setBrush(theme.colour(ground))
                painter.drawRoundedRect(rect, theme.px(8), theme.px(8))
                painter.setPen(theme.colour("ink"))
                painter.setFont(theme.font(13, True))
                room = rect.width() - theme.px(20)
                painter.drawText(rect.topLeft() + QPointF(theme.px(10), theme.px(19)), elided(painter, box.id, room))
                painter.setFont(theme.font(13))
                painter.drawText(rect.topLeft() + QPointF(theme.px(10), theme.px(37)), elided(painter, box.mhz, room))

    def _labels(self, first: dict[str, QRectF], last: dict[str, QRectF]) -> list[tuple[str, QPointF]]:
        """How many times, and where it is written: once by its oscillator where it is the same in all, else along each line."""
        assert self._path is not None
        by: dict[str, list[tuple[str, str]]] = {}
        for name, output, times in self._path.joins:
            by.setdefault(name, []).append((output, times))
        found = []
        for name, joins in by.items():
            texts = {times for _, times in joins}
            shown = joins[:1] if len(texts) == 1 else joins
            for n, (output, times) in enumerate(shown):
                a, b = first[name], last[output]
                share = 0.34 if len(shown) == 1 and len(joins) > 1 else (n + 1) / (len(shown) + 1)
                start, end = QPointF(a.right(), a.center().y()), QPointF(b.left(), b.center().y())
                at = start + (end - start) * share
                if len(shown) == 1 and len(joins) > 1:
                    # Between lines that fan out, straight beside the oscillator.
                    at = QPointF(start.x() + (end.x() - start.x()) * share, start.y())
                if times:
                    found.append((times, at))
        return found


class PathCard(Card):
    """A sheet and a channel of it; band and mode where it has them."""

    def __init__(self, library: Callable[[], Library]) -> None:
        super().__init__(tr("How is this channel made?"))
        self._library = library
        self.sheet: Sheet | None = None
        layout = self.column
        self.sheets, self.band, self.mode, self.channel = Choice(), Choice(), Choice(), Choice()
        self._labels = {}
        for fields in (
            ((self.sheets, tr("Sheet")),),
            ((self.band, tr("Band")), (self.mode, tr("Mode"))),
            ((self.channel, tr("Channel")),),
        ):
            row = QHBoxLayout()
            for field, words in fields:
                name = label("small", words)
                name.setBuddy(field)
                field.setAccessibleName(words)
                field.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                field.setMinimumContentsLength(6)
                row.addWidget(name)
                row.addWidget(field, 1)
                self._labels[field] = name
            layout.addLayout(row)
        self.sheets.activated.connect(lambda _: self._take_sheet())
        self.band.activated.connect(lambda _: self._take_band())
        for field in (self.mode, self.channel):
            field.activated.connect(lambda _: self.show_path())
        self.drawing = PathDrawing()
        layout.addWidget(self.drawing)
        self.lines = Lines(tr("Image and half-IF"))
        layout.addWidget(self.lines)
        layout.addWidget(
            label(
                "quiet",
                tr("From the sheet's mixing lines. Your licence decides bands and power."),
                True,
            )
        )
        layout.addStretch(1)
        for sheet, path in mixing_sheets(library()):
            self.sheets.addItem(sheet.title, path)
        self._take_sheet()

    def _take_sheet(self) -> None:
        path = self.sheets.currentData()
        self.sheet = None if path is None else read_sheet(self._library().find(str(path)))
        for field in (self.band, self.mode, self.channel):
            field.clear()
        if self.sheet is not None:
            for name, _ in self.sheet.plan.bands:
                self.band.addItem(name, name)
            for mode in modes_of(self.sheet):
                self.mode.addItem(mode.upper(), mode)
            self._fill_channels(len(self.sheet.plan.names) // 2)
        for field in (self.band, self.mode):
            field.setVisible(field.count() > 0)
            self._labels[field].setVisible(field.count() > 0)
        self.show_path()

    def _fill_channels(self, at: int) -> None:
        """The channels as the band stands, each with its carrier."""
        assert self.sheet is not None
        self.channel.clear()
        for name in self.sheet.plan.names:
            carrier = self.sheet.carrier_hz(name, self.band.currentData())
            self.channel.addItem(figure(f"{name}: {carrier / 1e6:.4f} MHz"), name)
        self.channel.setCurrentIndex(at)

    def _take_band(self) -> None:
        if self.sheet is not None:
            self._fill_channels(self.channel.currentIndex())
        self.show_path()

    def show_path(self) -> None:
        """Draw the path of what is chosen; what is wrong with the sheet's lines stands under it."""
        if self.sheet is None:
            self.drawing.show_path(None)
            self.lines.show_lines(
                [], tr("No sheet here has oscillators and mixing lines. Add [[oscillator]] and [[mixing]].")
            )
            return
        try:
            found = frequency_path(
                self.sheet, self.band.currentData(), self.mode.currentData(), str(self.channel.currentData())
            )
        except UnitoneError as error:
            self.drawing.show_path(None)
            self.lines.show_lines([Line("out_of_spec", str(error))])
            return
        self.drawing.show_path(found)
        self.lines.show_lines([Line("out_of_spec" if "check them" in w else "now", w) for w in found.words])
