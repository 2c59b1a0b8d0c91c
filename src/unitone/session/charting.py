"""A chart at the step at hand: the S-meter over the level, the squelch over its control, the detector beside the channel."""

from __future__ import annotations

from unitone.errors import BenchError, UnitoneError
from unitone.job.state import JobState
from unitone.session import scurve, smeter, squelch
from unitone.session.session import Session
from unitone.session.shapes import HillView
from unitone.sheet.model import Conditions, Step
from unitone.words import tr


def has_chart(step: Step) -> bool:
    """Is there a chart to be read at this step?"""
    return smeter.is_chart(step) or squelch.charted(step) or scurve.charted(step)


def _next(state: JobState, step: Step) -> Conditions | None:
    if smeter.is_chart(step):
        return smeter.next_conditions(state, step)
    return scurve.next_conditions(state, step) if scurve.charted(step) else squelch.next_conditions(state, step)


def next_words(state: JobState, step: Step) -> str:
    """What the chart reads next, for the button; "" where all is read, or where nothing is charted."""
    if state.finished or not has_chart(step):
        return ""
    if smeter.is_chart(step):
        return smeter.chart_next_words(state, step)
    return scurve.next_words(state, step) if scurve.charted(step) else squelch.next_words(state, step)


def curve(state: JobState, step: Step) -> HillView | None:
    """The chart as a plot; None where there is none, or too little is read."""
    if smeter.is_chart(step):
        return smeter.chart_curve(state, step)
    if scurve.charted(step):
        return scurve.curve(state, step)
    return squelch.curve(state, step) if squelch.charted(step) else None


def words(state: JobState, step: Step) -> str:
    """What the chart says, or what the readings say of the squelch; "" where there is nothing to say."""
    return smeter.chart_words(state, step) or scurve.words(state, step) or squelch.words(state, step)


def chart_on(session: Session) -> None:
    """Go on with the chart: a stand-in is read at every place that is left, a hand sets up the next. Raises BenchError."""
    step = session.step
    if not has_chart(step):
        raise BenchError(tr("Only an S-meter's, a squelch's or an FM detector's step has a chart: go to one first."))
    wanted = _next(session.state, step)
    if wanted is None:
        raise BenchError(tr("The whole chart is read. Turn something that reaches it, and it can be read anew."))
    while wanted is not None:
        try:
            session.set_up(wanted)
        except UnitoneError as error:
            if session.bench.simulated:
                session.set_up(step.setting)
            raise BenchError(tr("{error} The chart stands as far as it was read.", error=str(error))) from None
        if not session.bench.simulated:
            return
        session.measure(wanted)
        wanted = _next(session.state, step)
    session.set_up(step.setting)
