"""What was turned although nothing asked for it, told from the log: read or unread, alone or because of another step."""

from __future__ import annotations

from collections.abc import Callable

from unitone.robot.needless import wrongly_touched
from unitone.session.session import Session
from unitone.sheet.model.sheet import TURN
from unitone.simulator.simulated_bench import SimulatedBench


def _aligned(new_session: Callable[..., Session]) -> Session:
    """A job on a radio of which every adjuster stands where it is right."""
    session = new_session(5)
    bench = session.bench
    assert isinstance(bench, SimulatedBench)
    made = bench.radio.mechanics.specimen
    made.found.update(made.right)
    return session


def _read_all(session: Session, *steps: str) -> None:
    for name in steps:
        session.go_to(name)
        step = session.step
        session.confirm_hook_up(step.hook_up)
        for required in step.required:
            session.set_up(required)
            session.measure(required)


def test_in_spec_and_read_is_needless_and_only_the_first_turn_counts(new_session: Callable[..., Session]) -> None:
    session = _aligned(new_session)
    _read_all(session, "vco-receive")
    session.turn("L1", TURN // 8)
    session.turn("L1", -TURN // 8)
    session.turn("L1", TURN // 8)
    assert wrongly_touched(session) == ["vco-receive (L1)"]


def test_unread_is_no_fault_of_the_log_but_of_who_knows_how_it_stood(new_session: Callable[..., Session]) -> None:
    session = _aligned(new_session)
    session.turn("P2", 3000)
    assert wrongly_touched(session) == []
    assert wrongly_touched(session, frozenset({"deviation"})) == ["deviation (P2)"]
    assert wrongly_touched(session, frozenset({"power"})) == []


def test_out_of_spec_asks_for_its_own_adjusters(new_session: Callable[..., Session]) -> None:
    session = _aligned(new_session)
    session.turn("P2", 40_000)
    _read_all(session, "deviation")
    before = wrongly_touched(session)
    session.turn("P2", -40_000)
    assert before == wrongly_touched(session) == [], "it was turned unread, and then because it was out"
