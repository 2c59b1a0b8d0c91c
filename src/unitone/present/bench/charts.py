"""A chart at the step at hand: the S-meter over the level, the squelch over its control, detector and IF beside the channel."""

from __future__ import annotations

from unitone.align.charts import has_chart
from unitone.align.null.scurve import is_chart as is_scurve
from unitone.align.pairs.swept import is_chart as is_swept
from unitone.align.smeter.chart import is_chart as is_smeter
from unitone.align.squelch.chart import is_chart as is_squelch
from unitone.job.state import JobState
from unitone.present.bench import scurve, smeter, squelch
from unitone.present.bench.bench_shapes import HillView
from unitone.present.bench.if_curve import describe_sweep, if_curve, is_peaked, sweep_next, sweep_started
from unitone.sheet.model.sheet import Step


def next_words(state: JobState, step: Step) -> str:
    """What the chart reads next, for the button; "" where all is read, or where nothing is charted."""
    if state.finished or not has_chart(step):
        return ""
    if is_smeter(step):
        return smeter.describe_chart_next(state, step)
    if is_swept(step):
        return sweep_next(state, step) if is_peaked(state, step) or sweep_started(state, step) else ""
    return scurve.next_words(state, step) if is_scurve(step) else squelch.next_words(state, step)


def curve(state: JobState, step: Step) -> HillView | None:
    """The chart as a plot; None where there is none, or too little is read."""
    if is_smeter(step):
        return smeter.chart_curve(state, step)
    if is_scurve(step):
        return scurve.curve(state, step)
    if is_swept(step) and sweep_started(state, step):
        return if_curve(state, step)
    return squelch.curve(state, step) if is_squelch(step) else None


def words(state: JobState, step: Step) -> str:
    """What the chart says, or what the readings say of the squelch; "" where there is nothing to say."""
    return (
        smeter.describe_chart(state, step)
        or scurve.words(state, step)
        or describe_sweep(state, step)
        or squelch.words(state, step)
    )
