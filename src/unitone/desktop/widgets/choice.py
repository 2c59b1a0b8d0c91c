"""A pull-down in the program's own look, which scrolling past it does not change."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QComboBox, QCompleter

from unitone.desktop.theme.theme import theme


def choice_of(pairs: Iterable[tuple[str, str]], usual: str, chosen: Callable[[], None]) -> Choice:
    """A pull-down of (key, words), standing at ``usual``; ``chosen`` is called when another is chosen."""
    box = Choice()
    for key, words in pairs:
        box.addItem(words, key)
    box.setCurrentIndex(max(0, box.findData(usual)) if box.count() else -1)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(8)
    box.activated.connect(lambda _: chosen())
    return box


def dress_list(completer: QCompleter) -> None:
    """Give the list of completions its style: it is a window of its own, without a parent, and a plain list has no ground."""
    popup = completer.popup()
    if popup is not None:
        popup.setProperty("role", "completions")
        theme.dress(popup)


class Choice(QComboBox):
    """Styled by the sheet of styles; the arrow is painted in the theme's ink."""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            event.ignore()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(
            QPen(theme.colour("ink" if self.isEnabled() else "quiet"), theme.px(2), cap=Qt.PenCapStyle.RoundCap)
        )
        x, y, side = self.width() - theme.px(15), self.height() / 2 - theme.px(2), theme.px(4)
        painter.drawPolyline(QPolygonF([QPointF(x - side, y), QPointF(x, y + side), QPointF(x + side, y)]))
        painter.end()
