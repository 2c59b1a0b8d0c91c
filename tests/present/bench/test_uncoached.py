"""The Bench without its coach: nothing of the coach's is left in the picture, everything of the bench's own is."""

from __future__ import annotations

from dataclasses import replace

import pytest

from unitone.present.bench.bench_view import take_view
from unitone.present.bench.sentences import sentence
from unitone.present.bench.uncoached import without_coach
from unitone.scenario.exercises import find_exercise
from unitone.scenario.marking import HINT
from unitone.scenario.practice_radio import begin
from unitone.session.session import Session
from unitone.sheet.model.sheet import TURN
from unitone.store.logbook import Logbook


def _alone(session: Session, can_ask: bool = False):  # type: ignore[no-untyped-def]
    return without_coach(take_view(session, "", False), session.state, can_ask)


def test_at_every_moment_of_a_job_the_coachs_words_are_gone(book: Logbook) -> None:
    e = find_exercise("receive-3")
    session = begin(book, e, e.seed)
    for _ in range(40):
        advice = session.advice()
        if advice.act == "done":
            break
        headline, detail = sentence(advice, session.sheet, session.state.positions)
        view = _alone(session)
        if not view.finished:
            told = " ".join(
                (view.coach.headline, view.coach.detail, *view.step.remarks, view.step.trial, view.reading.chart_next)
            )
            assert headline not in told and (not detail or detail not in told)
            assert view.coach.silent and view.coach.arrow == 0 and view.coach.button == "Log reading"
            hill = view.reading.hill
            assert hill is None or (hill.peak is None and hill.curve_y == () and hill.target is None)
        session.follow(advice)
    assert session.state.finished and not _alone(session).coach.silent, "what is finished may be looked at as it is"


def test_the_bench_reads_as_it_stands_and_the_sheet_says_what_it_asks(book: Logbook) -> None:
    e = find_exercise("receive-4")
    session = begin(book, e, e.seed)
    session.confirm_hook_up("receive")
    asked = session.step.setting
    strong = replace(asked, level_dbm=(asked.level_dbm or 0.0) + 30.0, channel="1")
    session.set_up(strong)
    view = _alone(session)
    assert view.step.conditions == strong, "what is dialled is what is read, right or wrong"
    assert "1.00 µV" in view.step.dial_words and "ch 20" in view.step.panel_words, "the paper procedure's words stay"
    coached = take_view(session)
    assert coached.step.conditions != strong


def test_the_adjuster_in_hand_is_the_trainees_choice(book: Logbook) -> None:
    e = find_exercise("receive-3")
    session = begin(book, e, e.seed)
    session.confirm_hook_up("receive")
    session.set_up(session.step.setting)
    session.measure()
    session.start_work()
    assert take_view(session, "T5", False).board.selected == "T5"
    assert take_view(session, "", False).board.selected == "T4", "the step's first, whatever the coach would take"
    session.turn("T5", TURN // 8)
    assert take_view(session, "", False).board.selected == "T5", "the one that was turned last"


@pytest.mark.parametrize("can_ask", [False, True])
def test_a_hint_is_offered_where_it_can_be_had(can_ask: bool, book: Logbook) -> None:
    e = find_exercise("settings-1")
    session = begin(book, e, e.seed)
    view = _alone(session, can_ask)
    assert (f"(Ctrl+H) costs {HINT} marks" in view.coach.detail) == can_ask
    assert "hook-up is not confirmed" in view.coach.detail
    session.confirm_hook_up("receive")
    assert "Limit" in _alone(session, can_ask).coach.detail
