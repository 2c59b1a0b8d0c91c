"""What people and files say is shown as it is written: markup in every field that can be filled, and a look at every view and paper."""

from __future__ import annotations

import io
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

pytest.importorskip("PyQt6.QtWidgets")

import pyqtgraph as pg
from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QLabel, QTextBrowser, QWidget
from pytestqt.qtbot import QtBot

from desktop.conftest import Desk
from session.test_shopwork import PNG
from unitone.bench.instruments import Instrument
from unitone.bench.path import Kit
from unitone.errors import UnitoneError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.present.papers import FORMS, render_paper
from unitone.session.session import Session, open_job
from unitone.sheet.format.bundle import Bundle
from unitone.sheet.format.read import to_data
from unitone.sheet.format.write import to_toml
from unitone.sheet.library import Library, find
from unitone.store.logbook import Logbook

pytestmark = pytest.mark.window

#: Files that would be shown, embedded or waited for if any of this were taken for markup.
EVIL = '<img src="file:///etc/hostname"/><b>bold</b> & "quoted" <a href="x">y</a>'
#: Keys of a sheet that hold free words, wherever they stand.
_WORDS = frozenset({
    "maker", "name", "title", "what", "note", "caution", "where", "tool", "seen", "does", "how", "sign", "cause", "cure", "device",
})  # fmt: skip


def marked(value: Any, key: str = "", place: str = "") -> Any:
    """The data of a sheet with markup in all of its words."""
    if isinstance(value, dict):
        return {k: marked(v, k, key) for k, v in value.items()}
    if isinstance(value, list):
        return [marked(v, key, place) for v in value]
    free = key in _WORDS or (place, key) in (("model", "kind"), ("step", "source"))
    return f"{value} {EVIL}" if isinstance(value, str) and free else value


@pytest.fixture
def evil(qtbot: QtBot, tmp_path: Path) -> Iterator[tuple[Desk, str]]:
    """A window on a workshop in which every text is markup."""
    with Logbook(tmp_path / "book") as logbook:
        job_id = furnish(logbook, tmp_path)
        desk = Desk(qtbot, logbook)
        yield desk, job_id
        desk.window.close()


def furnish(logbook: Logbook, tmp_path: Path) -> str:
    """A job on a sheet of markup, with markup said everywhere; returns its id."""
    text = to_toml(marked(to_data(find("ostrel-weir-40-am").read_text(encoding="utf-8"), "weir")))
    library = Library(tmp_path / "book" / "sheets")
    library.save(
        "evil", Bundle(text, {"ostrel-weir-40-am.svg": find("ostrel-weir-40-am").with_suffix(".svg").read_bytes()})
    )
    logbook.set_setting(
        "instruments", [Instrument("dmm", EVIL, ("supply.*", "tx.*"), standing="indicative only").to_data()]
    )
    card = Card(7, "evil", EVIL, EVIL, EVIL, None, (EVIL,), (EVIL,), EVIL, EVIL)
    session = Session(logbook, open_job(logbook, "evil", card, Kit()))
    fill(session)
    session.keep_summary()
    return session.job_id


def fill(session: Session) -> None:
    """Say something everywhere that something can be said."""
    session.note(EVIL)
    session.workshop.look_at(EVIL, "wrong", EVIL, (EVIL,), EVIL, pictures={f"{EVIL[:20]}.png".replace("/", ""): PNG})
    session.tried(EVIL, EVIL, EVIL, "unclear")
    session.loosen(EVIL)
    session.workshop.fit_part(EVIL, 1, EVIL, EVIL, EVIL, "1.20")
    session.workshop.spend("25", EVIL)
    session.workshop.heard(EVIL, "strength", EVIL)
    session.workshop.tell_control(EVIL, EVIL)
    session.workshop.test_control(EVIL, False, EVIL)
    session.workshop.set_status("waiting", EVIL, EVIL)
    session.workshop.set_status("open", EVIL)
    session.workshop.measure_capacitor(EVIL, "electrolytic", "47 uF", "60 uF", "1 ohm")
    session.touch(EVIL, EVIL)
    with pytest.raises(UnitoneError):
        session.type_in(EVIL)
    for step in session.sheet.steps[:6]:
        session.go_to(step.id)
        if step.hook_up != "probe":
            session.confirm_hook_up(step.hook_up)
        session.judge("not applicable", EVIL)
    adjuster = next(a for a in session.sheet.adjusters if a.stops)
    session.turn(adjuster.id, 45_000)
    data = to_data(session.state.written.source_text, "x")
    data["model"]["kind"] = f"changed {EVIL}"
    session.set_variant(EVIL, to_toml(data), EVIL)


def look(root: QWidget, where: str) -> int:
    """Nothing in this window takes what was written for markup; returns how many texts with markup were seen."""
    seen = 0
    for widget in [root, *root.findChildren(QWidget)]:
        assert "<img" not in widget.toolTip(), f"{where}: tip of {widget}"
        if isinstance(widget, QLabel) and "<" in widget.text():
            if widget.textFormat() == Qt.TextFormat.RichText:
                assert "<img" not in widget.text(), f"{where}: {widget.text()}"
            else:
                assert widget.textFormat() == Qt.TextFormat.PlainText, f"{where}: {widget.text()}"
                seen += 1
        if isinstance(widget, QTextBrowser):
            assert "<img" not in widget.toHtml() or "hostname" not in widget.toHtml(), where
        if isinstance(widget, QAbstractItemView) and (model := widget.model()) is not None:
            for row in range(model.rowCount()):
                tip = model.index(row, 0).data(Qt.ItemDataRole.ToolTipRole)
                assert "<img" not in str(tip or ""), f"{where}: {tip}"
        if isinstance(widget, pg.PlotWidget):
            for side in ("left", "bottom"):
                assert "<img" not in widget.getPlotItem().getAxis(side).label.toHtml(), where
    return seen


def test_no_view_takes_what_was_written_for_markup(evil: tuple[Desk, str]) -> None:
    desk, job = evil
    window = desk.window
    desk.until(lambda: bool(window.jobs.findChildren(QLabel)))
    desk.until(lambda: any("hostname" in x.text() for x in window.jobs.findChildren(QLabel)))
    assert look(window, "jobs") > 2
    desk.open(7)
    desk.quiet()
    assert look(window, "bench") > 2
    for step in ("rx-if", "rx-sensitivity", "tx-power"):
        worker = window.worker
        worker.do(lambda s, wanted=step: s.go_to(wanted) if wanted in {x.id for x in s.sheet.steps} else None)
        desk.quiet()
        look(window, f"bench {step}")
    for key in ("far", "touched", "instrument", "conventions", "loose", "kit"):
        desk.bench.press(key)
        look(window, f"bench, {key}")
    desk.bench.press("far")
    window.show_card(job)
    page = window._card
    desk.until(lambda: page.view is not None and page.view.number == 7)
    for tab in page.tabs:
        page.show_tab(tab)
        assert look(window, f"card, {tab}") >= 0
    for place in ("workshop", "meters", "calculators", "sheets", "help"):
        window.show_place(place)
        look(window, place)
    window.show_place("sheets")
    window._sheets.open(Library(desk.logbook.folder / "sheets").find("evil"))
    for index in range(window._sheets.stack.count()):
        window._sheets.stack.setCurrentIndex(index)
        look(window, f"sheets, open, {index}")
    # A message that quotes what was typed.
    window._failed(EVIL)
    assert look(window, "message") > 0


def test_papers_print_what_was_written(evil: tuple[Desk, str]) -> None:
    desk, job = evil
    state = fold(desk.logbook.tape(job), '<img src="file:///etc/hostname"/>')
    for kind, forms in FORMS.items():
        for form in forms:
            made = render_paper(state, kind, form)
            if form == "pdf":
                reader = PdfReader(io.BytesIO(made))
                words = "".join(page.extract_text() for page in reader.pages)
                assert "<b>bold</b>" in words.replace("\n", ""), kind
                assert not any(page.images for page in reader.pages) and not any("/Annots" in p for p in reader.pages)
            elif form == "html":
                assert b"<img" not in made and b"<b>bold" not in made and b"&lt;b&gt;bold" in made
