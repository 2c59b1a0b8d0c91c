"""The Sheets view: the library with its search, and the editor of the chosen sheet."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedLayout,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import keyed, shown_key
from unitone.desktop.features.sheets.editor import SheetEditor
from unitone.desktop.features.sheets.opened import Opened, read_opened
from unitone.desktop.features.sheets.others import SheetsOfOthers
from unitone.desktop.features.sheets.pasted import PastedText
from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.painted import label, set_tip
from unitone.desktop.widgets.table_editor import RowDelegate
from unitone.errors import UnitoneError
from unitone.sheet.editing.draft import Draft, empty
from unitone.sheet.format.bundle import ENDING, Bundle, write_bundle, write_text_file
from unitone.sheet.format.read import to_data
from unitone.sheet.format.recover import recover
from unitone.sheet.format.write import to_toml
from unitone.sheet.library import Kept, Library, general
from unitone.words import tr, tr_n

_ROLE = Qt.ItemDataRole.UserRole
#: What was typed is kept on disk beside the sheet this long after the last change (milliseconds).
_KEEP = 1500
#: Narrower than this (pixels at normal type), library and editor take turns.
#: Start of a new sheet: what is read from text.
_FROM_TEXT = "text:"
_NARROW = 1000


class SheetsPage(QWidget):
    """Library at the left, editor at the right."""

    variant_made = pyqtSignal(str, str, object)
    variant_undone = pyqtSignal(str)

    def __init__(self, library: Library) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Sheets"))
        self.library = library
        self.now: Opened | None = None
        self.kept: list[Kept] = []
        self._opening, self._listing, self._saving = (
            Errand("sheet-open", self),
            Errand("sheet-list", self),
            Errand("sheet-save", self, every=True),
        )
        self._aside: Path | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_KEEP)
        self._timer.timeout.connect(self.keep_draft)
        outer = QHBoxLayout(self)
        outer.setContentsMargins(theme.px(16), theme.px(14), theme.px(16), theme.px(12))
        outer.setSpacing(theme.px(14))
        self.left_side = QWidget()
        self.left_side.setLayout(self._left())
        outer.addWidget(self.left_side, 10)
        outer.addWidget(self._right(), 40)
        theme.changed.connect(self._arrange)
        self.refresh()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a small window, or with large type, library and editor take turns."""
        super().resizeEvent(event)
        self._arrange()

    def _arrange(self) -> None:
        narrow = self.width() / theme.scale < _NARROW
        editing = self.stack.currentIndex() >= 2 or (self.stack.currentIndex() == 1 and self.now is not None)
        self.left_side.setVisible(not narrow or not editing)
        self.to_library.setVisible(narrow and editing)

    def _show_library(self) -> None:
        self.left_side.show()
        self.to_library.hide()
        self.list.setFocus()

    # -- building ------------------------------------------------------------------------------------

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(8))
        column.addWidget(label("page", tr("Sheets")))
        self.find = QLineEdit()
        self.find.setPlaceholderText(tr("Find a model, a step…"))
        self.find.setAccessibleName(tr("Find a sheet"))
        self.find.setClearButtonEnabled(True)
        for clear in self.find.findChildren(QToolButton):
            clear.setAccessibleName(tr("Clear the search"))
        self.find.textChanged.connect(lambda _: self._show_list())
        column.addWidget(self.find)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Sheets"))
        self.list.setItemDelegate(RowDelegate(self.list))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setMinimumWidth(theme.px(180))
        self.list.itemClicked.connect(lambda item: self.open(item.data(_ROLE + 1)))
        self.list.itemActivated.connect(lambda item: self.open(item.data(_ROLE + 1)))
        column.addWidget(self.list, 1)
        self.none = label("quiet", "", True)
        column.addWidget(self.none)
        self.start = Choice()
        self.start.setAccessibleName(tr("Start a new sheet from"))
        self.start.addItem(tr("empty"), "")
        self.start.addItem(tr("pasted text or scan"), _FROM_TEXT)
        for path in general():
            self.start.addItem(tr("general procedure: {name}", name=path.stem.replace("-", " ")), str(path))
        self.start.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.new = QPushButton(keyed(tr("New sheet  Ctrl N"), "new-sheet"))
        self.new.clicked.connect(self.new_sheet)
        self.bring = QPushButton(tr("Import…"))
        self.bring.clicked.connect(self._ask_import)
        self.theirs = QPushButton(tr("Sheets of others…"))
        self.theirs.clicked.connect(self.show_others)
        for widget in (self.start, self.new, self.bring, self.theirs):
            column.addWidget(widget)
        return column

    def _right(self) -> QWidget:
        card = QFrame()
        card.setProperty("role", "card")
        self.stack = QStackedLayout(card)
        nothing = label(
            "quiet", tr("Choose a sheet at the left, or write a new one: {key}.", key=shown_key("new-sheet")), True
        )
        nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.stack.addWidget(nothing)
        holder = QWidget()
        layout = QVBoxLayout(holder)
        layout.setContentsMargins(theme.px(16), theme.px(10), theme.px(12), theme.px(10))
        layout.setSpacing(theme.px(8))
        layout.addLayout(self._head())
        self.message = QFrame()
        self.message.setProperty("role", "warning")
        inside = QHBoxLayout(self.message)
        inside.setContentsMargins(theme.px(12), theme.px(5), theme.px(8), theme.px(5))
        self.message_words = label("warn", "", True)
        self.message_words.setAccessibleName(tr("Message"))
        self.message_undo = QPushButton(tr("Undo"))
        self.message_undo.clicked.connect(self._put_back)
        dismiss = QPushButton(tr("Got it"))
        for button in (self.message_undo, dismiss):
            button.setProperty("role", "link")
        dismiss.clicked.connect(self.message.hide)
        inside.addWidget(self.message_words, 1)
        inside.addWidget(self.message_undo)
        inside.addWidget(dismiss)
        self.message.hide()
        layout.addWidget(self.message)
        self.editor = SheetEditor()
        self.editor.changed.connect(self._changed)
        self.editor.failed.connect(self.say)
        layout.addWidget(self.editor, 1)
        self.stack.addWidget(holder)
        self.pasted = PastedText()
        self.pasted.made.connect(self._from_text)
        self.pasted.left.connect(self._leave_text)
        self.stack.addWidget(self.pasted)
        self.others = SheetsOfOthers(self.library)
        self.others.taken.connect(self.refresh)
        self.others.left.connect(self._leave_others)
        self.stack.addWidget(self.others)
        return card

    def _head(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(theme.px(2))
        row = QHBoxLayout()
        row.setSpacing(theme.px(6))
        self.title = label("title", "", True)
        self.to_library = QPushButton(tr("◂ Library"))
        self.to_library.setProperty("role", "link")
        self.to_library.clicked.connect(self._show_library)
        self.to_library.hide()
        row.addWidget(self.to_library)
        row.addWidget(self.title, 1)
        self.undo_button, self.redo_button = QPushButton(tr("Undo")), QPushButton(tr("Redo"))
        self.undo_button.clicked.connect(lambda: self.press("undo"))
        self.redo_button.clicked.connect(lambda: self.press("redo"))
        self.export, self.remove = QPushButton(tr("Export…")), QPushButton(tr("Remove"))
        self.go_back = QPushButton(tr("Undo the variant"))
        self.go_back.clicked.connect(lambda: self.variant_undone.emit(self.now.job) if self.now is not None else None)
        self.own = QPushButton(tr("Keep in the library"))
        self.own.clicked.connect(self.keep_in_library)
        self.export.clicked.connect(self._ask_export)
        self.remove.clicked.connect(self.put_aside)
        self.save_button = QPushButton()
        self.save_button.setProperty("role", "main")
        self.save_button.clicked.connect(self.save)
        self.differs = QLineEdit()
        self.differs.setAccessibleName(tr("Title of this variant"))
        self.differs.setPlaceholderText(tr("What is different: upper band added…"))
        self.differs.setMinimumWidth(theme.px(200))
        self.differs.textChanged.connect(lambda _: self._buttons())
        self.differs.returnPressed.connect(self.save)
        row.addWidget(self.differs, 1)
        row.addWidget(self.save_button)
        column.addLayout(row)
        second = QHBoxLayout()
        self.state = label("quiet", "", True)
        second.addWidget(self.state, 1)
        for button in (self.undo_button, self.redo_button, self.go_back, self.own, self.export, self.remove):
            button.setProperty("role", "link")
            second.addWidget(button)
        for button in (
            self.undo_button,
            self.redo_button,
            self.go_back,
            self.own,
            self.export,
            self.remove,
            self.save_button,
        ):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        column.addLayout(second)
        return column

    def show_others(self) -> None:
        """Folders of others, and what is new in them."""
        self.keep_draft()
        self.stack.setCurrentWidget(self.others)
        self._arrange()
        self.others.begin()

    def _leave_others(self) -> None:
        self.stack.setCurrentIndex(0 if self.now is None else 1)
        self._arrange()

    # -- the library --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Look at the library anew, off the window's thread."""
        self._listing.run(self.library.kept, self._listed, self.say)

    def _listed(self, kept: list[Kept]) -> None:
        self.kept = kept
        self._show_list()

    def _show_list(self) -> None:
        words = self.find.text().lower().split()
        rows = [k for k in self.kept if all(w in k.words or w in k.title.lower() for w in words)]
        self.list.clear()
        for k in rows:
            item = QListWidgetItem()
            about = (
                tr("has errors")
                if k.problems
                else tr_n("{kind}, {n} step", "{kind}, {n} steps", k.steps, kind=tr(k.kind))
            )
            if k.source:
                about = tr("from {source}", source=k.source) + " · " + about
            item.setData(_ROLE, (k.title, about if k.own or k.source else about + tr(" · built in"), bool(k.problems)))
            item.setData(_ROLE + 1, k.path)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{k.title}, {about}")
            set_tip(item, "\n".join([k.title, about, *k.problems[:4]]))
            self.list.addItem(item)
            if self.now is not None and self.now.id == k.id:
                self.list.setCurrentItem(item)
        self.none.setText(tr("No sheet has these words. Clear the search.") if self.kept and not rows else "")
        self.none.setVisible(bool(self.none.text()))

    # -- opening ----------------------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """Open a sheet of the library, as it was left; what was not saved last time is there again."""
        self.keep_draft()
        own = path in self.library.own()

        def work() -> Opened:
            kept = self.library.draft_of(path.stem) if own else None
            found = read_opened(path, own)
            self._take_draft(found, kept)
            return found

        self._opening.run(work, self._show, self.say)

    def _show(self, opened: Opened) -> None:
        self.now = opened
        self.editor.show_draft(opened.draft, opened.pictures, opened.lost, opened.text)
        self.stack.setCurrentIndex(1)
        self.differs.setVisible(bool(opened.job))
        self.differs.clear()
        self.message.hide()
        if opened.words:
            self.say(opened.words)
        if opened.lost:
            self.editor.show_section("problems")
            self.say(
                tr(
                    "Parts of this file could not be read; they are listed under “To correct”. The file itself is unchanged."
                )
            )
        self._buttons()
        self._arrange()
        self._show_list()

    def _take_draft(self, found: Opened, kept: Bundle | None) -> None:
        """What was not saved last time, as one step that undo takes back."""
        if kept is None:
            return
        data = recover(kept.text, found.id).data
        found.draft.change(tr("what was not saved"), lambda _: data)
        found.pictures = {**found.pictures, **kept.pictures}
        if found.draft.changed:
            found.words = tr("Unsaved changes of last time are back. Save them, or undo.")
        else:
            self.library.drop_draft(found.id)

    def new_sheet(self) -> None:
        """A new sheet: from nothing, or from a general procedure."""
        self.keep_draft()
        start = str(self.start.currentData() or "")
        if start == _FROM_TEXT:
            self.stack.setCurrentWidget(self.pasted)
            self._arrange()
            self.pasted.begin()
            return
        if start:
            made = read_opened(Path(start), False)
            made.id, made.own = "", True
            self._show(made)
        else:
            self._show(Opened("", True, "", "", (), Draft(empty()), {}))
        self.editor.show_section("model")
        self.editor.model.focus_field(("model", "maker"))

    def _from_text(self, data: dict[str, Any], scans: dict[str, bytes]) -> None:
        """What was understood of a text, as a new sheet: to be looked through and saved; its scans stay with it."""
        self._show(Opened("", True, "", "", (), Draft(data), scans))
        self.editor.show_section("step")
        self._arrange()

    def _leave_text(self) -> None:
        self.stack.setCurrentIndex(1 if self.now is not None else 0)
        self._arrange()

    def open_job_sheet(self, job: str, text: str, pictures: dict[str, bytes], title: str, variant: str) -> None:
        """Edit a job's own copy of its sheet; keeping it makes a variant of that job. ``variant`` names the one there is."""
        self.keep_draft()
        opened = Opened(
            f"job-{job}", True, text, "", (), Draft(to_data(text, title)), pictures, job=job, variant=variant
        )
        self._take_draft(opened, self.library.draft_of(opened.id))
        self._show(opened)
        self.editor.show_section("step")

    def add_photo(self, path: str) -> None:
        """At the board of the sheet that is open: a photograph from this file, or one to be chosen ("")."""
        self.editor.show_section("board")
        if path:
            self.editor.board.add_picture(Path(path))
        else:
            self.editor.board.ask_picture()

    def _ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Import a sheet"), "", tr("Sheets (*{ending} *.toml *.zip)", ending=ENDING)
        )
        if name:
            self.import_file(Path(name))

    def import_file(self, path: Path) -> None:
        """Open a file from elsewhere as a new sheet of the workshop; saving takes it into the library."""
        self.keep_draft()

        def work() -> Opened:
            found = read_opened(path, True)
            found.id = ""
            return found

        def show(opened: Opened) -> None:
            self._show(opened)
            if not opened.lost:
                self.say(tr("Read from {name}. Save takes it into the library.", name=path.name))

        self._opening.run(work, show, self.say)

    # -- saving ------------------------------------------------------------------------------------------------

    def _bundle(self, opened: Opened) -> Bundle:
        """The sheet as it stands, with the pictures that it names."""
        text = to_toml(opened.draft.data, opened.text, opened.left)
        named = opened.draft.picture_files
        return Bundle(text, {n: c for n, c in opened.pictures.items() if n in named}, opened.physics)

    def save(self) -> None:
        """Save the sheet to the library (a built-in one as a copy); of a job's sheet, make the variant."""
        opened = self.now
        if opened is None:
            return
        if opened.job:
            self._make_variant(opened)
            return
        data = opened.draft.data
        title = opened.draft.title
        was = (opened.id, opened.own)
        # A sheet of others keeps its id: the workshop's version takes its place, and what comes later is held against it.
        keeps = opened.id and (opened.own or opened.id in {p.stem for p in self.library.taken()})
        identifier = opened.id if keeps else self.library.free_id(title or "sheet")
        # Its name from now on: what is typed while this is written is kept beside this sheet, not as another one.
        opened.id, opened.own = identifier, True
        self._timer.stop()

        def work() -> tuple[str, Bundle]:
            bundle = self._bundle(Opened(**{**opened.__dict__, "draft": Draft(data)}))
            self.library.save(identifier, bundle)
            self.library.drop_draft(identifier)
            return identifier, bundle

        def done(result: tuple[str, Bundle]) -> None:
            opened.text, opened.left = result[1].text, ()
            opened.draft.mark_saved_as(data)
            self.message.hide()
            self._changed()
            self.refresh()

        def failed(words: str) -> None:
            opened.id, opened.own = was
            self._changed()
            self.say(words)

        self._saving.run(work, done, failed)

    def keep_in_library(self) -> None:
        """A job's own sheet as a sheet of the workshop: how a general procedure becomes a sheet."""
        opened = self.now
        if opened is None:
            return
        title = opened.draft.title
        identifier, bundle = self.library.free_id(title or "sheet"), self._bundle(opened)

        def done(_: object) -> None:
            self.say(tr("Kept in the library as {name}. New jobs can use it.", name=identifier))
            self.refresh()

        self._saving.run(lambda: self.library.save(identifier, bundle), done, self.say)

    def _make_variant(self, opened: Opened) -> None:
        if self.editor.problems:
            self.say(tr("Correct the marked entries first: a job needs a sheet without errors."))
            return
        if not self.differs.text().strip():
            self.say(tr("Enter what is different in this radio."))
            self.differs.setFocus()
            return
        bundle, words = self._bundle(opened), self.differs.text().strip()
        # Should the job refuse it, what was typed is here again the next time its sheet is opened.
        self.keep_draft()
        self.now = None
        self.stack.setCurrentIndex(0)
        self._arrange()
        self.variant_made.emit(opened.job, words, bundle)

    def keep_draft(self) -> None:
        """Keep what is not saved beside the sheet, so that nothing typed is lost whatever happens."""
        opened = self.now
        self._timer.stop()
        if opened is None or not opened.draft.changed or self.library.folder is None:
            return
        if not opened.id or not opened.own:
            title = opened.draft.title
            if not opened.own:
                opened.physics = ""
            opened.id, opened.own = self.library.free_id(title or "sheet"), True
            try:
                self.library.save(
                    opened.id, self._bundle(Opened(**{**opened.__dict__, "draft": Draft(opened.draft.saved)}))
                )
            except UnitoneError as error:
                self.say(str(error))
                return
        data, identifier = opened.draft.data, opened.id

        def work() -> None:
            named = Draft(data).picture_files
            self.library.keep_draft(
                identifier, Bundle(to_toml(data), {n: c for n, c in opened.pictures.items() if n in named})
            )

        self._saving.run(work, lambda _: None, self.say)

    def _ask_export(self) -> None:
        if self.now is None:
            return
        suggested = f"{self.now.id or 'sheet'}{ENDING}"
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Export the sheet"), suggested, tr("Sheet with pictures (*{e});;TOML alone (*.toml)", e=ENDING)
        )
        if name:
            self.export_file(Path(name))

    def export_file(self, path: Path) -> None:
        """Write the sheet, with its pictures where the name does not end in .toml."""
        if self.now is None:
            return
        bundle = self._bundle(self.now)

        def work() -> None:
            if path.suffix == ".toml":
                write_text_file(path, bundle.text.encode("utf-8"))
            else:
                write_bundle(path, bundle.text, bundle.pictures, bundle.physics)

        self._saving.run(work, lambda _: self.say(tr("Exported to {path}.", path=path)), self.say)

    def put_aside(self) -> None:
        """Take one of the workshop's own sheets out of the library; undo brings it back."""
        if self.now is None or not self.now.own or not self.now.id:
            return
        try:
            self._aside = self.library.remove(self.library.find(self.now.id))
            self.library.drop_draft(self.now.id)
        except UnitoneError as error:
            self.say(str(error))
            return
        self.now = None
        self.stack.setCurrentIndex(1)
        self._arrange()
        self.say(tr("{title} removed from the library.", title=self.title.text()), undo=True)
        self._buttons()
        self.refresh()

    def _put_back(self) -> None:
        if self._aside is None:
            return
        try:
            path = self.library.put_back(self._aside)
        except UnitoneError as error:
            self.say(str(error))
            return
        self._aside = None
        self.refresh()
        self.open(path)

    # -- keys and words ------------------------------------------------------------------------------------------

    def press(self, name: str) -> None:
        """Do an action by its id."""
        table = self.editor.table()
        if name == "new-sheet":
            self.new_sheet()
        elif name == "find-sheet":
            self.find.setFocus()
            self.find.selectAll()
        elif name == "save":
            self.save()
        elif name in ("undo", "redo"):
            done = self.editor.undo() if name == "undo" else self.editor.redo()
            if not done:
                self.state.setText(tr("Nothing to undo.") if name == "undo" else tr("Nothing to do again."))
        elif name == "problem":
            self.editor.next_problem()
        elif table is not None and self.now is not None:
            {
                "next-row": table.add,
                "duplicate": table.duplicate,
                "row-up": lambda: table.move(-1),
                "row-down": lambda: table.move(1),
            }[name]()

    def say(self, words: str, undo: bool = False) -> None:
        """A message above the editor."""
        self.message_words.setText(words)
        self.message_undo.setVisible(undo)
        self.message.show()
        self.stack.setCurrentIndex(1)

    def _changed(self) -> None:
        self._buttons()
        if self.now is not None and self.now.draft.changed:
            self._timer.start()

    def _buttons(self) -> None:
        opened = self.now
        draft = opened.draft if opened is not None else None
        self.editor.setEnabled(opened is not None)
        for button, on in (
            (self.undo_button, bool(draft and draft.describe_undo)), (self.redo_button, bool(draft and draft.describe_redo)),
            (self.export, draft is not None), (self.remove, bool(opened and opened.own and opened.id and not opened.job)),
        ):  # fmt: skip
            button.setEnabled(on)
        if opened is None or draft is None:
            self.state.setText("")
            self.save_button.setEnabled(False)
            return
        self.go_back.setVisible(bool(opened.variant))
        set_tip(self.go_back, tr("Back to what was there before: {variant}", variant=opened.variant))
        self.own.setVisible(bool(opened.job))
        self.remove.setVisible(not opened.job)
        set_tip(self.undo_button, tr("{key}: {what}", key=shown_key("undo"), what=draft.describe_undo))
        set_tip(self.redo_button, tr("{key}: {what}", key=shown_key("redo"), what=draft.describe_redo))
        title = draft.title
        self.title.setText(tr("This radio's own sheet") if opened.job else title or tr("New sheet"))
        unsaved = draft.changed or not opened.id
        if opened.job:
            self.save_button.setText(tr("Keep as variant"))
            self.save_button.setEnabled(draft.changed)
        else:
            self.save_button.setText(
                keyed(tr("Save  Ctrl S"), "save") if opened.own else keyed(tr("Save a copy  Ctrl S"), "save")
            )
            self.save_button.setEnabled(unsaved or not opened.own)
        count = len(self.editor.problems)
        words = [
            tr_n("{n} error", "{n} errors", count) if count else tr("no errors"),
            tr_n("{n} step", "{n} steps", len(draft.rows("step"))),
            tr_n("{n} adjuster", "{n} adjusters", len(draft.rows("adjuster"))),
            tr("not saved yet") if unsaved and not opened.job else "",
            "" if opened.own else tr("comes with Unitone: saving makes your own copy"),
            tr("job {title}", title=title) if opened.job else "",
        ]
        self.state.setText(" · ".join(w for w in words if w))

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Leaving the view keeps what was typed."""
        self.keep_draft()
        super().hideEvent(event)

    def close_page(self) -> None:
        """Before the window closes: what is being written is written."""
        self.keep_draft()
        for errand in (self._saving, self._opening, self._listing):
            errand.wait()
