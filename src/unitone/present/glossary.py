"""The glossary: what a term of the trade or of Unitone means, in one line, and which terms a text uses."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from unitone import files
from unitone.present.manual import page_path

_LINE = re.compile(r"^\*\*(?P<term>[^*]+)\*\*(?: \((?P<also>[^)]*)\))?: (?P<means>.+)$")
_MOST = 500_000


@dataclass(frozen=True)
class Term:
    """A term, the other words for it, and what it means."""

    term: str
    also: tuple[str, ...]
    means: str

    @property
    def spellings(self) -> tuple[str, ...]:
        """Every word that stands for it."""
        return (self.term, *self.also)


def glossary_path(code: str = "") -> Path:
    """The page in a language ("": the one in use)."""
    return page_path("glossary.md", code)


@lru_cache(maxsize=4)
def _read(path: Path) -> tuple[Term, ...]:
    found = []
    for line in files.read_text(path, _MOST).splitlines():
        match = _LINE.match(line.strip())
        if match is not None:
            also = tuple(x.strip() for x in (match["also"] or "").split(",") if x.strip())
            found.append(Term(match["term"].strip(), also, match["means"].strip()))
    return tuple(found)


def terms() -> tuple[Term, ...]:
    """Every term of the glossary in the language in use; empty where the page cannot be read."""
    try:
        return _read(glossary_path())
    except (OSError, UnicodeDecodeError):
        return ()


@lru_cache(maxsize=4)
def _pattern(known: tuple[Term, ...]) -> tuple[re.Pattern[str], dict[str, Term]]:
    by_word = {word.casefold(): term for term in known for word in term.spellings}
    longest = sorted(by_word, key=len, reverse=True)
    # An abbreviation is one in capitals only: "if" is no IF.
    return re.compile(r"(?<!\w)(" + "|".join(map(re.escape, longest)) + r")(?:s|es)?(?!\w)", re.IGNORECASE), by_word


def terms_in(text: str, most: int = 3) -> tuple[Term, ...]:
    """The terms that a text uses, each once, in its order."""
    known = terms()
    if not known or not text:
        return ()
    pattern, by_word = _pattern(known)
    found: dict[str, Term] = {}
    for match in pattern.finditer(text):
        term = by_word[match[1].casefold()]
        spelled = next(w for w in term.spellings if w.casefold() == match[1].casefold())
        if spelled.isupper() and not match[1].isupper():
            continue
        found.setdefault(term.term, term)
        if len(found) == most:
            break
    return tuple(found.values())
