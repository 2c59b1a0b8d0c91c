"""What is kept of practice: each attempt once, the best without the coach first, the last one that waits."""

from __future__ import annotations

from pathlib import Path

import msgspec
import pytest

from unitone.scenario.exercise import Help
from unitone.scenario.exercises import find_exercise
from unitone.scenario.practice_radio import begin
from unitone.scenario.practice_results import (
    Attempt,
    Result,
    attempt_of,
    best,
    keep_attempt,
    practice_book,
    results,
    running,
)
from unitone.store.logbook import Logbook


def _result(job: str, exercise: str, score: int, how: Help = "none", passed: bool = True) -> Result:
    e = find_exercise(exercise)
    return Result(
        job, exercise, e.skill, e.grade, e.seed, how, score, passed, f"2026-11-{10 + score // 10:02d}T10:00:00Z", 60.0
    )


def _kept(book: Logbook, *told: Result) -> None:
    book.set_setting("results", [msgspec.to_builtins(r) for r in told])


def test_without_the_coach_counts_before_with_it(book: Logbook) -> None:
    _kept(
        book,
        _result("a", "receive-1", 100, "coach"),
        _result("b", "receive-1", 64),
        _result("c", "receive-1", 71, "hints"),
    )
    assert best(book)["receive-1"].score == 71
    _kept(book, _result("a", "receive-1", 80, "coach"), _result("b", "receive-1", 95, "coach"))
    assert best(book)["receive-1"].score == 95
    assert set(best(book)) == {"receive-1"} and [r.job for r in results(book)] == ["a", "b"]


def test_the_last_attempt_without_a_mark_waits(book: Logbook) -> None:
    e = find_exercise("receive-1")
    assert running(book) is None
    jobs = [begin(book, e, 1).job_id for _ in range(3)]
    for job in jobs:
        keep_attempt(book, Attempt(job, e, 1, "none"))
    assert running(book).job == jobs[2]  # type: ignore[union-attr]
    _kept(book, _result(jobs[2], "receive-1", 40))
    assert running(book).job == jobs[1]  # type: ignore[union-attr]
    assert attempt_of(book, jobs[0]).exercise == e  # type: ignore[union-attr]


@pytest.mark.parametrize("wrong", [None, "x", 7, [{"job": 1}], {"a": {"job": "a"}}])
def test_notes_that_are_damaged_cost_themselves_alone(wrong: object, book: Logbook) -> None:
    if not isinstance(wrong, dict):
        book.set_setting("results", wrong if isinstance(wrong, list) else None)
        assert results(book) == () and best(book) == {}
    else:
        book.set_setting("attempt a", wrong["a"])
        assert attempt_of(book, "a") is None and running(book) is None


def test_practice_stands_apart_from_the_workshop(tmp_path: Path) -> None:
    with Logbook(tmp_path) as workshop, practice_book(tmp_path) as own:
        _kept(own, _result("a", "receive-1", 90))
        assert workshop.setting("results") is None and own.folder == tmp_path / "practice"
    with practice_book(tmp_path) as own:
        assert [r.score for r in results(own)] == [90]
