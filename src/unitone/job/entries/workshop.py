"""The workshop's side of a log: what was looked at, the supply, capacitors, parts, time, reports, controls."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, ClassVar

import msgspec

from unitone.job.entries.base import Entry, Kind
from unitone.job.leaving import Leaving
from unitone.job.modifications import Modification, ModifiedWhat
from unitone.job.shop import (
    Beside,
    BesideWhat,
    Capacitor,
    DialStops,
    Finding,
    OnAir,
    PartUsed,
    SectionFinding,
    SectionLook,
    SpeaksOf,
    StopsOf,
)
from unitone.radio.parts import Dielectric, judge_capacitor

if TYPE_CHECKING:
    from unitone.job.state import JobState


class FindingMade(Kind, frozen=True):
    """Something was looked at: which item, how it looked, in whose words, on which parts, and what was done."""

    kind: ClassVar[str] = "finding"
    can_be_voided: ClassVar[bool] = True

    item: str
    look: str
    words: str = ""
    on: tuple[str, ...] = ()
    done: str = ""
    stage: str = ""
    pictures: dict[str, str] = msgspec.field(default_factory=dict)

    def apply(self, state: JobState, at: Entry) -> None:
        """It stands with the findings."""
        pictures = tuple(self.pictures.items())
        state.shop.findings.append(
            Finding(at.id, at.seq, at.utc, self.item, self.look, self.words, self.on, self.done, self.stage, pictures)
        )


class SupplySet(Kind, frozen=True):
    """How the radio is fed, the current limit that is set (A), and the input resistance of the meter in hand (ohm)."""

    kind: ClassVar[str] = "supply"
    can_be_voided: ClassVar[bool] = True

    path: str = ""
    limit_a: float | None = None
    meter_ohm: float | None = None

    def apply(self, state: JobState, at: Entry) -> None:
        """What is not named stays."""
        shop = state.shop
        shop.path = self.path or shop.path
        shop.limit_a = shop.limit_a if self.limit_a is None else self.limit_a
        shop.meter_ohm = shop.meter_ohm if self.meter_ohm is None else self.meter_ohm


class CapacitorMeasured(Kind, frozen=True):
    """A capacitor as marked and measured (F), with its series resistance (ohm) at a frequency (Hz)."""

    kind: ClassVar[str] = "capacitor"
    can_be_voided: ClassVar[bool] = True

    part: str
    dielectric: Dielectric
    marked: float
    measured: float
    at_hz: float = 100.0
    esr: float | None = None

    def apply(self, state: JobState, at: Entry) -> None:
        """Judged as it stands. Raises UnitoneError for what no capacitor can be."""
        verdict = judge_capacitor(self.dielectric, self.marked, self.measured, self.esr, self.at_hz)
        state.shop.capacitors[self.part] = Capacitor(
            at.id, self.part, self.dielectric, self.marked, self.measured, self.esr, self.at_hz, verdict
        )


class PartFitted(Kind, frozen=True):
    """A part was fitted: which, how many, what, instead of what, why that is right, and its price."""

    kind: ClassVar[str] = "part"
    can_be_voided: ClassVar[bool] = True

    part: str
    count: int
    fitted: str
    instead: str = ""
    why: str = ""
    price: float | None = None

    def apply(self, state: JobState, at: Entry) -> None:
        """It stands with the parts."""
        state.shop.parts.append(PartUsed(at.id, self.part, self.count, self.fitted, self.instead, self.why, self.price))


class TimeSpent(Kind, frozen=True):
    """Minutes spent, and on what."""

    kind: ClassVar[str] = "time"
    can_be_voided: ClassVar[bool] = True

    minutes: float
    what: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """It is added up."""
        state.shop.minutes.append((at.id, self.minutes, self.what))


class HeardOnAir(Kind, frozen=True):
    """What somebody said of the radio on the air."""

    kind: ClassVar[str] = "on-air"
    can_be_voided: ClassVar[bool] = True
    after_the_end: ClassVar[bool] = True

    speaks_of: SpeaksOf
    words: str
    who: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """Evidence of low weight."""
        state.shop.on_air.append(OnAir(at.id, at.utc, self.who, self.speaks_of, self.words))


class PageWanted(Kind, frozen=True):
    """A page, a diagram or a legible copy that this job waits for, or that has come."""

    kind: ClassVar[str] = "page"
    can_be_voided: ClassVar[bool] = True
    after_the_end: ClassVar[bool] = True

    page: str
    found: bool = False

    def apply(self, state: JobState, at: Entry) -> None:
        """It stands on the card."""
        state.shop.pages[self.page] = self.found


class SectionFound(Kind, frozen=True):
    """How a section of the radio stands on a band (empty: on all of them): what was found last, and what to try next."""

    kind: ClassVar[str] = "section"
    can_be_voided: ClassVar[bool] = True

    band: str
    section: str
    look: SectionLook
    words: str = ""
    following: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """It is the last finding of its place."""
        state.shop.sections.append(
            SectionFinding(at.id, at.seq, at.utc, self.band, self.section, self.look, self.words, self.following)
        )


class StopsCounted(Kind, frozen=True):
    """What was counted at both stops of the dial on a band (Hz): of the first oscillator, or of the signal that is tuned in."""

    kind: ClassVar[str] = "stops"
    can_be_voided: ClassVar[bool] = True

    band: str
    low_hz: float
    high_hz: float
    counted: StopsOf = "oscillator"

    def apply(self, state: JobState, at: Entry) -> None:
        """The last count of a band stands; the first is how it was found."""
        state.shop.stops.append(DialStops(at.id, at.utc, self.band, self.low_hz, self.high_hz, self.counted))


class ReadBeside(Kind, frozen=True):
    """This radio and another, side by side on one signal: dB over S9, dBm at each set (the splitter's loss taken off), or dB of a field."""

    kind: ClassVar[str] = "beside"
    can_be_voided: ClassVar[bool] = True

    other: str
    what: BesideWhat
    mine: float
    its: float
    signal: str = ""
    splitter_db: float = 0.0

    def apply(self, state: JobState, at: Entry) -> None:
        """One pair more."""
        state.shop.beside.append(
            Beside(at.id, at.utc, self.other, self.what, self.mine, self.its, self.signal, self.splitter_db)
        )


class Modified(Kind, frozen=True):
    """The radio was changed: what kind, where, what was there, what is there now, why; ``job``: the earlier job it was made in (0: this);
    ``sets``: keys of a simulated radio's physics with how and by what they change; ``pictures``: photographs, by name, as hashes;
    ``pins``: the place on each (name, x, y as parts of the picture)."""

    kind: ClassVar[str] = "modified"
    can_be_voided: ClassVar[bool] = True

    what: ModifiedWhat
    where: str
    was: str = ""
    now: str = ""
    why: str = ""
    job: int = 0
    sets: tuple[tuple[str, str, str], ...] = ()
    pictures: dict[str, str] = msgspec.field(default_factory=dict)
    pins: tuple[tuple[str, float, float], ...] = ()

    def apply(self, state: JobState, at: Entry) -> None:
        """It stands until it is put back."""
        pictures = tuple(self.pictures.items())
        made = Modification(
            at.id, at.seq, at.utc, self.what, self.where, self.was, self.now, self.why, self.job, sets=self.sets,
            pictures=pictures, pins=self.pins,
        )  # fmt: skip
        state.shop.modifications[at.id] = made


class PutBack(Kind, frozen=True):
    """A change is undone: the radio is there as it was."""

    kind: ClassVar[str] = "put-back"
    can_be_voided: ClassVar[bool] = True

    entry: str

    def apply(self, state: JobState, at: Entry) -> None:
        """It stands no more."""
        made = state.shop.modifications.get(self.entry)
        if made is not None:
            state.shop.modifications[self.entry] = replace(made, put_back=True)


class LeavingNoted(Kind, frozen=True):
    """Something was looked at, or set, before the radio goes home: as it should be or not, in whose words, with photographs (hashes)."""

    kind: ClassVar[str] = "leaving"
    can_be_voided: ClassVar[bool] = True
    after_the_end: ClassVar[bool] = True

    item: str
    fine: bool
    words: str = ""
    pictures: dict[str, str] = msgspec.field(default_factory=dict)

    def apply(self, state: JobState, at: Entry) -> None:
        """The last word on an item counts; its photographs are kept together."""
        before = state.shop.leaving.get(self.item)
        pictures = (*(() if before is None else before.pictures), *self.pictures.items())
        state.shop.leaving[self.item] = Leaving(at.id, self.item, self.fine, self.words, tuple(dict(pictures).items()))


class ControlTold(Kind, frozen=True):
    """What a control does, or whether it works."""

    kind: ClassVar[str] = "control"
    can_be_voided: ClassVar[bool] = True
    after_the_end: ClassVar[bool] = True

    control: str
    does: str | None = None
    works: bool | None = None
    words: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """It stands on the handover page."""
        if self.does is not None:
            state.shop.does[self.control] = self.does
        if self.works is not None:
            state.shop.works[self.control] = (self.works, self.words)
