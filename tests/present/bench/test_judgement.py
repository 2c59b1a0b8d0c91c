"""What the Bench shows of judgement, and whole jobs by hand on every sheet and general procedure."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec
import pytest

from unitone.job.card import Card
from unitone.job.entries.opening import Opened
from unitone.job.fold import fold
from unitone.job.verdicts import SETTLED, blockers, verdict
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.figures import describe_place
from unitone.present.bench.judgement import convention_rows, touchables
from unitone.present.papers import certificate_of
from unitone.quantities.registry import quantity
from unitone.quantities.show import microvolts, s_units
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.library import built_in, find, general
from unitone.sheet.model.sheet import Conditions
from unitone.store.logbook import Logbook


def in_limits(session: Session) -> str:
    """A reading in the middle of the step's limit, as it would be typed."""
    step = session.step
    kind, value = quantity(step.quantity_id).kind, step.limit.middle
    if kind == "level":
        return microvolts(value)
    if kind == "s-units":
        return s_units(value)
    if kind == "dbc":
        return f"{abs(value) + 5:.1f}"
    scale = {"mA": 1e-3, "kHz": 1e3, "MHz": 1e6}.get(session.entry_unit(step.quantity_id), 1.0)
    return f"{value / scale:.9g}" + (" dB" if kind == "ratio-db" else "")


@pytest.mark.parametrize("path", [*built_in(), *general()], ids=lambda p: p.stem)
def test_every_sheet_and_route_can_be_worked_by_hand_to_its_certificate(path: Path) -> None:
    with Logbook(None) as book:
        session = Session(book, open_job(book, path.stem, Card(1, path.stem, "12-1")))
        seen: set[str] = set()
        for _ in range(600):
            advice = session.advice()
            seen.add(session.state.at)
            if advice.act == "done":
                break
            if advice.act == "measure" or (advice.act == "set-up" and session.step.quantity_id == "rx.sensitivity"):
                session.type_in(in_limits(session), advice.conditions)
            else:
                session.follow(advice)
        assert session.state.finished and seen == {s.id for s in session.sheet.steps}
        assert {verdict(session.state, s) for s in session.sheet.steps} <= SETTLED
        made = certificate_of(session.state)
        assert "results in spec" in made.summary and made.rows[0].instrument == "by hand"
        assert fold(book.tape(session.job_id)).finished


def test_a_job_with_a_touched_part_tells_the_way_back(book: Logbook) -> None:
    session = Session(book, open_job(book, "ostrel-weir-40-am", Card(1, "ostrel-weir-40-am")))
    assert take_view(session).procedure.recheck is None
    for step in session.sheet.steps:
        session.go_to(step.id)
        if step.hook_up != "probe":
            session.confirm_hook_up(step.hook_up)
        for required in step.required:
            session.type_in(in_limits(session), required)
    session.touch("C58", "replaced, 470 µF 25 V")
    view = take_view(session)
    assert view.procedure.recheck is not None and view.procedure.recheck.why == ""
    joined = next(r for r in view.procedure.recheck.rows if "Peak the 10.695 MHz IF" in r.settles)
    assert (
        "Peak the 455 kHz pair" in joined.settles
        and "27.205 MHz, ch 20" in joined.words
        and joined.hook_up == "receive"
    )
    assert view.log.cells[-1].value == "touched" and "replaced" in view.log.cells[-1].what
    assert {s.id for s, _ in blockers(session.state)} == {
        "depth",
        "depth-soft",
        "hum",
        "front-end",
        "if-first",
        "if-second",
        "if-last",
        "sensitivity",
        "audio",
    }
    session.touch("everything in it")
    assert take_view(session).procedure.recheck.why.endswith("shortest order")  # type: ignore[union-attr]
    assert "C58: replaced, 470 µF 25 V" in certificate_of(session.state).touched


def test_what_can_be_touched_and_how_far_it_reaches(book: Logbook) -> None:
    session = Session(book, open_job(book, "ostrel-weir-40-am", Card(1, "x")))
    found = {t.id: t for t in touchables(session.state)}
    assert list(found)[:3] == ["C58", "D4", "final"], "the sheet's own parts and actions first"
    assert found["final"].words == "Final transistor replaced" and found["recap"].steps == len(session.sheet.steps)
    assert found["D4"].affects == "rx.*" and 0 < found["D4"].steps < found["recap"].steps


BANDS = """
format = "unitone-sheet/1"
[model]
maker = "Ostrel"
name = "Dune 120"
kind = "multi-band set"
[channels]
plan = "eu-40"
bands = { low = "-450 kHz", mid = "0 Hz", high = "450 kHz" }
[[picture]]
id = "top"
file = "top.png"
[[picture]]
id = "below"
file = "below.png"
[[adjuster]]
id = "T1"
kind = "core"
pin = [0.1, 0.1]
[[adjuster]]
id = "CT5"
kind = "trimmer"
pin = [0.2, 0.2]
picture = "below"
affects = [{ quantity = "tx.frequency_error", band = "high" }, { quantity = "rx.*", band = "high", mode = "USB" }]
[[step]]
id = "carrier"
phase = "transmit"
title = "Carrier on the high band"
quantity = "tx.frequency_error"
aim = "set"
adjust = ["CT5"]
bands = ["high"]
channels = ["1", "40"]
limit = "-50 … 50 Hz"
target = "0 Hz"
hook_up = "transmit"
[[step]]
id = "sinad"
phase = "receive"
title = "Front end, every band"
quantity = "rx.sn_ratio"
aim = "peak"
adjust = ["T1"]
bands = ["low", "high"]
modes = ["USB", "LSB"]
channels = ["20"]
stimulus = { level = "1 uV", depth = "30 %" }
limit = "≥ 10 dB"
hook_up = "receive"
"""


def test_bands_and_modes_are_read_in_every_combination(book: Logbook, tmp_path: Path) -> None:
    sheet = parse_sheet(BANDS, "dune", "dune")
    step = sheet.step("sinad")
    assert [c.place for c in step.required] == [
        "low · 20 · USB",
        "low · 20 · LSB",
        "high · 20 · USB",
        "high · 20 · LSB",
    ]
    assert sheet.carrier_hz("20", "high") == 27_655_000 and sheet.carrier_hz("1", "low") == 26_515_000
    path = tmp_path / "dune.toml"
    path.write_text(BANDS, encoding="utf-8")
    session = Session(book, open_job(book, str(path), Card(1, "dune")))
    session.start_work()
    session.go_to("sinad")
    session.confirm_hook_up("receive")
    for required in step.required:
        session.type_in("14 dB", required)
    session.go_to("carrier")
    session.confirm_hook_up("transmit")
    reading = session.type_in("27.855040 MHz", session.step.required[1])
    assert reading.value == pytest.approx(40.0), "channel 40 of the high band is 27.855 MHz"
    view = take_view(session, "CT5")
    assert (
        view.board.picture is not None
        and view.board.picture.file == "below.png"
        and [p.id for p in view.board.pins] == ["CT5"]
    ), "T1 sits on the other side"
    assert take_view(session, "T1").board.picture.file == "top.png"  # type: ignore[union-attr]
    assert "27.415 MHz, ch 1 · band high" in view.step.panel_words
    session.turn("CT5", 2_000)
    stale = [c.place for i, c in enumerate(step.required) if session.state.is_stale(session.sheet.step("sinad"), i)]
    assert stale == ["high · 20 · USB"], "only what the crystal of the high band reaches"
    assert (
        describe_place(session.state, Conditions("receive", "20", band="low", mode="USB"))
        == "26.755 MHz, ch 20 · band low · USB"
    )
    assert certificate_of(session.state).rows[0].channel == "high · 1"


def test_conventions_are_told_with_who_decided(new_session: Callable[..., Session]) -> None:
    rows = {r.question: r for r in convention_rows(new_session(None).state)}
    assert rows["detector"].by == "sheet" and rows["if-order"].by == "default" and rows["if-order"].own == ""
    assert dict(rows["s9"].choices)["100uv-pd"] == "100 µV PD" and all(r.why for r in rows.values())


def test_an_old_job_without_pictures_still_opens(book: Logbook) -> None:
    job = open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40"))
    tape = book.tape(job)
    opened = tape[0].said
    assert isinstance(opened, Opened) and list(opened.pictures) == ["ostrel-tarn-40.svg"]
    assert book.blob(opened.pictures["ostrel-tarn-40.svg"]) == find("ostrel-tarn-40").with_suffix(".svg").read_bytes()
    state = fold([tape[0]._replace(said=msgspec.structs.replace(opened, pictures={}))])
    session = Session(book, job)
    session.state = state
    assert take_view(session).board.picture.hash == ""  # type: ignore[union-attr]
