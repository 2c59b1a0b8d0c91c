"""Short lists of sentences with a verdict's shape in front, and rows of counted squares."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.painted import Painted, label, set_tip
from unitone.words import tr

#: Which shape stands for how something looked at, a voltage, or an outcome came out.
SHAPE = {
    "fine": "in_spec", "wrong": "out_of_spec", "repaired": "in_spec", "low": "out_of_spec", "high": "out_of_spec", "the cause": "in_spec",
    "not the cause": "not applicable",
    "unclear": "undecided", "open": "recheck", "": "todo", "noted": "todo",
}  # fmt: skip


class MarkIcon(Painted):
    """A verdict's shape beside words that say it too."""

    def __init__(self, mark: str = "todo", size: int = 14) -> None:
        super().__init__(tr("Mark"))
        self._mark, self._size = mark, size
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.show_mark(mark)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(self._size + 4), theme.px(self._size + 4))

    @property
    def mark(self) -> str:
        """The verdict that is drawn."""
        return self._mark

    def show_mark(self, mark: str) -> None:
        """Draw this verdict (or what comes out as it)."""
        self._mark = SHAPE.get(mark, mark)
        self.setAccessibleDescription(mark or self._mark)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        side = theme.px(self._size)
        at = (self.width() - side) / 2, (self.height() - side) / 2
        draw_mark(self.painter(), QRectF(at[0], at[1], side, side), self._mark, self._mark == "now")


@dataclass(frozen=True)
class Line:
    """One line: its shape, its words, quiet words after them, and what its buttons are called."""

    mark: str
    words: str
    quiet: str = ""
    key: str = ""
    buttons: tuple[str, ...] = ()


class Lines(QWidget):
    """Shows lines; a button of a line tells its key and its number."""

    def __init__(
        self, name: str, pressed: Callable[[str, int], None] | None = None, bold: bool = False, stacked: bool = False
    ) -> None:
        super().__init__()
        self.setAccessibleName(name)
        #: ``stacked``: the quiet words stand under the others, not beside them.
        self._pressed, self._bold, self._stacked = pressed, bold, stacked
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(theme.px(3))
        self.shown: tuple[Line, ...] | None = None

    def show_lines(self, lines: Sequence[Line], empty: str = "") -> None:
        """Show these, or the words for none."""
        wanted = tuple(lines)
        if wanted == self.shown and wanted:
            return
        self.shown = wanted
        held = self.isAncestorOf(QApplication.focusWidget())
        while (item := self._layout.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        for line in wanted:
            self._layout.addWidget(self._row(line))
        if not wanted and empty:
            self._layout.addWidget(label("quiet", empty, True))
        if held:
            # The button that was pressed is gone: the page's keys go on working.
            self.setFocus()

    def _row(self, line: Line) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(8))
        if line.mark:
            row.addWidget(MarkIcon(line.mark), 0, Qt.AlignmentFlag.AlignTop)
        words = label("strong" if self._bold else "plain", line.words, True)
        words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        if line.quiet and self._stacked:
            both = QVBoxLayout()
            both.setSpacing(0)
            both.addWidget(words)
            both.addWidget(label("quiet", line.quiet, True))
            row.addLayout(both, 1)
        else:
            row.addWidget(words, 1, Qt.AlignmentFlag.AlignTop)
            if line.quiet:
                row.addWidget(label("quiet", line.quiet, True), 1, Qt.AlignmentFlag.AlignTop)
        for n, text in enumerate(line.buttons):
            button = QPushButton(text)
            button.setProperty("role", "link")
            button.setAccessibleName(f"{text}: {line.words}")
            button.clicked.connect(lambda _=False, k=line.key, at=n: self._pressed and self._pressed(k, at))
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
        return holder


class Counted(Painted):
    """Something that came up in some of the last few: its words, and as many filled squares of all."""

    def __init__(self, words: str, times: int, of: int) -> None:
        super().__init__(tr("{what}: {n} of {all}", what=words, n=times, all=of))
        self._words, self._times, self._of = words, times, of
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(200), theme.px(24))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        side, gap = theme.px(13), theme.px(4)
        left = self.width() - self._of * (side + gap)
        painter.setPen(theme.colour("ink"))
        metrics, count = painter.fontMetrics(), tr(": {n} of {all}", n=self._times, all=self._of)
        room = left - gap - metrics.horizontalAdvance(count)
        words = metrics.elidedText(self._words, Qt.TextElideMode.ElideRight, room) + count
        painter.drawText(QRectF(0, 0, left, self.height()), Qt.AlignmentFlag.AlignVCenter, words)
        painter.setPen(Qt.PenStyle.NoPen)
        for n in range(self._of):
            painter.setBrush(theme.colour("teal" if n < self._times else "line"))
            painter.drawRoundedRect(QRectF(left + n * (side + gap), (self.height() - side) / 2, side, side), 3, 3)


class CountedList(QWidget):
    """What recurs, the most frequent first."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("What recurs"))
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(0)

    def show_counted(self, rows: Sequence[tuple[str, int]], of: int, empty: str, most: int = 6) -> None:
        """Show the first ``most`` of them, or the words for none."""
        while (item := self._layout.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        for words, times in rows[:most]:
            made = Counted(words, times, of)
            set_tip(made, words)
            self._layout.addWidget(made)
        if not rows:
            self._layout.addWidget(label("quiet", empty, True))
