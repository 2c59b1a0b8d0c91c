"""Fields that show a value of the job and tell when another was typed; what was not taken stays in the field."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.form import Words
from unitone.desktop.widgets.painted import set_tip

_LONGEST = 500


class LiveLine(QLineEdit):
    """One line. ``kept`` tells a text that differs from what is shown, when the field is left or Enter is pressed."""

    kept = pyqtSignal(str)

    def __init__(self, name: str, hint: str = "") -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setPlaceholderText(hint)
        self.setMaxLength(_LONGEST)
        self.setMinimumWidth(theme.px(60))
        self.shown = ""
        self._told = ""
        self.editingFinished.connect(self._tell)

    def show_value(self, text: str) -> None:
        """What the job says; a text that is being typed, or was refused, is not overwritten unless the job changed."""
        if text != self.shown or self.text() == self._told:
            self.shown = self._told = text
            self.setText(text)
            set_tip(self, text)
            if not self.hasFocus():
                # A long text is read from its beginning.
                self.setCursorPosition(0)

    def _tell(self) -> None:
        text = self.text().strip()
        if text != self.shown and text != self._told:
            self._told = text
            self.kept.emit(text)

    def refused(self) -> None:
        """The text was not taken: it stays, and may be told again."""
        self._told = self.shown

    def event(self, event: QEvent | None) -> bool:
        """Escape is the field's own while something else is typed in it."""
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and event.key() == Qt.Key.Key_Escape
            and self.text() != self.shown
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape brings back what the job says."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self.text() != self.shown:
            self.setText(self.shown)
            self._told = self.shown
            return
        super().keyPressEvent(event)


class LiveWords(Words):
    """A few lines of the same."""

    kept = pyqtSignal(str)

    def __init__(self, name: str, hint: str = "") -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setPlaceholderText(hint)
        self.shown = ""

    def show_value(self, text: str) -> None:
        """What the job says."""
        if text != self.shown:
            self.shown = text
            self.setPlainText(text)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Leaving it keeps it."""
        super().focusOutEvent(event)
        text = self.toPlainText().strip()[:2000]
        if text != self.shown:
            self.kept.emit(text)
