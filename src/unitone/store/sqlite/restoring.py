"""Moving a restored workshop into its folder so that a stop half way is finished at the next start.

What is to be moved stands in a small file first. As long as that file is there the restore is not done: whoever opens
the folder next finishes it. Each move is a rename on one disk and can be done again.
"""

from __future__ import annotations

import json
import os
import shutil
from dataclasses import dataclass
from pathlib import Path

from unitone.errors import StoreError
from unitone.files import plain_reason, read_json, write_whole
from unitone.words import tr

JOURNAL = "restore-under-way.json"
LOGBOOK = "logbook.sqlite"
#: What a workshop consists of, in the order in which it is put aside: the logbook goes when its companions have gone.
PIECES = (f"{LOGBOOK}-wal", f"{LOGBOOK}-shm", LOGBOOK, "sheets")
_LONGEST = 10_000


@dataclass(frozen=True)
class Moves:
    """Names inside the folder: where the restored workshop waits, where the old one goes, and what the restored one has."""

    fresh: str
    aside: str
    has: tuple[str, ...]


def begin(folder: Path, fresh: Path, aside: Path) -> None:
    """Write down what is going to be moved. Raises OSError."""
    has = [name for name in (LOGBOOK, "sheets") if (fresh / name).exists()]
    plan = {"fresh": fresh.relative_to(folder).as_posix(), "aside": aside.name, "has": has}
    write_whole(folder / JOURNAL, json.dumps(plan).encode())


def under_way(folder: Path) -> bool:
    """Was a restore of this folder begun and not finished?"""
    return (folder / JOURNAL).exists()


def finish(folder: Path) -> Path | None:
    """Do the moves that are left; where the old workshop lies now, None where there was none. Raises StoreError."""
    try:
        moves = _read(folder)
        fresh, aside = folder / moves.fresh, folder / moves.aside
        for name in PIECES:
            waits = name in moves.has and (fresh / name).exists()
            # What stands in the folder is the old piece as long as the new one waits, or where there is no new one
            # (companions of the logbook are the old one's as long as the new logbook waits).
            old = waits or (name not in moves.has and (fresh / LOGBOOK).exists())
            if old and (folder / name).exists():
                aside.mkdir(mode=0o700, exist_ok=True)
                if not (aside / name).exists():
                    os.rename(folder / name, aside / name)
        for name in ("sheets", LOGBOOK):
            if name in moves.has and (fresh / name).exists():
                os.rename(fresh / name, folder / name)
        _sync(folder)
        (folder / JOURNAL).unlink(missing_ok=True)
        shutil.rmtree(fresh.parent if fresh.parent != folder else fresh, ignore_errors=True)
        return aside if aside.exists() else None
    except OSError as error:
        raise StoreError(
            tr(
                "{folder}: a restore was cut short and cannot be finished ({why}). Make room, or check the permissions.",
                folder=folder,
                why=plain_reason(error),
            )
        ) from None


def _read(folder: Path) -> Moves:
    try:
        data = read_json(folder / JOURNAL, _LONGEST)
        moves = Moves(str(data["fresh"]), str(data["aside"]), tuple(str(x) for x in data["has"]))
    except (ValueError, KeyError, TypeError):
        raise StoreError(
            tr(
                "{x}: is damaged, so a restore cannot be finished. Look for the workshop in the folders before-restore-… and .restore-…, then "
                "delete that file.",
                x=folder / JOURNAL,
            )
        ) from None
    if any(".." in Path(x).parts or Path(x).is_absolute() for x in (moves.fresh, moves.aside, *moves.has)):
        raise StoreError(tr("{x}: names places outside its folder. Delete it.", x=folder / JOURNAL))
    return moves


def _sync(folder: Path) -> None:
    """Renames are on disk when the folder is."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
