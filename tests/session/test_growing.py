"""The radio's own sheet grows while it is worked on: adjusters, points, controls, made on the spot."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from unitone.errors import EntryError, TapeError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.voltages import row_states
from unitone.quantities.registry import quantity
from unitone.session.own_sheets import library_of
from unitone.session.session import Session, open_job
from unitone.sheet.editing.left import limit_left
from unitone.sheet.format.read import read_sheet
from unitone.sheet.model.sheet import Limit, Sheet
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


def test_a_step_of_ones_own_stands_after_the_one_at_hand(session: Session) -> None:
    session.go_to("front-end")
    made = session.growing.add_step("AF output, full volume", "rx.af_voltage", "≥ 1.5 V")
    step = session.sheet.step(made)
    assert session.step.id == made and (step.aim, step.hook_up, step.phase) == ("check", "receive", "receive")
    assert step.limit.low == 1.5 and step.setting.channel == session.sheet.step("front-end").setting.channel
    ids = [s.id for s in session.sheet.steps]
    assert ids.index(made) == ids.index("front-end") + 1
    # Another side's step stands on that side's channel; what is no limit of the quantity is refused.
    made = session.growing.add_step("Second harmonic", "tx.harmonic", "≤ -60 dBc")
    sent = session.sheet.step(made)
    assert sent.hook_up == "transmit" and sent.setting.channel
    for limit in ("loud", "≥ 12 dB"):
        with pytest.raises(EntryError):
            session.growing.add_step("Odd", "rx.af_voltage", limit)
    with pytest.raises(EntryError, match="Name the step"):
        session.growing.add_step(" ", "rx.af_voltage", "≥ 1 V")


def test_a_pin_touched_on_a_picture(session: Session) -> None:
    session.growing.pin("adjuster", "RF1", (0.25, 0.6180339))
    assert session.sheet.adjuster("RF1").pin == (0.25, 0.618)
    with pytest.raises(EntryError, match="no adjuster"):
        session.growing.pin("adjuster", "RF9", (0.1, 0.1))


@pytest.mark.parametrize(
    ("quantity_id", "value", "before", "after"),
    [
        # A margin of 3 dB, or 30 %, towards the worse; never looser than the limit that was there.
        ("rx.sinad", 20.0, Limit(12.0, None), Limit(17.0, None)), ("rx.sinad", 13.0, Limit(12.0, None), Limit(12.0, None)),
        ("rx.sensitivity", -120.0, Limit(None, -113.0), Limit(None, -117.0)), ("rx.af_voltage", 2.0, Limit(1.0, None), Limit(1.4, None)),
        ("vco.tuning_voltage", 3.0, Limit(2.0, 4.0), Limit(2.7, 3.3)), ("supply.current", 0.4, Limit(None, 1.0), Limit(None, 0.52)),
        # What a rule sets stays.
        ("tx.deviation", 1900.0, Limit(1800.0, 2000.0), None), ("tx.frequency_error", 20.0, Limit(-300.0, 300.0), None),
    ],
)  # fmt: skip
def test_limits_close_in_on_what_was_left(quantity_id: str, value: float, before: Limit, after: Limit | None) -> None:
    made = limit_left(quantity(quantity_id), value, before)
    if after is None or made is None:
        assert made is after
    else:
        assert (made.low, made.high) == (pytest.approx(after.low), pytest.approx(after.high))


def test_a_radio_that_was_finished_becomes_the_sheet_of_its_kind(tmp_path: Path) -> None:
    book = Logbook(tmp_path / "logbook.db")
    session = Session(book, open_job(book, "fm-mobile", Card(book.next_number(), "fm-mobile"), title="Fenmark Lode 80"))
    with pytest.raises(TapeError, match="Finish the job first"):
        session.growing.as_sheet()
    unknown = session.growing.add_voltage("Q9 collector")
    session.workshop.read_volts(unknown, "5.62")
    session.workshop.tell_control("tone switch", "cuts the hiss")
    session.growing.add_step("AF output, full volume", "rx.af_voltage", "≥ 0.5 V")
    own = session.step.id
    for step in session.sheet.steps:
        session.go_to(step.id)
        if step.id not in (own, "sinad", "front-end"):
            session.judge("not applicable", "this radio has none")
            continue
        session.confirm_hook_up(step.hook_up)
        for index in range(len(step.required)):
            session.type_at(step.id, index, "2.0" if step.id == own else "18")
    session.finish()
    identifier = session.growing.keep_as_sheet()
    assert identifier == "fenmark-lode-80"
    kept = load_own(book, identifier)
    assert kept.title == "Fenmark Lode 80" and {s.id for s in kept.steps} <= {own, "sinad", "front-end"}
    assert kept.step(own).limit.low == pytest.approx(1.4) and "left in job" in kept.step(own).source
    assert kept.step("front-end").limit.low == pytest.approx(15.0)
    # Adjusters of steps that it does not have are gone, its point has a voltage, and its control is told.
    assert {a.id for a in kept.adjusters} == {a for s in kept.steps for a in s.adjusters}
    row = next(v for v in kept.voltages if v.id == unknown)
    assert row.is_known and row.nominal == pytest.approx(5.62)
    assert any(c.id == "tone switch" and c.does == "cuts the hiss" for c in kept.controls)
    # A job on it begins like any other; a second radio of the kind gets a sheet of its own name.
    assert open_job(book, identifier, Card(book.next_number(), identifier))
    assert session.growing.keep_as_sheet() == "fenmark-lode-80-2"
    book.close()


def load_own(book: Logbook, identifier: str) -> Sheet:
    return read_sheet(library_of(book).find(identifier))
