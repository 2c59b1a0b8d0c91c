"""A sheet that is open in the editor, with all that its file holds besides the draft. No Qt in here."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from unitone.sheet.editing.draft import Draft
from unitone.sheet.format.recover import recover
from unitone.sheet.library import open_file


@dataclass
class Opened:
    """What is being edited: its id, whether it is the workshop's own, the text it came from, and the rest of its file."""

    id: str
    own: bool
    text: str
    physics: str
    left: tuple[str, ...]
    draft: Draft
    pictures: dict[str, bytes]
    lost: tuple[str, ...] = ()
    words: str = ""
    job: str = ""
    variant: str = ""


def read_opened(path: Path, own: bool) -> Opened:
    """A sheet file for the editor: what can be read of it, and a list of what could not. Raises SheetError."""
    bundle = open_file(path)
    found = recover(bundle.text, path.name)
    data: dict[str, Any] = found.data
    text = bundle.text if not found.lost else ""
    return Opened(
        path.stem,
        own,
        text,
        bundle.physics,
        found.left,
        Draft(data),
        dict(bundle.pictures),
        found.lost + bundle.left_out,
    )
