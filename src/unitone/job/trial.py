"""A trial on the tape: adjusters nudged and put back, to learn what they do or what they could gain."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

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
