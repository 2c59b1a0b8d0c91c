"""Where a job stands: opened, its card, its status, finished, handed over, put away."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar

import msgspec

from unitone.bench.instruments import Instrument
from unitone.bench.path import Kit
from unitone.job.card import Card
from unitone.job.entries.base import Entry, Kind

if TYPE_CHECKING:
    from unitone.job.state import JobState


class Opened(Kind, frozen=True):
    """A job is opened: its card, its own copy of the sheet with its pictures, the physics of a simulated radio, the bench as it is."""

    kind: ClassVar[str] = "open"
    done_for_good: ClassVar[bool] = True

    card: dict[str, Any]
    sheet_id: str
    sheet_hash: str
    sheet_text: str
    sheet_path: str = ""
    physics_text: str = ""
    physics_hash: str = ""
    kit: dict[str, Any] = msgspec.field(default_factory=dict)
    pictures: dict[str, str] = msgspec.field(default_factory=dict)
    conventions: dict[str, str] = msgspec.field(default_factory=dict)
    instruments: list[dict[str, Any]] = msgspec.field(default_factory=list)
    chosen: dict[str, str] = msgspec.field(default_factory=dict)
    rule: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """The bench that the job begins with."""
        state.pictures |= self.pictures
        if self.kit:
            state.kit = Kit.from_data(self.kit)
        if self.instruments:
            state.instruments = tuple(Instrument.from_data(i) for i in self.instruments)
        state.chosen |= self.chosen
        state.rule = self.rule or state.rule


class CardAmended(Kind, frozen=True):
    """Fields of the card are changed."""

    kind: ClassVar[str] = "card"
    can_be_voided: ClassVar[bool] = True

    card: dict[str, Any]

    def apply(self, state: JobState, at: Entry) -> None:
        """The card with the fields as they are now."""
        state.card = Card.from_data({**state.card.to_data(), **self.card})


class StatusSet(Kind, frozen=True):
    """Open, waiting or left for later, why, up to which cost the owner agreed, and what the radio is worth to its owner."""

    kind: ClassVar[str] = "status"
    can_be_voided: ClassVar[bool] = True

    status: str
    why: str = ""
    approved: str | None = None
    worth: str | None = None

    def apply(self, state: JobState, at: Entry) -> None:
        """Where the job stands."""
        state.status = (self.status, self.why)
        if self.approved is not None:
            state.approved = self.approved
        if self.worth is not None:
            state.worth = self.worth


class Finished(Kind, frozen=True):
    """The job is finished."""

    kind: ClassVar[str] = "finish"

    def apply(self, state: JobState, at: Entry) -> None:
        """From here on the log takes notes only."""
        state.finished = at.utc
        state.status = ("finished", "")


class HandedOver(Kind, frozen=True):
    """The radio was given back."""

    kind: ClassVar[str] = "handed"
    after_the_end: ClassVar[bool] = True

    to: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """To whom and when."""
        state.shop.handed = (at.utc, self.to)
        _put(state)


class Archived(Kind, frozen=True):
    """The job was put away from the list, or back into it."""

    kind: ClassVar[str] = "archive"
    after_the_end: ClassVar[bool] = True

    archived: bool

    def apply(self, state: JobState, at: Entry) -> None:
        """Whether it is put away."""
        state.shop.archived = self.archived
        _put(state)


def _put(state: JobState) -> None:
    """The status of a job that is handed over or put away."""
    shop = state.shop
    if state.finished:
        state.status = ("archived" if shop.archived else "handed over" if shop.handed else "finished", "")
    else:
        state.status = ("archived" if shop.archived else "open", "")
