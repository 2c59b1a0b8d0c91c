"""One preset for two ends: the target that serves both, and what is said where none does."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.align.squelch.two_ends import End, aim_for_both, checks_of, setter_of, target_for, wanted_for_both
from unitone.job.card import Card
from unitone.job.verdicts import verdict
from unitone.present.bench.sentences import sentence
from unitone.robot.technician import follow
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook

CURLEW = "ostrel-curlew-5"
ENDS = ("squelch-tight", "squelch-middle", "squelch", "squelch-closes", "squelch-auto")


@settings(max_examples=150, deadline=None)
@given(
    slope=st.floats(0.15, 1.2), first=st.floats(-75.0, -40.0), offset=st.floats(-60.0, -20.0), high=st.floats(-110.0, -70.0),
    target=st.floats(-64.0, -50.0),
)  # fmt: skip
def test_the_aim_is_the_nearest_place_at_which_both_hold(
    slope: float, first: float, offset: float, high: float, target: float
) -> None:
    """Against a search over every place: a check that is a straight line of the first end."""
    low_end, high_end = -67.0, -47.0

    def check(x: float) -> float:
        return offset + slope * x

    pairs = tuple((x, check(x)) for x in (first, first + 8.0))
    aim = aim_for_both(target, low_end, high_end, [End(None, high, pairs)])
    grid = np.linspace(low_end + 0.8, high_end - 0.8, 4001)
    good = grid[offset + slope * grid <= high - 0.8 + 1e-9]
    if not good.size:
        assert aim is None or check(aim) <= high - 0.8 + 1e-6
        return
    assert aim is not None
    assert abs(aim - target) <= float(np.min(np.abs(good - target))) + 0.02
    assert check(aim) <= high - 0.8 + 1e-6 and low_end <= aim <= high_end


def test_a_check_that_the_preset_does_not_move_is_no_reason_unless_it_is_out() -> None:
    still = ((-60.0, -112.0), (-50.0, -112.1))
    assert aim_for_both(-57.0, -67.0, -47.0, [End(None, -110.0, still)]) == -57.0
    assert aim_for_both(-57.0, -67.0, -47.0, [End(None, -115.0, still)]) is None
    assert aim_for_both(-57.0, None, None, []) == -57.0
    one = End(None, -90.0, ((-57.0, -88.0),))
    assert one.line() == (0.5, -57.0, -88.0), "before two places are read, half of it is taken to follow"
    aimed = aim_for_both(-57.0, -67.0, -47.0, [one])
    assert aimed == pytest.approx(-57.0 - 2.8 / 0.5)


def squelched(book: Logbook, seed: int, fault: str = "") -> Session:
    """A five-band set of which only the squelch is left to do: its coils are brought in by the physics."""
    session = Session(
        book, open_job(book, CURLEW, Card(book.next_number(), CURLEW, simulated_seed=seed, simulated_fault=fault))
    )
    made = session.bench.radio.mechanics.specimen  # type: ignore[attr-defined]
    for name in made.found:
        if name[0] in "TCL":
            made.found[name] = made.right[name]
    for step in session.sheet.steps:
        if step.id not in ENDS:
            session.go_to(step.id)
            session.judge("not applicable", "not what is tried here")
    session.go_to(ENDS[0])
    return session


def finish(session: Session) -> list[tuple[str, str, str]]:
    told = []
    for _ in range(160):
        advice = session.advice()
        if advice.act in ("finish", "done"):
            return told
        if advice.act == "conclude":
            told.append((advice.step, advice.why, sentence(advice, session.sheet, session.state.positions)[1]))
        follow(session, advice)
    raise AssertionError(told)


@pytest.mark.parametrize("seed", [3, 12, 21])
def test_both_ends_of_a_squelch_are_set_by_its_one_preset(book: Logbook, seed: int) -> None:
    session = squelched(book, seed)
    told = finish(session)
    standing = {i: verdict(session.state, session.sheet.step(i)) for i in ENDS}
    assert set(standing.values()) <= {"in_spec", "left_as_found"}, (standing, told)
    tight, middle = (session.state.latest[(i, 0)].reading.value for i in ENDS[:2])
    assert tight is not None and middle is not None
    assert -67.0 <= tight <= -47.0 and middle <= -90.08, "100 µV to 1 mV, and no more than 7 µV half-way"


def test_an_end_that_is_out_sends_back_to_its_preset(book: Logbook) -> None:
    """The tight end stands in its limits, and the middle of the control does not: its preset gives way."""
    session = squelched(book, 12)
    session.start_work()
    session.go_to("squelch-tight")
    session.confirm_hook_up("receive")
    step, check = session.sheet.step("squelch-tight"), session.sheet.step("squelch-middle")
    assert [c.id for c in checks_of(session.state, step)] == ["squelch-middle", "squelch", "squelch-closes"]
    assert setter_of(session.state, check) is step and setter_of(session.state, session.sheet.step("audio")) is None
    # Turned so that the tight end opens at some 700 µV: inside, but then the middle asks for more than 7 µV.
    session.set_up(step.setting)
    for _ in range(12):
        level = session.measure(step.setting).value or 0.0
        if abs(level + 51.0) < 1.5:
            break
        session.turn("P12", round((-51.0 - level) * 3.85) * 1000)
    session.conclude("set")
    assert not wanted_for_both(session.state, step)
    session.go_to("squelch-middle")
    session.set_up(check.setting)
    session.measure(check.setting)
    assert verdict(session.state, check) == "out_of_spec" and wanted_for_both(session.state, step)
    assert session.advice().why == "other-end"
    aim = target_for(session.state, step)
    assert aim is not None and aim < level - 2.0
    finish(session)
    assert verdict(session.state, check) == "in_spec" and verdict(session.state, step) == "in_spec"


def test_a_leaky_squelch_is_named_and_not_worked_at_for_ever(book: Logbook) -> None:
    session = squelched(book, 5, "leaky-squelch")
    told = finish(session)
    outcomes = {o for i in ENDS for _, o in session.state.concluded.get(i, [])}
    assert outcomes & {"at-stop", "out-of-range"}, told
    assert len(session.state.turns) < 40


def test_a_radio_without_a_preset_is_told_so(book: Logbook) -> None:
    teal = "ostrel-teal-6"
    session = Session(book, open_job(book, teal, Card(book.next_number(), teal, simulated_seed=None)))
    session.start_work()
    session.go_to("squelch-tight")
    session.confirm_hook_up("receive")
    session.set_up(session.step.setting)
    session.type_in("2 mV")
    advice = session.advice()
    assert (advice.act, advice.why) == ("conclude", "no-preset")
    assert "No squelch preset" in sentence(advice, session.sheet, session.state.positions)[1]
    assert math.isclose(session.state.readings[-1].reading.value or 0.0, -41.0, abs_tol=0.1)


@pytest.mark.parametrize("seed", [31, 33])
def test_a_loud_and_a_soft_voice_are_both_served_by_one_preset(book: Logbook, seed: int) -> None:
    """The AM mobile's limiter holds loud peaks; the soft tone's depth hangs on the same preset."""
    weir = "ostrel-weir-40-am"
    session = Session(book, open_job(book, weir, Card(book.next_number(), weir, simulated_seed=seed)))
    for step in session.sheet.steps:
        if step.id not in ("depth", "depth-soft", "power"):
            session.go_to(step.id)
            session.judge("not applicable", "not what is tried here")
    session.go_to("power")
    finish(session)
    for name in ("depth", "depth-soft"):
        assert verdict(session.state, session.sheet.step(name)) in ("in_spec", "left_as_found")
