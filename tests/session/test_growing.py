"""The radio's own sheet grows while it is worked on: adjusters, points, controls, made on the spot."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from unitone.errors import EntryError, TapeError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.voltages import row_states
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook


@pytest.fixture
def session() -> Iterator[Session]:
    book = Logbook(None)
    yield Session(book, open_job(book, "fm-mobile", Card(book.next_number(), "fm-mobile"), title="Fenmark Lode 80"))
    book.close()


def test_an_adjuster_found_on_the_board_is_peaked_with_the_others(session: Session) -> None:
    session.confirm_hook_up("receive")
    session.type_at("front-end", 0, "9")
    session.growing.add_adjuster("front-end", "RF3", where="behind the mixer")
    added = session.sheet.adjuster("RF3")
    assert (added.kind, added.where) == ("core", "behind the mixer") and added.affects[0].pattern == "rx.*"
    assert session.sheet.step("front-end").adjusters == ("RF1", "RF2", "RF3")
    # The radio is what it was: what was read of it stands, and the log alone gives the same.
    assert ("front-end", 0) in session.state.latest and not session.state.is_stale(session.sheet.step("front-end"), 0)
    session.turn("RF3", 45_000)
    again = fold(session.logbook.tape(session.job_id))
    assert again.positions["RF3"] == 45_000 and again.sheet.step("front-end").adjusters[-1] == "RF3"
    with pytest.raises(EntryError, match="there already"):
        session.growing.add_adjuster("front-end", "RF3")
    with pytest.raises(EntryError, match="short name"):
        session.growing.add_adjuster("front-end", "the big coil!")
    with pytest.raises(TapeError, match="was turned in this job"):
        session.growing.drop_adjuster("RF3")


def test_an_adjuster_that_this_radio_does_not_have_leaves_its_steps(session: Session) -> None:
    session.growing.drop_adjuster("VCO")
    step = session.sheet.step("vco-receive")
    assert step.aim == "check" and step.adjusters == () and "VCO" not in {a.id for a in session.sheet.adjusters}
    assert session.sheet.step("power").adjusters == ("TX1", "TX2")


def test_a_point_is_added_while_the_probe_is_on_it(session: Session) -> None:
    known = session.growing.add_voltage("8 V rail", "by the regulator", "8.0 V")
    session.workshop.read_volts(known, "7.1")
    unknown = session.growing.add_voltage("V3 anode")
    session.workshop.read_volts(unknown, "198")
    rows = {r.row.title: r for r in row_states(session.state)}
    assert rows["8 V rail"].verdict == "low" and rows["V3 anode"].verdict == "noted"
    assert "No expected value" in rows["V3 anode"].words
    # Two of one name get two rows; what is no voltage is refused with words, and nothing is lost.
    assert session.growing.add_voltage("V3 anode") != unknown
    with pytest.raises(EntryError, match="eight"):
        session.growing.add_voltage("tap", "", "eight")
    assert len(session.sheet.voltages) == 3
    session.growing.add_control("channel", "1..40", "turns round")
    assert session.sheet.controls[-1].id == "channel"
