"""The chart by the generator: levels against published ones, and what is dialled behind the pads."""

from __future__ import annotations

import io

from pypdf import PdfReader

from unitone.bench.path import Kit
from unitone.report.head import Head
from unitone.report.level_chart import level_rows, render_chart


def test_the_levels_are_those_of_the_published_scale() -> None:
    """S9 = 50 µV PD in 50 Ω = −73 dBm, 6 dB an S-unit (IARU Region 1 R.1); 0 dBm is 223.6 mV, EMF is twice PD (handbook arithmetic)."""
    rows = {r.dbm: r for r in level_rows(Kit(pads_db=(40.0,)))}
    assert (rows[-73.0].s_meter, rows[-73.0].pd, rows[-73.0].emf) == ("S9", "50.1 µV", "100 µV")
    assert rows[-121.0].s_meter == "S1" and rows[-13.0].s_meter == "S9+60" and rows[-127.0].pd == "0.10 µV"
    # Forty decibels of pads: the generator stands forty higher; where it cannot go, a dash.
    assert rows[-73.0].dialled == "−33.0 dBm" and rows[-13.0].dialled == "—"
    assert {r.dbm: r for r in level_rows(Kit(pads_db=()))}[-103.0].dialled == "—"


def test_it_is_one_page_that_says_which_pads_it_is_for() -> None:
    paper = PdfReader(io.BytesIO(render_chart(Kit(pads_db=(20.0, 20.0)), "2026-03-02", Head())))
    assert len(paper.pages) == 1
    text = paper.pages[0].extract_text()
    assert "20+20 dB" in text and "S9+60" in text and "generator shows" in text
    assert text.count("dBm") > 40
