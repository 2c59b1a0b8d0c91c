"""Voltages, looks and known faults typed into a sheet, and used by the card of a job on it; photographs that are missing."""

from __future__ import annotations

import io
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget
from pytestqt.qtbot import QtBot

from desktop.conftest import Desk
from desktop.test_sheets import choose, field, open_sheets, type_into
from unitone.desktop.features.card.page import CardPage
from unitone.desktop.shell.app import make_application
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.lines import Counted, CountedList, Line, Lines, MarkIcon
from unitone.desktop.widgets.livefield import LiveLine, LiveWords
from unitone.desktop.widgets.photographs import LargePhotograph, Photographs
from unitone.errors import StoreError
from unitone.job.card import Card
from unitone.session.own_sheets import library_of
from unitone.session.session import open_job
from unitone.sheet.library import find

pytestmark = pytest.mark.window
CONTROL = Qt.KeyboardModifier.ControlModifier


def test_a_voltage_table_typed_in_the_editor_is_judged_on_the_card(desk: Desk) -> None:
    page = open_sheets(desk)
    page.open(find("ostrel-mallard-6"))
    desk.until(lambda: page.now is not None)
    type_into(desk, field(page.editor.model, "supply", "limit"), "0,8 A")
    type_into(desk, field(page.editor.model, "model", "aliases"), "Ostrel Teal 6, Ostrel Teal 6 S")
    desk.until(lambda: "Ostrel Teal 6 S" in page.now.draft.data["model"].get("aliases", ()))  # type: ignore[union-attr]
    page.editor.show_section("voltage")
    table = page.editor.tables["voltage"]
    count = table.list.count()
    desk.qtbot.mouseClick(table.add_button, Qt.MouseButton.LeftButton)
    for key, text in (
        ("id", "mixer"), ("title", "Mixer supply"), ("volts", "7.4 V; 7.2 V"), ("tolerance", "5 %"), ("fed_from", "osc"), ("series", "220 ohm"),
        ("current", "3 mA"), ("where", "R9"),
    ):  # fmt: skip
        type_into(desk, field(table.form, key), text)
    assert table.list.count() == count + 1
    page.editor.show_section("inspect")
    looks = page.editor.tables["inspect"]
    desk.qtbot.mouseClick(looks.add_button, Qt.MouseButton.LeftButton)
    type_into(desk, field(looks.form, "id"), "strap")
    type_into(desk, field(looks.form, "title"), "Strap lugs")
    page.editor.show_section("known_fault")
    faults = page.editor.tables["known_fault"]
    desk.qtbot.mouseClick(faults.add_button, Qt.MouseButton.LeftButton)
    type_into(desk, field(faults.form, "sign"), "deaf on channel C")
    type_into(desk, field(faults.form, "cause"), "crystal cracked")
    desk.key(Qt.Key.Key_D, CONTROL)
    assert faults.list.count() == 2, "a fault has no name of its own, and is duplicated all the same"
    desk.key(Qt.Key.Key_Z, CONTROL)
    desk.until(lambda: not page.editor._timer.isActive() and page.editor.shown_data is page.now.draft.data)  # type: ignore[union-attr]
    assert page.editor.problems == (), page.editor.problems
    desk.key(Qt.Key.Key_S, CONTROL)
    own = library_of(desk.logbook)
    desk.until(lambda: bool(own.own()))
    kept = next(k for k in own.kept() if k.own)
    assert kept.aliases == ("Ostrel Teal 6", "Ostrel Teal 6 S") and "teal" in kept.words
    job = open_job(desk.logbook, kept.id, Card(150, kept.id, "M6-1"))
    desk.window.show_card(job, "rails")
    card = desk.window._card
    assert isinstance(card, CardPage)
    desk.until(lambda: card.view is not None and card.view.number == 150)
    assert "Set the current limit to 0.8 A." in card.rails.words.text()
    cell = next(c for c in card.view.volts if c.id == "mixer")  # type: ignore[union-attr]
    assert cell.should.startswith("7.4 or 7.2 V") and cell.title == "Mixer supply"
    assert any(x.id == "strap" and x.group == "this model" for x in card.view.looks)  # type: ignore[union-attr]
    assert any(f.sign == "deaf on channel C" for f in card.view.known_faults)  # type: ignore[union-attr]


def test_a_wrong_row_says_so_under_its_field(desk: Desk) -> None:
    page = open_sheets(desk)
    page.open(find("ostrel-mallard-6"))
    desk.until(lambda: page.now is not None)
    page.editor.show_section("voltage")
    table = page.editor.tables["voltage"]
    table.choose([0])
    type_into(desk, field(table.form, "volts"), "twelve")
    desk.until(lambda: bool(page.editor.problems))
    assert any("voltage" in str(p) and "twelve" in str(p) for p in page.editor.problems)
    type_into(desk, field(table.form, "volts"), "12 V")
    choose(desk, field(table.form, "way"), "receive")
    desk.until(lambda: page.editor.problems == ())


# -- the small widgets on their own -------------------------------------------------------------------


def test_photographs_that_are_missing_or_broken_say_so_and_one_is_shown_large(qtbot: QtBot) -> None:
    make_application()
    out = io.BytesIO()
    Image.new("RGB", (900, 600), "#557755").save(out, "JPEG")
    kept = {"good": out.getvalue(), "broken": b"no picture at all"}

    def read(hashed: str) -> bytes:
        if hashed not in kept:
            raise StoreError("A picture of this job is missing from the logbook. Restore a backup.")
        return kept[hashed]

    strip = Photographs(read)
    qtbot.addWidget(strip)
    strip.show()
    strip.show_photographs([("a.jpg", "good"), ("b.jpg", "gone"), ("c.jpg", "broken")])
    qtbot.waitUntil(lambda: not strip.buttons[0].icon().isNull(), timeout=90000)
    assert [b.text() for b in strip.buttons] == ["", "missing from the logbook", "missing from the logbook"]
    assert strip.buttons[0].accessibleName() == "Photograph a.jpg" and strip.buttons[0].iconSize().height() <= 100
    with qtbot.waitSignal(strip.wanted, timeout=90000) as told:
        qtbot.mouseClick(strip.buttons[0], Qt.MouseButton.LeftButton)
    name, image = told.args
    assert name == "a.jpg" and isinstance(image, QImage) and image.height() == 600
    large = LargePhotograph()
    qtbot.addWidget(large)
    large.resize(300, 300)
    large.show()
    large.show_image(name, image)
    assert large.pixmap().width() <= 300 and large.pixmap().width() / large.pixmap().height() == pytest.approx(
        1.5, rel=0.02
    )
    with qtbot.waitSignal(large.closed):
        qtbot.keyClick(large, Qt.Key.Key_Space)
    with qtbot.waitSignal(large.closed):
        qtbot.mouseClick(large, Qt.MouseButton.LeftButton)
    # One alone is as large as its place beside the finding.
    strip.show_photographs([("a.jpg", "good")])
    qtbot.waitUntil(lambda: not strip.buttons[0].icon().isNull(), timeout=90000)
    assert strip.buttons[0].iconSize().height() >= 200
    strip.show_photographs([])
    assert not strip.isVisible() and strip.buttons == []


def test_a_live_field_tells_once_and_loses_nothing(qtbot: QtBot) -> None:
    make_application()
    line, told = LiveLine("Volts"), []
    qtbot.addWidget(line)
    line.kept.connect(told.append)
    line.show()
    line.show_value("8.0")
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, "7.6")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    qtbot.keyClick(line, Qt.Key.Key_Return)
    assert told == ["7.6"], "the same text is told once"
    line.show_value("8.0")
    assert line.text() == "8.0", "the job still says so: what was told has been answered"
    line.selectAll()
    qtbot.keyClicks(line, "x")
    line.show_value("8.0")
    assert line.text() == "x", "what is being typed is not overwritten"
    line.refused()
    qtbot.keyClick(line, Qt.Key.Key_Return)
    assert told == ["7.6", "x"]
    page = QWidget()
    both = QVBoxLayout(page)
    words, other = LiveWords("Complaint"), QLineEdit()
    both.addWidget(words)
    both.addWidget(other)
    qtbot.addWidget(page)
    page.show()
    page.activateWindow()
    qtbot.waitActive(page)
    words.kept.connect(told.append)
    words.show_value("deaf")
    words.setFocus()
    qtbot.waitUntil(words.hasFocus)
    words.setPlainText("deaf and dumb")
    other.setFocus()
    qtbot.waitUntil(lambda: told[-1] == "deaf and dumb")


def test_an_entry_form_adds_only_what_is_whole_and_keeps_what_was_refused(qtbot: QtBot) -> None:
    make_application()
    form, told = (
        EntryForm(
            (Ask("part", "Part", "C1", needed=True), Ask("kind", "Kind", choices=(("a", "A"), ("b", "B")))), "Add"
        ),
        [],
    )
    qtbot.addWidget(form)
    form.submitted.connect(told.append)
    form.show()
    assert not form.add.isEnabled()
    part = form.fields["part"]
    assert isinstance(part, QLineEdit) and part.accessibleName() == "Part"
    qtbot.keyClicks(part, " C41 ")
    form.set_text("kind", "b")
    qtbot.keyClick(part, Qt.Key.Key_Return)
    assert told == [{"part": "C41", "kind": "b"}] and form.pending
    form.show_error("no such part")
    assert part.text() == " C41 " and form.error.isVisible() and not form.pending
    form.taken()
    assert part.text() == " C41 ", "nothing was taken"
    form.submit()
    form.taken()
    assert part.text() == "" and not form.error.isVisible() and form.text("kind") == "b"
    form.offer("part", ["C41", "C52"])
    assert part.completer().model().rowCount() == 2  # type: ignore[union-attr]


def test_lines_and_counted_squares_tell_what_they_show(qtbot: QtBot) -> None:
    make_application()
    pressed: list[tuple[str, int]] = []
    lines = Lines("Loose ends", lambda key, n: pressed.append((key, n)))
    qtbot.addWidget(lines)
    lines.show()
    lines.show_lines([Line("recheck", "speaker off", "", "e1", ("put right", "stays"))])
    icon = lines.findChild(MarkIcon)
    assert icon is not None and icon.mark == "recheck" and lines.findChildren(type(icon))[0] is icon
    from PyQt6.QtWidgets import QLabel, QPushButton

    buttons = lines.findChildren(QPushButton)
    buttons[1].click()
    assert pressed == [("e1", 1)] and buttons[0].accessibleName() == "put right: speaker off"
    lines.show_lines([], "No loose ends.")
    qtbot.waitUntil(lambda: [x.text() for x in lines.findChildren(QLabel) if x.isVisible()] == ["No loose ends."])
    listed = CountedList()
    qtbot.addWidget(listed)
    listed.resize(300, 100)
    listed.show()
    listed.show_counted([("deviation too high", 5), ("C41 replaced", 2)], 5, "nothing", 1)
    found = listed.findChildren(Counted)
    assert [x.accessibleName() for x in found] == ["deviation too high: 5 of 5"]
    image = found[0].grab().toImage()
    colours = {image.pixel(x, y) for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)}
    assert len(colours) > 3


def test_alias_and_photograph_survive_closing(desk: Desk, tmp_path: Path) -> None:
    """The picture of a finding is in the logbook, not beside it: it is there when the file is gone."""
    (tmp_path / "p.png").write_bytes(b"")
    desk.window.show_card(desk.logbook.job("147").id, "inspection")
    card = desk.window._card
    assert isinstance(card, CardPage)
    desk.until(lambda: card.view is not None and card.view.number == 147)
    card.inspection.choose("wax")
    desk.until(
        lambda: bool(card.inspection.photographs.buttons) and not card.inspection.photographs.buttons[0].icon().isNull()
    )
    card.inspection.add_photographs([tmp_path / "p.png"])
    assert "not a complete PNG" in card.inspection.error.text() and not card.inspection.with_it.isVisible()
