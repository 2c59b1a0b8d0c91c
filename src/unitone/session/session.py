"""The one loop: measure, append, fold, advise. Alone writes tapes and drives instruments and coach.

Window, command line and robot technician are all clients of this class.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import assert_never

import msgspec

from unitone.align import moves
from unitone.align.advise import advise
from unitone.align.moves import Advice, read_instead
from unitone.align.probe.nudge import running, trial_move
from unitone.bench.instruments import Instrument
from unitone.bench.path import Kit, dial
from unitone.bench.ports import Bench, Measured, Meter
from unitone.errors import BenchError, EntryError, HookUpError, SheetError, StaleCommand, TapeError
from unitone.job.card import Card
from unitone.job.entries import Entry, Said
from unitone.job.entries.bench import Broken, HookedUp, Repaired, SetUp
from unitone.job.entries.hands import Swept, Touched, Turned
from unitone.job.entries.notes import Loosened, Noted, Tied, Tried, Voided
from unitone.job.entries.opening import Finished, Opened
from unitone.job.entries.practice import Tool, ToolTaken
from unitone.job.entries.procedure import Concluded, ConventionsChosen, Judged, PhaseBegun, VariantMade, WentTo
from unitone.job.entries.readings import Reading
from unitone.job.entries.trials import TrialMoved
from unitone.job.entries.workshop import Modified, PutBack
from unitone.job.fold import advance, fold, read
from unitone.job.hookup import breaks, load_problem
from unitone.job.modifications import standing
from unitone.job.summary import standing_variant, summary
from unitone.job.trial import Watched, What
from unitone.job.verdicts import Verdict, blockers, inside, verdict
from unitone.quantities.entry import EXPECTED
from unitone.quantities.registry import FOUND_BY, quantity
from unitone.session._growing import Growing
from unitone.session._tracing import Tracing
from unitone.session.bench_of_job import as_change, bench_for, changes_of
from unitone.session.measuring import Measuring, my_bench
from unitone.session.own_sheets import library_of
from unitone.session.recipes import Recipes
from unitone.session.workshop import Workshop
from unitone.sheet.conventions.questions import QUESTIONS
from unitone.sheet.editing.variant import differences, effect_of
from unitone.sheet.format.bundle import Bundle
from unitone.sheet.format.read import parse_sheet, to_data
from unitone.sheet.format.write import to_toml
from unitone.sheet.library import open_file, physics_path
from unitone.sheet.model.effects import EVERYTHING, actions_of
from unitone.sheet.model.sheet import Conditions, Effect, Sheet, Step
from unitone.simulator.changes import with_changes
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import text_hash, utc_now
from unitone.store.ports import Store
from unitone.words import N_, tr


def open_job(
    logbook: Store, sheet_name: str, card: Card, kit: Kit | None = None, utc: str | None = None, *, title: str = "",
    carry_from: str = "",
) -> str:  # fmt: skip
    """A new job on a sheet (id or path); returns its id. Raises SheetError or StoreError.

    The opening entry carries the sheet's text and pictures, and the physics
    file's text where a simulated radio takes the radio's place, so that the job never
    depends on files. ``title`` names the radio of a general procedure. ``carry_from``
    is an earlier job on the same radio whose variant goes on in this one.
    """
    path = library_of(logbook).find(sheet_name)
    bundle = open_file(path)
    if title:
        bundle = replace(bundle, text=_named(bundle.text, path, title))
    job_id = open_bundle(logbook, bundle, path.name, card, kit, utc)
    _take_over_modifications(logbook, job_id, card)
    if carry_from:
        earlier = fold(logbook.tape(carry_from), carry_from)
        if standing_variant(earlier):
            pictures = {
                name: logbook.blob(hashed)
                for e in earlier.entries
                if isinstance(e.said, VariantMade)
                for name, hashed in e.said.pictures.items()
            }
            Session(logbook, job_id).set_variant(
                earlier.variants[-1].title,
                earlier.written.source_text,
                f"as in job {earlier.card.number:04d}",
                (),
                pictures,
            )
    return job_id


def open_bundle(
    logbook: Store, bundle: Bundle, file_name: str, card: Card, kit: Kit | None = None, utc: str | None = None,
    checked: bool = False,
) -> str:  # fmt: skip
    """A new job on a sheet that was read already, with its pictures and physics (which may be sealed); returns its id. Whether the
    frequencies of one that was ``checked`` can be is not asked again.

    Raises SheetError for a sheet that does not hold, BenchError where a simulated radio is wanted and there are no physics, StoreError.
    """
    text = bundle.text
    sheet = parse_sheet(text, file_name, Path(file_name).stem, checked)
    if card.simulated_seed is not None and not bundle.physics:
        raise BenchError(
            tr(
                "{title} has no physics file {name} beside it, so it has no simulated radio.",
                title=sheet.title,
                name=physics_path(Path(file_name)).name,
            )
        )
    instruments = my_bench(logbook).instruments(
        tuple(Instrument.from_data(i) for i in logbook.setting("instruments") or ())
    )
    opening = Opened(
        card.to_data(),
        sheet.id,
        text_hash(text),
        text,
        # Its name alone: where it lies on this machine is nobody else's business.
        file_name,
        bundle.physics if card.simulated_seed is not None else "",
        kit=my_bench(logbook).kit(kit or Kit.from_data(logbook.setting("kit", {}) or {})).to_data(),
        pictures={name: logbook.put_blob(content) for name, content in bundle.pictures.items()},
        conventions=logbook.setting("conventions") or {},
        instruments=[i.to_data() for i in instruments],
        rule=logbook.setting("rule") or "",
    )
    return logbook.create_job(card, sheet.title, opening, utc)


def _take_over_modifications(logbook: Store, job_id: str, card: Card) -> None:
    """What was changed in this radio in an earlier job, and still is, stands first in this one."""
    if not card.serial.strip():
        return
    same = [r for r in logbook.like(card.sheet_id, card.serial.strip(), 2) if r.id != job_id]
    # A summary that knows of changes and has none saves the reading of a whole log.
    if not same or same[0].summary.get("modified", ["?"]) == []:
        return
    earlier = fold(logbook.tape(same[0].id), same[0].id)
    taken = standing(earlier)
    if taken:
        session = Session(logbook, job_id)
        for m in taken:
            number = m.job or earlier.card.number
            said = Modified(m.what, m.where, m.was, m.now, m.why, number, m.sets, dict(m.pictures), m.pins)
            try:
                session.append(said)
            except SheetError:
                # Another simulated radio than the one it was tried on: what was done stays noted.
                session.append(msgspec.structs.replace(said, sets=()))


def _named(text: str, path: Path, title: str) -> str:
    """A general procedure with the radio's own name in it: the first word is the maker."""
    data = to_data(text, str(path))
    maker, _, name = title.strip().partition(" ")
    data["model"] = {**data["model"], "maker": maker, "name": name.strip()}
    return to_toml(data, text)


#: What came of something that was tried.
OUTCOMES = (N_("not the cause"), N_("the cause"), N_("unclear"))


class Session:
    """A job in work. Every change is committed to the tape before it is part of the state."""

    def __init__(
        self, logbook: Store, job_id: str, bench: Bench | None = None, now: Callable[[], str] = utc_now
    ) -> None:
        self.logbook = logbook
        self._now = now
        self.job_id = job_id
        tape = logbook.tape(job_id)
        self._tape = tape
        self.state = read(tape, job_id)
        self.bench: Bench = bench or bench_for(self.state, tape[0])
        self.measuring = Measuring(self)
        self.workshop = Workshop(self)
        self.growing = Growing(self)
        self.tracing = Tracing(self)
        self.recipes = Recipes(self)

    @property
    def sheet(self) -> Sheet:
        """The job's own copy of its sheet, in procedure order with its conventions applied."""
        return self.state.sheet

    @property
    def step(self) -> Step:
        """The step at hand."""
        return self.sheet.step(self.state.at)

    def advice(self) -> Advice:
        """What the coach says now."""
        return advise(self.state)

    def check_position(self, seq: int) -> None:
        """A command was meant for the log as it stood after entry ``seq``. Raises StaleCommand where it went on since.

        A press that was meant for the picture before the last one would turn an
        adjuster, or log a reading, a second time.
        """
        if seq != self.state.seq:
            raise StaleCommand.refused()

    # -- entries -------------------------------------------------------------------------------

    def append(self, said: Said) -> Entry:
        """Commit an entry, then take it into the state. Raises TapeError, StoreError."""
        if self.state.finished and not said.after_the_end:
            raise TapeError(tr("This job is finished. Its log takes notes only."))
        if self.state.unreadable:
            numbers = ", ".join(map(str, self.state.unreadable[:5]))
            raise TapeError(
                tr(
                    "This job's log is damaged (entry {numbers}): it can be read, not worked on. Restore a backup to go on.",
                    numbers=numbers,
                )
            )
        if isinstance(said, Modified) and said.sets and isinstance(self.bench, SimulatedBench):
            # What this radio cannot take is refused before it is on the log.
            with_changes(self.bench.radio.physics, [as_change(x) for x in said.sets])
        entry = self.logbook.append(self.job_id, said, round(self.bench.seconds(), 3), self.state.seq + 1, self._now())
        self._tape.append(entry)
        self.state = fold(self._tape, self.job_id) if isinstance(said, Voided) else advance(self.state, entry)
        if isinstance(said, Modified | PutBack | Voided) and isinstance(self.bench, SimulatedBench):
            self.bench.radio.modify(changes_of(self.state))
        if isinstance(self.bench, SimulatedBench):
            self.bench.leave_blade_in(self.state.tool_in)
        if isinstance(said, Turned | Reading) and running(self.state) is not None and trial_move(self.state) is None:
            self.append(TrialMoved("over"))
        return entry

    def begin_trial(self, what: What, adjusters: Sequence[str], watched: Sequence[Watched] = ()) -> None:
        """A trial at the step at hand: the coach leads through it, until it is over or broken off. Raises TapeError."""
        self.start_work()
        self.append(TrialMoved(what, self.state.at, tuple(adjusters), tuple(watched)))

    def break_off_trial(self) -> None:
        """The trial that is going on is given up; what was nudged stays where it is, and the ledger says so. Raises BenchError."""
        if running(self.state) is None:
            raise BenchError(tr("No trial is going on."))
        self.append(TrialMoved("broken off"))

    def keep_summary(self) -> None:
        """Bring the list's picture of this job up to date."""
        self.logbook.put_summary(self.job_id, self.state.status[0], summary(self.state), self._now(), self.state.card)

    def go_to(self, step_id: str) -> None:
        """Turn to another step."""
        self.sheet.step(step_id)
        if step_id != self.state.at:
            self.append(WentTo(step_id))

    def start_work(self) -> None:
        """End the as-found round: from here on, adjusters are turned."""
        if self.state.phase != "adjust":
            self.append(PhaseBegun("adjust"))

    def confirm_hook_up(self, way: str) -> None:
        """The technician says that the bench is now hooked up for ``way``. Raises HookUpError for a dummy load that is far too small."""
        if way == "transmit" and (problem := load_problem(self.state)):
            raise HookUpError(problem)
        if way == "transmit":
            # A generator by wire confirms that RF is off, else nothing is keyed.
            self.bench.source.off()
        self.append(HookedUp(way))

    def key_anyway(self) -> str:
        """Key as the bench stands, hooked up or not: on the simulated bench alone. Returns what broke, empty for nothing.

        Raises HookUpError on a bench of real instruments: there the interlock is not forced.
        """
        if not isinstance(self.bench, SimulatedBench):
            raise HookUpError(
                tr("The interlock is forced on the simulated bench only. Hook up for transmit, then confirm it.")
            )
        broken = breaks(self.state)
        self._break(broken)
        return broken

    def _break(self, what: str) -> None:
        """A mistake on the simulated bench broke this; nothing with an empty name."""
        if what and isinstance(self.bench, SimulatedBench):
            self.append(Broken(what))
            self.bench.damaged.add(what)

    def take_tool(self, tool: Tool) -> None:
        """Another tool for the cores of a simulated radio, or the same one taken out. Raises BenchError on a bench of real hands."""
        if not self.bench.simulated:
            raise BenchError(tr("Which tool is in your hand is seen on a simulated radio only."))
        self.append(ToolTaken(tool))

    def repair(self) -> None:
        """Whatever a wrong hook-up broke on the simulated bench is made whole again."""
        for what in sorted(self.state.damaged):
            self.append(Repaired(what))
            if isinstance(self.bench, SimulatedBench):
                self.bench.damaged.discard(what)

    def set_up(self, conditions: Conditions) -> None:
        """Generator, channel and front panel now stand at ``conditions``. Raises BenchError when out of the generator's reach."""
        if conditions.level_dbm is not None:
            dial(self.state.kit, conditions.level_dbm)
        if not self.bench.simulated:
            self.bench.source.set(conditions)
        self.append(SetUp(conditions))

    # -- readings -------------------------------------------------------------------------------

    def reading_quantity(self, conditions: Conditions | None = None) -> str:
        """What a measurement at this step reads: finding a sensitivity means reading a ratio at a level."""
        wanted = conditions or self.state.set_up
        if self.step.quantity_id in FOUND_BY and wanted.level_dbm is not None:
            return FOUND_BY[self.step.quantity_id][0]
        if self.step.read_by or running(self.state) is not None:
            asked = self.advice()
            if asked.step == self.step.id and read_instead(asked):
                return read_instead(asked)
        return self.step.quantity_id

    def live(self, conditions: Conditions) -> Measured | None:
        """The needle now; nothing is logged. None where there is none, or where the hook-up forbids it."""
        if not self._hooked_up():
            return None
        return self.bench.live(self.reading_quantity(conditions), conditions)

    def _hooked_up(self) -> bool:
        return self.step.hook_up == "probe" or self.step.hook_up == self.state.hook_up

    def need_hook_up(self) -> None:
        """Raises HookUpError where the bench is not hooked up for the step, TapeError for a finished job."""
        if self.state.finished:
            raise TapeError(tr("This job is finished. Its log takes notes only."))
        if not self._hooked_up():
            raise HookUpError.wrong_way(self.step.hook_up, self.state.hook_up)

    def measure(self, conditions: Conditions | None = None, by: Meter | None = None) -> Reading:
        """Let the bench take a whole reading, or ``by`` a meter taken to hand for it, and log it. Raises BenchError, HookUpError."""
        self.need_hook_up()
        wanted = conditions or self.state.set_up
        quantity_id = self.reading_quantity(wanted)
        if quantity_id in FOUND_BY:
            raise BenchError(
                tr(
                    "The level for {found_by} is found from readings: dial a level first, or type the level.",
                    found_by=FOUND_BY[quantity_id][2],
                )
            )
        began = self.bench.seconds()
        got = self.bench.measure(quantity_id, wanted, by)
        reading = Reading(
            quantity_id,
            wanted,
            got.value,
            got.instrument,
            got.source,
            got.std,
            got.bound,
            got.word,
            got.raw,
            got.correction,
            warning=self.measuring.level_warning(quantity_id, got.value, wanted)
            if got.source in ("sound card", "file")
            else "",
        )
        self._stand_at(wanted)
        self.append(reading)
        if isinstance(self.bench, SimulatedBench):
            keyed = self.state.hook_up == "transmit"
            self._break(self.bench.spoilt_by_keying(keyed, self.bench.seconds() - began))
        return reading

    def type_in(self, typed: str, conditions: Conditions | None = None) -> Reading:
        """Log a typed reading for the step at hand. Raises EntryError with the expected form; nothing is lost.

        At a sensitivity step a typed level is the level of the mark itself; a typed
        ratio is a reading at the level that is dialled.
        """
        self.need_hook_up()
        wanted = conditions or (self.state.set_up if self.bench.simulated else self.measuring.listening())
        told = self.step.read_by or running(self.state) is not None
        quantity_id = self.reading_quantity(wanted) if told else self.step.quantity_id
        if quantity_id in FOUND_BY and self._is_ratio(typed, wanted):
            quantity_id, _, mark = FOUND_BY[quantity_id]
            if wanted.level_dbm is None:
                raise EntryError(
                    tr(
                        "“{typed}” at which level? Dial a level first, or type the level that gives {mark}.",
                        typed=typed,
                        mark=mark,
                    )
                )
        reading = self.measuring.typed_reading(typed, quantity_id, wanted)
        self._stand_at(wanted)
        self.append(reading)
        return reading

    def type_at(self, step_id: str, index: int, typed: str) -> Reading:
        """Log a typed reading of one requirement of any step: a box of the as-found sheet. Raises as ``type_in`` does."""
        step = self.sheet.step(step_id)
        if step.hook_up != "probe" and step.hook_up != self.state.hook_up:
            raise HookUpError.wrong_way(step.hook_up, self.state.hook_up)
        self.go_to(step_id)
        return self.type_in(typed, step.required[index])

    def measure_at(self, step_id: str, index: int) -> Reading:
        """Let the bench read one requirement of any step. Raises as ``measure`` does."""
        self.go_to(step_id)
        return self.measure(self.step.required[index])

    def _stand_at(self, wanted: Conditions) -> None:
        """A reading on a bench of one's own says that the bench stands so: that was told with it, and needs no confirming."""
        if not self.bench.simulated and wanted != self.state.set_up:
            self.append(SetUp(wanted))

    def _is_ratio(self, typed: str, wanted: Conditions) -> bool:
        plain = typed.strip().lower()
        return plain.endswith("db") or (
            wanted.level_dbm is not None and plain.replace(",", "").replace(".", "").lstrip("-−").isdigit()
        )

    def entry_unit(self, quantity_id: str) -> str:
        """The unit in which a number without one is taken: it stands beside the field."""
        q = quantity(quantity_id)
        return "µV" if q.kind == "level" else q.shown

    def expected_form(self, quantity_id: str = "") -> str:
        """The form in which a reading is typed, with an example; of the step's own quantity where none is named."""
        q = quantity(quantity_id or self.step.quantity_id)
        return tr("{form}; a number alone is in {unit}", form=EXPECTED[q.kind], unit=self.entry_unit(q.id))

    def log_value(self, value: float, std: float | None, conditions: Conditions) -> None:
        """Log a value derived from other readings, such as the level of a sensitivity."""
        u, warning = self.measuring.level_doubt(value), ""
        if u is not None:
            u = math.hypot(u, std or 0.0)
        read, mark, _ = FOUND_BY.get(self.step.quantity_id, ("rx.sinad", 12.0, ""))
        if self.step.quantity.kind == "level":
            warning = self.measuring.forbidden(value, mark, conditions)
        reading = Reading(
            self.step.quantity_id,
            conditions,
            value,
            f"from {quantity(read).title} readings",
            self._source(),
            std,
            u=u,
            warning=warning,
        )
        self.append(reading)

    def _source(self) -> str:
        return "simulated" if self.bench.simulated else "hand"

    # -- turns ----------------------------------------------------------------------------------

    def turn(self, adjuster: str, asked_mdeg: int) -> int:
        """Turn an adjuster (clockwise positive, millidegrees from where it is); returns what it moved."""
        self.sheet.adjuster(adjuster)
        if asked_mdeg == 0:
            return 0
        if self.state.finished:
            raise TapeError(tr("This job is finished. Its log takes notes only."))
        self.start_work()
        moved, stop = self.bench.turn(adjuster, asked_mdeg)
        self.append(Turned(adjuster, asked_mdeg, moved, stop))
        if isinstance(self.bench, SimulatedBench):
            keyed = self.state.hook_up == "transmit" and self.step.hook_up == "transmit"
            self._break(self.bench.spoilt_by_turn(adjuster, asked_mdeg, moved, stop, keyed))
        return moved

    def swept(self, adjuster: str, ended: str, gained_db: float, seconds: float) -> None:
        """A core was swept by hand, and how that ended (``SWEEP_ENDS``). Raises TapeError, BenchError on a simulated radio."""
        self.sheet.adjuster(adjuster)
        if self.bench.simulated:
            raise BenchError(tr("A simulated radio has no core for your hand: turn it step by step."))
        self.start_work()
        self.append(Swept(adjuster, ended, round(gained_db, 2), round(seconds, 1)))

    def felt_stop(self, adjuster: str, clockwise: bool) -> None:
        """By hand: the adjuster stands at its end stop that way. Raises BenchError where it has none, or a simulated radio feels it itself."""
        part = self.sheet.adjuster(adjuster)
        if not part.stops:
            raise BenchError(tr("{adjuster} has no end stops: it goes round.", adjuster=adjuster))
        if self.bench.simulated:
            raise BenchError(tr("The simulated radio finds its stops itself."))
        self.start_work()
        asked = part.step_mdeg if clockwise else -part.step_mdeg
        self.append(Turned(adjuster, asked, 0, True))

    def take_back(self, adjuster: str | None = None) -> None:
        """Turn one adjuster, or every one, back to where it was found; new turns, nothing is voided."""
        for name in [adjuster] if adjuster else list(self.state.positions):
            if self.state.positions[name]:
                self.turn(name, -self.state.positions[name])

    # -- touches, decisions, conventions, variants, instruments --------------------------------------

    def touch(
        self, name: str, words: str = "", affects: tuple[Effect, ...] | None = None, working: bool = True
    ) -> None:
        """A part was touched or an action done: what it reaches has to be measured again.

        ``working`` ends the as-found round; a part that has to be fitted before a
        radio can be measured at all does not.

        ``name`` is an action or part of the sheet, or any other part, which is then
        taken to reach everything unless ``reaches`` says better.
        """
        if not name.strip():
            raise TapeError(tr("Say which part was touched, or what was done."))
        if self.state.finished:
            raise TapeError(tr("This job is finished. Its log takes notes only."))
        known = {a.id: (a.title, a.affects) for a in actions_of(self.sheet)}
        known |= {p.id: (p.what or p.id, p.affects) for p in self.sheet.parts}
        title, declared = known.get(name.strip(), (name.strip(), EVERYTHING))
        taken = affects if affects is not None else declared
        if working:
            self.start_work()
        self.append(Touched(name.strip(), words.strip() or title, taken))
        self.refit(name.strip())

    def refit(self, part: str) -> None:
        """A part was repaired or fitted anew: a simulated radio whose fault it was is whole again."""
        if isinstance(self.bench, SimulatedBench):
            self.bench.radio.refit(part)

    def judge(self, verdict_word: Verdict, reason: str) -> None:
        """Accept the step at hand although it is out, or put it aside as not applicable, with the reason.

        Raises TapeError without a reason, or where there is nothing to accept.
        """
        if not reason.strip():
            raise TapeError(tr("Give the reason: it is printed on the certificate."))
        now = verdict(self.state, self.step)
        if verdict_word == "accepted" and now not in ("out_of_spec", "undecided"):
            raise TapeError(
                tr(
                    "{title} is “{now}”: only out of spec or too close can be accepted.",
                    title=self.step.title,
                    now=now,
                )
            )
        values: dict[str, float | None] = {}
        for index in range(len(self.step.required)):
            logged = self.state.latest.get((self.step.id, index))
            if logged is not None and inside(self.step.limit, logged.reading, self.state.rule) is not True:
                values[str(index)] = logged.reading.value
        self.append(Judged(self.step.id, verdict_word, reason.strip(), values))

    def set_conventions(self, chosen: dict[str, str]) -> None:
        """This job's own answers to the questions of conventions; what is not named follows sheet and workshop."""
        for question, choice in chosen.items():
            if question not in QUESTIONS or choice not in QUESTIONS[question].choices:
                raise TapeError(
                    tr("“{question} = {choice}” is not a convention of Unitone.", question=question, choice=choice)
                )
        self.append(ConventionsChosen(chosen))

    def set_variant(
        self, title: str, sheet_text: str, why: str = "", affects: tuple[Effect, ...] | None = None,
        pictures: Mapping[str, bytes] | None = None, undone: bool = False,
    ) -> None:  # fmt: skip
        """This radio differs from its sheet from here on: ``sheet_text`` is the sheet as it is for this one.

        Raises SheetError where the text does not hold, TapeError where nothing
        differs or an adjuster that was turned would be gone. What was there before
        stays on the tape; ``undo_variant`` goes back to it.
        """
        if not title.strip():
            raise TapeError(tr("Give the variant a name, such as “upper band added”."))
        name = f"variant “{title.strip()}”"
        changed = parse_sheet(sheet_text, name, self.state.written.id)
        gone = [
            a for a, seq in self.state.last_touch.items() if seq and a not in {x.id for x in changed.adjusters}
        ]  # fmt: skip
        if gone:
            raise TapeError(tr("{list} was turned in this job: keep it in the sheet.", list=", ".join(gone)))
        before, after = to_data(self.state.written.source_text, name), to_data(sheet_text, name)
        found = differences(before, after)
        if not found:
            raise TapeError(tr("Nothing differs from the sheet as it stands."))
        self.append(
            VariantMade(
                title.strip(),
                sheet_text,
                text_hash(sheet_text),
                text_hash(self.state.written.source_text),
                [c.to_data() for c in found],
                why.strip(),
                tuple(effect_of(before, after)) if affects is None else affects,
                {name: self.logbook.put_blob(content) for name, content in (pictures or {}).items()},
                undone,
            )
        )

    def undo_variant(self) -> None:
        """Back to the sheet as it was before the last variant: a new variant that says so."""
        if not self.state.variants or self.state.variants[-1].undone:
            raise TapeError(tr("This radio stands as its sheet says."))
        last = self.state.variants[-1]
        texts = {e.said.sheet_hash: e.said.sheet_text for e in self._tape if isinstance(e.said, Opened | VariantMade)}
        opened = self._tape[0].said
        self.set_variant(
            f"before: {last.title}",
            texts[last.before_hash],
            undone=isinstance(opened, Opened) and last.before_hash == opened.sheet_hash,
        )

    # -- what was tried, and what is loose ---------------------------------------------------------

    def tried(self, suspected: str, done: str, result: str, outcome: str) -> None:
        """What was suspected, done, seen, and whether that was the cause. Raises TapeError for what says nothing."""
        if outcome not in OUTCOMES:
            raise TapeError(
                tr("“{outcome}” is not an outcome. Use one of: {list}.", outcome=outcome, list=", ".join(OUTCOMES))
            )
        if not (suspected.strip() and done.strip()):
            raise TapeError(tr("Say what was suspected and what was done."))
        self.append(Tried(suspected.strip(), done.strip(), result.strip(), outcome))

    def loosen(self, what: str) -> None:
        """A temporary state: a lifted lead, a plug out, a damping resistor on."""
        if not what.strip():
            raise TapeError(tr("Say what is loose, such as “speaker unsoldered”."))
        self.append(Loosened(what.strip()))

    def tie(self, entry_id: str, stays: str = "") -> None:
        """A loose end was put right, or stays as it is for the reason given. Raises TapeError for one that is not open."""
        if entry_id not in {x.entry_id for x in self.state.open_ends}:
            raise TapeError(tr("That loose end is not open."))
        self.append(Tied(entry_id, stays.strip()))

    # -- corrections, notes, ends -----------------------------------------------------------------

    def void_last(self) -> Entry | None:
        """Strike the last reading, note or conclusion that still stands; returns it, None when there is none.

        A turn is not voided but undone by turning back: the core does not know of the record.
        """

        for entry in self.state.entries[::-1]:
            if entry.said.can_be_voided and entry.id not in self.state.voided:
                self.append(Voided(entry.id))
                return entry
        return None

    def conclude(self, outcome: str) -> None:
        """The step at hand is done with, for now."""
        self.append(Concluded(self.state.at, outcome))

    def note(self, words: str) -> None:
        """A note on the tape."""
        if words.strip():
            self.append(Noted(words.strip()))

    def finish(self) -> None:
        """End the job. Raises TapeError naming the steps that were never read or have gone stale, and what is loose."""
        waiting = blockers(self.state)
        if waiting:
            names = ", ".join(f"{step.title} ({v})" for step, v in waiting)
            raise TapeError(tr("Not finished: {names}. Measure these first.", names=names))
        if self.state.open_ends:
            ends = ", ".join(self.state.describe_loose(x) for x in self.state.open_ends)
            raise TapeError(tr("Still loose: {ends}. Put it right, or say why it stays (W).", ends=ends))
        self.append(Finished())
        self.keep_summary()

    # -- following advice ---------------------------------------------------------------------------

    def follow(self, advice: Advice) -> None:
        """Do exactly what the coach says. On a hand bench a measurement has to be typed instead (BenchError)."""
        match advice:
            case moves.GoTo():
                if self.state.phase == "as-found" and advice.why == "next-in-procedure":
                    self.start_work()
                self.go_to(advice.step)
            case moves.HookUp():
                self.confirm_hook_up(advice.way)
            case moves.SetUp():
                self.set_up(advice.conditions)
            case moves.Measure():
                self.measure(advice.conditions)
            case moves.LogLevel():
                self.log_value(advice.value, advice.std, advice.conditions)
            case moves.Turn():
                self.turn(advice.adjuster, advice.move_mdeg)
            case moves.Try():
                self.begin_trial("worth", self.sheet.step(advice.step).adjusters)
            case moves.Conclude():
                self.conclude(advice.outcome)
            case moves.Seal():
                self.touch("covers")
            case moves.Finish():
                self.finish()
            case moves.Done():
                pass
            case _:
                assert_never(advice)
