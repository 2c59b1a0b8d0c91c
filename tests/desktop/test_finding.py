"""What spares forty letters: the palette, the glossary on hover, help at the step; and the settings that head every paper."""

from __future__ import annotations

import struct
import zlib
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QApplication, QToolTip

from desktop.conftest import Desk
from unitone.job.fold import read
from unitone.present.papers import paper_head, render_paper

pytestmark = pytest.mark.window

CONTROL = Qt.KeyboardModifier.ControlModifier


def found(desk: Desk) -> list[str]:
    rows = desk.window.palette_box.list
    return [rows.item(n).text() for n in range(rows.count())]  # type: ignore[union-attr]


def test_everything_is_found_by_its_words_and_done_with_enter(desk: Desk) -> None:
    desk.open(147)
    desk.key(Qt.Key.Key_K, CONTROL)
    box = desk.window.palette_box
    assert box.isVisible() and box.line.hasFocus()
    desk.key("squelch opens")
    hits = found(desk)
    assert hits and box.list.currentRow() == 0
    box.line.clear()
    desk.key("attenuator")
    assert any("resistors make this attenuator" in x for x in found(desk))
    desk.key(Qt.Key.Key_Return)
    page = desk.window._calculators
    assert not box.isVisible() and desk.window.pages.currentWidget() is page
    assert page.cards.currentWidget() is page._made["attenuator"]  # type: ignore[union-attr]
    # A job by its number, a step by its title; what is nothing says so, and Escape leaves.
    desk.key(Qt.Key.Key_K, CONTROL)
    desk.key("zeppelin")
    assert found(desk) == [] and box.empty.isVisible()
    desk.key(Qt.Key.Key_Escape)
    assert not box.isVisible()
    desk.key(Qt.Key.Key_K, CONTROL)
    desk.key("deviation, loud")
    assert found(desk)
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: desk.bench.view is not None and "Deviation" in desk.bench.view.step.title)


def test_a_term_is_explained_where_it_stands(desk: Desk) -> None:
    desk.open(147)
    desk.steady()
    label = desk.bench.step.dial_words
    label.setToolTip("")
    label.setText("Set the SINAD meter.")
    QApplication.processEvents()
    inside = label.mapTo(desk.window, QPoint(4, 4))
    QApplication.sendEvent(desk.window, QHelpEvent(QEvent.Type.ToolTip, inside, desk.window.mapToGlobal(inside)))
    assert "SINAD: Signal, noise and distortion" in QToolTip.text()
    QToolTip.hideText()
    desk.bench.setFocus()
    desk.key(Qt.Key.Key_F1)
    page = desk.window._help
    assert page is not None and page.list.currentItem().text() == "The receiver is deaf"  # type: ignore[union-attr]
    page.find.setText("carrier null")
    assert 0 < page.list.count() < 8
    page.find.setText("zeppelin")
    assert page.list.count() == 0 and page.empty.isVisible()
    desk.key(Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    assert page.part == "glossary" and page.list.count() > 90


def png(width: int, height: int) -> bytes:
    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    rows = b"".join(b"\x00" + b"\x20\x60\x80" * width for _ in range(height))
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


def test_a_workshops_name_mark_and_language_are_on_its_papers(desk: Desk, tmp_path: Path) -> None:
    desk.window.show_settings()
    settings = desk.window._workshop.settings  # type: ignore[union-attr]
    settings.name.setText("Kiln Street Radio")
    settings.name.editingFinished.emit()
    # A rate per hour: what is no amount is said, and the old one stays.
    for text, kept in (("30,50", 30.5), ("a lot", 30.5), ("", 0.0), ("28", 28.0)):
        settings.rate.setText(text)
        settings.rate.editingFinished.emit()
        assert desk.logbook.setting("cost")["rate"] == kept and settings.cost_words.isVisibleTo(settings) == (
            text == "a lot"
        )
    (tmp_path / "words.png").write_bytes(b"no picture")
    settings.take_file(tmp_path / "words.png")
    assert "is not a PNG or JPEG" in settings.words.text()
    (tmp_path / "mark.png").write_bytes(png(40, 40))
    settings.take_file(tmp_path / "mark.png")
    settings.paper_language.setCurrentIndex(settings.paper_language.findData("de"))
    settings.paper_language.activated.emit(settings.paper_language.currentIndex())
    head = paper_head(desk.logbook)
    assert (head.name, head.paper_language) == ("Kiln Street Radio", "de") and head.mark.startswith(b"\x89PNG")
    state = read(desk.logbook.tape(desk.logbook.job("142").id), desk.logbook.job("142").id)
    html = render_paper(state, "certificate", "html", False, head, "").decode()
    assert "Kiln Street Radio" in html and "Abgleichprotokoll" in html and "Alignment certificate" not in html
