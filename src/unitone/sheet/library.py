"""Where sheets live: those that come with the program, and paths given by hand."""

from __future__ import annotations

from pathlib import Path

from unitone.errors import SheetError
from unitone.sheet.model import Sheet
from unitone.sheet.read import read_sheet

SHEETS = Path(__file__).resolve().parent.parent / "data" / "sheets"


def built_in() -> list[Path]:
    """The sheet files that come with the program, by name."""
    return sorted(p for p in SHEETS.glob("*.toml") if not p.name.endswith(".physics.toml"))


def find(name: str) -> Path:
    """The file of a sheet given by id or by path. Raises SheetError naming what there is."""
    for path in built_in():
        if path.stem == name:
            return path
    given = Path(name)
    if given.is_file():
        return given
    known = ", ".join(p.stem for p in built_in())
    raise SheetError([f"{name}:1: file: no such sheet or file. Sheets that come with Unitone: {known}."])


def load(name: str) -> Sheet:
    """The sheet of that id or path. Raises SheetError."""
    return read_sheet(find(name))


def physics_path(sheet_path: Path) -> Path:
    """Where the physics file of a sheet stands: NAME.physics.toml beside NAME.toml (it may be missing)."""
    return sheet_path.with_name(sheet_path.stem + ".physics.toml")


def board_path(sheet_path: Path, board: str) -> Path | None:
    """The board picture of a sheet: a file beside it; None where there is none."""
    if not board or "/" in board or board.startswith("."):
        return None
    picture = sheet_path.with_name(board)
    return picture if picture.is_file() else None
