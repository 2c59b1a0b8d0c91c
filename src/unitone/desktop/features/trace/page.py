"""The Trace view: the ladder of stages, the next test, the suspects, the stage pin by pin, intermittents, noise."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QBoxLayout,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import keyed
from unitone.align.trace.intermittent import Watcher
from unitone.align.trace.ladder import Traced
from unitone.desktop.audio.kept_sound import KeptSound
from unitone.desktop.features.trace.coach_card import CoachCard
from unitone.desktop.features.trace.ladder import LadderView, Shares
from unitone.desktop.features.trace.noise import NoisePane
from unitone.desktop.features.trace.stage_cards import LookCard, PinsCard
from unitone.desktop.features.trace.watching import WatchPane
from unitone.desktop.shell.worker import BenchWorker, LiveFigure
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.livefield import LiveLine
from unitone.desktop.widgets.painted import Card, Elided, Message, label, scrolled, set_tip
from unitone.desktop.widgets.strips import TapeStrip
from unitone.errors import BenchError
from unitone.present.trace.heard import heard_words
from unitone.present.trace.trace_shapes import TraceView
from unitone.session.session import Session
from unitone.simulator.noise_trials import NoiseTrial
from unitone.store.logbook import Logbook
from unitone.words import N_, tr, tr_n

#: Narrower than this (pixels at normal type) the cards stand over each other; narrower than that, suspects and pins do.
_NARROW, _ROOMY = 860, 1060
PANES: tuple[tuple[str, str], ...] = (
    ("ladder", N_("Ladder")), ("watch", N_("Intermittent")), ("noise", N_("Noise")),
)  # fmt: skip


class TracePage(QWidget):
    """Takes what is said to the worker; shows what comes back."""

    bench = pyqtSignal(str)

    def __init__(self, worker: BenchWorker, logbook: Logbook) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Trace"))
        self._worker, self._logbook = worker, logbook
        self.view: TraceView | None = None
        self._job, self._walk, self._other, self._chosen = "", False, 0, ""
        self._asked = ""
        self._way: Traced = "receive"
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(14), theme.px(16), theme.px(14))
        outer.setSpacing(theme.px(10))
        outer.addLayout(self._head())
        self.message = Message()
        outer.addWidget(self.message)
        self.stack = QStackedWidget()
        self.watch, self.noise = WatchPane(), NoisePane()
        for pane in (self._ladder_pane(), self.watch, self.noise):
            self.stack.addWidget(pane)
        outer.addWidget(self.stack, 1)
        self.tape = TapeStrip()
        outer.addWidget(self.tape)
        self.watch.watching.connect(self._watching)
        self.watch.moved.connect(lambda what: worker.do(lambda s: s.tracing.wiggle(what)))
        self.watch.done.connect(self._watched)
        self.watch.step_wanted.connect(lambda step: self._do(lambda s: s.go_to(step)))
        self.sound = KeptSound(self)
        self.sound.failed.connect(self._tell)
        self.noise.tried.connect(worker.try_noise)
        worker.noise_tried.connect(self._noise_tried)
        self.noise.answered.connect(lambda q, yes: self._do(lambda s: s.tracing.answer_noise(q, yes)))
        worker.trace.connect(self._changed)
        worker.failed.connect(self._failed)
        worker.live.connect(self._live)
        self.show_pane("ladder")

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(theme.px(10))
        self.name = label("page", tr("Trace"))
        row.addWidget(self.name)
        self.title = Elided("quiet")
        row.addWidget(self.title, 1)
        self.panes = ChipRow(tr("Trace"), [(name, tr(words)) for name, words in PANES], self.show_pane)
        row.addWidget(self.panes)
        self.other_way = QPushButton("")
        self.other_way.clicked.connect(lambda: self.press("way"))
        row.addWidget(self.other_way)
        self.mode = QPushButton("")
        set_tip(self.mode, tr("The ladder of another mode: its signal takes another way through the stages"))
        self.mode.clicked.connect(lambda: self.press("mode"))
        row.addWidget(self.mode)
        self.dial = label("teal", "")
        row.addWidget(self.dial)
        self.to_bench = QPushButton(tr("Bench  Ctrl ↵"))
        self.to_bench.clicked.connect(lambda: self.bench.emit(self._job))
        row.addWidget(self.to_bench)
        return row

    def _ladder_pane(self) -> QWidget:
        pane = QWidget()
        row = QBoxLayout(QBoxLayout.Direction.LeftToRight, pane)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(12))
        card = QFrame()
        card.setProperty("role", "card")
        column = QVBoxLayout(card)
        column.setContentsMargins(theme.px(12), theme.px(12), theme.px(8), theme.px(8))
        head = QHBoxLayout()
        self.heading = label("heading", "", True)
        head.addWidget(self.heading, 1)
        column.addLayout(head)
        self.output = Elided("quiet")
        column.addWidget(self.output)
        self.ladder = LadderView()
        self.ladder.chosen.connect(self.look_at)
        self.area = scrolled(self.ladder)
        column.addWidget(self.area, 1)
        self.empty = label("plain", "", True)
        column.addWidget(self.empty)
        row.addWidget(card, 6)
        right = self._inner = QWidget()
        cards = QVBoxLayout(right)
        cards.setContentsMargins(0, 0, theme.px(4), 0)
        cards.setSpacing(theme.px(10))
        self.coach = CoachCard()
        self.coach.pressed.connect(self.press)
        self.coach.typed.connect(self._typed)
        cards.addWidget(self.coach)
        both = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        both.setSpacing(theme.px(10))
        where = Card(tr("Where the fault is"), "heading")
        self.tests = label("quiet", "")
        where.column.addWidget(self.tests)
        self.shares = Shares(tr("Where the fault is"))
        where.column.addWidget(self.shares)
        self.odd = label("quiet", "", True)
        where.column.addWidget(self.odd)
        where.column.addStretch(1)
        both.addWidget(where, 4)
        self.pins = PinsCard()
        self.pins.typed.connect(self._volts)
        self.pins.wanted.connect(lambda r: self._do(lambda s: s.workshop.measure_volts(r), f"row {r}"))
        both.addWidget(self.pins, 6)
        cards.addLayout(both)
        self.look = LookCard(lambda hashed: self._worker.book.blob(hashed), self._tell)
        self.look.checked.connect(self._part)
        cards.addWidget(self.look, 1)
        self._right = scrolled(right, True)
        row.addWidget(self._right, 7)
        self._row, self._both, self._pane = row, both, pane
        self._whole = scrolled(pane)
        return self._whole

    def _fit_head(self, narrow: bool) -> None:
        # What the dial stands at is in the next move's line as well: where the head is short, it goes first; then the view's name, which
        # the rail has, too.
        self.dial.setVisible(not narrow)
        self.name.setVisible(not narrow or self.mode.isHidden())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window the cards stand over each other, what to do now on top."""
        super().resizeEvent(event)
        ways = QBoxLayout.Direction
        narrow = self.width() < theme.px(_NARROW)
        self._fit_head(narrow)
        self._row.setDirection(ways.BottomToTop if narrow else ways.LeftToRight)
        self._both.setDirection(ways.TopToBottom if self.width() < theme.px(_ROOMY) else ways.LeftToRight)
        bars = Qt.ScrollBarPolicy
        self._right.setVerticalScrollBarPolicy(bars.ScrollBarAlwaysOff if narrow else bars.ScrollBarAsNeeded)
        # Over each other, the whole view scrolls; beside each other, each column does.
        self._right.setMinimumHeight(self._inner.sizeHint().height() if narrow else 0)
        self._fit_ladder()

    def _fit_ladder(self) -> None:
        """Over each other, the ladder is shown whole."""
        narrow = self.width() < theme.px(_NARROW)
        self.area.setMinimumHeight(self.ladder.sizeHint().height() if narrow else 0)

    # -- showing ------------------------------------------------------------------------------------

    def show_job(self, job_id: str) -> None:
        """Show the trace of a job."""
        if job_id != self._job:
            self._job, self.view = job_id, None
            self._walk, self._other, self._chosen, self._way = False, 0, "", "receive"
            self._worker.look_at("", 0, False, "receive")
            self.title.setText(tr("being opened…"))
        self.message.hide()
        self._worker.open(job_id)
        self._worker.show_trace(True)

    def show_pane(self, name: str) -> None:
        """Ladder, intermittent or noise."""
        self.sound.silence()
        self.stack.setCurrentIndex([n for n, _ in PANES].index(name))
        self.panes.mark(name)

    def leave(self) -> None:
        """Another view is shown: nothing is watched any more."""
        if self.watch.watcher is not None:
            self.watch.toggle()
        self.sound.silence()
        self._worker.show_trace(False)

    def _changed(self, item: tuple[int, TraceView]) -> None:
        view = item[1]
        if view.job_id != self._job:
            return
        # The same picture again, after something was refused: what was typed, and why it was refused, stays.
        fresh = self.view is None or (view.seq, view.coach, view.stage.id) != (
            self.view.seq,
            self.view.coach,
            self.view.stage.id,
        )
        self.view = view
        self.title.setText(tr("job {n} · {title}", n=f"{view.number:04d}", title=view.title))
        self._way = "transmit" if view.way == "transmit" else "receive"
        self.heading.setText(
            tr("From the aerial to the loudspeaker")
            if view.way == "receive"
            else tr("From the oscillator to the aerial")
        )
        self.other_way.setText(
            keyed(tr("Transmit side  T"), "trace-way")
            if view.way == "receive"
            else keyed(tr("Receive side  T"), "trace-way")
        )
        self.other_way.setVisible(view.both_ways)
        self.mode.setText(keyed(tr("{mode}  D", mode=view.mode.upper()), "trace-mode"))
        self.mode.setVisible(len(view.modes) > 1)
        self._fit_head(self.width() < theme.px(_NARROW))
        self.dial.setText(view.dial)
        self.output.setText(view.output if view.rungs else "")
        self.ladder.show_rungs(view.rungs, view.branches)
        self._fit_ladder()
        # Where the ladder has grown, its area knows once it was laid out.
        QTimer.singleShot(0, self._show_move)
        self.empty.setText(view.empty)
        self.empty.setVisible(bool(view.empty))
        self.ladder.setVisible(not view.empty)
        self.coach.setVisible(not view.empty)
        if fresh:
            self.coach.show_coach(view.coach, view.simulated, view.finished, self._walk)
            self.message.hide()
        self.coach.buttons["walk"].setChecked(self._walk)
        self.tests.setText(
            tr_n("after {n} finding", "after {n} findings", view.tests) if view.tests else tr("nothing is measured yet")
        )
        self.shares.show_shares(tuple((s.title, s.percent, s.words) for s in view.suspects))
        self.odd.setText(view.odd)
        self.odd.setVisible(bool(view.odd))
        self.pins.show_stage(view.stage, view.finished, fresh)
        self.look.show_stage(view.stage, view.finished)
        self.watch.show_trace(view)
        self.noise.show_noise(view.noise, view.finished, view.simulated)
        self.tape.show_tape(view.log)

    def _show_move(self) -> None:
        """Bring the rung or the branch of the next move into sight."""
        if self.view is not None:
            at = self.ladder.place(self.view.coach.stage)
            self.area.ensureVisible(0, int(at.center().y()), 0, int(at.height()))

    def _noise_tried(self, tried: tuple[str, NoiseTrial]) -> None:
        question, trial = tried
        if question == self.noise.question:
            self.noise.show_heard(heard_words(question, trial))
            # Nothing sounds of a page that is not looked at.
            if self.noise.isVisible():
                self.sound.play(trial.heard, trial.rate)

    def _failed(self, words: str) -> None:
        self.noise.show_heard("")
        if not self.isVisible():
            return
        asked, self._asked = self._asked, ""
        if asked.startswith("row "):
            self.pins.refuse(asked[4:], words)
        elif asked == "level":
            self.coach.refuse(words)
        else:
            self._tell(words)

    def _tell(self, words: str) -> None:
        self.message.tell(words)

    # -- telling ------------------------------------------------------------------------------------

    def _do(self, command, asked: str = "") -> None:  # type: ignore[no-untyped-def]
        if self.view is None:
            return
        self._asked = asked
        self._other, self._chosen = 0, ""
        self._worker.do(command, self.view.seq)

    def look_at(self, stage: str) -> None:
        """A rung was chosen: its stage is looked at."""
        self._chosen = stage
        self._worker.look_at(stage, self._other, self._walk, self._way)

    def _typed(self, text: str) -> None:
        if self.view is not None:
            stage = self.view.coach.stage
            self._do(lambda s: s.tracing.type_level(stage, text), "level")

    def _volts(self, row: str, text: str) -> None:
        self._do(lambda s: s.workshop.read_volts(row, text), f"row {row}")

    def _part(self, part: str, bad: bool) -> None:
        if self.view is None:
            return
        stage = self.view.stage.id
        if bad:
            self._do(lambda s: s.tracing.repaired(stage, part))
        else:
            self._do(lambda s: s.tracing.check(stage, "ohms", False, part))

    def _watching(self, on: bool) -> None:
        self._worker.set_live(on)

    def _watched(self, watcher: Watcher) -> None:
        low, high = watcher.ends
        self._do(
            lambda s: s.tracing.watched(s.step.quantity_id, watcher.seconds, low, high, watcher.drops, watcher.moved)
        )

    def _live(self, figure: LiveFigure) -> None:
        self.watch.take(figure.figure, figure.unit, figure.value)

    # -- keys -----------------------------------------------------------------------------------------

    def press(self, name: str) -> None:
        """An action by its id (of the trace's scope), or a button's name."""
        name = name.removeprefix("trace-")
        pane = PANES[self.stack.currentIndex()][0]
        focus = self.focusWidget()
        if isinstance(focus, LiveLine) and focus.hasFocus() and name == "main":
            # Logged as it is left; the next pin is at hand.
            focus.focusNextChild()
            return
        if isinstance(focus, QLineEdit) and focus.hasFocus() and name == "main":
            focus.returnPressed.emit()
            return
        if name.startswith("pane-"):
            self.show_pane(PANES[int(name[5:]) - 1][0])
        elif name == "bench":
            self.bench.emit(self._job)
        elif name == "void":
            self._do(_void)
        elif pane == "watch":
            self._press_watch(name)
        elif pane == "noise":
            if name in ("yes", "nothing"):
                self.noise.answer(name == "yes")
            elif name == "listen":
                self.noise.try_it()
        elif self.view is not None:
            self._press_ladder(name, self.view)

    def _press_watch(self, name: str) -> None:
        if name == "main":
            self.watch.toggle()
        elif name == "drop":
            self.watch.heard()

    def _press_ladder(self, name: str, view: TraceView) -> None:
        coach = view.coach
        stage, act = coach.stage, coach.act
        if name == "main":
            self._main(view)
        elif name in ("up", "down"):
            ids = [r.id for r in view.rungs]
            here = ids.index(view.stage.id) if view.stage.id in ids else (ids.index(stage) if stage in ids else 0)
            if ids:
                self.look_at(ids[max(0, min(len(ids) - 1, here + (1 if name == "down" else -1)))])
        elif name == "nothing" and act == "inject":
            self._do(lambda s: s.tracing.type_level(stage, "nothing"), "level")
        elif name == "mark" and act == "inject":
            self._do(lambda s: s.tracing.set_mark(stage), "level")
        elif name in ("fine", "wrong", "good") and act in ("signal", "look"):
            bad = name == "wrong"
            at = coach.part or stage
            self._do(lambda s: s.tracing.check(at, "signal" if act == "signal" else "look", bad))
        elif name in ("fine", "good") and act == "part":
            self._do(lambda s: s.tracing.check(stage, "ohms", False, coach.part))
        elif name == "repaired" and act == "part":
            self._do(lambda s: s.tracing.repaired(stage, coach.part))
        elif name == "other" and coach.others:
            self._other = (self._other + 1) % (coach.others + 1)
            self._worker.look_at("", self._other, self._walk, self._way)
        elif name == "way" and view.both_ways:
            self._way, self._other, self._chosen = ("transmit" if view.way == "receive" else "receive"), 0, ""
            self._worker.look_at("", 0, self._walk, self._way)
        elif name == "mode" and len(view.modes) > 1:
            at = view.modes.index(view.mode) if view.mode in view.modes else -1
            following = view.modes[(at + 1) % len(view.modes)]
            self._other, self._chosen = 0, ""
            self._do(lambda s: s.tracing.set_mode(following))
        elif name == "walk":
            self._walk, self._other = not self._walk, 0
            self._worker.look_at(self._chosen, 0, self._walk, self._way)

    def _main(self, view: TraceView) -> None:
        coach = view.coach
        by_itself = view.simulated and coach.measurable
        if coach.act == "hook-up":
            self._do(lambda s: s.confirm_hook_up(view.way))
        elif coach.act == "whole":
            self.bench.emit(self._job)
        elif coach.act == "inject" and by_itself:
            self._do(lambda s: s.tracing.measure_level(coach.stage), "level")
        elif coach.act == "inject":
            self.coach.start_typing()
        elif coach.act == "volts" and by_itself:
            self._do(lambda s: s.tracing.read_volts(coach.stage))
        elif coach.act == "volts" and (field := self.pins.first_empty()) is not None:
            field.setFocus()
        elif coach.act == "signal" and by_itself:
            self._do(lambda s: s.tracing.signal(coach.part or coach.stage))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A digit, a sign, < or > begins a level; while watching, a digit is the thing that was moved."""
        text = "" if event is None else event.text()
        if text and (text.isdigit() or text in "<>-−+"):
            if self.stack.currentWidget() is self.watch and text.isdigit():
                self.watch.move_thing(int(text))
                return
            if self.stack.currentIndex() == 0:
                self.coach.start_typing(text)
                return
        super().keyPressEvent(event)


def _void(session: Session) -> None:
    if session.void_last() is None:
        raise BenchError(tr("Nothing to undo."))
