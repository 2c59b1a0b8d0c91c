"""Reach: what an adjuster, part or action can change, declared, taken from its steps, or computed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from itertools import product

from unitone.errors import SheetError
from unitone.quantities.registry import QUANTITIES
from unitone.sheet.model.mixing_model import Place, modes_of, outputs
from unitone.sheet.model.sheet import Action, Effect, Sheet, Step, Way
from unitone.words import N_

#: Everything: what nobody can say more of.
EVERYTHING = (Effect("*"),)

#: What is done to radios of any make. A sheet may say otherwise with an action of the same id.
USUAL_ACTIONS: tuple[Action, ...] = (
    Action("recap", N_("Electrolytics replaced"), EVERYTHING),
    Action("repair", N_("Repaired: a joint, a track, a part"), EVERYTHING),
    Action(
        "crystal", N_("Another crystal"),
        (Effect("ref.*"), Effect("osc.*"), Effect("vco.*"), Effect("tx.frequency_error"), Effect("rx.*", "receive")),
    ),
    Action(
        "padder", N_("Padding capacitor changed"),
        (Effect("ref.*"), Effect("osc.*"), Effect("vco.*"), Effect("tx.frequency_error"), Effect("rx.*", "receive")),
    ),
    Action("final", N_("Final or driver transistor replaced"), (Effect("tx.*"), Effect("supply.current"))),
    Action("front-end", N_("Front-end transistor replaced"), (Effect("rx.*"),)),
    Action("cleaned", N_("Controls, switches and contacts cleaned"), (Effect("rx.*"), Effect("tx.*"))),
    Action("covers", N_("Covers put on, cores sealed"), (Effect("rx.*"), Effect("tx.*"), Effect("osc.*"), Effect("ref.*"))),
)  # fmt: skip

#: What comes before the dot of a step's quantity, and what its adjuster is then taken to reach.
_BY_STEP = {"rx": "rx.*", "tx": "tx.*"}


def usual_effect(quantities: Iterable[str]) -> tuple[Effect, ...]:
    """Reach of an adjuster whose sheet declares none: all of receive or transmit; everything for rails and oscillators.

    Wide on purpose: a reading too many to take again costs a minute, one too few costs the job.
    """
    patterns = {_BY_STEP.get(q.partition(".")[0], "*") for q in quantities}
    return (Effect("*"),) if "*" in patterns else tuple(Effect(p) for p in sorted(patterns))


def oscillator_affects(sheet: Sheet) -> dict[str, tuple[Effect, ...]]:
    """What the trim of each oscillator reaches through the mixing model: itself at its test point, and the outputs that it is in.

    Worked out place by place (way, band, mode, channel), then said as shortly as it can be. Nothing for lines that cannot be.
    """
    touched: dict[tuple[str, str, Way], set[tuple[str | None, ...]]] = {}
    bands: list[str | None] = [name for name, _ in sheet.plan.bands] or [None]
    modes: list[str | None] = [*modes_of(sheet)] or [None]
    by_channel = any(m.channel is not None for m in sheet.mixing)
    channels: list[str | None] = [*sheet.plan.names] if by_channel else [None]
    ways: tuple[Way, Way] = ("receive", "transmit")
    for way, band, mode, channel in product(ways, bands, modes, channels):
        try:
            made = outputs(sheet, Place(way, band, mode, channel or sheet.plan.names[0]))
        except SheetError:
            continue
        for one in made:
            side = one.output.partition(".")[0]
            # A carrier oscillator that beats the sideband down shifts the pitch that is heard, and nothing else.
            pattern = (
                "rx.frequency_error"
                if one.output == "rx.bfo"
                else {"tx": "tx.frequency_error", "rx": "rx.*"}.get(side, "")
            )
            for name, _ in one.terms if pattern else ():
                touched.setdefault((name, pattern, way), set()).add((band, mode, channel))
    found: dict[str, dict[Effect, None]] = {}
    for (name, pattern, way), places in touched.items():
        for reach in _shortly(places, bands, modes, channels):
            mine = found.setdefault(name, {})
            mine[replace(reach, pattern=pattern, way=way)] = None
            point = next((o.test_point for o in sheet.oscillators if o.id == name), None)
            if point is not None:
                mine |= {replace(reach, pattern=q, channel=None, test_point=point): None for q in _COUNTED}
    return {name: tuple(affects) for name, affects in found.items()}


#: What a counter shows of an oscillator at its own test point.
_COUNTED = ("osc.frequency", "ref.frequency")


def _shortly(
    places: set[tuple[str | None, ...]], bands: list[str | None], modes: list[str | None], channels: list[str | None]
) -> list[Effect]:
    """A set of places as few reaches: all of them, whole bands, whole modes, whole channels, or each by itself."""
    if len(places) == len(bands) * len(modes) * len(channels):
        return [Effect("")]
    for axis, all_of in enumerate((bands, modes, channels)):
        others = len(bands) * len(modes) * len(channels) // len(all_of)
        whole = {v for v in all_of if sum(p[axis] == v for p in places) == others}
        if len(places) == others * len(whole):
            key = ("band", "mode", "channel")[axis]
            return [Effect("", **{key: v}) for v in all_of if v in whole]  # type: ignore[arg-type]
    return [Effect("", band=b, mode=m, channel=c) for b, m, c in sorted(places, key=str)]


def known(reach: Effect) -> bool:
    """Does the pattern name any registered quantity?"""
    return any(reach.names(q) for q in QUANTITIES)


def actions_of(sheet: Sheet) -> tuple[Action, ...]:
    """The sheet's actions, then the usual ones that it does not say otherwise."""
    own = {a.id for a in sheet.actions}
    return (*sheet.actions, *(a for a in USUAL_ACTIONS if a.id not in own))


def stage_effect(sheet: Sheet, stage: str) -> tuple[Effect, ...]:
    """Reach of a part that only names its stage: all of that stage's way."""
    way: Way = next((s.way for s in sheet.stages if s.id == stage), "either")
    pattern = {"receive": "rx.*", "transmit": "tx.*"}.get(way, "*")
    return (Effect(pattern),)


def affected_steps(sheet: Sheet, affects: Iterable[Effect]) -> tuple[Step, ...]:
    """The steps of which at least one reading lies in reach."""
    patterns = tuple(affects)
    return tuple(
        s for s in sheet.steps if any(r.covers(s.quantity_id, c) for r in patterns for c in s.required)
    )  # fmt: skip
