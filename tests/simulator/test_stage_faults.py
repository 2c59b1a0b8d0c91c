"""Injection into a simulated radio, and its faults at stages: level, voltages, oscillators and joints agree."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from unitone.align.trace.ladder import INJECTION, chain, dial, traced_modes
from unitone.errors import BenchError, SheetError
from unitone.job.card import Card
from unitone.robot.many import simulated
from unitone.robot.traced_radios import as_it_comes_in, find_and_repair, trace_one
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import read_sheet
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.simulator.mechanics import stream, unit_mdeg
from unitone.simulator.physics import parse_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.simulator.stage_faults import dry_joints, signal_runs, stage_faults
from unitone.store.logbook import Logbook

HERON = "corvane-heron-3"
RADIOS = Path(__file__).resolve().parents[1] / "radios"


def aligned(sheet_name: str, fault: str = "") -> SimulatedBench:
    _, sheet, physics = simulated(sheet_name)
    assert physics.receive is not None
    even = physics.model_copy(update={"receive": physics.receive.model_copy(update={"gain_spread": 0.0})})
    radio = SimulatedRadio(sheet, even, 3, fault)
    for a in sheet.adjusters:
        radio.mechanics.turn(a.id, -round(radio.mechanics.off(a.id) * unit_mdeg(a)))
    return SimulatedBench(radio)


def conditions(sheet_id: str, mode: str = "") -> Conditions:
    with Logbook(None) as book:
        session = Session(book, open_job(book, sheet_id, Card(1, sheet_id)))
        if mode:
            session.confirm_hook_up("receive")
            session.tracing.set_mode(mode)
        return dial(session.state)


def level(bench: SimulatedBench, sheet: Sheet, stage: str, mode: str = "") -> float | None:
    base = conditions(sheet.id, mode)
    got = bench.measure(INJECTION, replace(base, inject=stage))
    return None if got.bound else got.value


@pytest.mark.parametrize("sheet_name", [HERON, "ostrel-tarn-40", "ostrel-weir-40-am", "ostrel-teal-6"])
def test_an_aligned_radio_takes_what_its_sheet_expects(sheet_name: str) -> None:
    bench = aligned(sheet_name)
    sheet = bench.radio.sheet
    for stage in chain(sheet):
        assert level(bench, sheet, stage.id) == pytest.approx(stage.expect_dbm, abs=3.0), stage.id


@pytest.mark.parametrize(
    ("mode", "own"),
    [("am", ("if", "am-detector")), ("fm", ("if", "fm-detector")), ("lsb", ("ssb-if", "product-detector"))],
)
def test_each_mode_is_fed_along_its_own_way(mode: str, own: tuple[str, str]) -> None:
    bench = aligned("ostrel-curlew-5")
    sheet = bench.radio.sheet
    assert traced_modes(sheet) == ("am", "fm", "usb", "lsb")
    way = chain(sheet, "receive", mode)
    assert [s.id for s in way] == ["aerial", "rf", "mixer", *own, "audio"]
    for stage in way:
        assert level(bench, sheet, stage.id, mode) == pytest.approx(stage.expect_dbm, abs=3.0), stage.id
    with pytest.raises(BenchError, match="no mode 'cw'"):
        conditions(sheet.id, "cw")


@pytest.mark.parametrize(
    ("fault", "most"),
    [("ssb-if:dead", 2), ("product-detector:dead", 2), ("if:weak", 2), ("mixer:dead", 4), ("balance:dead", 2)],
)
def test_what_is_right_in_one_mode_clears_what_the_other_shares(fault: str, most: int) -> None:
    stage = fault.partition(":")[0]
    with Logbook(None) as book:
        card = Card(book.next_number(), "ostrel-curlew-5", simulated_seed=77, simulated_fault=fault)
        session = Session(book, open_job(book, card.sheet_id, card))
        assert isinstance(session.bench, SimulatedBench)
        true = session.bench.radio.part_fault
        assert true is not None
        as_it_comes_in(session, stage)
        way = next(s.way for s in session.sheet.stages if s.id == stage)
        assert way in ("receive", "transmit")
        tests, _, named, sure, _ = find_and_repair(session, true, stream(77, "trace"), way)
        assert (named, sure) == (stage, True) and tests <= most and session.bench.radio.part_fault is None


def test_a_fault_costs_every_point_before_it_and_none_behind() -> None:
    sound, weak = aligned(HERON), aligned(HERON, "V4:weak")
    sheet = sound.radio.sheet
    lost = weak.radio.part_fault.lost_db if weak.radio.part_fault else 0.0
    assert 15 < lost < 25
    for stage, more in (("aerial", lost), ("mixer2", lost), ("if1", lost), ("if2", 0.0), ("audio", 0.0)):
        one, other = level(sound, sheet, stage), level(weak, sheet, stage)
        assert one is not None and other is not None and other - one == pytest.approx(more, abs=2.0), stage
    assert level(aligned(HERON, "R42:open"), sheet, "rf") is None


def test_voltages_and_oscillators_say_the_same_as_the_level() -> None:
    rows = {v.id: v for v in aligned(HERON).radio.sheet.voltages}
    sound, bad = aligned(HERON).radio, aligned(HERON, "R42:open").radio
    for row in rows.values():
        if row.device:
            assert row.low <= sound.point_volts(row) <= row.high, row.id
    assert bad.point_volts(rows["v4-anode"]) < 2.0 and bad.point_volts(rows["v5-anode"]) == pytest.approx(
        sound.point_volts(rows["v5-anode"])
    )
    stopped = aligned(HERON, "V9:dead").radio
    assert not signal_runs(stopped.physics, "vfo", stopped.part_fault) and signal_runs(
        stopped.physics, "xo", stopped.part_fault
    )
    with pytest.raises(BenchError, match="circuit"):
        sound.point_volts(rows["ht"])


def test_a_part_that_is_fitted_anew_ends_the_fault_also_when_the_job_is_opened_again() -> None:
    with Logbook(None) as book:
        job = open_job(book, HERON, Card(book.next_number(), HERON, simulated_seed=4, simulated_fault="C51:leaky"))
        session = Session(book, job)
        session.workshop.fit_part("C61", 1, "100 pF")
        assert isinstance(session.bench, SimulatedBench) and session.bench.radio.part_fault is not None
        session.workshop.fit_part("C51", 1, "100 pF, 500 V")
        assert session.bench.radio.part_fault is None
        again = Session(book, job)
        assert isinstance(again.bench, SimulatedBench) and again.bench.radio.part_fault is None


def test_a_dry_joint_comes_and_goes_with_its_part() -> None:
    _, _, physics = simulated(HERON)
    fault = next(f for f in dry_joints(physics) if f.part == "P3")
    bench = aligned(HERON, fault.id)
    sheet, clock = bench.radio.sheet, bench.seconds
    there = replace(conditions(HERON), level_dbm=-73.0)

    def meter() -> float:
        return bench.measure("rx.s_meter", there).value or 0.0

    usual = np.median([meter() for _ in range(5)])
    fell = 0
    for _ in range(6):
        bench.radio.wiggle("V5", clock())
        bench.radio.wiggle("P3", clock())
        fell += any((bench.live("rx.s_meter", there).value or 0.0) < usual - 10 for _ in range(4))  # type: ignore[union-attr]
        for _ in range(3):
            meter()
    assert fell >= 4 and sheet.id == HERON


def test_faults_are_named_by_part_and_unknown_ones_are_refused() -> None:
    _, sheet, physics = simulated(HERON)
    names = {f.id for f in stage_faults(physics)}
    assert {"R52:open", "V6:dead", "C81:leaky", "filter:dead"} <= names and "R53:open" not in names
    with pytest.raises(BenchError, match="no such part"):
        SimulatedRadio(sheet, physics, 1, "R99:open")


def test_a_circuit_that_names_what_is_not_there_is_refused_with_its_line() -> None:
    path = RADIOS / "skerry-dotterel.toml"
    sheet = read_sheet(path)
    text = path.with_suffix(".physics.toml").read_text(encoding="utf-8")
    for old, new, words in (
        ('stage = "rf"\nprobe_loss', 'stage = "moon"\nprobe_loss', "no stage 'moon'"),
        ('base = "b"', 'grid = "b"', "lacks base"),
        ('id = "R21"', 'id = "R22"', "R22 is there twice"),
    ):
        with pytest.raises(SheetError, match=words.replace("'", ".")):
            parse_physics(text.replace(old, new, 1), "dotterel.physics.toml", sheet)


@pytest.mark.parametrize(
    ("sheet_name", "seed", "fault"),
    [(HERON, 901, "R52:open"), (str(RADIOS / "skerry-dotterel.toml"), 906, "TR3:dead")],
)
def test_the_robot_traces_a_fault_to_its_part_and_brings_the_radio_in(sheet_name: str, seed: int, fault: str) -> None:
    told = trace_one(sheet_name, seed, fault)
    assert told.named == told.stage and told.sure and told.part is not None and told.part < 4 and told.recovered
    assert told.tests <= 8


@pytest.mark.parametrize(
    ("sheet_name", "seed", "fault"),
    [(HERON, 903, "C81:leaky"), (HERON, 904, "S3:open"), ("ostrel-tarn-40", 907, "driver:dead")],
)
def test_a_leak_a_line_and_a_dead_driver_are_traced_to_their_part(sheet_name: str, seed: int, fault: str) -> None:
    with Logbook(None) as book:
        card = Card(book.next_number(), sheet_name, simulated_seed=seed, simulated_fault=fault)
        session = Session(book, open_job(book, sheet_name, card))
        assert isinstance(session.bench, SimulatedBench)
        true = session.bench.radio.part_fault
        assert true is not None
        as_it_comes_in(session, true.stage)
        way = next(s.way for s in session.sheet.stages if s.id == true.stage)
        assert way in ("receive", "transmit")
        tests, _, named, sure, part = find_and_repair(session, true, stream(seed, "trace"), way)
        assert named == true.stage and sure and part is not None and part < 4 and tests <= 8
