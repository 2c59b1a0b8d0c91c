"""A long table of channels, painted: only the rows that are seen, however many there are."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.painted import Painted
from unitone.present.card.conversion_view import ConversionView
from unitone.words import tr

_ROW, _HEAD, _MARK = 26, 30, 24
#: Shares of the width by column, and the least width.
_SHARES, _LEAST = (1.1, 0.9, 3.0, 0.8, 2.2, 0.9), 620


class ChannelTable(Painted):
    """Megahertz, channel, how, N, pins and VCO of each channel, with the shape of its lock."""

    def __init__(self) -> None:
        super().__init__(tr("Channels of this way"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.view: ConversionView | None = None

    def show_conversion(self, view: ConversionView | None) -> None:
        """Show these channels, or none."""
        self.view = view
        self.setMinimumSize(self.sizeHint())
        self.setMaximumHeight(self.sizeHint().height())
        if view is not None and view.channels:
            first, last = view.channels[0], view.channels[-1]
            self.setAccessibleDescription(
                tr("{n} channels, {first} to {last} MHz", n=len(view.channels), first=first.mhz, last=last.mhz)
            )
        self.update()

    def sizeHint(self) -> QSize:
        """All rows below each other."""
        rows = 0 if self.view is None else len(self.view.channels)
        return QSize(theme.px(_LEAST), theme.px(_HEAD + _ROW * rows) if rows else 0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The headings, and the rows in the part that is to be painted."""
        if self.view is None or event is None:
            return
        painter = self.painter()
        wide = (self.width() - theme.px(_MARK)) / sum(_SHARES)
        lefts = [theme.px(_MARK) + wide * sum(_SHARES[:n]) for n in range(len(_SHARES))]
        gap, high = theme.px(8), theme.px(_ROW)
        middle = Qt.AlignmentFlag.AlignVCenter

        def write(top: float, tall: float, cells: tuple[str, ...]) -> None:
            metrics = QFontMetricsF(painter.font())
            for left, share, text in zip(lefts, _SHARES, cells, strict=True):
                room = wide * share - gap
                painter.drawText(
                    QRectF(left, top, room, tall), middle, metrics.elidedText(text, Qt.TextElideMode.ElideRight, room)
                )

        painter.setFont(theme.font(12, bold=True))
        painter.setPen(theme.colour("quiet"))
        write(0, theme.px(_HEAD), self.view.columns)
        painter.setFont(theme.font(13))
        seen = event.rect()
        first = max((seen.top() - theme.px(_HEAD)) // high, 0)
        for n in range(first, min((seen.bottom() - theme.px(_HEAD)) // high + 1, len(self.view.channels))):
            row, top = self.view.channels[n], theme.px(_HEAD) + n * high
            painter.setPen(theme.colour("line"))
            painter.drawLine(0, top, self.width(), top)
            side = theme.px(12)
            draw_mark(painter, QRectF(theme.px(3), top + (high - side) / 2, side, side), row.mark)
            painter.setPen(theme.colour("ink"))
            write(top, high, row.cells)
