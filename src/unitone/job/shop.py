"""The workshop's side of a job: findings, supply, capacitors, parts, time, reports, controls."""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass, field
from typing import Literal

from unitone.job.leaving import Leaving
from unitone.job.modifications import Modification
from unitone.radio.parts import CapacitorVerdict, Dielectric
from unitone.words import N_, tr

#: How something looked at came out.
LOOKS = (N_("fine"), N_("wrong"), N_("repaired"))
_LOOK_WORDS = {"repaired": N_("repaired")}
SpeaksOf = Literal["strength", "modulation", "frequency", "reception", "other"]
#: What an on-air report may speak of, and the quantities that measure the same thing.
SPEAKS_OF: dict[SpeaksOf, tuple[str, ...]] = {
    "strength": ("tx.power", "tx.pep", "tx.field_strength"), "modulation": ("tx.deviation", "tx.am_depth"),
    "frequency": ("tx.frequency_error",), "reception": ("rx.sensitivity", "rx.sensitivity_am", "rx.sinad"), "other": (),
}  # fmt: skip
#: How a section of a radio stands on a band.
SectionLook = Literal["works", "weak", "noisy", "dead"]
SECTION_LOOKS: tuple[SectionLook, ...] = (N_("works"), N_("weak"), N_("noisy"), N_("dead"))
#: What is counted at the stops of a dial.
StopsOf = Literal["oscillator", "signal"]
#: What is read of two radios side by side.
BesideWhat = Literal["S-meter", "sensitivity", "field strength"]
BESIDE: tuple[BesideWhat, ...] = (N_("S-meter"), N_("sensitivity"), N_("field strength"))
SUPPLY_PATHS = (N_("bench supply"), N_("battery"), N_("lamp limiter"), N_("mains"))


@dataclass(frozen=True)
class Finding:
    """Something that was looked at: which item, how it looked, in whose words, on which parts, what was done."""

    entry_id: str
    seq: int
    utc: str
    item: str
    look: str
    words: str
    on: tuple[str, ...] = ()
    done: str = ""
    stage: str = ""
    pictures: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Capacitor:
    """A capacitor as marked and measured (F, ohm, Hz), with what that says."""

    entry_id: str
    part: str
    dielectric: Dielectric
    marked: float
    measured: float
    esr: float | None
    at_hz: float
    verdict: CapacitorVerdict


@dataclass(frozen=True)
class PartUsed:
    """A part that was fitted: which, how many, what, instead of what, why that is right, and its price."""

    entry_id: str
    part: str
    count: int
    fitted: str
    instead: str
    why: str
    price: float | None


@dataclass(frozen=True)
class OnAir:
    """What somebody said of the radio on the air: evidence of low weight."""

    entry_id: str
    utc: str
    who: str
    speaks_of: SpeaksOf
    words: str


@dataclass(frozen=True)
class SectionFinding:
    """A section of the radio on a band (empty: on all of them): how it stands, what was found, what to try next."""

    entry_id: str
    seq: int
    utc: str
    band: str
    section: str
    look: SectionLook
    words: str
    following: str


@dataclass(frozen=True)
class DialStops:
    """What was counted at both stops of the dial on a band (Hz): of the first oscillator or of the signal tuned in."""

    entry_id: str
    utc: str
    band: str
    low_hz: float
    high_hz: float
    counted: StopsOf


@dataclass(frozen=True)
class Beside:
    """A reading of this radio and of another beside it on the same signal: dB over S9, dBm at each set, or dB of one field strength meter."""

    entry_id: str
    utc: str
    other: str
    what: BesideWhat
    mine: float
    its: float
    signal: str
    splitter_db: float


@dataclass
class Shop:
    """The workshop's side of a job so far."""

    findings: list[Finding] = field(default_factory=list)
    path: str = ""
    limit_a: float | None = None
    meter_ohm: float | None = None
    capacitors: dict[str, Capacitor] = field(default_factory=dict)
    parts: list[PartUsed] = field(default_factory=list)
    minutes: list[tuple[str, float, str]] = field(default_factory=list)
    on_air: list[OnAir] = field(default_factory=list)
    does: dict[str, str] = field(default_factory=dict)
    works: dict[str, tuple[bool, str]] = field(default_factory=dict)
    #: Pages that are wanted, and whether they have come.
    pages: dict[str, bool] = field(default_factory=dict)
    #: Sections by band, as they were found one after the other; and the counts at the stops of the dial.
    sections: list[SectionFinding] = field(default_factory=list)
    stops: list[DialStops] = field(default_factory=list)
    #: Changes to the radio by the entry that told of them.
    modifications: dict[str, Modification] = field(default_factory=dict)
    beside: list[Beside] = field(default_factory=list)
    handed: tuple[str, str] | None = None
    leaving: dict[str, Leaving] = field(default_factory=dict)
    archived: bool = False

    def copied(self) -> Shop:
        """The same with containers of its own."""
        made = copy(self)
        for name, value in self.__dict__.items():
            if isinstance(value, list | dict):
                setattr(made, name, value.copy())
        return made

    @property
    def minutes_spent(self) -> float:
        """All the time that was noted (minutes)."""
        return sum(m for _, m, _ in self.minutes)

    @property
    def parts_cost(self) -> float:
        """Price of the parts, of those that have one."""
        return sum((p.price or 0.0) * p.count for p in self.parts)

    def standing(self, item: str) -> Finding | None:
        """The last finding of an item, None where it was not looked at yet."""
        return next((f for f in reversed(self.findings) if f.item == item), None)

    def standing_findings(self) -> tuple[Finding, ...]:
        """Findings that still say something: the last on the same parts of an item; one of *fine* ends the item's others."""
        last: dict[tuple[str, tuple[str, ...]], Finding] = {}
        for f in self.findings:
            if f.look == "fine" and not f.on:
                last = {key: x for key, x in last.items() if key[0] != f.item}
            last[f.item, f.on] = f
        return tuple(last.values())

    def faults_on(self, name: str) -> tuple[Finding, ...]:
        """Findings that name this adjuster or part, the last of each item, where it was not fine."""
        last: dict[str, Finding] = {}
        for f in self.findings:
            if name in f.on:
                last[f.item] = f
            elif f.look == "fine" and not f.on:
                last.pop(f.item, None)
        return tuple(f for f in last.values() if f.look != "fine")


def describe_look(look: str) -> str:
    """How something looked at came out, as a person reads it."""
    return tr(_LOOK_WORDS.get(look, look))


def describe_finding(f: Finding) -> str:
    """``T2, T5: seal broken (repaired: resealed)``."""
    where = ", ".join(f.on)
    said = f.words or (f.done if f.look == "repaired" else "")
    words = f"{where}: {said}" if where and said else where or said
    if f.look == "repaired" and f.done and f.words:
        words += tr(" (repaired: {done})", done=f.done)
    return words or tr(f.look)
