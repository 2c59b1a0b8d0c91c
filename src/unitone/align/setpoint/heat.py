"""The final's heat: how far a power coil may be moved before the final could have to bear more than it can."""

from __future__ import annotations

import math

from unitone.job.state import JobState
from unitone.quantities.registry import quantity
from unitone.sheet.model.sheet import TURN, Adjuster, Step

#: The narrowest power coil that is met (half-width, turns): 97.5 % are wider. Common practice, no source.
_NARROWEST = 0.3
_POWER = ("tx.power", "tx.pep")


def input_watts(state: JobState) -> float | None:
    """What the transmit stages take from the supply while keyed (W): as read last, else as the sheet says; None where nothing says.

    A sheet whose figures would burn the final of a radio that is right is not believed: heat is then judged once the current is read.
    """
    volts, amps = last_sent(state, "supply.voltage"), last_sent(state, "supply.current")
    volts = state.sheet.power.volts if volts is None else volts
    current = amps if amps is not None else state.sheet.power.keyed_a
    if volts is None or current is None:
        return None
    taken = volts * max(current - (state.sheet.power.rest_a or 0.0), 0.0)
    if amps is None and _burns_when_right(state, taken):
        return None
    return taken


def _burns_when_right(state: JobState, taken: float) -> bool:
    """Would the final go over its rating by the sheet's figures alone, at the most power that its steps ask for?"""
    bears = state.sheet.final.dissipation_w
    sent = [s.limit.high for s in state.sheet.steps if s.quantity_id in _POWER and s.limit.high is not None]
    return bears is not None and taken - max(sent, default=0.0) > bears


def last_sent(state: JobState, quantity_id: str, at: Step | None = None) -> float | None:
    """The last reading of a quantity on transmit; ``at`` a step, under the conditions that it is set under."""
    return next(
        (
            x.reading.value
            for x in reversed(state.by_quantity.get(quantity_id, ()))
            if x.reading.conditions.way == "transmit" and (at is None or x.reading.conditions.settles(at.setting))
        ),
        None,
    )


def hot(state: JobState, step: Step) -> bool:
    """Could the final have to bear more than its rating if nothing came out any more?"""
    taken, bears = input_watts(state), state.sheet.final.dissipation_w
    return step.quantity_id in _POWER and taken is not None and bears is not None and taken > bears


def cool_target(state: JobState, step: Step, adjuster: Adjuster, target_mdeg: int) -> int | None:
    """The target, or as much of the way as keeps the heat under the final's rating even for the narrowest coil (97.5 %).

    None where the power has to be read first as the coils stand; the present place where no step is safe. By the sheet's current, which
    is that of a radio that is right, moves are only made small: what stops them is a current that was read.
    """
    if not hot(state, step):
        return target_mdeg
    taken, bears = input_watts(state) or 0.0, state.sheet.final.dissipation_w or 0.0
    last = next(
        (x for x in reversed(state.read_of(step.quantity_id)) if x.reading.conditions.settles(step.setting)),
        None,
    )
    here = state.positions[adjuster.id]
    if (
        last is None
        or last.reading.value is None
        or any(last.positions[a] != state.positions[a] for a in step.adjusters)
    ):
        return None
    spread = last.reading.std or quantity(step.quantity_id).usual_std
    now, needed = max(last.reading.value - 1.96 * spread, 0.0), taken - bears
    step_mdeg = adjuster.step_mdeg
    if now <= needed:
        if last_sent(state, "supply.current") is not None:
            return here
        return here + max(-step_mdeg, min(step_mdeg, target_mdeg - here))
    # P falls at most as 1/(1 + (t/w)²) from here: solved for the turns at which it is just what is needed.
    far = round(_NARROWEST * math.sqrt(now / needed - 1.0) * TURN / adjuster.step_mdeg - 0.5) * adjuster.step_mdeg
    if last_sent(state, "supply.current") is None:
        far = max(far, step_mdeg)
    return here + max(-far, min(far, target_mdeg - here))
