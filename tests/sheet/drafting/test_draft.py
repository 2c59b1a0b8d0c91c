"""Sheets drafted from alignment texts in ten styles: what stands in the text is found, and nothing else."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PIL import Image
from reportlab.lib.pagesizes import A4
from reportlab.pdfgen import canvas

from unitone.errors import SheetError
from unitone.sheet.drafting._unsmudge import unsmudge
from unitone.sheet.drafting.drafted import draft_sheet, with_scans
from unitone.sheet.drafting.text_of_file import text_of
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.format.write import to_toml
from unitone.sheet.model.sheet import Step

TEXTS = Path(__file__).parent / "procedures"
ALL = sorted(p.stem for p in TEXTS.glob("*.txt"))


def _is(step: Step, wanted: list[object]) -> bool:
    ids, *ends = wanted
    if step.quantity_id not in str(ids).split("|"):
        return False
    for have, want in zip((step.limit.low, step.limit.high), ends, strict=True):
        if (have is None) != (want is None):
            return False
        if have is not None and abs(have - float(str(want))) > max(0.011 * abs(float(str(want))), 1e-9):
            return False
    return True


def score(name: str) -> tuple[int, int, int, int, list[str]]:
    """Adjusters right and there, limits right and there, and steps of which the text says nothing."""
    truth = json.loads((TEXTS / f"{name}.json").read_text("utf-8"))
    drafted = draft_sheet((TEXTS / f"{name}.txt").read_text("utf-8").splitlines(), name)
    sheet = parse_sheet(drafted.text, name, name)
    left = list(sheet.steps)
    right = 0
    for wanted in truth["limits"]:
        hit = next((s for s in left if _is(s, wanted)), None)
        if hit is not None:
            left.remove(hit)
            right += 1
    kinds = {q for ids, *_ in truth["limits"] for q in ids.split("|")} | {"stage.voltage", "rx.s_meter"}
    invented = [f"{s.id} {s.note}" for s in sheet.steps if s.quantity_id not in kinds]
    named = set(drafted.adjusters)
    invented += sorted(named - set(truth["adjusters"]))
    return len(named & set(truth["adjusters"])), len(truth["adjusters"]), right, len(truth["limits"]), invented


def test_ten_texts_in_ten_styles() -> None:
    """Of the five that were left alone, 60 of 60 adjusters and 40 of 44 limits were right when they were first tried."""
    told = {name: score(name) for name in ALL}
    adjusters, of, limits, of_limits = (sum(t[k] for t in told.values()) for k in range(4))
    assert adjusters >= 0.9 * of and limits >= 0.85 * of_limits, told
    assert [t[4] for t in told.values() if t[4]] == []


@pytest.mark.parametrize("name", ALL)
def test_every_step_stands_beside_the_words_it_came_from(name: str) -> None:
    """A limit's figures, and the adjusters, stand in the step's own words or those of the step before; nothing is made up."""
    drafted = draft_sheet((TEXTS / f"{name}.txt").read_text("utf-8").splitlines(), name)
    assert drafted.steps
    words = ""
    for step in drafted.steps:
        assert all(a in step.words.replace(" ", "") or a.replace("1", "l") in step.words for a in step.adjust), step
        words += f" {step.words}".replace(",", ".")
        assumed = any("taken" in u or "no limit" in u for u in step.unsure)
        figures = [v.split()[0].lstrip("-S") for v in step.limit.values() if v[0].isdigit()]
        assert assumed or all(f in words for f in figures), (step.limit, step.words)


def test_what_is_no_procedure_gives_no_step() -> None:
    garbage = "asdf 27 zzz\nlorem ipsum 12 dB dolor\nT1 T2 are on the board. It weighs 2 kg and costs 300 W.\nC41 10 uF 16 V, R12 4k7"
    drafted = draft_sheet(garbage.splitlines())
    assert drafted.steps == () and drafted.text == "" and drafted.unread


def test_what_a_scan_garbles_is_put_right_and_told() -> None:
    line, changed = unsmudge("Adjust Tl, T2 for maxirnum SINAD, O.3 uV, ch 2O; the coil is Long")
    assert line == "Adjust T1, T2 for maximum SINAD, 0.3 uV, ch 20; the coil is Long"
    assert changed == (("Tl", "T1"), ("O.3", "0.3"), ("2O", "20"))
    drafted = draft_sheet((TEXTS / "04-ocr.txt").read_text("utf-8").splitlines())
    assert any("“Tl” read as “T1”" in what for _, what in drafted.unsure)


def _pdf(path: Path, pages: int, text: str = "") -> Path:
    paper = canvas.Canvas(str(path), pagesize=A4)
    for _ in range(pages):
        block = paper.beginText(30, 800)
        block.setFont("Courier", 8)
        for line in text.splitlines():
            block.textLine(line)
        paper.drawText(block)
        paper.showPage()
    paper.save()
    return path


def test_the_text_of_a_pdf_keeps_its_columns(tmp_path: Path) -> None:
    text = (TEXTS / "07-aligned-table.txt").read_text("utf-8")
    read = text_of(_pdf(tmp_path / "table.pdf", 1, text))
    assert [s.quantity for s in draft_sheet(read.lines).steps] == [
        s.quantity for s in draft_sheet(text.splitlines()).steps
    ]


@pytest.mark.parametrize(
    ("content", "why"),
    [(b"\x7f\x98nonsense", "cannot be read"), (b"%PDF-1.4\n%%EOF", "cannot be read"), (b"", "cannot be read")],
)
def test_a_broken_pdf_is_told_in_one_sentence(tmp_path: Path, content: bytes, why: str) -> None:
    (tmp_path / "x.pdf").write_bytes(content)
    with pytest.raises(SheetError, match=why):
        text_of(tmp_path / "x.pdf")


def test_a_whole_manual_is_asked_which_pages(tmp_path: Path) -> None:
    book = _pdf(tmp_path / "manual.pdf", 60, "1. Adjust T1 for maximum SINAD, 12 dB or more.")
    with pytest.raises(SheetError, match=r"60 pages.*--pages"):
        text_of(book)
    assert len(text_of(book, (12, 13)).lines) >= 2
    with pytest.raises(SheetError, match="from 1 to 60"):
        text_of(book, (50, 70))
    with pytest.raises(SheetError, match="no text in it"):
        text_of(_pdf(tmp_path / "empty.pdf", 1))


def test_a_scan_without_its_reader_names_the_package(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", str(tmp_path))
    Image.new("L", (40, 20), 255).save(tmp_path / "scan.png")
    with pytest.raises(SheetError, match="apt install tesseract-ocr"):
        text_of(tmp_path / "scan.png")


def test_a_place_that_cannot_be_read_goes_with_its_step_and_scans_with_their_pages() -> None:
    text = (TEXTS / "01-table.txt").read_text("utf-8").splitlines()
    at = next(n for n, line in enumerate(text) if line.startswith("8 |"))
    text[at] = text[at].replace("T6", "[?]")
    png = b"\x89PNG\r\n\x1a\n" + b"first"
    drafted = draft_sheet(text, "one")
    assert (at + 1, "part of this line cannot be read") in drafted.unsure
    data, files = with_scans(drafted, [(1, "page 14", png), (12, "page 15", b"\xff\xd8\xff")])
    assert files == {"scan-1.png": png, "scan-2.jpg": b"\xff\xd8\xff"}
    sheet = parse_sheet(to_toml(data), "one", "one")
    marked = [s for s in sheet.steps if s.illegible]
    assert [s.quantity_id for s in marked] == ["rx.distortion"] and "[?]" in marked[0].illegible
    assert marked[0].picture == "scan-2" and sheet.steps[0].picture == "scan-1"
    assert with_scans(drafted, ()) == (drafted.data, {})
    broken = to_toml(data).replace('picture = "scan-2"', 'picture = "scan-9"')
    with pytest.raises(SheetError, match=r"no picture 'scan-9'"):
        parse_sheet(broken, "one", "one")
