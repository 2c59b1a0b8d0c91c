"""What each step of a simulated radio reads by its physics alone: nothing is aligned, nothing is judged by the coach."""

from __future__ import annotations

import math
from typing import Any

from unitone.errors import BenchError, UnitoneError
from unitone.quantities.registry import CANONICAL_UNIT, FOUND_BY
from unitone.robot.many import simulated
from unitone.robot.referee import Referee
from unitone.simulator.simulated_bench import SimulatedBench


def read_out(sheet_name: str, seed: int = 1, aligned: bool = False, fault: str = "") -> dict[str, Any]:
    """Every step of the sheet with what it reads at each of its places, in the quantity's own unit, without a meter's error.

    ``aligned``: every adjuster where this specimen is right, else as it was found. A place that gives no figure (a loop out of lock,
    a side that the physics file does not have) has none, and says why. Raises SheetError without a physics file, or for an unknown
    fault.
    """
    path, sheet, physics = simulated(sheet_name)
    referee = Referee(sheet, physics, seed, fault)
    if aligned:
        specimen = referee.radio.mechanics.specimen
        specimen.found.update(specimen.right)
    bench, steps = SimulatedBench(referee.radio), []
    for step in sheet.steps:
        readings: list[dict[str, Any]] = []
        for c in step.required:
            value, why = math.nan, "no figure"
            try:
                if not bench.can_measure(FOUND_BY.get(step.quantity_id, (step.quantity_id,))[0]):
                    raise BenchError("the physics file has no such side")
                value = float(referee.true_value(step.quantity_id, c))
            except UnitoneError as error:
                why = str(error)
            if math.isfinite(value):
                readings.append({"place": c.place, "value": float(f"{value:.9g}"), "inside": step.limit.holds(value)})
            else:
                readings.append({"place": c.place, "value": None, "inside": None, "why": why})
        steps.append(
            {"id": step.id, "title": step.title, "quantity": step.quantity_id, "unit": CANONICAL_UNIT[step.quantity.kind], "readings": readings}
        )  # fmt: skip
    return {"sheet": path.stem, "seed": seed, "aligned": aligned, "fault": fault or None, "steps": steps}
