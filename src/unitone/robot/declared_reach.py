"""What each adjuster of a simulated radio really moves, held against what its sheet declares: a reach that nobody declared misleads the coach."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from unitone.errors import UnitoneError
from unitone.quantities.registry import CANONICAL_UNIT, FOUND_BY, quantity
from unitone.robot.many import simulated
from unitone.robot.referee import Referee
from unitone.sheet.model.sheet import Conditions, Sheet, Step
from unitone.simulator.mechanics import unit_mdeg
from unitone.simulator.simulated_bench import SimulatedBench

#: An adjuster is moved by what it is found off by, as a rule. A reading that moves by more than so many of its usual spreads, and by more
#: than so many times what it moves by when nothing is turned, hangs on it.
_SPREADS, _TIMES = 4.0, 4.0
#: Less than this share of a reading is not worth declaring.
_SHARE = 0.02


@dataclass(frozen=True)
class Moved:
    """One reading that an adjuster moves: from where to where (the quantity's own unit), and does the sheet say that it may?"""

    adjuster: str
    step: Step
    conditions: Conditions
    before: float
    after: float
    declared: bool


def reach(sheet_name: str, seed: int = 1, only: Collection[str] = ()) -> tuple[Sheet, list[Moved]]:
    """Every reading of the procedure that an adjuster moves, one adjuster after the other (or ``only`` some) moved from where this
    specimen is right.

    Raises SheetError without a physics file.
    """
    _, sheet, physics = simulated(sheet_name)
    still = _aligned(sheet_name, seed)
    # Read twice, noise is another.
    right, again = _read(still), _read(still)
    moved: list[Moved] = []
    for adjuster in sheet.adjusters:
        setting = physics.adjuster.get(adjuster.id)
        if setting is None or (only and adjuster.id not in only):
            continue
        referee = _aligned(sheet_name, seed)
        by = round(setting.misaligned * unit_mdeg(adjuster))
        went, at_stop = SimulatedBench(referee.radio).turn(adjuster.id, by)
        if at_stop:
            SimulatedBench(referee.radio).turn(adjuster.id, -went - by)
        for (step, place), value in _read(referee).items():
            here, there = right[step, place], again[step, place]
            q = quantity(sheet.step(step).quantity_id)
            share = 0.0 if q.kind in ("hertz", "hertz-error") else _SHARE * abs(here)
            room = max(_SPREADS * q.usual_std, _TIMES * abs(there - here), share)
            if math.isfinite(value) and math.isfinite(here) and abs(value - here) > room:
                conditions = sheet.step(step).required[place]
                declared = adjuster.can_change(q.id, conditions) or adjuster.id in sheet.step(step).adjusters
                moved.append(Moved(adjuster.id, sheet.step(step), conditions, here, value, declared))
    return sheet, moved


def _aligned(sheet_name: str, seed: int) -> Referee:
    """The specimen with every adjuster where it is right."""
    _, sheet, physics = simulated(sheet_name)
    referee = Referee(sheet, physics, seed)
    specimen = referee.radio.mechanics.specimen
    specimen.found.update(specimen.right)
    return referee


def _read(referee: Referee) -> dict[tuple[str, int], float]:
    """Every reading of the procedure; not a number where there is none (a loop out of lock, a side that is not simulated)."""
    bench, found = SimulatedBench(referee.radio), {}
    for step in referee.sheet.steps:
        for place, conditions in enumerate(step.required):
            value = math.nan
            if bench.can_measure(FOUND_BY.get(step.quantity_id, (step.quantity_id,))[0]):
                try:
                    value = float(referee.true_value(step.quantity_id, conditions))
                except UnitoneError:
                    value = math.nan
            found[step.id, place] = value
    return found


def told(sheet: Sheet, moved: list[Moved]) -> dict[str, Any]:
    """The report of ``./unitone simulate SHEET --reach --json``."""
    return {
        "sheet": sheet.id,
        "moved": [
            {
                "adjuster": m.adjuster, "step": m.step.id, "quantity": m.step.quantity_id, "place": m.conditions.place,
                "unit": CANONICAL_UNIT[m.step.quantity.kind], "before": float(f"{m.before:.6g}"), "after": float(f"{m.after:.6g}"),
                "declared": m.declared,
            }
            for m in moved
        ],
        "undeclared": sum(not m.declared for m in moved),
    }  # fmt: skip
