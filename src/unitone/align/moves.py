"""What the coach says, as typed data. The sentence on screen is rendered from it (``coach.sentences``)."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from unitone.sheet.model.sheet import Conditions

Act = Literal["hook-up", "set-up", "measure", "turn", "log", "conclude", "go to", "seal", "finish", "done"]

#: Why the coach says what it says; one sentence each in ``coach.sentences``.
Why = Literal[
    "as-found", "first-reading", "closing", "other-channel", "re-check",
    "level-too-strong", "level-too-weak", "level-of-sheet", "level-next",
    "first-move", "uphill", "flank", "to-peak", "confirm-peak", "pair", "two-peaks", "read-again", "put-back", "by-ear", "level-check", "jumps",
    "stagger", "best-so-far", "even", "too-near-rating", "heat", "too-hot",
    "toward-target", "first-try", "past-target",
    "in-limits", "peaked", "set", "at-stop", "dead", "out-of-range", "no-convergence", "nothing-to-adjust", "found-level",
    "next-in-route", "stale", "still-out", "check-out", "route-done", "unsealed", "sealing", "finished", "receive", "send", "worked-twice",
    "accepted", "not-applicable", "worth-a-look", "nudge", "nudge-read", "nudge-back", "not-worth",
    "no-preset", "other-end", "ends-apart",
]  # fmt: skip

Outcome = Literal[
    "in-limits", "peaked", "set", "at-stop", "dead", "out-of-range", "no-convergence", "nothing-to-adjust",
    "judged", "even",
]  # fmt: skip


@dataclass(frozen=True)
class Advice:
    """The next move.

    ``act`` says what to do; of the other fields those are filled that the act
    needs: ``adjuster`` and ``move_mdeg`` for a turn, ``conditions`` for a
    set-up or a measurement, ``value`` (canonical unit) for a derived reading,
    ``way`` for a hook-up, ``outcome`` for a conclusion. ``numbers`` carries
    what the sentence quotes.
    """

    act: Act
    step: str
    why: Why
    adjuster: str = ""
    move_mdeg: int = 0
    conditions: Conditions | None = None
    value: float | None = None
    std: float | None = None
    way: str = ""
    #: What a measurement reads where that is not the step's own quantity (peaked by quieting, by audio volts, by ear).
    quantity: str = ""
    outcome: Outcome | None = None
    numbers: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Hill:
    """The fitted hill for the plot: turns, fitted values and their spread, in the quantity's peaking unit (dB)."""

    adjuster: str
    turns: tuple[float, ...]
    fitted: tuple[float, ...]
    spread: tuple[float, ...]
    peak_turns: float | None
    peak_std: float | None
