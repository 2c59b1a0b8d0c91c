"""The receive side through the session: an AM radio brought in, by other readings and by ear, its chart, its faults."""

from __future__ import annotations

from dataclasses import replace

import pytest

from unitone.align.advise import _may_work, wanted_by_a_check
from unitone.align.moves import Conclude
from unitone.align.peak.visits import gains, is_calibrated, kept_level, progress
from unitone.align.smeter.chart import CHART_DB, marks, next_conditions, told
from unitone.errors import BenchError, SheetError, UnitoneError
from unitone.job.card import Card
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.sentences import sentence
from unitone.present.bench.smeter import describe_chart
from unitone.robot.many import simulated
from unitone.robot.technician import follow
from unitone.robot.whole_radios import run_set, run_trial
from unitone.session.charts import chart_on
from unitone.session.session import Session, open_job
from unitone.sheet.conventions.questions import apply
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.library import find
from unitone.simulator.physics import parse_physics, with_fault
from unitone.simulator.radio import SimulatedRadio
from unitone.store.logbook import Logbook

WEIR = "ostrel-weir-40-am"


def opened(book: Logbook, seed: int | None = 6, fault: str = "") -> Session:
    card = Card(book.next_number(), WEIR, simulated_seed=seed, simulated_fault=fault)
    return Session(book, open_job(book, WEIR, card))


def work_on(session: Session, step: str) -> list[str]:
    """Follow the coach at one step until it is concluded; every why."""
    session.start_work()
    session.go_to(step)
    session.confirm_hook_up(session.step.hook_up)
    whys = []
    for _ in range(80):
        advice = session.advice()
        if advice.step != step:
            session.go_to(step)
            continue
        whys.append(advice.why)
        if advice.act == "conclude":
            return whys
        follow(session, advice)
    raise AssertionError(whys)


def test_a_whole_am_radio_is_brought_in() -> None:
    result = run_set(WEIR, 3)
    assert result.recovered, result.problems
    assert result.loss_db is not None and result.loss_db < 0.4 and result.wrong_verdicts == 0


@pytest.mark.parametrize("choice", ["ear", "af", "quieting"])
def test_coils_are_peaked_by_what_the_school_says(book: Logbook, choice: str) -> None:
    """Whatever it is peaked by, the step closes with the sheet's own reading, better than it was found."""
    session = opened(book, 4)
    session.set_conventions({"reading": choice, "in-spec": "optimise"})
    step = session.sheet.step("front-end")
    wanted = {"ear": "rx.loudness", "af": "rx.af_voltage", "quieting": "rx.quieting"}[choice]
    assert step.read_by == wanted == step.hill_id and step.quantity_id == "rx.sn_ratio"
    assert step.hill_setting.tone_hz is None or choice != "quieting"
    whys = work_on(session, "front-end")
    read = [x.reading for x in session.state.readings]
    assert {r.quantity_id for r in read} == {"rx.sn_ratio", wanted} and read[-1].quantity_id == "rx.sn_ratio"
    if choice == "ear":
        assert "by-ear" in whys and {r.word for r in read if r.quantity_id == wanted} <= {"louder", "softer", "same"}
    if choice == "af":
        assert is_calibrated(step)
    assert (read[-1].value or 0.0) > (read[0].value or 0.0) - 1.0


def test_audio_volts_are_not_for_a_limiters_radio() -> None:
    sheet = parse_sheet(find("ostrel-tarn-40").read_text(encoding="utf-8"), "x", "x")
    for choice, read_by in (("af", ""), ("quieting", "rx.quieting")):
        made, _ = apply(sheet, {"reading": choice}, {})
        assert made.step("front-end").read_by == read_by
        assert made.step("power").read_by == "" and made.step("if-first").hill_id == (read_by or "rx.sinad")


def test_by_hand_louder_and_softer_are_typed(book: Logbook) -> None:
    session = opened(book, None)
    session.set_conventions({"reading": "ear"})
    session.start_work()
    session.go_to("front-end")
    session.confirm_hook_up("receive")
    session.set_up(session.step.setting)
    session.type_in("4 dB", session.step.setting)
    assert session.advice().why == "by-ear" and session.reading_quantity() == "rx.loudness"
    session.type_in("same")
    first = session.advice()
    assert first.act == "turn" and first.adjuster == "T1"
    session.follow(first)
    assert session.advice().act == "measure", "it is listened to before it is turned on"
    session.type_in("louder")
    assert session.advice().act == "turn" and session.advice().move_mdeg * first.move_mdeg > 0
    with pytest.raises(UnitoneError):
        session.type_in("brighter")
    session.felt_stop("T1", True)
    assert session.state.turns[-1].stop and session.state.turns[-1].moved == 0
    with pytest.raises(BenchError, match="goes round"):
        session.felt_stop("CT1", True)


def test_what_each_core_gained_is_told(book: Logbook) -> None:
    session = opened(book, 6)
    work_on(session, "front-end")
    advice = session.advice()
    assert (
        isinstance(advice, Conclude)
        and advice.why == "peaked"
        and {a for a, _ in advice.gains} <= {"T1", "T2"}
        and advice.gains
    )
    assert "Gained: T" in sentence(advice, session.sheet, session.state.positions)[1]
    won = gains(session.state, session.step, 0)
    assert all(db == pytest.approx(won[a][0], abs=0.3) and std < 1.0 for a, (db, std) in won.items())
    assert progress(session.state, session.step, 0)[0] is None, "every core is done"
    assert kept_level(session.step, 30.0, -100.0, 30.0) is not None
    assert kept_level(replace(session.step, read_by="rx.agc_voltage"), 30.0, -100.0, 30.0) is None


def test_the_chart_is_read_and_says_what_it_is(book: Logbook) -> None:
    session = opened(book, 2, "silicon-meter-diode")
    session.start_work()
    session.go_to("s-meter")
    assert (
        describe_chart(session.state, session.step) == ""
        and take_view(session).reading.chart_next == "0.20 µV at the radio"
    )
    session.confirm_hook_up("receive")
    try:
        chart_on(session)
    except BenchError as error:
        assert "pads" in str(error) and "keeps what was read" in str(error)
    read = marks(session.state, session.step)
    assert 6 <= len(read) <= len(CHART_DB) and read == sorted(read, key=lambda m: m.level_dbm)
    assert told(session.state, session.step).shape == "threshold"
    view = take_view(session)
    assert any("meter diode starts late" in w for w in view.step.notes)
    assert (
        view.reading.hill is not None
        and view.reading.hill.x_unit == "dBm"
        and len(view.reading.hill.points) == len(read)
    )
    session.turn("P2", 20_000)
    assert next_conditions(session.state, session.step) is not None and marks(session.state, session.step) == []
    session.go_to("audio")
    with pytest.raises(BenchError, match="S-meter"):
        chart_on(session)
    hand = opened(book, None)
    hand.start_work()
    hand.go_to("s-meter")
    hand.confirm_hook_up("receive")
    chart_on(hand)
    assert hand.state.set_up.level_dbm == pytest.approx(-121.0, abs=0.1), "a hand dials the next level and reads it"


def test_what_a_check_asks_for_is_peaked(book: Logbook) -> None:
    """In limits by itself, but the sensitivity behind it is out: worth a visit; once it is in, leave it alone."""
    session = opened(book, None)
    step = session.sheet.step("if-first")
    session.start_work()
    for name, typed in (("if-first", "11"), ("sensitivity", "0.8 uV")):
        session.go_to(name)
        session.confirm_hook_up("receive")
        for required in session.step.required:
            session.type_in(typed, required)
    assert not wanted_by_a_check(session.state, step)
    session.type_in("1.6 uV", session.step.required[0])
    assert wanted_by_a_check(session.state, step)


def test_what_was_dead_before_its_neighbour_was_peaked_is_worth_another_visit(book: Logbook) -> None:
    """Two visits end a step, but not one that could not answer yet."""
    session = opened(book, None)
    session.start_work()
    step = session.sheet.step("if-first")
    front = session.sheet.step("front-end")
    session.go_to("if-first")
    session.confirm_hook_up("receive")
    for _ in range(2):
        session.type_in("0.6 V", session.step.required[0])
        session.turn(step.adjusters[0], 90_000)
        session.type_in("0.6 V", session.step.required[0])
        session.conclude("dead")
    session.turn(front.adjusters[0], 90_000)
    session.type_in("0.6 V", session.step.required[0])
    assert not _may_work(session.state, step)
    session.go_to("front-end")
    session.turn(front.adjusters[0], 90_000)
    session.type_in("11 dB", session.step.required[0])
    session.conclude("peaked")
    assert _may_work(session.state, step)


def test_faults_are_patches_that_are_checked() -> None:
    path, sheet, physics = simulated(WEIR)
    assert {"silicon-meter-diode", "wrong-capacitor", "leaky-squelch"} <= set(physics.fault)
    for name in physics.fault:
        assert with_fault(physics, name) != physics and SimulatedRadio(sheet, physics, 1, name).healthy == physics
    with pytest.raises(SheetError, match="no such fault"):
        with_fault(physics, "moth")
    text = path.with_suffix(".physics.toml").read_text(encoding="utf-8")
    wrong = text.replace('"s_meter.threshold" = "-84 dBm"', '"s_meter.treshold" = "-84 dBm"')
    with pytest.raises(SheetError, match="there is no such key"):
        parse_physics(wrong, "p", sheet)


@pytest.mark.parametrize(("fault", "seed"), [("meter-holds", 3)])
def test_the_true_reason_of_a_fault_is_named(fault: str, seed: int) -> None:
    report = run_trial(WEIR, 1, seed, fault=fault)
    assert report["named"] == {fault: {"sets": 1, "named": 1}} and report["recovered"] == 1, report["problems"]
    with pytest.raises(UnitoneError, match="faults are"):
        run_trial(WEIR, 1, fault="moth")
