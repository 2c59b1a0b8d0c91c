"""Other channels through the real window: asked for, the ways looked at, the table copied, the plan kept in the log."""

from __future__ import annotations

from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import QApplication, QPushButton

from desktop.conftest import Desk
from desktop.test_jobcard import Card
from unitone.conversions.convert import convert
from unitone.desktop.features.card._modifications import ringed
from unitone.job.card import Card as JobCard
from unitone.job.modifications import standing
from unitone.report.certificate import certificate
from unitone.session.session import Session, open_job

pytestmark = pytest.mark.window
ALT = Qt.KeyboardModifier.AltModifier


def opened(desk: Desk, sheet: str) -> Card:
    number = desk.logbook.next_number()
    open_job(desk.logbook, sheet, JobCard(number, sheet))
    card = Card(desk, number)
    card.open()
    desk.key(Qt.Key.Key_7, ALT)
    return card


def test_from_a_wish_to_a_plan_in_the_log(desk: Desk, tmp_path: Path) -> None:
    card = opened(desk, "ostrel-curlew-5")
    tab = card.page.conversion
    assert tab.isVisible() and tab.want.fields["want"].hasFocus() and not tab.result.isVisible()
    # What names no channels is told beside the field; what was typed stays.
    desk.qtbot.keyClicks(tab.want.fields["want"], "channel nine")
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: tab.want.error.isVisible())
    assert (
        "names no channels" in tab.want.error.text()
        and tab.want.text("want") == "channel nine"
        and not tab.busy.isVisible()
    )
    tab.want.set_text("want", "28.315..28.755 step 0.01")
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: tab.shown is not None and tab.result.isVisible())
    shown = tab.shown
    assert shown is not None and len(shown.ways) >= 3 and len(shown.channels) == 45 and not tab.want.error.isVisible()
    sheet = Session(desk.logbook, card.job).sheet
    best = convert(sheet, "28.315..28.755 step 0.01").best
    assert [c.n for c in shown.channels] == [str(r.n) for r in best.reached]
    assert any("licence" in w for w in shown.warnings) and len(shown.corners) == 4
    # The second way: its button shows it in full.
    button = tab.ways.findChildren(QPushButton)[0]
    desk.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    desk.until(lambda: tab.shown is not None and tab.shown.at == 1)
    second = tab.shown
    assert second is not None and tab.head.text() == second.ways[1].title and tab.table.view is second
    assert "45 channels" in tab.table.accessibleDescription()
    desk.qtbot.mouseClick(tab.copy, Qt.MouseButton.LeftButton)
    clipboard = QApplication.clipboard()
    assert clipboard is not None and clipboard.text().count("\n") == 46 and clipboard.text().startswith("MHz\t")
    tab.save_pdf(tmp_path / "plan.pdf")
    desk.until(lambda: tab.kept.text() == "Saved: plan.pdf")
    assert (tmp_path / "plan.pdf").read_bytes().startswith(b"%PDF")
    tab.save_pdf(tmp_path / "nowhere" / "plan.pdf")
    desk.until(lambda: "nowhere" in tab.kept.text())
    card.after(lambda: desk.qtbot.mouseClick(tab.keep, Qt.MouseButton.LeftButton))
    assert "28.315..28.755" in card.state().notes[-1][1] and second.ways[1].title in card.state().notes[-1][1]


def test_the_vco_that_was_read_counts(desk: Desk) -> None:
    """Tuning voltages of this radio take the place of the sheet's figures."""
    number = desk.logbook.next_number()
    session = Session(desk.logbook, open_job(desk.logbook, "ostrel-curlew-5", JobCard(number, "ostrel-curlew-5")))
    step = next(s for s in session.sheet.steps if s.quantity_id == "vco.tuning_voltage" and len(s.required) > 3)
    session.start_work()
    session.go_to(step.id)
    session.confirm_hook_up("probe")
    for required, volts in zip(step.required, (1.2, 1.7, 1.7, 2.3, 2.3, 3.0, 3.0, 3.8, 3.8, 4.9), strict=True):
        session.type_in(f"{volts} V", required)
    card = Card(desk, number)
    card.open("conversion")
    tab = card.page.conversion
    desk.until(
        lambda: tab.view is not None and tab.view.synthesiser is not None and tab.view.synthesiser[1] is not None
    )
    tab.want.set_text("want", "26.065")
    tab.want.submit()
    desk.until(lambda: tab.shown is not None)
    assert tab.shown is not None and tab.shown.channels[0].volts.startswith("1.2")


def test_changes_are_noted_and_put_back(desk: Desk) -> None:
    card = opened(desk, "ostrel-weir-40-am")
    tab = card.page.conversion
    desk.qtbot.mouseClick(tab.chips.chips["modifications"], Qt.MouseButton.LeftButton)
    page = tab.modifications
    assert not page.undo_head.isVisibleTo(tab)
    tab.change.set_text("what", "part changed")
    tab.change.set_text("where", "D12")
    desk.qtbot.mouseClick(tab.change.add, Qt.MouseButton.LeftButton)
    desk.until(lambda: "there now" in tab.change.error.text())
    card.submit(tab.change, what="part changed", where="D12", was="1N4148", now="1N60", why="meter dead below S3")
    card.submit(tab.change, what="track cut", where="by <b>IC3</b>")
    assert [line.words for line in page.undo.shown or ()] == [
        "1. Bridge the cut by <b>IC3</b>.",
        "2. Put 1N4148 back at D12.",
    ]
    assert card.page.words.text().startswith("2 modifications")
    button = page.changes.findChildren(QPushButton)[0]
    card.after(lambda: desk.qtbot.mouseClick(button, Qt.MouseButton.LeftButton))
    assert [line.words for line in page.undo.shown or ()] == ["1. Bridge the cut by <b>IC3</b>."]


def test_from_a_symptom_to_the_certificate_and_back(desk: Desk, tmp_path: Path) -> None:
    """A deaf S-meter on a simulated radio: found by its symptom, tried, carried out, pictured, printed, undone."""
    number = desk.logbook.next_number()
    job = JobCard(number, "ostrel-curlew-5", "5-77", simulated_seed=3, simulated_fault="silicon-meter-diode")
    open_job(desk.logbook, "ostrel-curlew-5", job)
    card = Card(desk, number)
    card.open("conversion")
    tab = card.page.conversion
    desk.qtbot.mouseClick(tab.chips.chips["recipes"], Qt.MouseButton.LeftButton)
    page = tab.recipes
    desk.until(lambda: page.view is not None)
    assert len(page.files) >= 12 and page.list.hasFocus()
    desk.key(Qt.Key.Key_Down)
    desk.until(
        lambda: page.view is not None and page.view.id == page.at == "clarifier-both-ways" and page.leave.isVisible()
    )
    page.find.setFocus()
    desk.key("weak signals")
    desk.until(lambda: page.list.count() == 2)
    page.list.setFocus()
    desk.key(Qt.Key.Key_Down)
    desk.until(lambda: page.view is not None and page.view.id == "meter-diode" and page.title.text() == "S-meter diode")
    assert page.form is not None and page.form.text("drop was") == "silicon" and not page.leave.isVisible()
    # Where the part sits is typed; Enter works it out anew.
    field = page.form.fields["ask diode"]
    field.setFocus()
    field.selectAll()  # type: ignore[union-attr]
    desk.key("D7")
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: page.view is not None and page.view.changes[0].startswith("D7 changed"))
    desk.qtbot.mouseClick(page.try_button, Qt.MouseButton.LeftButton)
    desk.until(lambda: page.outcome.isVisible())
    assert len(page.readings.shown or ()) == 2 and "→" in (page.readings.shown or ())[0].words
    assert not card.state().shop.modifications
    desk.qtbot.mouseClick(page.note_button, Qt.MouseButton.LeftButton)
    desk.until(
        lambda: "list to undo" in page.said.text() and tab.chips.chips["modifications"].text() == "Modifications (1)"
    )
    made = standing(card.state())
    assert [m.where for m in made] == ["D7"] and made[0].sets and made[0].why == "S-meter diode"
    # A change of one's own, with the place pinned on a photograph.
    desk.qtbot.mouseClick(tab.chips.chips["modifications"], Qt.MouseButton.LeftButton)
    image = QImage(200, 100, QImage.Format.Format_RGB32)
    image.fill(QColor("darkgreen"))
    assert image.save(str(tmp_path / "board.png"))
    (tmp_path / "notes.png").write_text("no picture", encoding="utf-8")
    record = tab.modifications
    record.add_photographs([tmp_path / "notes.png", tmp_path / "board.png"])
    desk.until(lambda: record.board.isVisible() and record.form.error.isVisible())
    at = record.board.to_widget(0.25, 0.5).toPoint()
    desk.qtbot.mouseClick(record.board, Qt.MouseButton.LeftButton, pos=at)
    desk.until(lambda: "pinned" in record.with_it.text())
    card.submit(record.form, what="link added", where="across R9")
    pictured = standing(card.state())[-1]
    assert [n for n, _ in pictured.pictures] == ["board.png"] and pictured.pins[0][1:] == pytest.approx(
        (0.25, 0.5), abs=0.02
    )
    desk.until(lambda: len(record.photographs.buttons) == 1 and not record.photographs.buttons[0].icon().isNull())
    assert not record.board.isVisible() and record.with_it.text() == ""
    desk.qtbot.mouseClick(record.photographs.buttons[0], Qt.MouseButton.LeftButton)
    desk.until(lambda: record.stack.currentIndex() == 1)
    desk.key(Qt.Key.Key_Escape)
    desk.until(lambda: record.stack.currentIndex() == 0)
    assert ringed(image, 0.25, 0.5).pixelColor(50, 50 - 7) != image.pixelColor(50, 43)
    # On the papers; then put back, the last first, until the radio is as it was.
    assert any("D7 changed" in line for line in certificate(card.state()).differs)
    for left in (1, 0):
        button = record.changes.findChildren(QPushButton)[-1]
        card.after(lambda b=button: desk.qtbot.mouseClick(b, Qt.MouseButton.LeftButton))
        assert len(standing(card.state())) == left
    assert not any("D7" in line for line in certificate(card.state()).differs)


def test_a_recipe_that_does_not_fit_says_why_and_notes_nothing(desk: Desk) -> None:
    number = desk.logbook.next_number()
    open_job(desk.logbook, "ostrel-teal-6", JobCard(number, "ostrel-teal-6", simulated_seed=3))
    card = Card(desk, number)
    card.open("conversion")
    tab = card.page.conversion
    tab.show_part("recipes")
    page = tab.recipes
    desk.until(lambda: page.view is not None)
    page.choose("vco-stretch")
    desk.until(lambda: page.view is not None and page.view.id == "vco-stretch")
    for button in (page.try_button, page.note_button):
        desk.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        desk.until(lambda: page.error.isVisible() and "no such key" in page.error.text())
        assert page.said.text() == "" and not card.state().shop.modifications


def test_a_band_switch_as_it_was_measured(desk: Desk) -> None:
    card = opened(desk, "ostrel-weir-40-am")
    tab = card.page.conversion
    desk.qtbot.mouseClick(tab.chips.chips["switch"], Qt.MouseButton.LeftButton)
    assert tab.switch.fields["wires"].hasFocus()
    tab.switch.set_text("wires", "brown: 8 0 0 0; red: 0 8 0 0; yellow: 0 0 0")
    desk.qtbot.mouseClick(tab.switch.add, Qt.MouseButton.LeftButton)
    assert "some have more" in tab.switch.error.text() and tab.switch.text("wires").startswith("brown")
    tab.switch.set_text("wires", "brown: 8 0 0 0; red: 0 8 0 0; yellow: 0 0 0 8; black: 0 0 0 0; white: 8 8 8 8")
    tab.switch.set_text("needs", "band D = 4; line 2 = 2 4; odd = 3")
    tab.switch.set_text("volts", "5 V")
    tab.switch.set_text("amps", "20 mA")
    desk.qtbot.mouseClick(tab.switch.add, Qt.MouseButton.LeftButton)
    assert not tab.switch.error.isVisible() and tab.takes.text() == "2 diodes"
    wires = [line.words for line in tab.wires.shown or ()]
    assert wires[2] == "yellow: position 4." and "The common" in wires[4] and "left over" in wires[3]
    lines = [line.words for line in tab.lines.shown or ()]
    assert (
        "link to yellow" in lines[0]
        and "a diode each from red, yellow" in lines[1]
        and "7.3 V there. Dropper 120 Ω" in lines[1]
    )
    assert "no wire is live" in lines[2] and tab.switch.text("needs").startswith("band D")
    tab.switch.set_text("amps", "")
    desk.qtbot.mouseClick(tab.switch.add, Qt.MouseButton.LeftButton)
    assert "type both" in tab.switch.error.text()


def test_a_sheet_without_its_synthesiser(desk: Desk) -> None:
    card = opened(desk, "ostrel-weir-40-am")
    tab = card.page.conversion
    assert "[[pll]]" in tab.about.text() and not tab.want.isEnabled()
