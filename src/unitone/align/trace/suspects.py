"""From the bad stage to the part: what each way to fail does to the voltages of a stage, and which part fits what was read.

Every part of the sheet that feeds a pin, sits beside it or is the device itself can fail in a few ways; each way leaves the pins low,
normal or high (the trade's own table, common practice, no source). What was read weighs them, as does how often a part of its kind
fails. Parts that only stand in the stage, and which no pin names, stay behind those.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from unitone.job.state import JobState
from unitone.job.voltages import RowState, row_states
from unitone.sheet.model.sheet import Electrode, Part, PartKind

Level = Literal["zero", "low", "normal", "high"]
Failure = Literal["open", "drifted", "leaky", "shorted", "dead", "weak", "detuned"]
#: The electrodes by what they do, valves and transistors alike.
_DOES: dict[Electrode, str] = {
    "anode": "out", "collector": "out", "drain": "out", "screen": "screen", "grid": "in", "base": "in", "gate": "in",
    "cathode": "foot", "emitter": "foot", "source": "foot",
}  # fmt: skip
#: How often a part fails so, against the others (common practice, no source).
_OFTEN: dict[tuple[PartKind, Failure], float] = {
    ("resistor", "open"): 1.0, ("resistor", "drifted"): 0.5, ("winding", "open"): 1.0, ("contact", "open"): 0.9, ("capacitor", "leaky"): 1.0,
    ("capacitor", "open"): 0.8, ("capacitor", "shorted"): 0.8, ("device", "dead"): 1.3, ("device", "weak"): 1.2, ("crystal", "open"): 0.5,
}  # fmt: skip
#: (what the part is to the pin, how it fails) -> what the pins of the device then show; pins that are not named say nothing.
_Shown = dict[str, tuple[Level, ...]]
_SIGNS: dict[tuple[str, Failure], _Shown] = {
    ("out", "open"): {"out": ("zero", "low"), "screen": ("low", "normal"), "foot": ("zero", "low", "normal"), "in": ("normal", "low")},
    ("out", "drifted"): {"out": ("low",), "screen": ("normal",), "foot": ("normal", "low"), "in": ("normal",)},
    ("screen", "open"): {"out": ("normal", "high"), "screen": ("zero",), "foot": ("zero", "low"), "in": ("normal",)},
    ("screen", "drifted"): {"out": ("normal", "high"), "screen": ("low",), "foot": ("low",), "in": ("normal",)},
    ("foot", "open"): {"out": ("normal", "high"), "screen": ("high",), "foot": ("high",), "in": ("normal", "high")},
    ("foot", "drifted"): {"out": ("normal", "high"), "screen": ("high", "normal"), "foot": ("high",), "in": ("normal",)},
    ("in", "open"): {"out": ("normal", "low", "high"), "screen": ("normal", "low"), "foot": ("zero", "normal", "high"),
        "in": ("high", "low", "zero")},
    ("in", "drifted"): {"out": ("normal",), "screen": ("normal",), "foot": ("normal",), "in": ("high", "low", "normal")},
    ("beside in", "leaky"): {"out": ("low", "normal"), "screen": ("low", "normal"), "foot": ("high",), "in": ("high",)},
    ("beside in", "open"): {"out": ("normal",), "screen": ("normal",), "foot": ("normal",), "in": ("normal",)},
    ("beside screen", "shorted"): {"out": ("normal", "high"), "screen": ("zero",), "foot": ("zero", "low"), "in": ("normal",)},
    ("beside out", "shorted"): {"out": ("zero",), "screen": ("low", "normal"), "foot": ("low", "normal"), "in": ("normal",)},
    ("beside foot", "shorted"): {"out": ("low", "normal"), "screen": ("low", "normal"), "foot": ("zero",), "in": ("normal",)},
    ("line", "open"): {"line": ("zero", "low")}, ("line", "drifted"): {"line": ("low",)},
    ("across line", "open"): {"line": ("high",)}, ("across line", "drifted"): {"line": ("high",)},
    ("beside line", "open"): {"line": ("normal",)}, ("beside line", "shorted"): {"line": ("zero",)},
    ("beside line", "leaky"): {"line": ("low", "zero")},
    ("device", "dead"): {"out": ("normal", "high"), "screen": ("high",), "foot": ("zero",), "in": ("normal", "high")},
    ("device", "weak"): {"out": ("normal", "high"), "screen": ("high", "normal"), "foot": ("low",), "in": ("normal",)},
}  # fmt: skip
#: A pin shows what its sign foretells in so many cases.
_FITS = 0.93
#: Parts of the stage that no pin names.
_UNNAMED = 0.03
#: A check of the part itself: it was wrong in so many cases where the part is bad, and where it is good.
_CHECKED = (0.97, 0.02)


@dataclass(frozen=True)
class SuspectPart:
    """A part with how likely it is the one, how it would have failed, and the pin that says so."""

    part: Part
    probability: float
    failure: Failure
    device: str = ""
    does: str = ""
    is_checked: bool = False


def _top_of(own: Sequence[RowState], rows: Sequence[RowState]) -> float:
    """The rail that a device hangs from by its foot (V), as a PNP transistor under a positive supply does; 0 for one that stands on ground."""
    feet = [r.row.nominal for r in own if _DOES.get(r.row.electrode) == "foot" and r.row.is_known]
    outs = [r.row.nominal for r in own if _DOES.get(r.row.electrode) == "out" and r.row.is_known]
    if not feet or not outs or feet[0] <= outs[0]:
        return 0.0
    rails = [r.row.nominal for r in rows if not r.row.device and r.row.nominal >= feet[0]]
    return min(rails, default=feet[0])


def level_of(row: RowState, top: float = 0.0) -> Level | None:
    """What a row shows, counted from ground, or down from the rail ``top`` (V) that its device hangs from; None where it was not read, or
    nobody knows what should stand there."""
    value = None if row.now is None else (0.0 if row.now.reading.word == "nothing" else row.now.reading.value)
    if value is None or not row.row.is_known:
        return None
    low, high = sorted((row.low, row.high))
    if low <= value <= high:
        return "normal"
    nominal = row.row.nominal
    if top:
        value, nominal, low, high = top - value, top - nominal, top - high, top - low
    if abs(nominal) > 0.3 and abs(value) < 0.08 * abs(nominal):
        return "zero"
    if nominal < 0 and _DOES.get(row.row.electrode) != "in":
        return "high" if value < low else "low"
    return "high" if value > high else "low"


def suspect_parts(state: JobState, rows: Sequence[RowState], stages: Sequence[str]) -> tuple[SuspectPart, ...]:
    """The parts of these stages, the likeliest first, by the voltages that were read there and the checks that were made."""
    parts = {p.id: p for p in state.sheet.parts}
    found: list[tuple[float, SuspectPart]] = []
    named: set[str] = set()
    every = row_states(state)
    by_device: dict[str, list[RowState]] = {}
    for r in rows:
        if r.row.device or _does(r):
            by_device.setdefault(r.row.device or r.row.id, []).append(r)
    shown = {
        d: {does: level for r in own if (does := _does(r)) and (level := level_of(r, _top_of(own, every)))}
        for d, own in by_device.items()
    }
    full = {d: _stands_full(own, every) for d, own in by_device.items()}
    for device, own in by_device.items():
        # A part of this device leaves the others as they should be.
        others = math.prod(_fits({}, shown[d], full[d]) for d in by_device if d != device)
        for role, part_id in _roles(own, device):
            part = parts.get(part_id)
            if part is None or not part.kind:
                continue
            named.add(part_id)
            if role == "beside line" and part.kind != "capacitor":
                # A resistor or a switch from the line to ground: open, it lets the line go.
                role = "across line"
            for (kind, failure), often in _OFTEN.items():
                sign = _SIGNS.get((role, failure))
                if kind == part.kind and sign is not None:
                    weight = often * others * _fits(sign, shown[device], full[device])
                    found.append((weight, SuspectPart(part, 0.0, failure, device, role)))
    sound = math.prod(_fits({}, shown[d], full[d]) for d in shown)
    for part in state.sheet.parts:
        if part.stage in stages and part.id not in named and part.kind:
            found.append((_UNNAMED * sound, SuspectPart(part, 0.0, "open")))
    return _ranked(state, found)


def _does(row: RowState) -> str:
    """What a row's place is to its device, or ``line`` where it stands on a line that no device hangs from; empty where it is neither."""
    if row.row.device:
        return _DOES.get(row.row.electrode, "")
    return "line" if row.row.through or row.row.beside else ""


def _stands_full(own: Sequence[RowState], rows: Sequence[RowState]) -> frozenset[str]:
    """The pins whose whole feed stands inside their limits: without any current they read as they should."""
    feeds = {r.row.id: r.row.nominal for r in rows}
    full = set()
    for r in own:
        feed = feeds.get(r.row.fed_from)
        if feed is not None and r.row.electrode in _DOES and min(r.low, r.high) <= feed <= max(r.low, r.high):
            full.add(_DOES[r.row.electrode])
    return frozenset(full)


def _fits(sign: _Shown, shown: Mapping[str, Level], full: frozenset[str]) -> float:
    """How well what the pins show agrees with a sign; a pin that it does not name stays normal."""
    made = 1.0
    for does, level in shown.items():
        foretold = sign.get(does, ("normal",))
        if does in full and "high" in foretold:
            foretold = tuple({*foretold, "normal"})
        made *= _FITS / len(foretold) if level in foretold else (1.0 - _FITS) / (4 - len(foretold))
    return made


def _roles(rows: Sequence[RowState], device: str) -> list[tuple[str, str]]:
    """(what it is to the device, part) of each part that its pins name."""
    found = [("device", device)]
    for r in rows:
        does = _does(r)
        if does:
            found += [(does, p) for p in r.row.through]
            found += [(f"beside {does}", p) for p in r.row.beside]
    return list(dict.fromkeys(found))


def _ranked(state: JobState, found: Sequence[tuple[float, SuspectPart]]) -> tuple[SuspectPart, ...]:
    """The best way to fail stands for each part; what was checked, and what was seen on it, counts."""
    total: dict[str, float] = {}
    best: dict[str, tuple[float, SuspectPart]] = {}
    seen = {on for f in state.shop.standing_findings() if f.look == "wrong" for on in f.on}
    checks: dict[str, bool] = {}
    since = max((t.seq for t in state.touches), default=0)
    for c in state.checks:
        if c.part and c.seq > since:
            checks[c.part] = c.wrong
    for weight, suspect in found:
        of = suspect.part.id
        if of in checks:
            weight *= _CHECKED[0] if checks[of] else 1.0 - _CHECKED[0]
        elif checks:
            weight *= _CHECKED[1] if any(checks.values()) else 1.0
        weight *= 3.0 if of in seen else 1.0
        total[of] = total.get(of, 0.0) + weight
        if of not in best or weight > best[of][0]:
            best[of] = (weight, suspect)
    whole = sum(total.values()) or 1.0
    ranked = [
        SuspectPart(s.part, total[of] / whole, s.failure, s.device, s.does, of in checks) for of, (_, s) in best.items()
    ]
    return tuple(sorted(ranked, key=lambda s: -s.probability))
