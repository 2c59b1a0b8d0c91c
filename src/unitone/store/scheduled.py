"""Backups by themselves: every so many days into a folder of their own, the newest kept."""

from __future__ import annotations

import datetime
import re
from dataclasses import dataclass
from pathlib import Path

from unitone.errors import StoreError
from unitone.store.backup import BackedUp, backup
from unitone.store.ports import Store
from unitone.words import tr

#: So many are kept; older ones of this name go. Whatever else lies in the folder is left alone.
KEPT = 10
_NAME = re.compile(r"^workshop-(\d{4}-\d\d-\d\d)\.unitone-backup$")
_SETTING = "backups"


@dataclass(frozen=True)
class Schedule:
    """Where to, and every how many days; 0 is never."""

    folder: str = ""
    days: int = 0


def schedule_of(book: Store) -> Schedule:
    """What was chosen; never, where that is damaged."""
    kept = book.setting(_SETTING) or {}
    try:
        return Schedule(str(kept.get("folder", "")), max(0, int(kept.get("days", 0))))
    except (AttributeError, TypeError, ValueError):
        return Schedule()


def set_schedule(book: Store, chosen: Schedule) -> None:
    """Keep it. Raises StoreError."""
    book.set_setting(_SETTING, {"folder": chosen.folder, "days": chosen.days})


def backups_in(folder: Path) -> list[tuple[datetime.date, Path]]:
    """The backups of ours in a folder, oldest first; none where it is not there."""
    found = []
    try:
        names = list(folder.iterdir())
    except OSError:
        return []
    for path in names:
        match = _NAME.match(path.name)
        if match is not None and path.is_file():
            try:
                found.append((datetime.date.fromisoformat(match[1]), path))
            except ValueError:
                continue
    return sorted(found)


def is_due(chosen: Schedule, today: datetime.date) -> bool:
    """Is it time for the next one? A clock that was put back does not stop it."""
    if not chosen.days or not chosen.folder:
        return False
    there = [day for day, _ in backups_in(Path(chosen.folder)) if day <= today]
    return not there or (today - there[-1]).days >= chosen.days


def run_if_due(workshop: Path, chosen: Schedule, today: datetime.date) -> tuple[Path, BackedUp] | None:
    """Today's backup where it is time for one, else None. The folder is looked at here, once whatever wrote there is done:
    asked for ahead of that, two would be made. Raises StoreError as `run_schedule` does."""
    return run_schedule(workshop, chosen, today) if is_due(chosen, today) else None


def run_schedule(workshop: Path, chosen: Schedule, today: datetime.date) -> tuple[Path, BackedUp]:
    """Write today's backup, and let the oldest go. Raises StoreError: the folder is not there, or nothing can be written in it."""
    folder = Path(chosen.folder)
    if not folder.is_dir():
        raise StoreError(
            tr(
                "The folder for backups, {folder}, is not there: no backup was made. Plug in its disk, or choose another in Settings.",
                folder=folder,
            )
        )
    target = folder / f"workshop-{today.isoformat()}.unitone-backup"
    made = backup(workshop, target)
    for _, old in backups_in(folder)[:-KEPT]:
        try:
            old.unlink()
        except OSError:
            # What cannot be taken away stays: too many backups hurt nobody.
            continue
    return target, made
