"""A chart at a step: the S-meter over the level, the squelch over its control, detector and IF beside the channel; what is read next."""

from __future__ import annotations

from unitone.align.moves import Advice, Done
from unitone.align.null import scurve
from unitone.align.pairs import swept
from unitone.align.reading_move import to_read
from unitone.align.smeter import chart as smeter
from unitone.align.squelch import chart as squelch
from unitone.job.state import JobState
from unitone.sheet.model.sheet import Conditions, Step


def has_chart(step: Step) -> bool:
    """Is there a chart to be read at this step?"""
    return any(kind.is_chart(step) for kind in (smeter, squelch, scurve, swept))


def next_conditions(state: JobState, step: Step) -> Conditions | None:
    """The next place of the step's chart that was not read; None when all are."""
    if smeter.is_chart(step):
        return smeter.next_conditions(state, step)
    if swept.is_chart(step):
        return swept.next_conditions(state, step)
    return scurve.next_conditions(state, step) if scurve.is_chart(step) else squelch.next_conditions(state, step)


def chart_move(state: JobState, step: Step) -> Advice:
    """The next move of the chart; done where there is none, or where all of it is read."""
    wanted = next_conditions(state, step) if has_chart(step) else None
    return Done(step.id, "chart-read") if wanted is None else to_read(state, step, wanted, "chart")
