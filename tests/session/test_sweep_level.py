"""A sweep whose signal grows too strong: a generator by wire goes down and the trace goes on, one that is dialled by hand ends it."""

from __future__ import annotations

import pytest

from unitone.align.hill_readings import height
from unitone.bench.path import Kit
from unitone.bench.ports import Bench, DialledByHand, Measured, OwnHands, WallClock
from unitone.job.card import Card
from unitone.session.core_sweep import TOO_STRONG, CoreSweep
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Conditions
from unitone.store.logbook import Logbook


class Strong:
    """A meter and a generator: SINAD of an FM set far above its threshold, 1.6 dB for a dB until its ceiling."""

    name = "analyser"

    def __init__(self) -> None:
        self.levels: list[float | None] = []

    def set(self, conditions: Conditions) -> None:
        self.levels.append(conditions.level_dbm)

    def off(self) -> None:
        self.levels.append(None)

    def measures(self, quantity_id: str) -> bool:
        return quantity_id == "rx.sinad"

    def seconds_for(self, quantity_id: str) -> float:
        return 0.1

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        assert conditions.level_dbm is not None
        return Measured(min(12.0 + 1.6 * (conditions.level_dbm + 128.0), 27.0), self.name, 0.1)

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        return self.measure(quantity_id, conditions)

    def cancel(self) -> None: ...


@pytest.mark.parametrize("by_wire", [True, False])
def test_too_strong_a_signal(by_wire: bool) -> None:
    book = Logbook(None)
    try:
        job = open_job(book, "ostrel-tarn-40", Card(book.next_number(), "ostrel-tarn-40"), Kit(pads_db=(40.0,)))
        strong = Strong()
        source = strong if by_wire else DialledByHand()
        session = Session(book, job, Bench((strong,), source, OwnHands(), WallClock()))
        step = next(s for s in session.sheet.steps if s.aim == "peak" and s.hill_id == "rx.sinad")
        session.start_work()
        session.go_to(step.id)
        session.confirm_hook_up("receive")
        session.set_up(step.setting)
        sweep = CoreSweep(session, step.adjusters[0])
        began = sweep.conditions.level_dbm
        assert began is not None and strong.measure("rx.sinad", sweep.conditions).value == 27.0
        heights = []
        for n in range(40):
            sweep.take(session, 0.1 * n)
            heights.append(sweep.trace[-1][1])
        if not by_wire:
            assert sweep.said.code == TOO_STRONG and sweep.conditions.level_dbm == began
            return
        assert sweep.said.code != TOO_STRONG and sweep.conditions.level_dbm is not None
        assert sweep.conditions.level_dbm < began and strong.levels[-1] == sweep.conditions.level_dbm
        # Down there the reading is off its ceiling, and the height counts on from what was taken off.
        shown = strong.measure("rx.sinad", sweep.conditions)
        high = height(step.hill_quantity, sweep.reading(shown))
        assert high is not None and shown.value is not None and shown.value <= 19.0
        taken_off = began - sweep.conditions.level_dbm
        assert heights[-1] == pytest.approx(high[0] / step.hill_quantity.hill_slope + taken_off, abs=0.1)
    finally:
        book.close()
