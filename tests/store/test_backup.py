"""Backup and restore: consistent while a bench writes, whole or not at all, and nothing is ever overwritten."""

from __future__ import annotations

import threading
import zipfile
from pathlib import Path

import pytest

from unitone.cli.commands import run
from unitone.errors import LogbookBusy, StoreError
from unitone.job.card import Card
from unitone.session.session import Session, open_job
from unitone.sheet.format.bundle import Bundle
from unitone.sheet.library import Library, find
from unitone.store.backup import backup, restore
from unitone.store.logbook import Logbook
from unitone.store.sqlite.reading import FILE_NAME

SHEET = "ostrel-tarn-40"


def workshop(folder: Path, jobs: int = 2) -> None:
    with Logbook(folder) as book:
        for number in range(1, jobs + 1):
            Session(book, open_job(book, SHEET, Card(number, SHEET, f"40-{number}"))).note(f"note {number}")
    library = Library(folder / "sheets")
    library.save("mine", Bundle(find(SHEET).read_text(encoding="utf-8")))
    library.keep_draft("mine", Bundle("x = 1"))


def test_a_workshop_comes_back_and_the_other_is_put_aside(tmp_path: Path) -> None:
    workshop(tmp_path / "a")
    assert backup(tmp_path / "a", tmp_path / "kept" / "a.zip").jobs == 2
    workshop(tmp_path / "b", 5)
    jobs, aside = restore(tmp_path / "kept" / "a.zip", tmp_path / "b")
    assert jobs == 2 and aside is not None
    with Logbook(tmp_path / "b") as book:
        assert [r.number for r in book.jobs("note")] == [2, 1] and book.integrity() == "ok"
    with Logbook(aside) as book:
        assert len(book.jobs()) == 5
    library = Library(tmp_path / "b" / "sheets")
    assert [p.stem for p in library.own()] == ["mine"] and library.draft_of("mine") == Bundle("x = 1")
    assert restore(tmp_path / "kept" / "a.zip", tmp_path / "new")[1] is None


def test_a_backup_taken_while_a_bench_writes_is_consistent(tmp_path: Path) -> None:
    with Logbook(tmp_path / "a") as book:
        session = Session(book, open_job(book, SHEET, Card(1, SHEET)))
        stop = threading.Event()

        def write() -> None:
            while not stop.is_set():
                session.note("burst")

        writer = threading.Thread(target=write)
        writer.start()
        try:
            for n in range(4):
                assert backup(tmp_path / "a", tmp_path / f"{n}.zip").jobs == 1
        finally:
            stop.set()
            writer.join()
        # Everything up to one entry is there, in order, without a gap.
        for n in range(4):
            restore(tmp_path / f"{n}.zip", tmp_path / f"back{n}")
            with Logbook(tmp_path / f"back{n}") as kept:
                seqs = [e.seq for e in kept.tape(session.job_id)]
                assert seqs == list(range(1, len(seqs) + 1)) and kept.integrity() == "ok"


def test_nothing_changes_where_a_restore_cannot_be(tmp_path: Path) -> None:
    workshop(tmp_path / "a")
    before = (tmp_path / "a" / FILE_NAME).read_bytes()
    (tmp_path / "no.zip").write_bytes(b"not a zip")
    with zipfile.ZipFile(tmp_path / "evil.zip", "w") as archive:
        archive.writestr("../outside", b"x")
    with zipfile.ZipFile(tmp_path / "empty.zip", "w") as archive:
        archive.writestr("sheets/a.toml", b"x")
    with zipfile.ZipFile(tmp_path / "damaged.zip", "w") as archive:
        archive.writestr(FILE_NAME, b"SQLite format 3\x00" + b"junk" * 400)
    for name, says in (
        ("no", "is not a complete backup"),
        ("evil", "does not belong"),
        ("empty", "no logbook"),
        ("damaged", r"damaged|cannot be opened"),
        ("gone", "no such file"),
    ):
        with pytest.raises(StoreError, match=says):
            restore(tmp_path / f"{name}.zip", tmp_path / "a")
    assert (tmp_path / "a" / FILE_NAME).read_bytes() == before and not (tmp_path / "outside").exists()
    backup(tmp_path / "a", tmp_path / "good.zip")
    with Logbook(tmp_path / "a"), pytest.raises(LogbookBusy):
        restore(tmp_path / "good.zip", tmp_path / "a")
    with pytest.raises(StoreError, match="no logbook"):
        backup(tmp_path / "nowhere", tmp_path / "x.zip")
    (tmp_path / "file").write_bytes(b"")
    with pytest.raises(StoreError, match="cannot be written"):
        backup(tmp_path / "a", tmp_path / "file" / "x.zip")


def test_the_commands(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    workshop(tmp_path / "a")
    assert run(["--workspace", str(tmp_path / "a"), "backup", str(tmp_path / "k.zip")]) == 0
    assert run(["restore", str(tmp_path / "k.zip"), "--workspace", str(tmp_path / "a")]) == 0
    assert "2 jobs; what was there lies in" in capsys.readouterr().out
    assert run(["--workspace", str(tmp_path / "a"), "restore", str(tmp_path / "none.zip")]) == 3
    assert "no such file" in capsys.readouterr().err
