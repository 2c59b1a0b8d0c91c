"""The card of a job: which radio, whose, what is said to be wrong."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import msgspec

from unitone.errors import TapeError
from unitone.quantities.older_names import in_todays_names
from unitone.words import tr


@dataclass(frozen=True)
class Card:
    """The card of a job: which radio, whose, what is said to be wrong."""

    number: int
    sheet_id: str
    serial: str = ""
    owner: str = ""
    complaint: str = ""
    simulated_seed: int | None = None
    accessories: tuple[str, ...] = field(default=())
    missing: tuple[str, ...] = field(default=())
    call_sign: str = ""
    first_look: str = ""
    #: The fault of a simulated radio, by its id in the physics file; "" for a sound one.
    simulated_fault: str = ""

    def to_data(self) -> dict[str, Any]:
        """As plain data; what came after the first logbooks is written only where it says something."""
        data = {**self.__dict__, "accessories": list(self.accessories), "missing": list(self.missing)}
        return {
            k: v for k, v in data.items() if v or k not in ("missing", "call_sign", "first_look", "simulated_fault")
        }

    @classmethod
    def from_data(cls, data: dict[str, Any]) -> Card:
        """From plain data, of earlier versions too. Raises TapeError for what a card does not have."""
        data = in_todays_names(data)[0]
        try:
            unknown = sorted(set(data) - set(cls.__dataclass_fields__))
            made = msgspec.convert(data, cls)
        except (msgspec.ValidationError, TypeError) as error:
            raise TapeError(tr("The card of this job is damaged ({error}). Restore a backup.", error=error)) from None
        if unknown:
            raise TapeError(tr("A card with {unknown} is not known: this log needs a newer Unitone.", unknown=unknown))
        return made
