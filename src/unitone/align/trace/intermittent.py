"""An intermittent watched: when a reading dropped out, what was moved just before, and which of the things that were moved it points to.

Each movement of a thing is a trial: did the reading drop out within a moment of it? A thing that is the cause lets it drop out nearly
every time; any other does so as often as the reading drops out by itself.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from unitone.job.checks import Watch

#: A drop-out within so many seconds of a movement goes with it (common practice, no source).
WITHIN_S = 1.5
#: The cause shows at a movement in so many cases; a thing that is not, at the least in so many.
_SHOWS, _CHANCE = 0.9, 0.03
#: None of the things that were moved is the cause, against any one of them.
_NONE = 0.5
#: A reading that falls by so many of its units, or by such a share of its usual value, has dropped out.
DROP_SHARE = 0.3


@dataclass(frozen=True)
class Moved:
    """A thing that was moved: how often, how often a drop-out went with it, and how likely it is the cause."""

    what: str
    times: int
    drops: int
    probability: float


def rank(watches: Sequence[Watch]) -> tuple[Moved, ...]:
    """The things that were moved, the likeliest first; empty where nothing was."""
    trials: dict[str, list[bool]] = {}
    alone, quiet_s = 0, 0.0
    for watch in watches:
        went = [_near(watch.drops, at) for at, _ in watch.moved]
        for (_, what), hit in zip(watch.moved, went, strict=True):
            trials.setdefault(what, []).append(hit)
        windows = [(at, at + WITHIN_S) for at, _ in watch.moved]
        alone += sum(not any(a <= d <= b for a, b in windows) for d in watch.drops)
        quiet_s += max(watch.seconds - WITHIN_S * len(windows), 0.0)
    if not trials:
        return ()
    # How often it drops out by itself within such a moment: while nothing was moved, and by what most of the things show.
    shares = sorted(sum(hits) / len(hits) for hits in trials.values())
    usual = shares[(len(shares) - 1) // 2]
    by_itself = 1.0 - math.exp(-WITHIN_S * alone / quiet_s) if quiet_s > 0 else 0.0
    chance = min(max(by_itself, 0.7 * usual, _CHANCE), 0.6)
    logs = {what: _log(hits, _SHOWS) - _log(hits, chance) for what, hits in trials.items()}
    top = max([0.0, *logs.values()])
    weights = {what: math.exp(x - top) for what, x in logs.items()}
    whole = sum(weights.values()) + _NONE * math.exp(-top)
    found = [Moved(what, len(hits), sum(hits), weights[what] / whole) for what, hits in trials.items()]
    return tuple(sorted(found, key=lambda m: -m.probability))


def _near(drops: Iterable[float], at: float) -> bool:
    return any(at <= d <= at + WITHIN_S for d in drops)


def _log(hits: Sequence[bool], share: float) -> float:
    return sum(math.log(share if hit else 1.0 - share) for hit in hits)


class Watcher:
    """A reading as it is watched: ``take`` each figure with its time; drop-outs, ends and movements are kept."""

    def __init__(self) -> None:
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
        fell = self._usual - value > max(DROP_SHARE * abs(self._usual), 1e-6)
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
