"""A trial on the tape: adjusters nudged and put back, to learn what they do or what they could gain."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

from unitone.job.tape import Entry, conditions_from_data
from unitone.sheet.model.sheet import Conditions

What = Literal["worth", "unknown"]


@dataclass(frozen=True)
class Watched:
    """A reading that is compared before and after a nudge."""

    quantity_id: str
    conditions: Conditions


@dataclass(frozen=True)
class Trial:
    """Begun by entry ``seq`` at a step: *worth aligning?* of its adjusters, or *what does this do?* of one, with what is ``watched``.

    ``origin``: where each adjuster stood (millidegrees from found), in their order; ``ended``: the entry that ended it, 0 while it runs;
    ``whole``: it came to its end, and was not broken off.
    """

    seq: int
    what: What
    step: str
    origin: tuple[tuple[str, int], ...]
    watched: tuple[Watched, ...] = ()
    ended: int = 0
    whole: bool = False


def take_trial(trials: list[Trial], entry: Entry, positions: dict[str, int]) -> None:
    """A trial begins, is over, or is broken off: ``trials`` is kept up. A new one breaks the one before off."""
    data: dict[str, Any] = entry.data
    if trials and not trials[-1].ended:
        trials[-1] = replace(trials[-1], ended=entry.seq, whole=data["what"] == "over")
    if data["what"] in ("worth", "unknown"):
        watched = tuple(Watched(w["quantity"], conditions_from_data(w["conditions"])) for w in data.get("watched", ()))
        origin = tuple((a, positions[a]) for a in data["adjusters"] if a in positions)
        trials.append(Trial(entry.seq, data["what"], data["step"], origin, watched))
