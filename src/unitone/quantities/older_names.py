"""Names of earlier versions, in sheets, physics files and logs: each is read, and written under its name of today."""

from __future__ import annotations

from typing import Any

Place = tuple[str | int, ...]
#: An older name at a place, and the one it has today.
Older = tuple[Place, str, str]

#: Quantities by the id that they had.
QUANTITY_IDS = {
    "vco.volts": "vco.tuning_voltage", "supply.volts": "supply.voltage", "tx.bias_volts": "tx.bias_voltage",
    "rx.af_volts": "rx.af_voltage", "rx.agc_volts": "rx.agc_voltage", "stage.volts": "stage.voltage", "rx.lamp_lights": "rx.led_lights",
}  # fmt: skip
#: Keys of a sheet, of a log's entry or of a job's card, wherever they stand.
KEYS = {
    "reaches": "affects", "schools": "conventions", "lamps": "leds", "in-limits": "in-spec",
    "standin_seed": "simulated_seed", "standin_fault": "simulated_fault",
}  # fmt: skip
#: Values that are codes, by the key that holds them.
CODES = {
    "way": {"send": "transmit"}, "hook_up": {"send": "transmit"}, "phase": {"send": "transmit"}, "source": {"stand-in": "simulated"},
    "look": {"mended": "repaired"}, "outcome": {"in-limits": "in-spec"},
}  # fmt: skip


def key_today(place: Place) -> Place:
    """A place in a sheet or physics file, its keys under their names of today."""
    named = [KEYS.get(p, p) if isinstance(p, str) else p for p in place]
    for at in (0, 1):
        # Tables of the physics file: [send], [vco.send].
        if len(named) > at and named[at] == "send" and (at == 0 or named[0] == "vco"):
            named[at] = "transmit"
    return tuple(named)


def in_todays_names(data: Any, keep: frozenset[str] = frozenset()) -> tuple[Any, tuple[Older, ...]]:
    """Plain data with names of today, and what had an older one; nothing is changed in place.

    Below the keys in ``keep`` nothing is looked at: texts and sheets that a log holds as they were written.
    """
    found: list[Older] = []
    return _todays(data, (), found, keep), tuple(found)


def _todays(data: Any, place: Place, found: list[Older], keep: frozenset[str]) -> Any:
    if isinstance(data, list):
        return [_todays(x, (*place, n), found, keep) for n, x in enumerate(data)]
    if isinstance(data, str):
        # A code stands under its key; an id of a quantity is one wherever it stands.
        holder = next((p for p in reversed(place) if isinstance(p, str)), "")
        new = CODES.get(holder, {}).get(data) or QUANTITY_IDS.get(data, data)
        if new != data:
            found.append((place, data, new))
        return new
    if not isinstance(data, dict):
        return data
    made = {}
    for key, value in data.items():
        if not isinstance(key, str) or key in keep:
            made[key] = value
            continue
        new = _key(key, place)
        here = (*place, new)
        if new != key and new not in data:
            found.append((here, key, new))
        made[new if new == key or new not in data else key] = _todays(value, here, found, keep)
    return made


def _key(key: str, place: Place) -> str:
    """A key's name of today: also of a quantity, of a physics file's tables, and of what its faults set."""
    if place and place[-1] == "sets":
        parts = key.split(".")
        return ".".join(str(p) for p in key_today(tuple(parts)))
    tables = key_today((*place, key))
    return str(tables[-1]) if tables[-1] != key else QUANTITY_IDS.get(key, key)
