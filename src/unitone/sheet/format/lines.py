"""Which line of a TOML file holds which key: tomllib tells values but no places."""

from __future__ import annotations

import re
from collections.abc import Sequence

from unitone.quantities.older_names import key_today

Place = tuple[str | int, ...]

_HEADER = re.compile(r"^\s*(\[\[?)\s*([^\]]+?)\s*\]\]?")
_KEY = re.compile(r"^\s*([A-Za-z0-9_\-]+|\"[^\"]*\")(?:\s*\.\s*[A-Za-z0-9_\-]+)*\s*=")


def key_lines(text: str) -> dict[Place, int]:
    """Map from a place such as ``("step", 3, "limit")`` to its line, counted from 1.

    Covers table headers and the keys that open a line; keys inside an inline
    table share the line of the key that holds it. Older names of keys stand under those of today.
    """
    places: dict[Place, int] = {}
    counts: dict[str, int] = {}
    here: Place = ()
    for number, line in enumerate(text.splitlines(), 1):
        header = _HEADER.match(line)
        if header is not None:
            parts = [p.strip().strip('"') for p in header[2].split(".")]
            if header[1] == "[[":
                name = ".".join(parts)
                counts[name] = counts.get(name, -1) + 1
                here = (*parts, counts[name])
            else:
                here = tuple(parts)
            places.setdefault(key_today(here), number)
            continue
        key = _KEY.match(line)
        if key is not None:
            places.setdefault(key_today((*here, key[1].strip('"'))), number)
    return places


def line_of(places: dict[Place, int], place: Sequence[str | int]) -> int:
    """Line of ``place`` or of the nearest thing round it; 1 when nothing is known."""
    wanted = tuple(place)
    while wanted:
        if wanted in places:
            return places[wanted]
        wanted = wanted[:-1]
    return 1
