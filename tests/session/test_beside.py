"""Two radios side by side on one signal: what is logged of both, and what the differences say together."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from unitone.errors import UnitoneError
from unitone.job.beside import compared, finding
from unitone.job.fold import fold
from unitone.present.card.card_view import take_card
from unitone.session.session import Session

Make = Callable[..., Session]


def test_an_s_meter_that_reads_low_is_no_deaf_receiver(new_session: Make) -> None:
    session = new_session(None)
    workshop = session.workshop
    assert finding(session.state) == "" and take_card(session).beside_words == ""
    for mine, its in (("S7", "S9"), ("s5", "S7"), ("S9", "S9+10")):
        workshop.read_beside("the shop's own", "S-meter", mine, its, "station")
    meter = compared(session.state)[0]
    # IARU Region 1 Technical Recommendation R.1: 6 dB an S-unit.
    assert meter.better_db == pytest.approx((-12 - 12 - 10) / 3) and meter.count == 3 and finding(session.state) == ""
    # A splitter of 3.2 dB stands before both: it comes off the levels, and not off their difference.
    workshop.read_beside("the shop's own", "sensitivity", "0,31 uV", "0.30 uV", splitter="3.2 dB")
    pair = session.state.shop.beside[-1]
    # 20·log10(0.31 µV/223.607 mV) = -117.2 dBm in 50 ohm.
    assert pair.mine == pytest.approx(-117.16 - 3.2, abs=0.01) and finding(session.state) == "s-meter alone"
    words = take_card(session).beside_words
    assert "set the S-meter" in words and "spread" in words
    # Deaf by as much as the meter is low: it is the receiver.
    workshop.read_beside("the shop's own", "sensitivity", "1.2 uV", "0.30 uV")
    assert finding(session.state) == "deaf"
    session.void_last()
    workshop.read_beside("the shop's own", "field strength", "41", "48 dB")
    assert (
        finding(session.state) == "s-meter alone"
        and fold(session.state.entries, session.job_id).shop.beside == session.state.shop.beside
    )


@pytest.mark.parametrize(
    ("row", "words"),
    [
        (("", "S-meter", "S7", "S9"), "Name the other radio"),
        (("x", "colour", "S7", "S9"), "nothing to compare"),
        (("x", "S-meter", "lots", "S9"), "lots"),
        (("x", "sensitivity", "<0.1 uV", "0.2 uV"), "0.1"),
        (("x", "sensitivity", "0.1 uV", "0.2 uV", "", "90"), "between 0 and 30 dB"),
    ],
)
def test_what_cannot_be_is_refused(new_session: Make, row: tuple[str, ...], words: str) -> None:
    session = new_session(None)
    with pytest.raises(UnitoneError, match=words):
        session.workshop.read_beside(*row)  # type: ignore[arg-type]
    assert session.state.shop.beside == []
