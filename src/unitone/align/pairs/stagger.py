"""Staggering for sound: after the IF is peaked, one transformer goes down a little, the other as much up; done and read, not only told."""

from __future__ import annotations

from unitone.align.moves import Advice, Conclude, Turn
from unitone.align.reading_move import to_read
from unitone.job.state import JobState
from unitone.sheet.conventions.questions import role_of
from unitone.sheet.model.sheet import TURN, IfTransformer, Step

#: Each transformer goes so far from the middle (Hz): 1 to 2 kHz. Common practice, no source.
STAGGER_HZ = 1500.0


def stagger_move(state: JobState, step: Step) -> Advice | None:
    """What is left of staggering a step that was just peaked; None where nothing is, or where the convention wants one peak.

    Its transformers go by turns down and up, both cores of each alike, by what the sheet says a turn moves them. Then it is read again.
    """
    past = state.concluded.get(step.id) or ()
    if state.stand["if-shape"].choice != "staggered" or role_of(step) != "if" or not past or past[-1][1] != "peaked":
        return None
    own = [t for t in state.sheet.transformers if set(t.adjusters) <= set(step.adjusters)]
    if len(own) < 2 or state.at != step.id:
        return None
    for n, transformer in enumerate(own):
        for name in transformer.adjusters:
            left = _left_mdeg(state, name, transformer, -1.0 if n % 2 == 0 else 1.0, past[-1][0])
            if left:
                return Turn(step.id, "stagger-if", name, left)
    for index, required in enumerate(step.required):
        if state.is_stale(step, index):
            return to_read(state, step, required, "closing")
    return Conclude(step.id, "staggered", outcome="staggered")


def _left_mdeg(state: JobState, name: str, transformer: IfTransformer, way: float, since: int) -> int:
    """How far a core still has to go (millidegrees, in its own steps); 0 where it is there, or felt its stop on the way."""
    fine = state.sheet.adjuster(name).step_mdeg // 2
    turns = [t for t in state.turns if t.adjuster == name and t.seq > since]
    if any(t.stop for t in turns):
        return 0
    wanted = round(way * STAGGER_HZ / transformer.per_turn_hz * TURN / fine) * fine
    left = wanted - sum(t.moved for t in turns)
    return left if abs(left) >= fine else 0
