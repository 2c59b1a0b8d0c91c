"""A painted widget that knows the theme and has a name for those who cannot see it."""

from __future__ import annotations

from html import escape
from typing import Protocol

from PyQt6.QtCore import QEvent, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QResizeEvent
from PyQt6.QtWidgets import QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from unitone.desktop.theme.theme import theme
from unitone.words import tr


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


class Tipped(Protocol):
    """What has a tip: a widget, or an item of a list or table."""

    def setToolTip(self, text: str | None) -> None: ...


def plain_tip(text: str) -> str:
    """A tip's text as it is written: Qt takes one with a tag in it for HTML, and offers no other way to say so."""
    return f"<qt>{escape(text).replace(chr(10), '<br>')}</qt>" if "<" in text else text


def set_tip(target: Tipped, text: str) -> None:
    """Give a widget or an item its tip, as plain text."""
    target.setToolTip(plain_tip(text))


def restyle(widget: QWidget, value: object, name: str = "role", *others: QWidget) -> None:
    """Give a widget another of the style sheet's roles, or another value of ``name``; ``others`` look it up in the widget."""
    if widget.property(name) == value:
        return
    widget.setProperty(name, value)
    for changed in (widget, *others):
        _polish(changed)


def _polish(widget: QWidget) -> None:
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)


def label(role: str, text: str = "", wrap: bool = False) -> QLabel:
    """A label in one of the style sheet's roles."""
    made = QLabel()
    # What people and files say is shown as it is written: a label would take any text with a tag in it for HTML.
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setText(text)
    made.setProperty("role", role)
    made.setWordWrap(wrap)
    return made


class Card(QFrame):
    """A card with its title and a column under it."""

    def __init__(self, title: str, role: str = "title") -> None:
        super().__init__()
        self.setProperty("role", "card")
        self.setAccessibleName(title)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        self.column.setSpacing(theme.px(8))
        self.column.addWidget(label(role, title, True))


class Message(QFrame):
    """What a page has to say of something that was refused; hidden until then."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "warning")
        self.words = label("warn", "", True)
        self.words.setAccessibleName(tr("Message"))
        QVBoxLayout(self).addWidget(self.words)
        self.hide()

    def tell(self, words: str) -> None:
        """Say it."""
        self.words.setText(words)
        self.show()


class Column(QScrollArea):
    """A column that scrolls up and down only, and takes no focus of its own; ``whole`` ones are as wide as what is in them."""

    def __init__(self, inside: QWidget, whole: bool = False) -> None:
        super().__init__()
        self._whole = whole
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(inside)

    def minimumSizeHint(self) -> QSize:
        """Room for the longest words inside, with the bar beside them."""
        least, inside = super().minimumSizeHint(), self.widget()
        if not self._whole or inside is None:
            return least
        return QSize(inside.minimumSizeHint().width() + theme.px(12), least.height())


def scrolled(inside: QWidget, whole: bool = False) -> QScrollArea:
    """A column that scrolls; see ``Column``."""
    return Column(inside, whole)


class Elided(QLabel):
    """A label of one line that ends in an ellipsis where there is no room; the whole of it stands in its tip."""

    def __init__(self, role: str, text: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setProperty("role", role)
        self._whole = ""
        self.setMinimumWidth(theme.px(20))
        self.setText(text)

    def text(self) -> str:
        """The whole text."""
        return self._whole

    def setText(self, text: str | None) -> None:
        """Another text."""
        if text != self._whole:
            self._whole = text or ""
            set_tip(self, self._whole)
            self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def sizeHint(self) -> QSize:
        """As wide as the whole text."""
        return QSize(self.fontMetrics().horizontalAdvance(self._whole) + 2, super().sizeHint().height())

    def _fit(self) -> None:
        self.ensurePolished()
        shown = self.fontMetrics().elidedText(self._whole, Qt.TextElideMode.ElideRight, max(self.width(), 20))
        if shown != super().text():
            super().setText(shown)


def elided(painter: QPainter, text: str, width: float) -> str:
    """``text`` shortened with an ellipsis to ``width`` pixels."""
    return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(width))


def own_escape(event: QEvent | None) -> bool:
    """Is this Escape, which a widget keeps for itself while it is shown over others? Then no shortcut of the window takes it."""
    if (
        isinstance(event, QKeyEvent)
        and event.type() == QEvent.Type.ShortcutOverride
        and event.key() == Qt.Key.Key_Escape
    ):
        event.accept()
        return True
    return False
