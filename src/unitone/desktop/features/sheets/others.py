"""Sheets of others: a folder of theirs, what is new or different in it, and taking it over."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.painted import Elided, label, restyle, set_tip
from unitone.desktop.widgets.table_editor import RowDelegate
from unitone.sheet.exchange.sources import (
    Changed,
    Looked,
    Offered,
    Source,
    add_source,
    differences,
    drop_source,
    look,
    sources,
    take,
)
from unitone.sheet.library import Library
from unitone.words import tr, tr_n

_ROLE = Qt.ItemDataRole.UserRole


def describe_offered(o: Offered) -> str:
    """How a sheet of others stands to what is here."""
    words = {
        "new": tr("new"),
        "same": tr("taken over"),
        "changed": tr("changed there"),
        "gone": tr("no longer there; the copy stays"),
        "broken": tr("has errors"),
    }[o.state]
    signed = {"signed": tr("signed"), "altered": tr("not the signed one"), "unsigned": ""}[o.signature]
    own = tr("your own version is in use") if o.own else ""
    return " · ".join(x for x in (words, signed, own) if x)


class SheetsOfOthers(QWidget):
    """Sources along the top, their sheets at the left, what would change at the right. ``taken`` after something was taken over."""

    taken = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, library: Library) -> None:
        super().__init__()
        self.setAccessibleName(tr("Sheets of others"))
        self._library = library
        self._looking, self._comparing = Errand("sources", self), Errand("differences", self)
        self._taking = Errand("taking", self, every=True)
        self.looked: Looked | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(16), theme.px(10), theme.px(12), theme.px(10))
        outer.setSpacing(theme.px(8))
        head = QHBoxLayout()
        head.addWidget(label("title", tr("Sheets of others")), 1)
        self.back = QPushButton(tr("Back"))
        self.back.clicked.connect(self.left)
        self.all, self.one = QPushButton(), QPushButton(tr("Take over"))
        self.all.clicked.connect(lambda: self._take(self._waiting()))
        self.one.setProperty("role", "main")
        self.one.clicked.connect(lambda: self._take([o for o in (self.current(),) if o is not None]))
        for button in (self.back, self.all, self.one):
            head.addWidget(button)
        outer.addLayout(head)
        row = QHBoxLayout()
        self.choice = Choice()
        self.choice.setAccessibleName(tr("Folder of others"))
        self.choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.choice.activated.connect(lambda _: self.look())
        row.addWidget(self.choice, 1)
        self.add, self.drop, self.again = (
            QPushButton(tr("Add folder…")),
            QPushButton(tr("Forget it")),
            QPushButton(tr("Look again")),
        )
        self.add.clicked.connect(self._ask)
        self.drop.clicked.connect(self._drop)
        self.again.clicked.connect(lambda: self.look())
        set_tip(self.drop, tr("The sheets taken over from it are put aside; the folder itself is not touched."))
        for button in (self.again, self.drop, self.add):
            button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            row.addWidget(button)
        row.addStretch(0)
        outer.addLayout(row)
        self.place = Elided("quiet")
        outer.addWidget(self.place)
        self.words, self.wrong = label("quiet", "", True), label("warn", "", True)
        for widget in (self.words, self.wrong):
            widget.setAccessibleName(tr("Message"))
            outer.addWidget(widget)
        self._body = QWidget()
        columns = QHBoxLayout(self._body)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(theme.px(12))
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Sheets there"))
        self.list.setItemDelegate(RowDelegate(self.list))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(lambda *_: self._compare())
        columns.addWidget(self.list, 2)
        side = QVBoxLayout()
        self.about = label("heading", "", True)
        side.addWidget(self.about)
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setAccessibleName(tr("Differences"))
        side.addWidget(self.text, 1)
        columns.addLayout(side, 3)
        outer.addWidget(self._body, 1)
        self._below = QWidget()
        outer.addWidget(self._below, 1)
        self.signed = label("quiet", "", True)
        self.signed.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        outer.addWidget(self.signed)
        theme.changed.connect(self._compare)

    # -- looking ------------------------------------------------------------------------------------

    def begin(self) -> None:
        """Show what sources there are, and look at the first."""
        chosen = self.source()
        there = sources(self._library)
        self.choice.clear()
        for s in there:
            self.choice.addItem(s.name, s)
        if chosen in there:
            self.choice.setCurrentIndex(there.index(chosen))
        self.look()

    def source(self) -> Source | None:
        """The folder that is looked at."""
        found = self.choice.currentData()
        return found if isinstance(found, Source) else None

    def look(self, done: str = "") -> None:
        """Look at the folder as it is now; ``done``: what was done there before, which stays to be read."""
        source = self.source()
        for widget in (self.choice, self.drop, self.again):
            widget.setEnabled(source is not None)
        if self.looked is None or self.looked.source != source:
            self.looked = None
            self._fill()
        # Without a folder there is nothing but the way to one.
        for widget in (self._body, self.choice, self.drop, self.again, self.all, self.one, self.place):
            widget.setVisible(source is not None)
        self._below.setVisible(source is None)
        restyle(self.add, "" if source is not None else "main")
        if source is None:
            self.place.setText("")
            self._say(tr("No folder yet. Add one: a club's share, a checkout, a stick. Nothing in it is changed."))
            return
        self.place.setText(str(source.place))
        self._say(done or tr("Looking…"))
        self._looking.run(lambda: look(self._library, source), lambda looked: self._show(looked, done), self._fail)

    def _show(self, looked: Looked, done: str) -> None:
        if looked.source != self.source():
            # Another folder was chosen meanwhile, or this one forgotten.
            return
        self.looked = looked
        self._say(done if looked.offered else tr("There is no sheet in this folder."))
        self._fill()

    def _fill(self) -> None:
        chosen = self.current()
        offered = self.looked.offered if self.looked is not None else ()
        self.list.clear()
        for o in offered:
            item, about = QListWidgetItem(), describe_offered(o)
            item.setData(_ROLE, (o.title, about, o.state == "broken" or o.signature == "altered"))
            item.setData(_ROLE + 1, o)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{o.title}, {about}")
            set_tip(item, "\n".join([o.title, about, *o.problems[:4]]))
            self.list.addItem(item)
            if chosen is not None and chosen.id == o.id:
                self.list.setCurrentItem(item)
        if offered and self.list.currentRow() < 0:
            self.list.setCurrentRow(0)
        waiting = len(self._waiting())
        self.all.setText(
            tr_n("Take over {n} new or changed", "Take over {n} new or changed", waiting)
            if waiting
            else tr("Nothing new")
        )
        self.all.setEnabled(bool(waiting))
        fingerprint = self.looked.fingerprint if self.looked is not None else ""
        self.signed.setText(
            tr(
                "Signed list {fingerprint}. Compare these groups with those that its author reads to you.",
                fingerprint=fingerprint,
            )
            if fingerprint
            else tr("This folder has no signed list. Its author makes one with: unitone sheet sign")
            if offered
            else ""
        )
        self._compare()

    def current(self) -> Offered | None:
        """The chosen sheet."""
        item = self.list.currentItem() if hasattr(self, "list") else None
        found = None if item is None else item.data(_ROLE + 1)
        return found if isinstance(found, Offered) else None

    def _waiting(self) -> list[Offered]:
        """What a press on the one button takes: whatever is new or changed; not what differs from its signature."""
        offered = self.looked.offered if self.looked is not None else ()
        return [o for o in offered if o.state in ("new", "changed") and o.signature != "altered"]

    # -- differences ----------------------------------------------------------------------------------

    def _compare(self) -> None:
        o, source = self.current(), self.source()
        self.one.setEnabled(o is not None and o.state in ("new", "changed"))
        if o is None or source is None:
            self.about.setText("")
            self.text.clear()
            return
        self._comparing.run(
            lambda: differences(self._library, source, o), lambda found: self._tell(o, found), self._fail
        )

    def _tell(self, o: Offered, found: Sequence[Changed]) -> None:
        if o.problems:
            self.about.setText(tr("Why it cannot be used"))
            found = [Changed(" ", p) for p in o.problems]
        elif o.state == "new" and not o.own:
            self.about.setText(tr("New: there is nothing here to compare it with."))
        elif not found:
            self.about.setText(tr("No difference."))
        elif o.own:
            self.about.setText(
                tr(
                    "Yours (−) and theirs (+). Taking it over leaves yours in use; remove yours in Sheets to use theirs."
                )
            )
        else:
            self.about.setText(tr("What taking it over changes: − goes, + comes."))
        self.text.clear()
        # What is wrong is read as sentences, a sheet's lines as lines.
        mode = QPlainTextEdit.LineWrapMode
        self.text.setLineWrapMode(mode.WidgetWidth if o.problems else mode.NoWrap)
        cursor = self.text.textCursor()
        for n, line in enumerate(found):
            shape = QTextCharFormat()
            colour = {"-": "out_of_spec", "+": "in_spec", " ": "quiet"}[line.sign]
            shape.setForeground(QColor(theme.colour(colour)))
            cursor.insertText(("\n" if n else "") + f"{line.sign.replace('-', '−')} {line.words}", shape)
        self.text.moveCursor(QTextCursor.MoveOperation.Start)

    # -- doing -------------------------------------------------------------------------------------

    def _ask(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Folder of others"))
        if name:
            self.add_folder(Path(name))

    def add_folder(self, place: Path) -> None:
        """Look at this folder from now on."""

        def added(source: Source) -> None:
            self.begin()
            self.choice.setCurrentIndex(max(0, self.choice.findText(source.name)))
            self.look()

        self._taking.run(lambda: add_source(self._library, place), added, self._fail)

    def _drop(self) -> None:
        source = self.source()
        if source is not None:

            def dropped(_: object) -> None:
                self.begin()
                self.taken.emit()

            self._taking.run(lambda: drop_source(self._library, source), dropped, self._fail)

    def _take(self, wanted: list[Offered]) -> None:
        source = self.source()
        if source is None or not wanted:
            return

        def work() -> int:
            for o in wanted:
                take(self._library, source, o)
            return len(wanted)

        def done(n: int) -> None:
            self.look(tr_n("{n} sheet taken over.", "{n} sheets taken over.", n))
            self.taken.emit()

        self._taking.run(work, done, self._fail)

    def _say(self, words: str) -> None:
        self.wrong.hide()
        self.words.setText(words)
        self.words.setVisible(bool(words))

    def _fail(self, words: str) -> None:
        self.words.hide()
        self.wrong.setText(words)
        self.wrong.show()
