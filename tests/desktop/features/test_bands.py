"""A portable with several bands through the real window: what works where, the dial's stops, and where somebody was after weeks."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt

from desktop.conftest import Desk
from desktop.test_jobcard import Card
from unitone.job.card import Card as JobCard
from unitone.present.bench.where_was_i import where_was_i
from unitone.present.card.bands_view import bands_view
from unitone.session.session import Session, open_job

pytestmark = pytest.mark.window
ALT, CONTROL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


def test_bands_by_sections(desk: Desk) -> None:
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, "portable-receiver", JobCard(number, "portable-receiver", serial="77"))
    card = Card(desk, number)
    card.open()
    desk.key(Qt.Key.Key_6, ALT)
    tab, table = card.page.bands, card.page.bands.table
    assert tab.isVisible() and table.hasFocus() and table.view is not None
    assert [b for b, _ in table.view.bands] == ["MW", "SW", "FM", ""] and not any(c.word for c in table.view.cells)
    # Arrow keys to the oscillator of SW, Enter into the form; a fault without words is refused, and what was chosen stays.
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down):
        desk.key(key)
    assert table.cell is not None and (table.cell.band, table.cell.section) == ("SW", "osc")
    assert "SW, Oscillator" in table.accessibleDescription() and tab.place.text() == "SW · Oscillator"
    desk.key(Qt.Key.Key_Return)
    assert tab.finding.fields["look"].hasFocus()
    tab.finding.set_text("look", "dead")
    desk.qtbot.mouseClick(tab.finding.add, Qt.MouseButton.LeftButton)
    desk.until(lambda: tab.finding.error.isVisible())
    assert "what to try next" in tab.finding.error.text() and tab.finding.text("look") == "dead"
    card.submit(tab.finding, look="dead", words="no oscillation <b>above</b> 9 MHz", following="swap the padder")
    assert table.cell.word == "dead" and "next: swap the padder" in table.cell.short
    assert "SW Oscillator: dead, no oscillation <b>above</b> 9 MHz. Next: swap the padder." in tab.where.text()
    # A mouse picks another; a section that the sheet does not name comes into the table.
    box = table._box(3, 5)
    desk.qtbot.mouseClick(table, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert tab.place.text() == "All bands · Audio"
    card.submit(tab.finding, look="works")
    card.submit(tab.other, band="SW3", section="beat oscillator", look="weak", words="drifts")
    assert ("SW3", "SW3") in table.view.bands and ("beat oscillator", "beat oscillator") in table.view.sections
    # The stops of the dial, in whatever unit; without one it is no frequency.
    tab.stops.set_text("band", "MW")
    tab.stops.set_text("low", "985")
    tab.stops.set_text("high", "2,04 MHz")
    desk.qtbot.mouseClick(tab.stops.add, Qt.MouseButton.LeftButton)
    desk.until(lambda: tab.stops.error.isVisible())
    assert "Write the prefix" in tab.stops.error.text() and tab.stops.text("high") == "2,04 MHz"
    card.submit(tab.stops, band="MW", low="985 kHz", high="2,04 MHz")
    line = tab.stops_list.shown[0] if tab.stops_list.shown else None
    assert line is not None and line.mark == "out_of_spec" and "should be 980 kHz … 2.060 MHz" in line.quiet
    assert "open the oscillator trimmer" in line.quiet
    # Ctrl+Z takes the last entry back; the log keeps both.
    table.setFocus()
    card.after(lambda: desk.key(Qt.Key.Key_Z, CONTROL))
    assert card.state().shop.stops == [] and len(card.state().shop.sections) == 3
    # After weeks the Bench begins with it.
    later = datetime.now(UTC) + timedelta(days=20)
    words = where_was_i(card.state(), later)
    assert (
        "nothing read yet" in words
        and "SW3 beat oscillator: weak, drifts." in words
        and "Next: swap the padder." in words
    )
    session = Session(desk.logbook, job)
    assert bands_view(session.state).tally == f"3 of {len(table.view.cells)} known, 2 wrong"
    session.workshop.find_section("SW", "osc", "works", "new padder")
    assert "Oscillator" not in bands_view(session.state).where_words
