"""The strip of the log: short names that a language has, and values that say their unit once."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from unitone.job.card import Card
from unitone.job.entries.readings import Reading
from unitone.job.fold import fold
from unitone.present.bench.log import log_strip
from unitone.quantities.registry import QUANTITIES
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Conditions
from unitone.store.logbook import Logbook
from unitone.words import in_language


@pytest.fixture
def session() -> Iterator[Session]:
    book = Logbook(None)
    yield Session(book, open_job(book, "am-mobile", Card(book.next_number(), "am-mobile")))
    book.close()


def cell_of(session: Session, quantity_id: str, value: float) -> tuple[str, str]:
    session.append(Reading(quantity_id, Conditions("receive", "20"), value, "by hand", "hand"))
    told = log_strip(fold(session.logbook.tape(session.job_id), session.sheet))[-1]
    return told.what, told.value


def test_a_name_and_a_value_with_its_unit_once(session: Session) -> None:
    assert cell_of(session, "rx.sn_ratio", 11.8) == ("S/N 20", "11.8 dB")
    assert cell_of(session, "rx.sinad", 12.04) == ("SINAD 20", "12.0 dB")
    with in_language("de"):
        assert cell_of(session, "rx.frequency_error", -3000.0) == ("Skala 20", "−3000 Hz")
        assert cell_of(session, "rx.selectivity", 60.0)[0] == "Trennschärfe 20"


@pytest.mark.parametrize("name", sorted(QUANTITIES))
def test_no_quantity_goes_by_its_code(session: Session, name: str) -> None:
    assert name not in cell_of(session, name, 1.0)[0]
