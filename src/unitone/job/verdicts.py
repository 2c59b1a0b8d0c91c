"""Verdicts: what a step's readings say, told apart from what is merely old.

Decision rule. A reading whose instrument has no error data is judged by simple
acceptance: inside the limit or not (ILAC-G8:09/2019, 4.2.1; JCGM 106:2012, 8.2).
Where the standard uncertainty u of the reading is known, a guard band w = U = 2u
stands on either side of each limit (ILAC-G8:09/2019, 4.2.3; JCGM 106:2012, 8.3):
inside by more than w it holds, outside by more than w it is out, between the two
it is too close to call.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from unitone.job.entries.readings import Reading
from unitone.job.records import Logged
from unitone.job.state import JobState
from unitone.quantities.registry import HEARD
from unitone.sheet.model.sheet import Limit, Step
from unitone.words import N_, tr

Verdict = Literal[
    "in_spec", "out_of_spec", "todo", "recheck", "left_as_found", "undecided", "accepted", "not applicable"
]  # fmt: skip
SETTLED: frozenset[Verdict] = frozenset({"in_spec", "left_as_found", "accepted", "not applicable"})
#: What each verdict is called on screen and paper; voltages are low and high besides.
VERDICT_WORDS: dict[str, str] = {
    "in_spec": N_("in spec"), "out_of_spec": N_("out of spec"), "undecided": N_("too close for this meter"), "todo": N_("to do"),
    "recheck": N_("re-check"), "left_as_found": N_("left as found"), "accepted": N_("accepted"), "not applicable": N_("not applicable"),
    "low": N_("low"), "high": N_("high"), "noted": N_("noted, no limit known"),
}  # fmt: skip
#: Rules that a workshop may choose between.
RULES = (N_("guard band where known"), N_("simple acceptance"))


def describe_verdict(verdict_code: str) -> str:
    """A verdict as a person reads it; a code of a newer version as it stands."""
    return tr(VERDICT_WORDS.get(verdict_code, verdict_code))


@dataclass(frozen=True)
class Line:
    """One requirement of a step: its place (band, channel, mode), as found, now, and whether that holds."""

    channel: str | None
    found: Logged | None
    found_clean: bool
    now: Logged | None
    inside: bool | None
    stale: bool
    place: str = ""


def guard_band(reading: Reading, rule: str = RULES[0]) -> float:
    """w = 2u of a reading (canonical unit); 0 under simple acceptance or where u is not known."""
    return 2.0 * reading.u if reading.u and rule == RULES[0] else 0.0


def inside(limit: Limit, reading: Reading, rule: str = RULES[0]) -> bool | None:
    """True in, False out, None when it cannot be told: a bound (``<0.5`` against a maximum of 0.3) or a guard band."""
    value = reading.value
    if reading.word in ("no lock", "nothing", "no"):
        return False
    if reading.word in ("locks", "yes"):
        return True
    if value is None:
        return None
    if not reading.bound:
        w = guard_band(reading, rule)
        if not w:
            return limit.holds(value)
        surely = (limit.low is None or value - w >= limit.low) and (limit.high is None or value + w <= limit.high)
        never = (limit.low is not None and value + w < limit.low) or (limit.high is not None and value - w > limit.high)
        return True if surely else False if never else None
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
                None if now is None else inside(step.limit, now.reading, state.rule),
                state.is_stale(step, index),
                required.place,
            )
        )
    return tuple(found)


def verdict(state: JobState, step: Step) -> Verdict:
    """The step's verdict. One stale or missing line keeps the whole from holding."""
    judged = state.judged.get(step.id)
    if judged is not None and judged.verdict == "not applicable":
        return "not applicable"
    if step.quantity_id == HEARD:
        return _heard(state, step)
    worst_inside: bool | None = True
    stale = False
    for index in range(len(step.required)):
        now = state.latest.get((step.id, index))
        if now is None:
            return "todo"
        stale = stale or state.is_stale(step, index)
        if worst_inside is not False:
            holds = inside(step.limit, now.reading, state.rule)
            worst_inside = holds if holds is not True else worst_inside
    if stale:
        return "recheck"
    if worst_inside is not True and judged is not None and _still_accepted(state, step, judged.values):
        return "accepted"
    if worst_inside is False:
        return "out_of_spec"
    if worst_inside is None:
        return "undecided"
    return "left_as_found" if step.adjust and not state.moved_at_all(step) else "in_spec"


def _heard(state: JobState, step: Step) -> Verdict:
    """A step that an ear peaks has no figure: it is in spec once it was brought to where it is loudest, and nothing moved it since."""
    if any((step.id, n) not in state.latest for n in range(len(step.required))):
        return "todo"
    if any(state.is_stale(step, n) for n in range(len(step.required))):
        return "recheck"
    judged = state.judged.get(step.id)
    if judged is not None and judged.verdict == "accepted":
        return "accepted"
    past = state.concluded.get(step.id)
    return "in_spec" if past and past[-1][1] in ("peaked", "staggered", "in-spec") else "undecided"


def _still_accepted(state: JobState, step: Step, values: dict[int, float | None]) -> bool:
    """Is no reading further out than what was accepted, but for twice the spread of a reading?"""
    slack = 2.0 * step.quantity.usual_std
    for index in range(len(step.required)):
        now = state.latest[step.id, index].reading
        if inside(step.limit, now, state.rule) is True:
            continue
        if index not in values:
            return False
        accepted = values[index]
        if accepted is None or now.value is None:
            if (accepted is None) != (now.value is None):
                return False
        elif excess(step.limit, now.value) > excess(step.limit, accepted) + slack:
            return False
    return True


def excess(limit: Limit, value: float) -> float:
    """How far outside the limit (canonical unit); negative inside."""
    ends = [
        limit.low - value if limit.low is not None else None,
        value - limit.high if limit.high is not None else None,
    ]
    return max(e for e in ends if e is not None)


def settling(step: Step, reading: Reading) -> float | None:
    """The standard uncertainty that would settle a reading too close to call: |distance to the limit| / 2.

    None where a limit is met exactly (nothing settles that but a move) or no number was read.
    """
    if reading.value is None:
        return None
    ends = [abs(reading.value - e) for e in (step.limit.low, step.limit.high) if e is not None]
    nearest = min(ends, default=0.0)
    return nearest / 2.0 if nearest > 0 else None


def found_in_limits(state: JobState, step: Step) -> bool:
    """True when every requirement was read before anything that reaches it was touched, and was inside."""
    for index in range(len(step.required)):
        key = (step.id, index)
        found = state.found.get(key)
        if found is None or not state.found_clean.get(key) or inside(step.limit, found.reading, state.rule) is not True:
            return False
    return True


def blockers(state: JobState) -> list[tuple[Step, Verdict]]:
    """Steps that stand in the way of a finished job: never read, or read and gone stale since."""
    return [(s, v) for s in state.sheet.steps if (v := verdict(state, s)) in ("todo", "recheck")]


def worst(step: Step, parts: tuple[Line, ...]) -> Line:
    """The line that decides: the one furthest out, or nearest its limit."""

    def margin(line: Line) -> float:
        if line.now is None or line.now.reading.value is None:
            return -1e9
        return -excess(step.limit, line.now.reading.value)

    return min(parts, key=margin)


def surely_legal(state: JobState, step: Step) -> bool:
    """Are all readings of a step under the rule's ceiling by their own spread? True where the rule says nothing of it."""
    most = state.sheet.rule.ceiling(step.quantity_id)
    if most is None:
        return True
    read = [line.now.reading for line in lines(state, step) if line.now is not None]
    spread = step.quantity.usual_std
    return all(r.value is None or r.value + (r.std if r.std is not None else spread) <= most for r in read)
