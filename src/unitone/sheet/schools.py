"""Schools: the choices where practitioners differ, their default, and why the route stands as it does."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.sheet.model import Sheet, Step
from unitone.words import tr


@dataclass(frozen=True)
class School:
    """One question with its choices; the first is the default."""

    question: str
    title: str
    choices: tuple[str, ...]
    why: str


SCHOOLS: tuple[School, ...] = (
    School(
        "detector", "FM detector", ("last", "first"), "last suits the final IF; a coarse check comes first all the same"
    ),
    School("in-limits", "In limits", ("leave", "optimise"), "what is in limits is left alone"),
    School("s9", "S9", ("iaru", "100uv-pd"), "50 µV PD after IARU Region 1 R.1"),
    School("channel", "Peaking channel", ("middle", "ends"), "the middle channel, then the ends are confirmed"),
)


def ordered(sheet: Sheet) -> tuple[Step, ...]:
    """The steps in the sheet's order, moved only where ``after`` demands it (stable topological order)."""
    placed: list[Step] = []
    waiting = list(sheet.steps)
    while waiting:
        done = {s.id for s in placed}
        ready = next(s for s in waiting if set(s.after) <= done)
        placed.append(ready)
        waiting.remove(ready)
    return tuple(placed)


def why_order(sheet: Sheet) -> str:
    """One line on why the route stands as it does."""
    if sheet.school("detector", "last") == "last":
        return tr("detector last")
    return tr("detector first")
