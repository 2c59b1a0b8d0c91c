"""What changes with the room there is: chips that become a list, buttons that stand in two rows and say less, lines that break."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable

from PyQt6.QtCore import QEvent, QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QPushButton, QSizePolicy, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice

_UNITS = r"(?<=\d) (?=%|(?:dB[mc]?|[µm]?V|m?W|[kM]?Hz|m?A|Ω|turns?)\b)"
_SIGNS = r"(?<=[≥≤<>±]) "


def together(words: str) -> str:
    """The same words, with no line's end between a number and its unit, or a sign and its number."""
    return re.sub(f"{_UNITS}|{_SIGNS}", "\u00a0", words)


class ChipRow(QWidget):
    """One of several is chosen: names beside each other where they fit, a pull-down of them where they do not."""

    def __init__(
        self, title: str, pairs: Iterable[tuple[str, str]], choose: Callable[[str], object], role: str = "chip"
    ) -> None:
        super().__init__()
        self.setAccessibleName(title)
        self.chips: dict[str, QPushButton] = {}
        self.list = Choice()
        self.list.setAccessibleName(title)
        self.list.activated.connect(lambda _: choose(str(self.list.currentData())))
        self.list.hide()
        group = QButtonGroup(self)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(5))
        for name, words in pairs:
            chip = self.chips[name] = QPushButton(words)
            chip.setProperty("role", role)
            chip.setCheckable(True)
            chip.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            chip.clicked.connect(lambda _=False, n=name: choose(n))
            group.addButton(chip)
            row.addWidget(chip)
            self.list.addItem(words, name)
        row.addWidget(self.list)
        row.addStretch(1)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def mark(self, name: str) -> None:
        """This one is chosen."""
        self.chips[name].setChecked(True)
        self.list.setCurrentIndex(self.list.findData(name))

    def rename(self, name: str, words: str, spoken: str = "") -> None:
        """Other words, and what is read aloud where that is more."""
        self.chips[name].setText(words)
        self.chips[name].setAccessibleName(spoken or words)
        self.list.setItemText(self.list.findData(name), words)
        self._fit()

    def offer(self, name: str, offered: bool) -> None:
        """Leave one out, or bring it back."""
        at = self.list.findData(name)
        if offered == (at >= 0):
            return
        if offered:
            self.list.insertItem(list(self.chips).index(name), self.chips[name].text(), name)
        else:
            self.list.removeItem(at)
        self._fit()

    def minimumSizeHint(self) -> QSize:
        """The pull-down is the least."""
        return self.list.minimumSizeHint()

    def sizeHint(self) -> QSize:
        """All names beside each other, in whichever form they stand now."""
        return QSize(self._wanted(), super().sizeHint().height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _offered(self) -> list[QPushButton]:
        return [chip for name, chip in self.chips.items() if self.list.findData(name) >= 0]

    def _wanted(self) -> int:
        return sum(chip.sizeHint().width() + theme.px(5) for chip in self._offered())

    def _fit(self) -> None:
        fits = self._wanted() <= self.width()
        for chip in self.chips.values():
            chip.setVisible(fits and chip in self._offered())
        self.list.setVisible(not fits)


class Flow(QWidget):
    """Buttons beside each other as far as there is room, then in the next row; as high as that takes."""

    def __init__(self, title: str, buttons: Iterable[QPushButton]) -> None:
        super().__init__()
        self.setAccessibleName(title)
        self._buttons = list(buttons)
        for button in self._buttons:
            button.setParent(self)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        """As many rows as the buttons need."""
        return self._place(width, move=False)

    def sizeHint(self) -> QSize:
        """Wide enough for the widest; as high as it stands now."""
        return QSize(self.minimumSizeHint().width(), self._place(max(self.width(), 1), move=False))

    def minimumSizeHint(self) -> QSize:
        """The widest button alone."""
        return QSize(max((b.sizeHint().width() for b in self._buttons), default=0), 0)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place(self.width(), move=True)
        self.updateGeometry()

    def event(self, event: QEvent | None) -> bool:
        """A button with other words wants other room."""
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self._place(self.width(), move=True)
            self.updateGeometry()
        return super().event(event)

    def _place(self, width: int, move: bool) -> int:
        """Put each where it belongs; the height of them all."""
        gap, x, y, row = theme.px(6), 0, 0, 0
        for button in self._buttons:
            size = button.sizeHint()
            if x and x + size.width() > width:
                x, y, row = 0, y + row + gap, 0
            if move and button.geometry().getRect() != (x, y, size.width(), size.height()):
                button.setGeometry(x, y, size.width(), size.height())
            x, row = x + size.width() + gap, max(row, size.height())
        return y + row


class ButtonRows(QWidget):
    """Buttons in one row where they fit, two and two where they do not; in the least room without the names of their keys.

    A button's words end with its keys after two spaces, as everywhere in the program.
    """

    def __init__(self, title: str, buttons: Iterable[QPushButton]) -> None:
        super().__init__()
        self.setAccessibleName(title)
        self._buttons = list(buttons)
        self._words: dict[QPushButton, str] = {b: b.text() for b in self._buttons}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(theme.px(6))
        self._shown: tuple[int, bool, tuple[QPushButton, ...]] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.refresh()

    def say(self, button: QPushButton, words: str) -> None:
        """Other words on a button, whatever is shown of them."""
        if self._words[button] != words:
            self._words[button] = words
            self.refresh()

    def refresh(self) -> None:
        """A button was hidden, shown, or named otherwise."""
        self._shown = None
        self.updateGeometry()
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def minimumSizeHint(self) -> QSize:
        """Two buttons side by side, without the names of their keys."""
        return QSize(self._across(self._seen(), 2, short=True), super().minimumSizeHint().height())

    def _seen(self) -> list[QPushButton]:
        return [b for b in self._buttons if not b.isHidden() or b.parentWidget() is None]

    def _wide(self, button: QPushButton, short: bool) -> int:
        words = self._words[button]
        button.ensurePolished()
        more = button.fontMetrics().horizontalAdvance(words.split("  ")[0] if short else words)
        return button.sizeHint().width() - button.fontMetrics().horizontalAdvance(button.text()) + more

    def _across(self, buttons: list[QPushButton], across: int, short: bool) -> int:
        """How wide so many columns are."""
        columns = [max((self._wide(b, short) for b in buttons[n::across]), default=0) for n in range(across)]
        return sum(columns) + theme.px(6) * (across - 1)

    def _fit(self) -> None:
        seen = self._seen()
        if not seen:
            return
        one = self._across(seen, len(seen), short=False) <= self.width()
        across = len(seen) if one else 2
        short = not one and self._across(seen, 2, short=False) > self.width()
        if self._shown == (across, short, tuple(seen)):
            return
        self._shown = across, short, tuple(seen)
        for n, button in enumerate(seen):
            words = self._words[button]
            button.setText(words.split("  ")[0] if short else words)
            button.setAccessibleName(words)
            self._grid.addWidget(button, n // across, n % across)
        for column in range(len(self._buttons) + 1):
            self._grid.setColumnStretch(column, 1 if column < across else 0)
