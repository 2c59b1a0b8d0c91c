"""The certificate says what the tape says, in four forms."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from pypdf import PdfReader

from conftest import SHEET, follow_until
from unitone.errors import UnitoneError
from unitone.job.tape import Card
from unitone.job.verdicts import lines
from unitone.report.write import FORMATS, render, write
from unitone.session.session import Session, certificate_of, open_job
from unitone.store.logbook import Logbook


@pytest.fixture(scope="module")
def finished() -> Iterator[Session]:
    with Logbook(None) as book:
        card = Card(1, SHEET, "40-0001", "<b>Ferry & sons</b>", "deaf, says “nothing”", 2)
        session = Session(book, open_job(book, SHEET, card))
        follow_until(session, lambda s: s.state.phase == "adjust")
        session.note("wax broken on T2")
        follow_until(session, lambda s: bool(s.state.finished))
        yield session


def test_the_certificate_is_the_tapes(finished: Session) -> None:
    made = certificate_of(finished.state)
    assert len(made.rows) == sum(len(s.required) for s in finished.sheet.steps) == 21
    for step in finished.sheet.steps:
        for row, line in zip([r for r in made.rows if r.step == step.id], lines(finished.state, step), strict=True):
            assert line.found is not None and line.now is not None
            assert (row.found_value, row.left_value) == (line.found.reading.value, line.now.reading.value)
            assert row.limit and row.source and row.instrument
    assert made.simulated and "Simulated radio" in made.statement
    assert "21 of 21" in made.summary and made.finished
    assert {n for n, _ in made.turned} == {a for a, p in finished.state.positions.items() if p}
    assert any("dummy load" in c for c in made.cautions)


def test_json_and_csv(finished: Session) -> None:
    made = certificate_of(finished.state)
    data = json.loads(render(made, "json"))
    assert data["format"] == "unitone-certificate/1" and data["simulated"] is True
    assert [r["left_value"] for r in data["rows"]] == [r.left_value for r in made.rows]
    rows = list(csv.DictReader(io.StringIO(render(made, "csv").decode())))
    assert len(rows) == 21 and {r["simulated"] for r in rows} == {"yes"}
    assert float(rows[0]["left_value"]) == made.rows[0].left_value


def test_html_is_whole_and_escaped(finished: Session) -> None:
    page = render(certificate_of(finished.state), "html").decode()
    assert "Simulated radio" in page and "wax broken on T2" in page and "12 dB SINAD level" in page
    assert "<b>Ferry" not in page and "&lt;b&gt;Ferry &amp; sons" in page
    assert "http" not in page.replace("http-equiv", "")


def test_pdf_can_be_read_again(finished: Session, tmp_path: Path) -> None:
    write(certificate_of(finished.state), "pdf", tmp_path / "c.pdf")
    pages = PdfReader(tmp_path / "c.pdf").pages
    text = "\n".join(p.extract_text() for p in pages)
    for words in (
        "Ostrel Tarn 40",
        "Simulated radio",
        "As found",
        "As left",
        "holds",
        "wax broken on T2",
        "sheet",
        "Ferry & sons",
    ):
        assert words in text, words
    assert all("simulated radio" in p.extract_text() for p in pages)
    assert list(tmp_path.iterdir()) == [tmp_path / "c.pdf"]


def test_an_unfinished_job_says_so(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    session.type_in("8.02", session.step.required[0])
    made = certificate_of(session.state)
    assert made.summary.startswith("Preliminary") and not made.simulated and "by hand" in made.statement
    assert made.rows[0].left == "8.02 V" and made.rows[0].instrument == "by hand" and made.rows[1].left == "not read"
    for form in FORMATS:
        assert render(made, form)


def test_forms_and_places_that_do_not_exist(finished: Session, tmp_path: Path) -> None:
    made = certificate_of(finished.state)
    with pytest.raises(UnitoneError, match="pdf, html, csv, json"):
        render(made, "docx")
    with pytest.raises(UnitoneError, match="cannot be written"):
        write(made, "csv", tmp_path / "no" / "such" / "place.csv")
