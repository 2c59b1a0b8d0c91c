"""The sheet editor: every part of a sheet in forms, checked while it is typed, with undo."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QLabel,
    QListWidget,
    QListWidgetItem,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.features.sheets.board import PinPage
from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.form import FormView
from unitone.desktop.widgets.painted import label, restyle
from unitone.desktop.widgets.table_editor import TableEditor
from unitone.errors import EntryError
from unitone.quantities.registry import QUANTITIES
from unitone.radio.channels import PLANS
from unitone.sheet.conventions.questions import CONVENTIONS, apply
from unitone.sheet.editing.draft import Draft
from unitone.sheet.editing.fields import FIRST_OF_MODEL, MODEL, TABLES, Field, id_from_title, usual_aim, usual_step
from unitone.sheet.format.build import Problem, check
from unitone.sheet.format.lines import Place, key_lines, line_of
from unitone.sheet.model.limits import limit_to_text
from unitone.words import N_, tr

#: Pause after the last change before the sheet is checked (milliseconds).
_PAUSE = 120

_SECTIONS = (
    ("model", N_("Radio")), ("adjuster", N_("Adjusters")), ("test_point", N_("Test points")), ("step", N_("Steps")),
    ("board", N_("Board")), ("stage", N_("Stages")), ("control", N_("Controls")), ("oscillator", N_("Oscillators")),
    ("part", N_("Parts")), ("voltage", N_("Volts")), ("action", N_("Actions")), ("inspect", N_("Inspection")),
    ("known_fault", N_("Faults")), ("conventions", N_("Conventions")), ("problems", N_("To correct")),
)  # fmt: skip


def _convention_fields() -> tuple[Field, ...]:
    return tuple(
        Field(("conventions", s.question), s.title, "choice", choices=tuple(s.choices.items()), wide=True)
        for s in CONVENTIONS
    )


def describe_row(table: str) -> Callable[[dict[str, Any]], tuple[str, str]]:
    """The two lines of a row in the list of a table."""

    def words(row: dict[str, Any]) -> tuple[str, str]:
        if table == "step":
            limit = row.get("limit", "")
            text = limit_to_text(limit) if isinstance(limit, dict) else str(limit)
            q = QUANTITIES.get(str(row.get("quantity", "")))
            adjust = ", ".join("+".join(a) if isinstance(a, list) else str(a) for a in row.get("adjust", []) or [])
            sub = " · ".join(x for x in (q.title if q else "", text, adjust) if x)
            return str(row.get("title") or row.get("id") or tr("new step")), sub or " "
        if table == "known_fault":
            return str(row.get("sign") or tr("no symptom yet")), str(row.get("cause") or " ")
        if table == "inspect":
            return str(row.get("title") or row.get("id") or tr("no name yet")), str(row.get("how") or " ")
        title = str(row.get("id", "")) or tr("no name yet")
        sub = (
            row.get("where") or row.get("title") or row.get("what") or row.get("nominal") or row.get("positions") or ""
        )
        return title, str(sub) or str(row.get("kind", "")) or " "

    return words


class _Tables(dict[str, TableEditor]):
    """The list editors by table, each made when it is first asked for: all eleven take a second to build, and few are opened.

    A walk through the values meets those that there are: what was never shown has nothing to be brought up to date.
    """

    def __init__(self, make: Callable[[str], TableEditor]) -> None:
        super().__init__()
        self._make = make

    def __missing__(self, name: str) -> TableEditor:
        if name not in TABLES:
            raise KeyError(name)
        made = self[name] = self._make(name)
        return made


class SheetEditor(QWidget):
    """Edits a draft and its pictures; where the draft is kept is the page's business."""

    changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.draft: Draft | None = None
        self.pictures: dict[str, bytes] = {}
        self.problems: tuple[Problem, ...] = ()
        self.lost: tuple[str, ...] = ()
        self.procedure_why = ""
        #: The tree that the problems shown are about.
        self.shown_data: dict[str, Any] | None = None
        self._opened: dict[str, Any] | None = None
        self._places: dict[Place, int] = {}
        self._checking = Errand("sheet-check", self)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_PAUSE)
        self._timer.timeout.connect(self._check)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(theme.px(8))
        self.tabs = ChipRow(
            tr("Part of the sheet"), [(name, tr(words)) for name, words in _SECTIONS], self.show_section, "tab"
        )
        self.chips, self.sections = self.tabs.chips, self.tabs.list
        outer.addWidget(self.tabs)
        holder = QWidget()
        self.stack = QStackedLayout(holder)
        self.tables = _Tables(self._table)
        self.pages: dict[str, QWidget] = {}
        for name, _ in _SECTIONS:
            if name not in TABLES:
                self.pages[name] = page = self._page(name)
                self.stack.addWidget(page)
        outer.addWidget(holder, 1)
        self.show_section("step")

    def _page(self, name: str) -> QWidget:
        if name == "model":
            self.model = FormView(MODEL, self._names, first=FIRST_OF_MODEL, more=tr("More about this radio"))
            self.model.edited.connect(self._model_edited)
            return self.model
        if name == "conventions":
            self.conventions = FormView(_convention_fields(), self._names)
            self.conventions.edited.connect(self._model_edited)
            return self.conventions
        if name == "board":
            self.board = PinPage()
            self.board.changed.connect(self._touched)
            self.board.failed.connect(self.failed.emit)
            return self.board
        return self._problem_page()

    def _table(self, name: str) -> TableEditor:
        editor = TableEditor(name, tr(dict(_SECTIONS)[name]), TABLES[name], describe_row(name), self._names)
        editor.changed.connect(self._touched)
        editor.after_edit = lambda row, field, t=name: self._after_edit(t, row, field)  # type: ignore[misc]
        editor.after_finish = lambda row, field, t=name: self._after_finish(t, row, field)  # type: ignore[misc]
        editor.make = lambda before, t=name: self._new_row(t, before)  # type: ignore[misc]
        self.pages[name] = editor
        self.stack.addWidget(editor)
        if self.draft is not None:
            editor.show_draft(self.draft)
            editor.show_problems(self.problems)
        return editor

    def _problem_page(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        self.all_well: QLabel = label("quiet", "", True)
        layout.addWidget(self.all_well)
        self.problem_list = QListWidget()
        self.problem_list.setAccessibleName(tr("Errors in this sheet"))
        self.problem_list.setWordWrap(True)
        self.problem_list.itemActivated.connect(lambda item: self.go_to(item.data(Qt.ItemDataRole.UserRole)))
        self.problem_list.itemClicked.connect(lambda item: self.go_to(item.data(Qt.ItemDataRole.UserRole)))
        layout.addWidget(self.problem_list, 1)
        return page

    def _names(self, source: str) -> list[str]:
        """What a field completes to."""
        if self.draft is None:
            return []
        if source == "quantity":
            return sorted([*QUANTITIES, "rx.*", "tx.*", "*"])
        if source == "channel":
            own = self.draft.get(("channels", "frequencies"), {})
            plan = PLANS.get(str(self.draft.get(("channels", "plan"), "")))
            return list(own) if isinstance(own, dict) and own else list(plan.names) if plan else []
        if source == "band":
            bands = self.draft.get(("channels", "bands"), {})
            return list(bands) if isinstance(bands, dict) else []
        return self.draft.ids(source)

    # -- showing ------------------------------------------------------------------------------------

    def show_draft(self, draft: Draft, pictures: dict[str, bytes], lost: tuple[str, ...] = (), text: str = "") -> None:
        """Edit this draft; ``lost`` tells what of its file could not be read, ``text`` gives the lines of its keys."""
        self.draft, self.pictures, self.lost = draft, pictures, lost
        self._opened, self._places = draft.data, key_lines(text) if text else {}
        self.problems = ()
        self._show_all(keep=False)
        self._list_problems()
        self.all_well.setText(tr("being checked…"))
        self._check()

    def _show_all(self, keep: bool) -> None:
        draft = self.draft
        if draft is None:
            return
        self.model.show_rows(lambda f: [draft.get(f.key)])
        if any(draft.get(f.key) not in (None, "", [], {}) for f in MODEL[FIRST_OF_MODEL:]):
            self.model.open_rest()
        self.conventions.show_rows(lambda f: [draft.get(f.key)])
        for editor in self.tables.values():
            editor.show_draft(draft, keep)
        self.board.show_draft(draft, self.pictures)

    def show_section(self, name: str) -> None:
        """Go to a part of the sheet."""
        self.tabs.mark(name)
        self.stack.setCurrentWidget(self.tables[name] if name in TABLES else self.pages[name])
        if name == "board" and self.draft is not None:
            self.board.show_draft(self.draft, self.pictures)

    @property
    def section(self) -> str:
        """The part of the sheet that is shown."""
        return next(n for n, page in self.pages.items() if page is self.stack.currentWidget())

    def table(self) -> TableEditor | None:
        """The list that is shown, if it is one."""
        return self.tables.get(self.section)

    # -- changing ---------------------------------------------------------------------------------------

    def _model_edited(self, field: Field, value: Any) -> None:
        if self.draft is not None:
            self.draft.put(field.key, value, typing=True)
            if field.key == ("channels", "frequencies") and value:
                self.draft.put(("channels", "plan"), None)
                self.model.show_rows(lambda f: [self.draft.get(f.key) if self.draft else None])
            self._touched()

    def _new_row(self, table: str, before: dict[str, Any] | None) -> dict[str, Any]:
        if table == "step":
            keep = ("phase", "hook_up", "channels", "panel", "bands", "modes", "stage", "way")
            return {"id": "step-1", **({k: before[k] for k in keep if before and k in before})}
        if table == "adjuster":
            return {"id": str((before or {}).get("id", "T1")), "kind": (before or {}).get("kind", "core"),
                    **{k: before[k] for k in ("tool", "turns", "degrees") if before and k in before}}  # fmt: skip
        starts = {
            "test_point": "TP1",
            "part": "C1",
            "stage": "stage-1",
            "oscillator": "x1",
            "control": "control-1",
            "action": "action-1",
            "voltage": "V1",
            "inspect": "look-1",
        }
        if table == "known_fault":
            return {"sign": "", "cause": ""}
        made: dict[str, Any] = {"id": str((before or {}).get("id", "")) or starts.get(table, table)}
        if table == "stage":
            made["way"] = (before or {}).get("way", "receive")
        return made

    def _after_edit(self, table: str, row: int, field: Field) -> None:
        """What goes along with a field that was typed: the id with the title, the usual keys with the quantity."""
        draft = self.draft
        if draft is None or table != "step":
            return
        step = draft.rows("step")[row]
        if field.key == ("title",):
            old = str(step.get("id", ""))
            if re.match(r"^step-\d+$", old) or not old or old.startswith(getattr(self, "_auto_id", "\0")):
                wanted = id_from_title(str(step.get("title", "")))
                taken = {i for n, i in enumerate(draft.ids("step")) if n != row}
                if wanted and wanted not in taken:
                    draft.rename("step", row, wanted, typing=True)
                    self._auto_id = wanted
                    self.tables["step"].refresh_form()
        elif field.key == ("quantity",):
            try:
                rows = draft.rows("step")
                before = next(
                    (rows[n] for n in range(row - 1, -1, -1) if rows[n].get("quantity") == step.get("quantity")), None
                )
                usual = usual_step(str(step.get("quantity", "")), before or (rows[row - 1] if row else None))
            except EntryError:
                return
            way = {"tx": "transmit", "rx": "receive"}.get(str(step["quantity"]).partition(".")[0])
            overruled = {"aim", "phase", "hook_up"} if way or not step.get("limit") else set()
            made = {**usual, **{k: v for k, v in step.items() if k not in overruled}}
            if step.get("adjust"):
                made["aim"] = usual_aim(str(step["quantity"]))
            draft.put(("step", row), made, typing=False)
            self.tables["step"].refresh_form()

    def _after_finish(self, table: str, row: int, field: Field) -> None:
        """Names that are new are added where they belong, so that a sheet can be typed from its first step on."""
        draft = self.draft
        if draft is None or table != "step":
            return
        self._auto_id = "\0"
        step = draft.rows("step")[row]
        added: list[str] = []
        if field.key == ("adjust",):
            names = [n for g in step.get("adjust", []) or [] for n in (g if isinstance(g, list) else [g])]
            added = draft.ensure_adjusters([str(n) for n in names])
            self._suit_aim(row, step, bool(names))
        elif field.key == ("test_point",) and step.get("test_point"):
            added = draft.ensure("test_point", [{"id": str(step["test_point"])}])
        elif field.key == ("stage",) and step.get("stage"):
            way = "transmit" if step.get("hook_up") == "transmit" else "receive"
            name = str(step["stage"])
            added = draft.ensure(
                "stage", [{"id": name, "title": name.capitalize() if name.islower() else name, "way": way}]
            )
        elif field.key == ("panel",) and isinstance(step.get("panel"), str):
            pieces = [p.strip().replace("=", " ").partition(" ") for p in step["panel"].split(",") if p.strip()]
            added = draft.ensure("control", [{"id": c, "positions": p.strip() or "0..100 %"} for c, _, p in pieces])
        if added:
            for name in {"adjuster", "test_point", "stage", "control"} & self.tables.keys():
                self.tables[name].show_draft(draft, keep=True)
            self._touched()

    def _suit_aim(self, row: int, step: dict[str, Any], adjusted: bool) -> None:
        """A step without an adjuster is a check, one with an adjuster is not: nobody should have to say so."""
        aim = step.get("aim")
        wanted = (
            aim
            if adjusted and aim not in (None, "check")
            else usual_aim(str(step.get("quantity", "")))
            if adjusted
            else "check"
        )
        if wanted != aim and self.draft is not None:
            self.draft.put(("step", row, "aim"), wanted)
            self.tables["step"].refresh_form()
            self._touched()

    def _touched(self) -> None:
        self.changed.emit()
        self._timer.start()

    def undo(self) -> str:
        """One step back; returns what was undone."""
        return self._step_of_time(lambda d: d.undo())

    def redo(self) -> str:
        """One step forward again; returns what was done."""
        return self._step_of_time(lambda d: d.redo())

    def _step_of_time(self, step: Callable[[Draft], str]) -> str:
        words = step(self.draft) if self.draft is not None else ""
        if words:
            self._show_all(keep=True)
            self._touched()
        return words

    # -- checking -----------------------------------------------------------------------------------------

    def _check(self) -> None:
        """Check in a thread of its own: typing never waits. Late answers are dropped."""
        if self.draft is None:
            return
        data = self.draft.data
        names = frozenset(self.pictures)

        # An unforeseen error is told over the page; what was checked last stays.
        self._checking.run(lambda: (data, *look(data, names)), self._checked, lambda _: None)

    def _checked(self, found: tuple[dict[str, Any], tuple[Problem, ...], str]) -> None:
        self.shown_data, self.problems, self.procedure_why = found
        counts: dict[str, int] = {}
        for problem in self.problems:
            counts[_section(problem)] = counts.get(_section(problem), 0) + 1
        for name, english in _SECTIONS:
            words = tr(english)
            count = len(self.problems) + len(self.lost) if name == "problems" else counts.get(name, 0)
            chip = self.chips[name]
            text = f"{words} {count}" if count and name == "problems" else words
            if chip.text() != text:
                self.tabs.rename(name, text)
            restyle(chip, bool(count), "wrong")
        for editor in self.tables.values():
            editor.show_problems(self.problems)
        for form in (self.model, self.conventions):
            form.show_cures(
                {f.key: p.text for f in form.fields for p in self.problems if p.place[: len(f.key)] == f.key}
            )
        self._list_problems()
        self.changed.emit()

    def _list_problems(self) -> None:
        self.problem_list.clear()
        for words in self.lost:
            self.problem_list.addItem(QListWidgetItem(words))
        for problem in self.problems:
            line = line_of(self._places, problem.place) if self._places and self.shown_data is self._opened else 0
            at = tr("line {n}, ", n=line) if line else ""
            item = QListWidgetItem(f"{at}{where(self.draft, problem)}: {problem.text}")
            item.setData(Qt.ItemDataRole.UserRole, problem)
            self.problem_list.addItem(item)
        self.problem_list.setVisible(self.problem_list.count() > 0)
        self.all_well.setText(
            tr(
                "{n} errors to correct before a job can use this sheet. Click one to go there; F8 steps through them.",
                n=len(self.problems),
            )
            if self.problems
            else tr("No errors: this sheet can be used. Procedure: {why}.", why=self.procedure_why)
        )

    def go_to(self, problem: Problem | None) -> None:
        """Go to the field that a problem is about."""
        if problem is None:
            return
        name = _section(problem)
        self.show_section(name)
        if name in self.tables:
            self.tables[name].go_to(problem)
        elif name in ("model", "conventions"):
            form = self.model if name == "model" else self.conventions
            key = next((f.key for f in form.fields if problem.place[: len(f.key)] == f.key), form.fields[0].key)
            form.focus_field(key)

    def next_problem(self) -> None:
        """Go to the next thing to mend."""
        if self.problems:
            self._at = (getattr(self, "_at", -1) + 1) % len(self.problems)
            self.go_to(self.problems[self._at])


def look(data: dict[str, Any], pictures: frozenset[str]) -> tuple[tuple[Problem, ...], str]:
    """Everything wrong with a draft, a missing picture too, and why its procedure stands as it does."""
    sheet, problems = check(data, "draft")
    found = list(problems)
    rows = data.get("picture", [])
    for n, row in enumerate(rows if isinstance(rows, list) else []):
        if isinstance(row, dict) and row.get("file") and row["file"] not in pictures:
            found.append(
                Problem(
                    ("picture", n, "file"), tr("{row!r} is not in the sheet. Add the picture again.", row=row["file"])
                )
            )
    return tuple(found), apply(sheet, {}, {})[1] if sheet is not None else ""


def where(draft: Draft | None, problem: Problem) -> str:
    """A problem's place in words: ``step Peak the front end, limit``."""
    place = problem.place
    if draft is not None and len(place) > 1 and isinstance(place[1], int):
        row = draft.get(place[:2], {})
        name = row.get("title") or row.get("id") or f"{place[1] + 1}" if isinstance(row, dict) else f"{place[1] + 1}"
        keys = ", ".join(str(p) for p in place[2:] if not isinstance(p, int))
        return f"{str(place[0]).replace('_', ' ')} {name}" + (f", {keys}" if keys else "")
    return problem.key


def _section(problem: Problem) -> str:
    first = str(problem.place[0]) if problem.place else "problems"
    if first == "picture":
        return "board"
    if first in ("channels", "model"):
        return "model"
    return first if first in dict(_SECTIONS) else "problems"
