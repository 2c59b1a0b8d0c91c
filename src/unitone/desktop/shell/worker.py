"""The bench's own thread: it owns the session, so that the window never waits for simulation, disk or coach.

The window sends commands (functions of the session) and gets immutable pictures
back. Between commands the needle is read ten times a second.
"""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, pyqtSignal

from unitone.align.trace.ladder import Traced
from unitone.bench.drivers.sound_meter import SoundMeter
from unitone.bench.ports import Meter
from unitone.desktop.shell.trouble import troubles
from unitone.errors import StoreError, UnitoneError
from unitone.job.entries.practice import HintTaken
from unitone.job.entries.readings import Reading
from unitone.job.records import Logged
from unitone.job.summary import place_on_bar
from unitone.present.bench.bench_shapes import BenchView
from unitone.present.bench.bench_view import at_own_level, take_view
from unitone.present.bench.eyes import height
from unitone.present.bench.figures import figure_of
from unitone.present.bench.running import Running
from unitone.present.bench.sweeping import Sweeping
from unitone.present.bench.uncoached import without_coach
from unitone.present.card.card_view import take_card
from unitone.present.trace.trace_view import take_trace
from unitone.scenario.exercise import Help
from unitone.session.automatic import Kind
from unitone.session.session import Session
from unitone.session.wires import Wires, with_composed
from unitone.signals.playback import LOUD, Playback
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook
from unitone.words import tr

#: The needle is read this often (seconds), and averages so long while a core is swept.
TICK = 0.1
_SWEEP_S = 0.1
#: The loudspeaker has so much ahead (s).
_AHEAD_S = 0.35

Command = Callable[[Session], object]


@dataclass(frozen=True)
class LiveFigure:
    """The needle now; no reading until it is logged."""

    generation: int
    figure: str
    unit: str
    place: float | None
    #: How high it stands for the ear (dB of signal); None where nothing is heard of it.
    height_db: float | None = None
    #: The value in canonical units, and what is wrong with it (no tone, overload).
    value: float | None = None
    warning: str = ""


class BenchWorker(QObject):
    """Runs one session at a time."""

    changed = pyqtSignal(object)
    #: The picture of the job's card, or of its trace, while somebody looks at it.
    card = pyqtSignal(object)
    trace = pyqtSignal(object)
    #: A job's picture in the list was brought up to date.
    kept = pyqtSignal(str)
    live = pyqtSignal(object)
    failed = pyqtSignal(str)
    #: A job that cannot be taken to the Bench, and why.
    refused = pyqtSignal(str, str)
    #: A command was sent, and was answered: done, or refused with words.
    asked = pyqtSignal()
    answered = pyqtSignal()
    #: The job on the bench is another bench's, and why it can only be looked at; no words where it is this one's.
    held = pyqtSignal(str, str)
    #: A core is being swept: what is seen of it; None where that is over.
    swept = pyqtSignal(object)
    #: Readings go on by themselves: what is seen of it; None where that is over.
    ran = pyqtSignal(object)
    #: Which instruments by wire answer.
    wired = pyqtSignal(object)
    #: A stretch of what the simulated radio gives, and why it gives nothing, while somebody listens.
    sound = pyqtSignal(object)
    deaf = pyqtSignal(str)
    #: A question of the noise hunt, and what the simulated radio gave before and with what it asks to do.
    noise_tried = pyqtSignal(object)
    _called = pyqtSignal(object)

    def __init__(self, logbook: Logbook, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._logbook = logbook
        self._called.connect(lambda work: work())
        self._queue: queue.SimpleQueue[Callable[[], None] | None] = queue.SimpleQueue()
        self._session: Session | None = None
        self._selected = ""
        self._view: BenchView | None = None
        self._live_wanted = True
        self._card_wanted = False
        self._trace_wanted = False
        #: The stage that is looked at in the trace, how many better tests were put aside, and whether it is walked in order.
        self._traced: tuple[str, int, bool, Traced] = ("", 0, False, "receive")
        self._listening = False
        self._deaf_words = ""
        #: What is played to the machine's loudspeaker.
        self._playback: Playback | None = None
        #: The logbook of the exercise that is on the bench (None: the workshop's), how far the coach speaks, and the entry of a hint.
        self._practice: Logbook | None = None
        self._help: Help = "coach"
        self._hinted = 0
        self._generation = 0
        self._dirty = False
        #: The job that this bench has open in a shared logbook.
        self._taken = ""
        #: The technician's own meters by wire, and what is typed all the same.
        self._meters: tuple[Meter, ...] = ()
        self._typed: frozenset[str] = frozenset()
        self._wires = Wires()
        #: Meters that a camera looks at.
        self._cameras: tuple[Meter, ...] = ()
        self._sweep: Sweeping | None = None
        self._run_: Running | None = None
        #: What hands are waited for was shown: nothing is read until they are ready.
        self._run_waits = False
        self._run_stopped = threading.Event()
        self._thread = threading.Thread(target=self._run, name="bench", daemon=True)
        self._thread.start()

    # -- called from the window ---------------------------------------------------------

    def open(self, job_id: str) -> None:
        """Take another job to the bench."""
        self._queue.put(lambda: self._open(job_id, None, "coach"))

    def practise(self, job_id: str, book: Logbook, how: Help, real_time: bool = False) -> None:
        """Take an exercise to the bench: its job is on a logbook of its own, the coach speaks as far as was chosen, and readings take
        their real time or none."""

        def take() -> None:
            self._open(job_id, book, how)
            if self._session is not None and isinstance(self._session.bench, SimulatedBench):
                self._session.bench.real_time = real_time

        self._queue.put(take)

    @property
    def book(self) -> Logbook:
        """The logbook of the job on the bench: the workshop's, or that of practice."""
        return self._practice or self._logbook

    def then(self, work: Callable[[], None]) -> None:
        """Do something in the window's thread once everything that was sent before is done."""
        self._queue.put(lambda: self._called.emit(work))

    def take_hint(self) -> None:
        """Ask the coach once: its move is logged as a hint, and shown until the next entry."""

        def ask() -> None:
            if self._session is not None and self._help == "hints" and self._hinted != self._session.state.seq:
                self._session.append(HintTaken(self._session.state.at))
                self._hinted = self._session.state.seq
                self._dirty = True
                self._show()

        self._queue.put(ask)

    def change(self, job_id: str, command: Command) -> None:
        """Run a command on any job, on the bench or not, and bring the list's picture of it up to date."""
        self._queue.put(lambda: self._change(job_id, command))

    def do(self, command: Command, position: int | None = None) -> None:
        """Run a command on the session, then show what came of it.

        ``position`` is the log's position in the picture that the command was given at: where the log
        went on since, nothing is done and the message says so.
        """
        self.asked.emit()
        self._queue.put(lambda: self._answer(command, position))

    def select(self, adjuster: str) -> None:
        """Take an adjuster in hand."""

        def take() -> None:
            self._selected = adjuster
            self._show()

        self._queue.put(take)

    def connect_meters(self, meters: Sequence[Meter], typed: frozenset[str]) -> None:
        """These read what they can on a bench of real instruments from now on; ``typed`` is typed all the same."""

        def wire() -> None:
            self._stop_sweep()
            self._end_run()
            self._meters, self._typed = tuple(meters), typed
            self._wire_up(self._session)
            self._show()

        self._queue.put(wire)

    def connect_wires(self) -> None:
        """Instruments by wire as the workshop chose them, from now on."""

        def wire() -> None:
            self._stop_sweep()
            self._end_run()
            self.wired.emit(self._wires.connect(self._logbook))
            self._wire_up(self._session)
            self._show()

        self._queue.put(wire)

    def connect_cameras(self, meters: Sequence[Meter]) -> None:
        """Meters read by camera, from now on."""

        def wire() -> None:
            self._cameras = tuple(meters)
            self._wire_up(self._session)
            self._show()

        self._queue.put(wire)

    def _wire_up(self, session: Session | None) -> None:
        """Sound card, instruments by wire, needles by camera, and what is typed all the same, round a real radio."""
        if session is not None and not session.bench.simulated:
            wired, source = self._wires.ports(session)
            meters = with_composed((*wired, *self._cameras, *self._meters), source)
            session.bench.connect(meters, self._typed, source)

    def sweep(self, adjuster: str) -> None:
        """Sweep an adjuster of the step at hand: the needle follows the hand from now on."""
        self._queue.put(lambda: self._begin_sweep(adjuster))

    def run(self, kind: Kind) -> None:
        """Read the chart, or the places, of the step at hand one after the other."""
        self._run_stopped.clear()
        self._queue.put(lambda: self._begin_run(kind))

    def run_on(self) -> None:
        """What the run asked of the hands is done."""

        def go_on() -> None:
            if self._run_ is not None and self._session is not None:
                self.ran.emit(self._run_.hands_ready(self._session))
                self._run_waits = False

        self._queue.put(go_on)

    def stop_run(self) -> None:
        """No further reading; the one that is being taken is broken off."""
        self._run_stopped.set()
        session = self._session
        if session is not None:
            session.bench.cancel()
        self._queue.put(self._end_run)

    def felt_stop(self) -> None:
        """The core that is swept is at its stop."""
        self._queue.put(lambda: None if self._sweep is None else self._sweep.core.felt_stop())

    def look_beyond(self) -> None:
        """Outwards of the peak that was swept, for a second one."""
        self._queue.put(lambda: None if self._sweep is None else self._sweep.core.look_beyond())

    def end_sweep(self, ended: str = "") -> None:
        """Log the sweep as the coach ended it, or as ``ended``; then the whole reading that came of it."""
        self._queue.put(lambda: self._end_sweep(ended))

    def set_live(self, wanted: bool) -> None:
        """Read the needle, or rest (when nobody looks)."""

        def switch() -> None:
            self._live_wanted = wanted

        self._queue.put(switch)

    def listen(self, wanted: bool) -> None:
        """Give what the radio on the bench gives, as sound, or rest."""

        def switch() -> None:
            self._listening, self._deaf_words = wanted, ""

        self._queue.put(switch)

    def play(self, into: Playback | None) -> None:
        """Keep this filled with what the simulated radio on the bench gives its loudspeaker; None: play nothing."""

        def switch() -> None:
            self._playback = into

        self._queue.put(switch)

    def try_noise(self, question: str) -> None:
        """Do on the simulated radio what a question of the noise hunt asks for, and give what is heard before and with it."""

        def tried() -> None:
            if self._session is not None:
                self.noise_tried.emit((question, self._session.tracing.try_noise(question)))

        self._queue.put(tried)

    def show_card(self, wanted: bool) -> None:
        """Give pictures of the job's card instead of the Bench (or the Bench again)."""

        def switch() -> None:
            self._card_wanted = wanted
            self._show()

        self._queue.put(switch)

    def show_trace(self, wanted: bool) -> None:
        """Give pictures of the job's trace instead of the Bench (or the Bench again)."""

        def switch() -> None:
            self._trace_wanted = wanted
            self._show()

        self._queue.put(switch)

    def look_at(self, stage: str, other: int, walk: bool, way: Traced) -> None:
        """Which stage of the trace is looked at, how many better tests are put aside, whether it is walked in order, and which way."""

        def look() -> None:
            self._traced = (stage, other, walk, way)
            self._show()

        self._queue.put(look)

    def stop(self) -> None:
        """End the thread; everything that was sent before is done first."""
        self._queue.put(None)
        self._thread.join()

    # -- in the thread --------------------------------------------------------------------

    def _run(self) -> None:
        following = time.monotonic() + TICK
        while True:
            try:
                work = self._queue.get(timeout=max(0.0, following - time.monotonic()))
            except queue.Empty:
                # By the clock, not by the end of the last reading; what was missed is not made up for.
                following = max(following + TICK, time.monotonic() + TICK / 4)
                self._guarded(self._idle)
                continue
            if work is None:
                self._guarded(self._keep)
                self._guarded(self._wires.close)
                return
            self._guarded(work)

    def _guarded(self, work: Callable[[], None]) -> None:
        """The thread's edge: whatever goes wrong is told, and the thread lives on."""
        try:
            try:
                work()
            except UnitoneError as error:
                # What holds now follows the words at once: nobody types into the picture of before.
                send = self._picture()
                self.failed.emit(str(error))
                send()
        except Exception as error:
            self._recover(error)

    def _recover(self, error: Exception) -> None:
        """Tell of an unforeseen error, and read the job anew from disk: what is in memory may be half changed."""
        words = troubles.caught(error, "bench")
        self.failed.emit(words)
        session, self._session, self._view = self._session, None, None
        if session is None:
            return
        try:
            self._session = self._session_of(session.job_id)
            self._show()
        except Exception as again:
            self._give_up(
                session.job_id, str(again) if isinstance(again, UnitoneError) else troubles.caught(again, "bench")
            )

    def _give_up(self, job_id: str, words: str) -> None:
        """A job that cannot be shown is put away: the others go on."""
        self._session = self._view = None
        self._selected = ""
        self.refused.emit(job_id, words)

    def _change(self, job_id: str, command: Command) -> None:
        here = self._session is not None and self._session.job_id == job_id
        if self._logbook.sharing is not None and (words := self._logbook.sharing.refusal(job_id)):
            raise StoreError(words)
        session = self._session if here and self._session is not None else Session(self._logbook, job_id)
        try:
            command(session)
        finally:
            session.keep_summary()
            self._dirty = self._dirty and not here
            self.kept.emit(job_id)
        if here:
            self._show()

    def _session_of(self, job_id: str) -> Session:
        session = Session(self.book, job_id)
        self._wire_up(session)
        return session

    def _open(self, job_id: str, practice: Logbook | None, how: Help) -> None:
        self._stop_sweep()
        self._end_run()
        self._keep()
        if self._session is not None and self._session.job_id == job_id:
            self._show()
            return
        self._session = self._view = None
        self._selected = ""
        self._practice, self._help, self._hinted = practice, how, 0
        try:
            looked_at = self._take_job("" if practice is not None else job_id)
            self._session = self._session_of(job_id)
            # What was found of this bench since the job was last here is used from now on.
            ours = practice is None and not self._logbook.frozen and not looked_at
            if ours and self._session.measuring.take_bench():
                self._dirty = True
            self._show()
        except UnitoneError as error:
            self._give_up(job_id, str(error))
        except Exception as error:
            self._give_up(job_id, troubles.caught(error, "bench"))

    def _take_job(self, job_id: str) -> str:
        """Of a shared logbook: give back the job that was here, and take this one; why it can only be looked at."""
        sharing = self._logbook.sharing
        if sharing is None:
            return ""
        if self._taken and self._taken != job_id:
            sharing.leave_job(self._taken)
        self._taken = job_id
        words = sharing.open_job(job_id) if job_id else ""
        self.held.emit(job_id, words)
        return words

    def take_over(self, job_id: str) -> None:
        """Take a job from the bench that has it, and show it as that bench left it."""

        def take() -> None:
            sharing = self._logbook.sharing
            if sharing is None or self._session is None or self._session.job_id != job_id:
                return
            try:
                sharing.take_over(job_id)
            except UnitoneError:
                # The strip says again what holds.
                self.held.emit(job_id, sharing.refusal(job_id))
                raise
            self._again(job_id)

        self._queue.put(take)

    def look_again(self, job_id: str) -> None:
        """Others were at the shared logbook: is this job still this bench's, or this bench's again, and has it gone on?"""

        def look() -> None:
            here, sharing = self._session, self._logbook.sharing
            if here is None or sharing is None or here.job_id != job_id or self._practice is not None:
                return
            self.held.emit(job_id, sharing.open_job(job_id))
            if len(self._logbook.tape(job_id)) != here.state.seq:
                self._again(job_id)

        self._queue.put(look)

    def _again(self, job_id: str) -> None:
        self._dirty, self._session = False, None
        self._open(job_id, None, "coach")

    def _answer(self, command: Command, position: int | None) -> None:
        try:
            self._do(command, position)
        finally:
            self.answered.emit()

    def _do(self, command: Command, position: int | None) -> None:
        if self._session is None:
            return
        if position is not None:
            self._session.check_position(position)
        before = self._session.state.seq
        # What was put aside, or looked at, counts for the picture that it was chosen in.
        self._traced = ("", 0, *self._traced[2:])
        at = self._session.state.at
        command(self._session)
        if self._session.state.at != at:
            self._selected = ""
        elif self._help == "coach" and self._session.advice().act == "turn":
            # The coach speaks of one adjuster: that is the one in hand, until another is chosen.
            self._selected = self._session.advice().adjuster
        self._dirty = self._dirty or self._session.state.seq != before
        self._show()

    def _begin_run(self, kind: Kind) -> None:
        if self._session is None:
            return
        self._stop_sweep()
        self._run_, self._run_waits = Running(self._session, kind), False
        self._tick_run(self._session, self._run_)

    def _tick_run(self, session: Session, run: Running) -> None:
        if self._run_waits:
            return
        try:
            view = run.tick(session)
        except UnitoneError:
            self._end_run()
            if self._run_stopped.is_set():
                # Broken off by hand: no news.
                return
            raise
        self._dirty = True
        self._run_waits = view.waits
        self.ran.emit(view)
        if view.over:
            # What is left says the coach.
            self._end_run()

    def _end_run(self) -> None:
        if self._run_ is not None:
            self._run_, self._run_waits = None, False
            with suppress(UnitoneError):
                if self._session is not None:
                    self._session.bench.source.off()
            self.ran.emit(None)
            self._show()

    def _begin_sweep(self, adjuster: str) -> None:
        if self._session is None:
            return
        self._sweep = Sweeping(self._session, adjuster)
        self._selected = adjuster
        self._average(_SWEEP_S)

    def _end_sweep(self, ended: str) -> None:
        sweep, session = self._sweep, self._session
        self._stop_sweep()
        if sweep is None or session is None:
            return
        self._dirty = True
        try:
            sweep.core.finish(session, ended)
        finally:
            self._show()

    def _stop_sweep(self) -> None:
        if self._sweep is not None:
            self._sweep = None
            self._average(None)
            self.swept.emit(None)

    def _average(self, seconds: float | None) -> None:
        """The needle of the meters that can averages so long; None: as it was set."""
        for meter in self._meters:
            if isinstance(meter, SoundMeter):
                meter.average(seconds)

    def _idle(self) -> None:
        self._keep()
        if self._run_ is not None and self._session is not None:
            if self._run_stopped.is_set():
                self._end_run()
            else:
                self._tick_run(self._session, self._run_)
            return
        if self._sweep is not None and self._session is not None:
            try:
                self.swept.emit(self._sweep.tick(self._session, time.monotonic()))
            except UnitoneError:
                self._stop_sweep()
                raise
            return
        if self._listening:
            self._hear()
        if self._playback is not None:
            self._sound(self._playback)
        if (
            self._session is None
            or self._view is None
            or self._card_wanted
            or not (self._live_wanted and self._view.reading.live)
        ):
            return
        measured = self._session.live(self._view.step.conditions)
        if measured is None:
            return
        reading = Reading(
            self._view.reading.quantity_id, self._view.step.conditions, measured.value, measured.instrument, measured.source, word=measured.word,
            bound=measured.bound,
        )  # fmt: skip
        figure, unit = figure_of(reading)
        place = None
        if self._view.reading.quantity_id == self._session.step.quantity_id and at_own_level(
            self._session.step, self._view.step.conditions
        ):
            place = place_on_bar(self._session.step, Logged(0, "", "", reading, {}))
        level = self._view.step.conditions.level_dbm
        heard = height(self._session.step, self._view.reading.quantity_id, measured.value, level)
        self.live.emit(LiveFigure(self._generation, figure, unit, place, heard, measured.value, measured.warning))

    def _sound(self, into: Playback) -> None:
        """So much of the simulated radio as keeps the loudspeaker going until the next look."""
        session = self._session
        if session is None or not session.bench.simulated or session.state.finished:
            return
        coached = self._help == "coach"
        wanted = session.measuring.listening() if coached else session.state.set_up
        if session.state.hook_up != "receive" or wanted.way == "transmit":
            return
        while into.waiting_s() < _AHEAD_S:
            heard = session.bench.listen(wanted, TICK)
            if heard is None or heard.kind != "audio":
                return
            into.push(heard.samples.real * LOUD, heard.rate)

    def _hear(self) -> None:
        """The next tenth of a second of the simulated radio; a reason why there is none is told once."""
        words = ""
        if self._session is None:
            words = tr("No job on the Bench. Open one with a simulated radio, and choose this again.")
        else:
            try:
                heard = self._session.measuring.listen(TICK)
                if heard is not None:
                    self.sound.emit(heard)
                else:
                    words = tr("This job has a real radio: listen to it through the sound card.")
            except UnitoneError as error:
                words = str(error)
        if words != self._deaf_words:
            self._deaf_words = words
            if words:
                self.deaf.emit(words)

    def _keep(self) -> None:
        if self._dirty and self._session is not None:
            self._dirty = False
            self._session.keep_summary()
            self.kept.emit(self._session.job_id)

    def _show(self) -> None:
        self._picture()()

    def _picture(self) -> Callable[[], None]:
        """Take the picture of what holds now; what is returned sends it."""
        if self._session is None:
            return lambda: None
        self._generation += 1
        generation = self._generation
        if self._card_wanted:
            card = take_card(self._session)
            return lambda: self.card.emit((generation, card))
        coached = self._help == "coach" or self._hinted == self._session.state.seq
        view = take_view(self._session, self._selected, coached)
        if not coached:
            view = without_coach(view, self._session.state, self._help == "hints")
        self._view = view
        if self._trace_wanted:
            stage, other, walk, way = self._traced
            # Who takes an exercise alone walks in order: which test tells most is the coach's.
            trace = take_trace(self._session, stage, other if coached else 0, walk or not coached, way)
            if not coached:
                trace = replace(trace, suspects=())
            return lambda: self.trace.emit((generation, trace))
        return lambda: self.changed.emit((generation, view))
