"""Tracing on the log: what a look, a flex, a signal or a part's check showed, an intermittent watched, a noise hunted.

Injected levels and voltages are readings (``readings.py``): the level's conditions name the stage that is fed.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

import msgspec

from unitone.errors import TapeError
from unitone.job.checks import Check, CheckWay, NoiseAnswer, Watch
from unitone.job.entries.base import Entry, Kind
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.job.state import JobState


class Checked(Kind, frozen=True):
    """A stage or a part was checked while tracing: how, and whether something was wrong; in whose words."""

    kind: ClassVar[str] = "checked"
    can_be_voided: ClassVar[bool] = True

    stage: str
    way: CheckWay
    wrong: bool
    part: str = ""
    words: str = ""

    def apply(self, state: JobState, at: Entry) -> None:
        """It stands as evidence. Raises TapeError for a stage that the sheet does not have."""
        if self.stage not in {s.id for s in state.sheet.stages}:
            raise TapeError(
                tr("Entry {seq} checks {name!r}, which the job's sheet does not have.", seq=at.seq, name=self.stage)
            )
        state.checks.append(Check(at.seq, at.id, at.utc, self.stage, self.way, self.wrong, self.part, self.words))


class Intermittent(Kind, frozen=True):
    """A reading was watched while things were moved: seconds, lowest and highest, when it dropped out, and what was moved when."""

    kind: ClassVar[str] = "intermittent"
    can_be_voided: ClassVar[bool] = True

    quantity: str
    seconds: float
    lowest: float
    highest: float
    drops: tuple[float, ...] = ()
    moved: tuple[tuple[float, str], ...] = ()

    def apply(self, state: JobState, at: Entry) -> None:
        """It is kept with the watches of the job."""
        state.watches.append(
            Watch(at.seq, at.id, at.utc, self.quantity, self.seconds, self.lowest, self.highest, self.drops, self.moved)
        )


class NoiseAnswered(Kind, frozen=True):
    """A question of the noise hunt was answered: its id, and yes or no."""

    kind: ClassVar[str] = "noise"
    can_be_voided: ClassVar[bool] = True

    question: str
    yes: bool
    words: str = msgspec.field(default="")

    def apply(self, state: JobState, at: Entry) -> None:
        """The last answer to a question stands."""
        state.noise[self.question] = NoiseAnswer(at.seq, self.yes)
