"""The frequency coach's moves as sentences."""

from __future__ import annotations

from unitone.align.frequency.counts import COUNTED, LEAVE_HZ
from unitone.align.frequency.trimming import Tuning, advise_tuning, tells_apart
from unitone.job.state import JobState
from unitone.job.verdicts import SETTLED, verdict
from unitone.quantities.show import number
from unitone.sheet.model.sheet import Step
from unitone.words import tr


def describe_elsewhere(state: JobState, step: Step) -> str:
    """At a step that counts a frequency: what the counts say should be turned first, where that is not this step's own trimmer.

    Empty while the radio is read as found, where nothing is out, and where one trimmer serves several crystals.
    """
    if state.phase == "as-found" or step.quantity_id not in COUNTED or verdict(state, step) in SETTLED:
        return ""
    if not tells_apart(state.sheet):
        return ""
    move = advise_tuning(state)
    if move.act != "turn" or move.adjuster in step.adjusters:
        return ""
    return describe_tuning(move)


def describe_tuning(move: Tuning) -> str:
    """The move as a sentence."""
    left = "".join(
        " "
        + tr(
            "{id} stays {hz} Hz off: its trimmer does not reach. See Calculators, “Which padder?”.",
            id=name,
            hz=number(abs(hz), 0),
        )
        for name, hz in move.given_up
        if abs(hz) > LEAVE_HZ
    )
    if move.act == "check counter":
        return tr("All readings are off by the same ppm: check the counter against a standard first.") + left
    if move.act == "done" or move.at is None:
        said = (
            tr("Well in spec: leave it alone.")
            if move.why == "well-inside"
            else tr("On frequency on all bands and modes.")
        )
        return (tr("As close as the trimmers allow.") if left else said) + left
    label, mhz = move.at.point.label, f"{(move.at.point.hz + move.aim_hz) / 1e6:.6f}"
    if move.act == "turn":
        return tr(
            "Turn {trim} until {label} shows {mhz} MHz: that puts {id} right.", trim=move.adjuster, label=label, mhz=mhz, id=move.oscillator
        ) + left  # fmt: skip
    reasons = {
        "first": tr("first reading"), "tells": tr("it shows which oscillator is off"), "refines": tr("it shows how far off"),
        "does-not-fit": tr("the last count there does not match the others"), "watch": tr("{trim} moves it", trim=move.adjuster),
        "check": tr("as a check"),
    }  # fmt: skip
    return tr("Count {label}: {why}.", label=label, why=reasons.get(move.why, tr("as a check"))) + left
