"""Is it worth it? Hours at the workshop's rate and parts, against what the owner approved and what the radio is worth."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from unitone.job.worth import amount, cost_of
from unitone.present.card.card_view import take_card
from unitone.session.session import Session


@pytest.mark.parametrize(
    ("typed", "value"), [("40.00", 40.0), ("40,50 €", 40.5), ("up to 60", 60.0), ("", None), ("ask her", None)]
)
def test_amounts_as_people_type_them(typed: str, value: float | None) -> None:
    assert amount(typed) == value


def test_hours_and_parts_against_what_was_approved(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    book, workshop = session.logbook, session.workshop
    workshop.spend("1 h 30", "rails")
    assert take_card(session).cost_words == "" and cost_of(session.state, None).work is None
    book.set_setting("cost", {"rate": 30.0, "currency": "€"})
    assert take_card(session).cost_words == "work 45.00 €"
    workshop.fit_part("C41", 2, "100 uF 25 V", price="0.50")
    workshop.set_status("open", "", "60", "200")
    view = take_card(session)
    assert (
        view.cost_words == "work 45.00 € · parts 1.00 € · together 46.00 € · approved up to 60.00 €"
        and view.cost_mark == ""
    )
    assert (view.approved, view.worth) == ("60", "200")
    workshop.spend("10", "board")
    assert "ask the owner before more" in take_card(session).cost_words and take_card(session).cost_mark == "recheck"
    workshop.spend("30", "board")
    assert "more than was approved" in take_card(session).cost_words and take_card(session).cost_mark == "out_of_spec"
    # What the radio is worth goes first; an approval in words alone says nothing.
    workshop.set_status("open", "", "whatever it takes", "50,00")
    assert (
        "more than the radio is worth" in take_card(session).cost_words
        and "approved" not in take_card(session).cost_words
    )
    # What stays as it was typed, and a status without a word on money leaves it.
    workshop.set_status("later", "no crystal")
    assert (session.state.approved, session.state.worth) == ("whatever it takes", "50,00")
    session.void_last()
    session.void_last()
    assert (session.state.approved, session.state.worth) == ("60", "200")
