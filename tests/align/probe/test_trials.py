"""Trials at the Bench: is it worth aligning, and what does this do? On simulated radios, by hand, broken off, and kept in the sheet."""

from __future__ import annotations

import math

import pytest

from unitone.align.probe.nudge import (
    WORTH_DB,
    can_be_worth,
    lacking_effect,
    last_whole,
    moved_by,
    running,
    worth,
    worth_peaking,
)
from unitone.errors import BenchError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.trials import describe_trial
from unitone.robot.referee import Referee
from unitone.robot.technician import follow
from unitone.session.session import Session, open_job
from unitone.session.trials import ask_what, ask_worth, keep_effect
from unitone.sheet.library import find, physics_path
from unitone.simulator.physics import read_physics
from unitone.store.logbook import Logbook

TARN, WEIR, CURLEW = "ostrel-tarn-40", "ostrel-weir-40-am", "ostrel-curlew-5"


def opened(book: Logbook, sheet: str, seed: int | None, step: str) -> Session:
    session = Session(book, open_job(book, sheet, Card(book.next_number(), sheet, simulated_seed=seed)))
    session.start_work()
    session.go_to(step)
    session.confirm_hook_up(session.step.hook_up)
    return session


@pytest.mark.parametrize(
    ("sheet", "step", "seed"),
    [(TARN, "front-end", 3), (TARN, "front-end", 5), (TARN, "if-first", 8), (WEIR, "front-end", 4)],
)
def test_what_is_predicted_is_what_the_physics_has(book: Logbook, sheet: str, step: str, seed: int) -> None:
    """Each core's own gain, as the referee finds it, lies inside what the trial says, or little outside."""
    session = opened(book, sheet, seed, step)
    before = dict(session.state.positions)
    ask_worth(session)
    assert session.state.positions == before and running(session.state) is None, "every core is back where it stood"
    gains = worth(session.state, session.step)
    assert {g.adjuster for g in gains} == set(session.step.adjusters)
    path = find(sheet)
    referee = Referee(session.sheet, read_physics(physics_path(path), session.sheet), seed)
    for gain in gains:
        real = referee.joint_loss_db([gain.adjuster], dict(session.state.positions), [session.step])
        assert gain.low - 0.8 <= min(real, 8.0) <= gain.high + 1.2, (gain, real)
        assert gain.low <= gain.db <= gain.high + 1e-9
    total = sum(g.db for g in gains)
    said = describe_trial(session.state, session.step)
    assert ("worth it" in said) == (total >= WORTH_DB) and ("leave it alone" in said) == (total < WORTH_DB)


def test_what_is_worth_nothing_is_left_alone_with_a_reason(book: Logbook) -> None:
    session = opened(book, TARN, 5, "front-end")
    made = session.bench.radio.mechanics.specimen  # type: ignore[attr-defined]
    for name in ("T1", "T2", "T3", "T4", "T5"):
        made.found[name] = made.right[name]
    ask_worth(session)
    assert not worth_peaking(session.state, session.step)
    for _ in range(6):
        advice = session.advice()
        if advice.act == "conclude":
            break
        assert advice.act in ("set-up", "measure")
        session.follow(advice)
    assert (advice.why, advice.outcome) == ("not-worth", "in-spec")
    assert "leave it alone" in describe_trial(session.state, session.step)


def test_what_is_worth_it_is_peaked_although_it_is_in_limits(book: Logbook) -> None:
    session = opened(book, TARN, 5, "front-end")
    radio = session.bench.radio  # type: ignore[attr-defined]
    made = radio.mechanics.specimen
    for name in ("T1", "T2", "T3", "T4", "T5"):
        made.found[name] = made.right[name]
    made.found["T1"] = made.right["T1"] + 0.5
    ask_worth(session)
    (first, _) = worth(session.state, session.step)
    assert first.adjuster == "T1" and first.db > WORTH_DB and worth_peaking(session.state, session.step)
    for _ in range(60):
        advice = session.advice()
        if advice.act == "conclude":
            break
        follow(session, advice)
    assert advice.outcome == "peaked" and abs(radio.mechanics.off("T1")) < 0.2
    session.follow(advice)
    assert not worth_peaking(session.state, session.step), "it has been done"
    assert worth(session.state, session.step) == (), "what was predicted of another place says nothing of this one"


@pytest.mark.parametrize(("off", "outcome"), [(0.0, "in-spec"), (0.5, "peaked")])
def test_the_convention_tries_what_is_in_spec_before_it_is_left(book: Logbook, off: float, outcome: str) -> None:
    """By the coach's moves alone: nudged, read and put back; peaked only where that promises a gain, and tried no second time."""
    session = opened(book, TARN, 5, "front-end")
    session.set_conventions({"in-spec": "try"})
    radio = session.bench.radio  # type: ignore[attr-defined]
    made = radio.mechanics.specimen
    for name in ("T1", "T2", "T3", "T4", "T5"):
        made.found[name] = made.right[name]
    made.found["T1"] = made.right["T1"] + off
    acts = []
    for _ in range(90):
        advice = session.advice()
        acts.append(advice.act)
        if advice.act == "try":
            assert take_view(session).coach.headline == "Try each adjuster a little." and "turn" not in acts
        if advice.act == "conclude":
            break
        follow(session, advice)
    assert acts.count("try") == 1 and advice.outcome == outcome
    assert all(p == 0 for p in session.state.positions.values()) == (outcome == "in-spec")
    session.follow(advice)
    assert session.advice().act != "try"


def test_where_a_gain_control_holds_the_sound_it_is_nudged_at_a_weaker_signal(book: Logbook) -> None:
    """A valve receiver on a strong signal: its volts hardly change by a nudge until the automatic gain sleeps."""
    session = opened(book, "corvane-alder-5", 7, "if")
    ask_worth(session)
    levels = [
        x.reading.conditions.level_dbm for x in session.state.readings if x.reading.quantity_id == "rx.af_voltage"
    ]
    assert levels[0] is not None and levels[-1] is not None and levels[-1] <= levels[0] - 10.0


def test_a_core_at_its_stop_is_tried_the_other_way_only(book: Logbook) -> None:
    session = opened(book, TARN, 5, "if-first")
    radio = session.bench.radio  # type: ignore[attr-defined]
    session.turn("T3", -9 * 360_000)
    stood = session.state.positions["T3"]
    assert radio.mechanics.position("T3") == pytest.approx(0.0, abs=1e-6)
    ask_worth(session)
    assert session.state.positions["T3"] == stood and running(session.state) is None
    (gain,) = worth(session.state, session.step)
    assert gain.db > 1.0


def test_a_hand_is_led_through_it_and_may_break_it_off(book: Logbook) -> None:
    session = opened(book, TARN, None, "if-first")
    hill = {0: 12.0, 45_000: 13.2, -45_000: 10.4, 135_000: 14.4, -135_000: 6.5}
    ask_worth(session)
    moves = []
    for _ in range(30):
        if running(session.state) is None:
            break
        advice = session.advice()
        moves.append(advice.act)
        assert "Trial" in describe_trial(session.state, session.step)
        if advice.act == "measure":
            with pytest.raises(BenchError):
                session.follow(advice)
            session.type_in(f"{hill[session.state.positions['T3']]}")
        else:
            session.follow(advice)
    assert moves[-1] == "turn" and session.state.positions["T3"] == 0
    (gain,) = worth(session.state, session.step)
    assert gain.db > 1.0, "it rises clockwise by more than a decibel an eighth"
    ask_worth(session)
    session.type_in("12.0")
    ask_worth(session)
    assert running(session.state) is None and not session.state.trials[-1].whole
    with pytest.raises(BenchError, match="No trial"):
        session.break_off_trial()
    with pytest.raises(BenchError, match="predicted"):
        session.go_to("rail")
        ask_worth(session)


@pytest.mark.parametrize(
    ("sheet", "step", "adjuster", "moves"),
    [
        (TARN, "front-end", "P5", "rx.s_meter"), (CURLEW, "bias", "P3", "tx.bias_current"), (CURLEW, "own-meter", "P9", "tx.meter"),
        (TARN, "rail", "P1", "supply.rail"),
    ],
)  # fmt: skip
def test_what_an_unknown_preset_does_is_found_by_a_nudge(
    book: Logbook, sheet: str, step: str, adjuster: str, moves: str
) -> None:
    session = opened(book, sheet, 4, step)
    made = session.bench.radio.mechanics.specimen  # type: ignore[attr-defined]
    made.found.update({n: made.right[n] for n in made.found if n[0] == "L"})
    stood = dict(session.state.positions)
    ask_what(session, adjuster)
    trial = last_whole(session.state, "unknown")
    assert trial is not None and session.state.positions == stood
    seen = moved_by(session.state, trial)
    assert moves in {m.quantity_id for m in seen if m.sure}, seen
    assert sum(m.sure for m in seen) <= 4, "a preset does not move everything"
    words = describe_trial(session.state, session.step)
    assert adjuster in words and "moves" in words
    nudged = [abs(t.moved) for t in session.state.turns]
    assert nudged[0] <= (7_500 if session.step.hook_up == "transmit" else 15_000), "a bias is nudged with care"
    assert adjuster != "P3" or max(nudged) == 7_500, "once something moves, no further"


def test_what_was_found_is_kept_in_this_radio_s_own_sheet(book: Logbook) -> None:
    session = opened(book, TARN, 4, "front-end")
    # The sheet of this radio says less than is true: its meter's preset reaches nothing that anybody wrote down.
    from unitone.sheet.format.read import to_data
    from unitone.sheet.format.write import to_toml

    data = to_data(session.state.written.source_text, "tarn")
    data["step"] = [s for s in data["step"] if s["id"] != "s-meter"]
    for row in data["adjuster"]:
        if row["id"] == "P5":
            row["affects"] = ["rx.distortion"]
    data["step"].append({
        "id": "needle", "phase": "settings", "title": "Needle", "quantity": "rx.s_meter", "aim": "check", "channels": ["20"],
        "stimulus": {"level": "50 uV"}, "limit": "S9 ± 30 dB", "hook_up": "receive", "stage": "meter",
    })  # fmt: skip
    session.set_variant("meter not described", to_toml(data), affects=())
    session.go_to("needle")
    ask_what(session, "P5")
    trial = last_whole(session.state, "unknown")
    assert trial is not None and lacking_effect(session.state, trial) == ["rx.s_meter"]
    assert "Y keeps that" in describe_trial(session.state, session.step)
    keep_effect(session)
    assert session.sheet.adjuster("P5").can_change("rx.s_meter", session.step.setting)
    assert "P5" in session.state.variants[-1].title and lacking_effect(session.state, trial) == []
    with pytest.raises(BenchError, match="already says"):
        keep_effect(session)
    # Where the sheet names no reach at all, what is taken for it stays.
    for row in data["adjuster"]:
        row.pop("affects", None) if row["id"] == "P5" else None
    data["step"].append({
        "id": "odd", "phase": "transmit", "title": "Odd", "quantity": "tx.power", "aim": "set", "adjust": ["P5"], "channels": ["20"],
        "limit": "3 … 5 W", "hook_up": "transmit",
    })  # fmt: skip
    session.set_variant("no reach named", to_toml(data), affects=())
    assert session.sheet.adjuster("P5").can_change("tx.power", session.sheet.step("odd").setting)
    ask_what(session, "P5")
    keep_effect(session)
    reached = session.sheet.adjuster("P5")
    assert reached.can_change("rx.s_meter", session.step.setting)
    assert reached.can_change("tx.deviation", session.sheet.step("deviation").setting)


def test_nothing_is_left_nudged_when_it_cannot_be_read(book: Logbook) -> None:
    session = opened(book, TARN, 4, "front-end")
    bench = session.bench
    real = bench.measure
    calls = []

    def fails(quantity_id: str, conditions: object, by: object = None) -> object:
        calls.append(quantity_id)
        if len(calls) > 2:
            raise BenchError("the lead came off")
        return real(quantity_id, conditions)  # type: ignore[arg-type]

    bench.measure = fails  # type: ignore[assignment, method-assign]
    with pytest.raises(BenchError, match="lead came off"):
        ask_worth(session)
    assert not any(session.state.positions.values()) and running(session.state) is None
    assert not session.state.trials[-1].whole


def test_a_trial_is_on_the_tape_and_comes_back_from_it(book: Logbook) -> None:
    session = opened(book, TARN, 3, "if-first")
    ask_worth(session)
    again = fold(book.tape(session.job_id), session.job_id)
    assert again.trials == session.state.trials and again.trials[-1].whole
    cells = [c.value for c in take_view(session).log.cells if c.what == "trial"]
    assert cells[-1] == "over"
    assert take_view(session).step.can_be_worth and not can_be_worth(session.sheet.step("rail"))
    assert math.isclose(sum(g.db for g in worth(again, again.sheet.step("if-first"))),
                        sum(g.db for g in worth(session.state, session.step)))  # fmt: skip


def test_what_cannot_be_asked_is_said(book: Logbook) -> None:
    session = opened(book, TARN, 3, "front-end")
    with pytest.raises(BenchError, match="Select an adjuster"):
        ask_what(session, "")
    with pytest.raises(BenchError, match="Ask first"):
        keep_effect(session)
