"""A physics file tried out: one reading of each quantity of the sheet, and of each fault, before anybody relies on it.

Shapes and names can be right and the radio still impossible (27 MHz where volts are meant). What is worked out here is
what a job would ask for, so nothing that is taken fails later.
"""

from __future__ import annotations

import math
import time
from dataclasses import replace

import numpy as np

from unitone.errors import BenchError, UnitoneError
from unitone.quantities.registry import FOUND_BY, quantity
from unitone.sheet.model.sheet import Sheet
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.words import tr

#: One reading may take this long (seconds) on a slow machine; a radio that takes longer cannot be worked with.
_SLOW_S = 20.0
#: The level that is set where a step leaves it to the search (dBm).
_TRIED_DBM = -80.0
#: What an impossible radio makes the arithmetic raise.
_IMPOSSIBLE = (UnitoneError, ArithmeticError, ValueError, TypeError, KeyError, IndexError, MemoryError, AttributeError)


def try_out(sheet: Sheet, physics: PhysicsFile, seed: int = 1) -> list[str]:
    """What a simulated radio of this file cannot do, one line a quantity or fault; empty where it can do all."""
    problems: list[str] = []
    try:
        bench = SimulatedBench(SimulatedRadio(sheet, physics, seed))
    except _IMPOSSIBLE as error:
        return [tr("no radio can be made of it ({short}).", short=_short(error))]
    done: set[str] = set()
    for step in sheet.steps:
        for quantity_id in (step.quantity_id, FOUND_BY.get(step.quantity_id, ("",))[0]):
            if not quantity_id or quantity_id in done or quantity_id in FOUND_BY:
                continue
            done.add(quantity_id)
            try:
                if not bench.can_measure(quantity_id):
                    continue
                wanted = step.required[0]
                if quantity_id != step.quantity_id and wanted.level_dbm is None:
                    # What a level is searched by is read at a level: any will do to see whether it can be.
                    wanted = replace(wanted, level_dbm=_TRIED_DBM)
                began = time.monotonic()
                with np.errstate(all="ignore"):
                    got = bench.measure(quantity_id, wanted)
                q = quantity(quantity_id)
                if got.value is not None and not (math.isfinite(got.value) and q.low <= got.value <= q.high):
                    problems.append(
                        tr(
                            "step {id}: reads {value:.3g} for the {title}, which cannot be. Check its units.",
                            id=step.id,
                            value=got.value,
                            title=q.title,
                        )
                    )
                if time.monotonic() - began > _SLOW_S:
                    problems.append(
                        tr("step {id}: one reading takes {x:.0f} s.", id=step.id, x=time.monotonic() - began)
                    )
            except BenchError as error:
                problems.append(f"step {step.id}: {_short(error)}")
            except _IMPOSSIBLE as error:
                problems.append(
                    tr(
                        "step {id}: its {title} cannot be worked out ({short}).",
                        id=step.id,
                        title=quantity(quantity_id).title,
                        short=_short(error),
                    )
                )
    for name in physics.fault:
        try:
            SimulatedRadio(sheet, physics, seed, name)
        except _IMPOSSIBLE as error:
            problems.append(tr("fault {name}: no radio can be made of it ({short}).", name=name, short=_short(error)))
    return problems


def _short(error: Exception) -> str:
    words = str(error).splitlines()[0][:160] if str(error) else ""
    return words if isinstance(error, UnitoneError) else f"{type(error).__name__}{': ' if words else ''}{words}"
