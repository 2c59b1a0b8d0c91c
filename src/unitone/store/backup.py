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
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from unitone import files
from unitone.errors import StoreError
from unitone.store.logbook import Logbook, utc_now
from unitone.store.salvage import note_backup
from unitone.store.sqlite import restoring
from unitone.store.sqlite.lock import FolderLock
from unitone.store.sqlite.reading import FILE_NAME, open_for_reading
from unitone.words import tr

_SHEETS = "sheets"
#: What a backup may unpack to; a workshop of years stays far below it.
MAX_TOTAL = 20_000_000_000
_MOST_FILES, _DEEPEST, _LONGEST_NAME = 100_000, 12, 200
_CHUNK = 1 << 20
#: What SQLite says where the disk that it writes to is full or fails.
_WRITING = (sqlite3.SQLITE_FULL, sqlite3.SQLITE_IOERR, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_READONLY)


@dataclass(frozen=True)
class BackedUp:
    """How many jobs are in a backup, and which files of the sheets' folder are not, each with the reason."""

    jobs: int
    left_out: tuple[str, ...] = ()


def backup(folder: Path, target: Path) -> BackedUp:
    """Write the workshop in ``folder`` to the zip ``target``, readable by its owner alone.

    May run while a window has the logbook open, and on media that cannot be written. The
    old file stays until the new one is whole. Everything in the backup can be restored; what cannot
    be (links, odd names) is left out and named. Raises StoreError.
    """
    if not (folder / FILE_NAME).is_file():
        raise StoreError(tr("There is no logbook in {folder}. Name its folder with --workspace.", folder=folder))
    left_out: list[str] = []
    sheets = list(_sheet_files(folder / _SHEETS, left_out))
    try:
        files.check_target(target)
        files.private_folder(target.parent)
        with tempfile.TemporaryDirectory(dir=target.parent, prefix=".backup-") as place:
            copy, made = Path(place) / FILE_NAME, Path(place) / "whole.zip"
            jobs = _copy(folder, copy, target)
            with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED, strict_timestamps=False) as archive:
                archive.write(copy, FILE_NAME)
                for path, name in sheets:
                    try:
                        content = files.read_bytes(path, files.PRIVATE_LARGEST)
                    except OSError as error:
                        left_out.append(f"{name}: {files.plain_reason(error)}")
                        continue
                    archive.writestr(name, content, zipfile.ZIP_DEFLATED)
            os.chmod(made, files.PRIVATE_FILE)
            os.replace(made, target)
    except OSError as error:
        raise StoreError(
            tr(
                "{target}: cannot be written ({why}). Choose another place.",
                target=target,
                why=files.plain_reason(error),
            )
        ) from None
    note_backup(folder, target, utc_now())
    return BackedUp(jobs, tuple(left_out))


def _copy(folder: Path, copy: Path, target: Path) -> int:
    """Copy the logbook; how many jobs are in it. A full disk under the copy is not the logbook's fault. Raises StoreError."""
    with open_for_reading(folder) as live, closing(sqlite3.connect(copy)) as kept:
        try:
            live.backup(kept)
            sound = kept.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
            jobs = int(kept.execute("SELECT count(*) FROM job").fetchone()[0]) if sound else 0
        except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
            if getattr(error, "sqlite_errorcode", 0) & 0xFF in _WRITING:
                raise StoreError(
                    tr(
                        "{target}: cannot be written ({error}). Make room there, or choose another place.",
                        target=target,
                        error=error,
                    )
                ) from None
            raise StoreError(
                tr(
                    "The logbook in {folder} cannot be read ({error}). No backup was written.",
                    folder=folder,
                    error=error,
                )
            ) from None
    if not sound:
        raise StoreError(
            tr("The logbook in {folder} is damaged: no backup was written. Keep the older backups.", folder=folder)
        )
    return jobs


def _sheet_files(sheets: Path, left_out: list[str]) -> Iterator[tuple[Path, str]]:
    """The plain files under the sheets' folder with their names in the zip; what cannot be restored is named instead."""
    if not sheets.is_dir() or sheets.is_symlink():
        return
    for top, folders, names in os.walk(
        sheets, onerror=lambda e: left_out.append(f"{_SHEETS}: {files.plain_reason(e)}")
    ):
        folders.sort()
        for name in [*folders]:
            if (Path(top) / name).is_symlink():
                folders.remove(name)
                left_out.append(tr("{shown}: it is a link", shown=_shown(Path(top, name), sheets)))
        for name in sorted(names):
            path = Path(top, name)
            shown = _shown(path, sheets)
            inside = f"{_SHEETS}/{path.relative_to(sheets).as_posix()}"
            if words := _unfit(inside) or files.kind_of(path.lstat().st_mode):
                left_out.append(f"{shown}: {words}")
            else:
                yield path, inside


def _shown(path: Path, sheets: Path) -> str:
    return str(path.relative_to(sheets.parent)).encode("utf-8", "replace").decode()


def _unfit(name: str) -> str:
    """Why a name cannot be in a backup; empty where it can. The same rule serves both ways."""
    parts = name.split("/")
    try:
        name.encode("utf-8")
    except UnicodeEncodeError:
        return tr("its name is not text")
    if "\\" in name or ":" in parts[0] or any(ord(c) < 32 or ord(c) == 127 for c in name):
        return tr("its name has a backslash or a control character")
    if len(parts) > _DEEPEST or any(len(p.encode()) > _LONGEST_NAME for p in parts):
        return tr("its name is too long, or it lies too deep")
    return ""


def restore(source: Path, folder: Path) -> tuple[int, Path | None]:
    """Bring the workshop in the zip ``source`` into ``folder``; (jobs in it, where the one that was there lies now).

    Nothing is overwritten: a workshop that is there already is put aside whole. Cut short at any moment, it is
    finished when the folder is opened next. Raises LogbookBusy when a window has it open, StoreError for a file that is no
    backup, is damaged, or comes from a newer version; then nothing has changed.
    """
    lock = FolderLock(folder)
    try:
        if restoring.under_way(folder):
            restoring.finish(folder)
        place = Path(tempfile.mkdtemp(dir=folder, prefix=".restore-"))
        try:
            fresh = place / "workshop"
            _unpack(source, fresh)
            jobs = _look(fresh, source)
            restoring.begin(folder, fresh, _aside(folder))
        except BaseException:
            shutil.rmtree(place, ignore_errors=True)
            raise
        aside = restoring.finish(folder)
    except OSError as error:
        reason = files.plain_reason(error)
        raise StoreError(
            tr("{source}: cannot be restored ({reason}). Nothing was overwritten.", source=source, reason=reason)
        ) from None
    finally:
        lock.release()
    return jobs, aside


def _unpack(source: Path, fresh: Path) -> None:
    total = 0
    try:
        with files.open_zip(source, MAX_TOTAL, 50_000_000) as archive:
            infos = archive.infolist()
            if len(infos) > _MOST_FILES:
                raise StoreError(
                    tr("{source}: has {n} files. It is not a backup of Unitone.", source=source, n=len(infos))
                )
            for info in infos:
                parts = info.filename.split("/")
                inside = info.filename == FILE_NAME or (parts[0] == _SHEETS and len(parts) >= 2)
                if not inside or ".." in parts or "" in parts or "." in parts or _unfit(info.filename):
                    raise StoreError(
                        tr(
                            "{source}: {filename!r} does not belong in a backup. It is none of Unitone's.",
                            source=source,
                            filename=info.filename,
                        )
                    )
                target = fresh.joinpath(*parts)
                files.private_folder(target.parent)
                handle = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, files.PRIVATE_FILE)
                with archive.open(info) as packed, os.fdopen(handle, "wb") as out:
                    while chunk := packed.read(_CHUNK):
                        total += len(chunk)
                        if total > MAX_TOTAL:
                            raise StoreError(
                                tr(
                                    "{source}: unpacks to far more than a workshop. Do not use this file.",
                                    source=source,
                                )
                            )
                        out.write(chunk)
    except files.BAD_ZIP:
        raise StoreError(tr("{source}: is not a complete backup (zip). Use another one.", source=source)) from None
    except FileNotFoundError:
        raise StoreError(tr("{source}: there is no such file. Check its name.", source=source)) from None
    except FileExistsError:
        raise StoreError(tr("{source}: has a file twice. It is not a backup of Unitone.", source=source)) from None


def _look(fresh: Path, source: Path) -> int:
    """Open what was unpacked as a logbook: whole, ours, and not from a newer version."""
    if not (fresh / FILE_NAME).is_file():
        raise StoreError(tr("{source}: has no logbook. It is not a backup of Unitone.", source=source))
    with Logbook(fresh) as book:
        if book.integrity() != "ok":
            raise StoreError(tr("{source}: the logbook in it is damaged. Use an older backup.", source=source))
        jobs = len(book.jobs())
    for leftover in [*fresh.glob(f"{FILE_NAME}-*"), *fresh.glob("*.lock")]:
        leftover.unlink()
    return jobs


def _aside(folder: Path) -> Path:
    """A folder that is not there yet, for the workshop that is."""
    stamp = utc_now().replace(":", "-").partition(".")[0]
    aside, number = folder / f"before-restore-{stamp}", 2
    while aside.exists():
        aside, number = folder / f"before-restore-{stamp}-{number}", number + 1
    return aside
