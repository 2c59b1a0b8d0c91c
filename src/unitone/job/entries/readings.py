"""A reading on the log: one logged value, under which conditions, from which instrument."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar

import msgspec

from unitone.job.conditions import conditions_from_json, conditions_to_data
from unitone.job.entries.base import Entry, Kind
from unitone.job.records import Logged
from unitone.quantities.entry import Bound
from unitone.sheet.model.sheet import Conditions

if TYPE_CHECKING:
    from unitone.job.state import JobState


class Reading(Kind, frozen=True):
    """One logged value: what, under which conditions, how much, from which instrument.

    ``raw`` is what the instrument said where a correction was applied, ``u`` the
    standard uncertainty that the instrument gives it (canonical unit), ``std`` the
    spread that was seen.
    """

    kind: ClassVar[str] = "reading"
    can_be_voided: ClassVar[bool] = True

    quantity_id: str = msgspec.field(name="quantity")
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
        """As it stands on disk; nothing that is None or empty is written but the value itself."""
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
    def reads(cls, text: str | bytes) -> Reading:
        """From JSON; conditions are made once for each text. Raises msgspec.DecodeError, TapeError."""
        quantity_id, conditions, *rest = msgspec.structs.astuple(_WRITTEN.decode(text))
        return cls(quantity_id, conditions_from_json(conditions), *rest)

    def apply(self, state: JobState, at: Entry) -> None:
        """The reading stands with the positions that the adjusters have."""
        logged = Logged(at.seq, at.id, at.utc, self, state.positions, at.bench_s)
        state.readings.append(logged)
        of_quantity = state.by_quantity.get(self.quantity_id)
        if of_quantity is None:
            of_quantity = state.by_quantity[self.quantity_id] = []
        of_quantity.append(logged)
        if self.conditions.test_point is not None:
            point = (self.quantity_id, self.conditions)
            state.points[point] = logged
            state.points_found.setdefault(point, logged)
        found = state.found
        for key in state.answers(self):
            state.latest[key] = logged
            if key not in found:
                found[key] = logged
                state.found_clean[key] = key not in state.reached


def _written() -> Any:
    """A reading as it is written: the same fields, its conditions not yet read."""
    of = [
        (f.encode_name, msgspec.Raw if f.name == "conditions" else f.type, *(() if f.required else (f.default,)))
        for f in msgspec.structs.fields(Reading)
    ]
    return msgspec.defstruct("WrittenReading", of)


_WRITTEN: msgspec.json.Decoder[Any] = msgspec.json.Decoder(_written())
