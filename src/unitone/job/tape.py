"""The tape: a job's append-only record. A correction is a new entry that strikes an old one."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

from unitone.errors import TapeError
from unitone.quantities.entry import Bound
from unitone.sheet.model.sheet import Conditions

Kind = Literal[
    "open", "kit", "phase", "goto", "hook-up", "set-up", "reading", "turn", "concluded", "note", "status", "strike",
    "finish", "touch", "judge", "schools", "variant", "instruments",
    "tried", "loose", "tied", "damage", "mended", "trial",
    "card", "finding", "supply", "capacitor", "part", "time", "on-air", "control", "handed", "archive",
    "damaged",
]  # fmt: skip
KINDS: frozenset[str] = frozenset(Kind.__args__)  # type: ignore[attr-defined]


class Entry(NamedTuple):
    """One entry: ULID, running number in its job, kind, UTC (ISO 8601), bench-seconds, and the data of its kind."""

    id: str
    seq: int
    kind: str
    utc: str
    bench_s: float
    data: dict[str, Any]


def damaged_entry(entry: Entry) -> Entry:
    """An entry whose data cannot be read: its place on the tape stays, and what it was is not known any more."""
    return Entry(entry.id, entry.seq, "damaged", entry.utc, entry.bench_s, {"was": entry.kind})


class Reading(NamedTuple):
    """One logged value: what, under which conditions, how much, from which instrument.

    ``raw`` is what the instrument said where a correction was applied, ``u`` the
    standard uncertainty that the instrument gives it (canonical unit), ``std`` the
    spread that was seen.
    """

    quantity_id: str
    conditions: Conditions
    value: float | None
    instrument: str
    source: str
    std: float | None = None
    bound: Bound = ""
    word: str = ""
    raw: float | None = None
    correction: float = 0.0
    typed: str = ""
    u: float | None = None
    warning: str = ""

    def to_data(self) -> dict[str, Any]:
        """As plain data for the tape; nothing that is None or empty is written."""
        data: dict[str, Any] = {
            "quantity": self.quantity_id,
            "conditions": conditions_to_data(self.conditions),
            "value": self.value,
            "instrument": self.instrument,
            "source": self.source,
        }
        optional = {
            "std": self.std, "bound": self.bound, "word": self.word, "raw": self.raw,
            "correction": self.correction, "typed": self.typed, "u": self.u, "warning": self.warning,
        }  # fmt: skip
        return {**data, **{k: v for k, v in optional.items() if v not in (None, "", 0.0)}}

    @classmethod
    def from_data(cls, data: dict[str, Any]) -> Reading:
        """From the tape."""
        get = data.get
        return cls(
            data["quantity"], conditions_from_data(data["conditions"]), data["value"], data["instrument"], data["source"],
            get("std"), get("bound", ""), get("word", ""), get("raw"), get("correction", 0.0), get("typed", ""), get("u"),
            get("warning", ""),
        )  # fmt: skip


def conditions_to_data(conditions: Conditions) -> dict[str, Any]:
    """Conditions as plain data, without what is not given."""
    data = {k: v for k, v in conditions.__dict__.items() if v not in (None, ())}
    if conditions.panel:
        data["panel"] = dict(conditions.panel)
    return data


#: Conditions come again and again on a tape: one object for each, so that comparing them is quick.
_KNOWN: dict[tuple[Any, ...], Conditions] = {}
_MOST_KNOWN = 20_000


def conditions_from_data(data: dict[str, Any]) -> Conditions:
    """The inverse of ``conditions_to_data``. Raises TapeError for a key that conditions do not have."""
    panel = data.get("panel")
    # In the order in which they are written: one object may stand here under several keys.
    key = (*data.items(),) if panel is None else (*[x for x in data.items() if x[0] != "panel"], *panel.items())
    try:
        found = _KNOWN.get(key)
    except TypeError:
        raise TapeError(f"Conditions {sorted(data)} are not known: this tape needs a newer Unitone.") from None
    if found is None:
        try:
            found = Conditions(**{**data, "panel": tuple(sorted(panel.items())) if panel else ()})
        except TypeError:
            raise TapeError(f"Conditions {sorted(data)} are not known: this tape needs a newer Unitone.") from None
        if len(_KNOWN) >= _MOST_KNOWN:
            _KNOWN.clear()
        _KNOWN[key] = found
    return found


@dataclass(frozen=True)
class Card:
    """The card of a job: which radio, whose, what is said to be wrong."""

    number: int
    sheet_id: str
    serial: str = ""
    owner: str = ""
    complaint: str = ""
    standin_seed: int | None = None
    accessories: tuple[str, ...] = field(default=())
    missing: tuple[str, ...] = field(default=())
    call_sign: str = ""
    first_look: str = ""
    #: The fault of a stand-in, by its id in the physics file; "" for a sound one.
    standin_fault: str = ""

    def to_data(self) -> dict[str, Any]:
        """As plain data; what came after the first logbooks is written only where it says something."""
        data = {**self.__dict__, "accessories": list(self.accessories), "missing": list(self.missing)}
        return {k: v for k, v in data.items() if v or k not in ("missing", "call_sign", "first_look", "standin_fault")}

    @classmethod
    def from_data(cls, data: dict[str, Any]) -> Card:
        """From plain data. Raises TapeError for what a card does not have."""
        lists = {k: tuple(data.get(k, ())) for k in ("accessories", "missing")}
        try:
            return cls(**{**data, **lists})
        except TypeError:
            raise TapeError(f"A card with {sorted(data)} is not known: this tape needs a newer Unitone.") from None
