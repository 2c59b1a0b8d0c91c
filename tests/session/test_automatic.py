"""Readings by themselves over wires: three channels of 12 dB SINAD, squelch ends, what hands are asked for, cables pulled in the middle."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import pytest

from unitone.align.moves import conditions_of
from unitone.bench.path import Kit
from unitone.bench.wire.selectivity import TwoSettingsByWire
from unitone.bench.wire.squelch_ends import SquelchByWire
from unitone.errors import BenchError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.robot.by_wire import WiredBench
from unitone.robot.many import simulated
from unitone.session.automatic import Automatic, can_run
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Step
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.served import BenchServer, ServedBench
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook

TARN = "ostrel-tarn-40"


class Wires:
    """A job on a simulated FM mobile that is reached through TCP alone."""

    def __init__(self) -> None:
        path, self.sheet, physics = simulated(TARN)
        self.served = ServedBench(SimulatedBench(SimulatedRadio(self.sheet, physics, 5)), self.sheet, 40.0)
        self.server = BenchServer(self.served)
        self.bench = WiredBench(self.server, self.served, self.sheet)
        self.bench.meters = (*self.bench.wires, SquelchByWire(self.bench.generator, self.bench.wires[0]))
        self.book = Logbook(None)
        kit = Kit(pads_db=(40.0,))
        self.job = open_job(self.book, str(path), Card(self.book.next_number(), TARN), kit)
        self.session = Session(self.book, self.job, self.bench)

    def at(self, quantity_id: str) -> Step:
        step = next(s for s in self.sheet.steps if s.quantity_id == quantity_id)
        self.session.start_work()
        self.session.go_to(step.id)
        self.session.confirm_hook_up("receive")
        return step

    def run(self, run: Automatic, most: int = 200) -> tuple[str, list[str | None]]:
        """Hands that do what they are asked; how it ended, and the channels asked for."""
        asked: list[str | None] = []
        for _ in range(most):
            told = run.tick(self.session)
            if told.came == "hands":
                wanted = conditions_of(told.advice)
                assert wanted is not None
                asked.append(wanted.channel)
                self.bench.beside.stand(wanted)
                run.hands_ready(self.session)
            elif told.came != "read":
                return told.came, asked
        raise AssertionError("endless")


@pytest.fixture
def wires() -> Iterator[Wires]:
    made = Wires()
    yield made
    made.bench.close()
    made.server.close()
    made.book.close()


def test_sinad_on_three_channels_takes_eight_settings_of_the_generator_at_most(wires: Wires) -> None:
    step = wires.at("rx.sensitivity")
    assert can_run(wires.session) == "places"
    before = wires.bench.generator.settings
    assert wires.run(Automatic(wires.session, "places")) == ("over", [c.channel for c in step.required])
    levels = [x.reading for x in fold(wires.book.tape(wires.job)).readings if x.reading.quantity_id == "rx.sensitivity"]
    assert [r.conditions for r in levels] == list(step.required)
    assert wires.bench.generator.settings - before <= 8 * len(levels)
    # As the simulated bench itself finds them.
    for reading in levels:
        direct = wires.served.bench.measure("rx.sinad", replace(reading.conditions, level_dbm=reading.value))
        assert direct.value == pytest.approx(12.0, abs=1.6)
    with pytest.raises(BenchError, match="Everything here is read"):
        Automatic(wires.session, "places")


def test_squelch_ends_are_found_over_the_whole_control_and_rf_is_off_at_the_end(wires: Wires) -> None:
    wires.at("rx.squelch_opens")
    assert can_run(wires.session) == "chart"
    came, asked = wires.run(Automatic(wires.session, "chart"))
    read = [x.reading for x in wires.session.state.readings if x.reading.quantity_id == "rx.squelch_opens"]
    assert came == "over" and len(read) == len(asked) >= 4 and all(r.source == "remote" for r in read)
    values = [r.value for r in sorted(read, key=lambda r: int(dict(r.conditions.panel)["squelch"].split()[0]))]
    assert all(a is not None and b is not None and a <= b + 0.6 for a, b in zip(values, values[1:], strict=False))
    assert not wires.served.state.rf


def test_a_cable_pulled_in_the_middle_ends_it_with_words_and_it_goes_on_from_there(wires: Wires) -> None:
    wires.at("rx.sensitivity")
    run = Automatic(wires.session, "places")
    for _ in range(4):
        told = run.tick(wires.session)
        if told.came == "hands":
            wires.bench.beside.stand(conditions_of(told.advice))  # type: ignore[arg-type]
            run.hands_ready(wires.session)
    count = len(wires.session.state.readings)
    wires.server.cut("audio analyser")
    with pytest.raises(BenchError, match="Audio analyser"):
        run.tick(wires.session)
    assert not wires.served.state.rf and len(fold(wires.book.tape(wires.job)).readings) == count > 1
    assert wires.run(Automatic(wires.session, "places"))[0] == "over"


def test_what_no_instrument_reads_and_another_hook_up_are_left_to_hands(wires: Wires) -> None:
    wires.at("rx.s_meter")
    assert can_run(wires.session) is None and wires.run(Automatic(wires.session, "places"))[0] == "typed"
    power = next(s for s in wires.sheet.steps if s.quantity_id == "tx.power")
    wires.session.go_to(power.id)
    assert wires.run(Automatic(wires.session, "places"))[0] == "hook-up"
    wires.session.confirm_hook_up("transmit")
    # Every reading of a keyed radio is asked for: nothing else keeps it keyed.
    came, asked = wires.run(Automatic(wires.session, "places"))
    assert came == "over" and len(asked) == len(power.required)


@pytest.mark.parametrize("quantity_id", ["rx.selectivity", "rx.agc_rise"])
def test_two_settings_by_wire_come_to_what_the_simulated_bench_finds(quantity_id: str) -> None:
    _, sheet, physics = simulated("ostrel-teal-6")
    served = ServedBench(SimulatedBench(SimulatedRadio(sheet, physics, 2)), sheet, 40.0)
    server = BenchServer(served)
    bench = WiredBench(server, served, sheet)
    try:
        step = next((s for s in sheet.steps if s.quantity_id == quantity_id), None)
        assert step is not None
        bench.beside.stand(step.setting)
        meter = TwoSettingsByWire(bench.generator, [*bench.wires, bench.beside])
        assert meter.measures(quantity_id) and not meter.measures("rx.sinad")
        got = meter.measure(quantity_id, step.setting)
        direct = SimulatedBench(SimulatedRadio(sheet, physics, 2)).measure(quantity_id, step.setting).value
        assert direct is not None and got.value is not None
        # A generator that does not reach as far says so.
        assert got.value == pytest.approx(direct, abs=2.5) or (got.bound == ">" and got.value <= direct)
    finally:
        bench.close()
        server.close()
