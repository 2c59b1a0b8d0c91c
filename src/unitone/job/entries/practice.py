"""Practice on a log: a hint that was asked for, and what the trainee says was wrong."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

from unitone.job.entries.base import Entry, Kind

if TYPE_CHECKING:
    from unitone.job.state import JobState


class HintTaken(Kind, frozen=True):
    """The coach's next move was asked for."""

    kind: ClassVar[str] = "hint"

    step: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """A hint changes nothing on the bench."""


class Diagnosed(Kind, frozen=True):
    """What the trainee names as the fault: a code; "" for nothing but the alignment."""

    kind: ClassVar[str] = "diagnosis"
    can_be_voided: ClassVar[bool] = True
    after_the_end: ClassVar[bool] = True

    reason: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """A name changes nothing on the bench."""
