"""Reading a sheet: file, line, key, and the cure for whatever is wrong."""

from __future__ import annotations

import re
import tomllib
from functools import lru_cache
from pathlib import Path
from typing import Any

from unitone import files
from unitone.errors import SheetError
from unitone.quantities.older_names import in_todays_names
from unitone.sheet.format.build import FORMAT, Problem, check
from unitone.sheet.format.lines import Place, key_lines, line_of
from unitone.sheet.model.sheet import Sheet
from unitone.words import language, tr

__all__ = ["FORMAT", "MAX_BYTES", "parse_sheet", "problem_lines", "read_sheet", "read_text", "to_data"]

MAX_BYTES = 4_000_000


def read_text(path: Path) -> str:
    """The text of a sheet file. Raises SheetError where it cannot be read or is far too large."""
    try:
        return files.read_text(path, MAX_BYTES)
    except files.TooLarge:
        raise SheetError(
            [f"{path}:1: file: " + tr("larger than 4 MB. A sheet is a small text file; check the name.")]
        ) from None
    except (OSError, UnicodeDecodeError) as error:
        reason = files.plain_reason(error)
        raise SheetError(
            [f"{path}:1: file: " + tr("cannot be read ({reason}). Check the name and its permissions.", reason=reason)]
        ) from None


def read_sheet(path: Path) -> Sheet:
    """Read and check the sheet in ``path`` (TOML, or a bundle with pictures). Raises SheetError with every problem."""
    if path.suffix != ".toml":
        from unitone.sheet.format.bundle import read_bundle

        return parse_sheet(read_bundle(path).text, str(path), path.stem)
    return parse_sheet(read_text(path), str(path), path.stem)


def to_data(text: str, name: str) -> dict[str, Any]:
    """The plain data of a TOML text, older names under those of today. Raises SheetError naming the line that is no TOML."""
    try:
        data: dict[str, Any] = in_todays_names(tomllib.loads(text))[0]
        return data
    except tomllib.TOMLDecodeError as error:
        found = re.search(r"at line (\d+)", str(error))
        line = found[1] if found else str(max(len(text.splitlines()), 1))
        raise SheetError(
            [f"{name}:{line}: file: " + tr("no valid TOML ({error}). Correct that line.", error=error)]
        ) from None
    except (RecursionError, ValueError):
        raise SheetError([f"{name}:1: file: " + tr("nested too deeply to be a sheet.")]) from None


def problem_lines(problems: tuple[Problem, ...], places: dict[Place, int], name: str) -> list[str]:
    """``FILE:LINE: key: what and cure``, one line a problem, in the order of the file."""
    told = sorted((line_of(places, p.place), f"{p.key}: {p.text}") for p in problems)
    return [f"{name}:{line}: {text}" for line, text in told]


def parse_sheet(text: str, name: str, identifier: str, kept: bool = False) -> Sheet:
    """The sheet written in ``text``; ``name`` stands in messages. Raises SheetError.

    One that is ``kept`` on a tape was taken once: whether its frequencies can be is not asked again, lest a job no longer opens.
    """
    try:
        return _checked(text, identifier, kept, language())
    except _Wrong as wrong:
        raise SheetError(problem_lines(wrong.problems, key_lines(text), name)) from None
    except SheetError:
        # No TOML at all: said once more, with its name.
        to_data(text, name)
        raise


class _Wrong(Exception):
    """A text that is no sheet yet."""

    def __init__(self, problems: tuple[Problem, ...]) -> None:
        super().__init__(problems)
        self.problems = problems


# A job's own sheet, the logbook's and the file are mostly one text, and a sheet never changes: it is read once.
@lru_cache(maxsize=32)
def _checked(text: str, identifier: str, kept: bool, spoken: str) -> Sheet:
    """Raises _Wrong (its words are in the language that is ``spoken``), SheetError."""
    del spoken
    sheet, problems = check(to_data(text, ""), identifier, text, kept)
    if sheet is None:
        raise _Wrong(problems)
    return sheet
