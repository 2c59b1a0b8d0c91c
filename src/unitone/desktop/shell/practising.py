"""Practice in the window: an exercise from its start over the Bench to its debrief, on a logbook apart from the workshop's jobs."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from unitone import files
from unitone.desktop.features.practice.debrief import DebriefPage
from unitone.desktop.features.practice.make import MakePage
from unitone.desktop.features.practice.page import PracticePage
from unitone.desktop.features.practice.strip import ExerciseStrip
from unitone.desktop.shell.errand import Errand
from unitone.errors import UnitoneError
from unitone.job.entries.practice import Diagnosed
from unitone.present.bench.bench_shapes import BenchView
from unitone.present.papers import paper_head
from unitone.scenario.debrief import Debrief, debrief
from unitone.scenario.exercise import Exercise, Help, in_words
from unitone.scenario.exercise_file import ENDING, keep_exercise, read_exercise, write_exercise
from unitone.scenario.exercise_paper import render
from unitone.scenario.exercises import LADDER
from unitone.scenario.hearing import hear_again
from unitone.scenario.marking import seconds_of
from unitone.scenario.practice_radio import begin, end
from unitone.scenario.practice_results import (
    Attempt,
    attempt_of,
    best,
    keep_attempt,
    keep_result,
    practice_book,
    results,
)
from unitone.scenario.rewind import rewind
from unitone.session.own_sheets import library_of
from unitone.session.session import Session
from unitone.sheet.library import slug
from unitone.sheet.model.sheet import Sheet
from unitone.store.logbook import Logbook, utc_now
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.desktop.shell.window import MainWindow


@dataclass(frozen=True)
class _Begun:
    """An attempt that can be taken to the Bench: the channels of its radio, and the bench-seconds that it took so far."""

    attempt: Attempt
    channels: tuple[str, ...]
    seconds: float


class Practising(QObject):
    """What the window knows of Practice. Its logbook is opened when Practice is first wanted."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.book: Logbook = practice_book(window.logbook.folder)
        self.page = PracticePage(self.book, library_of(window.logbook))
        self.page.started.connect(self.start)
        self.page.resumed.connect(self.go_on)
        self.page.debrief_wanted.connect(self._look_again)
        self.page.make_wanted.connect(self._make)
        self.making = MakePage(library_of(window.logbook))
        self.making.leave.connect(lambda: window.show_place("practice"))
        self.making.made.connect(self._keep)
        self.making.saved.connect(self._ask_exercise_file)
        self.debrief = DebriefPage()
        self.debrief.diagnosed.connect(self._mark)
        self.debrief.rewound.connect(self._rewind)
        self.debrief.heard.connect(self._hear)
        self.debrief.save_wanted.connect(self._ask_file)
        self.debrief.again.connect(self._again)
        self.debrief.next_wanted.connect(self._next)
        self.debrief.leave.connect(lambda: window.show_place("practice"))
        self.debrief.back.connect(lambda: self.attempt and self.go_on(self.attempt))
        self.attempt: Attempt | None = None
        self._strip: ExerciseStrip | None = None
        self._starting, self._marking = Errand("exercise", self), Errand("debrief", self)
        self._hearing = Errand("hearing", self)
        self._saving = Errand("exercise-save", self, every=True)
        self._sheet: Sheet | None = None

    # -- exercises of one's own ------------------------------------------------------------------------------

    def _make(self) -> None:
        self.making.begin()
        self._window.show_page(self.making, "practice")

    def _keep(self, exercise: Exercise) -> None:
        if self.book.folder is None:
            self.making.message.tell(tr("This workshop has no folder: nothing can be kept in it."))
            return
        try:
            path = keep_exercise(self.book.folder, exercise)
            made = read_exercise(path)
        except UnitoneError as error:
            self.making.message.tell(str(error))
            return
        self._window.show_place("practice")
        self.page.choose(made.id)

    def _ask_exercise_file(self, exercise: Exercise) -> None:
        name = f"{slug(exercise.title)}{ENDING}"
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, tr("Save as a file"), name, f"{tr('Exercises')} (*{ENDING})"
        )
        if chosen:
            self.save_exercise(Path(chosen), exercise)

    def save_exercise(self, path: Path, exercise: Exercise) -> None:
        """Write a sealed exercise to be given away."""
        try:
            write_exercise(path, exercise)
        except UnitoneError as error:
            self.making.message.tell(str(error))
        else:
            self.making.told.setText(tr("Saved as {name}.", name=path.name))

    def on_bench(self) -> str:
        """The exercise at hand in words: its title, and what the radio's owner complains of."""
        e = self.attempt.exercise if self.attempt is not None else None
        return "" if e is None else f"{in_words(e, 'title')}  ·  {in_words(e, 'complaint')}"

    def is_on_bench(self, job_id: str) -> bool:
        """Is this job the exercise at hand?"""
        return self.attempt is not None and self.attempt.job == job_id

    # -- from the start to the end -------------------------------------------------------------------------

    def start(self, exercise: Exercise, seed: int, how: Help, real_time: bool = False) -> None:
        """Begin an exercise on the radio of that seed."""
        self.page.message.hide()

        def make() -> _Begun:
            session = begin(self.book, exercise, seed, library_of(self._window.logbook))
            return self._kept(session, Attempt(session.job_id, exercise, seed, how, real_time))

        self._starting.run(make, self._begin, self.page.message.tell)

    def _kept(self, session: Session, attempt: Attempt) -> _Begun:
        """A session that is an attempt from now on."""
        keep_attempt(self.book, attempt)
        return _Begun(attempt, session.sheet.plan.names, seconds_of(session.state.entries))

    def go_on(self, attempt: Attempt) -> None:
        """Take an exercise that was begun to the Bench again."""

        def look() -> _Begun:
            session = Session(self.book, attempt.job)
            return _Begun(attempt, session.sheet.plan.names, seconds_of(session.state.entries))

        self._starting.run(look, self._begin, self.page.message.tell)

    def _begin(self, begun: _Begun) -> None:
        self.attempt = attempt = begun.attempt
        strip = self._strip_over_bench()
        strip.show_exercise(attempt.help, begun.channels)
        strip.run_clock(begun.seconds if attempt.real_time else None)
        strip.show()
        self._window.show_exercise(attempt.job)

    def _strip_over_bench(self) -> ExerciseStrip:
        if self._strip is None:
            bench = self._window.bench_page()
            assert self._window.worker is not None
            self._strip = ExerciseStrip(self._window.worker)
            self._strip.finished.connect(self.finish)
            self._strip.refused.connect(bench.tell)
            bench.put_over(self._strip)
            self._strip.sound.clicked.connect(bench.hear)
            bench.heard.connect(self._strip.sound.setChecked)
            self._window.worker.changed.connect(self._shown)
        return self._strip

    def hide_strip(self) -> None:
        """A job of the workshop is on the Bench."""
        if self._strip is not None:
            self._strip.hide()

    def _shown(self, item: tuple[int, BenchView]) -> None:
        if self._strip is not None and self.is_on_bench(item[1].job_id) and not self._strip.isHidden():
            self._strip.show_set_up(item[1].step.conditions)
            self._strip.show_tool(item[1].hook_up.tool, item[1].hook_up.tool_in)

    def press(self, name: str) -> None:
        """A key of the Bench that is for exercises alone."""
        strip = self._strip
        if strip is None or strip.isHidden():
            return
        if name == "exercise-hint" and not strip.hint.isHidden():
            strip.hint.click()
        elif name == "exercise-sheet" and not strip.by_sheet.isHidden():
            strip.set_by_sheet()
        elif name == "exercise-level" and not strip.level.isHidden():
            strip.level.setFocus()
            strip.level.selectAll()
        elif name == "exercise-tool" and not strip.tool.isHidden():
            strip.change_tool()
        elif name == "exercise-finish":
            self.finish()

    def finish(self) -> None:
        """End the exercise: what was wrong is asked before anything is told."""
        if self.attempt is not None:
            self.debrief.ask(in_words(self.attempt.exercise, "title"))
            self._window.show_page(self.debrief, "practice")

    def _mark(self, reason: str) -> None:
        attempt, worker = self.attempt, self._window.worker
        if attempt is None or worker is None:
            return
        self.debrief.show_busy()

        def close(session: Session) -> None:
            session.append(Diagnosed(reason))
            end(session)

        worker.do(close)
        worker.then(lambda: self._marking_wanted(attempt))

    def _marking_wanted(self, attempt: Attempt) -> None:
        library = library_of(self._window.logbook)
        book, how = self.book, attempt.help

        def work() -> tuple[Debrief, Session, int]:
            made = debrief(book, attempt.job, attempt.exercise, library)
            keep_result(book, made, how)
            return made, Session(book, attempt.job), best(book)[attempt.exercise.id].score

        self._marking.run(work, lambda told: self._told(attempt, *told), self.debrief.tell)

    def _told(self, attempt: Attempt, made: Debrief, session: Session, top: int) -> None:
        self.attempt, self._sheet = attempt, session.sheet
        self.debrief.show_debrief(made, session.sheet, attempt.help, top)

    # -- afterwards ------------------------------------------------------------------------------------------

    def _look_again(self, job_id: str) -> None:
        attempt = attempt_of(self.book, job_id)
        if attempt is None:
            self.page.message.tell(tr("That exercise's notes are damaged: it cannot be looked at again."))
            return
        self.debrief.ask(in_words(attempt.exercise, "title"))
        self.debrief.show_busy()
        self._window.show_page(self.debrief, "practice")
        self._marking_wanted(attempt)

    def _ask_file(self, form: str) -> None:
        name = f"exercise-{self.attempt.exercise.id if self.attempt is not None else ''}.{form}"
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, tr("Save certificate"), name, f"{form.upper()} (*.{form})"
        )
        if chosen:
            self.save(Path(chosen), form)

    def save(self, path: Path, form: str) -> None:
        """Write the certificate of the debrief that is shown."""
        made, attempt, sheet = self.debrief.made, self.attempt, self._sheet
        if made is None or attempt is None or sheet is None:
            return
        utc = next((r.utc for r in results(self.book) if r.job == attempt.job), utc_now())
        head = paper_head(self._window.logbook)

        def write() -> str:
            files.write_file(path, render(made, sheet, attempt.help, utc, head, form))
            return path.name

        self._saving.run(write, lambda name: self.debrief.say(tr("Saved as {name}.", name=name)), self.debrief.say)

    def _rewind(self, seq: int) -> None:
        before = self.attempt
        if before is None:
            return

        def make() -> _Begun:
            session = rewind(self.book, before.job, seq)
            return self._kept(session, msgspec.structs.replace(before, job=session.job_id))

        self._starting.run(make, self._begin, self.debrief.message.tell)

    def _hear(self, seq: int) -> None:
        if self.attempt is None:
            return
        book, job = self.book, self.attempt.job
        self._hearing.run(
            lambda: hear_again(book, job, seq), lambda heard: self.debrief.sound.play(*heard), self.debrief.say
        )

    def _again(self) -> None:
        if self.attempt is not None:
            a = self.attempt
            self.start(a.exercise, a.seed, a.help, a.real_time)

    def _next(self) -> None:
        """The exercise after this one on the ladder; after the last the list."""
        ids = [e.id for e in LADDER]
        at = (
            ids.index(self.attempt.exercise.id)
            if self.attempt is not None and self.attempt.exercise.id in ids
            else len(ids)
        )
        self._window.show_place("practice")
        if at + 1 < len(ids):
            self.page.choose(ids[at + 1])

    def close(self) -> None:
        """Let the logbook go. A marking that goes on is not waited for: it is made anew when it is looked at again."""
        for errand in (self._starting, self._saving):
            if errand.running is not None:
                errand.running.join()
        self.book.close()
