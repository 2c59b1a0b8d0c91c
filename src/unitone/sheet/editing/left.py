"""A radio that was restored becomes the sheet of its kind: limits from what was left, what it does not have taken out.

Limits that a rule sets (frequency, deviation, depth, power, what is radiated beside the channel) stay as they are. The others close in on what this
radio was left with: a good reading may be half as good in the next one of its kind, and no better limit is given up.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

from unitone.quantities.registry import Quantity, quantity
from unitone.sheet.editing.draft import Draft
from unitone.sheet.model.sheet import Limit

#: What a rule limits, or a maker sets once for all: left as it stands.
_BY_RULE = frozenset(
    {
        "tx.frequency_error", "tx.deviation", "tx.am_depth", "tx.power", "tx.pep", "tx.harmonic", "tx.spurious", "tx.carrier_suppression",
        "tx.audio_response", "tx.hum_noise", "tx.bias_current", "ref.frequency", "osc.frequency", "rx.lo_error", "rx.frequency_error", "rx.s_meter",
        "rx.loudness", "rx.led_lights", "rx.squelch_opens", "rx.squelch_closes", "rx.squelch_tight",
    }
)  # fmt: skip
#: So far a radio of the same kind may stand from this one: decibels of signal, and parts of a volt, ampere or per cent.
_MARGIN_DB, _MARGIN_SHARE, _NOMINAL_SHARE = 3.0, 0.3, 0.1
_UNITS = {
    "volts": "V",
    "amps": "A",
    "watts": "W",
    "percent": "%",
    "ratio-db": "dB",
    "dbc": "dBc",
    "level": "dBm",
    "scale": "div",
    "gain-db": "dB",
}


@dataclass(frozen=True)
class Left:
    """What a radio leaves behind: the last reading of each step (canonical units) with the limit it had, steps and adjusters that it does
    not have, volts of its voltage table, what its controls do, and where all that comes from."""

    came_from: str
    readings: Mapping[str, tuple[str, float, Limit]]
    dropped: Collection[str]
    volts: Mapping[str, float]
    controls: Mapping[str, str]


def limit_left(q: Quantity, value: float, before: Limit) -> Limit | None:
    """The limit that a reading leaves for the next of its kind; None where the one before stays."""
    unit = _UNITS.get(q.kind)
    if unit is None or q.id in _BY_RULE:
        return None
    decibels = q.kind in ("ratio-db", "dbc", "level", "gain-db")
    away = _MARGIN_DB if decibels else abs(value) * (_MARGIN_SHARE if q.better != "nominal" else _NOMINAL_SHARE)
    if q.better == "high":
        low = max(value - away, before.low if before.low is not None else value - away)
        return Limit(low, before.high)
    if q.better == "low":
        high = min(value + away, before.high if before.high is not None else value + away)
        return Limit(before.low, high)
    low, high = value - away, value + away
    low = low if before.low is None else max(low, before.low)
    high = high if before.high is None else min(high, before.high)
    return Limit(low, high) if low < high else None


def _written(q: Quantity, limit: Limit) -> dict[str, str]:
    unit = _UNITS[q.kind]
    return {k: f"{v:.4g} {unit}" for k, v in (("min", limit.low), ("max", limit.high)) if v is not None}


def as_sheet(data: dict[str, Any], left: Left) -> dict[str, Any]:
    """The job's own sheet (``data``, not changed) as a sheet for the next radio of its kind."""
    draft = Draft(data)
    draft.remove("step", [n for n, i in enumerate(draft.ids("step")) if i in left.dropped])
    kept = draft.ids("step")
    for n, identifier in enumerate(kept):
        step = draft.rows("step")[n]
        after = [s for s in step.get("after", []) if s in kept]
        if after != step.get("after", []):
            draft.put(("step", n, "after"), after or None)
        pulls = [s for s in step.get("pulls", []) if s in kept]
        if pulls != step.get("pulls", []):
            draft.put(("step", n, "pulls"), pulls or None)
        if identifier not in left.readings:
            continue
        quantity_id, value, before = left.readings[identifier]
        made = limit_left(quantity(quantity_id), value, before)
        if made is not None and made != before:
            draft.put(("step", n, "limit"), _written(quantity(quantity_id), made))
            draft.put(("step", n, "source"), left.came_from)
            if step.get("target") and not made.holds(value):
                draft.put(("step", n, "target"), None)
    used = {a for s in draft.rows("step") for g in s.get("adjust", []) for a in ([g] if isinstance(g, str) else g)}
    idle = [n for n, i in enumerate(draft.ids("adjuster")) if i not in used]
    trims = {str(o.get("trim", "")) for o in draft.rows("oscillator")}
    draft.remove("adjuster", [n for n in idle if draft.ids("adjuster")[n] not in trims])
    for n, row in enumerate(draft.rows("voltage")):
        if "volts" not in row and str(row.get("id")) in left.volts:
            draft.put(("voltage", n, "volts"), f"{left.volts[str(row['id'])]:.4g} V")
            draft.put(("voltage", n, "tolerance"), "10 %")
    known = draft.ids("control")
    for control, does in left.controls.items():
        if control in known:
            draft.put(("control", known.index(control), "does"), does)
        elif does:
            draft.add("control", {"id": control, "positions": "off, on", "does": does})
    return draft.data
