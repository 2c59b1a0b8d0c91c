"""Leaving the shop: a list for this radio, a sentence to each, on the handover page; and the page of before and after."""

from __future__ import annotations

import io
import json
import re

import pytest
from pypdf import PdfReader

from unitone.errors import SheetError, TapeError, UnitoneError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.leaving import leaving_items
from unitone.present.card.card_view import take_card
from unitone.present.papers import Paper, render_paper
from unitone.report.before_after import charts_of
from unitone.report.handover import handover
from unitone.report.head import Head
from unitone.report.pin_table import render_pin_table
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook

PNG = (
    b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08\x02\x00\x00\x00\x90wS\xde\x00\x00\x00\x0cIDATx\x9cc\xf8\xcf\xc0\x00\x00"
    b"\x03\x01\x01\x00\xc9\xfe\x92\xef\x00\x00\x00\x00IEND\xaeB`\x82"
)


def _job(book: Logbook, sheet: str) -> Session:
    return Session(book, open_job(book, sheet, Card(book.next_number(), sheet)))


def _text(pdf: bytes) -> str:
    return "".join(page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages)


def test_the_list_is_this_radio_s_and_ends_on_the_handover_page(book: Logbook) -> None:
    session, plain = _job(book, "ostrel-curlew-5"), _job(book, "ostrel-tarn-40")
    keys = [i.key for i in leaving_items(session.state)]
    assert {"clarifier range", "squelch tail", "menu", "fuse"} <= set(keys)
    assert "clarifier range" not in [i.key for i in leaving_items(plain.state)]
    leave = session.workshop.leave
    leave("clarifier range", True, "1.2 kHz each way", {"knob.png": PNG})
    leave("clarifier range", True, "1.1 kHz each way", {"meter.png": PNG})
    leave("noise blanker", False, "no difference heard")
    leave("menu 12, roger beep", True, "off, was on")
    leave("fuse", True)
    state = fold(book.tape(session.job_id), session.job_id)
    assert state.shop.leaving == session.state.shop.leaving
    found = {i.key: i.found for i in leaving_items(state)}
    clarifier = found["clarifier range"]
    assert clarifier is not None and [n for n, _ in clarifier.pictures] == ["knob.png", "meter.png"]
    assert book.blob(clarifier.pictures[0][1]) == PNG
    page = dict(handover(state).leaving)
    assert (
        page["Clarifier range"] == "1.1 kHz each way"
        and page["Noise blanker"] == "not as it should be: no difference heard"
    )
    assert (
        page["menu 12, roger beep"] == "off, was on" and page["Fuse and lead"] == "as it should be" and len(page) == 4
    )
    for form in ("pdf", "html"):
        made = render_paper(state, "handover", form)
        words = _text(made) if form == "pdf" else made.decode()
        assert "As it leaves the shop" in words and "no difference heard" in words
    assert take_card(session).leaving_words == f"4 of {len(keys) + 1} looked at, 1 not as it should be"
    session.void_last()
    assert "Fuse and lead" not in dict(handover(session.state).leaving)


def test_what_says_nothing_is_refused(book: Logbook) -> None:
    session = _job(book, "ostrel-tarn-40")
    for item, fine, words in ((" ", True, "Say what was looked at"), ("fuse", False, "Say what is wrong")):
        with pytest.raises(TapeError, match=words):
            session.workshop.leave(item, fine)
    with pytest.raises(SheetError):
        session.workshop.leave("fuse", True, "", {"notes.png": b"no picture"})
    assert session.state.shop.leaving == {}


def test_before_and_after_stand_on_one_page(book: Logbook) -> None:
    session = _job(book, "ostrel-curlew-5")
    step = next(s for s in session.sheet.steps if s.quantity_id == "vco.tuning_voltage" and len(s.required) > 3)
    assert charts_of(session.state) == ()
    assert "Nothing was read both as found" in _text(render_paper(session.state, "before-after", "pdf"))
    session.confirm_hook_up("probe")
    for n in range(len(step.required)):
        session.type_at(step.id, n, f"{2.0 + n / 4} V")
    session.start_work()
    session.go_to(step.id)
    session.turn("L1", 45_000)
    for n in range(3):
        session.type_at(step.id, n, f"{2.5 + n / 4} V")
    session.workshop.modify("part changed", "C32", "33 pF", "27 pF")
    (chart,) = [c for c in charts_of(session.state) if c.title == step.title]
    assert (chart.unit, chart.low, chart.high) == ("V", step.limit.low, step.limit.high) and len(chart.points) == len(
        step.required
    )
    first = chart.points[0]
    assert (first.found, first.left) == (2.0, 2.5) and first.label.startswith("A")
    assert chart.points[-1].found == pytest.approx(2.0 + (len(step.required) - 1) / 4)
    data = json.loads(render_paper(session.state, "before-after", "json"))
    assert data["modifications"] == ["C32 changed: 33 pF → 27 pF"] and data["charts"][0]["points"][0] == {
        "label": "A 1",
        "found": 2.0,
        "left": 2.5,
    }
    # In another language the figures are the same; they only have another decimal mark.
    german = json.loads(render_paper(session.state, "before-after", "json", language="de"))
    assert [c["points"] for c in german["charts"]] == [c["points"] for c in data["charts"]]
    papers: tuple[tuple[Paper, str], ...] = (
        ("before-after", "pdf"), ("certificate", "pdf"), ("handover", "pdf"), ("readings", "pdf"),
    )  # fmt: skip
    for paper, form in papers:
        told = _text(render_paper(session.state, paper, form, language="de"))
        assert re.search(r"\d,\d", told) or paper == "handover"
        assert re.findall(r"(?<![\d.])\d+\.\d+(?![\d.])", told) == []
    words = _text(render_paper(session.state, "before-after", "pdf"))
    assert "C32 changed" in words and step.title in words
    with pytest.raises(UnitoneError, match="not a form"):
        render_paper(session.state, "before-after", "html")


def test_a_long_table_repeats_its_columns() -> None:
    columns = ("MHz", "Channel", "How", "N", "Pins P8, P7", "VCO")
    rows = [(f"{27 + n / 100:.3f}", f"A {n}", "already in the radio", str(330 - n), "01", "2.40 V") for n in range(90)]
    made = render_pin_table(
        "Ostrel Curlew 5",
        "Another crystal · 90 channels",
        ("Order 15.0 MHz.",),
        columns,
        rows,
        "2026-11-30T10:00:00Z",
        Head(),
    )
    pages = [page.extract_text() for page in PdfReader(io.BytesIO(made)).pages]
    assert (
        len(pages) >= 2
        and all("Pins P8, P7" in p for p in pages)
        and "A 89" in pages[-1]
        and "Order 15.0 MHz." in pages[0]
    )
