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
from unitone.bench.instruments import Instrument
from unitone.errors import UnitoneError
from unitone.files import write_file
from unitone.job.card import Card
from unitone.job.verdicts import lines
from unitone.present.papers import certificate_of
from unitone.report.certificate import Certificate
from unitone.report.formats import FORMATS, render
from unitone.session.session import Session, open_job
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
    assert len(made.rows) == sum(len(s.required) for s in finished.sheet.steps) == 26
    for step in finished.sheet.steps:
        for row, line in zip([r for r in made.rows if r.step == step.id], lines(finished.state, step), strict=True):
            assert line.found is not None and line.now is not None
            assert (row.found_value, row.left_value) == (line.found.reading.value, line.now.reading.value)
            assert row.limit and row.source and row.instrument
    assert made.simulated and "Simulated radio" in made.statement
    assert "26 of 26" in made.summary and made.finished
    assert {n for n, _ in made.turned} == {a for a, p in finished.state.positions.items() if p}
    assert any("dummy load" in c for c in made.cautions)


def test_json_and_csv(finished: Session) -> None:
    made = certificate_of(finished.state)
    data = json.loads(render(made, "json"))
    assert data["format"] == "unitone-certificate/1" and data["simulated"] is True
    assert [r["left_value"] for r in data["rows"]] == [r.left_value for r in made.rows]
    rows = list(csv.DictReader(io.StringIO(render(made, "csv").decode())))
    assert len(rows) == 26 and {r["simulated"] for r in rows} == {"yes"}
    assert float(rows[0]["left_value"]) == made.rows[0].left_value


def test_html_is_whole_and_escaped(finished: Session) -> None:
    page = render(certificate_of(finished.state), "html").decode()
    assert "Simulated radio" in page and "wax broken on T2" in page and "12 dB SINAD level" in page
    assert "<b>Ferry" not in page and "&lt;b&gt;Ferry &amp; sons" in page
    assert "http" not in page.replace("http-equiv", "")


def test_pdf_can_be_read_again(finished: Session, tmp_path: Path) -> None:
    write_file(tmp_path / "c.pdf", render(certificate_of(finished.state), "pdf"))
    pages = PdfReader(tmp_path / "c.pdf").pages
    text = "\n".join(p.extract_text() for p in pages)
    for words in (
        "Ostrel Tarn 40",
        "Simulated radio",
        "Found",
        "Left",
        "in spec",
        "adjusted",
        "Technician",
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
        write_file(tmp_path / "no" / "such" / "place.csv", render(made, "csv"))


@pytest.fixture
def judged(book: Logbook) -> Certificate:
    """A hand job with everything on it that judgement leaves behind."""
    session = Session(book, open_job(book, "ostrel-tarn-40", Card(9, "ostrel-tarn-40", "40-9", "the <lock> keeper")))
    session.measuring.set_instruments((
        Instrument("w", "old wattmeter & pad", ("tx.power",), "calibrated", "2026-03-02", pct_reading=2.0, reads_pct=-8.0),
        Instrument("s", "SINAD meter", ("rx.*",)),
    ))  # fmt: skip
    session.start_work()
    session.go_to("power")
    session.confirm_hook_up("transmit")
    session.type_in("3.0", session.step.setting)
    session.judge("accepted", "a new final costs more than the radio")
    session.go_to("squelch")
    session.judge("not applicable", "automatic squelch fitted by an earlier hand")
    session.touch("C41", "470 µF replaced")
    session.touch("recap")
    text = session.state.written.source_text
    session.set_variant(
        "bias for the other final", text.replace('supply = "13.2 V"', 'supply = "12.6 V"'), "a <b>market</b> find"
    )
    return certificate_of(session.state)


def test_a_certificate_tells_decisions_work_variants_and_instruments(judged: Certificate) -> None:
    rows = {r.step: r for r in judged.rows}
    assert rows["squelch"].verdict == "not applicable" and "automatic squelch" in rows["squelch"].remark
    assert rows["power"].verdict == "recheck", "the recap came after it"
    assert "accepted: a new final" in rows["power"].remark and "read 3.00 W, corrected" in rows["power"].remark
    assert "U = 0.0753 W" in rows["power"].remark  # 2 · 0.02 · 3.26 / √3
    assert judged.touched == ("C41: 470 µF replaced", "recap: Electrolytics replaced")
    assert judged.differs == ("bias for the other final (a <b>market</b> find)", "model: supply: 13.2 V → 12.6 V")
    assert (
        judged.instruments[0]
        == "old wattmeter & pad, calibrated 2026-03-02, ±2 % of reading, reads -8 % off, corrected"
    )
    assert judged.instruments[1] == "SINAD meter, indicative only" and judged.rule == "guard band where known"


@pytest.mark.parametrize("form", ["html", "pdf", "csv", "json"])
def test_every_format_carries_them(judged: Certificate, form: str, tmp_path: Path) -> None:
    write_file(tmp_path / f"c.{form}", render(judged, form))
    content = (tmp_path / f"c.{form}").read_bytes()
    if form == "pdf":
        text = " ".join(page.extract_text() for page in PdfReader(tmp_path / "c.pdf").pages)
        text = " ".join(text.split())
    else:
        text = content.decode("utf-8")
    words = ["a new final costs more", "not applicable"]
    if form != "csv":
        words += ["bias for the other final", "470 µF replaced", "guard band where known", "12.6 V"]
    for said in words:
        assert said in text, said
    if form == "html":
        assert "the &lt;lock&gt; keeper" in text and "<b>market</b>" not in text and "wattmeter &amp; pad" in text
    if form == "json":
        data = json.loads(text)
        assert data["touched"][0] == "C41: 470 µF replaced" and {r["verdict"] for r in data["rows"]} >= {
            "not applicable",
            "todo",
        }


def test_an_accepted_step_stands_as_accepted_and_is_counted(book: Logbook) -> None:
    session = Session(book, open_job(book, "ostrel-mallard-6", Card(1, "ostrel-mallard-6")))
    session.start_work()
    session.go_to("power")
    session.confirm_hook_up("transmit")
    for required in session.step.required:
        session.type_in("0.6", required)
    session.judge("accepted", "enough for the allotments")
    made = certificate_of(session.state)
    assert [r.verdict for r in made.rows if r.step == "power"] == ["accepted"] * 3
    assert "3 accepted with a reason" in made.summary and made.summary.startswith("Preliminary")
