"""From one logbook to another: every job with its log and pictures, the workshop's own choices, and its own sheets."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from hashlib import sha256
from pathlib import Path

from ulid import ULID

from unitone import files
from unitone.errors import StoreError
from unitone.store.backup import restore
from unitone.store.exchange import export_job, import_job
from unitone.store.logbook import Logbook
from unitone.store.places import copy_folder, is_server, open_place
from unitone.words import tr

#: What of the settings goes along: what the workshop is called and what it charges, not what stands on one bench.
_SETTINGS = ("workshop", "head", "cost")


@dataclass(frozen=True)
class Moved:
    """How many jobs were taken over, how many were there already and had nothing new, which got another number (old, new),
    which sheets were not copied since the other workshop has a file of that name with another content, and how many of the
    jobs taken over were there and have gone on."""

    jobs: int
    there: int
    renumbered: tuple[tuple[int, int], ...] = ()
    sheets_left: tuple[str, ...] = ()
    gone_on: int = 0


def move(source: Logbook, target: Logbook, each: Callable[[int, int], None] = lambda done, of: None) -> Moved:
    """Copy every job that the target does not have, and what was logged since in those that it has; the source stays.

    A job that went on in both is copied beside the other, under a number of its own.
    Cut short, it goes on where it stopped: each job is taken over whole. ``each`` is told how many of how many are done.
    Raises StoreError.
    """
    # Those whose number is taken come last: their new ones must not take those of the others.
    rows = sorted(source.jobs(), key=lambda r: (not target.number_is_free(r.number), r.number))
    jobs = there = gone_on = 0
    renumbered: list[tuple[int, int]] = []
    for row in rows:
        if target.find_job(row.id) is None:
            number, other = import_job(target, {"pictures": {}, **export_job(source, row.id)})
            jobs += 1
            if other:
                renumbered.append((row.number, number))
        elif (copied := _go_on(source, target, row.id)) is None:
            there += 1
        else:
            jobs, gone_on = jobs + 1, gone_on + 1
            if copied:
                renumbered.append((row.number, copied))
        each(jobs + there, len(rows))
    for key in _SETTINGS:
        chosen = source.setting(key)
        if chosen and not target.setting(key):
            target.set_setting(key, chosen)
    return Moved(jobs, there, tuple(renumbered), gone_on=gone_on)


def _go_on(source: Logbook, target: Logbook, job_id: str) -> int | None:
    """Bring a job that is there up to date; None where there is nothing new, 0 where it went on, or the number of a copy
    beside it where both have gone on."""
    ours, theirs = ([e.id for e in book.tape(job_id)] for book in (source, target))
    if ours == theirs[: len(ours)]:
        return None
    item = {"pictures": {}, **export_job(source, job_id)}
    if theirs == ours[: len(theirs)]:
        target.extend_job(item, len(theirs))
        return 0
    # The same copy a second time is none.
    made = str(ULID.from_bytes(sha256(ours[-1].encode()).digest()[:16]))
    if target.find_job(made) is not None:
        return None
    tape = [{**e, "id": str(ULID())} for e in item["tape"]]
    return import_job(target, {**item, "job": {**item["job"], "id": made}, "tape": tape})[0]


def copy_sheets(source: Path, target: Path) -> tuple[str, ...]:
    """Copy a workshop's own sheets from one ``sheets`` folder to another; the files that are there with another content.

    Raises StoreError where the target cannot be written.
    """
    left = []
    try:
        for path in sorted(source.rglob("*")) if source.is_dir() else []:
            if path.is_symlink() or not path.is_file():
                continue
            goes = target / path.relative_to(source)
            if not goes.exists():
                files.private_folder(goes.parent)
                shutil.copyfile(path, goes)
            elif files.read_bytes(goes, files.PRIVATE_LARGEST) != files.read_bytes(path, files.PRIVATE_LARGEST):
                left.append(path.relative_to(source).as_posix())
    except OSError as error:
        raise StoreError(
            tr("{target}: the sheets cannot be copied ({why}).", target=target, why=files.plain_reason(error))
        ) from None
    return tuple(left)


def move_places(source: str | Path, target: str | Path) -> Moved:
    """``move`` and ``copy_sheets`` from a folder or server to another. Raises StoreError, LogbookBusy, ServerAway."""
    with open_place(source, read_only=True) as book, _writable(target) as other:
        moved = move(book, other)
    left = copy_sheets(sheets_of(source), sheets_of(target))
    return replace(moved, sheets_left=left)


def restore_to_server(file: Path, address: str) -> Moved:
    """The jobs of a backup that a shared logbook lacks, and its sheets. Raises StoreError, ServerAway."""
    with tempfile.TemporaryDirectory(prefix="unitone-restore-") as place:
        folder = Path(place) / "workshop"
        restore(file, folder)
        return move_places(folder, address)


def sheets_of(place: str | Path) -> Path:
    """The folder of a workshop's own sheets."""
    return (copy_folder(str(place)) if is_server(place) else Path(place)) / "sheets"


def _writable(place: str | Path) -> Logbook:
    """A server is written to at once, not by way of a copy: jobs keep their numbers where these are free."""
    if not is_server(place):
        return Logbook(Path(place))
    from unitone.store.postgres.server import Server

    return Logbook(Server(str(place)))
