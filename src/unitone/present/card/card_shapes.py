"""The shapes of what a job's card shows: immutable, known to no widget and to no session."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.job.card import Card
from unitone.present.card.bands_view import BandsView
from unitone.present.card.found_and_left import ReadingsView
from unitone.radio.vcofit import Law
from unitone.sheet.model.sheet import KnownFault, Sheet


@dataclass(frozen=True)
class LookRow:
    """An item of the inspection list: what to look at, how it was found, and everything that was said of it."""

    id: str
    group: str
    title: str
    how: str
    look: str
    lines: tuple[str, ...]
    pictures: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class VoltsCell:
    """A row of the voltage table."""

    id: str
    title: str
    where: str
    mode: str
    should: str
    value: str
    found: str
    verdict: str
    words: str
    following: bool
    measurable: bool


@dataclass(frozen=True)
class CurrentCell:
    """A supply current: way, what the sheet says, what was read."""

    way: str
    title: str
    should: str
    value: str
    verdict: str


@dataclass(frozen=True)
class CapacitorCell:
    """A capacitor as marked and measured, and the verdict in words."""

    part: str
    dielectric: str
    marked: str
    measured: str
    esr: str
    replace: bool
    words: str


@dataclass(frozen=True)
class ControlCell:
    """A control of the front panel: what it does, and whether it was tested."""

    id: str
    positions: str
    does: str
    works: bool | None
    words: str


@dataclass(frozen=True)
class LeavingCell:
    """An item looked at before the radio goes home: None where nobody looked yet; its photographs (name, hash)."""

    key: str
    title: str
    how: str
    fine: bool | None
    words: str
    pictures: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Told:
    """A line of a list: when, what, and a word for how it stands (a mark's name where it has one)."""

    when: str
    what: str
    mark: str
    id: str = ""


@dataclass(frozen=True)
class Pictured:
    """The photographs of a modification (name, hash), and the place on each that is pinned (name, x, y as parts of it)."""

    what: str
    pictures: tuple[tuple[str, str], ...]
    pins: tuple[tuple[str, float, float], ...]


@dataclass(frozen=True)
class CardView:
    """Everything that a job's card shows at one moment."""

    job_id: str
    seq: int
    number: int
    title: str
    kind: str
    safety: str
    finished: bool
    simulated: bool
    status: str
    status_words: str
    why: str
    approved: str
    worth: str
    cost_words: str
    #: "recheck" where the owner should be asked, "out_of_spec" where it goes over; empty where there is nothing to say.
    cost_mark: str
    card: Card
    usual_accessories: tuple[str, ...]
    known_faults: tuple[KnownFault, ...]
    aliases: tuple[str, ...]
    names: tuple[str, ...]
    stages: tuple[tuple[str, str], ...]
    looks: tuple[LookRow, ...]
    looks_words: str
    path: str
    usual_path: str
    supply_words: str
    limit: str
    meter: str
    currents: tuple[CurrentCell, ...]
    volts: tuple[VoltsCell, ...]
    rails_words: str
    next_words: str
    capacitors: tuple[CapacitorCell, ...]
    capacitors_words: str
    recap: bool
    tried: tuple[Told, ...]
    loose: tuple[Told, ...]
    parts: tuple[Told, ...]
    times: tuple[Told, ...]
    time_words: str
    on_air: tuple[Told, ...]
    controls: tuple[ControlCell, ...]
    #: Pages that are wanted: the words, and whether they have come.
    pages: tuple[tuple[str, bool], ...]
    controls_words: str
    readings: ReadingsView
    bands: BandsView
    leaving: tuple[LeavingCell, ...]
    leaving_words: str
    #: The sheet whose synthesiser a conversion is worked out for, its VCO as it was read, and the share of its rail; None where the sheet
    #: does not describe it.
    synthesiser: tuple[Sheet, Law | None, float] | None
    #: Changes that stand: how long, what, why; and what undoes them, the last first.
    modified: tuple[Told, ...]
    modified_pictures: tuple[Pictured, ...]
    undo: tuple[str, ...]
    beside: tuple[Told, ...]
    beside_words: str
