"""Trials at the Bench: is this worth aligning, and what does this preset do? A simulated radio goes through by itself, a hand is led."""

from __future__ import annotations

from unitone.align.hill_readings import is_null
from unitone.align.probe.nudge import WORTH_DB, Moved, gain_text, lacking_effect, last_whole, moved_by, running, worth
from unitone.job.state import JobState
from unitone.job.trial import Trial
from unitone.present.bench.sentences import amount
from unitone.quantities.registry import quantity
from unitone.quantities.show import number, show_value
from unitone.sheet.model.sheet import Step
from unitone.words import tr

# -- in words -----------------------------------------------------------------------------------------


def describe_trial(state: JobState, step: Step) -> str:
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
        told.append(describe_what(state, trial))
    return " ".join(told)


def describe_what(state: JobState, trial: Trial) -> str:
    """What a nudge did, as a sentence."""
    name = trial.origin[0][0]
    part = state.sheet.adjuster(name)
    moved = moved_by(state, trial)
    sure = [m for m in moved if m.sure]
    how = amount(part, moved[0].nudge_mdeg) if moved else ""
    if not sure:
        return tr(
            "{adjuster}, {how}: none of {n} readings moved. No effect here: try the other hook-up.",
            adjuster=name, how=how, n=len(moved),
        )  # fmt: skip
    rest = len(moved) - len(sure)
    words = tr("{adjuster}, {how}, moves {list}", adjuster=name, how=how, list=", ".join(_moved_text(m) for m in sure))
    words += tr("; {n} others stay.", n=rest) if rest else "."
    lacking = lacking_effect(state, trial)
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
