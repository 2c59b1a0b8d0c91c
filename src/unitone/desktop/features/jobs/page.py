"""The Jobs view: the workshop's cards, a search, the chosen card, a new job, and the workshop's own errands."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QModelIndex, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QMenu,
    QPushButton,
    QStackedLayout,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import keyed
from unitone.desktop.features.jobs.cards import PAGE, CardDelegate, JobsModel
from unitone.desktop.features.jobs.new_job import NewJob
from unitone.desktop.features.jobs.side import JobSide
from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.painted import Card, Elided, label
from unitone.errors import UnitoneError
from unitone.store.logbook import Logbook
from unitone.store.rows import JobRow
from unitone.words import N_, tr, tr_n

if TYPE_CHECKING:
    from unitone.present.card.earlier_jobs import History
    from unitone.session.session import Session
    from unitone.store.backup import BackedUp

#: Chips: name, words, and the states that they show.
FILTERS: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("all", N_("All open"), ("open", "waiting", "later", "finished")), ("open", N_("On the bench"), ("open",)),
    ("waiting", N_("Waiting"), ("waiting", "later")), ("finished", N_("To hand over"), ("finished",)),
    ("handed over", N_("Finished"), ("handed over",)), ("archived", N_("Archived"), ("archived",)),
)  # fmt: skip
#: A search begins when no key was pressed for so long (ms).
_PAUSE = 90
#: Narrower than this, the chips leave out their counts.
_ROOMY = 760


@dataclass(frozen=True)
class _Found:
    """A first page of cards, and how many there are in each state."""

    rows: list[JobRow]
    counts: dict[str, int]
    workshop: str


class JobsPage(QWidget):
    """Cards at the left, the chosen card at the right."""

    opened = pyqtSignal(str)
    card_wanted = pyqtSignal(str, str)
    changed = pyqtSignal(str, object)
    restore_wanted = pyqtSignal(object)
    #: In a workshop without jobs: a practice radio, or the questions of the first evening.
    practice_wanted = pyqtSignal()
    questions_wanted = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Jobs"))
        self._logbook = logbook
        self._filter = "all"
        self._counts: dict[str, int] = {}
        self.model = JobsModel()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(16), theme.px(16), theme.px(14))
        outer.setSpacing(theme.px(10))
        outer.addLayout(self._head())
        self.notice = label("warn", "", True)
        self.notice.setAccessibleName(tr("Notice"))
        self.notice.hide()
        outer.addWidget(self.notice)
        columns = QHBoxLayout()
        columns.setSpacing(theme.px(12))
        outer.addWidget(self._chips())
        columns.addWidget(self._list(), 67)
        columns.addWidget(self._side(), 36)
        outer.addLayout(columns, 1)
        self._searching, self._telling = Errand("search", self), Errand("history", self)
        self._errands = Errand("errand", self, every=True)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.timeout.connect(self._search)
        # What is damaged at the first look is damaged: the program then opens what can be read.
        self._take(self._read("", self._states()))
        # The library is looked at while nobody waits for it: a new job then has its models at once.
        self._looking = Errand("library", self)
        QTimer.singleShot(1500, self._look_at_library)

    def _look_at_library(self) -> None:
        from unitone.session.own_sheets import library_of

        self._looking.run(library_of(self._logbook).kept, lambda _: None, lambda _: None)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label("page", tr("Jobs")))
        self.where = Elided("quiet")
        row.addWidget(self.where, 1)
        self.find = QLineEdit()
        self.find.setPlaceholderText(tr("Find a radio, fault, part, person…"))
        self.find.setAccessibleName(tr("Find a job"))
        self.find.setClearButtonEnabled(True)
        for clear in self.find.findChildren(QToolButton):
            clear.setAccessibleName(tr("Clear the search"))
        self.find.setMinimumWidth(theme.px(150))
        self.find.setMaximumWidth(theme.px(280))
        self.find.textChanged.connect(lambda: self._pause.start(_PAUSE))
        self.more = QPushButton(tr("More ▾"))
        self.more.setAccessibleName(tr("Backup, restore, import and export"))
        self.menu = QMenu(self.more)
        for words, act in (
            (tr("Back up the workshop…"), self._ask_backup), (tr("Restore a backup…"), self._ask_restore), ("", None),
            (tr("Import a job…"), self._ask_import), (tr("Export this job…"), lambda: self._ask_export(False)),
            (tr("Export without the owner…"), lambda: self._ask_export(True)), ("", None),
            (tr("Leave this job for later"), lambda: self._set_status("later", tr("left for later"))),
            (tr("Archive, or bring back"), self._archive),
        ):  # fmt: skip
            if act is None:
                self.menu.addSeparator()
            else:
                made = self.menu.addAction(words)
                assert made is not None
                made.triggered.connect(lambda _=False, a=act: a())
        self.more.setMenu(self.menu)
        self.new = QPushButton(keyed(tr("New job  Ctrl N"), "new-job"))
        self.new.setProperty("role", "main")
        self.new.clicked.connect(self.ask_new)
        row.addWidget(self.find, 2)
        for widget in (self.more, self.new):
            row.addWidget(widget)
        return row

    def _chips(self) -> ChipRow:
        self.row = ChipRow(tr("Which jobs"), [(name, tr(words)) for name, words, _ in FILTERS], self._choose_filter)
        self.row.mark("all")
        self.chips = self.row.chips
        return self.row

    def _list(self) -> QWidget:
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(CardDelegate(self.list))
        self.list.setAccessibleName(tr("Jobs"))
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.doubleClicked.connect(lambda index: self.opened.emit(self.model.rows[index.row()].id))
        selection = self.list.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda now, _: self._show(now))
        theme.changed.connect(self._theme_changed)
        self.empty: QLabel = label("quiet", "", True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        holder = QWidget()
        self.list_stack = QStackedLayout(holder)
        self.list_stack.addWidget(self.list)
        self.list_stack.addWidget(self.empty)
        self.list_stack.addWidget(self._begin())
        return holder

    def _begin(self) -> QWidget:
        """Where there is no job at all: what to do."""
        card = Card(tr("No jobs yet"))
        words = tr("A job is one radio on the bench: its complaint, every reading, every turn, the papers.")
        card.column.addWidget(label("", words, True))
        self.first = QPushButton(keyed(tr("My radio is on the bench  Ctrl N"), "new-job"))
        self.first.setProperty("role", "main")
        self.first.clicked.connect(lambda: self.press("new-job"))
        practise = QPushButton(tr("Align a practice radio"))
        practise.clicked.connect(self.practice_wanted)
        questions = QPushButton(tr("What I repair, what is on my bench"))
        questions.setProperty("role", "link")
        questions.clicked.connect(self.questions_wanted)
        for button in (self.first, practise, questions):
            card.column.addWidget(button)
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, theme.px(24), 0, 0)
        column.addWidget(card)
        column.addStretch(1)
        return holder

    def _side(self) -> QWidget:
        holder = QWidget()
        self.side = QStackedLayout(holder)
        self.job = JobSide()
        self.job.opened.connect(self._open)
        self.job.card.connect(lambda: self._with_row(lambda r: self.card_wanted.emit(r.id, "")))
        self.job.history.connect(lambda: self._with_row(lambda r: self.card_wanted.emit(r.id, "history")))
        self.job.status.connect(self._set_status)
        self.new_job = NewJob(self._logbook)
        self.new_job.made.connect(self._made)
        self.new_job.left.connect(lambda: self.side.setCurrentIndex(0))
        self.side.addWidget(self.job)
        self.side.addWidget(self.new_job)
        return holder

    # -- showing --------------------------------------------------------------------------------

    def _count(self) -> None:
        """The chips say how many; in a very small window they say their names alone."""
        roomy = self.width() / theme.scale >= _ROOMY
        for name, english, states in FILTERS:
            words = tr(english)
            number = sum(self._counts.get(s, 0) for s in states)
            self.row.rename(name, f"{words} {number}" if roomy else words, f"{words} {number}")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._count()

    def _theme_changed(self) -> None:
        self.list.scheduleDelayedItemsLayout()

    def _states(self) -> tuple[str, ...]:
        """The states to show. A search of all finds what is handed over or archived as well."""
        if self.find.text().strip() and self._filter == "all":
            return ()
        return next(states for name, _, states in FILTERS if name == self._filter)

    def _read(self, find: str, states: tuple[str, ...]) -> _Found:
        return _Found(
            self._logbook.jobs(find, states, PAGE), self._logbook.counts(), str(self._logbook.setting("workshop", "") or "")
        )  # fmt: skip

    def refresh(self, choose: str = "") -> None:
        """Read the list anew, keeping the chosen job."""
        try:
            found = self._read(self.find.text(), self._states())
        except UnitoneError as error:
            self.tell(str(error))
            return
        self._take(found, choose)

    def refresh_changed(self) -> None:
        """The same where others wrote, off the window's thread: a list that shows the same as before stays where it was scrolled to."""
        find, states = self.find.text(), self._states()

        def take(found: _Found) -> None:
            if found.rows != self.model.rows[: len(found.rows)] or found.counts != self._counts:
                self._take(found)

        self._searching.run(lambda: self._read(find, states), take, self.tell)

    def _search(self) -> None:
        """The same off the window's thread: while someone types, only the last question is answered."""
        find, states = self.find.text(), self._states()
        self._searching.run(lambda: self._read(find, states), self._take, self.tell)

    def _take(self, found: _Found, choose: str = "") -> None:
        chosen = choose or (row.id if (row := self.current()) is not None else "")
        counts = self._counts = found.counts
        self._count()
        self.row.offer("archived", counts.get("archived", 0) > 0 or self._filter == "archived")
        going = sum(counts.get(s, 0) for s in FILTERS[0][2])
        self.where.setText(
            tr("{workshop} · {open} open, {finished} finished", workshop=found.workshop or tr("this workshop"), open=going,
               finished=counts.get("handed over", 0) + counts.get("archived", 0))
        )  # fmt: skip
        find, states = self.find.text(), self._states()
        self.model.set_rows(found.rows, lambda n: self._logbook.jobs(find, states, PAGE, n))
        self.list_stack.setCurrentIndex(0 if found.rows else 1 if counts or find.strip() else 2)
        self.empty.setText(
            tr("No job has these words. Clear the search to see all.")
            if find.strip()
            else tr("No job here. Choose another group above.")
        )
        at = next((n for n, r in enumerate(found.rows) if r.id == chosen), 0)
        if found.rows:
            self.list.setCurrentIndex(self.model.index(at))
        self.job.setVisible(bool(found.rows))

    def current(self) -> JobRow | None:
        """The chosen job."""
        at = self.list.currentIndex().row() if hasattr(self, "list") else -1
        return self.model.rows[at] if 0 <= at < len(self.model.rows) else None

    def _show(self, index: QModelIndex) -> None:
        if not index.isValid():
            return
        row = self.model.rows[index.row()]
        self.side.setCurrentIndex(0)
        self.job.show_row(row)

        def ask() -> tuple[str, History]:
            from unitone.present.card.earlier_jobs import history

            return row.id, history(self._logbook, row)

        self._telling.run(ask, self._tell_history, lambda _: None)

    def _tell_history(self, told) -> None:  # type: ignore[no-untyped-def]
        row = self.current()
        if row is not None and row.id == told[0]:
            self.job.show_history(told[1])

    def tell(self, words: str) -> None:
        """How an errand went, or what stands in the way."""
        self.notice.setText(words)
        self.notice.setVisible(bool(words))

    # -- doing ----------------------------------------------------------------------------------

    def press(self, name: str) -> None:
        """An action by its id."""
        if name == "new-job":
            self.ask_new()
        elif name == "find":
            self.find.setFocus()
            self.find.selectAll()
        elif name == "open-job":
            focus = self.focusWidget()
            if self.side.currentIndex() == 1:
                self.new_job.make()
            elif isinstance(focus, QPushButton) and focus.hasFocus():
                focus.click()
            elif focus is self.job.wait_words and focus.hasFocus():
                self.job.keep_waiting()
            else:
                self._open()

    def ask_new(self) -> None:
        """Show the new-job card."""
        self.new_job.begin()
        self.side.setCurrentIndex(1)

    def _choose_filter(self, name: str) -> None:
        self._filter = name
        self.row.mark(name)
        self.refresh()

    def _with_row(self, then) -> None:  # type: ignore[no-untyped-def]
        row = self.current()
        if row is not None:
            then(row)

    def _open(self) -> None:
        self._with_row(lambda r: self.opened.emit(r.id))

    def _made(self, job_id: str) -> None:
        self.find.clear()
        self.side.setCurrentIndex(0)
        self.refresh(job_id)
        self.opened.emit(job_id)

    def _change(self, command: Callable[[Session], object]) -> None:
        self._with_row(lambda r: self.changed.emit(r.id, command))

    def _set_status(self, status: str, why: str) -> None:
        self._change(lambda s: s.workshop.set_status(status, why))

    def _archive(self) -> None:
        self._change(lambda s: s.workshop.archive(not s.state.shop.archived))

    # -- backup, restore, one job as a file ------------------------------------------------------------

    def _ask_backup(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Back up the workshop"), "workshop.unitone-backup")
        if name:
            self.back_up(Path(name))

    def back_up(self, path: Path) -> None:
        """Write the whole workshop to one file, off the window's thread."""
        from unitone.store.backup import backup

        folder = self._logbook.folder
        if folder is None or self._logbook.frozen:
            self.tell(
                tr("This logbook cannot be backed up: {why}", why=self._logbook.frozen or tr("it is stored nowhere"))
            )
            return
        self.tell(tr("Backing up…"))
        self._errands.run(
            lambda: backup(folder, path),
            lambda made: self._backed_up(made, path), self.tell,
        )  # fmt: skip

    def back_up_if_due(self) -> None:
        """Today's backup, where the schedule asks for one; it says so, or why it was not made."""
        from unitone.store.scheduled import run_if_due, schedule_of

        folder = self._logbook.folder
        # A logbook that is only shown, or stored nowhere, may have no settings to read.
        if folder is None or self._logbook.frozen:
            return
        chosen = schedule_of(self._logbook)
        if not chosen.days:
            return
        # The disk is looked at off the window's thread, too: one that sleeps or is gone does not hold the window up.
        self._errands.run(
            lambda: run_if_due(folder, chosen, datetime.date.today()),
            lambda made: made and self._backed_up(made[1], made[0]),
            self.tell,
        )

    def back_up_by_schedule(self) -> None:
        """A backup into the folder of the schedule, off the window's thread."""
        from unitone.store.scheduled import run_schedule, schedule_of

        folder, chosen = self._logbook.folder, schedule_of(self._logbook)
        if folder is None:
            self.tell(tr("This logbook cannot be backed up: {why}", why=tr("it is stored nowhere")))
            return
        self._errands.run(
            lambda: run_schedule(folder, chosen, datetime.date.today()),
            lambda made: self._backed_up(made[1], made[0]),
            self.tell,
        )

    def _backed_up(self, made: BackedUp, path: Path) -> None:
        words = tr_n("Backed up: {n} job in {path}.", "Backed up: {n} jobs in {path}.", made.jobs, path=path)
        if made.left_out:
            more = tr(" and {n} more", n=len(made.left_out) - 3) if len(made.left_out) > 3 else ""
            words += " " + tr("Not in it: {files}{more}.", files="; ".join(made.left_out[:3]), more=more)
        self.tell(words)

    def _ask_restore(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Restore a backup; the present workshop is moved aside, not overwritten")
        )
        if name:
            self.restore_wanted.emit(Path(name))

    def _ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Import a job"), "", tr("Jobs (*.json)"))
        if name:
            self.take_in(Path(name))

    def take_in(self, path: Path) -> None:
        """Take in a job that another workshop wrote."""
        from unitone.store.exchange import import_job, read_job

        def taken(result: tuple[int, bool]) -> None:
            number, renumbered = result
            self.find.clear()
            self.refresh(self._logbook.job(str(number)).id)
            words = tr("Imported as job {n}.", n=f"{number:04d}")
            self.tell(words + (" " + tr("Its own number is already used here.") if renumbered else ""))

        self._errands.run(lambda: import_job(self._logbook, read_job(path)), taken, self.tell)

    def _ask_export(self, without_owner: bool) -> None:
        row = self.current()
        if row is None:
            return
        name, _ = QFileDialog.getSaveFileName(self, tr("Export this job"), f"job-{row.number:04d}.job.json")
        if name:
            self.write_out(Path(name), without_owner)

    def write_out(self, path: Path, without_owner: bool) -> None:
        """Write the chosen job to a file of its own."""
        from unitone.store.exchange import write_job

        def write(row: JobRow) -> None:
            self._errands.run(
                lambda: write_job(self._logbook, row.id, path, without_owner),
                lambda _: self.tell(tr("Written: {path}.", path=path)), self.tell,
            )  # fmt: skip

        self._with_row(write)
