"""What a technician turned although nothing asked for it: told from the log and the sheet alone, with none of the coach's own rules.

A turn is called for when one of the steps of its adjuster stood out of its limit, was unread or no longer counted, or stood within a
reading's spread of the rule's ceiling. It is called for, too, when another reading that the adjuster can change stood out of its limit
and has no adjuster of its own, or only such as had been turned.
"""

from __future__ import annotations

from unitone.job.entries.hands import Turned
from unitone.job.entries.readings import Reading
from unitone.job.fold import advance, fold
from unitone.job.state import JobState
from unitone.session.session import Session
from unitone.sheet.model.sheet import Adjuster, Step


def wrongly_touched(session: Session, stood: frozenset[str] = frozenset()) -> list[str]:
    """Steps whose adjusters were first turned while that step, and every other with that adjuster, stood in limits.

    Replayed from the log: the log is what an inspector would read. Of a step that was never read the log does not know;
    ``stood`` names those that were in limits as the radio was found, read or not.
    """
    tape = session.logbook.tape(session.job_id)
    state: JobState = fold(tape[:1])
    begun: set[str] = set()
    touched: list[str] = []
    for entry in tape[1:]:
        said = entry.said
        if isinstance(said, Turned) and said.moved:
            owners = [s for s in state.sheet.steps if said.adjuster in s.adjusters]
            fresh = [s for s in owners if s.id not in begun]
            if fresh and len(fresh) == len(owners) and not _called_for(state, owners, begun, stood):
                touched.append(f"{fresh[0].id} ({said.adjuster})")
            begun |= {s.id for s in owners}
        state = advance(state, entry)
    return touched


def _called_for(state: JobState, owners: list[Step], begun: set[str], stood: frozenset[str]) -> bool:
    if state.stand["in-spec"].choice in ("try", "optimise"):
        # The shop, or the procedure, has said that what is in limits is turned, too.
        return True
    if any(not _stands(state, s, stood) or _near_the_ceiling(state, s) for s in owners):
        return True
    # Two adjusters of one step work together: what either can change counts for both.
    parts = [state.sheet.adjuster(a) for s in owners for a in s.adjusters]
    others = [s for s in state.sheet.steps if s not in owners and (not s.adjust or s.id in begun)]
    return any(_read_out(state, s, parts) for s in others)


def _stands(state: JobState, step: Step, stood: frozenset[str]) -> bool:
    """Was every place of the step read, since anything that changes it was turned, and is it inside; or is that accepted? One that
    was never read stands where it is known to have stood."""
    judged = state.judged.get(step.id)
    if judged is not None and judged.verdict in ("not applicable", "accepted"):
        return True
    if step.id in stood and not any((step.id, index) in state.latest for index in range(len(step.required))):
        return True
    for index in range(len(step.required)):
        now = state.latest.get((step.id, index))
        if now is None or state.is_stale(step, index) or _side(step, now.reading) != "inside":
            return False
    return True


def _read_out(state: JobState, step: Step, parts: list[Adjuster]) -> bool:
    """Was this step last read out of its limit, at a place that these adjusters can change?"""
    for index, required in enumerate(step.required):
        now = state.latest.get((step.id, index))
        if now is None or not any(p.can_change(step.quantity_id, required) for p in parts):
            continue
        if _side(step, now.reading) != "inside":
            return True
    return False


def _side(step: Step, reading: Reading) -> str:
    """Where a reading lies: ``inside`` by more than twice its known uncertainty and more than readings of its kind spread,
    ``outside``, or ``unsure``: a generator of half-decibel steps does not tell a squelch 0.2 dB inside from one outside."""
    low, high, value = step.limit.low, step.limit.high, reading.value
    if value is None or reading.bound or reading.word:
        return "unsure"
    room = max(2.0 * (reading.u or 0.0), reading.std or 0.0)
    if (low is not None and value < low) or (high is not None and value > high):
        return "outside"
    if (low is not None and value - room < low) or (high is not None and value + room > high):
        return "unsure"
    return "inside"


def _near_the_ceiling(state: JobState, step: Step) -> bool:
    most = state.sheet.rule.ceiling(step.quantity_id)
    if most is None:
        return False
    for index in range(len(step.required)):
        now = state.latest.get((step.id, index))
        if now is not None and now.reading.value is not None:
            spread = now.reading.std if now.reading.std is not None else step.quantity.usual_std
            if now.reading.value + spread > most:
                return True
    return False
