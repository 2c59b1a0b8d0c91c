"""A painted widget that knows the theme and has a name for those who cannot see it."""

from __future__ import annotations

from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QLabel, QWidget

from unitone.desktop.theme.theme import theme


class Painted(QWidget):
    """Base of the painted widgets: accessible name, antialiasing, repaint when the theme changes."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        theme.changed.connect(self._theme_changed)

    def _theme_changed(self) -> None:
        self.updateGeometry()
        self.update()

    def painter(self) -> QPainter:
        """A painter with the program's typeface."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(13))
        return painter


def label(role: str, text: str = "", wrap: bool = False) -> QLabel:
    """A label in one of the style sheet's roles."""
    made = QLabel(text)
    made.setProperty("role", role)
    made.setWordWrap(wrap)
    return made


def elided(painter: QPainter, text: str, width: float) -> str:
    """``text`` shortened with an ellipsis to ``width`` pixels."""
    from PyQt6.QtCore import Qt

    return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(width))
