"""Trials at the Bench: is this worth aligning, and what does this preset do? A stand-in goes through by itself, a hand is led."""

from __future__ import annotations

from unitone.coach.hills import is_null
from unitone.coach.sentences import amount
from unitone.coach.trial import WORTH_DB, Moved, gain_text, last_whole, moved_by, running, worth
from unitone.errors import BenchError
from unitone.job.state import JobState
from unitone.job.trial import Trial, Watched
from unitone.quantities.registry import FOUND_BY, HEARD, quantity
from unitone.quantities.show import number, show_value
from unitone.session.session import Session, reach_data
from unitone.sheet.model import Reach, Step
from unitone.sheet.read import to_data
from unitone.sheet.write import to_toml
from unitone.words import tr

#: So many readings are compared by hand, and on a stand-in's bench.
_BY_HAND, _SIMULATED = 4, 10
_AT_MOST = 200
#: Readings that a nudge of one adjuster is not told by: found by a procedure, or in words.
_NOT_WATCHED = frozenset({HEARD, "rx.squelch_opens", "rx.squelch_closes", "rx.lamp_lights", "supply.volts"})


def can_be_worth(step: Step) -> bool:
    """Is it a step whose adjusters have a hill to gain on?"""
    return (
        step.aim in ("peak", "level")
        and bool(step.adjust)
        and step.hill_id != HEARD
        and step.quantity.kind != "hertz-error"
    )


def ask_worth(session: Session) -> None:
    """*Worth aligning?* of the step at hand; asked again while it goes on, it is broken off. Raises BenchError."""
    step = session.step
    if _broken_off(session):
        return
    if not can_be_worth(step):
        raise BenchError(tr("Only where something is peaked is there a gain to be foretold: go to such a step first."))
    if session.state.stand["reading"].choice == "ear" and step.read_by == HEARD:
        raise BenchError(tr("An ear hears no tenths of a decibel: read something first (O)."))
    session.begin_trial("worth", step.adjusters)
    _go_through(session)


def ask_what(session: Session, adjuster: str) -> None:
    """*What does this do?* of an adjuster: nudged, and all that can be read as the bench is hooked up is compared. Raises BenchError."""
    if _broken_off(session):
        return
    if not adjuster:
        raise BenchError(tr("Take an adjuster in hand first."))
    watched = _to_watch(session)
    if not watched:
        raise BenchError(tr("As the bench is hooked up here, no step reads anything: go to a step that does."))
    session.begin_trial("unknown", [adjuster], watched)
    _go_through(session)


def _broken_off(session: Session) -> bool:
    if running(session.state) is None:
        return False
    session.break_off_trial()
    return True


def _go_through(session: Session) -> None:
    """A stand-in's bench does the whole trial; a hand is led through it move by move."""
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


# -- in words -----------------------------------------------------------------------------------------


def trial_words(state: JobState, step: Step) -> str:
    """What the trials at this step told, or how far the one that goes on is."""
    going = running(state)
    if going is not None:
        return (
            tr("Trial: is it worth aligning? V breaks it off.")
            if going.what == "worth"
            else tr("Trial: what does {adjuster} do? Q breaks it off.", adjuster=going.origin[0][0])
        )
    told = []
    gains = worth(state, step)
    if gains:
        total = sum(g.db for g in gains)
        what = tr("dB deeper") if is_null(step) else tr("dB")
        told.append(
            tr("Worth aligning? {list}: {total} {what} in all, {verdict}.", list=", ".join(gain_text(g) for g in gains),
               total=number(total, 1), what=what,
               verdict=tr("worth it") if total >= WORTH_DB else tr("leave it alone"))
        )  # fmt: skip
    trial = last_whole(state, "unknown", step.id)
    if trial is not None:
        told.append(what_words(state, trial))
    return " ".join(told)


def what_words(state: JobState, trial: Trial) -> str:
    """What a nudge did, as a sentence."""
    name = trial.origin[0][0]
    part = state.sheet.adjuster(name)
    moved = moved_by(state, trial)
    sure = [m for m in moved if m.sure]
    how = amount(part, moved[0].nudge_mdeg) if moved else ""
    if not sure:
        return tr(
            "{adjuster}, {how}: none of {n} readings moved. It does nothing here, or little: hook up the other way and ask again.",
            adjuster=name, how=how, n=len(moved),
        )  # fmt: skip
    rest = len(moved) - len(sure)
    words = tr("{adjuster}, {how}, moves {list}", adjuster=name, how=how, list=", ".join(_moved_text(m) for m in sure))
    words += tr("; {n} others stay.", n=rest) if rest else "."
    lacking = lacking_reach(state, trial)
    return words + (" " + tr("Y keeps that in this radio's own sheet.") if lacking else "")


def _moved_text(moved: Moved) -> str:
    q = quantity(moved.quantity_id)
    if q.kind == "level":
        return tr("{what} by {db} dB", what=q.title, db=number(moved.by, 1))
    if q.kind == "s-units":
        return tr("{what} by {db} dB", what=q.title, db=number(moved.by, 1))
    figure, unit = show_value(q, abs(moved.by))
    figure = figure.lstrip("+")
    return tr(
        "{what} by {sign}{figure} {unit}", what=q.title, sign="+" if moved.by > 0 else "−", figure=figure, unit=unit
    )


def lacking_reach(state: JobState, trial: Trial) -> list[str]:
    """Quantities that a nudge moved and that the sheet does not say it reaches."""
    part = state.sheet.adjuster(trial.origin[0][0])
    return [
        m.quantity_id for m in moved_by(state, trial) if m.sure and not part.can_change(m.quantity_id, m.conditions)
    ]


def keep_reach(session: Session) -> None:
    """What the last nudge moved goes into this radio's own copy of the sheet, as the adjuster's reach. Raises BenchError."""
    trial = last_whole(session.state, "unknown")
    if trial is None:
        raise BenchError(tr("Ask first what an adjuster does (Q)."))
    name = trial.origin[0][0]
    lacking = lacking_reach(session.state, trial)
    if not lacking:
        raise BenchError(tr("The sheet says already what {adjuster} reaches.", adjuster=name))
    written = session.state.written
    data = to_data(written.source_text, written.id)
    for row in data["adjuster"]:
        if row["id"] == name:
            # Where the sheet says nothing of it, its reach is taken widely: that is not narrowed by what was found.
            have = row.get("reaches") or [_written(r) for r in written.adjuster(name).reaches]
            row["reaches"] = [*have, *lacking]
    session.set_variant(
        tr("what {adjuster} does", adjuster=name),
        to_toml(data, written.source_text),
        tr("found by a nudge"),
        reaches=(),
    )


def _written(reach: Reach) -> dict[str, str]:
    """A reach as a sheet's table has it."""
    data = reach_data(reach)
    return {"quantity": data.pop("pattern"), **data}
