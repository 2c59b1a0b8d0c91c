"""Variants: how one radio differs from its sheet, with what was there before."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from unitone.sheet.model.limits import limit_to_text
from unitone.sheet.model.sheet import Effect
from unitone.words import tr

#: Lists whose rows are told apart by their id, and what a change in one of them can reach.
_LISTS: dict[str, tuple[Effect, ...]] = {
    "oscillator": (Effect("osc.*"), Effect("ref.*"), Effect("vco.*"), Effect("tx.frequency_error"), Effect("rx.*", "receive")),
    "mixing": (Effect("vco.*"), Effect("tx.frequency_error"), Effect("rx.*", "receive")),
    "adjuster": (), "part": (), "action": (), "test_point": (), "stage": (), "control": (), "picture": (), "step": (),
    "voltage": (), "inspect": (), "known_fault": (),
}  # fmt: skip
_CHANNELS = (Effect("vco.*"), Effect("tx.*"), Effect("rx.*"))


@dataclass(frozen=True)
class Change:
    """One difference: where, what stood there before, what stands there now (empty: nothing)."""

    what: str
    before: str
    after: str

    def to_data(self) -> dict[str, str]:
        """As plain data for the tape."""
        return {"what": self.what, "before": self.before, "after": self.after}


def differences(before: dict[str, Any], after: dict[str, Any]) -> tuple[Change, ...]:
    """Every difference between two sheets as data, row by row and key by key."""
    found: list[Change] = []
    for key in dict.fromkeys([*before, *after]):
        old, new = before.get(key), after.get(key)
        if old == new:
            continue
        if key in _LISTS:
            found += _rows(key, old or [], new or [])
        elif isinstance(old, dict) or isinstance(new, dict):
            found += _keys(key, old or {}, new or {})
        else:
            found.append(Change(key, _text(old), _text(new)))
    return tuple(found)


def _rows(table: str, old: list[Any], new: list[Any]) -> Iterable[Change]:
    name = table.replace("_", " ")
    olds, news = {_id(r, n): r for n, r in enumerate(old)}, {_id(r, n): r for n, r in enumerate(new)}
    for identifier in dict.fromkeys([*olds, *news]):
        if identifier not in news:
            yield Change(f"{name} {identifier}", _title(olds[identifier]), "")
        elif identifier not in olds:
            yield Change(f"{name} {identifier}", "", _title(news[identifier]))
        elif olds[identifier] != news[identifier]:
            yield from _keys(f"{name} {identifier}", olds[identifier], news[identifier])
    kept_old, kept_new = [i for i in olds if i in news], [i for i in news if i in olds]
    if kept_old != kept_new:
        yield Change(tr("order of {table}", table=f"{name}s"), ", ".join(kept_old), ", ".join(kept_new))


def _id(row: Any, number: int) -> str:
    return str(row.get("id", row.get("output", number))) if isinstance(row, dict) else str(number)


def _title(row: Any) -> str:
    return str(row.get("title") or row.get("what") or row.get("kind") or row.get("id") or "") or tr("there")


def _keys(where: str, old: dict[str, Any], new: dict[str, Any]) -> Iterable[Change]:
    for key in dict.fromkeys([*old, *new]):
        if old.get(key) != new.get(key):
            yield Change(f"{where}: {key}", _text(old.get(key)), _text(new.get(key)))


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, dict):
        if value.keys() <= {"min", "max", "nominal", "tolerance"} and all(isinstance(v, str) for v in value.values()):
            return limit_to_text(value)
        return ", ".join(f"{k} {_text(v)}" for k, v in value.items())
    if isinstance(value, list):
        return ", ".join("+".join(map(str, v)) if isinstance(v, list) else _text(v) for v in value)
    return str(value)


def effect_of(before: dict[str, Any], after: dict[str, Any]) -> tuple[Effect, ...]:
    """What readings a variant makes doubtful: channels, oscillators and mixing change the radio; limits and words do not."""
    found: dict[Effect, None] = {}
    if before.get("channels") != after.get("channels"):
        found |= dict.fromkeys(_CHANNELS)
    for table, affects in _LISTS.items():
        if affects and before.get(table) != after.get(table):
            found |= dict.fromkeys(affects)
    old = {_id(p, n): p for n, p in enumerate(before.get("part", []))}
    for n, part in enumerate(after.get("part", [])):
        if old.get(_id(part, n), {}).get("what") != part.get("what"):
            named = part.get("affects") or ["*"]
            found |= dict.fromkeys(
                Effect(r) if isinstance(r, str) else Effect(r["quantity"], r.get("way", "either"), r.get("channel"))
                for r in named
            )
    return tuple(found)
