"""Small files of our own formats besides sheets (recipes, instruments' cards): read, checked against their model, and listed by folder."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Generic, TypeVar

from pydantic import BaseModel, ValidationError

from unitone import files
from unitone.errors import SheetError
from unitone.sheet.format.cures import cure_of
from unitone.sheet.format.lines import key_lines, line_of
from unitone.words import tr

Model = TypeVar("Model", bound=BaseModel)
#: Longer than this is none of them (bytes).
_MAX_BYTES = 100_000


@dataclass(frozen=True)
class ListedFile(Generic[Model]):
    """A file of a folder and what it holds; ``own``: the workshop's. ``problems``: why it cannot be used (then nothing is in ``made``)."""

    path: Path
    made: Model | None
    own: bool = False
    problems: tuple[str, ...] = ()


def parse_as(model: type[Model], text: str, path: str) -> Model:
    """What is written in ``text``; ``path`` stands in messages. Raises SheetError with file, line, key and cure."""
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        found = re.search(r"at line (\d+)", str(error))
        line = found[1] if found else 1
        words = tr("no valid TOML ({error}). Correct that line.", error=error)
        raise SheetError([f"{path}:{line}: file: {words}"]) from None
    except (RecursionError, ValueError):
        raise SheetError([f"{path}:1: file: " + tr("nested too deeply.")]) from None
    places = key_lines(text)
    try:
        return model.model_validate(raw)
    except ValidationError as error:
        problems = []
        for p in error.errors():
            keys = ".".join(str(k) for k in p["loc"] if not isinstance(k, int)) or "file"
            problems.append(f"{path}:{line_of(places, p['loc'])}: {keys}: {cure_of(p)}")
        raise SheetError(problems) from None


def text_of(path: Path) -> str:
    """The text of a small file. Raises SheetError where it cannot be read."""
    try:
        return files.read_text(path, _MAX_BYTES)
    except (OSError, UnicodeDecodeError) as error:
        words = tr("cannot be read ({reason}).", reason=files.plain_reason(error))
        raise SheetError([f"{path}:1: file: {words}"]) from None


def listed(
    shipped: Path, own: Path | None, read: Callable[[Path], Model], id_of: Callable[[Model], str], name_of: Callable[[Model], str]
) -> tuple[ListedFile[Model], ...]:  # fmt: skip
    """Those that come with the program and the workshop's own (a folder), by name, broken ones last; an own one takes the place of one with
    its id."""
    found: dict[str, ListedFile[Model]] = {}
    for folder, mine in [(shipped, False), *([(own, True)] if own is not None and own.is_dir() else [])]:
        for path in sorted(folder.glob("*.toml")):
            try:
                made = read(path)
                found[id_of(made)] = ListedFile(path, made, mine)
            except SheetError as error:
                found[str(path)] = ListedFile(path, None, mine, tuple(error.problems))
    return tuple(sorted(found.values(), key=lambda f: (f.made is None, name_of(f.made) if f.made else str(f.path))))
