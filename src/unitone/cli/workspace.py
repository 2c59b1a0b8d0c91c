"""Where logbooks live."""

from __future__ import annotations

import shutil
from pathlib import Path

from unitone.errors import StoreError

FILE_NAME = "logbook.sqlite"


def folder_of(workspace: str) -> Path:
    """The folder of a workspace; the user's own data folder when none is named. Raises StoreError for a database URL."""
    if "://" in workspace:
        raise StoreError("A logbook behind a database URL is not supported by this version. Name a folder.")
    if workspace:
        return Path(workspace).expanduser()
    from platformdirs import user_data_path

    return user_data_path("unitone", appauthor=False) / "workshop"


def make_demo(workspace: str) -> Path:
    """A demo workshop: fresh in the user's data folder, or in ``workspace`` when that holds no logbook yet.

    A logbook that is already in a named workspace is opened as it stands: nobody's
    work is overwritten. The previous demo of the user's folder is kept beside the new one.
    """
    if workspace:
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
