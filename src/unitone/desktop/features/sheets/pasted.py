"""A sheet from text: paste the alignment table, or open a file or scan of it; every step stands beside the words it came from."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QTextCursor
from PyQt6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label, set_tip
from unitone.errors import EntryError
from unitone.quantities.registry import quantity
from unitone.sheet.drafting.drafted import ILLEGIBLE, Drafted, DraftedStep, draft_sheet, with_scans
from unitone.sheet.drafting.text_of_file import Text, pages_of, text_of
from unitone.sheet.model.limits import limit_to_text
from unitone.words import tr, tr_n

_LINE = int(Qt.ItemDataRole.UserRole)
#: What is typed is understood anew after a short rest (ms).
_REST = 350
#: More text than any procedure has.
_LONGEST = 400_000


class PastedText(QWidget):
    """Text at the left, what was understood of it at the right."""

    #: The sheet as data, and the scans that go with it by file name.
    made = pyqtSignal(object, object)
    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("A sheet from text"))
        self._reading, self._drafting = Errand("sheet-text", self), Errand("sheet-draft", self)
        self.drafted: Drafted | None = None
        self._name = ""
        self._scans: tuple[tuple[int, str, bytes], ...] = ()
        self._timer = QTimer(self, singleShot=True, interval=_REST)
        self._timer.timeout.connect(self._understand)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(16), theme.px(10), theme.px(12), theme.px(10))
        outer.setSpacing(theme.px(8))
        head = QHBoxLayout()
        self.title = label("title", tr("A sheet from text"), True)
        head.addWidget(self.title, 1)
        self.pages = QLineEdit()
        self.pages.setAccessibleName(tr("Pages of a PDF"))
        self.pages.setPlaceholderText(tr("pages, like 12-15"))
        self.pages.setMaximumWidth(theme.px(150))
        self.open_file = QPushButton(tr("Open text, PDF or scan…"))
        self.open_file.clicked.connect(self._ask_file)
        self.make = QPushButton(tr("Make the sheet"))
        self.make.setProperty("role", "main")
        self.make.clicked.connect(self._make)
        self.back = QPushButton(tr("Cancel"))
        self.back.clicked.connect(self.left.emit)
        self.illegible = QPushButton(tr("Cannot be read"))
        set_tip(self.illegible, tr("Marks the words you chose, or the place of the cursor: the job lists it as wanted"))
        self.illegible.clicked.connect(self._illegible)
        for widget in (self.pages, self.illegible, self.open_file, self.back, self.make):
            head.addWidget(widget)
        outer.addLayout(head)
        self.words = label("quiet", "", True)
        self.words.setAccessibleName(tr("Message"))
        outer.addWidget(self.words)
        sides = QHBoxLayout()
        sides.setSpacing(theme.px(12))
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(tr("Text of the procedure"))
        self.text.setPlaceholderText(
            tr("Paste the alignment table or the steps here: adjusters, test points, limits, channels, in any form.")
        )
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.WidgetWidth)
        self.text.setFont(theme.font(13))
        self.text.textChanged.connect(self._timer.start)
        sides.addWidget(self.text, 5)
        self.steps = QListWidget()
        self.steps.setAccessibleName(tr("Steps that were understood"))
        self.steps.setWordWrap(True)
        self.steps.setSpacing(theme.px(3))
        self.steps.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.steps.currentItemChanged.connect(lambda item, _: item and self._show_line(int(item.data(_LINE))))
        set_tip(self.steps, tr("Choose a step to see its words in the text"))
        sides.addWidget(self.steps, 5)
        frame = QFrame()
        frame.setLayout(sides)
        outer.addWidget(frame, 1)
        self._show(None)

    def begin(self) -> None:
        """Empty, ready to be pasted into."""
        self._name, self._scans = "", ()
        self.text.clear()
        self._show(None)
        self.text.setFocus()

    # -- a file ---------------------------------------------------------------------------------------

    def _ask_file(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self,
            tr("Text of an alignment procedure"),
            "",
            tr("Text, PDF or picture") + " (*.txt *.csv *.md *.pdf *.png *.jpg *.jpeg)",
        )
        if path:
            self.read(Path(path))

    def read(self, path: Path) -> None:
        """The text of a file, off the window's thread."""
        try:
            pages = pages_of(self.pages.text()) if self.pages.text().strip() else None
        except EntryError as error:
            self._say(str(error))
            self.pages.setFocus()
            return
        self._name = path.stem
        self._say(tr("{name} is being read…", name=path.name))

        def taken(text: Text) -> None:
            self._scans = text.scans
            self.text.setPlainText("\n".join(text.lines))
            if text.said:
                self._say(" · ".join(text.said))

        self._reading.run(lambda: text_of(path, pages), taken, self._say)

    def _say(self, words: str) -> None:
        self.words.setText(words)

    # -- understanding ----------------------------------------------------------------------------------

    def _understand(self) -> None:
        text, name = self.text.toPlainText(), self._name
        if len(text) > _LONGEST:
            self._say(tr("That is more text than any procedure has. Paste the alignment pages alone."))
            return
        if not text.strip():
            self._show(None)
            return
        self._drafting.run(lambda: draft_sheet(text.splitlines(), name), self._show, self._say)

    def _show(self, drafted: Drafted | None) -> None:
        self.drafted = drafted
        self.steps.clear()
        found = drafted.steps if drafted is not None else ()
        self.make.setEnabled(bool(found))
        if drafted is None:
            self._say(tr("Every step names the line it came from; what is unsure is marked, and nothing is made up."))
            return
        for at, step in enumerate(found):
            until = found[at + 1].line if at + 1 < len(found) else step.line + 2
            # What was read otherwise than it stands, in the lines of this step.
            doubts = [what for n, what in drafted.unsure if step.line <= n < until and what not in step.unsure]
            doubts = [*step.unsure, *(d for d in doubts if step.line > 1)]
            item = QListWidgetItem(self._describe(step, doubts))
            item.setData(_LINE, step.line)
            if doubts:
                item.setForeground(theme.colour("recheck"))
            self.steps.addItem(item)
        for number, words in drafted.unread:
            item = QListWidgetItem(tr("line {n}, not used: {words}", n=number, words=words[:120]))
            item.setData(_LINE, number)
            item.setForeground(theme.colour("quiet"))
            self.steps.addItem(item)
        if not found:
            self._say(tr("No step was found in it. A step names an adjuster or a limit with its unit."))
            return
        unsure = len({n for n, _ in drafted.unsure})
        words = (
            tr_n("{n} step", "{n} steps", len(found))
            + ", "
            + tr_n("{n} adjuster", "{n} adjusters", len(drafted.adjusters))
        )
        self._say(words + (", " + tr_n("{n} line unsure", "{n} lines unsure", unsure) if unsure else ""))

    @staticmethod
    def _describe(step: DraftedStep, doubts: list[str]) -> str:
        limit = limit_to_text(step.limit)
        channels = ", ".join(step.row.get("channels", []))
        title = quantity(step.quantity).title
        named = step.title.lower().startswith(title.lower())
        parts = ["" if named else title, limit, tr("channel {c}", c=channels) if channels else ""]
        lines = [tr("line {n}: {title}", n=step.line, title=step.title), " · ".join(p for p in parts if p)]
        lines += [f"? {words}" for words in doubts]
        return "\n".join(lines)

    def _show_line(self, number: int) -> None:
        """The words of a step, chosen in the text."""
        document = self.text.document()
        if document is None:
            return
        block = document.findBlockByLineNumber(max(number - 1, 0))
        cursor = QTextCursor(block)
        cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock, QTextCursor.MoveMode.KeepAnchor)
        self.text.setTextCursor(cursor)
        self.text.centerCursor()

    def _make(self) -> None:
        if self.drafted is not None and self.drafted.steps:
            self.made.emit(*with_scans(self.drafted, self._scans))

    def _illegible(self) -> None:
        """The words that are chosen, or the place where the cursor stands, cannot be read in the source."""
        self.text.textCursor().insertText(ILLEGIBLE)
        self.text.setFocus()
