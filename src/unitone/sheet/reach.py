"""Reach: what an adjuster, part or action can change, declared, taken from its steps, or computed."""

from __future__ import annotations

from collections.abc import Iterable

from unitone.quantities.registry import QUANTITIES
from unitone.sheet.model import Action, Mixing, Oscillator, Reach, Sheet, Step, Way

#: Everything: what nobody can say more of.
EVERYTHING = (Reach("*"),)

#: What is done to radios of any make. A sheet may say otherwise with an action of the same id.
USUAL_ACTIONS: tuple[Action, ...] = (
    Action("recap", "Electrolytics replaced", EVERYTHING),
    Action("repair", "Repaired: a joint, a track, a part", EVERYTHING),
    Action(
        "crystal", "Another crystal",
        (Reach("ref.*"), Reach("osc.*"), Reach("vco.*"), Reach("tx.frequency_error"), Reach("rx.*", "receive")),
    ),
    Action(
        "padder", "Padding capacitor changed",
        (Reach("ref.*"), Reach("osc.*"), Reach("vco.*"), Reach("tx.frequency_error"), Reach("rx.*", "receive")),
    ),
    Action("final", "Final or driver transistor replaced", (Reach("tx.*"), Reach("supply.current"))),
    Action("front-end", "Front-end transistor replaced", (Reach("rx.*"),)),
    Action("cleaned", "Controls, switches and contacts cleaned", (Reach("rx.*"), Reach("tx.*"))),
    Action("covers", "Covers put on, cores sealed", (Reach("rx.*"), Reach("tx.*"), Reach("osc.*"), Reach("ref.*"))),
)  # fmt: skip

#: What comes before the dot of a step's quantity, and what its adjuster is then taken to reach.
_BY_STEP = {"rx": "rx.*", "tx": "tx.*"}


def usual_reach(quantities: Iterable[str]) -> tuple[Reach, ...]:
    """Reach of an adjuster whose sheet declares none: all of receive or send; everything for rails and oscillators.

    Wide on purpose: a reading too many to take again costs a minute, one too few costs the job.
    """
    patterns = {_BY_STEP.get(q.partition(".")[0], "*") for q in quantities}
    return (Reach("*"),) if "*" in patterns else tuple(Reach(p) for p in sorted(patterns))


def oscillator_reach(oscillator: Oscillator, mixing: Iterable[Mixing]) -> tuple[Reach, ...]:
    """What the trim of an oscillator reaches through the mixing model: the outputs that it is a term of."""
    found: dict[Reach, None] = {}
    for line in mixing:
        if not any(name == oscillator.id and term.strip() != "0" for name, term in line.terms):
            continue
        if line.output.startswith("tx."):
            found[Reach("tx.frequency_error", line.way, line.channel, line.band, line.mode)] = None
        else:
            found[Reach("rx.*", line.way, line.channel, line.band, line.mode)] = None
    return tuple(found)


def known(reach: Reach) -> bool:
    """Does the pattern name any registered quantity?"""
    return any(reach.names(q) for q in QUANTITIES)


def actions_of(sheet: Sheet) -> tuple[Action, ...]:
    """The sheet's actions, then the usual ones that it does not say otherwise."""
    own = {a.id for a in sheet.actions}
    return (*sheet.actions, *(a for a in USUAL_ACTIONS if a.id not in own))


def stage_reach(sheet: Sheet, stage: str) -> tuple[Reach, ...]:
    """Reach of a part that only names its stage: all of that stage's way."""
    way: Way = next((s.way for s in sheet.stages if s.id == stage), "either")
    pattern = {"receive": "rx.*", "send": "tx.*"}.get(way, "*")
    return (Reach(pattern),)


def reached_steps(sheet: Sheet, reaches: Iterable[Reach]) -> tuple[Step, ...]:
    """The steps of which at least one reading lies in reach."""
    patterns = tuple(reaches)
    return tuple(
        s for s in sheet.steps if any(r.covers(s.quantity_id, c) for r in patterns for c in s.required)
    )  # fmt: skip
