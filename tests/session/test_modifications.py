"""A modified radio: what was changed is on the log, is undone from the last to the first, and stands first in the next job on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from unitone.errors import TapeError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.modifications import describe_undo, standing, undo_list
from unitone.present.card.card_view import take_card
from unitone.report.certificate import certificate
from unitone.report.handover import handover
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook

SHEET = "ostrel-weir-40-am"


def _job(book: Logbook, serial: str = "40-9") -> Session:
    return Session(book, open_job(book, SHEET, Card(book.next_number(), SHEET, serial)))


def test_changes_are_undone_last_first_and_stand_in_the_next_job(book: Logbook) -> None:
    session = _job(book)
    workshop = session.workshop
    workshop.modify("track cut", "by IC3 pin 7")
    workshop.modify("link added", "from IC3 pin 7 to the switch")
    workshop.modify("part changed", "D12", "1N4148", "1N60", "S-meter dead below S3")
    workshop.modify("wire moved", "brown", "pad 4", "pad 9")
    workshop.modify("part removed", "R71", "15 kΩ")
    workshop.modify("part added", "across C9", "", "22 pF")
    assert [describe_undo(m) for m in undo_list(session.state)] == [
        "Remove 22 pF from across C9.", "Fit 15 kΩ at R71 again.", "Move the brown wire back to pad 4.", "Put 1N4148 back at D12.",
        "Remove the link from IC3 pin 7 to the switch.", "Bridge the cut by IC3 pin 7.",
    ]  # fmt: skip
    # Put back: it is off the list; deleted entries bring it back as it was.
    diode = next(m for m in standing(session.state) if m.where == "D12")
    workshop.put_back(diode.entry_id)
    assert len(standing(session.state)) == 5 and "D12" not in str(take_card(session).undo)
    with pytest.raises(TapeError, match="does not stand"):
        workshop.put_back(diode.entry_id)
    session.void_last()
    assert len(standing(session.state)) == 6
    state = fold(book.tape(session.job_id), session.job_id)
    assert standing(state) == standing(session.state)
    # The papers name them.
    assert any("1N4148 → 1N60" in line for line in certificate(session.state).differs)
    assert any("track cut by IC3 pin 7" in line for line in handover(session.state).done)
    # The next job on this serial number begins with them; one on another radio does not.
    session.keep_summary()
    following, other = _job(book), _job(book, "40-10")
    assert [m.where for m in standing(following.state)] == [m.where for m in standing(session.state)]
    assert {m.job for m in standing(following.state)} == {session.state.card.number} and standing(other.state) == ()
    third = _job(book)
    assert {m.job for m in standing(third.state)} == {session.state.card.number}
    assert take_card(third).modified[0].when == f"job {session.state.card.number:04d}"
    # What was put back in the meantime is gone from the next.
    for m in standing(third.state):
        third.workshop.put_back(m.entry_id)
    third.keep_summary()
    assert standing(_job(book).state) == ()


def test_a_change_makes_readings_stale(new_session: Callable[..., Session]) -> None:
    session = new_session(3)
    session.confirm_hook_up(session.step.hook_up)
    session.measure(session.step.setting)
    before = len(session.state.touches)
    session.workshop.modify("part changed", "D12", "1N4148", "1N60")
    assert len(session.state.touches) == before + 1


@pytest.mark.parametrize(
    ("row", "words"),
    [
        (("sawn in half", "case"), "not a change"), (("track cut", " "), "Say where"), (("part added", "C9"), "there now"),
        (("part changed", "D12", "", "1N60"), "nobody can undo"), (("wire moved", "brown", "pad 4"), "there now"),
    ],
)  # fmt: skip
def test_what_cannot_be_undone_is_refused(
    new_session: Callable[..., Session], row: tuple[Any, ...], words: str
) -> None:
    session = new_session(None)
    with pytest.raises(TapeError, match=words):
        session.workshop.modify(*row)
    assert session.state.shop.modifications == {}
