"""Where a workshop's logbook is: a folder of this machine, or a server's address that several benches share."""

from __future__ import annotations

import re
import socket
from pathlib import Path

from unitone.errors import StoreError
from unitone.store.logbook import Logbook
from unitone.words import tr

#: Names of benches are read in a list.
_LONGEST_NAME = 40


def is_server(place: str | Path) -> bool:
    """Is it a server's address, not a folder?"""
    return isinstance(place, str) and "://" in place


def copy_folder(address: str) -> Path:
    """The folder of this bench's copy of a shared logbook. Raises StoreError for an address that is none."""
    from platformdirs import user_data_path

    from unitone.store.postgres.server import server_url

    url = server_url(address)
    named = "-".join(str(x) for x in (url.host or "local", url.port or 5432, url.database))
    return user_data_path("unitone", appauthor=False) / "shared" / re.sub(r"[^A-Za-z0-9.-]", "_", named)


def open_place(place: str | Path, read_only: bool = False, bench: str = "", folder: Path | None = None) -> Logbook:
    """The logbook of a folder or of a server; that of a server for reading only is read at the server itself.

    ``bench`` is what the other benches call this one (the machine's name where it is empty), ``folder`` where the copy
    lies. Raises StoreError, LogbookBusy, DamagedLogbook; ServerAway for a server that this bench never reached.
    """
    if not is_server(place):
        return Logbook(Path(place), read_only)
    address = str(place)
    if read_only:
        from unitone.store.postgres.server import Server

        return Logbook(Server(address, read_only=True))
    return _shared(address, bench or socket.gethostname()[:_LONGEST_NAME], folder or copy_folder(address))


def _shared(address: str, bench: str, folder: Path) -> Logbook:
    from unitone.store.postgres.server import server_url
    from unitone.store.shared.sharing import Link
    from unitone.store.sqlite.file import SqliteFile

    server_url(address)
    local = SqliteFile(folder)
    book = Logbook(local)
    link = None
    try:
        link = Link(local, address, bench)
        if link.is_new():
            # A copy that never saw its server would show an empty list, and give out no number.
            link.exchange()
        book.sharing = link
        link.start()
    except BaseException:
        if link is not None:
            link.close()
        book.close()
        raise
    return book


def ask_server(address: str) -> tuple[str, str]:
    """A server's name, without its password, and what is wrong with it: empty where it answers and has a logbook."""
    from unitone.store.postgres.server import Server

    try:
        made = Server(address, read_only=True)
    except StoreError as error:
        return "", str(error)
    made.close()
    return made.name, ""


def check_name(name: str) -> str:
    """A bench's name as it was typed. Raises StoreError where it is empty or too long."""
    found = " ".join(name.split())
    if not found or len(found) > _LONGEST_NAME:
        raise StoreError(tr("Give this bench a name of 1 to {n} letters.", n=_LONGEST_NAME))
    return found
