"""Writing a sheet as TOML so that the comments of the file it came from survive (tomlkit, on saving only)."""

from __future__ import annotations

import tomllib
from collections.abc import MutableMapping
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT, Table

#: Keys of a sheet in the order in which a person reads it.
_ORDER = (
    "format", "model", "channels", "supply", "final", "ceiling", "oscillator", "mixing", "control", "conventions", "picture", "stage", "adjuster",
    "part", "action", "test_point", "voltage", "inspect", "known_fault", "step",
)  # fmt: skip
#: Mappings that are short enough to stand on one line.
_INLINE = frozenset({"limit", "stimulus", "inject", "read", "panel", "when", "terms"})


def to_toml(data: dict[str, Any], before: str = "", left: tuple[str, ...] = ()) -> str:
    """The sheet as TOML. ``before`` is the text that it was read from: its comments and layout are kept.

    ``left`` holds lines that could not be read; they are kept as comments at the
    end. What is written always reads back as ``data``: where an old layout cannot
    be kept, a fresh one is written.
    """
    text = before if before and _reads_back(before, data) else _into(data, before) if before else ""
    if not text or not _reads_back(text, data):
        text = _fresh(data)
    if left:
        text = text.rstrip("\n") + "\n\n# Could not be read when this sheet was opened:\n"
        # A comment may hold no control characters: they are written as people write them (\\x00).
        text += "".join(
            f"# {''.join(c if c.isprintable() or c == chr(9) else ascii(c)[1:-1] for c in line)}\n" for line in left
        )
    return text


def _reads_back(text: str, data: dict[str, Any]) -> bool:
    try:
        return tomllib.loads(text) == data
    except (tomllib.TOMLDecodeError, RecursionError, ValueError):
        return False


def _fresh(data: dict[str, Any]) -> str:
    document = tomlkit.document()
    for key in sorted(data, key=lambda k: (_ORDER.index(k) if k in _ORDER else len(_ORDER), k)):
        value = data[key]
        if isinstance(value, list) and value and all(isinstance(v, dict) for v in value):
            rows = tomlkit.aot()
            for row in value:
                rows.append(_table(row))
            document.append(key, rows)
        elif isinstance(value, dict):
            document.append(key, _table(value))
        elif value != [] or key not in _ORDER:
            document.append(key, tomlkit.item(value))
        else:
            document.append(key, tomlkit.array())
    return tomlkit.dumps(document)


def _table(row: dict[str, Any]) -> Table:
    made = tomlkit.table()
    for key, value in row.items():
        made.append(key, _item(value))
    return made


def _item(value: Any) -> Any:
    if isinstance(value, dict):
        inline = tomlkit.inline_table()
        for key, inner in value.items():
            inline.append(key, _item(inner))
        return inline
    if isinstance(value, list):
        array = tomlkit.array()
        for inner in value:
            array.append(_item(inner))
        return array
    return tomlkit.item(value)


def _into(data: dict[str, Any], before: str) -> str:
    """The old document with what differs changed; empty where tomlkit cannot do it."""
    try:
        document = tomlkit.parse(before)
        for key in [k for k in document if k not in data]:
            document.remove(key)
        for key, value in data.items():
            if isinstance(value, list) and value and all(isinstance(v, dict) for v in value):
                old = document.get(key)
                if isinstance(old, AoT) and [t.get("id") for t in old] == [r.get("id") for r in value]:
                    for table, row in zip(old, value, strict=True):
                        _sync(table, row)
                else:
                    document[key] = _rows(list(old) if isinstance(old, AoT) else [], value)
            elif isinstance(value, dict) and isinstance(document.get(key), Table):
                _sync(document[key], value)
            elif key not in document or document[key] != value:
                document[key] = _table(value) if isinstance(value, dict) else _item(value)
        return tomlkit.dumps(document)
    except (TOMLKitError, ValueError, TypeError, KeyError, AttributeError, IndexError):
        return ""


def _rows(old: list[Any], new: list[dict[str, Any]]) -> AoT:
    """The rows in their new order, each on the old table of the same id, so that its comments go with it."""
    by_id = {str(t.get("id", n)): t for n, t in enumerate(old)}
    rows = tomlkit.aot()
    for number, row in enumerate(new):
        table = by_id.pop(str(row.get("id", number)), None)
        if isinstance(table, Table):
            _sync(table, row)
            rows.append(table)
        else:
            rows.append(_table(row))
    return rows


def _sync(table: MutableMapping[str, Any], row: dict[str, Any]) -> None:
    for key in [k for k in table if k not in row]:
        del table[key]
    for key, value in row.items():
        if key not in table or table[key] != value:
            table[key] = _item(value)
