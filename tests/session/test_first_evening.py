"""The first evening's answers: what follows from them, and what they leave alone."""

from __future__ import annotations

from itertools import chain, combinations

from unitone.job.card import Card
from unitone.scenario.exercises import find_exercise
from unitone.session.first_evening import (
    ON_BENCH,
    REPAIRED,
    conventions_for,
    end_first_evening,
    first_exercise,
    first_procedures,
    is_first_evening,
    on_bench,
    repaired,
    set_on_bench,
    set_repaired,
)
from unitone.session.session import Session, open_job
from unitone.sheet.conventions.questions import QUESTIONS
from unitone.sheet.library import general
from unitone.store.logbook import Logbook


def test_every_bench_gets_choices_that_exist_and_every_radio_a_procedure_that_exists() -> None:
    for there in chain.from_iterable(combinations(ON_BENCH, n) for n in range(len(ON_BENCH) + 1)):
        for question, choice in conventions_for(there).items():
            assert not choice or choice in QUESTIONS[question].choices
    assert not any(conventions_for(ON_BENCH).values()), "with all of it the sheet decides"
    shipped = {p.stem for p in general()}
    assert {p for _, procedures in REPAIRED.values() for p in procedures} == shipped


def test_answers_reach_the_next_job_and_leave_other_conventions_alone(book: Logbook) -> None:
    assert is_first_evening(book) and on_bench(book) == set(ON_BENCH) and repaired(book) == frozenset()
    book.set_setting("conventions", {"s9": "100uv-pd", "source": "station"})
    set_on_bench(book, {"generator", "af-voltmeter", "counter"})
    assert book.setting("conventions") == {"s9": "100uv-pd", "reading": "af", "modulation": "voice"}
    set_on_bench(book, {"sinad", "tone"})
    set_repaired(book, {"handheld", "fm", "no such thing"})
    assert repaired(book) == {"fm", "handheld"} and on_bench(book) == {"sinad", "tone"}
    assert first_procedures(book) == ("fm-mobile", "fm-mobile-uk", "fm-handheld", "handheld")
    session = Session(book, open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40")))
    standing = {q: c.choice for q, c in session.state.stand.items()}
    assert (standing["source"], standing["carrier"]) == ("station", "clarifier")
    assert not is_first_evening(book), "there is a job"


def test_it_is_asked_once_and_leads_to_an_exercise_of_that_kind(book: Logbook) -> None:
    assert first_exercise(book) == "receive-1"
    set_repaired(book, {"broadcast"})
    assert find_exercise(first_exercise(book)).skill == "vintage"
    end_first_evening(book)
    assert not is_first_evening(book)
