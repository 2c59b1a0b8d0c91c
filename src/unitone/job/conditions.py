"""Conditions on a log: their form on disk, and one object for each."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

import msgspec

from unitone.errors import TapeError
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr

#: Conditions come again and again on a log: one object for each text, so that comparing them is quick.
_KNOWN: dict[bytes, Conditions] = {}
_MOST_KNOWN = 20_000


def conditions_to_data(conditions: Conditions) -> dict[str, Any]:
    """Conditions as plain data, without what is not given."""
    data = {k: v for k, v in conditions.__dict__.items() if v not in (None, ())}
    if conditions.panel:
        data["panel"] = dict(conditions.panel)
    return data


def conditions_from_json(text: bytes | msgspec.Raw) -> Conditions:
    """The inverse of ``conditions_to_data``, from JSON. Raises TapeError for a key that conditions do not have."""
    raw = bytes(text)
    found = _KNOWN.get(raw)
    if found is None:
        found = conditions_from_data(msgspec.json.decode(raw))
        if len(_KNOWN) >= _MOST_KNOWN:
            _KNOWN.clear()
        _KNOWN[raw] = found
    return found


_FIELDS = frozenset(f.name for f in fields(Conditions))


def conditions_from_data(data: dict[str, Any]) -> Conditions:
    """The inverse of ``conditions_to_data``. Raises TapeError for what conditions do not have."""
    try:
        panel = data.get("panel") or {}
        if unknown := set(data) - _FIELDS:
            raise TapeError(
                tr("Conditions {sorted} are not known: this log needs a newer Unitone.", sorted=sorted(unknown))
            )
        return msgspec.convert({**data, "panel": sorted(panel.items())}, Conditions)
    except (msgspec.ValidationError, TypeError, AttributeError):
        named = sorted(data) if isinstance(data, dict) else data
        raise TapeError(tr("Conditions {named} are not known: this log needs a newer Unitone.", named=named)) from None
