"""Verdicts: what a step's readings say, told apart from what is merely old."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from unitone.job.state import JobState, Logged
from unitone.job.tape import Reading
from unitone.sheet.model import Limit, Step

Verdict = Literal["holds", "out", "to do", "re-check", "left alone", "too close to call"]
SETTLED: frozenset[Verdict] = frozenset({"holds", "left alone"})


@dataclass(frozen=True)
class Line:
    """One requirement of a step: its channel, as found, now, and whether that holds."""

    channel: str | None
    found: Logged | None
    found_clean: bool
    now: Logged | None
    inside: bool | None
    stale: bool


def inside(limit: Limit, reading: Reading) -> bool | None:
    """True in, False out, None when a bounded reading cannot tell (``<0.5`` against a maximum of 0.3)."""
    value = reading.value
    if reading.word in ("no lock", "nothing"):
        return False
    if reading.word in ("locks", "yes"):
        return True
    if value is None:
        return None
    if not reading.bound:
        return limit.holds(value)
    # "<v": the true value lies anywhere below v; ">v": anywhere above.
    if reading.bound == "<":
        if limit.low is not None:
            return False if value <= limit.low else None
        return True if limit.high is None or value <= limit.high else None
    if limit.high is not None:
        return False if value >= limit.high else None
    return True if limit.low is None or value >= limit.low else None


def lines(state: JobState, step: Step) -> tuple[Line, ...]:
    """The step's requirements with what the tape says of each."""
    found = []
    for index, required in enumerate(step.required):
        key = (step.id, index)
        now = state.latest.get(key)
        found.append(
            Line(
                required.channel,
                state.found.get(key),
                state.found_clean.get(key, False),
                now,
                None if now is None else inside(step.limit, now.reading),
                state.is_stale(step, index),
            )
        )
    return tuple(found)


def verdict(state: JobState, step: Step) -> Verdict:
    """The step's verdict. One stale or missing line keeps the whole from holding."""
    parts = lines(state, step)
    if any(p.now is None for p in parts):
        return "to do"
    if any(p.stale for p in parts):
        return "re-check"
    if any(p.inside is False for p in parts):
        return "out"
    if any(p.inside is None for p in parts):
        return "too close to call"
    return "left alone" if step.adjust and not state.moved_at_all(step) else "holds"


def found_in_limits(state: JobState, step: Step) -> bool:
    """True when every requirement was read before anything that reaches it was touched, and was inside."""
    parts = lines(state, step)
    return all(p.found is not None and p.found_clean and inside(step.limit, p.found.reading) for p in parts)


def blockers(state: JobState) -> list[tuple[Step, Verdict]]:
    """Steps that stand in the way of a finished job: never read, or read and gone stale since."""
    return [(s, v) for s in state.sheet.steps if (v := verdict(state, s)) in ("to do", "re-check")]


def worst(step: Step, parts: tuple[Line, ...]) -> Line:
    """The line that decides: the one furthest out, or nearest its limit."""

    def margin(line: Line) -> float:
        if line.now is None or line.now.reading.value is None:
            return -1e9
        value, limit = line.now.reading.value, step.limit
        ends = [
            value - limit.low if limit.low is not None else 1e9,
            limit.high - value if limit.high is not None else 1e9,
        ]
        return min(ends)

    return min(parts, key=margin)
