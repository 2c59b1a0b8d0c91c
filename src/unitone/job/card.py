"""The card of a job: which radio, whose, what is said to be wrong."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import msgspec

from unitone.errors import TapeError


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
        try:
            unknown = sorted(set(data) - set(cls.__dataclass_fields__))
            made = msgspec.convert(data, cls)
        except (msgspec.ValidationError, TypeError) as error:
            raise TapeError(f"The card of this job is damaged ({error}). Restore a backup.") from None
        if unknown:
            raise TapeError(f"A card with {unknown} is not known: this log needs a newer Unitone.")
        return made
