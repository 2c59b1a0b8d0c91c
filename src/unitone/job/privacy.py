"""Leaving people out of what goes out of the house: owner, call sign and who was heard, wherever they stand."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar

LEFT_OUT = "[left out]"
#: Shorter names than this stand inside other words.
_SHORTEST = 3
Record = TypeVar("Record")


def names_in(cards: Iterable[dict[str, Any]], heard: Iterable[str] = ()) -> tuple[str, ...]:
    """The names that these cards and reports hold, the longest first; names too short to be told from a word are not looked for."""
    found = {str(c.get(k) or "").strip() for c in cards for k in ("owner", "call_sign")}
    found |= {who.strip() for who in heard}
    return tuple(sorted((n for n in found if len(n) >= _SHORTEST), key=len, reverse=True))


def without(text: str, names: tuple[str, ...]) -> str:
    """``text`` with every one of the names left out."""
    for name in names:
        text = text.replace(name, LEFT_OUT)
    return text


def record_without(record: Record, names: tuple[str, ...]) -> Record:
    """A frozen dataclass (or tuple, or text) with the names left out of every text in it."""
    if isinstance(record, str):
        return without(record, names)  # type: ignore[return-value]
    if isinstance(record, tuple):
        return tuple(record_without(x, names) for x in record)  # type: ignore[return-value]
    if is_dataclass(record) and not isinstance(record, type):
        return replace(record, **{f.name: record_without(getattr(record, f.name), names) for f in fields(record)})
    return record
