"""A job that rested begins with where it was left."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta

import pytest

from unitone.job.card import Card
from unitone.present.bench.where_was_i import RESTED, where_was_i
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook

THEN = datetime(2026, 3, 2, 17, 40, tzinfo=UTC)


@pytest.fixture
def session() -> Iterator[Session]:
    book = Logbook(None)
    job = open_job(book, "fm-mobile", Card(book.next_number(), "fm-mobile"), title="Fenmark Lode 80")
    yield Session(book, job, now=lambda: THEN.isoformat())
    book.close()


def test_the_next_morning_it_says_where_you_were(session: Session) -> None:
    assert where_was_i(session.state, THEN + timedelta(days=1)) == "", "nothing was read yet"
    session.type_at("current-rest", 0, "410")
    session.workshop.look_at("wax", "wrong", "T2 chewed", ("T2",))
    session.workshop.set_status("waiting", "a 10.7 MHz can")
    session.note("swap the IF can, then the front end again")
    words = where_was_i(session.state, THEN + timedelta(days=1))
    assert words == (
        "Where you were on 2026-03-02: last reading supply current 410 mA. Waiting: a 10.7 MHz can. Found: T2: T2 chewed. "
        "Your note: swap the IF can, then the front end again"
    )
    assert where_was_i(session.state, THEN + RESTED / 2) == ""
