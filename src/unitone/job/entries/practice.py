"""Practice on a log: the tool in the trainee's hand, a hint that was asked for, and what the trainee says was wrong."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar, Literal

from unitone.job.entries.base import Entry, Kind
from unitone.words import N_

if TYPE_CHECKING:
    from unitone.job.state import JobState


Tool = Literal["plastic", "metal"]
#: What a core of a simulated radio is turned with.
TOOLS: dict[str, str] = {"plastic": N_("Plastic tool"), "metal": N_("Screwdriver")}


class ToolTaken(Kind, frozen=True):
    """Another tool is in the hand; whatever was in a core is out of it."""

    kind: ClassVar[str] = "tool"

    tool: Tool = "plastic"

    def apply(self, state: JobState, at: Entry) -> None:
        """What is in the hand."""
        state.tool, state.tool_in = self.tool, ""


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
