"""Keys that somebody chose: kept, shown wherever a key is named, working; what is taken is said."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from unitone.actions import ACTIONS, can_change, clashes, keyed, refusal, shown_key, taken_by, use_keys
from unitone.bench.path import Kit, shown_on_dial
from unitone.desktop.audio.voice import voice_of
from unitone.desktop.features.workshop.keys import KeysBox
from unitone.desktop.shell.app import Program, make_application
from unitone.desktop.shell.window import MainWindow
from unitone.job.card import Card
from unitone.session.session import open_job
from unitone.store.logbook import Logbook
from unitone.words import figure, tr, use_mark

TARN = "ostrel-tarn-40"


@pytest.fixture
def program(qtbot: QtBot, tmp_path: Path) -> Iterator[Program]:
    make_application()
    with Logbook(tmp_path / "own") as book:
        open_job(book, TARN, Card(1, TARN, "40-1", complaint="hums", simulated_seed=3))
        book.set_setting("first_evening", True)
    made = Program(tmp_path / "own")
    made.open()
    yield made
    made.close()
    use_keys({})
    qtbot.wait(20)


def box_of(program: Program) -> KeysBox:
    assert isinstance(program.window, MainWindow)
    program.window.show_settings()
    assert program.window._workshop is not None
    found = program.window._workshop.findChild(KeysBox)
    assert found is not None
    return found


def test_a_key_is_chosen_works_and_is_named_everywhere(program: Program, qtbot: QtBot) -> None:
    box, first = box_of(program), program.window
    box.choose("new-job")
    box.press.setKeySequence(QKeySequence("Ctrl+T"))
    assert "Ctrl+T is taken: Day or night" in box.words.text() and not box.set.isEnabled()
    box.press.setKeySequence(QKeySequence("Ctrl+Y"))
    assert box.set.isEnabled() and not box.words.text()
    box.set.click()
    qtbot.waitUntil(lambda: isinstance(program.window, MainWindow) and program.window is not first, timeout=90000)
    window = program.window
    assert isinstance(window, MainWindow)
    assert window.jobs.new.text() == "New job  Ctrl Y"
    window.show_place("jobs")
    window.activateWindow()
    qtbot.waitUntil(lambda: QApplication.activeWindow() is window, timeout=60000)
    window.jobs.list.setFocus()
    qtbot.keyClick(window.jobs.list, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert window.jobs.side.currentIndex() == 0, "the old key is free"
    qtbot.keyClick(window.jobs.list, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert window.jobs.side.currentIndex() == 1

    # A key is taken from another action: that one has none, and is found by its name.
    box = box_of(program)
    box.choose("note")
    box.press.setKeySequence(QKeySequence("L"))
    assert "L is taken: Log the live reading" in box.words.text() and box.free.isVisibleTo(box)
    box.free.click()
    qtbot.waitUntil(lambda: program.window is not window and isinstance(program.window, MainWindow), timeout=90000)
    assert shown_key("log") == "Ctrl+K, by its name" and keyed("Log  L", "log") == "Log" and not clashes()
    # They are kept with the workshop, and go back as they came.
    use_keys({})
    program.close()
    program.open()
    assert shown_key("note") == "L" and shown_key("new-job") == "Ctrl+Y"
    box, before = box_of(program), program.window
    box.find.setText("new job")
    assert box.list.count() >= 1
    box.all.click()
    qtbot.waitUntil(lambda: program.window is not before and isinstance(program.window, MainWindow), timeout=90000)
    assert program.window.jobs.new.text() == "New job  Ctrl N"  # type: ignore[union-attr]


def test_what_cannot_be_is_refused() -> None:
    note = next(a for a in ACTIONS if a.id == "note")
    assert (
        "begins a reading" in refusal(note, "5")
        and "stays" in refusal(note, "Return")
        and refusal(note, "Ctrl+9") == ""
    )
    assert not can_change(next(a for a in ACTIONS if a.id == "main"))
    taken = taken_by(note, "Ctrl+T")
    assert taken is not None and taken.id == "theme" and taken_by(note, "") is None
    use_keys({"note": "F9", "main": "F8", "nothing": "F7", "theme": "Ctrl+T"})
    try:
        assert shown_key("note") == "F9" and shown_key("main") == "Return" and keyed("Note  N", "note") == "Note  F9"
        assert keyed("Theme  Ctrl T", "theme") == "Theme  Ctrl T"
    finally:
        use_keys({})


def test_the_decimal_mark_is_chosen_and_every_figure_follows(program: Program, qtbot: QtBot) -> None:
    box_of(program)
    window = program.window
    assert isinstance(window, MainWindow) and window._workshop is not None and window._workshop.settings is not None
    assert figure("0.31 µV") == "0.31 µV"
    window._workshop.settings.marks.chips[","].click()
    qtbot.waitUntil(lambda: isinstance(program.window, MainWindow) and program.window is not window, timeout=90000)
    try:
        assert figure("0.31 µV") == "0,31 µV" and tr("{key}: {what}", key="0.5 V", what="x") == "0,5 V: x"
        box_of(program)
        made = program.window
        assert isinstance(made, MainWindow) and made._workshop is not None and made._workshop.settings is not None
        assert made._workshop.settings.marks.chips[","].isChecked()
        # How the coach speaks is kept, and what it is heard at.
        sound = made._workshop.settings.sound
        sound.rates.chips["slow"].click()
        assert made.logbook.setting("voice_rate") == "slow" and voice_of(made.logbook) == ("", "slow")
        made.logbook.set_setting("voice_rate", "at once")
        assert voice_of(made.logbook) == ("", "normal")
        sound.camera.click()
        assert made._workshop.camera is not None and made._workshop.parts.currentWidget() is made._workshop.camera
        # What is dialled is told as the generator's dial is marked: 0 dBm is 224 mV PD, 447 mV EMF (P = V²/R, 50 ohm).
        for scale, told in (("uV", "224 mV PD"), ("uV-emf", "447 mV EMF"), ("dBm", "0,0 dBm")):
            made._workshop.settings.units.chips[scale].click()
            kit = Kit.from_data(made.logbook.setting("kit"))
            assert kit.shows == scale and shown_on_dial(kit, 0.0) == told
        with pytest.raises(ValueError, match="no decimal mark"):
            use_mark("'")
    finally:
        use_mark("")
