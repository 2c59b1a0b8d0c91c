"""The arithmetic of a mark, whatever a job came to: no mark for nothing, none over a hundred, and each mistake costs."""

from __future__ import annotations

from dataclasses import replace

import pytest

from unitone.job.entries.practice import Diagnosed, HintTaken
from unitone.robot.technician import align
from unitone.scenario.exercise import Exercise
from unitone.scenario.exercises import find_exercise
from unitone.scenario.marking import BROKEN, HINT, LEFT_ALONE, MOVES, NAMED, PASS, RESTORED, STALE, good_moves, mark
from unitone.scenario.practice_radio import begin
from unitone.session.own_sheets import library_of
from unitone.session.session import Session
from unitone.sheet.model.sheet import TURN
from unitone.store.logbook import Logbook


def _done(book: Logbook, name: str) -> tuple[Session, Exercise, int]:
    e = find_exercise(name)
    session = begin(book, e, e.seed)
    align(session)
    session.append(Diagnosed(""))
    return session, e, good_moves(e, e.seed, library_of(book))


def test_the_shares_make_a_hundred() -> None:
    assert RESTORED + NAMED + LEFT_ALONE + MOVES == 100 and PASS < 100 and min(BROKEN, HINT, STALE) > 0


def test_nothing_done_is_worth_nothing(book: Logbook) -> None:
    for name in ("receive-1", "settings-5"):
        e = find_exercise(name)
        made = mark(begin(book, e, e.seed), e, 10)
        assert made.score == 0 and not made.passed and made.restored[0] == 0 and made.moves == 0
        assert made.named in (None, False)


def test_the_more_moves_the_fewer_marks_and_a_few_more_cost_none(book: Logbook) -> None:
    session, e, good = _done(book, "receive-1")
    scores = [mark(session, e, round(good / times)).score for times in (1.0, 1.4, 2.0, 3.0, 5.0)]
    assert scores[0] == scores[1] == 100 and scores == sorted(scores, reverse=True)
    assert scores[-1] == 100 - MOVES, "moves alone take no more than their share"
    assert mark(session, e, good).passed and mark(session, e, round(good / 5.0)).passed, "thirty marks may be lost"


def test_hints_are_taken_off_one_by_one(book: Logbook) -> None:
    e = find_exercise("receive-1")
    session = begin(book, e, e.seed)
    session.append(HintTaken("if-first"))
    session.append(HintTaken("if-first"))
    align(session)
    session.append(Diagnosed(""))
    made = mark(session, e, good_moves(e, e.seed, library_of(book)))
    assert made.hints == 2 and made.score == 100 - 2 * HINT


def test_a_result_that_is_right_but_not_read_again_is_not_proven(book: Logbook) -> None:
    e = find_exercise("receive-1")
    session = begin(book, e, e.seed)
    while session.advice().act != "finish":
        session.follow(session.advice())
    session.turn("T3", 2 * TURN // 360)
    made = mark(session, e, 9)
    assert made.unproven == ("if-first",) and made.restored == (0, 1) and made.out == ()


def test_putting_a_step_aside_does_not_make_it_good(book: Logbook) -> None:
    e = find_exercise("transmit-1")
    session = begin(book, e, e.seed)
    session.judge("not applicable", "no time")
    made = mark(session, e, 7)
    assert made.restored == (0, 1) and made.out == ("deviation",) and not made.passed
    session = begin(book, e, e.seed)
    session.confirm_hook_up("transmit")
    session.set_up(session.step.setting)
    session.measure()
    session.judge("accepted", "good enough")
    assert mark(session, e, 7).restored == (0, 1), "what is out stays out, whatever is said of it"


def test_a_wrong_name_and_the_last_name_counts(book: Logbook) -> None:
    e = find_exercise("settings-5")
    session = begin(book, e, e.seed)
    align(session)
    marks = []
    for name in ("gain", "threshold", "dead"):
        session.append(Diagnosed(name))
        marks.append(mark(session, e, 27))
    assert [m.named for m in marks] == [False, True, False]
    assert marks[1].score - marks[0].score == NAMED and marks[0].score == marks[2].score


def test_what_the_radio_cannot_do_is_asked_of_nobody(book: Logbook) -> None:
    """With a late rectifier the meter cannot be set: its step counts neither for nor against."""
    session, e, good = _done(book, "settings-5")
    made = mark(session, e, good)
    assert made.restored == (1, 1) and "s-meter" not in made.out


@pytest.mark.parametrize("name", ["receive-1", "transmit-2"])
def test_a_mark_is_of_the_log_and_the_radio_and_of_nothing_else(name: str, book: Logbook) -> None:
    session, e, good = _done(book, name)
    first = mark(session, e, good)
    again = mark(Session(book, session.job_id), e, good)
    assert first == again == replace(first), "read again from disk it is the same"
