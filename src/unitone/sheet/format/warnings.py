"""What holds in a sheet and still costs: told by the checker, and no reason to refuse the file."""

from __future__ import annotations

import tomllib

from unitone.sheet.format.lines import Place, key_lines, line_of
from unitone.sheet.model.sheet import Sheet


def sheet_warnings(sheet: Sheet, path: str) -> list[str]:
    """One line each, with file, line, key and cure; empty where there is nothing to say."""
    raw, places = tomllib.loads(sheet.source_text), key_lines(sheet.source_text)
    found: list[tuple[Place, str]] = []
    rows = raw.get("adjuster", [])
    if rows and not any(a.get("reaches") for a in rows):
        words = "no adjuster says what it reaches, so each turn makes every reading of its side old: about twice the readings. Add reaches."
        found.append((("adjuster",), words))
    return [
        f"{path}:{line_of(places, p)}: {'.'.join(str(k) for k in p if not isinstance(k, int))}: {words}"
        for p, words in found
    ]
