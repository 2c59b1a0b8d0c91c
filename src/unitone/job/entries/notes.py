"""Notes and corrections: what was noted, voided, tried as a cause, and what is loose for the time being."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, ClassVar

import msgspec

from unitone.errors import TapeError
from unitone.job.entries.base import Entry, Kind
from unitone.job.records import Loose
from unitone.job.records import Tried as TriedCause
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.job.state import JobState

#: Before a loose supply was kept as a field, it was this sentence.
_OLD_SUPPLY = re.compile(
    r"^(bench supply|battery|lamp limiter|mains) in place of the (?:bench supply|battery|lamp limiter|mains)$"
)


class Noted(Kind, frozen=True):
    """A note."""

    kind: ClassVar[str] = "note"
    can_be_voided: ClassVar[bool] = True
    after_the_end: ClassVar[bool] = True

    text: str

    def apply(self, state: JobState, at: Entry) -> None:
        """It stands with its time."""
        state.notes.append((at.utc, self.text))


class Voided(Kind, frozen=True):
    """An earlier entry is voided: it counts as never made."""

    kind: ClassVar[str] = "void"

    entry: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """Which entries are voided is known before the fold begins."""


class Tried(Kind, frozen=True):
    """What was suspected, what was done, what came of it, and whether that was the cause."""

    kind: ClassVar[str] = "tried"
    can_be_voided: ClassVar[bool] = True

    suspected: str
    done: str
    result: str
    outcome: str

    def apply(self, state: JobState, at: Entry) -> None:
        """It need not be tried again."""
        state.tried.append(TriedCause(at.seq, at.id, at.utc, self.suspected, self.done, self.result, self.outcome))


class Loosened(Kind, frozen=True):
    """Something is loose for the time being: in whose words, or another way to feed the radio than its usual one."""

    kind: ClassVar[str] = "loose"
    can_be_voided: ClassVar[bool] = True

    what: str = ""
    supply: str = ""

    @classmethod
    def reads(cls, text: str | bytes) -> Loosened:
        """From JSON, older forms too. Raises msgspec.DecodeError."""
        made = msgspec.json.decode(text, type=cls)
        old = None if made.supply else _OLD_SUPPLY.match(made.what)
        return made if old is None else cls("", old[1])

    def apply(self, state: JobState, at: Entry) -> None:
        """It is an open end."""
        state.loose[at.id] = Loose(at.seq, at.id, at.utc, self.what, self.supply)


class Tied(Kind, frozen=True):
    """A loose end is put right, or stays for a reason."""

    kind: ClassVar[str] = "tied"
    can_be_voided: ClassVar[bool] = True

    entry: str
    stays: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """It is no open end any more."""
        end = state.loose.get(self.entry)
        if end is not None:
            state.loose[end.entry_id] = end._replace(tied=at.seq, stays=self.stays)


class Damaged(Kind, frozen=True):
    """An entry whose data cannot be read: its place on the log stays, and what it was is not known any more."""

    kind: ClassVar[str] = "damaged"

    was: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """Nothing follows from it."""
        if at.seq == 1:
            raise TapeError(tr("The first entry of this job is damaged: the job cannot be read. Restore a backup."))
