"""What the coach says, as typed data: one of a union of moves. The sentence on screen is rendered from it (``present.bench.sentences``)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from unitone.sheet.model.sheet import Conditions

#: Why the coach says what it says; one sentence each in ``present.bench.sentences``.
Why = Literal[
    "as-found", "first-reading", "closing", "other-channel", "recheck", "near-limit",
    "level-too-strong", "level-too-weak", "level-of-sheet", "level-next",
    "first-move", "uphill", "flank", "to-peak", "confirm-peak", "pair", "two-peaks", "read-again", "put-back", "by-ear", "level-check", "jumps",
    "stagger", "stagger-if", "staggered", "best-so-far", "even", "too-near-rating", "heat", "too-hot",
    "toward-target", "first-try", "past-target",
    "in-spec", "peaked", "set", "at-stop", "dead", "out-of-range", "no-convergence", "nothing-to-adjust", "found-level",
    "next-in-procedure", "stale", "still-out", "pulled", "check-out", "procedure-done", "unsealed", "sealing", "finished", "receive", "transmit",
    "worked-twice", "accepted", "not-applicable", "worth-a-look", "nudge", "nudge-read", "nudge-back", "not-worth", "try-first",
    "no-preset", "other-end", "ends-apart", "count", "trim", "on-frequency", "check-counter", "out-of-lock", "chart", "chart-read",
]  # fmt: skip

Outcome = Literal[
    "in-spec", "peaked", "set", "at-stop", "dead", "out-of-range", "no-convergence", "nothing-to-adjust",
    "judged", "even", "staggered",
]  # fmt: skip


@dataclass(frozen=True)
class _Move:
    """What every move has: the step that it belongs to, and why."""

    step: str
    why: Why


@dataclass(frozen=True)
class HookUp(_Move):
    """Hook the bench up for ``receive`` or ``send``, and confirm it."""

    act: ClassVar[Literal["hook-up"]] = "hook-up"
    way: str


@dataclass(frozen=True)
class SetUp(_Move):
    """Bring generator, channel and front panel to the conditions; ``quantity``: what is then read, where that is not the step's own."""

    act: ClassVar[Literal["set-up"]] = "set-up"
    conditions: Conditions
    quantity: str = ""


@dataclass(frozen=True)
class Measure(_Move):
    """Read under the conditions; ``quantity``: what is read where that is not the step's own (peaked by quieting, audio volts, ear)."""

    act: ClassVar[Literal["measure"]] = "measure"
    conditions: Conditions
    quantity: str = ""


@dataclass(frozen=True)
class Turn(_Move):
    """Turn an adjuster (millidegrees, clockwise positive)."""

    act: ClassVar[Literal["turn"]] = "turn"
    adjuster: str
    move_mdeg: int


@dataclass(frozen=True)
class Try(_Move):
    """Ask whether the step's adjusters are worth aligning: each is nudged, read and put back."""

    act: ClassVar[Literal["try"]] = "try"


@dataclass(frozen=True)
class LogLevel(_Move):
    """Log a level that follows from other readings (canonical unit, its spread)."""

    act: ClassVar[Literal["log"]] = "log"
    conditions: Conditions
    value: float
    std: float | None


@dataclass(frozen=True)
class Conclude(_Move):
    """The step is done with; ``adjuster``: the one that ended badly; ``gains``: what each adjuster gained (dB)."""

    act: ClassVar[Literal["conclude"]] = "conclude"
    outcome: Outcome
    adjuster: str = ""
    gains: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True)
class GoTo(_Move):
    """Go to that step."""

    act: ClassVar[Literal["go to"]] = "go to"


@dataclass(frozen=True)
class Seal(_Move):
    """Seal the cores, put the covers on."""

    act: ClassVar[Literal["seal"]] = "seal"


@dataclass(frozen=True)
class Finish(_Move):
    """Finish the job."""

    act: ClassVar[Literal["finish"]] = "finish"


@dataclass(frozen=True)
class Done(_Move):
    """The job is finished."""

    act: ClassVar[Literal["done"]] = "done"


#: Whatever the coach can say. A new move stands here, and mypy names every place that has to deal with it.
Advice = HookUp | SetUp | Measure | Turn | Try | LogLevel | Conclude | GoTo | Seal | Finish | Done


def conditions_of(advice: Advice) -> Conditions | None:
    """The conditions that a move is about; None for one that is about none."""
    return advice.conditions if isinstance(advice, SetUp | Measure | LogLevel) else None


def read_instead(advice: Advice) -> str:
    """The quantity that a move reads instead of its step's own; "" for the step's own."""
    return advice.quantity if isinstance(advice, SetUp | Measure) else ""


@dataclass(frozen=True)
class Hill:
    """The fitted hill for the plot: turns, fitted values and their spread, in the quantity's peaking unit (dB)."""

    adjuster: str
    turns: tuple[float, ...]
    fitted: tuple[float, ...]
    spread: tuple[float, ...]
    peak_turns: float | None
    peak_std: float | None
