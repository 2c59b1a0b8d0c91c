"""What a job's state holds of its entries: readings, turns, touches, judgements, variants, trials of a cause, loose ends."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple, TypeVar

from unitone.sheet.model.sheet import Conditions, Effect

if TYPE_CHECKING:
    from unitone.job.entries.readings import Reading

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


class Sweep(NamedTuple):
    """A core swept by hand: the entry, how it ended (peaked, at stop, no effect), and what was gained (dB). How far it was turned is not known."""

    seq: int
    adjuster: str
    ended: str
    gained_db: float


@dataclass(frozen=True)
class Touch:
    """A part touched or an action done: what, in whose words, and what it reaches."""

    seq: int
    entry_id: str
    utc: str
    name: str
    words: str
    affects: tuple[Effect, ...]
    bench_s: float = 0.0

    def covers(self, quantity_id: str, conditions: Conditions) -> bool:
        """Does it make such a reading stale?"""
        return any(r.covers(quantity_id, conditions) for r in self.affects)


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


class Loose(NamedTuple):
    """A temporary state of the radio or the bench: in words, or another way to feed it; ``tied`` ended it, ``stays`` why it was left."""

    seq: int
    entry_id: str
    utc: str
    what: str
    supply: str = ""
    tied: int = 0
    stays: str = ""
