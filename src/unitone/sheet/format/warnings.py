"""What holds in a sheet and still costs: told by the checker, and no reason to refuse the file."""

from __future__ import annotations

import tomllib

from unitone.quantities.older_names import in_todays_names
from unitone.sheet.format.lines import Place, key_lines, line_of
from unitone.sheet.model.sheet import Sheet
from unitone.words import tr


def sheet_warnings(sheet: Sheet, path: str) -> list[str]:
    """One line each, with file, line, key and cure; empty where there is nothing to say."""
    raw, older = in_todays_names(tomllib.loads(sheet.source_text))
    places = key_lines(sheet.source_text)
    found: list[tuple[Place, str]] = []
    rows = raw.get("adjuster", [])
    if rows and not any(a.get("affects") for a in rows):
        words = tr(
            "no adjuster has “affects”: every turn makes all readings of its side stale, about twice the readings. Add it."
        )
        found.append((("adjuster",), words))
    return _lines(path, places, found) + _older_lines(path, places, older)


def older_names(text: str, path: str) -> list[str]:
    """One line for each older name in a sheet or physics file: what it is called today. Raises tomllib.TOMLDecodeError."""
    return _older_lines(path, key_lines(text), in_todays_names(tomllib.loads(text))[1])


def _older_lines(path: str, places: dict[Place, int], older: tuple[tuple[Place, str, str], ...]) -> list[str]:
    """Each older name once, at the first place that has it."""
    first: dict[tuple[str, str], Place] = {}
    for place, was, now in older:
        first.setdefault((was, now), place)
    count = {pair: sum((w, n) == pair for _, w, n in older) for pair in first}
    return _lines(
        path,
        places,
        [
            (
                place,
                tr("“{was}” is read, and called “{now}” today. Rename it.", was=was, now=now)
                if count[was, now] == 1
                else tr(
                    "“{was}” is read, and called “{now}” today. Rename it ({n} places).",
                    was=was,
                    now=now,
                    n=count[was, now],
                ),
            )
            for (was, now), place in first.items()
        ],
    )


def _lines(path: str, places: dict[Place, int], found: list[tuple[Place, str]]) -> list[str]:
    return [
        f"{path}:{line_of(places, p)}: {'.'.join(str(k) for k in p if not isinstance(k, int))}: {words}"
        for p, words in found
    ]
