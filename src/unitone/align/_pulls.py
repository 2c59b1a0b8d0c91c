"""Steps whose adjusters pull each other: the two ends of a dial, the aerial circuit at both of them. Worked in turn until none moves."""

from __future__ import annotations

import math
from bisect import bisect_left

from unitone.job.state import JobState
from unitone.sheet.model.sheet import Step

#: So many times each is worked at the most: what has not settled by then does not converge.
_ROUNDS = 4


def pulled_by(state: JobState, step: Step) -> Step | None:
    """The step that moved its adjusters after this one was worked, by more than their own smallest move; None where this one stands."""
    mine = [seq for seq, outcome in state.concluded.get(step.id, []) if outcome != "in-spec"]
    if not mine or len(mine) >= _ROUNDS:
        return None
    # A visit that only a stale reading asked for turns without being concluded anew; the one that goes on now is not over.
    over = state.at_seq if state.at == step.id else math.inf
    own = (t.seq for t in reversed(state.turns) if t.adjuster in step.adjusters and t.seq <= over)
    since = max(mine[-1], next(own, 0))
    return next((s for s in state.sheet.steps if step.id in s.pulls and _moved(state, s, since)), None)


def _moved(state: JobState, step: Step, since: int) -> bool:
    """Does any of its adjusters stand elsewhere than it did then, by more than its smallest move?"""
    turns = state.turns[bisect_left(state.turns, since, key=lambda t: t.seq) :]
    net = {name: abs(sum(t.moved for t in turns if t.adjuster == name)) for name in step.adjusters}
    return any(moved > state.sheet.adjuster(name).step_mdeg for name, moved in net.items())
