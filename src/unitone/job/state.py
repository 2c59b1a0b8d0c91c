"""A job's state: a pure function of its tape, ``state = fold(tape)``.

``advance`` takes one entry more. The state belongs to whoever folds it; nothing
outside changes it. What a result is, and when it has gone stale, is decided here.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from unitone.bench.kit import Kit
from unitone.errors import TapeError
from unitone.job.tape import KINDS, Card, Entry, Reading, conditions_from_data
from unitone.sheet.model import Conditions, Sheet, Step
from unitone.sheet.read import parse_sheet

_SHEETS: dict[tuple[str, str], Sheet] = {}


@dataclass(frozen=True)
class Logged:
    """A reading on the tape with the positions (millidegrees from found) that the adjusters had."""

    seq: int
    entry_id: str
    utc: str
    reading: Reading
    positions: dict[str, int]


@dataclass(frozen=True)
class Turn:
    """A turn on the tape."""

    seq: int
    entry_id: str
    utc: str
    adjuster: str
    asked: int
    moved: int
    stop: bool


@dataclass
class JobState:
    """Everything that is known of a job."""

    card: Card
    sheet: Sheet
    job_id: str = ""
    kit: Kit = field(default_factory=Kit)
    phase: str = "as-found"
    at: str = ""
    hook_up: str = "probe"
    set_up: Conditions = field(default_factory=Conditions)
    set_up_seq: int = 0
    at_seq: int = 0
    readings: list[Logged] = field(default_factory=list)
    turns: list[Turn] = field(default_factory=list)
    positions: dict[str, int] = field(default_factory=dict)
    last_touch: dict[str, int] = field(default_factory=dict)
    concluded: dict[str, list[tuple[int, str]]] = field(default_factory=dict)
    notes: list[tuple[str, str]] = field(default_factory=list)
    status: tuple[str, str] = ("open", "")
    finished: str = ""
    entries: list[Entry] = field(default_factory=list)
    struck: set[str] = field(default_factory=set)
    bench_s: float = 0.0
    # What the tape says of each (step, channel) so far: kept up to date entry by entry.
    latest: dict[tuple[str, int], Logged] = field(default_factory=dict)
    found: dict[tuple[str, int], Logged] = field(default_factory=dict)
    found_clean: dict[tuple[str, int], bool] = field(default_factory=dict)

    @property
    def seq(self) -> int:
        """Number of the last entry, 0 for none."""
        return self.entries[-1].seq if self.entries else 0

    def reaching(self, quantity_id: str, conditions: Conditions) -> list[str]:
        """Ids of the adjusters that can change such a reading."""
        return [a.id for a in self.sheet.adjusters if a.can_change(quantity_id, conditions.way, conditions.channel)]

    def touched_since(self, seq: int, quantity_id: str, conditions: Conditions) -> list[str]:
        """Adjusters that can change such a reading and were turned after entry ``seq``."""
        return [a for a in self.reaching(quantity_id, conditions) if self.last_touch.get(a, 0) > seq]

    def is_stale(self, step: Step, index: int) -> bool:
        """True when the latest reading for that requirement is older than a touch that reaches it."""
        logged = self.latest.get((step.id, index))
        return logged is not None and bool(self.touched_since(logged.seq, step.quantity_id, step.required[index]))

    def moved_at_all(self, step: Step) -> bool:
        """Has any of the step's adjusters ever been turned in this job?"""
        return any(a in self.last_touch for a in step.adjusters)


def sheet_of(entry: Entry) -> Sheet:
    """The sheet snapshot in a job's opening entry, parsed once. Raises SheetError."""
    key = (entry.data["sheet_id"], entry.data["sheet_hash"])
    if key not in _SHEETS:
        _SHEETS[key] = parse_sheet(entry.data["sheet_text"], entry.data["sheet_id"], entry.data["sheet_id"])
    return _SHEETS[key]


def fold(tape: Iterable[Entry], job_id: str = "") -> JobState:
    """The state that a tape leads to. Struck entries count as never made. Raises TapeError."""
    entries = list(tape)
    if not entries or entries[0].kind != "open":
        raise TapeError("A tape begins with the opening of its job.")
    struck = {e.data["entry"] for e in entries if e.kind == "strike"}
    first = entries[0]
    sheet = sheet_of(first)
    state = JobState(Card.from_data(first.data["card"]), sheet, job_id)
    state.struck = struck
    state.at = sheet.steps[0].id
    state.positions = {a.id: 0 for a in sheet.adjusters}
    for entry in entries:
        advance(state, entry)
    return state


def advance(state: JobState, entry: Entry) -> JobState:
    """Take one entry more; returns ``state``, changed in place. A strike needs ``fold`` instead.

    Raises TapeError for an entry of a kind or about a thing that the job does not have.
    """
    if entry.kind not in KINDS:
        raise TapeError(f"Entry {entry.seq} is of an unknown kind, {entry.kind!r}: this tape needs a newer Unitone.")
    state.entries.append(entry)
    state.bench_s = max(state.bench_s, entry.bench_s)
    # A struck turn was still made: striking corrects the record, not the radio.
    if entry.id in state.struck and entry.kind != "turn":
        return state
    data = entry.data
    if entry.kind == "reading":
        _read(state, entry)
    elif entry.kind == "turn":
        _turn(state, entry)
    elif entry.kind in ("open", "kit") and data.get("kit"):
        state.kit = Kit.from_data(data["kit"])
    elif entry.kind == "phase":
        state.phase = data["phase"]
    elif entry.kind == "goto":
        _known_step(state, entry, data["step"])
        state.at, state.at_seq = data["step"], entry.seq
    elif entry.kind == "hook-up":
        state.hook_up = data["way"]
    elif entry.kind == "set-up":
        state.set_up, state.set_up_seq = conditions_from_data(data["conditions"]), entry.seq
    elif entry.kind == "concluded":
        _known_step(state, entry, data["step"])
        state.concluded.setdefault(data["step"], []).append((entry.seq, data["outcome"]))
    elif entry.kind == "note":
        state.notes.append((entry.utc, data["text"]))
    elif entry.kind == "status":
        state.status = (data["status"], data.get("why", ""))
    elif entry.kind == "finish":
        state.finished = entry.utc
        state.status = ("finished", "")
    return state


def _known_step(state: JobState, entry: Entry, identifier: str) -> Step:
    try:
        return state.sheet.step(identifier)
    except KeyError:
        raise TapeError(
            f"Entry {entry.seq} speaks of step {identifier!r}, which the job's sheet does not have."
        ) from None


def _turn(state: JobState, entry: Entry) -> None:
    data = entry.data
    if data["adjuster"] not in state.positions:
        raise TapeError(f"Entry {entry.seq} turns {data['adjuster']!r}, which the job's sheet does not have.")
    state.positions[data["adjuster"]] += data["moved"]
    if data["moved"]:
        state.last_touch[data["adjuster"]] = entry.seq
    state.turns.append(
        Turn(entry.seq, entry.id, entry.utc, data["adjuster"], data["asked"], data["moved"], data["stop"])
    )


def _read(state: JobState, entry: Entry) -> None:
    reading = Reading.from_data(entry.data)
    logged = Logged(entry.seq, entry.id, entry.utc, reading, dict(state.positions))
    state.readings.append(logged)
    for step in state.sheet.steps:
        if step.quantity_id != reading.quantity_id:
            continue
        for index, required in enumerate(step.required):
            if not reading.conditions.settles(required):
                continue
            key = (step.id, index)
            state.latest[key] = logged
            if key not in state.found:
                state.found[key] = logged
                state.found_clean[key] = not state.touched_since(0, step.quantity_id, required)
