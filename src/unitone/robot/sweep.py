"""Sweeps by simulated hands: what the sweep coach brings a core to, how fast, beside the same hand that watches a needle alone."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal, Protocol

import numpy as np

from unitone.align.sweep.coach import SweepCoach
from unitone.simulator.mechanics import stream
from unitone.simulator.one_adjuster import Class
from unitone.simulator.sweeping_hand import SweepingHand, sweep_made

Way = Literal["coach", "needle alone"]
#: What a hand is told; the other codes say how it stands.
COMMANDS = (
    "turn",
    "back",
    "slowly back",
    "straight back",
    "stop",
    "on a little",
    "back a little",
    "outwards",
    "no second peak",
)
#: One core in so many is tried with two peaks as well, by hands that look for the second and by hands that do not.
_TWO_OF = 10
#: A sweep that goes on for longer has failed (seconds).
_MOST_S = 120.0
#: A core called peaked that has lost more (dB), or whose peak lies elsewhere, is called so wrongly.
_WRONG_DB = 1.0


@dataclass(frozen=True)
class Swept:
    """One core: its class, what was said at the end, what it lost against its best (dB), and the seconds it took."""

    seed: int
    kind: Class
    said: str
    loss_db: float
    seconds: float
    #: Of a core with two peaks: does it stand on the outer one?
    outer: bool = False

    @property
    def wrong(self) -> bool:
        """Was a peak called that is none, or another thing that is not so?"""
        right = {"dead": ("no effect",), "no-peak": ("at stop",)}.get(self.kind, ("peaked",))
        if self.said == "too long":
            return False
        return self.said not in right or ("peaked" in right and self.loss_db > _WRONG_DB)


class _Guide(Protocol):
    def take(self, seconds: float, height_db: float) -> tuple[str, int]:
        """One reading more; what holds now, and how many commands there were."""

    def felt_stop(self) -> tuple[str, int]:
        """The core is at its stop."""


class _Coach:
    def __init__(self, looks: bool = False) -> None:
        self._coach, self._looks = SweepCoach(), looks

    def take(self, seconds: float, height_db: float) -> tuple[str, int]:
        said = self._coach.take(seconds, height_db)
        if self._looks and self._coach.can_look:
            said = self._coach.look_beyond()
        return said.code, said.count

    def felt_stop(self) -> tuple[str, int]:
        said = self._coach.felt_stop()
        return said.code, said.count


class NeedleAlone:
    """The usual way without a coach: over the top until half a decibel less is seen, back over it, and slowly to the highest that was seen."""

    _SEEN_DB, _NEAR_DB, _EYE = 0.8, 0.15, 5

    def __init__(self) -> None:
        self._y: list[float] = []
        self._top = self._high = -np.inf
        self._low = np.inf
        self._passes = 0
        self._count, self._said = 1, "turn"
        self._stops = 0
        self._since = 0

    def take(self, seconds: float, height_db: float) -> tuple[str, int]:
        """See the protocol."""
        del seconds
        self._y.append(height_db)
        now = float(np.mean(self._y[-self._EYE :]))
        if len(self._y) < 2 * self._EYE:
            return "hold", 0
        self._top = max(self._top, now)
        # A turn was made where the reading falls: it rises again before a top is passed the next time.
        if now < self._low:
            self._low = self._high = now
        self._high = max(self._high, now)
        passed = now < self._high - self._SEEN_DB and (self._passes == 0 or self._high > self._low + self._SEEN_DB)
        if self._passes == 0 and now < self._y[0] - self._SEEN_DB - 0.5 and self._count == 1:
            self._tell("back")
        elif self._passes < 2 and passed:
            self._passes += 1
            self._tell("back" if self._passes < 2 else "slowly back")
        elif self._passes == 2 and self._high > self._low + self._SEEN_DB and now > self._top - self._NEAR_DB:
            self._passes = 3
            self._tell("stop")
        elif self._passes == 2 and passed and len(self._y) - self._since > 30:
            self._tell("slowly back")
        elif self._passes == 3 and len(self._y) - self._since > 16:
            return "peaked", self._count
        return self._said, self._count

    def felt_stop(self) -> tuple[str, int]:
        """See the protocol."""
        self._stops += 1
        if self._stops > 1:
            return ("at stop" if self._y[-1] > self._y[2 * self._EYE] + self._SEEN_DB else "no effect"), self._count
        self._tell("back")
        return self._said, self._count

    def _tell(self, what: str) -> None:
        self._said, self._since = what, len(self._y)
        self._low, self._high = np.inf, -np.inf
        self._count += 1


def kind_of(seed: int) -> Class:
    """Of what class the core of a seed is: most are cores with a peak, some do nothing, some peak outside their travel."""
    share = stream(seed, "sweep class").random()
    return "normal" if share < 0.85 else "dead" if share < 0.925 else "no-peak"


def sweep_one(seed: int, way: Way = "coach", kind: Class | None = None, looks: bool = False) -> Swept:
    """One core swept by one hand, which ``looks`` for a second peak once it has found one."""
    kind = kind or kind_of(seed)
    hand = SweepingHand(*sweep_made(kind, seed), seed)
    guide: _Guide = _Coach(looks) if way == "coach" else NeedleAlone()
    told, at_stop = 0, False
    while hand.seconds < _MOST_S * (2 if looks else 1):
        code, count = guide.take(hand.seconds, hand.tick())
        was_at_stop, at_stop = at_stop, hand.at_stop
        if at_stop and not was_at_stop:
            code, count = guide.felt_stop()
        if count != told and code in COMMANDS:
            hand.tell(code)
            told = count
        if code in ("peaked", "no effect", "at stop"):
            return Swept(seed, kind, code, hand.loss_db, hand.seconds, hand.on_outer)
    return Swept(seed, kind, "too long", hand.loss_db, hand.seconds, hand.on_outer)


def summed(found: list[Swept]) -> dict[str, Any]:
    """Losses of the cores with a peak, and the verdicts of all."""
    peaks = [s for s in found if s.kind in ("normal", "two-peaks")]
    losses = np.array([s.loss_db for s in peaks]) if peaks else np.zeros(1)
    return {
        "loss_db": {
            "mean": round(float(losses.mean()), 3), "median": round(float(np.median(losses)), 3),
            "p95": round(float(np.quantile(losses, 0.95)), 3), "max": round(float(losses.max()), 3),
        },
        "seconds_per_set": round(float(np.mean([s.seconds for s in found])), 1) if found else None, "wrong_verdicts": sum(s.wrong for s in found),
        "unfinished": sum(s.said == "too long" for s in found),
    }  # fmt: skip


def run_sweep_trial(sets: int, seed: int = 1, workers: int = 1) -> dict[str, Any]:
    """Cores of the seeds from ``seed`` on, by the coach and by the same hands watching a needle alone."""
    seeds = range(seed, seed + sets)
    if workers > 1:
        with ProcessPoolExecutor(workers) as pool:
            coach = list(pool.map(sweep_one, seeds, chunksize=8))
            alone = list(pool.map(partial(sweep_one, way="needle alone"), seeds, chunksize=8))
    else:
        coach = [sweep_one(s) for s in seeds]
        alone = [sweep_one(s, "needle alone") for s in seeds]
    few = [s for s in seeds if s % _TWO_OF == 0]
    looked, passed = ([sweep_one(s, kind="two-peaks", looks=looks) for s in few] for looks in (True, False))
    classes = {k: sum(s.kind == k for s in coach) for k in ("normal", "dead", "no-peak")}
    return {
        "task": "sweep", "sets": sets, "seed": seed, "classes": classes, **summed(coach),
        "two_peaks": {
            "sets": len(few), "outer": sum(s.outer and s.said == "peaked" for s in looked), "outer_without_looking": sum(s.outer for s in passed),
            **summed(looked),
        },
        "baselines": [{"name": "the same hand, watching the needle alone", **summed(alone)}],
        "problems": [{"seed": s.seed, "what": f"{s.kind}: {s.said}, {s.loss_db:.2f} dB"} for s in coach if s.wrong or s.said == "too long"],
    }  # fmt: skip
