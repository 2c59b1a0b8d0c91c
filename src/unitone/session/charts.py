"""A chart gone on with: a simulated radio is read at every place that is left, a hand sets up the next."""

from __future__ import annotations

from unitone.align.advise import advise
from unitone.align.charts import has_chart
from unitone.align.moves import Done, HookUp, Measure
from unitone.errors import BenchError, HookUpError, UnitoneError
from unitone.session.session import Session
from unitone.words import tr


def chart_on(session: Session) -> None:
    """Go on with the chart: a simulated radio is read at every place that is left, a hand sets up the next. Raises BenchError."""
    step = session.step
    if not has_chart(step):
        raise BenchError(tr("Charts exist for S-meter, squelch, FM detector and IF steps. Go to one first."))
    move = advise(session.state, "chart")
    if isinstance(move, Done):
        raise BenchError(tr("The chart is complete. Turn an adjuster that affects it to read it again."))
    while not isinstance(move, Done):
        if isinstance(move, HookUp):
            raise HookUpError.wrong_way(move.way, session.state.hook_up)
        if isinstance(move, Measure) and not session.bench.simulated:
            session.set_up(move.conditions)
            return
        try:
            session.follow(move)
        except UnitoneError as error:
            if session.bench.simulated:
                session.set_up(step.setting)
            raise BenchError(tr("{error} The chart keeps what was read.", error=str(error))) from None
        if not session.bench.simulated:
            return
        move = advise(session.state, "chart")
    session.set_up(step.setting)
