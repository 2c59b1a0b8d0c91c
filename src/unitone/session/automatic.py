"""Readings taken one after the other by the instruments: every place of a step, its chart, the as-found round; hands do the rest.

A generator and meters that the program reaches (wire, camera, sound card) take each reading as if
it were typed. What only hands can do (channel, band, front panel, probe, the key) is asked for,
and waited for. Between two readings it can be stopped.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from unitone.align import moves
from unitone.align.advise import advise, next_place
from unitone.align.charts import has_chart
from unitone.errors import BenchError
from unitone.quantities.registry import FOUND_BY
from unitone.session.session import Session
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr

Kind = Literal["places", "chart"]
#: What came of a tick: a reading is on the log, hands are waited for, nothing is left, or somebody has to do the rest.
Came = Literal["read", "hands", "over", "typed", "hook-up"]
#: Readings at most; a level that is not found would go on for ever.
_MOST = 600


@dataclass(frozen=True)
class Told:
    """What came of a tick, and the move that it was about: read, waited for, or left."""

    came: Came
    advice: moves.Advice
    count: int
    #: How the radio stands, as hands set it last; None before the first time.
    stands: Conditions | None = None


def by_hand(session: Session, conditions: Conditions) -> Conditions:
    """What of them hands set: all but what a generator by wire sets by itself."""
    if not session.bench.source_by_wire or conditions.way == "transmit":
        return conditions
    return replace(conditions, level_dbm=None, offset_hz=None, deviation_hz=None, depth_pct=None, tone_hz=None)


class Automatic:
    """A run at the step at hand. Raises BenchError where nothing is to be read there."""

    def __init__(self, session: Session, kind: Kind) -> None:
        self._kind: Kind = kind
        self._step = session.step.id
        self._round = session.state.phase == "as-found" and kind == "places"
        self._stands: Conditions | None = None
        self.count = 0
        if isinstance(self._next(session), moves.Done):
            raise BenchError(tr("Everything here is read. Turn an adjuster that affects it to read it again."))

    def _next(self, session: Session) -> moves.Advice:
        if self._kind == "chart":
            return advise(session.state, "chart")
        return next_place(session.state)

    def hands_ready(self, session: Session) -> Told:
        """What was asked of the hands is done: the reading that is taken next."""
        advice = self._next(session)
        wanted = moves.conditions_of(advice)
        if wanted is not None:
            self._stands = by_hand(session, wanted)
        return Told("read", advice, self.count)

    def tick(self, session: Session) -> Told:
        """The next reading, or what is waited for. Raises BenchError as the meter does: then it is over, and the log keeps what was read."""
        advice = self._next(session)
        if isinstance(advice, moves.GoTo) and self._round and advice.why == "as-found":
            session.go_to(advice.step)
            return Told("read", advice, self.count)
        if isinstance(advice, moves.LogLevel | moves.SetUp):
            session.follow(advice)
            self.count += isinstance(advice, moves.LogLevel)
            return Told("read", advice, self.count)
        if isinstance(advice, moves.HookUp):
            return Told("hook-up", advice, self.count)
        if not isinstance(advice, moves.Measure) or self.count >= _MOST:
            return Told("over", advice, self.count)
        quantity_id = advice.quantity or session.reading_quantity(advice.conditions)
        quantity_id = FOUND_BY.get(quantity_id, (quantity_id,))[0]
        if not session.bench.can_measure(quantity_id, advice.conditions):
            return Told("typed", advice, self.count)
        if not session.bench.simulated and self._stands != by_hand(session, advice.conditions):
            return Told("hands", advice, self.count, self._stands)
        session.measure(advice.conditions)
        self.count += 1
        if advice.conditions.way == "transmit":
            # Nothing keeps a radio keyed but a thumb: the next reading asks for it again.
            self._stands = None
        return Told("read", advice, self.count)


def can_run(session: Session) -> Kind | None:
    """Which run would read something here by itself: the chart first, where there is one; None where hands or eyes do it all."""
    bench = session.bench
    if bench.simulated or not bench.meters or session.state.finished:
        return None
    for kind in ("chart", "places"):
        if kind == "chart" and not has_chart(session.step):
            continue
        advice = advise(session.state, "chart") if kind == "chart" else next_place(session.state)
        if isinstance(advice, moves.Measure):
            quantity_id = advice.quantity or session.reading_quantity(advice.conditions)
            quantity_id = FOUND_BY.get(quantity_id, (quantity_id,))[0]
            dialled = not bench.source_by_wire and advice.conditions.level_dbm is not None
            if bench.can_measure(quantity_id, advice.conditions) and not dialled:
                return "chart" if kind == "chart" else "places"
    return None
