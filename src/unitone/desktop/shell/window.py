"""The main window: the rail, the pages, the keys."""

from __future__ import annotations

import importlib
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QCursor, QHelpEvent, QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QSizePolicy,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import ACTIONS, key_of, named_key
from unitone.desktop.features.jobs.page import JobsPage
from unitone.desktop.shell.bench_meters import BenchMeters
from unitone.desktop.shell.errand import Errand
from unitone.desktop.shell.glossary import hint_at, terms_at
from unitone.desktop.shell.palette import Entry, Palette
from unitone.desktop.shell.sharing import SharingStrip
from unitone.desktop.shell.trouble import TroubleStrip
from unitone.desktop.theme.theme import SCALES, icon, theme
from unitone.desktop.widgets.painted import label
from unitone.errors import UnitoneError
from unitone.store.logbook import Logbook
from unitone.words import N_, tr

if TYPE_CHECKING:
    from collections.abc import Callable

    from unitone.desktop.features.bench.page import BenchPage
    from unitone.desktop.features.help.page import HelpPage
    from unitone.desktop.features.workshop.page import WorkshopPage
    from unitone.desktop.shell.practising import Practising
    from unitone.desktop.shell.worker import BenchWorker, Command
    from unitone.present.bench.bench_shapes import BenchView
    from unitone.session.session import Session
    from unitone.sheet.format.bundle import Bundle

_PLACES = (
    ("jobs", N_("Jobs"), "clipboard-list"),
    ("bench", N_("Bench"), "radio-receiver"),
    ("trace", N_("Trace"), "stages"),
    ("meters", N_("Meters"), "activity"),
    ("calculators", N_("Calculators"), "calculator"),
    ("sheets", N_("Sheets"), "scroll-text"),
    ("practice", N_("Practice"), "practice"),
    ("workshop", N_("Workshop"), "wrench"),
    ("help", N_("Help"), "circle-help"),
)


#: Jobs that the palette finds: the newest; the list of jobs finds any.
_PALETTE_JOBS = 300


def _load_the_bench() -> None:
    """What a job on the Bench takes: the simulator, the coach, SciPy. No Qt object is made here."""
    importlib.import_module("unitone.session.session")


class MainWindow(QMainWindow):
    """One window on one logbook. Pages other than the first are made when they are first wanted."""

    restore_wanted = pyqtSignal(object)
    #: The program is to speak another language: a window made anew.
    language_wanted = pyqtSignal(str)
    #: A server's address, or empty for the folder of this machine; and what to say there.
    place_wanted = pyqtSignal(str, str)
    reading_sent = pyqtSignal(str)

    def __init__(self, logbook: Logbook, notice: str = "") -> None:
        super().__init__()
        self.logbook = logbook
        self.setWindowTitle("Unitone")
        self.resize(1280, 800)
        self.setMinimumSize(900, 620)
        self._bench: QWidget | None = None
        self._papers: QWidget | None = None
        self._help: HelpPage | None = None
        self._sheets: QWidget | None = None
        self._workshop: WorkshopPage | None = None
        self._card: QWidget | None = None
        self._trace: QWidget | None = None
        self._meters: QWidget | None = None
        self._calculators: QWidget | None = None
        self.practising: Practising | None = None
        self._welcome: QWidget | None = None
        self.worker: BenchWorker | None = None
        self._log_key: QShortcut | None = None
        self.bench_meters = BenchMeters(logbook, self, lambda: self.worker, lambda: self._bench, lambda: self._workshop)  # type: ignore[arg-type,return-value]
        self._job = ""
        #: The job that the next start opens.
        self._remembered = ""
        central = QWidget()
        central.setObjectName("paper")
        row = QHBoxLayout(central)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._rail())
        self.pages = QStackedWidget()
        column = QVBoxLayout()
        column.setSpacing(0)
        self.trouble = TroubleStrip()
        column.addWidget(self.trouble)
        self.sharing = SharingStrip(logbook.sharing)
        self.sharing.changed.connect(self._others_wrote)
        self.sharing.take_over.connect(lambda job: self.worker and self.worker.take_over(job))
        column.addWidget(self.sharing)
        column.addWidget(self.pages, 1)
        row.addLayout(column, 1)
        self.setCentralWidget(central)
        self.jobs = JobsPage(logbook)
        self.jobs.opened.connect(self.open_job)
        self.jobs.card_wanted.connect(self.show_card)
        self.jobs.changed.connect(self._change_job)
        self.jobs.restore_wanted.connect(self.restore_wanted.emit)
        self.jobs.practice_wanted.connect(self._first_exercise)
        self.jobs.questions_wanted.connect(self.show_welcome)
        self.jobs.tell(notice)
        self.pages.addWidget(self.jobs)
        self.palette_box = Palette(central)
        self._keys(self, "everywhere", self._everywhere)
        self._keys(self.jobs, "jobs", self.jobs.press)
        theme.changed.connect(self._paint_rail)
        self.reading_sent.connect(lambda words: self._meters and self._meters.sent(words))  # type: ignore[attr-defined]
        theme.dress(self)
        self.show_place("jobs")
        self.jobs.list.setFocus()
        # The first paint waits for nothing that the list of jobs does not need; the rest is loaded while it is looked at.
        self._loading = Errand("loading", self)
        QTimer.singleShot(
            0, lambda: self._loading.run(_load_the_bench, lambda _: self.jobs.back_up_if_due(), self.jobs.tell)
        )

    # -- the rail and the keys ---------------------------------------------------------------------

    def _rail(self) -> QFrame:
        rail = QFrame()
        rail.setProperty("role", "rail")
        rail.setFixedWidth(theme.px(90))
        self._rail_frame = rail
        layout = QVBoxLayout(rail)
        layout.setContentsMargins(theme.px(6), theme.px(10), theme.px(6), theme.px(6))
        # Every place keeps its words at the largest type in an ordinary window.
        layout.setSpacing(theme.px(2))
        self._mark = label("", "")
        self._mark.setTextFormat(Qt.TextFormat.RichText)
        self._mark.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout.addWidget(self._mark)
        self.rail_buttons: dict[str, QToolButton] = {}
        group = QButtonGroup(self)
        for name, english, _ in _PLACES:
            words = tr(english)
            button = QToolButton()
            button.setProperty("role", "rail")
            button.setText(words)
            button.setAccessibleName(words)
            button.setCheckable(True)
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(partial(self.show_place, name))
            group.addButton(button)
            self.rail_buttons[name] = button
            layout.addWidget(button)
        layout.addStretch(1)
        self.theme_button = QToolButton()
        self.theme_button.setProperty("role", "rail")
        self.theme_button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        self.theme_button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.theme_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.theme_button.clicked.connect(self.other_theme)
        layout.addWidget(self.theme_button)
        self._paint_rail()
        return rail

    def _paint_rail(self) -> None:
        t = theme.tokens
        self._mark.setText(
            f"<div style='font-size:{theme.px(16)}px;font-weight:bold;color:{t.rail_text}'>uni<br>"
            f"<span style='color:{t.rail_orange}'>tone</span></div>"
        )
        for name, _, picture in _PLACES:
            self.rail_buttons[name].setIcon(icon(picture, "rail_text"))
        day = t.name == "day"
        self.theme_button.setIcon(icon("moon" if day else "sun", "rail_text", 20))
        self.theme_button.setText(tr("Night") if day else tr("Day"))
        self.theme_button.setAccessibleName(tr("Night theme") if day else tr("Day theme"))
        self._fit_rail()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a low window with large type the rail's pictures give way before its words do."""
        super().resizeEvent(event)
        self._fit_rail()
        self.palette_box.place()

    def _fit_rail(self) -> None:
        buttons, layout = [*self.rail_buttons.values(), self.theme_button], self._rail_frame.layout()
        if layout is None:
            return
        ways = Qt.ToolButtonStyle
        for style, size in (
            (ways.ToolButtonTextUnderIcon, 24),
            (ways.ToolButtonTextUnderIcon, 16),
            (ways.ToolButtonTextOnly, 16),
        ):
            for button in buttons:
                button.setToolButtonStyle(style)
                button.setIconSize(QSize(theme.px(size), theme.px(size)))
            # A language with longer words gets a wider rail.
            margins = layout.contentsMargins()
            widest = max(b.minimumSizeHint().width() for b in buttons) + margins.left() + margins.right()
            self._rail_frame.setFixedWidth(max(theme.px(90), widest))
            layout.invalidate()
            if layout.minimumSize().height() <= self.height():
                return

    def _keys(self, where: QWidget, scope: str, do) -> None:  # type: ignore[no-untyped-def]
        context = (
            Qt.ShortcutContext.WindowShortcut
            if scope == "everywhere"
            else Qt.ShortcutContext.WidgetWithChildrenShortcut
        )
        for a in ACTIONS:
            if a.scope == scope:
                key_now = key_of(a)
                for key in (key_now, "Enter") if key_now == "Return" else (key_now,) if key_now else ():
                    QShortcut(QKeySequence(key), where, partial(do, a.id), context=context).setAutoRepeat(a.repeats)

    def _everywhere(self, name: str) -> None:
        if name in ("jobs", "bench", "trace", "sheets", "workshop", "help", "meters", "calculators", "practice"):
            self.show_place(name)
        elif name == "card":
            row = self.jobs.current()
            if self.pages.currentWidget() is self.jobs and row is not None:
                self.show_card(row.id)
            elif self._job:
                self.show_card(self._job)
        elif name == "theme":
            self.other_theme()
        elif name in ("larger", "smaller"):
            self.other_size(1 if name == "larger" else -1)
        elif name == "palette":
            self.palette_box.open(self.entries())
        elif name == "terms":
            self._show_terms()
        elif name == "quit":
            self.close()

    def entries(self) -> list[Entry]:
        """Everything that the palette finds: views, actions, steps and adjusters of the job at hand, calculators, jobs."""
        found = [Entry(tr(w), tr("view"), "", partial(self.show_place, n)) for n, w, _ in _PLACES]
        found.append(Entry(tr("Settings"), tr("view"), "", self.show_settings))
        here = self.pages.currentWidget()
        pressed: dict[str, Callable[[str], object]] = {"everywhere": self._everywhere, "jobs": self.jobs.press}
        if self._job and self._bench is not None:
            pressed["bench"] = self._press_bench
        for scope, page in (
            ("sheets", self._sheets),
            ("meters", self._meters),
            ("card", self._card),
            ("trace", self._trace),
            ("help", self._help),
        ):
            if page is not None and page is here:
                pressed[scope] = page.press
        skipped = {"palette", *(n for n, _, _ in _PLACES)}
        found += [
            Entry(a.words, tr("action"), named_key(key_of(a)), partial(pressed[a.scope], a.id))
            for a in ACTIONS
            if a.scope in pressed and a.id not in skipped
        ]
        view = None if self._bench is None or not self._job else self._bench.view
        if view is not None and self.worker is not None:
            worker = self.worker

            def go(step: str) -> None:
                self.show_place("bench")
                worker.do(lambda s: s.go_to(step))

            def take(adjuster: str) -> None:
                self.show_place("bench")
                worker.select(adjuster)

            found += [
                Entry(r.title, tr("step"), "", partial(go, r.step_id))
                for _, rows in view.procedure.procedure
                for r in rows
            ]
            where = {r.adjuster: r.where for r in view.board.ledger}
            names = dict.fromkeys([*where, *(p.id for p in view.board.pins if p.kind != "test point")])
            found += [
                Entry(" · ".join(x for x in (n, where.get(n, "")) if x), tr("adjuster"), "", partial(take, n))
                for n in names
            ]
        from unitone.calculators.catalogue import CALCULATORS

        found += [Entry(c.question, tr("calculator"), "", partial(self._show_calculator, c.name)) for c in CALCULATORS]
        found += [
            Entry(
                " · ".join(x for x in (f"{r.number:04d}", r.radio, str(r.card.get("complaint") or "")) if x),
                tr("job"),
                "",
                partial(self.open_job, r.id),
            )
            for r in self.logbook.jobs(limit=_PALETTE_JOBS)
        ]
        return found

    def _press_bench(self, name: str) -> None:
        if self.pages.currentWidget() is not self._bench:
            self.show_place("bench")
        if self._bench is not None:
            self._bench.press(name)

    def _show_calculator(self, name: str) -> None:
        self.show_place("calculators")
        if self._calculators is not None:
            self._calculators.show_question(name)

    def _show_terms(self) -> None:
        """The glossary at the words under the pointer, else at those that have the keyboard."""
        at = QApplication.widgetAt(QCursor.pos())
        if at is None or at.window() is not self:
            at = None
        found = terms_at(at) or terms_at(self.focusWidget())
        page = self._help_page()
        self._to(page)
        self.rail_buttons["help"].setChecked(True)
        page.show_terms(found)
        page.list.setFocus()

    def other_theme(self) -> None:
        """Day to night, night to day."""
        self._use("night" if theme.tokens.name == "day" else "day", theme.scale)

    def other_size(self, way: int) -> None:
        """Larger or smaller type."""
        at = min(range(len(SCALES)), key=lambda i: abs(SCALES[i] - theme.scale)) + way
        if 0 <= at < len(SCALES):
            self._use(theme.tokens.name, SCALES[at])

    def _use(self, name: str, scale: float) -> None:
        theme.use(name, scale)
        look = self.logbook.setting("look", {}) or {}
        self._remember("look", {**look, "theme": name, "scale": scale})

    def _remember(self, key: str, value: object) -> None:
        """Keep a setting; a logbook that is open for reading only goes without."""
        if self.logbook.frozen:
            return
        try:
            self.logbook.set_setting(key, value)
        except UnitoneError as error:
            self.jobs.tell(str(error))

    # -- pages --------------------------------------------------------------------------------------

    def show_place(self, name: str, *_: object) -> None:
        """Go to a place in the rail."""
        if name in ("bench", "trace") and not self._job:
            row = self.jobs.current()
            if row is None:
                name = "jobs"
            elif name == "bench":
                self.open_job(row.id)
                return
            else:
                self._job = row.id
        if name == "trace":
            self.show_trace(self._job)
            return
        page: QWidget = self.jobs
        if name == "bench":
            page = self._bench_page()
        elif name == "sheets":
            page = self._sheets_page()
        elif name == "workshop":
            page = self._workshop_page()
        elif name == "meters":
            page = self._meters_page()
        elif name == "calculators":
            page = self._calculators_page()
        elif name == "practice":
            try:
                page = self._practice_page()
            except UnitoneError as error:
                name = "jobs"
                self.jobs.tell(str(error))
        elif name == "help":
            wanted = self._helped()
            page = self._help_page()
            page.show_for(wanted)
        if name == "jobs":
            self.jobs.refresh()
        self._to(page)
        self.rail_buttons[name].setChecked(True)
        if name in ("sheets", "calculators", "practice"):
            page.list.setFocus()  # type: ignore[attr-defined]
        else:
            (self.jobs.list if name == "jobs" else page).setFocus()
        if name in ("jobs", "bench"):
            self._remembered = self._job if name == "bench" else ""
            self._remember("open_job", self._remembered)

    def _to(self, page: QWidget) -> None:
        self.pages.setCurrentWidget(page)
        if self.worker is not None:
            self.worker.set_live(page is self._bench)
            if page is not self._card and self._card is not None:
                self.worker.show_card(False)
            if page is not self._trace and self._trace is not None:
                self._trace.leave()  # type: ignore[attr-defined]

    def open_job(self, job_id: str) -> None:
        """Take a job to the bench."""
        if self.practising is not None and self.practising.is_on_bench(job_id):
            self.show_exercise(job_id)
            return
        page = self._bench_page()
        assert self.worker is not None
        if self.practising is not None:
            self.practising.hide_strip()
        self._job = job_id
        page.view, page.practised = None, ""  # type: ignore[attr-defined]
        self.worker.open(job_id)
        self._to(page)
        self.rail_buttons["bench"].setChecked(True)
        page.setFocus()

    def _shown(self, item: tuple[int, BenchView]) -> None:
        """A job is on the Bench and can be shown: the next start opens it again."""
        job_id = item[1].job_id
        if not item[1].simulated:
            self.bench_meters.begin()
        exercise = self.practising is not None and self.practising.is_on_bench(job_id)
        if (
            not exercise
            and job_id == self._job
            and job_id != self._remembered
            and self.pages.currentWidget() is self._bench
        ):
            self._remembered = job_id
            self._remember("open_job", job_id)

    def forget_job(self) -> None:
        """The next start opens no job by itself."""
        self._remembered = ""
        self._remember("open_job", "")

    def _refused(self, job_id: str, words: str) -> None:
        """A job cannot be taken to the Bench: back to the list, which says why."""
        if job_id == self._job:
            self._job = ""
        self.forget_job()
        self.show_place("jobs")
        self.jobs.tell(words)

    def show_card(self, job_id: str, tab: str = "") -> None:
        """Show a job's card, at a tab."""
        if self._is_exercise(job_id):
            return
        self._bench_page()
        assert self.worker is not None
        if self._card is None:
            from unitone.desktop.features.card.page import CardPage

            self._card = CardPage(self.worker, self.logbook)
            self._card.leave.connect(lambda: self.show_place("jobs"))
            self._card.bench.connect(self.open_job)
            self._card.opened.connect(self.show_card)
            self._card.paper.connect(self.show_paper)
            self._keys(self._card, "card", self._card.press)
            self.pages.addWidget(self._card)
        self._job = job_id
        self._to(self._card)
        self.rail_buttons["jobs"].setChecked(True)
        self._card.show_job(job_id, tab)  # type: ignore[attr-defined]

    def show_trace(self, job_id: str) -> None:
        """Show the trace of a job."""
        self._bench_page()
        assert self.worker is not None
        if self._trace is None:
            from unitone.desktop.features.trace.page import TracePage

            self._trace = TracePage(self.worker, self.logbook)
            self._trace.bench.connect(self.open_job)
            self._keys(self._trace, "trace", self._trace.press)
            self.pages.addWidget(self._trace)
        self._job = job_id
        self._to(self._trace)
        self.rail_buttons["trace"].setChecked(True)
        self._trace.show_job(job_id)  # type: ignore[attr-defined]
        self._trace.setFocus()

    def _change_job(self, job_id: str, command: Command) -> None:
        """Something is done to a job from the list."""
        self._bench_page()
        assert self.worker is not None
        self.worker.change(job_id, command)

    def _job_kept(self, job_id: str) -> None:
        """The list's picture of a job is new."""
        del job_id
        if self.pages.currentWidget() is self.jobs:
            self.jobs.refresh()

    def show_certificate(self, job_id: str) -> None:
        """Show a job's certificate; an exercise gets its debrief instead."""
        if self.practising is not None and self.practising.is_on_bench(job_id):
            self.practising.finish()
            return
        self.show_paper(job_id, "certificate")

    def show_paper(self, job_id: str, kind: str) -> None:
        """Show one of a job's papers."""
        if self._is_exercise(job_id):
            return
        from unitone.desktop.features.papers.page import PapersPage

        if self._papers is None:
            self._papers = PapersPage(self.logbook)
            self._papers.leave.connect(lambda: self.open_job(self._papers._job))  # type: ignore[union-attr]
            self._papers.card.connect(lambda: self.show_card(self._papers._job, "handing"))  # type: ignore[union-attr]
            self.pages.addWidget(self._papers)
        self._papers.show_job(job_id, kind)  # type: ignore[attr-defined]
        self._to(self._papers)
        self._papers.setFocus()

    # -- practice ---------------------------------------------------------------------------------

    def _practice_page(self) -> QWidget:
        if self.practising is None:
            from unitone.desktop.shell.practising import Practising

            self.practising = Practising(self)
            for page in (self.practising.page, self.practising.debrief, self.practising.making):
                self.pages.addWidget(page)
            self._keys(self.practising.page, "practice", self.practising.page.press)
            self._keys(self.practising.debrief, "debrief", self.practising.debrief.press)
        self.practising.page.refresh()
        return self.practising.page

    def show_welcome(self) -> None:
        """The questions of the first evening."""
        if self._welcome is None:
            from unitone.desktop.features.welcome.page import WelcomePage

            page = self._welcome = WelcomePage(self.logbook)
            page.radio_wanted.connect(self._first_radio)
            page.practice_wanted.connect(self._first_exercise)
            page.left.connect(lambda: self.show_place("jobs"))
            page.language_chosen.connect(self.language_wanted)
            self.pages.addWidget(page)
            self._keys(page, "welcome", page.press)
        self.show_page(self._welcome, "jobs")

    def _first_radio(self) -> None:
        self.show_place("jobs")
        self.jobs.press("new-job")

    def _first_exercise(self) -> None:
        """A simulated radio of the kind that is repaired here, the coach leading."""
        from unitone.scenario.exercises import find_exercise
        from unitone.session.first_evening import first_exercise

        self.show_place("practice")
        if self.practising is not None:
            exercise = find_exercise(first_exercise(self.logbook))
            self.practising.page.choose(exercise.id)
            self.practising.start(exercise, exercise.seed, "coach")

    def _back_up_now(self) -> None:
        self.show_place("jobs")
        self.jobs.back_up_by_schedule()

    def open_file(self, path: Path) -> None:
        """Take in a file that somebody opened: a job, an exercise, a sheet, or a backup, by the ending of its name."""
        name = path.name.lower()
        if name.endswith(".unitone-backup"):
            self.show_place("jobs")
            self.jobs.tell(
                tr("{name} is a backup of a whole workshop. More ▾ restores it in place of this one.", name=path.name)
            )
        elif name.endswith(".exercise.json"):
            self.show_place("practice")
            if self.practising is not None:
                self.practising.page.take_in(path)
        elif name.endswith(".json"):
            self.show_place("jobs")
            self.jobs.take_in(path)
        else:
            self.show_place("sheets")
            self._sheets_page().import_file(path)  # type: ignore[attr-defined]

    def bench_page(self) -> BenchPage:
        """The Bench, made when it is first wanted."""
        return self._bench_page()  # type: ignore[return-value]

    def show_page(self, page: QWidget, place: str) -> None:
        """Show a page that belongs to a place of the rail."""
        self._to(page)
        self.rail_buttons[place].setChecked(True)
        page.setFocus()

    def show_exercise(self, job_id: str) -> None:
        """The exercise at hand on the Bench."""
        page = self._bench_page()
        assert self.worker is not None and self.practising is not None and self.practising.attempt is not None
        self._job = job_id
        page.view, page.practised = None, self.practising.on_bench()  # type: ignore[attr-defined]
        attempt = self.practising.attempt
        self.worker.practise(job_id, self.practising.book, attempt.help, attempt.real_time)
        self.show_page(page, "bench")

    def _is_exercise(self, job_id: str) -> bool:
        """Is this an exercise? Then it has no card, papers or sheet of its own, and the Bench says so."""
        if self.practising is None or not self.practising.is_on_bench(job_id):
            return False
        self.bench_page().tell(tr("An exercise has no card and no sheet of its own: all of it is on the Bench."))
        return True

    def _others_wrote(self) -> None:
        """Jobs came from other benches, or how the server stands has changed: what is looked at is looked at anew."""
        if self.pages.currentWidget() is self.jobs:
            self.jobs.refresh_changed()
        if self.worker is not None and self._job:
            self.worker.look_again(self._job)

    def _failed(self, words: str) -> None:
        """What was refused while the list is looked at is told there."""
        if self.pages.currentWidget() is self.jobs:
            self.jobs.job.tell(words)
        elif self._meters is not None and self.pages.currentWidget() is self._meters:
            self._meters.sent(words)  # type: ignore[attr-defined]

    def _bench_page(self) -> QWidget:
        if self._bench is None:
            from unitone.desktop.audio.soundcard import SOUND_OUTPUT, use_output
            from unitone.desktop.features.bench.page import BenchPage
            from unitone.desktop.shell.worker import BenchWorker

            use_output(str(self.logbook.setting(SOUND_OUTPUT, "") or ""))
            self.worker = BenchWorker(self.logbook, self)
            self._bench = BenchPage(self.worker, self.logbook)
            self._bench.certificate.connect(self.show_certificate)
            self._bench.card.connect(self.show_card)
            self.worker.kept.connect(self._job_kept)
            self.worker.failed.connect(self._failed)
            self.worker.refused.connect(self._refused)
            self.worker.held.connect(self.sharing.looking_at)
            self.worker.changed.connect(self._shown)
            self.worker.wired.connect(self.bench_meters.wired)
            self._bench.edit_sheet.connect(self.edit_job_sheet)
            self._bench.photo_wanted.connect(self._add_photo)
            self._bench.source_wanted.connect(self.bench_meters.change_source)
            self.worker.sound.connect(lambda heard: self._meters and self._meters.hear(heard))  # type: ignore[attr-defined]
            self.worker.deaf.connect(lambda words: self._meters and self._meters.deaf(words))  # type: ignore[attr-defined]
            self._keys(self._bench, "bench", self._pressed_on_bench)
            self._bench.eyes.log_key_changed.connect(self._take_log_key)
            self._take_log_key(self._bench.eyes.log_key)
            self.pages.addWidget(self._bench)
        return self._bench

    def _pressed_on_bench(self, name: str) -> None:
        if not name.startswith("exercise-"):
            self._bench.press(name)  # type: ignore[union-attr]
        elif self.practising is not None:
            self.practising.press(name)

    # -- a key of one's own --------------------------------------------------------------------

    def _take_log_key(self, key: str) -> None:
        """A key or foot-switch of one's own logs on the Bench, and sends the reading of the Meters."""
        if self._log_key is not None:
            self._log_key.setEnabled(False)
            self._log_key.deleteLater()
        self._log_key = QShortcut(QKeySequence(key), self, self._log) if key else None
        if self._log_key is not None:
            self._log_key.setAutoRepeat(False)

    def _log(self) -> None:
        page = self.pages.currentWidget()
        if page is self._bench and self._bench is not None:
            self._bench.press("log")  # type: ignore[attr-defined]
        elif page is self._meters and self._meters is not None:
            self._meters.press("meter-send")  # type: ignore[attr-defined]

    def _sheets_page(self) -> QWidget:
        if self._sheets is None:
            from unitone.desktop.features.sheets.page import SheetsPage
            from unitone.session.own_sheets import library_of

            self._sheets = SheetsPage(library_of(self.logbook))
            self._sheets.variant_made.connect(self._keep_variant)
            self._sheets.variant_undone.connect(self._undo_variant)
            self._keys(self._sheets, "sheets", self._sheets.press)
            self.pages.addWidget(self._sheets)
        return self._sheets

    def _workshop_page(self) -> WorkshopPage:
        if self._workshop is None:
            from unitone.desktop.features.workshop.page import WorkshopPage

            self._workshop = WorkshopPage(self.logbook, self.bench_meters.webcam)
            self._workshop.bench_changed.connect(self._take_bench)
            self._workshop.language_chosen.connect(self.language_wanted)
            self._workshop.live_changed.connect(self.bench_meters.apply_live)
            self._workshop.wires_changed.connect(self.bench_meters.apply_wires)
            self._workshop.questions_wanted.connect(self.show_welcome)
            self._workshop.backup_wanted.connect(self._back_up_now)
            self._workshop.place_wanted.connect(self.place_wanted)
            self._workshop.look_wanted.connect(self._use)
            self._workshop.camera_changed.connect(self.bench_meters.apply_camera)
            self._workshop.show_wires(self.bench_meters.wire_states)
            self.pages.addWidget(self._workshop)
        return self._workshop

    def show_settings(self) -> None:
        """The workshop's settings."""
        self.show_place("workshop")
        if self._workshop is not None:
            self._workshop.show_part("settings")

    def _take_bench(self) -> None:
        """What was found of this bench is used at once by the job that lies on it."""
        if self.worker is not None and self._job:
            self.worker.do(lambda s: s.measuring.take_bench())

    def _meters_page(self) -> QWidget:
        if self._meters is None:
            from unitone.desktop.features.meters.page import MetersPage
            from unitone.session.measuring import my_bench

            meters = self._meters = MetersPage(lambda: my_bench(self.logbook))
            meters.send.connect(self._send_reading)
            meters.simulated_wanted.connect(self._listen)
            kept = self.logbook.setting("meters", {}) or {}
            meters.listening.choose(str(kept.get("input", "")), str(kept.get("side", "")))
            meters.input_chosen.connect(lambda device, side: self._remember("meters", {"input": device, "side": side}))
            self._keys(meters, "meters", meters.press)
            self.pages.addWidget(meters)
        return self._meters

    def _calculators_page(self) -> QWidget:
        if self._calculators is None:
            from unitone.desktop.features.calculators.page import CalculatorsPage
            from unitone.session.own_sheets import library_of

            self._calculators = CalculatorsPage(lambda: library_of(self.logbook))
            self._keys(self._calculators, "calculators", self._calculators.press)
            self.pages.addWidget(self._calculators)
        return self._calculators

    def _listen(self, wanted: bool) -> None:
        """The Meters want to hear the simulated radio of the job on the Bench, or not any more."""
        self._bench_page()
        assert self.worker is not None
        self.worker.listen(wanted)

    def _send_reading(self, sends: tuple[tuple[str, float, float | None], ...], name: str, source: str) -> None:
        """A reading of the Meters goes to the step at hand of the job on the Bench."""
        meters = self._meters
        if self.worker is None or not self._job:
            meters.sent(tr("No job on the Bench. Open one, go to its step, and send again."))  # type: ignore[union-attr]
            return

        def send(session: Session) -> None:
            session.measuring.send_in(sends, name, source)
            self.reading_sent.emit(
                tr("logged at {step}, job {n}", step=session.step.title, n=f"{session.state.card.number:04d}")
            )

        self.worker.do(send)

    def edit_job_sheet(self, job_id: str) -> None:
        """Open a job's own copy of its sheet in the editor."""
        if self._is_exercise(job_id):
            return
        from unitone.job.fold import read
        from unitone.job.summary import standing_variant

        state = read(self.logbook.tape(job_id), job_id)
        pictures = {name: self.logbook.blob(hashed) for name, hashed in state.pictures.items()}
        self._to(self._sheets_page())
        self.rail_buttons["sheets"].setChecked(True)
        self._sheets.open_job_sheet(
            job_id, state.written.source_text, pictures, state.sheet.title, standing_variant(state)
        )  # type: ignore[union-attr]

    def _add_photo(self, job_id: str, path: str) -> None:
        """The job's sheet at its board, with a photograph of it: kept as this radio's own sheet once it is saved."""
        if self._is_exercise(job_id):
            return
        self.edit_job_sheet(job_id)
        if self._sheets is not None:
            self._sheets.add_photo(path)

    def _keep_variant(self, job_id: str, title: str, bundle: Bundle) -> None:
        """A variant was made in the editor: put it on the job's tape, and go back to the Bench."""
        self.open_job(job_id)
        assert self.worker is not None
        self.worker.do(lambda s: s.set_variant(title, bundle.text, pictures=bundle.pictures))

    def _undo_variant(self, job_id: str) -> None:
        """Back to the sheet as it was before: on the job's tape, and seen on the Bench."""
        self.open_job(job_id)
        assert self.worker is not None
        self.worker.do(lambda s: s.undo_variant())

    def event(self, event: QEvent | None) -> bool:
        """A tip that nothing in the window answered: the glossary's."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and hint_at(self, event):
            return True
        return super().event(event)

    def _helped(self) -> tuple[str, ...]:
        """What help is wanted with: the step at hand on the Bench, then the view."""
        here = self.pages.currentWidget()
        if here is self._bench and self._bench is not None and self._bench.view is not None:
            quantity = self._bench.view.step.quantity
            return (quantity, quantity.partition(".")[0] + ".*", "bench")
        if here is self._workshop and self.bench_meters.teaching():
            return ("camera", "workshop")
        views = (
            (self.jobs, "jobs"), (self._sheets, "sheets"), (self._workshop, "workshop"), (self._meters, "meters"), (self._card, "card"),
            (self._trace, "trace"), (self._calculators, "calculators"), (self._papers, "papers"),
            *(() if self.practising is None else (
                (self.practising.page, "practice"), (self.practising.debrief, "practice"), (self.practising.making, "practice"),
            )),
        )  # fmt: skip
        return tuple(name for page, name in views if page is not None and page is here)

    def _help_page(self) -> HelpPage:
        if self._help is None:
            from unitone.desktop.features.help.page import HelpPage

            self._help = HelpPage()
            self._keys(self._help, "help", self._help.press)
            self.pages.addWidget(self._help)
        return self._help

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Everything is on disk already; the bench's thread is let go."""
        if self._sheets is not None:
            self._sheets.close_page()  # type: ignore[attr-defined]
        if self._meters is not None:
            self._meters.stop()  # type: ignore[attr-defined]
        if self._workshop is not None:
            self._workshop.stop()  # type: ignore[attr-defined]
        if self._bench is not None:
            self._bench.eyes.stop()  # type: ignore[attr-defined]
        self.bench_meters.close()
        if self.worker is not None:
            self.worker.stop()
            self.worker = None
        if self.practising is not None:
            self.practising.close()
        super().closeEvent(event)
