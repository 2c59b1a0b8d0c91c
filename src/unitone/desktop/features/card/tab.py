"""What the tabs of a job's card share: they get a picture, they say commands, they show what was refused where it was typed."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QFrame, QScrollArea, QVBoxLayout, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.entryform import EntryForm
from unitone.present.card.card_shapes import CardView

#: Narrower than this, two columns stand one above the other.
_SIDE_BY_SIDE = 800


class CardTab(QScrollArea):
    """A tab; ``do`` carries a command of the session. It knows no session and no logbook."""

    do = pyqtSignal(object)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        # Large type in a small window: what does not fit is still to be reached.
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        inside = QWidget()
        self.column = QVBoxLayout(inside)
        self.column.setContentsMargins(theme.px(4), theme.px(6), theme.px(10), theme.px(6))
        self.column.setSpacing(theme.px(12))
        self.setWidget(inside)
        self.sides = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self.sides.setSpacing(theme.px(12))
        self.forms: list[EntryForm] = []
        self.view: CardView | None = None

    def show_card(self, view: CardView) -> None:
        """Show this picture: what was typed before it was taken."""
        other = self.view is None or self.view.job_id != view.job_id
        self.view = view
        for form in self.forms:
            form.setEnabled(not view.finished)
            form.taken()
        self.fill(view, other)

    def fill(self, view: CardView, other: bool) -> None:
        """Fill the tab; ``other`` says that it is another job than before. A tab without a picture of its own has nothing to fill."""

    def failed(self, words: str) -> bool:
        """Show what was refused beside where it was typed; False where it was not typed here."""
        for form in self.forms:
            if form.pending:
                form.show_error(words)
                return True
        return False

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a small window, or with large type, what stands side by side stands one above the other."""
        super().resizeEvent(event)
        wide = self.width() / theme.scale >= _SIDE_BY_SIDE
        self.sides.setDirection(QBoxLayout.Direction.LeftToRight if wide else QBoxLayout.Direction.TopToBottom)

    def first(self) -> QWidget:
        """What has the cursor when the tab is opened."""
        return self


def boxed() -> tuple[QFrame, QVBoxLayout]:
    """A card on the paper."""
    frame = QFrame()
    frame.setProperty("role", "card")
    layout = QVBoxLayout(frame)
    layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
    layout.setSpacing(theme.px(6))
    return frame, layout
