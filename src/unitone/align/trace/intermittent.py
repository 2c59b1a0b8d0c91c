"""An intermittent watched: when a reading dropped out, what was moved just before, and which of the things that were moved it points to.

Each movement of a thing is a trial: did the reading drop out within a moment of it? A thing that is the cause lets it drop out nearly
every time; any other does so as often as the reading drops out by itself.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from unitone.job.checks import Watch

#: A drop-out within so many seconds of a movement goes with it (common practice, no source).
WITHIN_S = 1.5
#: The cause shows at a movement in so many cases.
_SHOWS = 0.9
#: None of the things that were moved is the cause, against any one of them.
_NONE = 0.5
#: A reading that falls by such a share of its usual value, or by so many decibels, has dropped out (common practice, no source).
DROP_SHARE, DROP_DB = 0.3, 6.0


@dataclass(frozen=True)
class Moved:
    """A thing that was moved: how often, how often a drop-out went with it, and how likely it is the cause."""

    what: str
    times: int
    drops: int
    probability: float


def rank(watches: Sequence[Watch]) -> tuple[Moved, ...]:
    """The things that were moved, the likeliest first; empty where nothing was.

    Drop-outs by themselves come at a steady rate; one that a movement makes comes soon after it. The likelihood of each movement with
    the drop-outs after it, for a thing that is the cause against one that is not, is that of a marked point process.
    """
    trials: dict[str, list[list[float]]] = {}
    drops, seconds = 0, 0.0
    for watch in watches:
        drops, seconds = drops + len(watch.drops), seconds + watch.seconds
        for at, what in watch.moved:
            trials.setdefault(what, []).append([d - at for d in watch.drops if 0.0 <= d - at <= WITHIN_S])
    if not trials:
        return ()
    # Half a drop-out more, so that a quiet watch is no proof of perfect quiet.
    chance = (drops + 0.5) / max(seconds, WITHIN_S)
    logs = {what: sum(_log(after, chance) for after in moves) for what, moves in trials.items()}
    top = max([0.0, *logs.values()])
    weights = {what: math.exp(x - top) for what, x in logs.items()}
    whole = sum(weights.values()) + _NONE * math.exp(-top)
    found = [
        Moved(what, len(moves), sum(bool(after) for after in moves), weights[what] / whole)
        for what, moves in trials.items()
    ]
    return tuple(sorted(found, key=lambda m: -m.probability))


def _log(after: Sequence[float], chance: float) -> float:
    """How much likelier the drop-outs after a movement are if it made one (natural logarithm)."""
    made = sum(_soon(delay) for delay in after)
    return math.log(1.0 - _SHOWS + _SHOWS * made / chance)


def _soon(delay: float) -> float:
    """Density (1/s) of the delay between a movement and the drop-out that it makes: level to half the moment, then falling to nothing."""
    level = 4.0 / (3.0 * WITHIN_S)
    return level * min(1.0, 2.0 - 2.0 * delay / WITHIN_S) if delay <= WITHIN_S else 0.0


class Watcher:
    """A reading as it is watched: ``take`` each figure with its time; drop-outs, ends and movements are kept."""

    def __init__(self, fall: float = 0.0) -> None:
        """``fall``: a reading that falls by so much has dropped out; zero: by a share of its usual value."""
        self._fall = fall
        self.values: list[tuple[float, float]] = []
        self.drops: list[float] = []
        self.moved: list[tuple[float, str]] = []
        self._usual: float | None = None
        self.is_out = False

    def take(self, seconds: float, value: float) -> bool:
        """One figure more; True where it has just dropped out. The usual value follows slowly, and not while it is out."""
        self.values.append((seconds, value))
        if self._usual is None:
            self._usual = value
            return False
        fell = self._usual - value > (self._fall or max(DROP_SHARE * abs(self._usual), 1e-6))
        began = fell and not self.is_out
        if began:
            self.drops.append(seconds)
        self.is_out = fell
        if not fell:
            self._usual += 0.1 * (value - self._usual)
        return began

    def drop(self, seconds: float) -> None:
        """A drop-out that was heard or seen, not read."""
        self.drops.append(seconds)

    def move(self, seconds: float, what: str) -> None:
        """A thing was moved now."""
        self.moved.append((seconds, what))

    @property
    def seconds(self) -> float:
        """How long it was watched."""
        times = [t for t, _ in self.values] + self.drops + [t for t, _ in self.moved]
        return max(times, default=0.0)

    @property
    def ends(self) -> tuple[float, float]:
        """The lowest and the highest figure; zeros before the first."""
        values = [v for _, v in self.values]
        return (min(values), max(values)) if values else (0.0, 0.0)
