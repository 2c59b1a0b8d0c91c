"""When to trace instead of aligning: what the readings so far say of a radio that is deaf or dead."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.align.trace.ladder import AF, S_METER, chain, repaired_at
from unitone.job.state import JobState
from unitone.quantities.registry import FOUND_BY

#: From so many decibels under its limit on, a receiver is not out of line but broken (common practice, no source).
DEAF_DB = 20.0
#: An output under such a share of its limit is none.
_SILENT = 0.1


@dataclass(frozen=True)
class Offer:
    """What speaks for tracing: how far the sensitivity is down (dB; None: not measured, or no level was enough), which of meter and output
    are dead, and whether no level was enough."""

    down_db: float | None
    no_level: bool
    meter_dead: bool
    silent: bool


def offer(state: JobState) -> Offer | None:
    """Is this radio to be traced before it is aligned? None where nothing says so, or the sheet does not say where to inject."""
    if len(chain(state.sheet)) < 2:
        return None
    since = repaired_at(state)
    down: float | None = None
    no_level = meter = silent = False
    for step in state.sheet.steps:
        logged = next(
            (x for i in range(len(step.required)) if (x := state.latest.get((step.id, i))) and x.seq > since), None
        )
        if logged is None:
            continue
        reading, limit = logged.reading, step.limit
        nothing = reading.word == "nothing"
        if step.quantity_id in FOUND_BY and limit.high is not None:
            if nothing or reading.bound == ">":
                no_level = True
            elif reading.value is not None and reading.value - limit.high > DEAF_DB:
                down = max(down or 0.0, reading.value - limit.high)
        elif step.quantity_id == S_METER and limit.nominal is not None:
            meter = meter or nothing or (reading.value is not None and limit.nominal - reading.value > 2 * DEAF_DB)
        elif step.quantity_id == AF and limit.low is not None:
            silent = silent or nothing or (reading.value is not None and reading.value < _SILENT * limit.low)
        elif step.quantity_id in ("rx.sinad", "rx.sn_ratio") and (
            nothing or (reading.value is not None and reading.value < 1.0)
        ):
            # No ratio at all at a level that should give a good one: nothing comes through.
            silent = silent or (limit.low is not None and limit.low >= 10.0)
    if down is None and not (no_level or meter or silent):
        return None
    return Offer(down, no_level, meter, silent)
