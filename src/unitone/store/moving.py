"""From one logbook to another: every job with its log and pictures, the workshop's own choices, and its own sheets."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from unitone import files
from unitone.errors import StoreError
from unitone.store.exchange import export_job, import_job
from unitone.store.logbook import Logbook
from unitone.words import tr

#: What of the settings goes along: what the workshop is called and what it charges, not what stands on one bench.
_SETTINGS = ("workshop", "head", "cost")


@dataclass(frozen=True)
class Moved:
    """How many jobs were taken over, how many were there already, which got another number (old, new), and which sheets were
    not copied since the other workshop has a file of that name with another content."""

    jobs: int
    there: int
    renumbered: tuple[tuple[int, int], ...] = ()
    sheets_left: tuple[str, ...] = ()


def move(source: Logbook, target: Logbook, each: Callable[[int, int], None] = lambda done, of: None) -> Moved:
    """Copy every job that the target does not have; the source stays as it is.

    Cut short, it goes on where it stopped: each job is taken over whole. ``each`` is told how many of how many are done.
    Raises StoreError.
    """
    # Those whose number is taken come last: their new ones must not take those of the others.
    rows = sorted(source.jobs(), key=lambda r: (not target.number_is_free(r.number), r.number))
    jobs = there = 0
    renumbered: list[tuple[int, int]] = []
    for row in rows:
        if target.find_job(row.id) is not None:
            there += 1
        else:
            number, other = import_job(target, {"pictures": {}, **export_job(source, row.id)})
            jobs += 1
            if other:
                renumbered.append((row.number, number))
        each(jobs + there, len(rows))
    for key in _SETTINGS:
        chosen = source.setting(key)
        if chosen and not target.setting(key):
            target.set_setting(key, chosen)
    return Moved(jobs, there, tuple(renumbered))


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
