"""Which shared logbook this machine starts with, and what this bench is called there: kept in the user's settings."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path

from unitone import files
from unitone.errors import StoreError
from unitone.words import tr

_LARGEST = 10_000


@dataclass(frozen=True)
class KeptPlace:
    """The server's address as it was typed (empty: the folder of this machine), the bench's name, and the folder that was
    worked in before."""

    address: str = ""
    bench: str = ""
    folder: str = ""


def _path() -> Path:
    from platformdirs import user_config_path

    return user_config_path("unitone", appauthor=False) / "shared-logbook.json"


def kept_place() -> KeptPlace:
    """What was chosen; this machine's own folder where nothing was, or where it cannot be read."""
    try:
        data = files.read_json(_path(), _LARGEST)
        return KeptPlace(str(data["address"]), str(data["bench"]), str(data["folder"]))
    except (OSError, ValueError, KeyError, TypeError):
        return KeptPlace()


def keep_place(place: KeptPlace) -> None:
    """Start with this from now on. Readable by its owner alone: an address may hold a password. Raises StoreError."""
    try:
        files.private_folder(_path().parent)
        files.write_whole(_path(), json.dumps(asdict(place)).encode())
    except OSError as error:
        raise StoreError(
            tr("{path}: cannot be written ({why}).", path=_path(), why=files.plain_reason(error))
        ) from None
