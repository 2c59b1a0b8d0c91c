"""The recipes: found by what one wishes, worked out for this radio, tried on the simulated one, and noted change by change."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from unitone.conversions.recipe import Recipe, RecipeFile
from unitone.desktop.features.card.tab import boxed
from unitone.desktop.shell.shown_board import ShownBoard
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.lists import ItemList
from unitone.desktop.widgets.painted import label
from unitone.present.bench.bench_shapes import ProcedureRow
from unitone.present.card.card_shapes import CardView
from unitone.present.card.recipe_view import RecipeView, list_words, recipe_view, tried_view
from unitone.session.recipes import TriedReading
from unitone.session.session import Session
from unitone.words import tr

#: Narrower than this, the list stands above; so high it is then, and beside.
_SIDE_BY_SIDE, _LOW, _HIGH = 780, 150, 330


class RecipesPage(QWidget):
    """Recipes at the left, the one at hand at the right."""

    #: What came from the bench's thread: the recipes, one worked out, what trying it read.
    listed = pyqtSignal(object)
    worked = pyqtSignal(object)
    tried = pyqtSignal(object)
    noted = pyqtSignal()

    def __init__(self, do: Callable[[Callable[[Session], object]], None], blob: Callable[[str], bytes]) -> None:
        super().__init__()
        self._do, self._blob = do, blob
        self.files: tuple[RecipeFile, ...] = ()
        self.at = ""
        self.view: RecipeView | None = None
        self._card: CardView | None = None
        self._asked_for = ""
        self._given: dict[str, str] = {}
        #: Inputs as the technician typed them, by recipe: they come back with it.
        self._typed: dict[str, dict[str, dict[str, str]]] = {}
        self._sides = row = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(12))
        frame, layout = boxed()
        self.find = QLineEdit()
        self.find.setMaxLength(80)
        self.find.setAccessibleName(tr("Find a recipe"))
        self.find.setPlaceholderText(tr("wish or symptom: S-meter, hum, VCO…"))
        self.find.textChanged.connect(lambda _: self._show_list())
        self.list = ItemList(tr("Recipes"))
        self.list.chosen.connect(self.choose)
        self.list.step.connect(self._neighbour)
        self.list.setMinimumWidth(theme.px(190))
        layout.addWidget(self.find)
        layout.addWidget(self.list, 1)
        row.addWidget(frame, 2)
        row.addWidget(self._at_hand(), 5, Qt.AlignmentFlag.AlignTop)
        self.listed.connect(self._listed)
        self.worked.connect(self._worked)
        self.tried.connect(self._tried)
        self.noted.connect(lambda: self._say(tr("Noted under “Modifications”, with the list to undo it.")))

    def _at_hand(self) -> QWidget:
        frame, self._layout = boxed()
        self.title, self.why = label("title", "", True), label("plain", "", True)
        self.leave, self.caution = label("warn", "", True), label("warn", "", True)
        for part in (self.title, self.why, self.leave, self.caution):
            self._layout.addWidget(part)
        self._place = QVBoxLayout()
        self._layout.addLayout(self._place)
        self.form: EntryForm | None = None
        self._inputs: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = ()
        self.values = Lines(tr("Values"))
        self._layout.addWidget(self.values)
        self.changes_head = label("strong", tr("What is done"))
        self.changes = Lines(tr("What is done"))
        self.check = label("quiet", "", True)
        self.board = ShownBoard(self._blob, self._say)
        self.board.setMaximumHeight(theme.px(200))
        self.unpinned = label("quiet", "", True)
        for part in (self.changes_head, self.changes, self.board, self.unpinned, self.check):
            self._layout.addWidget(part)
        self.board.hide()
        self.unpinned.hide()
        row = QHBoxLayout()
        self.try_button, self.note_button = (
            QPushButton(tr("Try on the simulated radio")),
            QPushButton(tr("Log as done")),
        )
        self.note_button.setProperty("role", "main")
        self.try_button.clicked.connect(self._try)
        self.note_button.clicked.connect(self._note)
        self.said = label("quiet", "", True)
        row.addWidget(self.try_button)
        row.addWidget(self.note_button)
        row.addWidget(self.said, 1)
        self._layout.addLayout(row)
        self.error = label("cure", "", True)
        self.error.hide()
        self.outcome = label("strong", "", True)
        self.outcome.hide()
        self.readings = Lines(tr("Before and after"), stacked=True)
        for part in (self.error, self.outcome, self.readings):
            self._layout.addWidget(part)
        return frame

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a small window, or with large type, the list stands over the recipe."""
        super().resizeEvent(event)
        wide = self.width() / theme.scale >= _SIDE_BY_SIDE
        ways = QBoxLayout.Direction
        self._sides.setDirection(ways.LeftToRight if wide else ways.TopToBottom)
        self.list.setMinimumHeight(theme.px(_HIGH if wide else _LOW))
        self.list.setMaximumHeight(16777215 if wide else theme.px(_LOW))

    # -- the list -----------------------------------------------------------------------------------------------

    def show_card(self, view: CardView, other: bool) -> None:
        """Another picture of the job: what is shown is worked out anew for it."""
        self._card = view
        if other:
            self._given, self._typed = {}, {}
            self.clear()
        self._show_list()
        self._allow()

    def look(self) -> None:
        """The page is turned to: the recipes are read once, and the first is worked out."""
        if not self.files:
            self._do(lambda s: self.listed.emit(s.recipes.all()))
        elif self.view is None:
            self.choose(self.at or self._first())

    def clear(self) -> None:
        """Nothing of another job stays."""
        self.view = None
        self._clear_outcome()

    def _first(self) -> str:
        return next((f.made.id for f in self.files if f.made is not None), "")

    def _listed(self, files: tuple[RecipeFile, ...]) -> None:
        self.files = files
        self._show_list()
        if self.view is None:
            self.choose(self.at or self._first())

    def _found(self) -> list[RecipeFile]:
        words = self.find.text().lower().split()
        return [f for f in self.files if f.made is None or all(w in f.made.search_words for w in words)]

    def _show_list(self) -> None:
        rows = []
        logged = {m.mark for m in self._card.modified} if self._card is not None else set()
        for f in self._found():
            title = list_words(f)
            key = f.made.id if f.made is not None else str(f.path)
            mark = "out_of_spec" if f.made is None else "in_spec" if title in logged else "todo"
            rows.append(ProcedureRow(key, title, mark, tr("yours") if f.own else "", key == self.at))  # type: ignore[arg-type]
        self.list.show_procedure(((tr("Recipes"), tuple(rows)),) if rows else ())

    def _neighbour(self, way: int) -> None:
        keys = [f.made.id if f.made is not None else str(f.path) for f in self._found()]
        if keys:
            at = keys.index(self.at) + way if self.at in keys else 0
            if 0 <= at < len(keys):
                self.choose(keys[at])

    def choose(self, key: str) -> None:
        """Take another recipe in hand."""
        if not key:
            return
        self.at = key
        self._show_list()
        self._clear_outcome()
        file = next((f for f in self.files if f.made is not None and f.made.id == key), None)
        if file is None or file.made is None:
            broken = next((f for f in self.files if str(f.path) == key), None)
            self._refuse("\n".join(broken.problems) if broken is not None else tr("This recipe is gone."))
            return
        self._work(file.made)

    def _work(self, recipe: Recipe) -> None:
        given, typed = dict(self._given), self._typed.get(recipe.id, {})
        self._asked_for = recipe.id
        self._do(lambda s: self.worked.emit((recipe.id, recipe_view(s.recipes.worked(recipe, given, typed), s.state))))

    # -- the one at hand --------------------------------------------------------------------------------------------

    def _worked(self, item: tuple[str, RecipeView]) -> None:
        key, view = item
        if key != self.at:
            return
        self._asked_for = ""
        self.view = view
        self.title.setText(view.title)
        self.why.setText(view.why)
        for part, text in ((self.leave, view.leave), (self.caution, view.caution)):
            part.setText(text)
            part.setVisible(bool(text))
        shape = tuple((i.key, i.choices) for i in view.inputs)
        if shape != self._inputs or self.form is None:
            self._build(view)
            self._inputs = shape
        assert self.form is not None
        self.form.pending = False
        self.form.error.hide()
        for i in view.inputs:
            if self.form.text(i.key) != i.text:
                self.form.set_text(i.key, i.text)
        lines = []
        for question, answers, problem in view.values:
            lines += [Line("recheck", question, problem)] if problem else [Line("", question, "\n".join(answers))]
        self.values.show_lines(lines)
        self.changes.show_lines([Line("", f"{n}. {words}") for n, words in enumerate(view.changes, 1)])
        self.board.show_picture(view.board, view.pins)
        self.unpinned.setText(
            tr("Not pinned on this sheet's board: {what}. Pin it in Sheets, Board.", what=view.unpinned)
        )
        self.unpinned.setVisible(bool(view.unpinned))
        self.check.setText(tr("Check after: {list}", list=view.affects))
        self._allow()

    def _build(self, view: RecipeView) -> None:
        if self.form is not None:
            self._place.removeWidget(self.form)
            self.form.hide()
            self.form.deleteLater()
        self.form = EntryForm(
            [Ask(i.key, i.words, i.hint, 2, i.choices, wide=i.wide) for i in view.inputs], tr("Work out  ↵")
        )
        self.form.submitted.connect(self._typed_in)
        self._place.addWidget(self.form)

    def _typed_in(self, d: dict[str, str]) -> None:
        file = next((f for f in self.files if f.made is not None and f.made.id == self.at), None)
        if file is None or file.made is None:
            return
        made: dict[str, dict[str, str]] = {}
        for key, text in d.items():
            where, _, name = key.partition(" ")
            if where == "ask":
                self._given[name] = text
            else:
                made.setdefault(where, {})[name] = text
        self._typed[file.made.id] = made
        self._clear_outcome()
        self._work(file.made)

    def _allow(self) -> None:
        known = self.view is not None
        open_job = self._card is not None and not self._card.finished
        self.try_button.setEnabled(known)
        self.note_button.setEnabled(known and open_job and self.view is not None and self.view.complete)

    def _clear_outcome(self) -> None:
        self.outcome.hide()
        self.error.hide()
        self.readings.show_lines([])
        self.said.setText("")

    def _try(self) -> None:
        view = self.view
        if view is not None:
            self._clear_outcome()
            self._say(tr("Trying it on the simulated radio…"))
            self._asked_for = view.id
            self._do(lambda s: self.tried.emit((view.id, s.recipes.tried(view.worked))))

    def _tried(self, item: tuple[str, tuple[TriedReading, ...]]) -> None:
        key, tried = item
        if key != self.at:
            return
        self._asked_for = ""
        self._say("")
        words, lines = tried_view(tried, self.view.worked.recipe.panel if self.view is not None else ())
        self.outcome.setText(words)
        self.outcome.show()
        self.readings.show_lines([Line(x.mark, x.words, x.limit) for x in lines])

    def _note(self) -> None:
        view = self.view
        if view is not None:
            self._clear_outcome()
            self._asked_for = view.id
            self._do(lambda s: (s.recipes.carry_out(view.worked, view.worked.done), self.noted.emit()))

    def _say(self, words: str) -> None:
        self._asked_for = ""
        self.said.setText(words)

    def _refuse(self, words: str) -> None:
        self.said.setText("")
        self.error.setText(words)
        self.error.show()

    def failed(self, words: str) -> bool:
        """What was refused of a recipe stands with it."""
        if not self._asked_for and not self.said.text():
            return False
        self._asked_for = ""
        if self.form is not None:
            self.form.pending = False
        self._refuse(words)
        return True
