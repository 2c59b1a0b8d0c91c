"""Pinning: a board picture to zoom into, click pins onto, drag them about on, and cut to what matters."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted
from unitone.desktop.widgets.picture import WHOLE, BoardImage, Crop
from unitone.words import tr

#: How near to a pin a click has to be to take hold of it (pixels at normal type).
_NEAR = 12
#: How far an arrow key moves a pin (part of the picture).
_NUDGE = 0.004


@dataclass(frozen=True)
class Pinned:
    """A pin on the picture: which table it belongs to, its id and place."""

    table: str
    id: str
    x: float
    y: float


class PinBoard(Painted):
    """Click to pin what is at hand, drag a pin to move it, wheel to zoom, drag the picture to move it."""

    placed = pyqtSignal(float, float)
    taken = pyqtSignal(str, str)
    moved = pyqtSignal(str, str, float, float)
    cropped = pyqtSignal(tuple)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(tr("Board picture"), parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(theme.px(240), theme.px(200))
        self.image: BoardImage | None = None
        self.crop: Crop = WHOLE
        self._pins: tuple[Pinned, ...] = ()
        self._at = ("", "")
        self._zoom = 1.0
        self._offset = QPointF()
        self._held: Pinned | None = None
        self._held_at = QPointF()
        self._press: QPointF | None = None
        self._panned = False
        self.cutting = False
        self._cut: tuple[QPointF, QPointF] | None = None

    def show_picture(self, image: BoardImage | None, crop: Crop) -> None:
        """Another picture, or another part of it."""
        if image is not self.image or crop != self.crop:
            self.image, self.crop = image, crop
            self._zoom, self._offset = 1.0, QPointF()
        self.update()

    def show_pins(self, pins: tuple[Pinned, ...], at: tuple[str, str]) -> None:
        """The pins on this picture, and (table, id) of the one at hand."""
        self._pins, self._at = pins, at
        self.setAccessibleDescription(tr("pinned: {pins}", pins=", ".join(p.id for p in pins) or tr("nothing")))
        self.update()

    # -- where things lie ------------------------------------------------------------------------

    def area(self) -> QRectF:
        """Where the shown part of the picture lies on the widget."""
        shape = self.image.shape(self._shown()) if self.image is not None else 1.25
        width, height = float(self.width()), float(self.height())
        if width / max(height, 1.0) > shape:
            width = height * shape
        else:
            height = width / shape
        width, height = width * self._zoom, height * self._zoom
        left = (self.width() - width) / 2 + self._offset.x()
        return QRectF(left, (self.height() - height) / 2 + self._offset.y(), width, height)

    def _shown(self) -> Crop:
        return WHOLE if self.cutting else self.crop

    def to_widget(self, x: float, y: float) -> QPointF:
        """Where on the widget a place of the picture (0 to 1) lies."""
        area, (left, top, right, bottom) = self.area(), self._shown()
        return QPointF(
            area.left() + (x - left) / (right - left) * area.width(),
            area.top() + (y - top) / (bottom - top) * area.height(),
        )

    def to_picture(self, where: QPointF) -> tuple[float, float] | None:
        """The place of the picture (0 to 1) under a point; None beside the shown part."""
        area, (left, top, right, bottom) = self.area(), self._shown()
        if not area.contains(where):
            return None
        x = left + (where.x() - area.left()) / area.width() * (right - left)
        y = top + (where.y() - area.top()) / area.height() * (bottom - top)
        return round(min(max(x, 0.0), 1.0), 4), round(min(max(y, 0.0), 1.0), 4)

    # -- drawing -----------------------------------------------------------------------------------

    def paintEvent(self, event: object) -> None:
        del event
        painter = self.painter()
        painter.fillRect(self.rect(), theme.colour("well"))
        area = self.area()
        if self.image is None:
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.font(15))
            painter.drawText(
                QRectF(self.rect()).adjusted(20, 20, -20, -20),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                tr(
                    "Add a photograph or scan of the board (PNG, JPEG, SVG), or drop one here.\nThen click where each adjuster sits."
                ),
            )
            return
        visible = area.intersected(QRectF(self.rect()))
        if self._zoom <= 1.5:
            self.image.draw(painter, area, self._shown(), self.devicePixelRatioF())
        elif not visible.isEmpty():
            # Zoomed in: only the part in sight is drawn, sharp.
            left, top, right, bottom = self._shown()
            fx, fy = (right - left) / area.width(), (bottom - top) / area.height()
            part = (
                left + (visible.left() - area.left()) * fx, top + (visible.top() - area.top()) * fy,
                left + (visible.right() - area.left()) * fx, top + (visible.bottom() - area.top()) * fy,
            )  # fmt: skip
            self.image.draw(painter, visible, part, self.devicePixelRatioF())
        for pin in self._pins:
            self._draw_pin(painter, pin)
        if self._cut is not None:
            painter.setPen(QPen(theme.colour("orange"), theme.px(2), Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(*self._cut).normalized())
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("teal"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def _draw_pin(self, painter: QPainter, pin: Pinned) -> None:
        now = (pin.table, pin.id) == self._at
        centre = self._held_at if self._held is pin else self.to_widget(pin.x, pin.y)
        radius = theme.px(7)
        painter.setPen(QPen(theme.colour("orange" if now else "ink"), theme.px(3 if now else 2)))
        painter.setBrush(theme.colour("card"))
        if pin.table == "test_point":
            painter.drawEllipse(centre, radius * 0.7, radius * 0.7)
        elif pin.table == "part":
            painter.drawRect(QRectF(centre.x() - radius, centre.y() - radius * 0.6, 2 * radius, 1.2 * radius))
        else:
            painter.drawRoundedRect(QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius), 3, 3)
        painter.setFont(theme.font(13, now))
        width = painter.fontMetrics().horizontalAdvance(pin.id) + theme.px(8)
        plate = QRectF(centre.x() - width / 2, centre.y() - radius - theme.px(20), width, theme.px(17))
        painter.setPen(Qt.PenStyle.NoPen)
        ground = theme.colour("card")
        ground.setAlpha(225)
        painter.setBrush(ground)
        painter.drawRoundedRect(plate, 4, 4)
        painter.setPen(theme.colour("orange_text" if now else "ink"))
        painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, pin.id)

    # -- hands ---------------------------------------------------------------------------------------

    def zoom_by(self, factor: float, about: QPointF | None = None) -> None:
        """Nearer or further, about a point."""
        about = about if about is not None else QPointF(self.width() / 2, self.height() / 2)
        zoom = min(max(self._zoom * factor, 1.0), 12.0)
        if zoom == 1.0:
            self._zoom, self._offset = 1.0, QPointF()
        else:
            middle = QPointF(self.width() / 2, self.height() / 2) + self._offset
            self._offset += (about - middle) * (1.0 - zoom / self._zoom)
            self._zoom = zoom
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self.image is not None:
            self.zoom_by(1.0015 ** event.angleDelta().y(), event.position())
            event.accept()

    def _near(self, where: QPointF) -> Pinned | None:
        found = [(p, (self.to_widget(p.x, p.y) - where).manhattanLength()) for p in self._pins]
        near = [(away, p) for p, away in found if away < theme.px(_NEAR)]
        return min(near, key=lambda n: n[0])[1] if near else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.image is None:
            return
        self.setFocus()
        self._press, self._panned = event.position(), False
        if self.cutting:
            self._cut = (event.position(), event.position())
            return
        self._held = self._near(event.position())
        self._held_at = event.position()
        if self._held is not None:
            self.taken.emit(self._held.table, self._held.id)
            self._held = self._near(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None:
            return
        where = event.position()
        if self.cutting:
            self._cut = (self._press, where)
        elif self._held is not None:
            self._held_at = where
            self._panned = self._panned or (where - self._press).manhattanLength() > 3
        elif (where - self._press).manhattanLength() > 6 or self._panned:
            self._panned = True
            if self._zoom > 1.0:
                self._offset += where - self._press
                self._press = where
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None:
            return
        where, held, panned = event.position(), self._held, self._panned
        start, self._press, self._held, self._panned = self._press, None, None, False
        if self.cutting:
            self._cut_out(start, where)
        elif held is not None:
            place = self.to_picture(where)
            if panned and place is not None:
                self.moved.emit(held.table, held.id, *place)
        elif not panned:
            place = self.to_picture(where)
            if place is not None:
                self.placed.emit(*place)
        self.update()

    def _cut_out(self, start: QPointF, end: QPointF) -> None:
        area = self.area()
        box = QRectF(start, end).normalized().intersected(area)
        first, last = self.to_picture(box.topLeft()), self.to_picture(box.bottomRight() - QPointF(0.01, 0.01))
        self._cut = None
        if first is not None and last is not None and last[0] - first[0] > 0.03 and last[1] - first[1] > 0.03:
            self.cropped.emit((first[0], first[1], last[0], last[1]))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrow keys move the pin at hand; plus and minus zoom."""
        if event is None:
            return
        ways = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        way = ways.get(Qt.Key(event.key()))
        pin = next((p for p in self._pins if (p.table, p.id) == self._at), None)
        if way is not None and pin is not None and not event.modifiers():
            left, top, right, bottom = self.crop
            x = min(max(pin.x + way[0] * _NUDGE, left), right)
            y = min(max(pin.y + way[1] * _NUDGE, top), bottom)
            self.moved.emit(pin.table, pin.id, round(x, 4), round(y, 4))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_by(1.25)
        elif event.key() == Qt.Key.Key_Minus:
            self.zoom_by(0.8)
        else:
            super().keyPressEvent(event)
