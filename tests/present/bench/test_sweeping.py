"""A sweep in words: short imperatives, nothing said twice; what cannot be swept is refused with the cure; silence says nothing of a core."""

from __future__ import annotations

from collections.abc import Callable
from typing import get_args

import pytest

from unitone.align.moves import Measure, SetUp, Turn
from unitone.align.sweep.coach import Code, Said
from unitone.bench.ports import Measured
from unitone.errors import BenchError, HookUpError, TapeError
from unitone.job.entries.hands import Swept
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.sweeping import Sweeping, button_of, describe
from unitone.session.session import Session
from unitone.sheet.model.sheet import Conditions


class Needle:
    """A meter that shows what it is told to."""

    name = "needle"

    def __init__(self) -> None:
        self.now = Measured(6.0, self.name, source="sound card")

    def measures(self, quantity_id: str) -> bool:
        return quantity_id == "rx.sinad"

    def seconds_for(self, quantity_id: str) -> float:
        return 1.0

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        return self.now

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        return self.now

    def cancel(self) -> None: ...


def peaked_step(session: Session) -> str:
    return next(s.id for s in session.sheet.steps if s.aim == "peak" and s.quantity_id == "rx.sinad")


@pytest.mark.parametrize("code", get_args(Code))
def test_every_word_of_the_coach_is_short(code: str) -> None:
    headline, detail = describe(Said(code, 0.6, 3.0, 3.1), "T1")  # type: ignore[arg-type]
    assert 1 <= len(headline.split()) <= 7 and headline.endswith(".") and headline.split()[0].istitle()
    assert 1 <= len(detail.split()) <= 12 and detail != headline
    over = code in ("peaked", "at stop", "no effect")
    button = "Log T1" if over else "Lower the level" if code == "too strong" else "Break off"
    assert button_of(Said(code), "T1") == button  # type: ignore[arg-type]


def test_what_cannot_be_swept_is_refused_with_the_cure(new_session: Callable[..., Session]) -> None:
    practice = new_session(3)
    practice.go_to(peaked_step(practice))
    with pytest.raises(BenchError, match="step by step"):
        Sweeping(practice, practice.step.adjusters[0])
    with pytest.raises(BenchError, match="no core for your hand"):
        practice.swept(practice.step.adjusters[0], "peaked", 1.0, 5.0)
    session = new_session(None)
    session.go_to(peaked_step(session))
    core = session.step.adjusters[0]
    with pytest.raises(BenchError, match=r"Shift\+I"):
        Sweeping(session, core)
    session.bench.connect([Needle()])
    with pytest.raises(HookUpError):
        Sweeping(session, core)
    session.confirm_hook_up("receive")
    with pytest.raises(BenchError, match="Choose a core"):
        Sweeping(session, next(a.id for a in session.sheet.adjusters if a.id not in session.step.adjusters))
    with pytest.raises(TapeError, match="which is none of"):
        session.append(Swept(core, "lost", 0.0, 1.0))


def test_a_signal_too_strong_to_show_a_top_ends_the_sweep_and_the_level_goes_down(
    new_session: Callable[..., Session],
) -> None:
    session = new_session(None)
    session.go_to(peaked_step(session))
    session.confirm_hook_up("receive")
    needle = Needle()
    session.bench.connect([needle])
    core, level = session.step.adjusters[0], session.step.setting.level_dbm
    sweep = Sweeping(session, core)
    needle.now = Measured(24.0, needle.name, source="sound card")
    for n in range(4):
        assert not sweep.tick(session, n * 0.1).over, "a crackle is no strong signal"
    view = sweep.tick(session, 0.4)
    assert view.over and view.headline.startswith("Stop") and view.button == "Lower the level"
    sweep.core.finish(session)
    assert session.state.swept[core].ended == "broken off" and session.state.readings[-1].reading.value == 24.0
    # The coach asks for less before anything is turned again.
    asked = session.advice()
    assert isinstance(asked, SetUp | Measure) and asked.conditions.level_dbm < level  # type: ignore[operator]


def test_silence_says_nothing_and_a_sweep_makes_earlier_readings_another_hills(
    new_session: Callable[..., Session],
) -> None:
    session = new_session(None)
    session.go_to(peaked_step(session))
    session.confirm_hook_up("receive")
    needle = Needle()
    session.bench.connect([needle])
    core = session.step.adjusters[0]
    sweep = Sweeping(session, core)
    for n in range(12):
        view = sweep.tick(session, n * 0.1)
    assert view.code == "turn" and len(view.trace) == 12 and view.top_db is None
    needle.now = Measured(0.0, needle.name, source="sound card", warning="no sound comes in")
    view = sweep.tick(session, 1.3)
    assert view.warning and len(view.trace) == 12 and view.code == "turn", "a squelch that closes is no way down"
    session.type_in("9 dB", session.step.setting)
    assert len(session.state.readings) == 1
    session.swept(core, "peaked", 3.14159, 17.0)
    row = next(r for r in take_view(session).board.ledger if r.adjuster == core)
    assert row.text == "swept: +3.1 dB" and not row.moved
    assert session.state.swept[core].gained_db == 3.14
    # What was read before is stale now, and of no hill that is climbed from here.
    assert take_view(session).step.verdict == "recheck"
    hill = take_view(session, core).reading.hill
    assert hill is None or not hill.points


def test_a_sweep_broken_off_after_a_peak_opens_its_core_again(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    session.go_to(peaked_step(session))
    session.confirm_hook_up("receive")
    session.start_work()
    first, second = session.step.adjusters[:2]
    session.type_in("9 dB", session.step.setting)
    session.swept(first, "peaked", 2.0, 15.0)
    session.type_in("11 dB", session.step.setting)
    asked = session.advice()
    assert isinstance(asked, Turn) and asked.adjuster == second
    session.swept(first, "broken off", 0.0, 3.0)
    session.type_in("8 dB", session.step.setting)
    again = session.advice()
    assert isinstance(again, Turn) and again.adjuster == first
