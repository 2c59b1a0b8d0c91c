"""Where logbooks live."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import TYPE_CHECKING

from unitone.errors import StoreError

if TYPE_CHECKING:
    from unitone.store.logbook import Logbook

FILE_NAME = "logbook.sqlite"


def place_of(workspace: str) -> str | Path:
    """A folder, or a server's address: as it is named, or as it was chosen in Settings, or this machine's own folder."""
    if not workspace:
        from unitone.store.kept_place import kept_place

        workspace = kept_place().address
    if "://" in workspace:
        return workspace
    return Path(workspace).expanduser() if workspace else own_folder()


def own_folder() -> Path:
    """The workshop of this machine where nothing else is named."""
    from platformdirs import user_data_path

    return user_data_path("unitone", appauthor=False) / "workshop"


def folder_of(workspace: str) -> Path:
    """The folder of a workspace: of a shared logbook, that of this bench's copy. Raises StoreError for an address that is none."""
    place = place_of(workspace)
    if isinstance(place, Path):
        return place
    from unitone.store.places import copy_folder

    return copy_folder(place)


def open_workspace(workspace: str, read_only: bool = False) -> Logbook:
    """The logbook of a workspace. Raises StoreError, LogbookBusy, ServerAway."""
    from unitone.store.places import open_place

    return open_place(place_of(workspace), read_only)


def make_demo(workspace: str) -> Path:
    """A demo workshop: fresh in the user's data folder, or in ``workspace`` when that holds no logbook yet.

    A logbook that is already in a named workspace is opened as it stands: nobody's
    work is overwritten. The previous demo of the user's folder is kept beside the new one.
    """
    if workspace:
        if "://" in workspace:
            raise StoreError("A demo is made in a folder, not on a server. Name a folder, or none.")
        folder = folder_of(workspace)
        if (folder / FILE_NAME).exists():
            return folder
    else:
        from platformdirs import user_data_path

        folder = user_data_path("unitone", appauthor=False) / "demo"
        _move_aside(folder)
    from unitone.robot.demo_data import fill
    from unitone.store.logbook import Logbook

    with Logbook(folder) as logbook:
        fill(logbook)
    return folder


def _move_aside(folder: Path) -> None:
    """Keep one earlier demo; leave a demo alone that another window has open (raises LogbookBusy)."""
    from unitone.store.logbook import Logbook

    if not (folder / FILE_NAME).exists():
        return
    try:
        Logbook(folder).close()
    except StoreError as error:
        if type(error) is not StoreError:
            raise
    before = folder.with_name("demo-before")
    shutil.rmtree(before, ignore_errors=True)
    folder.rename(before)
