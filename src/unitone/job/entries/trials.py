"""Trials on a log: an adjuster nudged and put back, to learn what it does or what it could gain."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any, ClassVar, Literal

import msgspec

from unitone.job.conditions import conditions_from_json, conditions_to_data
from unitone.job.entries.base import Entry, Kind
from unitone.job.trial import Trial, Watched, What

if TYPE_CHECKING:
    from unitone.job.state import JobState


class _Seen(msgspec.Struct):
    quantity: str
    conditions: msgspec.Raw


class _Written(msgspec.Struct):
    what: Literal["worth", "unknown", "over", "broken off"]
    step: str = ""
    adjusters: tuple[str, ...] = ()
    watched: tuple[_Seen, ...] = ()


_WRITTEN = msgspec.json.Decoder(_Written)


class TrialMoved(Kind, frozen=True):
    """A trial begins (*worth aligning?* or *what does this do?*), is over, or is broken off."""

    kind: ClassVar[str] = "trial"

    what: Literal["worth", "unknown", "over", "broken off"]
    step: str = ""
    adjusters: tuple[str, ...] = ()
    watched: tuple[Watched, ...] = ()

    def to_data(self) -> dict[str, Any]:
        """As it stands on disk."""
        if self.what not in ("worth", "unknown"):
            return {"what": self.what}
        seen = [{"quantity": w.quantity_id, "conditions": conditions_to_data(w.conditions)} for w in self.watched]
        return {
            "what": self.what, "step": self.step, "adjusters": list(self.adjusters), **({"watched": seen} if seen else {})
        }  # fmt: skip

    @classmethod
    def reads(cls, text: str | bytes) -> TrialMoved:
        """From JSON. Raises msgspec.DecodeError, TapeError."""
        w = _WRITTEN.decode(text)
        watched = tuple(Watched(x.quantity, conditions_from_json(x.conditions)) for x in w.watched)
        return cls(w.what, w.step, w.adjusters, watched)

    def apply(self, state: JobState, at: Entry) -> None:
        """A new one breaks the one before off."""
        if state.trials and not state.trials[-1].ended:
            state.trials[-1] = replace(state.trials[-1], ended=at.seq, whole=self.what == "over")
        if self.what == "worth" or self.what == "unknown":
            origin = tuple((a, state.positions[a]) for a in self.adjusters if a in state.positions)
            what: What = self.what
            state.trials.append(Trial(at.seq, what, self.step, origin, self.watched))
