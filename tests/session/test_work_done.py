"""Fault finding log, and what is loose: kept, found again, told on paper, and in the way of finishing where it must be."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.errors import TapeError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.verdicts import blockers
from unitone.present.bench.bench_view import take_view
from unitone.present.papers import certificate_of
from unitone.report.formats import render
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook


def ready(book: Logbook) -> Session:
    """A job with every step put aside: nothing but loose ends can keep it from being finished."""
    session = Session(
        book, open_job(book, "handheld", Card(book.next_number(), "handheld", "7"), title="Ostrel Plover")
    )
    session.start_work()
    for step in session.sheet.steps:
        session.go_to(step.id)
        session.judge("not applicable", "not this time")
    assert not blockers(session.state)
    return session


def test_what_was_tried_is_there_for_the_next_one(book: Logbook) -> None:
    session = ready(book)
    session.tried("leaky electrolytics", "replaced C41 to C44", "rail 8.4 → 8.4 V", "not the cause")
    session.tried("plug of the loom", "cleaned and seated", "rail 9.0 V", "the cause")
    view = take_view(session)
    assert [r.outcome for r in view.log.tried] == ["the cause", "not the cause"] and "C41 to C44" in view.log.tried[
        1
    ].words
    assert view.log.cells[-1].value == "the cause"
    for wrong, says in ((("", "x", "", "unclear"), "suspected"), (("x", "y", "", "maybe"), "is not an outcome")):
        with pytest.raises(TapeError, match=says):
            session.tried(*wrong)
    made = certificate_of(session.state)
    assert made.tried[0] == "leaky electrolytics: replaced C41 to C44 → rail 8.4 → 8.4 V (not the cause)"
    assert b"plug of the loom" in render(made, "html")
    assert [r.number for r in book.jobs("C41")] == [session.state.card.number], "a search finds it by its part"
    session.void_last()
    assert len(session.state.tried) == 1 and fold(book.tape(session.job_id)).tried == session.state.tried


def test_a_loose_end_blocks_finishing_until_it_is_put_right_or_stays_for_a_reason(book: Logbook) -> None:
    session = ready(book)
    session.loosen("speaker unsoldered")
    session.loosen("bench supply instead of the battery")
    first, second = take_view(session).log.loose
    assert first[1] == "speaker unsoldered"
    with pytest.raises(TapeError, match="speaker unsoldered, bench supply"):
        session.finish()
    session.tie(first[0])
    with pytest.raises(TapeError, match="not open"):
        session.tie(first[0])
    with pytest.raises(TapeError, match="Still loose: bench supply"):
        session.finish()
    session.void_last()
    assert len(session.state.open_ends) == 2, "putting it right was struck"
    session.tie(first[0])
    session.tie(second[0], "the owner has no cells in it")
    session.finish()
    made = certificate_of(session.state)
    assert made.finished and made.stays == ("bench supply instead of the battery: the owner has no cells in it",)
    with pytest.raises(TapeError, match="Say what is loose"):
        ready(book).loosen(" ")


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.tuples(st.sampled_from(["loosen", "tie", "stays", "void", "finish"]), st.integers(0, 9)), max_size=20)
)
def test_no_sequence_finishes_a_job_with_a_loose_end(ops: list[tuple[str, int]]) -> None:
    with Logbook(None) as book:
        session = ready(book)
        for op, n in ops:
            ends = session.state.open_ends
            try:
                if op == "loosen":
                    session.loosen(f"lead {n}")
                elif op in ("tie", "stays") and ends:
                    session.tie(ends[n % len(ends)].entry_id, "so be it" if op == "stays" else "")
                elif op == "void":
                    session.void_last()
                elif op == "finish":
                    session.finish()
            except TapeError:
                continue
        again = fold(book.tape(session.job_id))
        assert again.loose == session.state.loose
        if again.finished:
            assert not again.open_ends
