"""What a tape says of the workshop's side of a job: findings, supply, capacitors, parts, time, reports, controls.

``take`` folds one entry into a ``Shop``; the job's state holds one. A struck entry
never comes here.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from unitone.job.tape import Entry
from unitone.radio.parts import CapacitorVerdict, Dielectric, judge_capacitor
from unitone.words import tr

#: How something looked at came out.
LOOKS = ("fine", "wrong", "mended")
#: What an on-air report may speak of, and the quantities that measure the same thing.
SPEAKS_OF: dict[str, tuple[str, ...]] = {
    "strength": ("tx.power", "tx.pep", "tx.field_strength"), "modulation": ("tx.deviation", "tx.am_depth"),
    "frequency": ("tx.frequency_error",), "reception": ("rx.sensitivity", "rx.sensitivity_am", "rx.sinad"), "other": (),
}  # fmt: skip
SUPPLY_PATHS = ("bench supply", "battery", "lamp limiter", "mains")
KINDS_OF_SHOP = frozenset({"finding", "supply", "capacitor", "part", "time", "on-air", "control", "handed", "archive"})


@dataclass(frozen=True)
class Finding:
    """Something that was looked at: which item, how it looked, in whose words, on which parts, what was done."""

    entry_id: str
    seq: int
    utc: str
    item: str
    look: str
    words: str
    on: tuple[str, ...] = ()
    done: str = ""
    stage: str = ""
    pictures: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Capacitor:
    """A capacitor as marked and measured (F, ohm, Hz), with what that says."""

    entry_id: str
    part: str
    dielectric: Dielectric
    marked: float
    measured: float
    esr: float | None
    at_hz: float
    verdict: CapacitorVerdict


@dataclass(frozen=True)
class PartUsed:
    """A part that was fitted: which, how many, what, instead of what, why that is right, and its price."""

    entry_id: str
    part: str
    count: int
    fitted: str
    instead: str
    why: str
    price: float | None


@dataclass(frozen=True)
class OnAir:
    """What somebody said of the radio on the air: evidence of low weight."""

    entry_id: str
    utc: str
    who: str
    speaks_of: str
    words: str


@dataclass
class Shop:
    """The workshop's side of a job so far."""

    findings: list[Finding] = field(default_factory=list)
    path: str = ""
    limit_a: float | None = None
    meter_ohm: float | None = None
    capacitors: dict[str, Capacitor] = field(default_factory=dict)
    parts: list[PartUsed] = field(default_factory=list)
    minutes: list[tuple[str, float, str]] = field(default_factory=list)
    on_air: list[OnAir] = field(default_factory=list)
    does: dict[str, str] = field(default_factory=dict)
    works: dict[str, tuple[bool, str]] = field(default_factory=dict)
    handed: tuple[str, str] | None = None
    archived: bool = False

    @property
    def minutes_spent(self) -> float:
        """All the time that was noted (minutes)."""
        return sum(m for _, m, _ in self.minutes)

    @property
    def parts_cost(self) -> float:
        """Price of the parts, of those that have one."""
        return sum((p.price or 0.0) * p.count for p in self.parts)

    def standing(self, item: str) -> Finding | None:
        """The last finding of an item, None where it was not looked at yet."""
        return next((f for f in reversed(self.findings) if f.item == item), None)

    def standing_findings(self) -> tuple[Finding, ...]:
        """Findings that still say something: the last on the same parts of an item; one of *fine* ends the item's others."""
        last: dict[tuple[str, tuple[str, ...]], Finding] = {}
        for f in self.findings:
            if f.look == "fine" and not f.on:
                last = {key: x for key, x in last.items() if key[0] != f.item}
            last[f.item, f.on] = f
        return tuple(last.values())

    def faults_on(self, name: str) -> tuple[Finding, ...]:
        """Findings that name this adjuster or part, the last of each item, where it was not fine."""
        last: dict[str, Finding] = {}
        for f in self.findings:
            if name in f.on:
                last[f.item] = f
            elif f.look == "fine" and not f.on:
                last.pop(f.item, None)
        return tuple(f for f in last.values() if f.look != "fine")


def finding_words(f: Finding) -> str:
    """``T2, T5: seal broken (mended: resealed)``."""
    where = ", ".join(f.on)
    said = f.words or (f.done if f.look == "mended" else "")
    words = f"{where}: {said}" if where and said else where or said
    if f.look == "mended" and f.done and f.words:
        words += tr(" (mended: {done})", done=f.done)
    return words or tr(f.look)


def take(shop: Shop, entry: Entry) -> None:
    """Fold one entry of a kind in ``KINDS_OF_SHOP``."""
    kind, data = entry.kind, entry.data
    if kind == "finding":
        shop.findings.append(
            Finding(
                entry.id, entry.seq, entry.utc, data["item"], data["look"], data.get("words", ""), tuple(data.get("on", ())),
                data.get("done", ""), data.get("stage", ""), tuple(data.get("pictures", {}).items()),
            )
        )  # fmt: skip
    elif kind == "supply":
        shop.path = data.get("path", shop.path)
        shop.limit_a = data.get("limit_a", shop.limit_a)
        shop.meter_ohm = data.get("meter_ohm", shop.meter_ohm)
    elif kind == "capacitor":
        shop.capacitors[data["part"]] = _capacitor(entry.id, data)
    elif kind == "part":
        shop.parts.append(
            PartUsed(entry.id, data["part"], data["count"], data["fitted"], data.get("instead", ""), data.get("why", ""), data.get("price"))
        )  # fmt: skip
    elif kind == "time":
        shop.minutes.append((entry.id, data["minutes"], data.get("what", "")))
    elif kind == "on-air":
        shop.on_air.append(OnAir(entry.id, entry.utc, data.get("who", ""), data["speaks_of"], data["words"]))
    elif kind == "control":
        if "does" in data:
            shop.does[data["control"]] = data["does"]
        if "works" in data:
            shop.works[data["control"]] = (data["works"], data.get("words", ""))
    elif kind == "handed":
        shop.handed = (entry.utc, data.get("to", ""))
    elif kind == "archive":
        shop.archived = bool(data["archived"])


def _capacitor(entry_id: str, data: dict[str, Any]) -> Capacitor:
    verdict = judge_capacitor(
        data["dielectric"], data["marked"], data["measured"], data.get("esr"), data.get("at_hz", 100.0)
    )
    return Capacitor(
        entry_id, data["part"], data["dielectric"], data["marked"], data["measured"], data.get("esr"), data.get("at_hz", 100.0), verdict
    )  # fmt: skip
