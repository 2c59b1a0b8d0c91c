"""What stands beside the ladder: the line of a gain control is read before the stages that it holds are suspected."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from unitone.align.trace.advice import trace
from unitone.align.trace.branches import branches
from unitone.align.trace.ladder import chain, ladder
from unitone.errors import SheetError
from unitone.job.card import Card
from unitone.present.trace.trace_view import take_trace
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.library import find
from unitone.store.logbook import Logbook

HERON = "corvane-heron-3"
#: The pins of the second IF where its grid is held far down, and where its valve has no emission.
HELD = (("v5-grid", "-23.9"), ("v5-cathode", "0.0"), ("v5-anode", "239"), ("v5-screen", "238"))
TIRED = (("v5-grid", "-0.6"), ("v5-cathode", "0.0"), ("v5-anode", "239"), ("v5-screen", "238"))


@pytest.fixture
def session() -> Iterator[Session]:
    """The valve transceiver on a bench of one's own, traced to its second IF."""
    with Logbook(None) as book:
        made = Session(book, open_job(book, HERON, Card(book.next_number(), HERON, complaint="deaf")))
        made.confirm_hook_up("receive")
        for stage, level in (("mixer2", "nothing"), ("if2", "nothing"), ("detector", "1 mV"), ("audio", "27 mV")):
            made.tracing.type_level(stage, level)
        yield made


def shown(session: Session, branch: str = "agc"):  # type: ignore[no-untyped-def]
    return next(b for b in take_trace(session).branches if b.id == branch)


def test_a_line_that_holds_the_stage_down_is_read_before_its_parts_and_named(session: Session) -> None:
    for row, volts in HELD:
        session.workshop.read_volts(row, volts)
    now = trace(session.state)
    assert now.found == "if2" and (now.move.act, now.move.stage) == ("volts", "agc") and not now.parts
    assert shown(session).mark == "here" and shown(session).expected == "expected −0.6 V"
    session.workshop.read_volts("agc-line", "-24")
    now, view = trace(session.state), take_trace(session)
    assert now.found == "agc" and [p.part.id for p in now.parts[:2]] == ["R141", "S3"]
    assert now.parts[0].failure == "open" and now.move.act == "part"
    agc = shown(session)
    assert agc.mark == "break" and agc.value == "−24.0 V" and view.suspects[0].title == "AGC"
    assert "acts on RF amplifier, First IF, Second IF" in agc.detail
    held = {r.id for r in view.rungs if "held down by AGC" in r.detail}
    assert held == {"rf", "if1", "if2"} and view.stage.id == "agc" and "R141 open or S3 open" in view.stage.meaning
    # Once it is repaired, what it held is read again, and so is every level up to the last stage that it reaches.
    session.tracing.repaired("agc", "S3")
    rungs = {r.stage.id: r for r in ladder(session.state)}
    assert all(r.now is None for s in ("if2", "if1") for r in rungs[s].rows)
    assert not rungs["if2"].is_tested and rungs["detector"].is_tested
    assert shown(session).mark == "todo"
    session.tracing.type_level("aerial", "50 uV")
    assert trace(session.state).move.act == "whole"


def test_a_valve_whose_grid_stands_right_is_suspected_at_once(session: Session) -> None:
    for row, volts in TIRED:
        session.workshop.read_volts(row, volts)
    now = trace(session.state)
    assert now.found == "if2" and now.move.act == "part" and now.move.part == "V5"
    # Where nothing can be read but levels, no voltage is asked for.
    assert all(m.act != "volts" for m in trace(session.state, volts=False).moves)


def test_what_hangs_beside_the_ladder_says_what_was_read_of_it(session: Session) -> None:
    assert [b.stage.id for b in branches(session.state)] == ["agc", "vfo", "xo", "meter", "bfo"]
    assert shown(session, "vfo").mark == "todo" and shown(session, "vfo").expected == "expected 1.2 V peak"
    session.tracing.check("vfo", "signal", True)
    assert (shown(session, "vfo").mark, shown(session, "vfo").value) == ("dead", "no signal")
    session.tracing.check("vfo", "signal", False)
    assert (shown(session, "vfo").mark, shown(session, "vfo").value) == ("ok", "signal there")
    session.go_to("s-meter")
    session.type_in("S9", session.step.setting)
    assert (shown(session, "meter").mark, shown(session, "meter").value) == ("ok", "in spec")
    assert "feeds Product detector" in shown(session, "bfo").detail
    chosen = take_trace(session, "bfo").stage
    assert chosen.id == "bfo" and {p.row for p in chosen.pins} == {"v11-grid", "v11-cathode", "v11-anode"}


def test_a_stage_that_acts_on_none_is_told() -> None:
    text = find(HERON).read_text(encoding="utf-8")
    for wrong in ("if3", "agc"):
        with pytest.raises(SheetError, match=f"acts_on: no other stage '{wrong}'"):
            parse_sheet(text.replace('acts_on = ["rf", "if1", "if2"]', f'acts_on = ["{wrong}"]'), "x", HERON)


def test_an_oscillator_without_a_signal_is_what_is_left_of_a_ladder_that_is_whole() -> None:
    """Its voltages are right, and so is every level: what is named is the signal, not the voltages."""
    with Logbook(None) as book:
        session = Session(book, open_job(book, HERON, Card(book.next_number(), HERON, complaint="deaf")))
        session.confirm_hook_up("receive")
        session.tracing.repaired("if1", "R42")
        for stage in chain(session.sheet):
            session.tracing.type_level(stage.id, f"{stage.expect_dbm:.1f} dBm")
        assert trace(session.state).move.act == "whole"
        session.tracing.check("xo", "signal", True)
        assert trace(session.state).found == "xo"
        assert [(s.title, s.words) for s in take_trace(session).suspects] == [("Crystal oscillator", "no signal")]
