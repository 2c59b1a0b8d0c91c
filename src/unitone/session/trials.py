"""Trials at the Bench: is this worth aligning, and what does this preset do? A simulated radio goes through by itself, a hand is led."""

from __future__ import annotations

from unitone.align.probe.nudge import can_be_worth, lacking_effect, last_whole, running
from unitone.errors import BenchError
from unitone.job.entries.hands import effect_to_data
from unitone.job.trial import Watched
from unitone.quantities.registry import FOUND_BY, HEARD
from unitone.session.session import Session
from unitone.sheet.format.read import to_data
from unitone.sheet.format.write import to_toml
from unitone.sheet.model.sheet import Effect
from unitone.words import tr

#: So many readings are compared by hand, and on a simulated radio's bench.
_BY_HAND, _SIMULATED = 4, 10


_AT_MOST = 200


#: Readings that a nudge of one adjuster is not told by: found by a procedure, or in words.
_NOT_WATCHED = frozenset({HEARD, "rx.squelch_opens", "rx.squelch_closes", "rx.led_lights", "supply.voltage"})


def ask_worth(session: Session) -> None:
    """*Worth aligning?* of the step at hand; asked again while it goes on, it is broken off. Raises BenchError."""
    step = session.step
    if _broken_off(session):
        return
    if not can_be_worth(step):
        raise BenchError(tr("A gain is predicted for peaked circuits only. Go to such a step first."))
    if session.state.stand["reading"].choice == "ear" and step.read_by == HEARD:
        raise BenchError(tr("An ear cannot hear tenths of a decibel: choose a meter (O)."))
    session.begin_trial("worth", step.adjusters)
    _go_through(session)


def ask_what(session: Session, adjuster: str) -> None:
    """*What does this do?* of an adjuster: nudged, and all that can be read as the bench is hooked up is compared. Raises BenchError."""
    if _broken_off(session):
        return
    if not adjuster:
        raise BenchError(tr("Select an adjuster first."))
    watched = _to_watch(session)
    if not watched:
        raise BenchError(tr("No reading is possible with this hook-up. Go to another step."))
    session.begin_trial("unknown", [adjuster], watched)
    _go_through(session)


def _broken_off(session: Session) -> bool:
    if running(session.state) is None:
        return False
    session.break_off_trial()
    return True


def _go_through(session: Session) -> None:
    """A simulated radio's bench does the whole trial; a hand is led through it move by move."""
    if not session.bench.simulated:
        return
    try:
        for _ in range(_AT_MOST):
            if running(session.state) is None:
                return
            session.follow(session.advice())
    except Exception:
        # Whatever went wrong: no nudge is left behind, and the trial does not stand in the way of the work.
        trial = running(session.state)
        if trial is not None:
            for name, origin in trial.origin:
                session.turn(name, origin - session.state.positions[name])
        if running(session.state) is not None:
            session.break_off_trial()
        raise


def _to_watch(session: Session) -> list[Watched]:
    """What can be read as the step at hand is hooked up: one of each quantity, the step's own first."""
    here = session.step
    found: dict[str, Watched] = {}
    steps = [here, *(s for s in session.sheet.steps if s.hook_up == here.hook_up)]
    for step in steps:
        q, conditions = step.quantity_id, step.setting
        if q in FOUND_BY or q in _NOT_WATCHED or q in found:
            continue
        if conditions.mode not in (None, here.setting.mode) and not session.bench.simulated:
            continue
        if not session.bench.simulated or session.bench.can_measure(q):
            found[q] = Watched(q, conditions)
    return list(found.values())[: _SIMULATED if session.bench.simulated else _BY_HAND]


def keep_effect(session: Session) -> None:
    """What the last nudge moved goes into this radio's own copy of the sheet, as the adjuster's reach. Raises BenchError."""
    trial = last_whole(session.state, "unknown")
    if trial is None:
        raise BenchError(tr("Ask first what an adjuster does (Q)."))
    name = trial.origin[0][0]
    lacking = lacking_effect(session.state, trial)
    if not lacking:
        raise BenchError(tr("The sheet already says what {adjuster} affects.", adjuster=name))
    written = session.state.written
    data = to_data(written.source_text, written.id)
    for row in data["adjuster"]:
        if row["id"] == name:
            # Where the sheet says nothing of it, its reach is taken widely: that is not narrowed by what was found.
            have = row.get("affects") or [_written(r) for r in written.adjuster(name).affects]
            row["affects"] = [*have, *lacking]
    session.set_variant(
        tr("what {adjuster} does", adjuster=name),
        to_toml(data, written.source_text),
        tr("found by a probe"),
        affects=(),
    )


def _written(reach: Effect) -> dict[str, str]:
    """A reach as a sheet's table has it."""
    data = effect_to_data(reach)
    return {"quantity": data.pop("pattern"), **data}
