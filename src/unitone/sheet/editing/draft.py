"""A sheet being written: plain data with undo, whatever state it is in. Each change makes a new tree that shares
everything but the changed branch with the old one, so that undo costs nothing and a worker may read any of them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from unitone.sheet.format.build import FORMAT
from unitone.sheet.format.lines import Place

#: Where the ids of a table are used: (table, key). A key that holds groups or mappings is searched through.
_USED: dict[str, tuple[tuple[str, str], ...]] = {
    "adjuster": (("step", "adjust"), ("oscillator", "trim"), ("inspect", "on"), ("transformer", "adjusters")),
    "test_point": (("step", "test_point"), ("oscillator", "test_point")),
    "stage": (
        ("step", "stage"),
        ("adjuster", "stage"),
        ("part", "stage"),
        ("voltage", "stage"),
        ("known_fault", "stage"),
        ("stage", "after"),
        ("stage", "acts_on"),
    ),
    "step": (("step", "after"), ("step", "pulls"), ("voltage", "step")),
    "voltage": (("voltage", "fed_from"),),
    "part": (("voltage", "through"), ("voltage", "beside"), ("inspect", "on")),
    "picture": (("adjuster", "picture"), ("test_point", "picture"), ("part", "picture")),
    "control": (("step", "panel"), ("tracing", "panel")),
    "oscillator": (("mixing", "terms"),),
}
#: Which kind of adjuster a name on a circuit diagram usually means (common practice).
_KINDS = (("core", r"^(T|L|IFT)\d"), ("trimmer", r"^(CT|TC|CV|VC|C)\d"), ("preset", r"^(P|VR|RV|R|POT)\d"))


@dataclass(frozen=True)
class _Past:
    data: dict[str, Any]
    what: str
    place: Place | None


def empty(maker: str = "", name: str = "", kind: str = "") -> dict[str, Any]:
    """The data of a sheet that nothing stands in yet."""
    return {
        "format": FORMAT, "model": {"maker": maker, "name": name, "kind": kind}, "channels": {"plan": "eu-40"},
    }  # fmt: skip


def guess_kind(identifier: str) -> str:
    """core, trimmer or preset by the letters of its name; core where the letters say nothing."""
    for kind, pattern in _KINDS:
        if re.match(pattern, identifier, re.IGNORECASE):
            return kind
    return "core"


#: Tables whose rows have no name of their own.
NAMELESS = frozenset({"known_fault"})


class Draft:
    """Data under change. ``data`` is never changed in place: each step of the past keeps its own tree."""

    #: Steps of undo that are kept.
    DEEP = 500

    def __init__(self, data: dict[str, Any]) -> None:
        self.data = data
        self._past: list[_Past] = []
        self._future: list[_Past] = []
        self._saved = data

    # -- reading ---------------------------------------------------------------------------

    def rows(self, table: str) -> list[dict[str, Any]]:
        """The tables of a list; empty where there are none."""
        found = self.data.get(table, [])
        return found if isinstance(found, list) else []

    def get(self, place: Place, default: Any = None) -> Any:
        """The value at a place."""
        here: Any = self.data
        for key in place:
            if isinstance(key, int):
                if not (isinstance(here, list) and 0 <= key < len(here)):
                    return default
            elif not (isinstance(here, dict) and key in here):
                return default
            here = here[key]
        return here

    def ids(self, table: str) -> list[str]:
        """The ids of a list in order."""
        return [str(r.get("id", "")) for r in self.rows(table)]

    @property
    def title(self) -> str:
        """Maker and model, as far as they are there."""
        return f"{self.get(('model', 'maker'), '')} {self.get(('model', 'name'), '')}".strip()

    @property
    def picture_files(self) -> set[str]:
        """The files of the pictures that the sheet names."""
        return {str(r.get("file", "")) for r in self.rows("picture")} | {str(self.get(("model", "board"), ""))}

    @property
    def changed(self) -> bool:
        """Is anything not saved yet?"""
        return self.data is not self._saved and self.data != self._saved

    @property
    def describe_undo(self) -> str:
        """What undo would take back; empty for nothing."""
        return self._past[-1].what if self._past else ""

    @property
    def describe_redo(self) -> str:
        """What redo would do again; empty for nothing."""
        return self._future[-1].what if self._future else ""

    @property
    def saved(self) -> dict[str, Any]:
        """What is on disk."""
        return self._saved

    def mark_saved_as(self, data: dict[str, Any]) -> None:
        """This tree is on disk now (typing may have gone on since)."""
        self._saved = data

    # -- changing ----------------------------------------------------------------------------

    def change(self, what: str, make: Callable[[dict[str, Any]], dict[str, Any]], place: Place | None = None) -> None:
        """One step of undo; ``place`` joins it to the step before where that changed the same place (typing)."""
        made = make(self.data)
        if made == self.data:
            return
        joined = place is not None and self._past and self._past[-1].place == place and self.data is not self._saved
        if not joined:
            self._past.append(_Past(self.data, what, place))
            del self._past[: -self.DEEP]
        self._future.clear()
        self.data = made

    def undo(self) -> str:
        """One step back; returns what was undone."""
        if not self._past:
            return ""
        past = self._past.pop()
        self._future.append(_Past(self.data, past.what, past.place))
        self.data = past.data
        return past.what

    def redo(self) -> str:
        """One step forward again; returns what was done."""
        if not self._future:
            return ""
        following = self._future.pop()
        self._past.append(_Past(self.data, following.what, following.place))
        self.data = following.data
        return following.what

    def put(self, place: Place, value: Any, typing: bool = False) -> None:
        """Set a value; None takes the key out."""
        self.change(f"{place[-1]}", lambda data: _put(data, place, value), place if typing else None)

    def put_many(self, table: str, rows: Iterable[int], key: Place, value: Any, typing: bool = False) -> None:
        """The same value under the same key of several rows, in one step of undo."""
        chosen = tuple(rows)

        def make(data: dict[str, Any]) -> dict[str, Any]:
            for row in chosen:
                data = _put(data, (table, row, *key), value)
            return data

        self.change(f"{key[-1]}", make, (table, *chosen, *key) if typing else None)

    def add(self, table: str, item: dict[str, Any], at: int | None = None) -> int:
        """A new row after ``at`` (at the end where None); its id is made free. Returns its number."""
        rows = self.rows(table)
        where = len(rows) if at is None else min(at + 1, len(rows))
        if table not in NAMELESS:
            item = {**item, "id": self.free_id(table, str(item.get("id", "")) or table)}
        self.change(f"add {table}", lambda data: {**data, table: [*rows[:where], item, *rows[where:]]})
        return where

    def remove(self, table: str, chosen: Iterable[int]) -> None:
        """Take rows out."""
        gone = set(chosen)
        kept = [r for i, r in enumerate(self.rows(table)) if i not in gone]
        self.change(f"remove {table}", lambda data: {**data, table: kept})

    def duplicate(self, table: str, chosen: Iterable[int]) -> list[int]:
        """Copies right after the last of the chosen rows, with ids of their own; returns their numbers."""
        numbers = sorted(set(chosen))
        rows = self.rows(table)
        taken = set(self.ids(table))
        copies = []
        for n in numbers:
            copy = (
                {**rows[n]}
                if table in NAMELESS
                else {**rows[n], "id": _free(taken, str(rows[n].get("id", "")) or table)}
            )
            copy.pop("pin", None)
            taken.add(str(copy.get("id", "")))
            copies.append(copy)
        where = (numbers[-1] + 1) if numbers else len(rows)
        self.change(f"duplicate {table}", lambda data: {**data, table: [*rows[:where], *copies, *rows[where:]]})
        return list(range(where, where + len(copies)))

    def move(self, table: str, chosen: Iterable[int], by: int) -> list[int]:
        """Move rows up (−1) or down (+1) together; returns where they are now."""
        rows = list(self.rows(table))
        numbers = sorted(set(chosen))
        if not numbers or numbers[0] + by < 0 or numbers[-1] + by >= len(rows):
            return numbers
        for n in numbers if by < 0 else reversed(numbers):
            rows.insert(n + by, rows.pop(n))
        self.change(f"move {table}", lambda data: {**data, table: rows})
        return [n + by for n in numbers]

    def place_rows(self, table: str, order: list[int]) -> None:
        """Put the rows of a list into this order (numbers of where they stand now)."""
        rows = self.rows(table)
        if sorted(order) == list(range(len(rows))):
            self.change(f"move {table}", lambda data: {**data, table: [rows[n] for n in order]})

    def rename(self, table: str, row: int, new: str, typing: bool = False) -> None:
        """Another id, here and wherever it is used."""
        old = str(self.rows(table)[row].get("id", ""))
        alone = self.ids(table).count(old) == 1

        def make(data: dict[str, Any]) -> dict[str, Any]:
            data = _put(data, (table, row, "id"), new)
            if not (old and alone):
                return data
            for user, key in _USED.get(table, ()):
                rows = data.get(user)
                if isinstance(rows, list):
                    data = {**data, user: [_renamed(r, key, old, new) for r in rows]}
                elif isinstance(rows, dict):
                    data = {**data, user: _renamed(rows, key, old, new)}
            return data

        self.change("id", make, (table, row, "id") if typing else None)

    def free_id(self, table: str, wanted: str) -> str:
        """``wanted``, or the next of its kind that is not taken: T1, T2, T3."""
        return _free(set(self.ids(table)), wanted)

    def ensure(self, table: str, wanted: Iterable[dict[str, Any]]) -> list[str]:
        """Add the rows whose ids the table does not have yet; returns those ids."""
        have = set(self.ids(table))
        new = {str(r["id"]): r for r in wanted if r.get("id") and str(r["id"]) not in have}
        if new:
            rows = [*self.rows(table), *new.values()]
            self.change(f"add {', '.join(new)}", lambda data: {**data, table: rows})
        return list(new)

    def ensure_adjusters(self, names: Iterable[str]) -> list[str]:
        """Add the adjusters that are named and missing, of the kind that their letters say; returns them."""
        return self.ensure("adjuster", ({"id": n, "kind": guess_kind(n)} for n in names if n))


def _free(taken: set[str], wanted: str) -> str:
    if wanted not in taken:
        return wanted
    match = re.match(r"^(.*?)(\d+)$", wanted)
    stem, number = (match[1], int(match[2]) + 1) if match else (f"{wanted}-", 2)
    while f"{stem}{number}" in taken:
        number += 1
    return f"{stem}{number}"


def _put(here: Any, place: Place, value: Any) -> Any:
    """A copy of ``here`` with the value at ``place``; only the branch on the way is new."""
    key, rest = place[0], place[1:]
    if isinstance(key, int):
        rows = list(here) if isinstance(here, list) else []
        if not 0 <= key < len(rows):
            raise IndexError(f"no row {key}")
        rows[key] = _put(rows[key], rest, value) if rest else value
        return rows
    table = dict(here) if isinstance(here, dict) else {}
    if rest:
        child = _put(table.get(key, {}), rest, value)
        if child == {} and not isinstance(rest[0], int):
            table.pop(key, None)
        else:
            table[key] = child
    elif value is None:
        table.pop(key, None)
    else:
        table[key] = value
    return table


def _renamed(row: Any, key: str, old: str, new: str) -> Any:
    if not isinstance(row, dict) or key not in row:
        return row
    changed = _swap(row[key], old, new)
    return row if changed is row[key] else {**row, key: changed}


def _swap(value: Any, old: str, new: str) -> Any:
    if isinstance(value, str):
        if value == old:
            return new
        return re.sub(rf"(?<![\w-]){re.escape(old)}(?![\w-])", lambda _: new, value) if f"{old} " in value else value
    if isinstance(value, list):
        swapped = [_swap(v, old, new) for v in value]
        return swapped if swapped != value else value
    if isinstance(value, dict):
        return {new if k == old else k: v for k, v in value.items()} if old in value else value
    return value
