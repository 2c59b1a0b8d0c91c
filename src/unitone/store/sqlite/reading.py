"""Opening a logbook's file for reading alone: beside a window that writes it, or on media that cannot be written."""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import quote

from unitone.errors import StoreError
from unitone.words import tr

FILE_NAME = "logbook.sqlite"


def reading_uri(path: Path) -> str:
    """SQLite's address of a logbook for reading. On media that cannot be written it is taken as unchanging.

    There, SQLite could not make the companions that a shared logbook needs (https://www.sqlite.org/uri.html).
    """
    unchanging = not os.access(path.parent, os.W_OK) and not _has_waiting(path)
    return f"file:{quote(str(path.absolute()))}?mode=ro" + ("&immutable=1" if unchanging else "")


def _has_waiting(path: Path) -> bool:
    """Are there entries in the write-ahead file that are not in the logbook's own yet?"""
    try:
        return path.with_name(f"{path.name}-wal").stat().st_size > 0
    except OSError:
        return False


@contextmanager
def open_for_reading(folder: Path) -> Iterator[sqlite3.Connection]:
    """A plain connection to the logbook in ``folder`` that writes nothing there. Raises StoreError."""
    path = folder / FILE_NAME
    with contextlib.ExitStack() as stack:
        if not os.access(folder, os.W_OK) and _has_waiting(path):
            # Entries wait beside a logbook that cannot be written: both are read from a copy.
            place = Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="unitone-read-")))
            for name in (FILE_NAME, f"{FILE_NAME}-wal"):
                shutil.copyfile(folder / name, place / name)
            path = place / FILE_NAME
        try:
            yield stack.enter_context(contextlib.closing(sqlite3.connect(reading_uri(path), uri=True, timeout=10)))
        except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
            raise StoreError(
                tr("The logbook in {folder} cannot be read ({error}).", folder=folder, error=error)
            ) from None
