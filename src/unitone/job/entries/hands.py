"""Hands on the radio: adjusters turned, parts touched and actions done."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar

from unitone.errors import TapeError
from unitone.job.entries.base import Entry, Kind
from unitone.job.records import Sweep, Touch, Turn
from unitone.sheet.model.sheet import Effect
from unitone.words import tr

#: How a sweep ends.
SWEEP_ENDS = ("peaked", "at stop", "no effect", "broken off")

if TYPE_CHECKING:
    from unitone.job.state import JobState


def effect_to_data(reach: Effect) -> dict[str, str]:
    """A reach as plain data; nothing that is not narrowed is written."""
    return {k: v for k, v in reach.__dict__.items() if v is not None and not (k == "way" and v == "either")}


class Turned(Kind, frozen=True):
    """An adjuster is turned: asked and moved (millidegrees, clockwise positive), and whether its stop was felt."""

    kind: ClassVar[str] = "turn"
    done_for_good: ClassVar[bool] = True

    adjuster: str
    asked: int
    moved: int
    stop: bool

    def apply(self, state: JobState, at: Entry) -> None:
        """Where the adjuster stands now, and what it makes old. Raises TapeError."""
        name = self.adjuster
        if name not in state.positions:
            raise TapeError(
                tr("Entry {seq} turns {name!r}, which the job's sheet does not have.", seq=at.seq, name=name)
            )
        if self.moved:
            # A new mapping: the readings logged so far keep theirs.
            state.positions = {**state.positions, name: state.positions[name] + self.moved}
            state.last_touch[name] = at.seq
            state.first_touch.setdefault(name, at.seq)
            state.reach(name, at.seq, state.sheet.adjuster(name).can_change)
        if state.tool == "metal":
            state.tool_in = name if state.sheet.adjuster(name).kind == "core" else ""
        if self.stop:
            low, high = state.stops.get(name, (None, None))
            here = state.positions[name]
            state.stops[name] = (here, high) if self.asked < 0 else (low, here)
        state.turns.append(Turn(at.seq, at.id, at.utc, name, self.asked, self.moved, self.stop))


class Swept(Kind, frozen=True):
    """An adjuster was swept by hand while its reading was watched: how it ended, what was gained (dB), how long it took. Turns are not known."""

    kind: ClassVar[str] = "swept"
    done_for_good: ClassVar[bool] = True

    adjuster: str
    ended: str
    gained_db: float
    seconds: float

    def apply(self, state: JobState, at: Entry) -> None:
        """Where it stands is not known any more: earlier readings are of another hill. Raises TapeError."""
        if self.adjuster not in state.positions:
            raise TapeError(
                tr("Entry {seq} turns {name!r}, which the job's sheet does not have.", seq=at.seq, name=self.adjuster)
            )
        if self.ended not in SWEEP_ENDS:
            raise TapeError(
                tr(
                    "Entry {seq} ends a sweep as {ended!r}, which is none of {list}.",
                    seq=at.seq,
                    ended=self.ended,
                    list=", ".join(SWEEP_ENDS),
                )
            )
        swept = Sweep(at.seq, self.adjuster, self.ended, self.gained_db)
        state.swept[self.adjuster] = swept
        state.sweeps.append(swept)
        state.last_touch[self.adjuster] = at.seq
        state.first_touch.setdefault(self.adjuster, at.seq)
        state.reach(self.adjuster, at.seq, state.sheet.adjuster(self.adjuster).can_change)


class Touched(Kind, frozen=True):
    """A part is touched or an action done: what, in whose words, and what it reaches."""

    kind: ClassVar[str] = "touch"
    can_be_voided: ClassVar[bool] = True

    name: str
    words: str
    affects: tuple[Effect, ...]

    def to_data(self) -> dict[str, Any]:
        """As it stands on disk."""
        return {"name": self.name, "words": self.words, "affects": [effect_to_data(r) for r in self.affects]}

    def apply(self, state: JobState, at: Entry) -> None:
        """What it reaches is older now."""
        touch = Touch(at.seq, at.id, at.utc, self.name, self.words, self.affects, at.bench_s)
        state.touches.append(touch)
        state.reach(f"touch {self.name} {self.affects}", at.seq, touch.covers)
