"""A job as the list of jobs shows it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class JobRow:
    """A job as the list shows it."""

    id: str
    number: int
    radio: str
    status: str
    updated: str
    card: dict[str, Any]
    summary: dict[str, Any]
    #: The bench that has it open, where that is another one.
    held: str = ""

    def to_data(self) -> dict[str, Any]:
        """As it is kept and exported."""
        return {name: value for name, value in self.__dict__.items() if name != "held"}
