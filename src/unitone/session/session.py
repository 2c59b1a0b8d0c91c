"""The one loop: measure, append, fold, advise. Alone writes tapes and drives instruments and coach.

Window, command line and robot technician are all clients of this class.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from unitone.bench.kit import Kit, dial
from unitone.bench.ports import Bench, HandBench, Measured
from unitone.coach.advice import Advice
from unitone.coach.sentences import position_text
from unitone.coach.step import advise
from unitone.errors import BenchError, EntryError, HookUpError, TapeError
from unitone.job.state import JobState, advance, fold
from unitone.job.summary import summary
from unitone.job.tape import Card, Entry, Reading, conditions_to_data
from unitone.job.verdicts import blockers
from unitone.quantities.entry import EXPECTED, parse_entry
from unitone.radio.levels import canonical
from unitone.report.certificate import Certificate, certificate
from unitone.sheet.library import find, physics_path
from unitone.sheet.model import Conditions, Sheet, Step
from unitone.sheet.read import read_sheet
from unitone.standin.instruments import StandInBench
from unitone.standin.physics import parse_physics
from unitone.standin.radio import StandInRadio
from unitone.store.logbook import Logbook, text_hash, utc_now


def open_job(logbook: Logbook, sheet_name: str, card: Card, kit: Kit | None = None, utc: str | None = None) -> str:
    """A new job on a sheet (id or path); returns its id. Raises SheetError or StoreError.

    The opening entry carries the sheet's text, and the physics file's where a
    stand-in takes the radio's place, so that the job never depends on files.
    """
    path = find(sheet_name)
    sheet = read_sheet(path)
    opening: dict[str, Any] = {
        "card": card.to_data(),
        "sheet_id": sheet.id,
        "sheet_path": str(path),
        "sheet_text": sheet.source_text,
        "sheet_hash": text_hash(sheet.source_text),
        "kit": (kit or Kit.from_data(logbook.setting("kit", {}) or {})).to_data(),
    }
    if card.standin_seed is not None:
        physics = physics_path(path)
        if not physics.is_file():
            raise BenchError(f"{sheet.title} has no physics file {physics.name} beside it, so it has no stand-in.")
        opening["physics_text"] = physics.read_text(encoding="utf-8")
    return logbook.create_job(card, sheet.title, opening, utc)


class Session:
    """A job in work. Every change is committed to the tape before it is part of the state."""

    def __init__(
        self, logbook: Logbook, job_id: str, bench: Bench | None = None, now: Callable[[], str] = utc_now
    ) -> None:
        self.logbook = logbook
        self._now = now
        self.job_id = job_id
        tape = logbook.tape(job_id)
        self._tape = tape
        self.state = fold(tape, job_id)
        self.bench: Bench = bench or _bench_for(self.state, tape[0])

    @property
    def sheet(self) -> Sheet:
        """The job's own copy of its sheet."""
        return self.state.sheet

    @property
    def step(self) -> Step:
        """The step at hand."""
        return self.sheet.step(self.state.at)

    def advice(self) -> Advice:
        """What the coach says now."""
        return advise(self.state)

    # -- entries -------------------------------------------------------------------------------

    def _append(self, kind: str, data: dict[str, Any]) -> Entry:
        if self.state.finished and kind != "note":
            raise TapeError("This job is finished. Its tape takes notes only.")
        entry = self.logbook.append(
            self.job_id, kind, data, round(self.bench.seconds(), 3), self.state.seq + 1, self._now()
        )
        self._tape.append(entry)
        if kind == "strike":
            self.state = fold(self._tape, self.job_id)
        else:
            advance(self.state, entry)
        return entry

    def keep_summary(self) -> None:
        """Bring the list's picture of this job up to date."""
        self.logbook.put_summary(self.job_id, self.state.status[0], summary(self.state), self._now())

    def go_to(self, step_id: str) -> None:
        """Turn to another step."""
        self.sheet.step(step_id)
        if step_id != self.state.at:
            self._append("goto", {"step": step_id})

    def start_work(self) -> None:
        """End the as-found round: from here on, adjusters are turned."""
        if self.state.phase != "adjust":
            self._append("phase", {"phase": "adjust"})

    def confirm_hook_up(self, way: str) -> None:
        """The technician says that the bench is now hooked up for ``way``."""
        self._append("hook-up", {"way": way})

    def set_kit(self, kit: Kit) -> None:
        """Another generator, other pads."""
        self._append("kit", {"kit": kit.to_data()})

    def set_up(self, conditions: Conditions) -> None:
        """Generator, channel and front panel now stand at ``conditions``. Raises BenchError when out of the generator's reach."""
        if conditions.level_dbm is not None:
            dial(self.state.kit, conditions.level_dbm)
        self._append("set-up", {"conditions": conditions_to_data(conditions)})

    # -- readings -------------------------------------------------------------------------------

    def reading_quantity(self, conditions: Conditions | None = None) -> str:
        """What a measurement at this step reads: finding a sensitivity means reading SINAD at a level."""
        wanted = conditions or self.state.set_up
        if self.step.quantity_id == "rx.sensitivity" and wanted.level_dbm is not None:
            return "rx.sinad"
        return self.step.quantity_id

    def live(self, conditions: Conditions) -> Measured | None:
        """The needle now; nothing is logged. None where there is none, or where the hook-up forbids it."""
        if not self._hooked_up():
            return None
        return self.bench.live(self.reading_quantity(conditions), conditions)

    def _hooked_up(self) -> bool:
        return self.step.hook_up == "probe" or self.step.hook_up == self.state.hook_up

    def _need_hook_up(self) -> None:
        if self.state.finished:
            raise TapeError("This job is finished. Its tape takes notes only.")
        if not self._hooked_up():
            raise HookUpError.wrong_way(self.step.hook_up, self.state.hook_up)

    def measure(self, conditions: Conditions | None = None) -> Reading:
        """Let the bench take a whole reading and log it. Raises BenchError, HookUpError."""
        self._need_hook_up()
        wanted = conditions or self.state.set_up
        quantity_id = self.reading_quantity(wanted)
        if quantity_id == "rx.sensitivity":
            raise BenchError(
                "The level for 12 dB SINAD is found from SINAD readings: dial a level first, or type the level."
            )
        got = self.bench.measure(quantity_id, wanted)
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
        )
        self._append("reading", reading.to_data())
        return reading

    def type_in(self, typed: str, conditions: Conditions | None = None) -> Reading:
        """Log a typed reading for the step at hand. Raises EntryError with the expected form; nothing is lost.

        At a sensitivity step a typed level is the 12 dB level itself; a typed
        ratio is a SINAD reading at the level that is dialled.
        """
        self._need_hook_up()
        wanted = conditions or self.state.set_up
        quantity_id = self.step.quantity_id
        if quantity_id == "rx.sensitivity" and self._is_ratio(typed):
            quantity_id = "rx.sinad"
            if wanted.level_dbm is None:
                raise EntryError(
                    f"“{typed}” dB SINAD at which level? Dial a level first, or type the level that gives 12 dB."
                )
        reading = self._typed_reading(typed, quantity_id, wanted)
        self._append("reading", reading.to_data())
        return reading

    def _is_ratio(self, typed: str) -> bool:
        plain = typed.strip().lower()
        return plain.endswith("db") or (
            self.state.set_up.level_dbm is not None and plain.replace(",", "").replace(".", "").lstrip("-−").isdigit()
        )

    def _typed_reading(self, typed: str, quantity_id: str, wanted: Conditions) -> Reading:
        from unitone.quantities.registry import quantity

        q = quantity(quantity_id)
        entry = parse_entry(typed, q.kind)
        value: float | None = None
        if entry.value is not None:
            value = canonical(entry, q, self._nominal_hz(q.id, wanted))
            if q.id == "rx.sensitivity" and value < -132.0 and not entry.bound:
                raise EntryError.impossible(
                    typed,
                    "12 dB SINAD at so low a level is below what thermal noise allows (about 0.07 µV in a CB channel). "
                    "Check the pads that are counted, and whether the generator leaks.",
                )
        if quantity_id == "rx.sensitivity":
            wanted = replace(wanted, level_dbm=None)
        return Reading(
            quantity_id, wanted, value, "by hand", "hand", None, entry.bound, entry.word, typed=typed.strip()
        )

    def _nominal_hz(self, quantity_id: str, wanted: Conditions) -> float | None:
        if quantity_id == "tx.frequency_error":
            return float(self.sheet.carrier_hz(wanted.channel))
        if quantity_id == "ref.frequency":
            return self.step.limit.middle
        return None

    def expected_form(self) -> str:
        """The form in which a reading of this step is typed, with an example."""
        return EXPECTED[self.step.quantity.kind]

    def log_value(self, value: float, std: float | None, conditions: Conditions) -> None:
        """Log a value derived from other readings, such as the 12 dB SINAD level."""
        reading = Reading(self.step.quantity_id, conditions, value, "from SINAD readings", self._source(), std)
        self._append("reading", reading.to_data())

    def _source(self) -> str:
        return "stand-in" if self.bench.simulated else "hand"

    # -- turns ----------------------------------------------------------------------------------

    def turn(self, adjuster: str, asked_mdeg: int) -> int:
        """Turn an adjuster (clockwise positive, millidegrees from where it is); returns what it moved."""
        self.sheet.adjuster(adjuster)
        if asked_mdeg == 0:
            return 0
        if self.state.finished:
            raise TapeError("This job is finished. Its tape takes notes only.")
        self.start_work()
        moved, stop = self.bench.turn(adjuster, asked_mdeg)
        self._append("turn", {"adjuster": adjuster, "asked": asked_mdeg, "moved": moved, "stop": stop})
        return moved

    def take_back(self, adjuster: str | None = None) -> None:
        """Turn one adjuster, or every one, back to where it was found; new turns, nothing is struck."""
        for name in [adjuster] if adjuster else list(self.state.positions):
            if self.state.positions[name]:
                self.turn(name, -self.state.positions[name])

    # -- corrections, notes, ends -----------------------------------------------------------------

    def strike_last(self) -> Entry | None:
        """Strike the last reading, note or conclusion that still stands; returns it, None when there is none.

        A turn is not struck but undone by turning back: the core does not know of the record.
        """
        for entry in reversed(self.state.entries):
            if entry.kind in ("reading", "note", "concluded", "status") and entry.id not in self.state.struck:
                self._append("strike", {"entry": entry.id})
                return entry
        return None

    def conclude(self, outcome: str) -> None:
        """The step at hand is done with, for now."""
        self._append("concluded", {"step": self.state.at, "outcome": outcome})

    def note(self, words: str) -> None:
        """A note on the tape."""
        if words.strip():
            self._append("note", {"text": words.strip()})

    def set_status(self, status: str, why: str = "") -> None:
        """Waiting (for the owner, a part, a manual), or open again."""
        self._append("status", {"status": status, "why": why})

    def finish(self) -> None:
        """End the job. Raises TapeError naming the steps that were never read or have gone stale."""
        waiting = blockers(self.state)
        if waiting:
            names = ", ".join(f"{step.title} ({v})" for step, v in waiting)
            raise TapeError(f"Not finished: {names}. Measure these first.")
        self._append("finish", {})
        self.keep_summary()

    # -- following advice ---------------------------------------------------------------------------

    def follow(self, advice: Advice) -> None:
        """Do exactly what the coach says. On a hand bench a measurement has to be typed instead (BenchError)."""
        if advice.act == "go to":
            if self.state.phase == "as-found" and advice.why == "next-in-route":
                self.start_work()
            self.go_to(advice.step)
        elif advice.act == "hook-up":
            self.confirm_hook_up(advice.way)
        elif advice.act == "set-up" and advice.conditions is not None:
            self.set_up(advice.conditions)
        elif advice.act == "measure":
            self.measure(advice.conditions)
        elif advice.act == "log" and advice.value is not None and advice.conditions is not None:
            self.log_value(advice.value, advice.std, advice.conditions)
        elif advice.act == "turn":
            self.turn(advice.adjuster, advice.move_mdeg)
        elif advice.act == "conclude" and advice.outcome is not None:
            self.conclude(advice.outcome)
        elif advice.act == "finish":
            self.finish()


def _bench_for(state: JobState, opening: Entry) -> Bench:
    """The bench that the card names: a stand-in brought to where the tape's turns left it, or the technician's hands."""
    seed = state.card.standin_seed
    if seed is None:
        return HandBench(state.bench_s)
    physics = parse_physics(opening.data["physics_text"], "physics of this job", state.sheet)
    bench = StandInBench(StandInRadio(state.sheet, physics, seed), state.bench_s)
    for name, moved in state.positions.items():
        bench.radio.mechanics.moved_mdeg[name] = moved
    return bench


def certificate_of(state: JobState) -> Certificate:
    """The job's certificate, with what was turned in the trade's words."""
    turned = tuple(
        (name, position_text(state.sheet.adjuster(name), mdeg)) for name, mdeg in state.positions.items() if mdeg
    )
    return certificate(state, turned)


def sheet_folder(state: JobState) -> Path:
    """The folder that the job's sheet came from (its board picture stands there)."""
    return Path(str(state.entries[0].data.get("sheet_path", ""))).parent
