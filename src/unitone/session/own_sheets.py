"""The sheets that a workshop can use: its own beside its logbook, and those that come with the program."""

from __future__ import annotations

from unitone.sheet.library import Library
from unitone.store.ports import Store


def library_of(logbook: Store) -> Library:
    """Beside this logbook; a logbook in memory keeps none of its own."""
    return Library(None if logbook.folder is None else logbook.folder / "sheets")
