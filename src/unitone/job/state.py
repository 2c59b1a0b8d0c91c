"""A job's state: everything that is known of it, as its log leads to it (``job.fold``).

What a result is, and when it has gone stale, is decided here.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass, field
from typing import Any

from unitone.bench.instruments import Instrument
from unitone.bench.path import Kit
from unitone.job.card import Card
from unitone.job.checks import Check, NoiseAnswer, Watch
from unitone.job.entries import Entry
from unitone.job.entries.notes import Damaged
from unitone.job.entries.practice import Tool
from unitone.job.entries.readings import Reading
from unitone.job.records import Judged, Logged, Loose, Sweep, Touch, Tried, Turn, Variant
from unitone.job.shop import Finding, Shop
from unitone.job.trial import Trial
from unitone.sheet.conventions.questions import Choice, apply, choices
from unitone.sheet.model.sheet import Conditions, Sheet, Step
from unitone.words import tr

Key = tuple[str, int]
#: So many conditions of one sheet are kept with the requirements that they settle.
_MOST_KNOWN = 20_000


@dataclass
class _Lookups:
    """What follows from a sheet alone: owned by the states that stand on that sheet, bounded by what one job holds."""

    reaching: dict[tuple[str, Conditions], tuple[str, ...]] = field(default_factory=dict)
    keys: dict[str, tuple[Key, ...]] = field(default_factory=dict)
    answers: dict[tuple[str, int], tuple[Conditions, tuple[Key, ...]]] = field(default_factory=dict)


@dataclass
class JobState:
    """Everything that is known of a job. ``sheet`` is in procedure order with its conventions applied; ``written`` as it stands in its file."""

    card: Card
    written: Sheet
    job_id: str = ""
    sheet: Sheet = field(init=False)
    stand: dict[str, Choice] = field(init=False)
    procedure_why: str = ""
    workshop_conventions: dict[str, str] = field(default_factory=dict)
    conventions: dict[str, str] = field(default_factory=dict)
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
    #: The last sweep of each adjuster that was swept.
    swept: dict[str, Sweep] = field(default_factory=dict)
    sweeps: list[Sweep] = field(default_factory=list)
    touches: list[Touch] = field(default_factory=list)
    judged: dict[str, Judged] = field(default_factory=dict)
    variants: list[Variant] = field(default_factory=list)
    tried: list[Tried] = field(default_factory=list)
    loose: dict[str, Loose] = field(default_factory=dict)
    #: Tracing: what was checked, what was watched, and what a noise hunt's questions were answered with.
    checks: list[Check] = field(default_factory=list)
    watches: list[Watch] = field(default_factory=list)
    noise: dict[str, NoiseAnswer] = field(default_factory=dict)
    positions: dict[str, int] = field(default_factory=dict)
    #: Where the stops of an adjuster were felt (millidegrees from found): anticlockwise, clockwise.
    stops: dict[str, tuple[int | None, int | None]] = field(default_factory=dict)
    first_touch: dict[str, int] = field(default_factory=dict)
    last_touch: dict[str, int] = field(default_factory=dict)
    concluded: dict[str, tuple[tuple[int, str], ...]] = field(default_factory=dict)
    notes: list[tuple[str, str]] = field(default_factory=list)
    shop: Shop = field(default_factory=Shop)
    #: The last and the first reading at each test point: what a voltage table shows.
    points: dict[tuple[str, Conditions], Logged] = field(default_factory=dict)
    points_found: dict[tuple[str, Conditions], Logged] = field(default_factory=dict)
    #: What a wrong hook-up broke on the simulated bench: generator, final.
    damaged: set[str] = field(default_factory=set)
    #: What a simulated radio's cores are turned with, and the adjuster that a metal one was left in.
    tool: Tool = "plastic"
    tool_in: str = ""
    trials: list[Trial] = field(default_factory=list)
    approved: str = ""
    worth: str = ""
    status: tuple[str, str] = ("open", "")
    finished: str = ""
    entries: list[Entry] = field(default_factory=list)
    voided: set[str] = field(default_factory=set)
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
    _lookups: _Lookups = field(default_factory=_Lookups, repr=False, compare=False)

    def copied(self) -> JobState:
        """The same state with containers of its own: what is taken into the copy changes nothing here."""
        made = copy(self)
        for name, value in self.__dict__.items():
            if isinstance(value, list | dict | set):
                setattr(made, name, value.copy())
        made.by_quantity = {k: v.copy() for k, v in self.by_quantity.items()}
        made.shop = self.shop.copied()
        return made

    def __post_init__(self) -> None:
        self.take_sheet(self.written)

    def take_sheet(self, written: Sheet) -> None:
        """Use this sheet from here on, with the conventions as they stand; what is known is judged by it anew."""
        self.written = written
        self.sheet, self.procedure_why = apply(written, self.conventions, self.workshop_conventions)
        self.stand = {c.question: c for c in choices(written, self.conventions, self.workshop_conventions)}
        self._lookups = _Lookups()
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
        return tuple(e.seq for e in self.entries if isinstance(e.said, Damaged))

    @property
    def open_ends(self) -> tuple[Loose, ...]:
        """What is still loose: neither put right nor left with a reason."""
        return tuple(x for x in self.loose.values() if not x.tied)

    def describe_loose(self, end: Loose) -> str:
        """What is loose, as it is told: ``speaker unsoldered``, ``lamp limiter in place of the mains``."""
        usual = self.sheet.power.usual_path
        return tr("{path} in place of the {usual}", path=tr(end.supply), usual=tr(usual)) if end.supply else end.what

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
        known = self._lookups.answers.get(key)
        if known is None or known[0] is not conditions:
            found = tuple((s.id, i) for s, i, required in needs if conditions.settles(required))
            if len(self._lookups.answers) >= _MOST_KNOWN:
                self._lookups.answers.clear()
            self._lookups.answers[key] = known = (conditions, found)
        return known[1]

    def reaching(self, quantity_id: str, conditions: Conditions) -> tuple[str, ...]:
        """Ids of the adjusters that can change such a reading."""
        key = (quantity_id, conditions)
        found = self._lookups.reaching.get(key)
        if found is None:
            found = tuple(a.id for a in self.sheet.adjusters if a.can_change(quantity_id, conditions))
            self._lookups.reaching[key] = found
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
        keys = self._lookups.keys.get(name)
        if keys is None:
            keys = tuple(
                (step.id, index)
                for needs in self.sheet.requirements.values()
                for step, index, required in needs
                if covers(step.quantity_id, required)
            )
            self._lookups.keys[name] = keys
        for key in keys:
            self.reached[key] = seq
