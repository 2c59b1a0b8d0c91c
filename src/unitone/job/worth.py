"""Is it worth it? What the work costs so far against what the owner approved and what the radio is worth."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

from unitone.job.state import JobState

_FIGURE = re.compile(r"\d+(?:[.,]\d+)?")
#: From this share of what was approved on it is time to ask (common practice, no source).
_NEAR = 0.8
WorthFinding = Literal["", "near", "over approved", "over worth"]


def amount(typed: str) -> float | None:
    """The first figure in what was typed (``40.00``, ``40,00 €``, ``up to 40``); None where there is none."""
    found = _FIGURE.search(typed.replace("\u00a0", " "))
    return None if found is None else float(found[0].replace(",", "."))


@dataclass(frozen=True)
class Cost:
    """Work, parts and their sum, in the workshop's currency; ``work`` is None where no rate per hour is set."""

    work: float | None
    parts: float
    approved: float | None
    worth: float | None

    @property
    def total(self) -> float:
        """Work and parts together."""
        return (self.work or 0.0) + self.parts

    @property
    def finding(self) -> WorthFinding:
        """Over what the radio is worth, over what was approved, near that; empty where there is nothing to say."""
        if self.worth is not None and self.total > self.worth:
            return "over worth"
        if self.approved is None:
            return ""
        return (
            "over approved" if self.total > self.approved else "near" if self.total >= _NEAR * self.approved > 0 else ""
        )


def cost_of(state: JobState, rate: float | None) -> Cost:
    """What a job costs so far; ``rate`` per hour as the workshop set it."""
    hours = state.shop.minutes_spent / 60.0
    return Cost(
        None if rate is None else hours * rate, state.shop.parts_cost, amount(state.approved), amount(state.worth)
    )
