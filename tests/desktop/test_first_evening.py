"""The first evening through the real window: three questions, then the first logged reading of a real radio, or a practice radio."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from desktop.test_fitting import cut, over_each_other
from unitone.desktop.features.welcome.page import WelcomePage
from unitone.desktop.shell.app import Program, make_application
from unitone.desktop.shell.window import MainWindow
from unitone.desktop.theme.theme import theme
from unitone.job.entries.readings import Reading
from unitone.store import scheduled
from unitone.store.backup import backup
from unitone.words import use_language

pytestmark = pytest.mark.window


@pytest.fixture
def program(qtbot: QtBot, tmp_path: Path) -> Iterator[Program]:
    make_application()
    made = Program(tmp_path / "new")
    made.open()
    yield made
    made.close()
    use_language("en")
    qtbot.wait(20)


class Hands:
    """Keys and clicks, counted."""

    def __init__(self, qtbot: QtBot, program: Program) -> None:
        self.qtbot, self.program, self.moves = qtbot, program, 0

    @property
    def window(self) -> MainWindow:
        assert isinstance(self.program.window, MainWindow)
        return self.program.window

    @property
    def page(self) -> WelcomePage:
        assert isinstance(self.window._welcome, WelcomePage)
        return self.window._welcome

    def until(self, true: Callable[[], bool]) -> None:
        self.qtbot.waitUntil(true, timeout=90000)

    def click(self, widget: QWidget) -> None:
        self.moves += 1
        self.qtbot.mouseClick(widget, Qt.MouseButton.LeftButton)

    def key(self, key: Qt.Key) -> None:
        self.moves += 1
        self.window.activateWindow()
        self.until(lambda: QApplication.activeWindow() is self.window)
        self.qtbot.keyClick(QApplication.focusWidget() or self.window, key)

    def type(self, words: str) -> None:
        self.moves += len(words)
        self.qtbot.keyClicks(QApplication.focusWidget() or self.window, words)


def test_from_three_questions_to_the_first_reading_of_a_real_radio(
    program: Program, qtbot: QtBot, tmp_path: Path
) -> None:
    hands = Hands(qtbot, program)
    assert hands.window.pages.currentWidget() is hands.page
    hands.click(hands.page.repaired["am"])
    hands.click(hands.page.there["tone"])
    hands.click(hands.page.there["counter"])
    assert "second radio" in hands.page.without.text() and "voice" in hands.page.without.text()
    # Another language is spoken at once, and every answer is still there.
    before = hands.window
    hands.click(hands.page.languages["de"])
    hands.until(lambda: program.window is not before and isinstance(program.window, MainWindow))
    assert hands.window.pages.currentWidget() is hands.page and hands.page.accessibleName() == "Willkommen"
    assert hands.page.repaired["am"].isChecked() and not hands.page.there["tone"].isChecked()
    before = hands.window
    hands.click(hands.page.languages["en"])
    hands.until(lambda: program.window is not before and isinstance(program.window, MainWindow))
    hands.key(Qt.Key.Key_Return)
    form = hands.window.jobs.new_job
    assert form.isVisible() and form.model.currentData() == "general:am-mobile" and form.named.hasFocus()
    hands.type("Grey one")
    hands.key(Qt.Key.Key_Return)
    hands.until(lambda: hands.window._bench is not None and hands.window._bench.view is not None)
    bench = hands.window._bench
    assert bench is not None
    bench.setFocus()
    worker = hands.window.worker
    assert worker is not None
    if not bench.view.hook_up.ok:
        hands.key(Qt.Key.Key_H)
        hands.until(lambda: bench.view.hook_up.ok)
    hands.type("0.3")
    hands.key(Qt.Key.Key_Return)
    job = bench.view.job_id
    hands.until(lambda: any(isinstance(e.said, Reading) for e in hands.window.logbook.tape(job)))
    # At three seconds a move that is two minutes.
    assert hands.moves <= 40, hands.moves
    program.close()
    again = Program(tmp_path / "new")
    again.open()
    try:
        assert isinstance(again.window, MainWindow) and again.window._welcome is None, "it is asked once"
    finally:
        again.close()


def test_a_practice_radio_first_or_neither_and_what_to_do_where_nothing_is(program: Program, qtbot: QtBot) -> None:
    hands = Hands(qtbot, program)
    hands.key(Qt.Key.Key_Escape)
    jobs = hands.window.jobs
    assert hands.window.pages.currentWidget() is jobs and jobs.first.isVisible() and jobs.list_stack.currentIndex() == 2
    jobs.find.setText("nothing")
    jobs.refresh()
    hands.until(lambda: jobs.list_stack.currentIndex() == 1)
    jobs.find.clear()
    jobs.refresh()
    hands.until(lambda: jobs.list_stack.currentIndex() == 2)
    jobs.questions_wanted.emit()
    hands.click(hands.page.repaired["broadcast"])
    hands.click(hands.page.practise)
    practising = hands.window.practising
    assert practising is not None
    hands.until(lambda: practising.attempt is not None and hands.window._bench is not None)
    assert (
        practising.attempt is not None
        and practising.attempt.exercise.skill == "vintage"
        and practising.attempt.help == "coach"
    )


@pytest.mark.parametrize("size", [(1000, 700, 1.0, "de"), (1280, 800, 1.5, "en"), (1920, 1080, 1.0, "en")])
def test_every_word_has_room(program: Program, qtbot: QtBot, size: tuple[int, int, float, str]) -> None:
    wide, high, scale, code = size
    program.speak(code)
    theme.use("day", scale)
    hands = Hands(qtbot, program)
    program.close()
    program.open()
    theme.use("day", scale)
    hands.window.resize(wide, high)
    for chip in hands.page.there.values():
        chip.click()
    qtbot.waitExposed(hands.window)
    hands.until(lambda: not cut(hands.page) and not over_each_other(hands.page))
    theme.use("day", 1.0)


def test_backups_by_themselves_are_chosen_made_at_the_start_and_told(
    program: Program, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    hands = Hands(qtbot, program)

    def started() -> bool:
        """Has the window loaded what it loads after its first paint, and asked whether a backup is due?"""
        loading, errands = hands.window._loading, hands.window.jobs._errands
        return loading.running is not None and not loading._answers and not errands._answers

    hands.until(started)
    hands.window.show_settings()
    hands.until(lambda: hands.window._workshop is not None and hands.window._workshop.settings is not None)
    box = hands.window._workshop.settings.backups
    assert not box.now.isEnabled() and box.folder.text() == "no folder chosen"
    hands.click(box.days.chips["1"])
    assert "Choose a folder" in box.words.text()
    disk = tmp_path / "disk"
    disk.mkdir()
    box.take_folder(disk)
    assert (
        box.folder.text() == str(disk)
        and box.now.isEnabled()
        and box.words.isHidden()
        and box.last.text() == "None there yet."
    )
    asked: list[Path] = []
    monkeypatch.setattr(scheduled, "backup", lambda folder, target: (asked.append(target), backup(folder, target))[1])
    hands.click(box.now)
    # Asked at the same moment by the window's own start: what is being written is not written twice.
    hands.window.jobs.back_up_if_due()
    hands.until(lambda: started() and "Backed up" in hands.window.jobs.notice.text())
    assert len(asked) == 1

    def whole() -> list[Path]:
        """What lies there once nothing is being written."""
        there = list(disk.iterdir())
        return [] if any(p.name.startswith(".") for p in there) else there

    hands.until(lambda: len(whole()) == 1)
    made = whole()
    assert len(made) == 1 and made[0].name.endswith(".unitone-backup")
    # Yesterday's is a day old: the next start makes another, and says so.
    made[0].rename(disk / "workshop-2020-01-01.unitone-backup")
    program.close()
    program.open()
    hands.until(lambda: len(whole()) == 2 and "Backed up" in hands.window.jobs.notice.text())
    for path in disk.iterdir():
        path.unlink()
    disk.rmdir()
    program.close()
    program.open()
    hands.until(lambda: "is not there: no backup was made" in hands.window.jobs.notice.text())
