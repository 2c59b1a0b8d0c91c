"""Changes of a radio by modification: keys of its physics set, added to, or multiplied. What stands on the log is what the radio is.

A key is written with dots: ``s_meter.threshold``; a table of several is gone into by its number, by ``*`` (all of them that have
the key), or by the first that fits: ``receive.stage.[kind=coil].loss``.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import ValidationError

from unitone.errors import EntryError, SheetError
from unitone.quantities.entry import parse_si
from unitone.sheet.format.cures import cure_of
from unitone.simulator.physics import PhysicsFile
from unitone.words import tr

How = Literal["to", "plus", "times"]
#: In which unit an amount may be written: each key has its own.
_UNITS = ("", "dB", "dBm", "Hz", "F", "H", "V", "A", "W", "ohm", "s", "%")


@dataclass(frozen=True)
class Change:
    """One key of the physics: set ``to`` a value, ``plus`` an amount in the key's unit, or ``times`` a factor; ``optional``: left out where
    a radio has no such key."""

    key: str
    how: How
    value: str
    optional: bool = False


def present(physics: PhysicsFile, changes: Iterable[Change]) -> tuple[Change, ...]:
    """Those that this radio can take: optional ones whose key it lacks are left out."""
    data = physics.model_dump()
    return tuple(c for c in changes if not c.optional or any(_places(data, c.key.split("."))))


def with_changes(physics: PhysicsFile, changes: Iterable[Change]) -> PhysicsFile:
    """The radio with these changes, in their order. Raises SheetError, naming the key, for what it does not have or cannot be."""
    data = physics.model_dump()
    for change in changes:
        places = list(_places(data, change.key.split(".")))
        if not places:
            raise SheetError(
                [
                    tr(
                        "{key}: this simulated radio has no such key, so the change cannot be tried on it.",
                        key=change.key,
                    )
                ]
            )
        for table, last in places:
            table[last] = _changed(table[last], change)
    try:
        return PhysicsFile.model_validate(data)
    except ValidationError as error:
        raise SheetError([f"{'.'.join(map(str, p['loc']))}: {cure_of(p)}" for p in error.errors()]) from None


def _places(table: Any, way: Sequence[str]) -> Iterator[tuple[Any, Any]]:
    """Every (table, key) that a dotted key names."""
    first, rest = way[0], way[1:]
    if first.startswith("[") and first.endswith("]"):
        name, _, wanted = first[1:-1].partition("=")
        found = (
            [n for n, x in enumerate(table) if isinstance(x, dict) and str(x.get(name)) == wanted][:1]
            if isinstance(table, list)
            else []
        )
        keys: list[Any] = list(found)
    elif first == "*":
        keys = list(table) if isinstance(table, dict) else list(range(len(table))) if isinstance(table, list) else []
    elif isinstance(table, list):
        keys = [int(first)] if first.isdecimal() and int(first) < len(table) else []
    else:
        keys = [first] if isinstance(table, dict) and first in table else []
    for key in keys:
        if rest:
            yield from _places(table[key], rest)
        elif table[key] is not None:
            yield table, key


def _changed(old: Any, change: Change) -> Any:
    if change.how == "to":
        return change.value if isinstance(old, str) or not _is_number(change.value) else float(change.value)
    amount = _amount(change)
    if isinstance(old, bool) or not isinstance(old, int | float):
        raise SheetError([tr("{key}: is no number. Set it: to = …", key=change.key)])
    made = old + amount if change.how == "plus" else old * amount
    return round(made) if isinstance(old, int) and made == round(made) else made


def _is_number(text: str) -> bool:
    try:
        return math.isfinite(float(text))
    except ValueError:
        return False


def _amount(change: Change) -> float:
    for unit in _UNITS:
        try:
            return parse_si(change.value, unit)
        except EntryError:
            continue
    raise SheetError([tr("{key}: “{value}” is no amount. Write it like 12 dB, 220 pF or 1.4.", key=change.key, value=change.value)])  # fmt: skip
