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
