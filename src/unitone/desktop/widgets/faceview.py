"""What the camera sees, large: click the pivot and the marks; they and the needle as it is read are drawn over it."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted
from unitone.words import tr

#: The loupe beside the pointer: its side, and how much larger it shows the picture.
_LOUPE, _LARGER = 120, 4.0


class FaceView(Painted):
    """Knows no meter. Places are pixels of the picture; arrow keys move a cross, Enter clicks where it stands."""

    clicked = pyqtSignal(float, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(tr("Picture of the meter"), parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(theme.px(320), theme.px(240))
        self._image: QImage | None = None
        self._empty = ""
        self._pivot: tuple[float, float] | None = None
        self._marks: tuple[tuple[float, float, str], ...] = ()
        self._needle: float | None = None
        self._cross: QPointF | None = None
        self._pointer = False

    def show_image(self, image: QImage | None, empty: str = "") -> None:
        """The picture now, or words for none."""
        self._image, self._empty = image, empty
        self.update()

    def show_taught(
        self, pivot: tuple[float, float] | None, marks: Sequence[tuple[float, float, str]], needle: float | None
    ) -> None:
        """The pivot, (x, y, number) of each mark, and the direction of the needle as it is read (rad, clockwise from the right)."""
        self._pivot, self._marks, self._needle = pivot, tuple(marks), needle
        self.setAccessibleDescription(tr("Marks: {marks}", marks=", ".join(m[2] for m in self._marks) or tr("none")))
        self.update()

    def area(self) -> QRectF:
        """Where the picture lies on the widget."""
        if self._image is None:
            return QRectF(self.rect())
        scale = min(self.width() / self._image.width(), self.height() / self._image.height())
        w, h = scale * self._image.width(), scale * self._image.height()
        return QRectF((self.width() - w) / 2, (self.height() - h) / 2, w, h)

    def to_widget(self, x: float, y: float) -> QPointF:
        """Where a place of the picture lies on the widget."""
        area = self.area()
        image = self._image
        scale = area.width() / image.width() if image is not None else 1.0
        return QPointF(area.left() + x * scale, area.top() + y * scale)

    def to_picture(self, where: QPointF) -> tuple[float, float] | None:
        """The place of the picture under a point; None beside it."""
        area, image = self.area(), self._image
        if image is None or not area.contains(where):
            return None
        scale = image.width() / area.width()
        return (where.x() - area.left()) * scale, (where.y() - area.top()) * scale

    # -- drawing ------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        painter.fillRect(self.rect(), theme.colour("well"))
        if self._image is None:
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.font(15))
            painter.drawText(
                QRectF(self.rect()).adjusted(20, 20, -20, -20),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._empty,
            )  # fmt: skip
        else:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.area(), self._image)
            self._draw_taught(painter)
            if self._cross is not None and (self._pointer or self.hasFocus()):
                self._draw_loupe(painter, self._cross)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("teal"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def _draw_taught(self, painter: QPainter) -> None:
        if self._pivot is not None:
            at = self.to_widget(*self._pivot)
            if self._needle is not None and self._marks:
                reach = max(math.hypot(x - self._pivot[0], y - self._pivot[1]) for x, y, _ in self._marks)
                tip = self.to_widget(
                    self._pivot[0] + 1.12 * reach * math.cos(self._needle),
                    self._pivot[1] + 1.12 * reach * math.sin(self._needle),
                )
                self._stroke(painter, lambda: painter.drawLine(at, tip), "orange", 2)
            self._stroke(painter, lambda: painter.drawEllipse(at, theme.px(8), theme.px(8)), "orange", 3)
        painter.setFont(theme.font(13, True))
        for x, y, words in self._marks:
            place = self.to_widget(x, y)
            self._stroke(painter, lambda p=place: painter.drawEllipse(p, theme.px(6), theme.px(6)), "teal", 2)  # type: ignore[misc]
            wide = painter.fontMetrics().horizontalAdvance(words) + theme.px(10)
            box = QRectF(place.x() - wide / 2, place.y() - theme.px(34), wide, theme.px(22))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("teal"))
            painter.drawRoundedRect(box, theme.px(4), theme.px(4))
            painter.setPen(theme.colour("card"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    @staticmethod
    def _stroke(painter: QPainter, draw, colour: str, width: int) -> None:  # type: ignore[no-untyped-def]
        """A line in colour on a paler one: seen on a light face and on a dark one."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("card"), theme.px(width + 3)))
        draw()
        painter.setPen(QPen(theme.colour(colour), theme.px(width)))
        draw()

    def _draw_loupe(self, painter: QPainter, at: QPointF) -> None:
        place = self.to_picture(at)
        if place is None or self._image is None:
            return
        side = theme.px(_LOUPE)
        # In the corner that is farther from the pointer.
        left = theme.px(8) if at.x() > self.width() / 2 else self.width() - side - theme.px(8)
        box = QRectF(left, theme.px(8), side, side)
        scale = self.area().width() / self._image.width() * _LARGER
        part = side / scale
        painter.save()
        painter.setClipRect(box)
        painter.fillRect(box, theme.colour("well"))
        painter.drawImage(box, self._image, QRectF(place[0] - part / 2, place[1] - part / 2, part, part))
        painter.setPen(QPen(theme.colour("orange"), theme.px(1)))
        middle = box.center()
        painter.drawLine(QPointF(box.left(), middle.y()), QPointF(box.right(), middle.y()))
        painter.drawLine(QPointF(middle.x(), box.top()), QPointF(middle.x(), box.bottom()))
        painter.restore()
        painter.setPen(QPen(theme.colour("line"), theme.px(2)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        if not self._pointer:
            painter.setPen(QPen(theme.colour("orange"), theme.px(2)))
            painter.drawLine(at - QPointF(theme.px(9), 0), at + QPointF(theme.px(9), 0))
            painter.drawLine(at - QPointF(0, theme.px(9)), at + QPointF(0, theme.px(9)))

    # -- hands ---------------------------------------------------------------------------------------------

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._cross, self._pointer = event.position(), True
            self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        super().leaveEvent(event)
        self._pointer = False
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._click(event.position())

    def _click(self, where: QPointF) -> None:
        place = self.to_picture(where)
        if place is not None:
            self.clicked.emit(*place)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = 1.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 8.0
        moves = {
            Qt.Key.Key_Left: (-step, 0.0),
            Qt.Key.Key_Right: (step, 0.0),
            Qt.Key.Key_Up: (0.0, -step),
            Qt.Key.Key_Down: (0.0, step),
        }
        key = Qt.Key(event.key())
        if key in moves and self._image is not None:
            at = self._cross or self.area().center()
            self._cross, self._pointer = at + QPointF(*moves[key]), False
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._cross is not None:
            self._click(self._cross)
        else:
            super().keyPressEvent(event)
