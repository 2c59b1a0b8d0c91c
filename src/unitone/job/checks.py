"""What the log holds of tracing: checks, watches of an intermittent, and answers of a noise hunt."""

from __future__ import annotations

from typing import Literal, NamedTuple

#: Looked at, flexed or tapped, a signal looked for, a part checked with the power off, a substitute tried, another amplifier listened to.
CheckWay = Literal["look", "flex", "signal", "ohms", "substitute"]


class Check(NamedTuple):
    """One check: where, how, whether something was wrong, of which part, in whose words."""

    seq: int
    entry_id: str
    utc: str
    stage: str
    way: CheckWay
    wrong: bool
    part: str
    words: str


class NoiseAnswer(NamedTuple):
    """The answer to a question of the noise hunt, and when it was given."""

    seq: int
    yes: bool


class Watch(NamedTuple):
    """A reading watched for so many seconds: its ends, when it dropped out (s), and what was moved when."""

    seq: int
    entry_id: str
    utc: str
    quantity: str
    seconds: float
    lowest: float
    highest: float
    drops: tuple[float, ...]
    moved: tuple[tuple[float, str], ...]
