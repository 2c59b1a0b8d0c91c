"""Mistakes of the hand on a practice radio: steel in a core, a core driven on against its stop, a final run hot; heard again, undone; real time."""

from __future__ import annotations

import math

import numpy as np
import pytest

from unitone.errors import BenchError, TapeError
from unitone.job.card import Card
from unitone.job.damages import damage
from unitone.job.entries.bench import Broken
from unitone.job.entries.practice import Diagnosed
from unitone.scenario.debrief import Moment, debrief
from unitone.scenario.describe import describe_moment
from unitone.scenario.exercise import Exercise
from unitone.scenario.exercises import find_exercise
from unitone.scenario.hearing import HEARD_S, SILENCE_S, hear_again
from unitone.scenario.practice_radio import begin, end
from unitone.scenario.rewind import rewind
from unitone.session.own_sheets import library_of
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import TURN
from unitone.simulator.instruments import wiring
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook


def _begin(book: Logbook, name: str) -> tuple[Session, Exercise, SimulatedBench]:
    e = find_exercise(name)
    session = begin(book, e, e.seed)
    assert isinstance(session.bench, SimulatedBench)
    return session, e, session.bench


def _put_right(session: Session, bench: SimulatedBench) -> None:
    """T3 where it is right, and the bench as the step asks."""
    session.confirm_hook_up("receive")
    session.set_up(session.step.setting)
    session.turn("T3", -round(bench.radio.mechanics.off("T3") * TURN))


def _read(session: Session) -> float:
    """The mean of nine readings."""
    return sum(session.measure(session.step.setting).value or 0.0 for _ in range(9)) / 9


def _moment(book: Logbook, session: Session, e: Exercise, kind: str) -> Moment:
    return next(m for m in debrief(book, session.job_id, e, library_of(book)).moments if m.kind == kind)


def test_steel_in_a_core_shows_a_peak_that_is_none_once_it_is_out(book: Logbook) -> None:
    session, e, bench = _begin(book, "receive-1")
    core = bench.radio.mechanics
    _put_right(session, bench)
    right = abs(core.off("T3"))
    session.take_tool("metal")
    assert session.state.tool_in == "" and abs(core.off("T3")) == right, "a tool in the hand is in no core yet"
    session.turn("T3", -TURN)
    # The blade counts as a turn inwards: with it in, the core looks as it did before.
    assert session.state.tool_in == "T3" and abs(core.off("T3")) == pytest.approx(right, abs=0.02)
    with_it = _read(session)
    session.take_tool("metal")
    assert session.state.tool_in == "" and abs(core.off("T3")) > 0.3
    assert with_it > _read(session) + 0.5
    assert Session(book, session.job_id).state.tool == "metal", "it stands on the log"
    session.append(Diagnosed(""))
    end(session)
    told = _moment(book, session, e, "metal")
    assert told.adjuster == "T3" and told.moves == 1 and "screwdriver" in describe_moment(told, session.sheet)[0]
    assert debrief(book, session.job_id, e, library_of(book)).mark.cautions == ("metal",)


@pytest.mark.parametrize("inwards", [True, False])
def test_a_core_bears_its_stop_once_and_is_not_driven_on(book: Logbook, inwards: bool) -> None:
    session, e, bench = _begin(book, "receive-1")
    far = (50 if inwards else -50) * TURN
    session.turn("T3", far)
    assert not session.state.damaged, "a stop may be felt"
    session.turn("T3", far // 100)
    (broken,) = session.state.damaged
    of = damage(broken)
    assert of.adjuster == "T3" and ("cracked" if inwards else "screwed out") in of.words
    assert session.turn("T3", -far) == 0, "it is stuck"
    assert len([x for x in session.state.entries if isinstance(x.said, Broken)]) == 1, "and breaks once"
    end(session)
    made = debrief(book, session.job_id, e, library_of(book))
    told = next(m for m in made.moments if m.kind == "broken")
    assert made.mark.broken == (broken,) and made.mark.cautions == ("stop",) and not made.mark.passed
    # The way back leads to before the turn that broke it, and the core is whole there.
    again = rewind(book, session.job_id, told.seq)
    assert not again.state.damaged and again.turn("T3", -far // 10)
    assert bench.damaged == {broken}
    session.repair()
    assert session.turn("T3", -far // 10), "with another core it goes on; the mark remembers"


def test_a_job_of_the_workshop_forgives(book: Logbook) -> None:
    e = find_exercise("receive-1")
    session = Session(book, open_job(book, e.sheet, Card(1, e.sheet, simulated_seed=3)))
    core = next(a.id for a in session.sheet.adjusters if a.kind == "core" and a.stops)
    for _ in range(3):
        session.turn(core, 50 * TURN)
    assert not session.state.damaged


def test_a_final_bears_too_much_current_for_a_moment_and_no_longer(book: Logbook) -> None:
    session, e, bench = _begin(book, "transmit-7")
    rating = session.sheet.final.rating("tx.bias_current")
    step = next(s for s in session.sheet.steps if s.quantity_id == "tx.bias_current")
    assert rating is not None
    (preset,) = step.adjusters
    session.go_to(step.id)
    session.confirm_hook_up("transmit")
    session.set_up(step.setting)
    there = session.turn(preset, 300_000)
    assert bench.radio.idle_amps() > rating
    session.turn(preset, -there)
    assert not session.state.damaged, "let go at once, it lives"
    session.measure(step.setting)
    session.turn(preset, there)
    for _ in range(4):
        hot = session.measure(step.setting).value
    assert session.state.damaged == {"bias"} and (hot or 0.0) < 0.01 * rating
    end(session)
    told = _moment(book, session, e, "broken")
    title, words, better = describe_moment(told, session.sheet)
    assert title == "Broke the final" and "Idle current" in words and "current" in better
    assert not rewind(book, session.job_id, told.seq).state.damaged


def test_a_moment_is_heard_again_before_and_after(book: Logbook) -> None:
    session, _, bench = _begin(book, "receive-1")
    _put_right(session, bench)
    session.turn("T3", 3 * TURN)
    (turn,) = [x.seq for x in session.state.entries if x.seq == session.state.seq]
    entries = book.tape(session.job_id)
    heard, rate = hear_again(book, session.job_id, turn)
    n, gap = round(HEARD_S * rate), round(SILENCE_S * rate)
    before, after = heard[:n], heard[n + gap :]
    assert len(heard) == 2 * n + gap and not heard[n : n + gap].any()
    assert _noise(before, rate) < 0.7 * _noise(after, rate), "three turns off, it hisses"
    assert book.tape(session.job_id) == entries and bench.radio.mechanics.moved_mdeg["T3"], "nothing is written"
    with pytest.raises(TapeError, match="loudspeaker"):
        other, _, _ = _begin(book, "transmit-1")
        other.confirm_hook_up("transmit")
        hear_again(book, other.job_id, other.state.seq)


def _noise(sound: np.ndarray, rate: float) -> float:
    """What is no tone in the loudspeaker, a share of the whole."""
    power = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) ** 2
    at = round(1000.0 * len(sound) / rate)
    return 1.0 - float(power[at - 4 : at + 5].sum() / power.sum())


def test_in_real_time_a_reading_takes_its_time_and_the_clock_goes_on(
    book: Logbook, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, _, bench = _begin(book, "receive-1")
    now, waited = [100.0], []
    monkeypatch.setattr(wiring.time, "monotonic", lambda: now[0])

    class Waits:
        def is_set(self) -> bool:
            return False

        def wait(self, seconds: float) -> None:
            waited.append(seconds)
            now[0] += seconds

    bench.wiring.stopped = Waits()  # type: ignore[assignment]
    session.confirm_hook_up("receive")
    session.measure(session.step.setting)
    began = bench.seconds()
    session.measure(session.step.setting)
    hurried = bench.seconds() - began
    assert hurried > 0.9 and not waited
    bench.real_time = True
    began = bench.seconds()
    now[0] += 30.0
    assert bench.seconds() == pytest.approx(began + 30.0), "the clock goes on while nothing is done"
    session.measure(session.step.setting)
    assert math.isclose(sum(waited), hurried, rel_tol=0.05) and bench.seconds() == pytest.approx(began + 30.0 + hurried)
    session.turn("T3", TURN // 8)
    assert bench.seconds() == pytest.approx(began + 30.0 + hurried), "a turn takes as long as the hand took"


def test_a_real_hand_has_its_own_tool(book: Logbook) -> None:
    e = find_exercise("receive-1")
    session = Session(book, open_job(book, e.sheet, Card(1, e.sheet)))
    with pytest.raises(BenchError, match="simulated"):
        session.take_tool("metal")
