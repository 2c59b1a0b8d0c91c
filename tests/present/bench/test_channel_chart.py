"""The channel chart with its lock margins, and a change tried on the model, both held against what the simulated radio does."""

from __future__ import annotations

import math

import pytest

from unitone.align.frequency.vco_readings import vco_law
from unitone.calculators.whatif import (
    added_band,
    describe_row,
    merged,
    other_crystal,
    other_divider,
    table,
    volts_typed,
)
from unitone.errors import EntryError, UnitoneError
from unitone.job.card import Card
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.channel_chart import chart_view, describe_vco, margins
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find
from unitone.sheet.model.mixing_model import Place, places
from unitone.sheet.model.sheet import Conditions
from unitone.store.logbook import Logbook

SHEET = read_sheet(find("ostrel-curlew-5"))


def job(book: Logbook, seed: int | None = 3) -> Session:
    return Session(book, open_job(book, "ostrel-curlew-5", Card(1, "ostrel-curlew-5", "C5-1", simulated_seed=seed)))


def volts(session: Session, *where: tuple[str, str]) -> None:
    session.go_to("vco-bands")
    for band, channel in where:
        wanted = next(c for c in session.step.required if (c.band, c.channel) == (band, channel))
        session.set_up(wanted)
        session.measure(wanted)


def test_every_channel_of_every_band_from_four(book: Logbook) -> None:
    session = job(book)
    radio = session.bench.radio  # type: ignore[attr-defined]
    radio.mechanics.specimen.found["L1"] = radio.mechanics.specimen.right["L1"]
    step = session.sheet.step("vco-bands")
    assert chart_view(session.state, step, step.setting).words == "10 channels, none read yet"  # type: ignore[union-attr]
    volts(session, ("A", "1"), ("B", "40"), ("D", "1"), ("E", "40"))
    chart = chart_view(session.state, step, step.setting)
    assert chart is not None and len(chart.marks) == 10 and chart.low == 1.5 and chart.high == 5.5
    unread = [m for m in chart.marks if m.now is None]
    assert len(unread) == 6 and all(m.expected is not None for m in unread)
    for mark, required in zip(chart.marks, step.required, strict=True):
        true = radio.vco_volts(Place("receive", required.band, required.mode, required.channel))
        assert (mark.expected or (mark.now, 0, 0))[0] == pytest.approx(true, abs=0.1)
    law = vco_law(session.state)
    assert law is not None
    for place in places(session.sheet, "receive"):
        m = (
            session.sheet.carrier_hz(place.channel, place.band)
            + 10_695_000
            + {"usb": -1500, "lsb": 1500}.get(place.mode or "", 0)
        )
        assert law.volts(m) == pytest.approx(radio.vco_volts(place), abs=0.1)
    found = margins(session.sheet, law, (1.5, 5.5), "receive")
    assert [m.band for m in found] == list("ABCDE") and min(found, key=lambda m: m.margin_v).band in ("A", "E")
    assert chart.words.startswith("least margin ") and "A 2.0–2.4" in chart.words
    assert describe_vco(session.state, step) == ""


def test_a_core_too_far_in_or_out_is_told_which_way_to_go(book: Logbook) -> None:
    session = job(book)
    radio = session.bench.radio  # type: ignore[attr-defined]
    radio.mechanics.specimen.found["L1"] = radio.mechanics.specimen.right["L1"] + 1.6
    volts(session, ("A", "1"), ("C", "40"), ("D", "40"), ("E", "40"))
    words = describe_vco(session.state, session.sheet.step("vco"))
    assert words.startswith(
        "Some channels would not lock. Turn the core in (more inductance), until E · 40 · am shows "
    )
    aim = float(words.split("shows ")[1].split(" V")[0])
    # What it was turned too far is turned back: there it stands as the words say, and every band locks.
    session.turn("L1", -576_000)
    at = radio.vco_volts(Place("receive", "E", "am", "40"))
    assert at == pytest.approx(aim, abs=0.6) and all(radio.locked(p) for p in places(session.sheet, "receive"))


def test_the_chart_overlays_found_and_left(book: Logbook) -> None:
    session = job(book, 8)
    while session.state.phase == "as-found":
        session.follow(session.advice())
    session.go_to("chart-am")
    chart = take_view(session).reading.chart
    assert chart is not None and all(m.found == m.now for m in chart.marks)
    assert [m.group for m in chart.marks[:4]] == ["A AM", "A AM", "B AM", "B AM"]
    worst = max(chart.marks, key=lambda m: abs(m.now or 0))
    assert f"furthest: {worst.group} ch {worst.label}" in chart.words and chart.span[0] < min(
        m.now or 0 for m in chart.marks
    )
    session.turn("CT2", 4_000)
    stale = take_view(session).reading.chart
    assert stale is not None and [m.stale for m in stale.marks] == [True] * 2 + [False] * 8
    ssb = chart_view(session.state, session.sheet.step("chart-ssb"), Conditions("transmit", "20", band="B", mode="lsb"))
    assert ssb is not None and [m.label for m in ssb.marks[:4]] == ["USB", "LSB", "USB", "LSB"]
    assert [m.group for m in ssb.marks[:4]] == ["A", "A", "B", "B"] and [m.at_hand for m in ssb.marks].index(True) == 3
    assert (
        take_view(session).reading.hill is None
        and chart_view(session.state, session.sheet.step("band-a"), Conditions()) is None
    )


def test_another_crystal_moves_its_band_alone() -> None:
    tried = other_crystal(SHEET, "x-B", 18.1504e6)
    assert tried.words == "x-B: 18.150000 → 18.150400 MHz, +400 Hz"
    rows = table(SHEET, tried.sheet)
    moved = {r.band for r in rows if r.moved}
    assert moved == {"B"} and {round(r.off_hz) for r in rows if r.moved} == {800} and len(rows) == 20
    mark, words, quiet = describe_row(next(r for r in merged(rows) if r.band == "B"))
    assert (
        mark == "out_of_spec"
        and words == "B AM, USB, LSB, FM: 26.5158 … 26.9558 MHz, +800 Hz off"
        and quiet == "changes"
    )
    carrier = table(SHEET, other_crystal(SHEET, "car-lsb", 10.6966e6).sheet)
    assert {(r.mode, r.moved, round(r.off_hz)) for r in carrier} == {
        ("am", False, 0),
        ("usb", False, 0),
        ("fm", False, 0),
        ("lsb", True, -100),
    }


def test_an_added_band_gets_its_crystal_and_its_lock_told() -> None:
    # The volts are those of an aligned simulated radio: A 1, C 20, E 1, E 40.
    law = volts_typed(SHEET, "A 1 1.99; C 20 2.97; E 1 3.97; E 40 4.76")
    assert law is not None
    up = added_band(SHEET, "F", 1_350_000, "E")
    assert up.order_hz == pytest.approx(19.05e6) and "x-F at 19.050000" in up.words
    rows = [r for r in table(SHEET, up.sheet, law, (1.5, 5.5)) if r.band == "F"]
    assert all(r.moved and abs(r.off_hz) < 1 and r.locks is False for r in rows)
    assert all(r.locks for r in table(SHEET, up.sheet, law, (1.5, 5.5)) if r.band != "F")
    down = added_band(SHEET, "Z", -1_350_000, "A", 17.7e6)
    assert down.order_hz == pytest.approx(17.7e6)
    low = [r for r in table(SHEET, down.sheet, law, (1.5, 5.5)) if r.band == "Z"]
    assert low[0].low_v == pytest.approx(1.72, abs=0.12) and low[0].locks in (True, None)
    assert describe_row(low[0])[0] in ("in_spec", "undecided")
    # Where no volts tune it, that is said and not shown as a number.
    far = added_band(SHEET, "Y", 9_000_000, "E")
    row = next(r for r in table(SHEET, far.sheet, law, (1.5, 5.5)) if r.band == "Y")
    assert row.locks is False and (not math.isfinite(row.high_v or 0.0) or (row.high_v or 0) > 5.5)


def test_another_divider_and_what_cannot_be_tried() -> None:
    tried = other_divider(SHEET, "loop", "ref", "N/10240")
    rows = table(SHEET, tried.sheet)
    assert all(r.moved and r.off_hz > 800_000 for r in rows) and tried.words == "loop: ref × N/20480 → × N/10240"
    for wrong, says in (
        (lambda: other_crystal(SHEET, "x-Q", 18e6), "no oscillator “x-Q”"), (lambda: other_crystal(SHEET, "ref", 0.0), "above zero"),
        (lambda: other_divider(SHEET, "loop", "x-A", "2"), "no line for loop has x-A"),
        (lambda: other_divider(SHEET, "loop", "ref", "N:2"), "is not a mixing term"), (lambda: added_band(SHEET, "E", 0, "A"), "a name of its own"),
        (lambda: added_band(SHEET, "F", 0, "Q"), "no band “Q”"), (lambda: volts_typed(SHEET, "A 1"), "Write A 1 1.99"),
        (lambda: volts_typed(SHEET, "Q 1 2.0"), "no such channel"),
    ):  # fmt: skip
        with pytest.raises(EntryError, match=says):
            wrong()
    with pytest.raises(UnitoneError, match="at least three channels"):
        volts_typed(SHEET, "A 1 1.99")
    assert volts_typed(SHEET, "  ") is None
    tarn = read_sheet(find("ostrel-tarn-40"))
    with pytest.raises(EntryError, match="shares its crystals"):
        added_band(tarn, "high", 450_000, "")
    assert [r.band for r in table(tarn, tarn)] == [""] and describe_row(table(tarn, tarn)[0])[1].startswith(
        "all channels: 26.9650"
    )
