"""The shapes of what the Trace view shows: immutable, known to no widget and to no session."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from unitone.align.trace.advice import Act
from unitone.present.bench.bench_shapes import BoardPicture, Pin, TapeCell

RungMark = Literal["todo", "ok", "weak", "dead", "here", "break", "unknown"]


@dataclass(frozen=True)
class RungView:
    """A rung of the ladder: where it is fed, what it took, what was expected, and the stages that feed it from the side."""

    id: str
    title: str
    detail: str
    value: str
    expected: str
    mark: RungMark
    #: How much more than expected it needs (dB), for the bar; None where it was not heard, or not tested.
    excess_db: float | None
    beside: str
    current: bool


@dataclass(frozen=True)
class BranchView:
    """What stands beside the ladder: where it comes from and what it acts on, what was read of it, what was expected."""

    id: str
    title: str
    detail: str
    value: str
    expected: str
    mark: RungMark
    current: bool


@dataclass(frozen=True)
class TraceCoach:
    """What to do now: headline, why, the danger, what the main button does; and how many other tests there are."""

    act: Act
    stage: str
    part: str
    headline: str
    detail: str
    caution: str
    measurable: bool
    others: int
    #: A generator's level is asked, and a mark may stand for it.
    marks: bool = True


@dataclass(frozen=True)
class SuspectView:
    """A stage with how likely it is the bad one (per cent)."""

    title: str
    percent: float
    words: str


@dataclass(frozen=True)
class PinView:
    """A row of the voltage table of a stage."""

    row: str
    pin: str
    feeds: str
    should: str
    value: str
    mark: str
    measurable: bool


@dataclass(frozen=True)
class PartView:
    """A part in the order of suspicion."""

    id: str
    title: str
    how: str
    percent: float
    checked: bool


@dataclass(frozen=True)
class StageView:
    """The stage that is looked at, pin by pin, what the voltages say, and where to look first."""

    id: str
    title: str
    pins: tuple[PinView, ...] = ()
    meter: str = ""
    meaning: str = ""
    parts: tuple[PartView, ...] = ()
    picture: BoardPicture | None = None
    board_pins: tuple[Pin, ...] = ()


@dataclass(frozen=True)
class MovedView:
    """A thing that was moved while a reading was watched."""

    what: str
    words: str
    percent: float


@dataclass(frozen=True)
class NoiseView:
    """The noise hunt: the question at hand, what was answered, and where the answers point to."""

    question: str
    words: str
    how: str
    answered: tuple[tuple[str, str, bool], ...]
    places: tuple[tuple[str, str, float], ...]
    #: The stage that makes it, once it is known, and what it does, in a word.
    stage: str = ""
    does: str = ""


@dataclass(frozen=True)
class TraceView:
    """The whole view of one job's trace."""

    job_id: str
    seq: int
    number: int
    title: str
    dial: str
    #: Which ladder is shown, and whether there is another to show.
    way: str
    both_ways: bool
    #: The mode whose ladder it is, and those that have one of their own; empty where all modes take the same way.
    mode: str
    modes: tuple[str, ...]
    simulated: bool
    finished: bool
    #: Why nothing can be traced here; empty where it can.
    empty: str
    output: str
    rungs: tuple[RungView, ...]
    branches: tuple[BranchView, ...]
    coach: TraceCoach
    suspects: tuple[SuspectView, ...]
    tests: int
    #: Findings that do not fit, or what else is to be known of the search.
    odd: str
    stage: StageView
    #: The steps whose reading can be watched (id, title), and the one at hand.
    steps: tuple[tuple[str, str], ...]
    step: str
    #: A reading that falls by so much has dropped out; zero: by a share of its usual value.
    drop_by: float
    moved: tuple[MovedView, ...]
    watched: str
    noise: NoiseView
    log: tuple[TapeCell, ...] = field(default=())
