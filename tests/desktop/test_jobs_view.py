"""The Jobs view's errands: a long list, backup and restore, one job in and out, archive, and a logbook that is damaged."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from desktop.conftest import Desk
from unitone.desktop.features.jobs.cards import PAGE, describe_state
from unitone.desktop.features.jobs.page import JobsPage
from unitone.desktop.shell.app import Program, Refused, make_application
from unitone.desktop.shell.window import MainWindow
from unitone.job.card import Card
from unitone.session.session import Session, open_job
from unitone.store.backup import backup
from unitone.store.logbook import Logbook
from unitone.store.sqlite.reading import FILE_NAME

pytestmark = pytest.mark.window
TARN = "ostrel-tarn-40"


def choose(page: JobsPage, number: int) -> None:
    """Choose a job of the list."""
    at = next(n for n, row in enumerate(page.model.rows) if row.number == number)
    page.list.setCurrentIndex(page.model.index(at))


def test_a_long_list_is_read_page_by_page(desk: Desk) -> None:
    for number in range(150, 150 + 2 * PAGE):
        open_job(desk.logbook, TARN, Card(number, TARN, f"40-{number}", complaint="one of many"))
    page = desk.window.jobs
    page.refresh()
    assert page.model.rowCount() == PAGE and page.model.canFetchMore()
    desk.until(lambda: (page.list.scrollToBottom(), page.model.rowCount() > 2 * PAGE)[1])
    desk.until(lambda: (page.list.scrollToBottom(), not page.model.canFetchMore())[1])
    assert page.model.rowCount() == 2 * PAGE + 13 and len({r.id for r in page.model.rows}) == page.model.rowCount()
    page.find.setText("many")
    desk.until(
        lambda: page.model.rowCount() >= PAGE and {r.card["complaint"] for r in page.model.rows} == {"one of many"}
    )


def test_archive_later_and_back(desk: Desk) -> None:
    page = desk.window.jobs
    choose(page, 147)
    names = {a.text(): a for a in page.menu.actions() if a.text()}
    assert set(names) >= {
        "Back up the workshop…",
        "Restore a backup…",
        "Import a job…",
        "Leave this job for later",
    }
    names["Leave this job for later"].trigger()
    desk.until(
        lambda: desk.logbook.job("147").status == "later" and describe_state(page.current())[1] == "left for later"
    )  # type: ignore[arg-type]
    names["Archive, or bring back"].trigger()
    desk.until(lambda: desk.logbook.job("147").status == "archived")
    page.find.setText("cousin never")
    desk.until(lambda: [r.number for r in page.model.rows] == [147])
    names["Archive, or bring back"].trigger()
    desk.until(lambda: desk.logbook.job("147").status == "open")


def test_the_list_changes_the_job_that_lies_on_the_bench_through_the_bench(desk: Desk) -> None:
    desk.open(147)
    seq = desk.logbook.tape(desk.logbook.job("147").id)[-1].seq
    desk.window.show_place("jobs")
    page = desk.window.jobs
    choose(page, 147)
    page.job.status.emit("waiting", "waits for a core")
    desk.until(lambda: desk.logbook.job("147").status == "waiting")
    desk.open(147)
    desk.after(lambda: desk.window.worker.do(lambda s: s.note("still one tape")))  # type: ignore[union-attr]
    tape = desk.logbook.tape(desk.logbook.job("147").id)
    assert [e.kind for e in tape[seq:]] == ["status", "note"] and [e.seq for e in tape] == list(range(1, len(tape) + 1))


def test_one_job_goes_out_and_comes_in(desk: Desk, tmp_path: Path) -> None:
    page, out = desk.window.jobs, tmp_path / "job.json"
    choose(page, 147)
    page.write_out(out, True)
    desk.until(lambda: "Written" in page.notice.text())
    assert "allotment society" not in out.read_text(encoding="utf-8")
    page.take_in(out)
    desk.until(lambda: "here already, as job 0147" in page.notice.text())
    page.write_out(tmp_path / "no" / "job.json", False)
    desk.until(lambda: "cannot be written" in page.notice.text())
    with Logbook(tmp_path / "other") as other:
        session = Session(other, open_job(other, TARN, Card(147, TARN, "40-9999", complaint="from elsewhere")))
        session.keep_summary()
        from unitone.store.exchange import write_job

        write_job(other, session.job_id, out)
    page.take_in(out)
    desk.until(lambda: "Imported as job 0150. Its own number is already used here." in page.notice.text())
    assert page.current().card["complaint"] == "from elsewhere"  # type: ignore[union-attr]


def test_a_backup_is_written_while_the_bench_works(desk: Desk, tmp_path: Path) -> None:
    desk.open(147)
    for n in range(30):
        desk.window.worker.do(lambda s, n=n: s.note(f"during the backup {n}"))  # type: ignore[union-attr,misc]
    page = desk.window.jobs
    page.back_up(tmp_path / "copy.zip")
    desk.until(lambda: "Backed up: 38 jobs" in page.notice.text())
    page.back_up(Path("/proc/none/copy.zip"))
    desk.until(lambda: "cannot be written" in page.notice.text())


@pytest.fixture
def program(qtbot: QtBot, tmp_path: Path) -> Iterator[Program]:
    make_application()
    with Logbook(tmp_path / "book") as book:
        for number in range(1, 13):
            session = Session(book, open_job(book, TARN, Card(number, TARN, f"40-{number}", complaint="hums")))
            for n in range(25):
                session.note(f"note {n} " + "words " * 40)
            session.keep_summary()
    made = Program(tmp_path / "book")
    yield made
    made.close()
    qtbot.wait(20)


def test_a_backup_is_restored_in_the_same_run(program: Program, qtbot: QtBot, tmp_path: Path) -> None:
    backup(tmp_path / "book", tmp_path / "copy.zip")
    program.open()
    first = program.window
    assert isinstance(first, MainWindow)
    open_job(first.logbook, TARN, Card(13, TARN, complaint="after the backup"))
    first.restore_wanted.emit(tmp_path / "copy.zip")
    qtbot.waitUntil(lambda: isinstance(program.window, MainWindow) and program.window is not first, timeout=90000)
    window = program.window
    assert isinstance(window, MainWindow) and window.jobs.model.rowCount() == 12
    assert "Restored: 12 jobs. What was here lies in" in window.jobs.notice.text()
    aside = next((tmp_path / "book").glob("before-restore-*"))
    with Logbook(aside, read_only=True) as kept:
        assert len(kept.jobs()) == 13, "nothing is lost"
    window.restore_wanted.emit(tmp_path / "none.zip")
    qtbot.waitUntil(lambda: isinstance(program.window, MainWindow) and program.window is not window, timeout=90000)
    assert "there is no such file" in program.window.jobs.notice.text() and program.window.jobs.model.rowCount() == 12  # type: ignore[union-attr]


def test_a_damaged_logbook_is_read_and_not_written(program: Program, qtbot: QtBot, tmp_path: Path) -> None:
    import sqlite3

    backup(tmp_path / "book", tmp_path / "copy.zip")
    path = tmp_path / "book" / FILE_NAME
    raw = sqlite3.connect(path)
    raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    root = raw.execute("SELECT rootpage FROM sqlite_master WHERE name = 'job_status'").fetchone()[0]
    raw.close()
    content = bytearray(path.read_bytes())
    # The index that the list's counts are read from.
    content[(root - 1) * 4096 : root * 4096] = b"\x55" * 4096
    path.write_bytes(bytes(content))
    program.open()
    window = program.window
    assert isinstance(window, MainWindow) and window.jobs.model.rowCount() == 12
    notice = window.jobs.notice.text()
    assert "is damaged" in notice and "12 jobs can be read" in notice and "copy.zip" in notice
    window.jobs.job.status.emit("waiting", "x")
    qtbot.waitUntil(lambda: "open for reading only" in window.jobs.job.message.text(), timeout=90000)
    window.other_theme()
    window.jobs.back_up(tmp_path / "worse.zip")
    assert "cannot be backed up" in window.jobs.notice.text() and not (tmp_path / "worse.zip").exists()
    window.restore_wanted.emit(tmp_path / "copy.zip")
    qtbot.waitUntil(lambda: isinstance(program.window, MainWindow) and program.window is not window, timeout=90000)
    assert program.window.jobs.model.rowCount() == 12 and not program.window.logbook.frozen  # type: ignore[union-attr]


def test_a_logbook_of_a_newer_unitone_is_left_alone_with_words(
    program: Program, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    import sqlite3

    path = tmp_path / "book" / FILE_NAME
    with sqlite3.connect(path) as raw:
        raw.execute("UPDATE alembic_version SET version_num = '9999'")
    raw.close()
    before = path.read_bytes()
    program.open()
    assert isinstance(program.window, Refused) and "newer Unitone" in program.window.words.text() and program.code == 3
    assert path.read_bytes() == before and "newer Unitone" in capsys.readouterr().err
    assert [b.text() for b in program.window.findChildren(QPushButton)] == ["Restore a backup…", "Close"]


def test_a_board_of_several_names_is_one_sheet(desk: Desk) -> None:
    desk.key(Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    form = desk.window.jobs.new_job
    at = next(n for n in range(form.model.count()) if form.model.itemText(n).startswith("Ostrel Fen 40,"))
    form.model.setCurrentIndex(at)
    desk.qtbot.mouseClick(form.open, Qt.MouseButton.LeftButton)
    desk.until(lambda: desk.window._bench is not None and desk.bench.view is not None and desk.bench.view.number == 150)
    row = desk.logbook.job("150")
    assert row.radio == "Ostrel Fen 40" and row.card["sheet_id"] == TARN


def test_a_model_is_found_by_its_letters_and_never_taken_for_another(desk: Desk) -> None:
    desk.key(Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    form = desk.window.jobs.new_job
    before = form.model.currentText()
    line = form.model.lineEdit()
    assert line is not None
    for typed, chosen in (("zeppelin", before), ("no sheet am", "No sheet: AM mobile")):
        line.setText(typed)
        form.make()
        assert form.model.currentText().startswith(chosen) and desk.window._bench is None, (
            "no job is opened by letters alone"
        )
        assert ("No model has" in form.message.text()) == (typed == "zeppelin")
    form.named.setText("an old mobile")
    form.make()
    desk.until(lambda: desk.window._bench is not None and desk.bench.view is not None and desk.bench.view.number == 150)
    assert "an old mobile" in desk.bench.title.text()
