"""The procedure on a log: rounds, steps gone to, concluded and judged; conventions chosen; how this radio differs from its sheet."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar

import msgspec

from unitone.errors import TapeError
from unitone.job.entries.base import Entry, Kind
from unitone.job.entries.hands import effect_to_data
from unitone.job.kept_sheets import kept_sheet
from unitone.job.records import Judged as JudgedStep
from unitone.job.records import Touch, Variant
from unitone.sheet.model.sheet import Effect
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.job.state import JobState


def _known_step(state: JobState, at: Entry, identifier: str) -> None:
    if not state.sheet.has_step(identifier):
        raise TapeError(
            tr(
                "Entry {seq} speaks of step {identifier!r}, which the job's sheet does not have.",
                seq=at.seq,
                identifier=identifier,
            )
        )


class PhaseBegun(Kind, frozen=True):
    """The as-found round is over, and work begins."""

    kind: ClassVar[str] = "phase"

    phase: str

    def apply(self, state: JobState, at: Entry) -> None:
        """Which round it is."""
        state.phase = self.phase


class WentTo(Kind, frozen=True):
    """Another step is at hand."""

    kind: ClassVar[str] = "goto"

    step: str

    def apply(self, state: JobState, at: Entry) -> None:
        """The step at hand. Raises TapeError."""
        _known_step(state, at, self.step)
        state.at, state.at_seq, state.tool_in = self.step, at.seq, ""


class Concluded(Kind, frozen=True):
    """A step is done with, for now."""

    kind: ClassVar[str] = "concluded"
    can_be_voided: ClassVar[bool] = True

    step: str
    outcome: str

    def apply(self, state: JobState, at: Entry) -> None:
        """With what outcome. Raises TapeError."""
        _known_step(state, at, self.step)
        state.concluded[self.step] = (*state.concluded.get(self.step, ()), (at.seq, self.outcome))


class Judged(Kind, frozen=True):
    """A step is accepted although it is out, or put aside as not applicable, with the reason and the values it was judged at."""

    kind: ClassVar[str] = "judge"
    can_be_voided: ClassVar[bool] = True

    step: str
    verdict: str
    reason: str
    values: dict[str, float | None] = msgspec.field(default_factory=dict)

    def to_data(self) -> dict[str, Any]:
        """As it stands on disk."""
        return {"step": self.step, "verdict": self.verdict, "reason": self.reason, "values": self.values}

    def apply(self, state: JobState, at: Entry) -> None:
        """The judgement of the step. Raises TapeError."""
        _known_step(state, at, self.step)
        values = {int(k): v for k, v in self.values.items()}
        state.judged[self.step] = JudgedStep(at.seq, self.verdict, self.reason, values)


class ConventionsChosen(Kind, frozen=True):
    """This job's own answers to the questions where practitioners differ."""

    kind: ClassVar[str] = "conventions"

    conventions: dict[str, str]

    def to_data(self) -> dict[str, Any]:
        """As it stands on disk."""
        return {"conventions": self.conventions}

    def apply(self, state: JobState, at: Entry) -> None:
        """The sheet as it stands with them."""
        state.conventions = dict(self.conventions)
        state.take_sheet(state.written)


class VariantMade(Kind, frozen=True):
    """This radio differs from its sheet from here on: the sheet as it is for this one, and what was there before."""

    kind: ClassVar[str] = "variant"
    done_for_good: ClassVar[bool] = True

    title: str
    sheet_text: str
    sheet_hash: str
    before_hash: str
    changes: list[dict[str, str]]
    why: str = ""
    affects: tuple[Effect, ...] = ()
    pictures: dict[str, str] = msgspec.field(default_factory=dict)
    undone: bool = False

    def to_data(self) -> dict[str, Any]:
        """As it stands on disk."""
        return {
            "title": self.title, "why": self.why, "sheet_text": self.sheet_text, "sheet_hash": self.sheet_hash,
            "before_hash": self.before_hash, "changes": self.changes, "affects": [effect_to_data(r) for r in self.affects],
            "pictures": self.pictures, **({"undone": True} if self.undone else {}),
        }  # fmt: skip

    def apply(self, state: JobState, at: Entry) -> None:
        """The sheet that the job goes on with. Raises SheetError."""
        state.pictures |= self.pictures
        written = kept_sheet(self.sheet_text, state.written.id)
        changes = tuple((c["what"], c["before"], c["after"]) for c in self.changes)
        state.variants.append(
            Variant(
                at.seq, at.id, at.utc, self.title, self.why, changes, self.sheet_hash, self.before_hash, self.undone
            )
        )
        if self.affects:
            state.touches.append(Touch(at.seq, at.id, at.utc, "variant", self.title, self.affects, at.bench_s))
        kept = {s.id for s in written.steps}
        state.concluded = {k: v for k, v in state.concluded.items() if k in kept}
        state.judged = {k: v for k, v in state.judged.items() if k in kept}
        state.take_sheet(written)
