"""Each costly moment in words: what it was, what it did, and a better move that is the coach's own."""

from __future__ import annotations

from typing import get_args

import pytest

from unitone.align.moves import Advice
from unitone.present.bench.sentences import sentence
from unitone.scenario.debrief import Kind, Moment
from unitone.scenario.describe import describe_better, describe_moment
from unitone.scenario.exercises import find_exercise
from unitone.scenario.practice_radio import begin
from unitone.session.session import Session
from unitone.store.logbook import Logbook
from unitone.words import in_language


@pytest.fixture
def session(book: Logbook) -> Session:
    e = find_exercise("receive-4")
    return begin(book, e, e.seed)


def _moment(kind: Kind, better: Advice | None, moves: int = 3, adjuster: str = "T1") -> Moment:
    return Moment(9, 12.0, kind, "front-end", adjuster, 4.0, moves, better, {})


@pytest.mark.parametrize("language", ["en", "de"])
@pytest.mark.parametrize("kind", get_args(Kind))
def test_every_kind_is_told_whole_in_both_languages(kind: Kind, language: str, session: Session) -> None:
    with in_language(language):
        title, words, better = describe_moment(_moment(kind, session.advice()), session.sheet)
        assert 5 < len(title) < 70 and words and words[0] == words[0].upper()
        assert "{" not in title + words + better and "|||" not in words
        if kind not in ("broken", "fault", "metal"):
            assert better == sentence(session.advice(), session.sheet, {})[0]


def test_one_is_not_told_as_many(session: Session) -> None:
    for kind, one, many in (
        ("wandered", "1 turn;", "4 turns;"), ("too-strong", "1 turn.", "4 turns."), ("stale", "1 result was", "4 results were"),
        ("out", "1 result is", "4 results are"), ("hint", "1 hint was", "4 hints were"),
    ):  # fmt: skip
        assert one in describe_moment(_moment(kind, None, 1), session.sheet)[1]  # type: ignore[arg-type]
        assert many in describe_moment(_moment(kind, None, 4), session.sheet)[1]  # type: ignore[arg-type]


def test_what_was_broken_has_its_name(session: Session) -> None:
    for code, said in (
        ("generator", "Broke the generator"),
        ("final", "Broke the final"),
        ("meter", "Broke the meter"),
    ):
        assert describe_moment(_moment("broken", None, 1, code), session.sheet)[0] == said


def test_where_the_coach_has_no_move_nothing_is_made_up(session: Session) -> None:
    assert describe_better(None, session.sheet, {}) == ""
    title, words, better = describe_moment(_moment("needless", None), session.sheet)
    assert title == "Turned T1 though in spec" and words == "Peak the front end: in spec as found." and better == ""
