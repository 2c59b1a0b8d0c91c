"""Backup and restore of a whole workshop: its logbook and its own sheets, in one zip.

The logbook is copied with SQLite's own online backup, so that a copy taken while
a bench is writing is consistent (https://www.sqlite.org/backup.html).
"""

from __future__ import annotations

import os
import shutil
import sqlite3
import tempfile
import zipfile
from contextlib import closing
from pathlib import Path

from filelock import FileLock, Timeout

from unitone.errors import LogbookBusy, StoreError
from unitone.store.logbook import FILE_NAME, Logbook, utc_now
from unitone.store.salvage import note_backup

_SHEETS = "sheets"
#: What a backup may unpack to; a workshop of years stays far below it.
MAX_TOTAL = 20_000_000_000
_CHUNK = 1 << 20


def backup(folder: Path, target: Path) -> int:
    """Write the workshop in ``folder`` to the zip ``target``; returns how many jobs are in it.

    May run while a window has the logbook open. The old file stays until the new
    one is whole. Raises StoreError.
    """
    source = folder / FILE_NAME
    if not source.is_file():
        raise StoreError(f"There is no logbook in {folder}. Name its folder with --workspace.")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=target.parent, prefix=".backup-") as place:
            copy = Path(place) / FILE_NAME
            with (
                closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as live,
                closing(sqlite3.connect(copy)) as kept,
            ):
                live.backup(kept)
                if kept.execute("PRAGMA integrity_check").fetchone()[0] != "ok":
                    raise StoreError(
                        f"The logbook in {folder} is damaged: no backup was written. Keep the older backups."
                    )
                jobs = int(kept.execute("SELECT count(*) FROM job").fetchone()[0])
            made = Path(place) / "whole.zip"
            with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
                archive.write(copy, FILE_NAME)
                sheets = folder / _SHEETS
                for path in sorted(sheets.rglob("*")) if sheets.is_dir() else []:
                    if path.is_file():
                        archive.write(path, f"{_SHEETS}/{path.relative_to(sheets).as_posix()}")
            os.replace(made, target)
        note_backup(folder, target, utc_now())
    except sqlite3.DatabaseError as error:
        raise StoreError(f"The logbook in {folder} cannot be read ({error}). No backup was written.") from None
    except OSError as error:
        raise StoreError(f"{target}: cannot be written ({error.strerror}). Choose another place.") from None
    return jobs


def restore(source: Path, folder: Path) -> tuple[int, Path | None]:
    """Bring the workshop in the zip ``source`` into ``folder``; (jobs in it, where the one that was there lies now).

    Nothing is overwritten: a workshop that is there already is put aside whole.
    Raises LogbookBusy when a window has it open, StoreError for a file that is no
    backup, is damaged, or comes from a newer version; then nothing has changed.
    """
    folder.mkdir(parents=True, exist_ok=True)
    lock = FileLock(folder / "logbook.lock")
    try:
        lock.acquire(timeout=0)
    except Timeout:
        raise LogbookBusy.at(str(folder)) from None
    try:
        with tempfile.TemporaryDirectory(dir=folder.parent, prefix=".restore-") as place:
            fresh = Path(place) / "workshop"
            _unpack(source, fresh)
            jobs = _look(fresh, source)
            aside = _put_aside(folder)
            for item in (FILE_NAME, _SHEETS):
                if (fresh / item).exists():
                    shutil.move(fresh / item, folder / item)
    except OSError as error:
        raise StoreError(f"{source}: cannot be restored ({error.strerror}). Nothing was overwritten.") from None
    finally:
        lock.release()
    return jobs, aside


def _unpack(source: Path, fresh: Path) -> None:
    total = 0
    try:
        with zipfile.ZipFile(source) as archive:
            for info in archive.infolist():
                parts = info.filename.split("/")
                inside = info.filename == FILE_NAME or (parts[0] == _SHEETS and 2 <= len(parts) <= 3)
                if not inside or ".." in parts or "" in parts or "\\" in info.filename:
                    raise StoreError(
                        f"{source}: {info.filename!r} does not belong in a backup. It is none of Unitone's."
                    )
                target = fresh.joinpath(*parts)
                target.parent.mkdir(parents=True, exist_ok=True)
                with archive.open(info) as packed, target.open("wb") as out:
                    while chunk := packed.read(_CHUNK):
                        total += len(chunk)
                        if total > MAX_TOTAL:
                            raise StoreError(f"{source}: unpacks to far more than a workshop. Do not use this file.")
                        out.write(chunk)
    except (zipfile.BadZipFile, EOFError, RuntimeError):
        raise StoreError(f"{source}: is no whole backup (zip). Use another one.") from None
    except FileNotFoundError:
        raise StoreError(f"{source}: there is no such file. Check its name.") from None


def _look(fresh: Path, source: Path) -> int:
    """Open what was unpacked as a logbook: whole, ours, and not from a newer version."""
    if not (fresh / FILE_NAME).is_file():
        raise StoreError(f"{source}: holds no logbook. It is no backup of Unitone.")
    with Logbook(fresh) as book:
        if book.integrity() != "ok":
            raise StoreError(f"{source}: the logbook in it is damaged. Use an older backup.")
        jobs = len(book.jobs())
    for leftover in fresh.glob(f"{FILE_NAME}-*"):
        leftover.unlink()
    return jobs


def _put_aside(folder: Path) -> Path | None:
    if not (folder / FILE_NAME).exists():
        return None
    stamp = utc_now().replace(":", "-").partition(".")[0]
    aside = folder / f"before-restore-{stamp}"
    number = 2
    while aside.exists():
        aside, number = folder / f"before-restore-{stamp}-{number}", number + 1
    aside.mkdir()
    for name in (FILE_NAME, f"{FILE_NAME}-wal", f"{FILE_NAME}-shm", _SHEETS):
        if (folder / name).exists():
            shutil.move(folder / name, aside / name)
    return aside
