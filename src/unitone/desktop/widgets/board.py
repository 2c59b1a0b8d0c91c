"""The board: the sheet's drawing with every adjuster and test point pinned, the one at hand lit."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted, plain_tip
from unitone.desktop.widgets.picture import WHOLE, BoardImage, Crop
from unitone.present.bench.bench_shapes import Pin
from unitone.words import tr

#: Narrower than this (pixels at normal type), only the pin at hand has its name beside it.
_NAMES_FROM = 190
#: Qt's largest height: no limit.
_NO_LIMIT = 16_777_215


class BoardView(Painted):
    """Click a pin to take that adjuster in hand."""

    chosen = pyqtSignal(str)
    #: A photograph of the board is to be added: its path, or "" to choose one.
    photo_wanted = pyqtSignal(str)
    #: A place of the picture was touched where no pin is (shares across and down).
    pointed = pyqtSignal(float, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(tr("Board"), parent)
        self._pins: tuple[Pin, ...] = ()
        self.image: BoardImage | None = None
        self._crop: Crop = WHOLE
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMaximumHeight(theme.px(110))

    @property
    def bare(self) -> bool:
        """Is there neither a picture nor a pin?"""
        return self.image is None and not self._pins

    def sizeHint(self) -> QSize:
        return QSize(theme.px(300), theme.px(250))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(180), theme.px(130))

    def show_board(self, image: BoardImage | None, pins: tuple[Pin, ...], crop: Crop = WHOLE) -> None:
        """Show a picture, or the part of it within ``crop`` (None: a bare board), with these pins."""
        shown = image if image is not None and image.valid else None
        if (shown, crop, pins) == (self.image, self._crop, self._pins):
            return
        self.image, self._crop, self._pins = shown, crop, pins
        lit = [p.id for p in pins if p.current]
        self.setAccessibleDescription(
            tr("Add a photo of the board") if self.bare else tr("lit: {pins}", pins=", ".join(lit) or tr("none"))
        )
        # A board that nobody photographed leaves its room to the turns below.
        self.setMaximumHeight(theme.px(110) if self.bare else _NO_LIMIT)
        self.update()

    def _area(self) -> QRectF:
        """Where the picture lies, its shape kept."""
        shape = self.image.shape(self._crop) if self.image is not None else 1.25
        width, height = float(self.width()), float(self.height())
        if width / max(height, 1.0) > shape:
            width = height * shape
        else:
            height = width / shape
        return QRectF((self.width() - width) / 2, (self.height() - height) / 2, width, height)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        if self.bare:
            self._invite(painter)
            return
        area = self._area()
        if self.image is not None:
            if theme.tokens.name == "night":
                painter.setOpacity(0.62)
            self.image.draw(painter, area, self._crop, self.devicePixelRatioF())
            painter.setOpacity(1.0)
        else:
            painter.setPen(QPen(theme.colour("board_edge"), 6))
            painter.setBrush(theme.colour("board"))
            painter.drawRoundedRect(area.adjusted(4, 4, -4, -4), 8, 8)
        for pin in self._pins:
            if pin.kind != "test point" or pin.current:
                self._pin(painter, area, pin)

    def _invite(self, painter: QPainter) -> None:
        """Where a photograph can be dropped."""
        painter.setPen(QPen(theme.colour("teal"), 2, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(3, 3, -3, -3), 10, 10)
        painter.setPen(theme.colour("teal"))
        painter.setFont(theme.font(15, True))
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        upper = QRectF(self.rect()).adjusted(12, 8, -12, -self.height() / 2)
        painter.drawText(
            upper,
            int(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom | Qt.TextFlag.TextWordWrap),
            tr("Add a photo of the board"),
        )
        painter.setFont(theme.font(13))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(
            QRectF(self.rect()).adjusted(12, self.height() / 2, -12, -8), int(flags), tr("Drop it here, or click")
        )

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """A picture file may be dropped where there is none yet."""
        data = None if event is None else event.mimeData()
        if event is not None and data is not None and self.bare and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """The first file dropped is the board's photograph."""
        data = None if event is None else event.mimeData()
        if event is None or data is None or not self.bare:
            return
        path = next((u.toLocalFile() for u in data.urls() if u.isLocalFile()), "")
        if path:
            event.acceptProposedAction()
            self.photo_wanted.emit(path)

    def place_of(self, pin: Pin) -> QPointF:
        """Where on the widget a pin lies."""
        area, (left, top, right, bottom) = self._area(), self._crop
        return QPointF(
            area.left() + (pin.x - left) / (right - left) * area.width(),
            area.top() + (pin.y - top) / (bottom - top) * area.height(),
        )

    def _pin(self, painter: QPainter, area: QRectF, pin: Pin) -> None:
        centre = self.place_of(pin)
        side = theme.px(13)
        box = QRectF(centre.x() - side / 2, centre.y() - side / 2, side, side)
        if pin.current:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.colour("orange"), theme.px(4)))
            painter.drawEllipse(centre, theme.px(16), theme.px(16))
        painter.setPen(QPen(theme.colour("ink"), 1.4))
        painter.setBrush(theme.colour("orange_soft" if pin.current else "teal_soft" if pin.moved else "card"))
        if pin.kind == "core":
            painter.drawRoundedRect(box, 3, 3)
            painter.drawLine(QPointF(box.left() + 3, centre.y()), QPointF(box.right() - 3, centre.y()))
        elif pin.kind == "test point":
            painter.drawEllipse(centre, side * 0.32, side * 0.32)
        else:
            painter.drawEllipse(box)
            painter.drawLine(QPointF(centre.x(), box.top() + 2), QPointF(centre.x(), centre.y()))
        if area.width() < theme.px(_NAMES_FROM) and not pin.current:
            return
        painter.setFont(theme.font(14 if pin.current else 11, pin.current))
        metrics = painter.fontMetrics()
        width = metrics.horizontalAdvance(pin.id) + theme.px(8)
        gap = theme.px(20) if pin.current else theme.px(8)
        above = centre.y() - gap - metrics.height() > area.top()
        y = centre.y() - gap - metrics.height() if above else centre.y() + gap
        x = min(max(centre.x() - width / 2, area.left()), area.right() - width)
        if pin.kind == "test point":
            # Beside it: above and below stand the labels of the adjusters round it.
            x, y = centre.x() - gap - width, centre.y() - metrics.height() / 2
        plate = QRectF(x, y, width, metrics.height())
        painter.setPen(Qt.PenStyle.NoPen)
        ground = theme.colour("card")
        ground.setAlpha(225)
        painter.setBrush(ground)
        painter.drawRoundedRect(plate, 4, 4)
        painter.setPen(theme.colour("orange_text" if pin.current else "ink"))
        painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, pin.id)

    def pin_at(self, where: QPointF) -> Pin | None:
        """The adjuster's pin nearest to a place, within a finger's breadth."""
        best, nearest = None, float(theme.px(18))
        for pin in self._pins:
            away = (self.place_of(pin) - where).manhattanLength()
            if away < nearest and pin.kind != "test point":
                best, nearest = pin, away
        return best

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self.bare:
            self.photo_wanted.emit("")
        elif (pin := self.pin_at(event.position())) is not None:
            self.chosen.emit(pin.id)
        elif self.image is not None and (place := self._share_at(event.position())) is not None:
            self.pointed.emit(*place)

    def _share_at(self, where: QPointF) -> tuple[float, float] | None:
        """A place on the widget as shares of the whole picture, across and down; None beside it."""
        area = self._area()
        if not area.contains(where):
            return None
        left, top, right, bottom = self._crop
        return (
            left + (where.x() - area.left()) / area.width() * (right - left),
            top + (where.y() - area.top()) / area.height() * (bottom - top),
        )

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        pin = self.pin_at(event.position())
        self.setCursor(Qt.CursorShape.PointingHandCursor if pin or self.bare else Qt.CursorShape.ArrowCursor)
        if pin is not None:
            QToolTip.showText(event.globalPosition().toPoint(), plain_tip(pin.id), self)
