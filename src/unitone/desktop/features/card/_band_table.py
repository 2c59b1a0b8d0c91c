"""The table of bands by sections: a painted cell a place, chosen by mouse or arrow keys."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.marks import draw_mark, verdict_colour
from unitone.desktop.widgets.painted import Painted, plain_tip
from unitone.present.card.bands_view import BandCell, BandsView
from unitone.words import tr

_HEAD, _ROW, _NAMES, _LEAST = 46, 50, 108, 112


class BandTable(Painted):
    """Rows are bands, columns sections; ``chosen`` carries the band and the section of the cell that the hand is on."""

    chosen = pyqtSignal(str, str)
    #: Enter or a double click: the cell is to be filled in.
    opened = pyqtSignal()

    def __init__(self) -> None:
        super().__init__(tr("Bands by sections"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.view: BandsView | None = None
        self.at = (0, 0)

    def show_bands(self, view: BandsView) -> None:
        """Show these; the chosen cell stays where it still is."""
        self.view = view
        self.at = (min(self.at[0], len(view.bands) - 1), min(self.at[1], len(view.sections) - 1))
        self.setMinimumSize(self.sizeHint())
        self.setMaximumHeight(self.sizeHint().height())
        self._describe()
        self.update()

    @property
    def cell(self) -> BandCell | None:
        """The chosen cell."""
        return None if self.view is None else self.view.cells[self.at[0] * len(self.view.sections) + self.at[1]]

    def choose(self, row: int, column: int) -> None:
        """Choose a cell; one beyond the edge is not there."""
        if self.view is None or not (0 <= row < len(self.view.bands) and 0 <= column < len(self.view.sections)):
            return
        self.at = (row, column)
        self._describe()
        self.update()
        cell = self.cell
        assert cell is not None
        self.chosen.emit(cell.band, cell.section)

    def _describe(self) -> None:
        cell = self.cell
        if cell is not None and self.view is not None:
            where = f"{self.view.bands[self.at[0]][1]}, {self.view.sections[self.at[1]][1]}"
            self.setAccessibleDescription(f"{where}: {cell.word or tr('not known')}. {cell.short}".strip())

    # -- painting -----------------------------------------------------------------------------------

    def sizeHint(self) -> QSize:
        """As wide as its sections need at least, as high as its rows."""
        if self.view is None:
            return QSize(theme.px(300), theme.px(_HEAD))
        wide = _NAMES + _LEAST * len(self.view.sections)
        return QSize(theme.px(wide), theme.px(_HEAD + _ROW * len(self.view.bands)) + 2)

    def _box(self, row: int, column: int) -> QRectF:
        assert self.view is not None
        names, head, high = theme.px(_NAMES), theme.px(_HEAD), theme.px(_ROW)
        wide = (self.width() - names) / len(self.view.sections)
        return QRectF(names + column * wide, head + row * high, wide, high)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Headings, then the cells."""
        del event
        if self.view is None:
            return
        painter = self.painter()
        painter.setFont(theme.font(12, bold=True))
        painter.setPen(theme.colour("ink"))
        gap = theme.px(6)
        flags = Qt.AlignmentFlag.AlignBottom | Qt.TextFlag.TextWordWrap
        for column, (_, title) in enumerate(self.view.sections):
            box = self._box(0, column)
            painter.drawText(QRectF(box.left() + gap, 0, box.width() - 2 * gap, theme.px(_HEAD - 6)), flags, title)
        for row, (_, title) in enumerate(self.view.bands):
            box = self._box(row, 0)
            middle = Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(QRectF(0, box.top(), box.left() - gap, box.height()), middle, title)
        for n, cell in enumerate(self.view.cells):
            self._paint_cell(
                painter,
                self._box(*divmod(n, len(self.view.sections))),
                cell,
                divmod(n, len(self.view.sections)) == self.at,
            )

    def _paint_cell(self, painter: QPainter, whole: QRectF, cell: BandCell, chosen: bool) -> None:
        box = whole.adjusted(2, 2, -2, -2)
        hand = chosen and self.hasFocus()
        painter.setBrush(theme.colour("teal_soft" if chosen else "card"))
        painter.setPen(QPen(theme.colour("teal" if hand else "line"), theme.px(2) if hand else 1))
        painter.drawRoundedRect(box, theme.px(5), theme.px(5))
        gap, side = theme.px(7), theme.px(13)
        line = theme.px(18)
        top = box.top() + (theme.px(6) if cell.short else (box.height() - line) / 2)
        draw_mark(painter, QRectF(box.left() + gap, top + (line - side) / 2, side, side), cell.mark)
        left = box.left() + gap + side + theme.px(6)
        room = box.right() - gap - left
        painter.setFont(theme.font(13, bold=bool(cell.history)))
        painter.setPen(verdict_colour(cell.mark) if cell.word else theme.colour("quiet"))
        words = cell.word or tr("not known")
        elide = Qt.TextElideMode.ElideRight
        painter.drawText(
            QRectF(left, top, room, line),
            Qt.AlignmentFlag.AlignVCenter,
            QFontMetricsF(painter.font()).elidedText(words, elide, room),
        )
        if cell.short:
            painter.setFont(theme.font(11))
            painter.setPen(theme.colour("quiet"))
            room = box.width() - 2 * gap
            under = QRectF(box.left() + gap, top + line, room, theme.px(17))
            painter.drawText(
                under, Qt.AlignmentFlag.AlignVCenter, QFontMetricsF(painter.font()).elidedText(cell.short, elide, room)
            )

    # -- hands -----------------------------------------------------------------------------------------

    def _under(self, where: QPoint) -> tuple[int, int] | None:
        if self.view is None:
            return None
        for row in range(len(self.view.bands)):
            for column in range(len(self.view.sections)):
                if self._box(row, column).contains(where.toPointF()):
                    return row, column
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose what is under the pointer."""
        if event is not None and (under := self._under(event.pos())) is not None:
            self.choose(*under)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Fill it in."""
        if event is not None and self._under(event.pos()) is not None:
            self.opened.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrow keys go from cell to cell, Enter fills one in."""
        if event is None:
            return
        moves = {Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0), Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1)}
        move = moves.get(Qt.Key(event.key())) if not event.modifiers() else None
        if move is not None:
            self.choose(self.at[0] + move[0], self.at[1] + move[1])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers():
            self.opened.emit()
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent | None) -> bool:
        """The whole of a cell's words stands in its tip."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and self.view is not None:
            under = self._under(event.pos())
            cell = None if under is None else self.view.cells[under[0] * len(self.view.sections) + under[1]]
            if cell is not None and cell.short:
                QToolTip.showText(event.globalPos(), plain_tip(cell.short), self)
            return True
        return super().event(event)
