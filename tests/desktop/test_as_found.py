"""The as-found sheet: typed by the number pad from top to bottom, judged as it is typed, printed blank, found and left side by side."""

from __future__ import annotations

import io

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLineEdit

from desktop.conftest import Desk
from unitone.desktop.features.card.readings import ReadingsTab
from unitone.job.card import Card
from unitone.job.entries.readings import Reading
from unitone.job.fold import fold
from unitone.present.card.found_and_left import readings_view
from unitone.present.papers import render_paper
from unitone.session.session import Session, open_job

pytestmark = pytest.mark.window

#: What a technician reads off a found radio, down the sheet: three hook-ups, 20 readings.
METERS = ("320", "10.240012", "2,1", "3.6")
LOAD = ("2.0", "3.9", "3.6", "3.7", "2.5", "26.96504", "27.20504", "27.40503", "1.9")
GENERATOR = ("4", "9.5", ".4", ".35", ".45", "7", "40")


def table(desk: Desk) -> ReadingsTab:
    page = desk.window._card
    assert page is not None
    return page.readings


def test_the_first_round_is_typed_down_the_column_by_the_number_pad(desk: Desk) -> None:
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, "fm-mobile", Card(number, "fm-mobile"), title="Fenmark Lode 80")
    desk.open(number)
    desk.key(Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    desk.until(
        lambda: (
            desk.window._card is not None
            and bool(table(desk).boxes)
            and isinstance(QApplication.focusWidget(), QLineEdit)
        )
    )
    tab, others = table(desk), 0

    def enter() -> None:
        desk.quiet()
        before = desk.shown()
        desk.key(Qt.Key.Key_Enter)
        desk.until(lambda: desk.shown() > before)
        desk.quiet()

    def confirm() -> None:
        nonlocal others
        assert QApplication.focusWidget() is not None and "Confirm" in tab.error.text()
        others += 1
        enter()

    typed = 0
    for group in (METERS, LOAD, GENERATOR):
        if group is not METERS:
            confirm()
        for text in group:
            desk.key(text)
            enter()
            typed += 1
    # What is read the same way for two steps is read once.
    boxes = {(b.cell.step, b.cell.index): b for b in tab.boxes}
    assert typed == 20 and len(boxes) == 21 == sum(bool(b.cell.value) for b in boxes.values()), [
        b.cell.name for b in tab.boxes if not b.cell.value
    ]
    assert others <= 12
    state = fold(desk.logbook.tape(job))
    read = [e.said for e in state.entries if isinstance(e.said, Reading)]
    # A counter's figure without its unit is one in megahertz; a bare figure is in the unit shown; either decimal mark.
    errors = [r.value for r in read if r.quantity_id == "tx.frequency_error"]
    assert errors == pytest.approx([40.0, 40.0, 30.0], abs=0.5)
    assert [r.value for r in read if r.quantity_id == "supply.current"] == pytest.approx([0.32])
    assert [r.value for r in read if r.quantity_id == "vco.tuning_voltage"] == pytest.approx([2.1, 3.6, 2.0, 3.9])
    assert boxes["power", 2].cell.verdict == "out_of_spec" and boxes["power", 0].cell.verdict == "in_spec"
    assert state.phase == "as-found" and tab.words.text().startswith("21 of 21 read")
    assert "Everything is read" in tab.next_words.text()


def test_a_slip_is_asked_back_and_nothing_is_logged_before_the_hook_up(desk: Desk) -> None:
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, "fm-mobile", Card(number, "fm-mobile"), title="Fenmark Lode 80")
    desk.open(number)
    desk.key(Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    desk.until(lambda: desk.window._card is not None and bool(table(desk).boxes))
    tab = table(desk)
    box = next(b for b in tab.boxes if (b.cell.step, b.cell.index) == ("frequency", 2))
    box.field.setFocus()
    desk.key("27.2049")
    desk.key(Qt.Key.Key_Return)
    assert "dummy load on" in tab.error.text() and not fold(desk.logbook.tape(job)).readings
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: "belongs to channel 20" in tab.error.text())
    assert QApplication.focusWidget() is box.field and box.field.text() == "27.2049"
    # What was refused stays; the hook-up is confirmed by now.
    assert fold(desk.logbook.tape(job)).hook_up == "transmit" and not fold(desk.logbook.tape(job)).readings
    box.field.clear()
    desk.key("27.40501")
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: box.cell.value != "")
    desk.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    desk.until(lambda: box.cell.value == "")
    assert not fold(desk.logbook.tape(job)).readings


def test_found_and_left_stand_side_by_side_and_the_sheet_prints_blank(desk: Desk) -> None:
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, "fm-mobile", Card(number, "fm-mobile"), title="Fenmark Lode 80")
    session = Session(desk.logbook, job)
    session.type_at("vco-receive", 0, "0.9")
    session.start_work()
    session.go_to("vco-receive")
    session.turn("VCO", 45_000)
    session.type_at("vco-receive", 0, "2.4")
    cells = {(c.step, c.index): c for g in readings_view(session.state).groups for r in g.rows for c in r.cells}
    cell = cells["vco-receive", 0]
    assert (cell.value, cell.found, cell.verdict) == ("2.40 V", "0.90 V", "in_spec")
    # The rows of a step that reads what another reads already are not asked twice.
    assert ("if", 0) not in cells and ("front-end", 0) in cells
    paper = render_paper(session.state, "readings", "pdf")
    assert paper.startswith(b"%PDF")
    text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(paper)).pages)
    assert all(words in text for words in ("As-found sheet", "Carrier frequency", "2.40 V", "dummy load on"))


def test_by_ear_three_keys_of_the_number_pad_say_it(desk: Desk) -> None:
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, "am-mobile", Card(number, "am-mobile"), title="Fenmark Lode 80 AM")
    session = Session(desk.logbook, job)
    session.set_conventions({"reading": "ear"})
    session.start_work()
    session.go_to("front-end")
    session.confirm_hook_up("receive")
    session.type_in("4 dB")
    desk.open(number)
    bench = desk.bench
    assert bench.step.ear.isVisible()
    said = []
    # Louder, softer, the same: each after the turn that the coach asked for.
    for key, word in (("/", "same"), ("+", "louder"), ("-", "softer"), ("=", "same")):
        desk.until(lambda: bench.step.ear.isVisible())
        desk.after(lambda k=key: desk.key(k))
        said.append(word)
        assert [
            r.reading.word for r in fold(desk.logbook.tape(job)).readings if r.reading.quantity_id == "rx.loudness"
        ] == said
        if not bench.step.ear.isVisible():
            desk.after(lambda: desk.key(Qt.Key.Key_Return))
    assert not bench.step.typing
