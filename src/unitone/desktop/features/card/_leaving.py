"""Leaving the shop: a list gone through once, a sentence and a photograph to each, for the handover page."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.livefield import LiveLine
from unitone.desktop.widgets.painted import label, set_tip
from unitone.errors import SheetError
from unitone.present.card.card_shapes import CardView, LeavingCell
from unitone.session.session import Session
from unitone.sheet.format.pictures import read_picture
from unitone.words import tr

_UNLOOKED, _FINE, _WRONG = "", "fine", "wrong"


class LeavingBox(QWidget):
    """A row an item: its name, how it is, a sentence, photographs."""

    def __init__(self, do: Callable[[Callable[[Session], object]], None]) -> None:
        super().__init__()
        self._do = do
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(6))
        head = QHBoxLayout()
        head.addWidget(label("heading", tr("Leaving the shop")))
        self.tally = label("quiet", "", True)
        head.addWidget(self.tally, 1)
        column.addLayout(head)
        column.addWidget(label("quiet", tr("Your sentences are printed on the handover page."), True))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(theme.px(10))
        self._grid.setVerticalSpacing(theme.px(4))
        for number, share in enumerate((4, 2, 7, 1)):
            self._grid.setColumnStretch(number, share)
        column.addLayout(self._grid)
        self.add = EntryForm(
            (Ask("item", tr("Another setting"), tr("menu 12, roger beep"), 2, needed=True), Ask("words", tr("As left"), tr("off, was on"), 4)),
            tr("Add"),
        )  # fmt: skip
        self.add.submitted.connect(lambda d: self._do(lambda s: s.workshop.leave(d["item"], True, d["words"])))
        column.addWidget(self.add)
        self.error = label("cure", "", True)
        self.error.hide()
        column.addWidget(self.error)
        self.rows: dict[str, tuple[Choice, LiveLine, QPushButton]] = {}

    def show_card(self, view: CardView, other: bool) -> None:
        """The list as it stands; rows that stay keep what is typed in them."""
        self.tally.setText(view.leaving_words)
        if other or list(self.rows) != [i.key for i in view.leaving]:
            while (item := self._grid.takeAt(0)) is not None:
                if (old := item.widget()) is not None:
                    old.hide()
                    old.deleteLater()
            self.rows = {i.key: self._row(n, i) for n, i in enumerate(view.leaving)}
        gone = view.status in ("handed over", "archived")
        for i in view.leaving:
            looked, words, photographs = self.rows[i.key]
            looked.setCurrentIndex(looked.findData(_UNLOOKED if i.fine is None else _FINE if i.fine else _WRONG))
            words.show_value(i.words)
            n = len(i.pictures)
            photographs.setText(tr("Photo ({n})", n=n) if n else tr("Photo…"))
            for widget in (looked, words, photographs):
                widget.setEnabled(not gone)
        self.add.setEnabled(not gone)
        self.add._tell()
        self.error.hide()

    def _row(self, at: int, i: LeavingCell) -> tuple[Choice, LiveLine, QPushButton]:
        name = label("strong", i.title, True)
        set_tip(name, i.how)
        looked = Choice()
        looked.setAccessibleName(tr("{name}: how it is", name=i.title))
        for key, words in (
            (_UNLOOKED, tr("not looked at")),
            (_FINE, tr("as it should be")),
            (_WRONG, tr("not as it should be")),
        ):
            looked.addItem(words, key)
        words = LiveLine(tr("{name}: remark", name=i.title), i.how)
        photographs = QPushButton(tr("Photo…"))
        photographs.setAccessibleName(tr("{name}: photographs", name=i.title))
        name.setBuddy(words)
        looked.activated.connect(lambda _, k=i.key: self._tell(k))
        words.kept.connect(lambda _, k=i.key: self._tell(k))
        photographs.clicked.connect(lambda _=False, k=i.key: self._ask(k))
        for column, widget in enumerate((name, looked, words, photographs)):
            self._grid.addWidget(widget, at, column)
        return looked, words, photographs

    def _tell(self, key: str, pictures: dict[str, bytes] | None = None) -> None:
        looked, line, _ = self.rows[key]
        how, words = str(looked.currentData()), line.text().strip()
        if how == _WRONG and not words:
            self._refuse(tr("Say what is wrong: it is printed on the handover page."))
            line.setFocus()
            return
        if how == _UNLOOKED and not words and not pictures:
            return
        # A sentence, or a picture, says that it was looked at.
        self._do(lambda s: s.workshop.leave(key, how != _WRONG, words, pictures))

    def _ask(self, key: str) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Photographs"), "", tr("Pictures (*.png *.jpg *.jpeg *.svg)"))
        self.add_photographs(key, [Path(n) for n in names])

    def add_photographs(self, key: str, paths: list[Path]) -> None:
        """Keep photographs with an item; what is no picture is refused with words."""
        found: dict[str, bytes] = {}
        wrong: list[str] = []
        for path in paths:
            try:
                found[path.name] = read_picture(path)
            except SheetError as error:
                wrong += error.problems
        if wrong:
            self._refuse("\n".join(wrong))
        elif found:
            self._tell(key, found)

    def _refuse(self, words: str) -> None:
        self.error.setText(words)
        self.error.show()
