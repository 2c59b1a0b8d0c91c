"""A chart gone on with: a simulated radio is read at every place that is left, a hand sets up the next."""

from __future__ import annotations

from unitone.align.charts import has_chart, next_conditions
from unitone.errors import BenchError, UnitoneError
from unitone.session.session import Session
from unitone.words import tr


def chart_on(session: Session) -> None:
    """Go on with the chart: a stand-in is read at every place that is left, a hand sets up the next. Raises BenchError."""
    step = session.step
    if not has_chart(step):
        raise BenchError(tr("Only an S-meter's, a squelch's or an FM detector's step has a chart: go to one first."))
    wanted = next_conditions(session.state, step)
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
        wanted = next_conditions(session.state, step)
    session.set_up(step.setting)
