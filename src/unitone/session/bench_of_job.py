"""The bench that a job's card names: a simulated radio as the log left it, modifications and all, or the technician's hands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import cast

from unitone.bench.ports import Bench, hand_bench
from unitone.errors import TapeError
from unitone.job.entries import Entry
from unitone.job.entries.opening import Opened
from unitone.job.kept_sheets import kept_sheet
from unitone.job.modifications import standing
from unitone.job.seal import is_sealed, unsealed
from unitone.job.state import JobState
from unitone.simulator.changes import Change, How
from unitone.simulator.physics import parse_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.words import tr


def as_change(said: Sequence[str]) -> Change:
    """A change of physics from the log's (key, how, value)."""
    key, how, value = said
    return Change(key, cast(How, how), value)


def changes_of(state: JobState) -> tuple[Change, ...]:
    """What the modifications that stand make of a simulated radio, in their order."""
    return tuple(as_change(s) for m in standing(state) for s in m.sets)


def bench_for(state: JobState, opening: Entry) -> Bench:
    """A simulated radio brought to where the log left it, or the technician's hands. Raises TapeError, SheetError."""
    seed = state.card.simulated_seed
    if seed is None:
        return hand_bench(state.bench_s)
    # The simulated radio is the radio that the job began with: a variant changes the sheet, not the simulated radio.
    opened = opening.said
    if not isinstance(opened, Opened):
        raise TapeError(tr("A log begins with the opening of its job."))
    sheet = kept_sheet(opened.sheet_text, opened.sheet_id)
    physics = parse_physics(unsealed(opened.physics_text), "physics of this job", sheet)
    bench = SimulatedBench(SimulatedRadio(sheet, physics, seed, state.card.simulated_fault), state.bench_s)
    for name, moved in state.positions.items():
        if name in bench.radio.mechanics.moved_mdeg:
            bench.radio.mechanics.moved_mdeg[name] = moved
    for name in (*(t.name for t in state.touches), *(p.part for p in state.shop.parts)):
        bench.radio.refit(name)
    bench.damaged |= state.damaged
    bench.unforgiving = is_sealed(opened.physics_text)
    bench.leave_blade_in(state.tool_in)
    bench.radio.modify(changes_of(state))
    return bench
