"""The manual as chapters: what each is about, which view or step it belongs to, and search."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from unitone import files
from unitone.words import language

_PACKAGE = Path(__file__).resolve().parents[1]
#: The pages: beside the source, or inside the package where it was installed.
DOCS = _PACKAGE / "data" / "docs" if (_PACKAGE / "data" / "docs").is_dir() else _PACKAGE.parents[1] / "docs"
_HELPS = re.compile(r"^<!-- help: (?P<what>[^>]*) -->$")
_MOST = 2_000_000


@dataclass(frozen=True)
class Chapter:
    """A chapter: its title, its text (Markdown), and the views, quantities and steps that it helps with."""

    title: str
    text: str
    helps: tuple[str, ...]


def page_path(name: str, code: str = "") -> Path:
    """A page of the docs in a language ("": the one in use); the English one where there is none."""
    own = DOCS / (code or language()) / name
    return own if own.is_file() else DOCS / name


def manual_path(code: str = "") -> Path:
    """The manual in a language ("": the one in use)."""
    return page_path("manual.md", code)


@lru_cache(maxsize=4)
def _read(path: Path) -> tuple[Chapter, ...]:
    chapters: list[Chapter] = []
    title, lines, helps = "", [""], ()
    helps_now: tuple[str, ...] = helps
    for line in [*files.read_text(path, _MOST).splitlines(), "## "]:
        if line.startswith("## "):
            if title:
                chapters.append(Chapter(title, "\n".join(lines).strip(), helps_now))
            title, lines, helps_now = line[3:].strip(), [f"## {line[3:].strip()}", ""], ()
        elif (match := _HELPS.match(line.strip())) is not None:
            helps_now = tuple(match["what"].split())
        else:
            lines.append(line)
    return tuple(chapters)


def chapters() -> tuple[Chapter, ...]:
    """The manual in the language in use, and what it lacks there from the English one; empty where neither can be read."""
    try:
        own = _read(manual_path())
        english = own if manual_path() == manual_path("en") else _read(manual_path("en"))
    except (OSError, UnicodeDecodeError):
        return ()
    covered = {what for c in own for what in c.helps}
    return own if own is english else (*own, *(c for c in english if not c.helps or not covered & set(c.helps)))


def chapter_for(wanted: tuple[str, ...]) -> int:
    """The number of the chapter that helps with the first of ``wanted`` that any chapter helps with; 0 where none does."""
    for what in wanted:
        for n, chapter in enumerate(chapters()):
            if what in chapter.helps:
                return n
    return 0


def found(typed: str) -> list[int]:
    """The chapters that hold every word typed: those with it in their title first."""
    words = typed.casefold().split()
    if not words:
        return list(range(len(chapters())))
    hits = [n for n, c in enumerate(chapters()) if all(w in c.text.casefold() for w in words)]
    return sorted(hits, key=lambda n: not all(w in chapters()[n].title.casefold() for w in words))
