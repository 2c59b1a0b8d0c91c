"""A job's state: a pure function of its tape, ``state = fold(tape)``.

``advance`` takes one entry more. The state belongs to whoever folds it; nothing
outside changes it. What a result is, and when it has gone stale, is decided here.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple, TypeVar

from unitone.bench.instruments import Instrument
from unitone.bench.path import Kit
from unitone.collector import resting
from unitone.errors import TapeError
from unitone.job.shop import KINDS_OF_SHOP, Finding, Shop, take
from unitone.job.tape import KINDS, Card, Entry, Reading, conditions_from_data, damaged_entry
from unitone.job.trial import Trial, take_trial
from unitone.sheet.conventions.schools import Choice, apply, choices
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.model.sheet import Conditions, Reach, Sheet, Step

_SHEETS: dict[tuple[str, str], Sheet] = {}
Key = tuple[str, int]
T = TypeVar("T")
R = TypeVar("R")


class Logged(NamedTuple):
    """A reading on the tape with the positions (millidegrees from found) that the adjusters had."""

    seq: int
    entry_id: str
    utc: str
    reading: Reading
    positions: dict[str, int]
    bench_s: float = 0.0


def by_conditions(told: Callable[[Conditions], R]) -> Callable[[Conditions], R]:
    """``told``, asked once for each conditions object: the same ones stand on many readings, and comparing them takes longest.

    For one walk over the readings of a state, which keeps the objects alive.
    """
    return _by_object(told)


def by_positions(told: Callable[[dict[str, int]], R]) -> Callable[[dict[str, int]], R]:
    """``told``, asked once for each mapping of positions; as ``by_conditions``."""
    return _by_object(told)


def _by_object(told: Callable[[T], R]) -> Callable[[T], R]:
    known: dict[int, R] = {}

    def asked(thing: T) -> R:
        key = id(thing)
        if key not in known:
            known[key] = told(thing)
        return known[key]

    return asked


class Turn(NamedTuple):
    """A turn on the tape."""

    seq: int
    entry_id: str
    utc: str
    adjuster: str
    asked: int
    moved: int
    stop: bool


@dataclass(frozen=True)
class Touch:
    """A part touched or an action done: what, in whose words, and what it reaches."""

    seq: int
    entry_id: str
    utc: str
    name: str
    words: str
    reaches: tuple[Reach, ...]
    bench_s: float = 0.0

    def covers(self, quantity_id: str, conditions: Conditions) -> bool:
        """Does it make such a reading stale?"""
        return any(r.covers(quantity_id, conditions) for r in self.reaches)


@dataclass(frozen=True)
class Judged:
    """A step accepted although out, or put aside as not applicable, with the reason."""

    seq: int
    verdict: str
    reason: str
    values: dict[int, float | None]


@dataclass(frozen=True)
class Variant:
    """This radio differs from its sheet: title, why, and what was there before."""

    seq: int
    entry_id: str
    utc: str
    title: str
    why: str
    changes: tuple[tuple[str, str, str], ...]
    sheet_hash: str
    before_hash: str
    undone: bool = False


@dataclass(frozen=True)
class Tried:
    """Something that was tried: what was suspected, what was done, what came of it, and whether it was the cause."""

    seq: int
    entry_id: str
    utc: str
    suspected: str
    done: str
    result: str
    outcome: str


@dataclass(frozen=True)
class Loose:
    """A temporary state of the radio or the bench; ``tied`` is the entry that ended it, ``stays`` why it was left."""

    seq: int
    entry_id: str
    utc: str
    what: str
    tied: int = 0
    stays: str = ""


@dataclass
class JobState:
    """Everything that is known of a job. ``sheet`` is in route order with its schools applied; ``written`` as it stands in its file."""

    card: Card
    written: Sheet
    job_id: str = ""
    sheet: Sheet = field(init=False)
    stand: dict[str, Choice] = field(init=False)
    route_why: str = ""
    workshop_schools: dict[str, str] = field(default_factory=dict)
    schools: dict[str, str] = field(default_factory=dict)
    kit: Kit = field(default_factory=Kit)
    instruments: tuple[Instrument, ...] = ()
    chosen: dict[str, str] = field(default_factory=dict)
    rule: str = "guard band where known"
    phase: str = "as-found"
    at: str = ""
    hook_up: str = "probe"
    set_up: Conditions = field(default_factory=Conditions)
    set_up_seq: int = 0
    at_seq: int = 0
    readings: list[Logged] = field(default_factory=list)
    turns: list[Turn] = field(default_factory=list)
    touches: list[Touch] = field(default_factory=list)
    judged: dict[str, Judged] = field(default_factory=dict)
    variants: list[Variant] = field(default_factory=list)
    tried: list[Tried] = field(default_factory=list)
    loose: dict[str, Loose] = field(default_factory=dict)
    positions: dict[str, int] = field(default_factory=dict)
    first_touch: dict[str, int] = field(default_factory=dict)
    last_touch: dict[str, int] = field(default_factory=dict)
    concluded: dict[str, list[tuple[int, str]]] = field(default_factory=dict)
    notes: list[tuple[str, str]] = field(default_factory=list)
    shop: Shop = field(default_factory=Shop)
    #: The last and the first reading at each test point: what a voltage table shows.
    points: dict[tuple[str, Conditions], Logged] = field(default_factory=dict)
    points_found: dict[tuple[str, Conditions], Logged] = field(default_factory=dict)
    #: What a wrong hook-up broke on the simulated bench: generator, final.
    damaged: set[str] = field(default_factory=set)
    trials: list[Trial] = field(default_factory=list)
    approved: str = ""
    status: tuple[str, str] = ("open", "")
    finished: str = ""
    entries: list[Entry] = field(default_factory=list)
    struck: set[str] = field(default_factory=set)
    #: The standing readings of each quantity, in order.
    by_quantity: dict[str, list[Logged]] = field(default_factory=dict)
    #: The pictures that the job carries: hash by file name.
    pictures: dict[str, str] = field(default_factory=dict)
    bench_s: float = 0.0
    # What the tape says of each (step, requirement) so far: kept up to date entry by entry.
    latest: dict[Key, Logged] = field(default_factory=dict)
    found: dict[Key, Logged] = field(default_factory=dict)
    found_clean: dict[Key, bool] = field(default_factory=dict)
    reached: dict[Key, int] = field(default_factory=dict)
    _reaching: dict[tuple[str, Conditions], tuple[str, ...]] = field(default_factory=dict, repr=False)
    _keys: dict[str, tuple[Key, ...]] = field(default_factory=dict, repr=False)
    _answers: dict[tuple[str, int], tuple[Conditions, tuple[Key, ...]]] = field(default_factory=dict, repr=False)

    def __post_init__(self) -> None:
        self.take_sheet(self.written)

    def take_sheet(self, written: Sheet) -> None:
        """Use this sheet from here on, with the schools as they stand; what is known is judged by it anew."""
        self.written = written
        self.sheet, self.route_why = apply(written, self.schools, self.workshop_schools)
        self.stand = {c.question: c for c in choices(written, self.schools, self.workshop_schools)}
        self._reaching, self._keys, self._answers = {}, {}, {}
        self.positions = {a.id: self.positions.get(a.id, 0) for a in self.sheet.adjusters}
        if not self.at or self.at not in {s.id for s in self.sheet.steps}:
            self.at = self.sheet.steps[0].id
        self.latest, self.found, self.found_clean, self.reached = {}, {}, {}, {}
        changes = [
            (first, last, a.can_change)
            for a in self.sheet.adjusters
            if (first := self.first_touch.get(a.id)) is not None and (last := self.last_touch.get(a.id)) is not None
        ]
        changes += [(t.seq, t.seq, t.covers) for t in self.touches]
        first_reached: dict[Key, int] = {}
        for needs in self.sheet.requirements.values() if changes else ():
            for step, index, required in needs:
                reaching = [(f, n) for f, n, covers in changes if covers(step.quantity_id, required)]
                if reaching:
                    first_reached[step.id, index] = min(f for f, _ in reaching)
                    self.reached[step.id, index] = max(n for _, n in reaching)
        for logged in self.readings:
            for key in self.answers(logged.reading):
                self.latest[key] = logged
                if key not in self.found:
                    self.found[key] = logged
                    self.found_clean[key] = first_reached.get(key, logged.seq) >= logged.seq

    @property
    def unreadable(self) -> tuple[int, ...]:
        """Numbers of the entries that are damaged: what they said is not part of this state."""
        return tuple(e.seq for e in self.entries if e.kind == "damaged")

    @property
    def open_ends(self) -> tuple[Loose, ...]:
        """What is still loose: neither put right nor left with a reason."""
        return tuple(x for x in self.loose.values() if not x.tied)

    def worth_a_look(self, step: Step) -> tuple[Finding, ...]:
        """What was found on the adjusters of a step: it is worth a look even if its reading holds."""
        found = {f.entry_id: f for a in step.adjusters for f in self.shop.faults_on(a) if f.look == "wrong"}
        return tuple(found.values())

    def suspects(self, stage: str) -> tuple[Finding, ...]:
        """What was found on the parts of a stage, or in it: the suspects when that stage is in question."""
        if not stage:
            return ()
        parts = {p.id for p in self.sheet.parts if p.stage == stage}
        last = {(f.item, f.on): f for f in self.shop.findings if f.stage == stage or parts & set(f.on)}
        bad = {c.part for c in self.shop.capacitors.values() if c.verdict.replace}
        return tuple(f for f in last.values() if f.look == "wrong" or bad & set(f.on))

    @property
    def seq(self) -> int:
        """Number of the last entry, 0 for none."""
        return self.entries[-1].seq if self.entries else 0

    def read_of(self, quantity_id: str, since: int = 0) -> Sequence[Logged]:
        """The readings of a quantity in their order; those after entry ``since`` alone."""
        found = self.by_quantity.get(quantity_id, [])
        return found[bisect_right(found, since, key=lambda x: x.seq) :] if since else found

    def answers(self, reading: Reading) -> tuple[Key, ...]:
        """The requirements of all steps that such a reading settles."""
        needs = self.sheet.requirements.get(reading.quantity_id)
        if needs is None:
            return ()
        # By the object: conditions are made once each, and comparing them would take longer than all the rest.
        conditions = reading.conditions
        key = (reading.quantity_id, id(conditions))
        known = self._answers.get(key)
        if known is None or known[0] is not conditions:
            found = tuple((s.id, i) for s, i, required in needs if conditions.settles(required))
            self._answers[key] = known = (conditions, found)
        return known[1]

    def reaching(self, quantity_id: str, conditions: Conditions) -> tuple[str, ...]:
        """Ids of the adjusters that can change such a reading."""
        key = (quantity_id, conditions)
        found = self._reaching.get(key)
        if found is None:
            found = tuple(a.id for a in self.sheet.adjusters if a.can_change(quantity_id, conditions))
            self._reaching[key] = found
        return found

    def touched_since(self, seq: int, quantity_id: str, conditions: Conditions) -> list[str]:
        """Adjusters, parts and actions that can change such a reading and were touched after entry ``seq``."""
        turned = [a for a in self.reaching(quantity_id, conditions) if self.last_touch.get(a, 0) > seq]
        return turned + [t.name for t in self.touches if t.seq > seq and t.covers(quantity_id, conditions)]

    def last_reached(self, quantity_id: str, conditions: Conditions) -> int:
        """Number of the last entry that changed something in reach of such a reading, 0 for none."""
        turned = max((self.last_touch.get(a, 0) for a in self.reaching(quantity_id, conditions)), default=0)
        return max([turned, *(t.seq for t in self.touches if t.covers(quantity_id, conditions))])

    def is_stale(self, step: Step, index: int) -> bool:
        """True when the latest reading for that requirement is older than a touch that reaches it."""
        logged = self.latest.get((step.id, index))
        return logged is not None and self.reached.get((step.id, index), 0) > logged.seq

    def moved_at_all(self, step: Step) -> bool:
        """Has any of the step's adjusters ever been turned in this job?"""
        return any(a in self.last_touch for a in step.adjusters)

    def reach(self, name: str, seq: int, covers: Any) -> None:
        """Everything that ``covers`` says can have changed was reached by entry ``seq``."""
        keys = self._keys.get(name)
        if keys is None:
            keys = tuple(
                (step.id, index)
                for needs in self.sheet.requirements.values()
                for step, index, required in needs
                if covers(step.quantity_id, required)
            )
            self._keys[name] = keys
        for key in keys:
            self.reached[key] = seq


def sheet_of(entry: Entry, name: str = "") -> Sheet:
    """The sheet snapshot in an opening or variant entry, parsed once. Raises SheetError."""
    identifier = entry.data.get("sheet_id", name)
    key = (identifier, entry.data["sheet_hash"])
    if key not in _SHEETS:
        _SHEETS[key] = parse_sheet(entry.data["sheet_text"], identifier, identifier, kept=True)
    return _SHEETS[key]


def fold(tape: Iterable[Entry], job_id: str = "") -> JobState:
    """The state that a tape leads to. Struck entries count as never made. Raises TapeError."""
    entries = list(tape)
    if entries and entries[0].kind == "damaged":
        raise TapeError("The first entry of this job is damaged: the job cannot be read. Restore a backup.")
    if not entries or entries[0].kind != "open":
        raise TapeError("A tape begins with the opening of its job.")
    with resting():
        state = _begin(entries, job_id)
        for entry in entries:
            advance(state, entry)
        return state


def _begin(entries: list[Entry], job_id: str) -> JobState:
    """The state before the first entry, with what will be struck known."""
    first = entries[0]
    state = JobState(
        Card.from_data(first.data["card"]), sheet_of(first), job_id, workshop_schools=first.data.get("schools", {})
    )
    state.struck = {e.data.get("entry", "") for e in entries if e.kind == "strike"}
    return state


def read(tape: Iterable[Entry], job_id: str = "") -> JobState:
    """``fold`` for a tape that may be damaged: an entry that cannot be taken is left out, and ``state.unreadable`` names it.

    Raises TapeError where not even the opening can be read.
    """
    entries = list(tape)
    while True:
        at = -1
        try:
            if not entries or entries[0].kind != "open":
                return fold(entries, job_id)
            with resting():
                state = _begin(entries, job_id)
                for at, entry in enumerate(entries):  # noqa: B007
                    advance(state, entry)
                return state
        except (KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
            if at < 1:
                raise TapeError(
                    f"The first entry of this job is damaged ({type(error).__name__}). Restore a backup."
                ) from None
            entries[at] = damaged_entry(entries[at])


def advance(state: JobState, entry: Entry) -> JobState:
    """Take one entry more; returns ``state``, changed in place. A strike needs ``fold`` instead.

    Raises TapeError for an entry of a kind or about a thing that the job does not have.
    """
    kind, data = entry.kind, entry.data
    if kind not in KINDS:
        raise TapeError(f"Entry {entry.seq} is of an unknown kind, {kind!r}: this tape needs a newer Unitone.")
    state.entries.append(entry)
    state.bench_s = max(state.bench_s, entry.bench_s)
    # A struck turn was still made: striking corrects the record, not the radio.
    if entry.id in state.struck and kind not in ("turn", "variant"):
        return state
    if kind in ("open", "variant"):
        state.pictures |= data.get("pictures", {})
    if kind == "reading":
        _read(state, entry)
    elif kind == "turn":
        _turn(state, entry)
    elif kind == "touch":
        _touch(state, entry)
    elif kind == "judge":
        _known_step(state, entry, data["step"])
        values = {int(k): v for k, v in data.get("values", {}).items()}
        state.judged[data["step"]] = Judged(entry.seq, data["verdict"], data["reason"], values)
    elif kind == "variant":
        _variant(state, entry)
    elif kind == "schools":
        state.schools = dict(data["schools"])
        state.take_sheet(state.written)
    elif kind in KINDS_OF_SHOP:
        take(state.shop, entry)
        if kind in ("handed", "archive") and state.finished:
            state.status = (
                "archived" if state.shop.archived else "handed over" if state.shop.handed else "finished",
                "",
            )
        elif kind == "archive":
            state.status = ("archived", "") if state.shop.archived else ("open", "")
    else:
        _simple(state, entry)
    return state


def _simple(state: JobState, entry: Entry) -> None:
    """Entries that set one thing."""
    kind, data = entry.kind, entry.data
    if kind in ("open", "kit", "instruments"):
        if data.get("kit"):
            state.kit = Kit.from_data(data["kit"])
        if "instruments" in data:
            state.instruments = tuple(Instrument.from_data(i) for i in data["instruments"])
        state.chosen = {**state.chosen, **data.get("chosen", {})}
        state.rule = data.get("rule", state.rule)
    elif kind == "phase":
        state.phase = data["phase"]
    elif kind == "goto":
        _known_step(state, entry, data["step"])
        state.at, state.at_seq = data["step"], entry.seq
    elif kind == "hook-up":
        state.hook_up = data["way"]
    elif kind == "set-up":
        state.set_up, state.set_up_seq = conditions_from_data(data["conditions"]), entry.seq
    elif kind == "concluded":
        _known_step(state, entry, data["step"])
        state.concluded.setdefault(data["step"], []).append((entry.seq, data["outcome"]))
    elif kind == "tried":
        told = (data[k] for k in ("suspected", "done", "result", "outcome"))
        state.tried.append(Tried(entry.seq, entry.id, entry.utc, *told))
    elif kind == "loose":
        state.loose[entry.id] = Loose(entry.seq, entry.id, entry.utc, data["what"])
    elif kind == "tied":
        end = state.loose.get(data["entry"])
        if end is not None:
            state.loose[end.entry_id] = replace(end, tied=entry.seq, stays=data.get("stays", ""))
    elif kind == "trial":
        take_trial(state.trials, entry, state.positions)
    elif kind == "damage":
        state.damaged.add(data["what"])
    elif kind == "mended":
        state.damaged.discard(data["what"])
    elif kind == "note":
        state.notes.append((entry.utc, data["text"]))
    elif kind == "card":
        state.card = Card.from_data({**state.card.to_data(), **data["card"]})
    elif kind == "status":
        state.status = (data["status"], data.get("why", ""))
        state.approved = data.get("approved", state.approved)
    elif kind == "finish":
        state.finished = entry.utc
        state.status = ("finished", "")


def _known_step(state: JobState, entry: Entry, identifier: str) -> Step:
    try:
        return state.sheet.step(identifier)
    except KeyError:
        raise TapeError(
            f"Entry {entry.seq} speaks of step {identifier!r}, which the job's sheet does not have."
        ) from None


def _turn(state: JobState, entry: Entry) -> None:
    data = entry.data
    name = data["adjuster"]
    if name not in state.positions:
        raise TapeError(f"Entry {entry.seq} turns {name!r}, which the job's sheet does not have.")
    if data["moved"]:
        # A new mapping: the readings logged so far keep theirs.
        state.positions = {**state.positions, name: state.positions[name] + data["moved"]}
        state.last_touch[name] = entry.seq
        state.first_touch.setdefault(name, entry.seq)
        state.reach(name, entry.seq, state.sheet.adjuster(name).can_change)
    state.turns.append(Turn(entry.seq, entry.id, entry.utc, name, data["asked"], data["moved"], data["stop"]))


def _touch(state: JobState, entry: Entry) -> None:
    data = entry.data
    reaches = tuple(Reach(**r) for r in data["reaches"])
    touch = Touch(entry.seq, entry.id, entry.utc, data["name"], data["words"], reaches, entry.bench_s)
    state.touches.append(touch)
    state.reach(f"touch {data['name']} {data['reaches']}", entry.seq, touch.covers)


def _variant(state: JobState, entry: Entry) -> None:
    data = entry.data
    written = sheet_of(entry, state.written.id)
    changes = tuple((c["what"], c["before"], c["after"]) for c in data["changes"])
    state.variants.append(
        Variant(
            entry.seq, entry.id, entry.utc, data["title"], data.get("why", ""), changes, data["sheet_hash"],
            data["before_hash"], bool(data.get("undone")),
        )
    )  # fmt: skip
    if data.get("reaches"):
        reaches = tuple(Reach(**r) for r in data["reaches"])
        state.touches.append(Touch(entry.seq, entry.id, entry.utc, "variant", data["title"], reaches, entry.bench_s))
    kept = {s.id for s in written.steps}
    state.concluded = {k: v for k, v in state.concluded.items() if k in kept}
    state.judged = {k: v for k, v in state.judged.items() if k in kept}
    state.take_sheet(written)


def _read(state: JobState, entry: Entry) -> None:
    reading = Reading.from_data(entry.data)
    logged = Logged(entry.seq, entry.id, entry.utc, reading, state.positions, entry.bench_s)
    state.readings.append(logged)
    state.by_quantity.setdefault(reading.quantity_id, []).append(logged)
    if reading.conditions.test_point is not None:
        point = (reading.quantity_id, reading.conditions)
        state.points[point] = logged
        state.points_found.setdefault(point, logged)
    found = state.found
    for key in state.answers(reading):
        state.latest[key] = logged
        if key not in found:
            found[key] = logged
            state.found_clean[key] = key not in state.reached
