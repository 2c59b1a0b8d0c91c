"""The palette (Ctrl+K): every action, view, job, step, adjuster and calculator by its words, with its shortcut."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import elided, label
from unitone.words import tr

#: Lines shown at most: who wants another types a letter more.
_MOST = 60
_ENTRY = Qt.ItemDataRole.UserRole


class Entry(NamedTuple):
    """Something to find: its words, what kind of thing it is, its shortcut, and what choosing it does."""

    words: str
    kind: str
    key: str
    run: Callable[[], object]


def matching(entries: list[Entry], typed: str) -> list[Entry]:
    """Entries that hold every word typed, in any order; those that begin with what was typed come first."""
    wanted = typed.casefold().split()
    found = [e for e in entries if all(w in f"{e.words} {e.kind} {e.key}".casefold() for w in wanted)]
    head = " ".join(wanted)

    def rank(e: Entry) -> tuple[int, int]:
        words = e.words.casefold()
        starts = 0 if words.startswith(head) else 1 if any(x.startswith(head) for x in words.split()) else 2
        return starts, 0 if head and head in words else 1

    return sorted(found, key=rank) if wanted else found


class _Row(QStyledItemDelegate):
    """Words at the left, kind and shortcut at the right."""

    def sizeHint(self, option: QStyleOptionViewItem, index: object) -> QSize:
        """One line, high enough for a finger."""
        return QSize(theme.px(200), theme.px(34))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: object) -> None:
        """The entry."""
        assert painter is not None
        entry: Entry = index.data(_ENTRY)  # type: ignore[attr-defined]
        box = option.rect.adjusted(theme.px(12), 0, -theme.px(12), 0)
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, theme.colour("teal_soft"))
        painter.setFont(theme.font(13))
        painter.setPen(theme.colour("quiet"))
        side = "   ".join(x for x in (entry.kind, entry.key) if x)
        right = painter.fontMetrics().horizontalAdvance(side)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, side)
        painter.setFont(theme.font(15))
        painter.setPen(theme.colour("ink"))
        room = box.adjusted(0, 0, -right - theme.px(16), 0)
        words = elided(painter, entry.words, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)
        painter.restore()


class Palette(QFrame):
    """A line to type in over the window, and what it finds below; Enter does it, Esc leaves."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setProperty("role", "card")
        self.setAccessibleName(tr("Find anything"))
        self._entries: list[Entry] = []
        self._back: QWidget | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(12), theme.px(12), theme.px(12), theme.px(12))
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("action, view, job, step, part or calculator"))
        self.line.setAccessibleName(tr("Find anything"))
        self.line.textChanged.connect(self._filter)
        self.line.installEventFilter(self)
        layout.addWidget(self.line)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Found"))
        self.list.setItemDelegate(_Row(self.list))
        self.list.setUniformItemSizes(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.itemClicked.connect(lambda _: self._run())
        layout.addWidget(self.list, 1)
        self.empty = label("quiet", tr("Nothing found. Try fewer letters."))
        layout.addWidget(self.empty)
        self.hide()

    def open(self, entries: list[Entry]) -> None:
        """Show it over its window with these entries."""
        window = self.window()
        self._back = window.focusWidget() if window is not None else None
        self._entries = entries
        self.line.clear()
        self._filter("")
        self.place()
        self.show()
        self.raise_()
        self.line.setFocus()

    def place(self) -> None:
        """In the upper middle of the window."""
        parent = self.parentWidget()
        if parent is None:
            return
        wide = min(theme.px(720), parent.width() - theme.px(40))
        high = min(theme.px(460), parent.height() - theme.px(80))
        self.setGeometry((parent.width() - wide) // 2, theme.px(48), wide, high)

    def leave(self) -> None:
        """Close it, and give the keyboard back."""
        self.hide()
        if self._back is not None:
            self._back.setFocus()

    def _filter(self, typed: str) -> None:
        found = matching(self._entries, typed)[:_MOST]
        self.list.clear()
        for entry in found:
            item = QListWidgetItem(entry.words)
            item.setData(_ENTRY, entry)
            self.list.addItem(item)
        self.list.setVisible(bool(found))
        self.empty.setVisible(not found)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item is None:
            return
        entry: Entry = item.data(_ENTRY)
        self.leave()
        entry.run()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Arrow keys move in the list while the line keeps the keyboard."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key = event.key()
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 8, Qt.Key.Key_PageUp: -8}.get(
                Qt.Key(key)
            )
            if step is not None:
                last = self.list.count() - 1
                self.list.setCurrentRow(max(0, min(self.list.currentRow() + step, last)))
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run()
                return True
            if key == Qt.Key.Key_Escape:
                self.leave()
                return True
        if event is not None and event.type() == QEvent.Type.FocusOut and self.isVisible() and not self.underMouse():
            self.hide()
        return super().eventFilter(watched, event)
