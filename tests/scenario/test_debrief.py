"""The debrief: what a mistake costs, the moment it was made, the better move, and the way back to before it."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from unitone.errors import TapeError, UnitoneError
from unitone.job.entries.practice import Diagnosed, HintTaken
from unitone.report.head import Head
from unitone.robot.technician import align
from unitone.scenario.debrief import Debrief, debrief
from unitone.scenario.describe import describe_moment
from unitone.scenario.exercise import Exercise
from unitone.scenario.exercise_paper import render
from unitone.scenario.exercises import find_exercise
from unitone.scenario.practice_radio import begin, end
from unitone.scenario.practice_results import (
    Attempt,
    attempt_of,
    best,
    keep_attempt,
    keep_result,
    practice_book,
    results,
    running,
)
from unitone.scenario.rewind import rewind
from unitone.session.own_sheets import library_of
from unitone.session.session import Session
from unitone.sheet.model.sheet import TURN
from unitone.store.logbook import Logbook


def _made(book: Logbook, session: Session, exercise: Exercise) -> Debrief:
    return debrief(book, session.job_id, exercise, library_of(book))


def _kinds(made: Debrief) -> list[str]:
    return [m.kind for m in made.moments]


def test_a_good_job_has_no_costly_moment_and_its_story_ends_where_the_coachs_does(book: Logbook) -> None:
    e = find_exercise("receive-1")
    session = begin(book, e, e.seed)
    align(session)
    session.append(Diagnosed(""))
    made = _made(book, session, e)
    assert made.mark.score == 100 and made.moments == () and made.story == made.coach_story and made.of is None
    assert made.story[0] == (0.0, 100.0) and made.story[-1][1] < 30.0
    (left,) = made.adjusters
    assert left.adjuster == "T3" and left.turned and abs(left.left) < 0.3 * abs(left.found)


def test_peaked_on_too_strong_a_signal_before_it_was_read_with_hints_and_left_out(book: Logbook) -> None:
    e = find_exercise("receive-4")
    session = begin(book, e, e.seed)
    session.confirm_hook_up("receive")
    step = session.step
    strong = replace(step.setting, level_dbm=(step.setting.level_dbm or -107.0) + 35.0)
    session.set_up(strong)
    session.turn("T1", TURN // 4)
    session.measure(strong)
    for _ in range(5):
        session.turn("T1", TURN // 4)
        session.measure(strong)
    session.append(HintTaken(step.id))
    end(session)
    made = _made(book, session, e)
    mark = made.mark
    assert not mark.passed and mark.hints == 1 and mark.restored[0] == 0 and mark.score == 0
    kinds = _kinds(made)
    assert len(kinds) == 3 and {"too-strong", "out"} <= set(kinds), (
        "T1 is to blame for the front end, nothing for the sensitivity"
    )
    strong_one = next(m for m in made.moments if m.kind == "too-strong")
    title, words, better = describe_moment(strong_one, session.sheet)
    assert title == "Turned T1 on too strong a signal" and "6 turns" in words and "µV" in better
    assert [m.seq for m in made.moments] == sorted(m.seq for m in made.moments)


def test_a_needless_turn_is_found_whether_its_step_was_read_or_not(book: Logbook) -> None:
    e = find_exercise("transmit-6")
    session = begin(book, e, e.seed)
    session.turn("L8", TURN)
    session.turn("L8", -TURN)
    align(session)
    session.append(Diagnosed(""))
    made = _made(book, session, e)
    assert made.mark.needless == ("power (L8)",) and not made.mark.passed, (
        "it was put back, and still was not asked for"
    )
    moment = next(m for m in made.moments if m.kind == "needless")
    assert (moment.adjuster, moment.step) == ("L8", "power")
    back = rewind(book, session.job_id, moment.seq)
    assert back.state.positions["L8"] == 0 and back.job_id != session.job_id and back.state.seq == moment.seq - 1
    assert back.state.card.number != session.state.card.number and not back.state.finished
    align(back)
    back.append(Diagnosed(""))
    assert _made(book, back, e).mark.passed, "from before the mistake it is passed"


def test_rewound_a_radio_stands_and_reads_as_it_did(book: Logbook) -> None:
    e = find_exercise("receive-3")
    session = begin(book, e, e.seed)
    session.confirm_hook_up("receive")
    session.set_up(session.step.setting)
    session.turn("T4", 3 * TURN // 8)
    seq, seconds = session.state.seq + 1, session.bench.seconds()
    session.turn("T5", TURN)
    back = rewind(book, session.job_id, seq)
    assert back.state.positions == {**session.state.positions, "T5": 0} and back.state.set_up == session.state.set_up
    assert back.bench.seconds() == pytest.approx(seconds, abs=0.01) and back.state.hook_up == "receive"
    for wrong in (0, 1, session.state.seq + 5):
        with pytest.raises(TapeError, match="nothing before"):
            rewind(book, session.job_id, wrong)


def test_a_fault_aligned_round_costs_its_share_and_a_wrong_name_too(book: Logbook) -> None:
    e = find_exercise("settings-5")
    session = begin(book, e, e.seed)
    align(session)
    session.append(Diagnosed("gain"))
    made = _made(book, session, e)
    assert made.mark.named is False and not made.mark.passed and "fault" in _kinds(made)
    session.append(Diagnosed("threshold"))
    assert _made(book, session, e).mark.named is True


def test_broken_things_cost_and_fail(book: Logbook) -> None:
    e = find_exercise("transmit-1")
    session = begin(book, e, e.seed)
    session.confirm_hook_up("receive")
    assert session.key_anyway() == "generator"
    session.repair()
    align(session)
    session.append(Diagnosed(""))
    made = _made(book, session, e)
    assert made.mark.broken == ("generator",) and not made.mark.passed and made.mark.score <= 80
    assert describe_moment(made.moments[0], session.sheet)[0] == "Broke the generator"


def test_marks_are_kept_by_exercise_and_the_one_that_waits_is_found(tmp_path, book: Logbook) -> None:  # type: ignore[no-untyped-def]
    e = find_exercise("receive-1")
    with practice_book(tmp_path) as own:
        session = begin(own, e, e.seed)
        attempt = Attempt(session.job_id, e, e.seed, "hints")
        keep_attempt(own, attempt)
        assert attempt_of(own, session.job_id) == attempt == running(own) and attempt_of(own, "nobody") is None
        align(session)
        session.append(Diagnosed(""))
        made = _made(own, session, e)
        keep_result(own, made, "coach")
        keep_result(own, made, "hints")
        assert running(own) is None and len(results(own)) == 1 and best(own)[e.id].help == "hints"
        own.set_setting("results", [*own.setting("results"), {"job": 3}])
        own.set_setting("attempt x", {"job": "x"})
        assert len(results(own)) == 1 and attempt_of(own, "x") is None, "what is damaged is left out"
    assert (tmp_path / "practice").is_dir()
    with practice_book(None) as memory:
        assert results(memory) == ()
    sheet = session.sheet
    data = json.loads(render(made, sheet, "hints", "2026-11-29T10:00:00Z", Head(), "json"))
    assert data["score"] == 100 and data["format"] == "unitone-exercise-mark/1" and "fault" not in data
    assert render(made, sheet, "hints", "2026-11-29T10:00:00Z", Head(), "pdf").startswith(b"%PDF")
    with pytest.raises(UnitoneError, match="pdf, json"):
        render(made, sheet, "hints", "2026-11-29T10:00:00Z", Head(), "doc")
