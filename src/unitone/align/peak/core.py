"""Peaking one adjuster: the next move is the one after which the least is expected to be lost.

The readings say where the top may lie (``unitone.align.peak.hill``). For every move worth thinking of, the readings that it might give
are played through, and what would then still be lost is averaged (expected value of information; H. Raiffa and R. Schlaifer,
Applied Statistical Decision Theory, 1961). It ends when another reading would gain less than it costs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from unitone.align.peak._faulty import LEAST, MISFIT, jumps, two_peaks
from unitone.align.peak.hill import (
    HALF_PLAY,
    LOSS_CAP,
    NEAR_TURNS,
    SHAPE_SHARE,
    Fit,
    Point,
    Sample,
    curve,
    draw,
    fit_hill,
    shape_db,
)
from unitone.sheet.model.sheet import TURN, Adjuster

#: A meter that lags by up to a second is left alone this long before it is read (seconds).
WAIT_S = 4.0
#: Hills drawn from the posterior, and readings played through for each move.
_HILLS, _PLAYED = 160, 24
#: What a reading costs, and an eighth of a turn (dB of expected loss).
_READING_DB, _EIGHTH_DB = 0.01, 0.0005
#: However little another reading gains: so much may still be lost at the end, on average, and at one in twenty (dB).
_ENOUGH_DB, _TAIL_DB = 0.05, 0.2
#: A verdict against an adjuster needs this probability; a wrong one is as bad as so many dB lost.
_CERTAIN, _WRONG_DB = 0.985, 2.0
#: Whether the top lies beyond a stop is worth knowing too, if less: there the part is changed, not the core turned on.
_BEYOND_DB = 0.6
_LEAST, _MOST = 3, 16
#: Readings of a level whose heights are held against no other level's, before anything is concluded from them.
_LEAST_ALONE = 2
#: So many readings within so much of a turn, and still so much lost on the average (dB): then as far as this beyond them.
_STUCK, _HUDDLED, _LOST_DB, _WIDE = 5, 1.0, 1.0, 1.5
#: To see whether a reading follows its level, the level is lowered by this (dB); it must fall by this share of it at least.
LEVEL_STEP_DB, FOLLOWS = 10.0, 0.78
#: A diode detector below its bend follows the square of its carrier: two dB for one, no more.
_SQUARE = 2.0
#: To move to a place that is better by less than this is idle (dB).
_IDLE_DB = 0.015
#: So many readings before a top is taken to be as narrow as the hand's own steps: of a null, and of a hill, which mostly is wider.
_PATIENT_NULL, _PATIENT = 2, 8
#: A null of so many of the hand's finest steps, or fewer, is read step by step.
_NARROW_STEPS = 4
#: A top that lies so many half-widths beyond a stop is out of reach; nearer to it nothing much is lost.
_BEYOND_WIDTHS = 0.1
#: Places that differ by less than this are much alike (dB).
_ALIKE_DB = 1.0
#: Where one circuit's hill does not fit, a reading counts the less for the top the further it lies under the best (dB for a dB).
_DOUBT = 0.2
#: Volts behind a detector and a gain control follow their level, but not dB for dB: by this share of a drop they may be bent.
_BENT = 0.12
#: What a diode detector makes of a dB near its bend, and how likely that is before the readings tell; from so many readings on.
_BENDS, _LEAST_BENT = ((1.0, 0.6), (1.4, 0.25), (1.9, 0.15)), 4
#: A height that far above one that followed its level is taken to follow it too (dB).
_PROVEN_DB = 1.0
#: No hand turns a core farther than this beyond where it was read, without a look at the meter (turns).
FARTHEST = 2.5
_EIGHTHS = (1, 2, 3, 4, 5, 6, 8, 10, 12, 16)

Why = Literal[
    "first-move", "uphill", "flank", "to-peak", "confirm-peak", "level-check", "level-too-strong",
    "two-peaks", "read-again", "by-ear", "pair", "put-back", "peaked", "at-stop", "dead", "jumps", "no-convergence",
]  # fmt: skip


@dataclass(frozen=True)
class Move:
    """What to do next: go to a position, read once more, change the level by ``level_db``, or stop for a reason.

    ``loss_db`` is what may still be lost on the average where the adjuster stands when it stops.
    """

    act: Literal["go", "read", "level", "stop"]
    target_mdeg: int = 0
    why: Why = "peaked"
    level_db: float = 0.0
    loss_db: float = 0.0


def scale_of(adjuster: Adjuster) -> float:
    """Turns are counted whole for cores; a trimmer's or preset's hill is some twelve times narrower."""
    return 1.0 if adjuster.kind == "core" else 1.0 / 12.0


def play_of(adjuster: Adjuster) -> float:
    """Half the play between hand and core (turns): a core's thread has some, a preset's wiper has none."""
    return HALF_PLAY if adjuster.kind == "core" else 0.0


def next_move(
    points: Sequence[Point],
    slope: float,
    adjuster: Adjuster,
    position_mdeg: int,
    stops_mdeg: tuple[int | None, int | None],
    calibrated: bool = False,
    enough_db: float = 0.0,
    farthest: float = FARTHEST,
    narrow: bool = False,
) -> Move:
    """The next move from the readings of this visit, oldest first.

    ``stops_mdeg``: where an end stop was touched (anticlockwise, clockwise), None while unknown. ``calibrated``: the readings go
    dB for dB with a level that can be dialled, ``slope`` dB for each (audio or AVC volts), so it can be seen whether something
    flattens the hill. ``enough_db``: so much may be lost on the average at the end, where it is only brought
    near. ``farthest``: how far a move may go beyond where it was read (turns). ``narrow``: the top may be far narrower than a tuned
    circuit's (the null of a detector). Direction comes from readings, never from a guess.
    """
    return _next(tuple(points), slope, adjuster, position_mdeg, stops_mdeg, calibrated, enough_db, farthest, narrow)


@lru_cache(maxsize=512)
def _next(
    points: tuple[Point, ...],
    slope: float,
    adjuster: Adjuster,
    position: int,
    stops: tuple[int | None, int | None],
    calibrated: bool,
    enough_db: float,
    farthest: float,
    narrow: bool,
) -> Move:
    if not points:
        return Move("read", position, "first-move")
    proven, raw, near = math.inf, points, NEAR_TURNS
    if calibrated:
        told = level_told(points, slope, adjuster)
        if told.lower_by:
            return Move("level", position, "level-too-strong", -told.lower_by)
        points, proven, slope = told.points, told.proven, slope * min(told.share, 1.0)
        # A flattened hill has its top where it was: the readings that are thrown away led there.
        near = NEAR_TURNS / 3.0 if told.flattened else NEAR_TURNS
        slope *= _bend(points, slope, adjuster, near) if told.bent else 1.0
    work = _Work(
        points,
        raw,
        slope,
        adjuster,
        position,
        stops,
        enough_db,
        near,
        farthest,
        _BENT if calibrated else SHAPE_SHARE,
        narrow,
    )
    if work.outer is not None:
        return Move("go", work.outer, "two-peaks")
    ending = work.ending()
    if not work.is_read_here:
        if ending is not None and ending.act == "stop" and ending.why == "peaked" and work.top > proven + _PROVEN_DB:
            # One reading for both: is it as high here as the others say, and does it follow its level?
            return Move("level", position, "level-check", -LEVEL_STEP_DB)
        return Move("read", position, "confirm-peak")
    if ending is None:
        return work.explore()
    if ending.why in ("put-back", "dead") and work.top > proven + _PROVEN_DB:
        # Before it is said to do nothing: where it was highest, does the reading follow its level at all?
        highest = round(max(points, key=lambda q: q.height).turns * TURN)
        if abs(highest - position) > 0.3 * adjuster.step_mdeg:
            return Move("go", highest, "to-peak")
        return Move("level", position, "level-check", -LEVEL_STEP_DB)
    if ending.act == "stop" and ending.why in ("peaked", "no-convergence") and work.top > proven + _PROVEN_DB:
        return Move("level", position, "level-check", -LEVEL_STEP_DB)
    return ending


def _bend(points: Sequence[Point], slope: float, adjuster: Adjuster, near: float) -> float:
    """How many times the slope a detector's volts follow: 1 above its bend, towards 2 below it, as the readings of one hill say."""
    if len(points) < _LEAST_BENT:
        return 1.0
    scale = scale_of(adjuster)
    play = play_of(adjuster) / scale
    fits = [fit_hill(points, slope * times, scale, False, play, _BENT, near) for times, _ in _BENDS]
    likely = [fit.evidence + math.log(prior) for fit, (_, prior) in zip(fits, _BENDS, strict=True)]
    return _BENDS[int(np.argmax(likely))][0]


@dataclass(frozen=True)
class LevelTold:
    """What the readings at several levels say: those still good, brought to the last one's level, the height up to which they follow
    it, by how much the level has to come down before anything else (dB), and the share of a change of level that was last seen."""

    points: tuple[Point, ...]
    proven: float
    lower_by: float
    flattened: bool
    share: float = 1.0
    #: More than dB for dB was seen: the detector works below its bend.
    bent: bool = False


def level_told(points: Sequence[Point], slope: float, adjuster: Adjuster) -> LevelTold:
    """Which readings follow their level dB for dB; where one did not fall with it, those at the stronger level are of no use.

    A reading at another level is held against one at the same place, or against what the others say of that place.
    ``slope``: dB of reading for a dB of level.
    """
    good: list[Point] = []
    read_at: list[float | None] = []
    proven, lower_by, flattened, fails, share, bent = -math.inf, 0.0, False, 0, 1.0, False
    for q in points:
        lower_by = 0.0
        if q.level is None or not good or good[-1].level is None or q.level == good[-1].level:
            good.append(q)
            read_at.append(q.level)
            continue
        expected = _expected_at(good, q, slope, adjuster)
        change = slope * (q.level - good[-1].level)
        follows = (q.height - expected) / change
        if follows >= FOLLOWS:
            share = _share(good, q, min(follows, _SQUARE), change, adjuster)
            change *= share
            bent = bent or follows > 1.0 + _BENT / 2.0
        good = [Point(g.turns, g.height + change, g.std, q.level) for g in good]
        if follows >= FOLLOWS:
            # Output that followed its level, and any below it, is free of flattening.
            proven = max(proven + change, q.height + max(-change, 0.0))
        elif change < 0.0:
            good, read_at, proven, flattened = [], [], -math.inf, True
            fails += 1
            lower_by = LEVEL_STEP_DB * (2.0 if follows < 0.4 else 1.0)
        elif fails:
            # It did not follow downward and came up again: down there was noise. Up here it is taken as it is.
            good, read_at, proven, flattened = [], [], math.inf, False
        good.append(q)
        read_at.append(q.level)
    # Below a detector's bend a dB weighs more than above it: heights of several levels are not held against each other there.
    levels = read_at if bent else [None] * len(good)
    kept = tuple(Point(q.turns, q.height, q.std, level) for q, level in zip(good, levels, strict=True))
    return LevelTold(kept, proven, lower_by, flattened, share, bent)


def _share(good: Sequence[Point], q: Point, follows: float, change: float, adjuster: Adjuster) -> float:
    """By which share of a change of level a reading follows: as it was seen at one place, as far as its spread lets that be seen."""
    there = [g for g in good if abs(g.turns - q.turns) <= 0.3 * adjuster.step_mdeg / TURN]
    if not there:
        return 1.0
    spread = (there[-1].std ** 2 + q.std**2) / change**2
    return 1.0 + (follows - 1.0) * _BENT**2 / (_BENT**2 + spread)


def _expected_at(good: Sequence[Point], q: Point, slope: float, adjuster: Adjuster) -> float:
    """The height at ``q``'s place and the level of ``good``: as it was read there last, or as the hill has it."""
    tolerance = 0.3 * adjuster.step_mdeg / TURN
    there = [g.height for g in good if abs(g.turns - q.turns) <= tolerance]
    if there:
        return there[-1]
    scale = scale_of(adjuster)
    fit = fit_hill(good, slope, scale, False, play_of(adjuster) / scale)
    return float(curve(fit, good, np.array([q.turns]))[0][0])


class _Work:
    """The readings of one visit with all that is worked out from them once."""

    def __init__(
        self,
        points: Sequence[Point],
        raw: Sequence[Point],
        slope: float,
        adjuster: Adjuster,
        position: int,
        stops: tuple[int | None, int | None],
        enough_db: float,
        near_turns: float,
        farthest: float,
        doubt: float,
        narrow: bool,
    ) -> None:
        #: ``raw``: every reading as it was read, at its own level.
        self.all = self.points = points
        self.raw = raw
        self.slope, self.position, self.enough_db = slope, position, enough_db
        self.farthest, self.doubt, self.narrow = farthest, doubt, narrow
        self.scale, self.step = scale_of(adjuster), adjuster.step_mdeg
        self.play = play_of(adjuster) / self.scale
        #: The last move is made in halves of an eighth.
        self.fine = self.step // 2 if adjuster.kind == "core" else self.step
        self.unit = self.scale * TURN
        self.low = None if stops[0] is None else stops[0] / self.unit
        self.high = None if stops[1] is None else stops[1] / self.unit
        self.here = position / self.unit
        self.tolerance = 0.3 * self.step / self.unit
        self.is_read_here = abs(points[-1].turns / self.scale - self.here) <= self.tolerance
        # What swings does something, whatever fits its readings.
        self.alive = self.swings
        self.fit: Fit = fit_hill(points, slope, self.scale, narrow, self.play, doubt, near_turns, self.alive)
        self.outer: int | None = None
        self.walls = (-math.inf, math.inf)
        self.misfit = self.fit.noise > MISFIT and self.fit.dead < 0.5
        if len(points) >= LEAST and self.misfit:
            self._doubt(stops[0])
        self.hills: Sample = draw(self.fit, _HILLS)
        reachable = np.clip(
            self.hills.x, -math.inf if self.low is None else self.low, math.inf if self.high is None else self.high
        )
        u = (reachable - self.hills.x) / self.hills.width
        #: What each hill loses at the best place that can be reached, and whether its top lies beyond a stop.
        self.allowed = np.minimum(10.0 * np.log10(1.0 + u * u), LOSS_CAP)
        self.beyond = np.abs(u) > _BEYOND_WIDTHS

    def _doubt(self, low_stop: int | None) -> None:
        """One hill does not fit the readings: two peaks, or a hill that is not that of one circuit far from its top."""
        points, scale = self.points, self.scale
        # A winding of a pair that is only brought near has two peaks where the other stands off its own: the pair's matter.
        one = scale == 1.0 and not self.enough_db
        peaks = two_peaks(points, self.slope, self.fit.noise) if one else None
        if peaks is None:
            self.doubt = _DOUBT
            self.fit = fit_hill(points, self.slope, scale, self.narrow, self.play, _DOUBT, alive=self.alive)
            return
        # The outer one: further out, anticlockwise. What lies on the other side of the middle says nothing of it.
        ridge = 0.6 * peaks[0] + 0.4 * peaks[1]
        shut = low_stop is not None and low_stop / TURN > ridge
        if self.position / TURN > ridge and not shut:
            self.outer = round(peaks[0] * TURN / self.step) * self.step
            return
        side = [q for q in points if (q.turns > ridge) == shut]
        self.walls = (ridge, math.inf) if shut else (-math.inf, ridge)
        self.is_read_here = bool(side) and abs(side[-1].turns / scale - self.here) <= self.tolerance
        self.points = side or points
        self.fit = fit_hill(self.points, self.slope, scale, self.narrow, self.play)

    @property
    def top(self) -> float:
        """The height (dB) that the readings give the top, or the highest of them where that is more."""
        if self.fit.dead > 0.5:
            return max(q.height for q in self.points)
        tops = self.hills.heights(self.points, self.fit) - self.slope * self.allowed
        return max(float(np.median(tops)), *(q.height for q in self.points))

    # -- where it would end ------------------------------------------------------------------------

    def hands(self, at: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where the core ends for hands at ``at``."""
        return np.asarray(np.clip(self.fit.cores[-1], at - self.play, at + self.play))

    @property
    def middle(self) -> float:
        """Where the core would lose the least on average (turns of the scale), near the top."""
        sharp = 1.0 / self.hills.width**2
        return self._inside(float(np.sum(self.hills.x * sharp) / np.sum(sharp)))

    def _inside(self, at: float) -> float:
        at = at if self.low is None else max(at, self.low)
        return at if self.high is None else min(at, self.high)

    def _lost(self, cores: NDArray[np.float64]) -> NDArray[np.float64]:
        """What each hill loses (dB) with the core at each of ``cores``, against the best that it has inside the travel known."""
        return np.asarray(np.maximum(self.hills.loss(cores) - self.allowed, 0.0))

    def unsure(self) -> tuple[float, float]:
        """What is lost (dB) for not knowing the top better, with the core exactly at the middle: on average, and at one in twenty."""
        loss = self._lost(np.array([self.middle]))[0]
        return float(loss.mean()), float(np.quantile(loss, 0.95))

    def best(self) -> tuple[int, float]:
        """The position (millidegrees) of the hand's steps at which the least is lost on average, and that loss (dB)."""
        middle, fine = self.middle, self.fine / self.unit
        places = np.round(middle / fine) * fine + fine * np.arange(-3, 4)
        places = np.unique(np.append(places, self.here))
        if self.low is not None:
            places = np.maximum(places, self.low)
        if self.high is not None:
            places = np.minimum(places, self.high)
        loss = self._lost(self.hands(places))
        mean = loss.mean(axis=1)
        # A move that gains next to nothing is not worth making.
        n = int(np.argmin(mean + _IDLE_DB * (np.abs(places - self.here) > 1e-9)))
        return round(float(places[n]) * self.unit), float(mean[n])

    def ending(self) -> Move | None:
        """Has it come to an end: peaked, at a stop, dead, or no end in sight? None while another reading is worth it."""
        n = len(self.points)
        last = self.points[-1].level
        if last is not None and sum(q.level == last for q in self.points) < _LEAST_ALONE < n:
            # Of a level that stands by itself one reading says nothing yet: not even whether the core stayed where it was.
            return None
        patient = _PATIENT_NULL if self.narrow else _PATIENT
        settled = self.narrow or not self.misfit
        if len(self.all) >= patient and settled and (found := self._bracketed()) is not None:
            return found
        if len(self.all) >= LEAST and self.misfit:
            if jumps(self.raw, self.tolerance * self.scale):
                return Move("stop", 0, "jumps")
            again = self._again()
            if again is not None:
                return again
        if n >= 4 and self.fit.dead > _CERTAIN and self._spread_turns() >= 1.4:
            return self._put_back()
        if len(self.all) >= _MOST:
            return self._give_up()
        outside = float(np.mean(self.beyond))
        if outside > _CERTAIN and n >= 2 and self.fit.dead < 0.02:
            return self._to_stop()
        if n < _LEAST or self.fit.dead > 0.02:
            return None
        unsure, tail = self.unsure()
        if unsure <= self.enough_db:
            return self._to_stop() if outside > 0.5 else self._finish(*self.best())
        if unsure > _ENOUGH_DB or tail > _TAIL_DB:
            return None
        unsure += _BEYOND_DB * min(outside, 1.0 - outside)
        if unsure > _READING_DB and unsure - self._explored()[1] > _READING_DB:
            return None
        return self._to_stop() if outside > 0.5 else self._finish(*self.best())

    def _bracketed(self) -> Move | None:
        """A top with readings either side of it, not much wider than the hand's finest steps: those round it are read one by one, and
        it ends at the best of them. What lies between no hand sets, and more readings of its flanks tell nothing new. None elsewhere."""
        at: dict[int, list[float]] = {}
        # Heights at another level are not to be held against these.
        for q in (p for p in self.points if p.level == self.points[-1].level):
            at.setdefault(round(q.turns * TURN / self.fine), []).append(q.height)
        middle = round(self.fit.x0 * TURN / self.fine)
        if len(at) < _LEAST or not min(at) < middle < max(at) or self.fit.width > _NARROW_STEPS * self.fine / TURN:
            return None
        means = {place: sum(h) / len(h) for place, h in at.items()}
        if middle not in means:
            return Move("go", middle * self.fine, "to-peak")
        best = max(means, key=lambda place: means[place])
        low = -math.inf if self.low is None else self.low * self.unit
        high = math.inf if self.high is None else self.high * self.unit
        for place in (best - 1, best + 1):
            if place not in means and low <= place * self.fine <= high:
                return Move("go", place * self.fine, "to-peak")
        return self._finish(best * self.fine, self.unsure()[0])

    def _finish(self, target: int, mean: float) -> Move:
        if abs(target - self.position) <= 0.5 * self.fine:
            return Move("stop", 0, "peaked", loss_db=mean)
        return Move("go", target, "to-peak")

    def _again(self) -> Move | None:
        """No hill fits the readings: go back to where it was highest, once, and see whether it reads the same."""
        best = max(self.all, key=lambda q: q.height)
        same = [n for n, q in enumerate(self.all) if abs(q.turns - best.turns) <= self.tolerance * self.scale]
        if len(same) > 1 and same[-1] - same[0] > 1:
            return None
        target = round(best.turns * TURN)
        return None if abs(target - self.position) <= self.tolerance * self.unit else Move("go", target, "read-again")

    @property
    def swings(self) -> bool:
        """Do the readings of one level differ by more than their noise? Then the adjuster does something, whatever fits them."""
        levels = {q.level for q in self.raw}
        for level in levels:
            group = [q for q in self.raw if q.level == level]
            heights = [q.height for q in group]
            # The range of so many readings of one thing, three spreads beyond what it is on the average.
            most = (2.0 + 3.0 + 0.3 * len(group)) * max(float(np.mean([q.std for q in group])), 0.05)
            if max(heights) - min(heights) > most:
                return True
        return False

    def _spread_turns(self) -> float:
        at = [q.turns / self.scale for q in self.points]
        return max(at) - min(at)

    def _give_up(self) -> Move:
        if float(np.mean(self.beyond)) > 0.5:
            return self._to_stop()
        if self.fit.dead > 0.5:
            return self._put_back()
        # A reading drowned at a low level looks the highest once its level is taken off: only those of one level are held together.
        alike = [q for q in self.points if q.level == self.points[-1].level]
        read: dict[int, list[float]] = {}
        for q in alike:
            read.setdefault(round(q.turns / self.scale / self.tolerance), []).append(q.height)
        means = {place: sum(heights) / len(heights) for place, heights in read.items()}
        best = max(alike, key=lambda q: means[round(q.turns / self.scale / self.tolerance)])
        target = round(best.turns * TURN)
        here = means.get(round(self.here / self.tolerance), -math.inf)
        # It is never left far down a flank; between places that are much alike it does not go to and fro.
        near = len(self.all) >= _MOST + 2 and max(means.values()) - here < _ALIKE_DB
        if near or abs(target - self.position) <= self.tolerance * self.unit:
            return Move("stop", 0, "no-convergence")
        return Move("go", target, "to-peak")

    def _put_back(self) -> Move:
        """What does nothing goes back to where it was found: it may do something elsewhere."""
        began = round(self.all[0].turns * TURN)
        if abs(began - self.position) > self.tolerance * self.unit:
            return Move("go", began, "put-back")
        return Move("stop", 0, "dead")

    def _to_stop(self) -> Move:
        """The top lies beyond a stop that was touched: to that stop, and there it ends."""
        stop = self.low if self.low is not None and float(np.median(self.hills.x)) < self.low else self.high
        assert stop is not None
        target = round(stop * self.unit)
        if abs(target - self.position) > self.tolerance * self.unit:
            return Move("go", target, "uphill")
        return Move("stop", 0, "at-stop")

    # -- where to read next --------------------------------------------------------------------------

    def explore(self) -> Move:
        """The move after which the least is expected to be lost."""
        target, _ = self._explored()
        lowest, highest = min(q.turns for q in self.points), max(q.turns for q in self.points)
        turns = target / TURN
        why: Why = "flank"
        if len({round(q.turns * TURN) for q in self.points}) == 1:
            why = "first-move"
        elif turns > highest or turns < lowest:
            why = "uphill" if self.fit.x0 > highest or self.fit.x0 < lowest else "flank"
        if abs(target - self.position) <= 0.3 * self.step:
            return Move("read", self.position, "confirm-peak")
        return Move("go", target, why)

    def _candidates(self) -> NDArray[np.float64]:
        step = (self.fine if self.narrow else self.step) / self.unit
        eighth = 1 / 8 if self.scale == 1.0 else step
        middle, width = self.fit.x0 / self.scale, self.fit.width / self.scale
        away = np.array([k * eighth * sign for k in _EIGHTHS for sign in (-1, 1)])
        near = np.array([middle + f * width for f in (-1.6, -1.0, -0.6, 0.0, 0.6, 1.0, 1.6)])
        wanted = np.round(np.concatenate([self.here + away, near, [self.here]]) / step) * step
        read = [q.turns / self.scale for q in self.points]
        low = max(-math.inf if self.low is None else self.low, self.walls[0], min(read) - self.farthest)
        high = min(math.inf if self.high is None else self.high, self.walls[1], max(read) + self.farthest)
        wanted = np.unique(np.clip(wanted, low, high))
        twice = (
            len(self.points) > 1 and abs(self.points[-1].turns - self.points[-2].turns) <= self.tolerance * self.scale
        )
        if len(self.points) >= _STUCK and max(read) - min(read) < _HUDDLED and self.unsure()[0] > _LOST_DB:
            # So many readings side by side and nothing known: only a wide move tells.
            far = np.clip(np.array([min(read) - _WIDE, max(read) + _WIDE]), low, high)
            far = far[(far < min(read) - self.tolerance) | (far > max(read) + self.tolerance)]
            wanted = far if far.size else wanted
        # What one place says is known after two readings of it; a third in a row only tells of the noise.
        return wanted[np.abs(wanted - self.here) > self.tolerance] if twice else wanted

    def _explored(self) -> tuple[int, float]:
        """The best place to read next (millidegrees) and what is then still lost on average (dB)."""
        if not hasattr(self, "_chosen"):
            places = self._candidates()
            score = self._expected(places)
            cost = score + _EIGHTH_DB * np.abs(places - self.here) * 8.0
            n = int(np.argmin(cost))
            self._chosen = (round(float(places[n]) * self.unit), float(score[n]))
        return self._chosen

    def _expected(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Loss (dB) expected after one more reading at each of ``places`` and the best use of it."""
        hills, fit = self.hills, self.fit
        height = hills.heights(self.points, fit)
        level = self.points[-1].level
        group = [q for q in self.points if q.level == level]
        core = self.hands(places)
        mean = height[None, :] + shape_db(core[:, None], hills.x[None, :], hills.width[None, :], self.slope)
        # What lies far under the best tells less than its own spread promises, as in the fit.
        drop = np.maximum(max(q.height for q in group) - mean.mean(axis=1), 0.0)
        own = float(np.median([max(q.std, 0.03) for q in group]))
        spread = fit.noise * np.sqrt(own**2 + (self.doubt * drop) ** 2)[:, None] * math.sqrt(1.0 + 1.0 / len(group))
        chosen = (np.arange(_PLAYED) * 2 + 1) * (_HILLS // (2 * _PLAYED)) + np.arange(_PLAYED) % 3
        noise = ndtri(((np.arange(_PLAYED) * 0.6180339887 + 0.31) % 1.0) * 0.98 + 0.01)
        played = mean[:, chosen] + spread * noise[None, :]
        likely = np.exp(-0.5 * ((played[:, :, None] - mean[:, None, :]) / spread[:, :, None]) ** 2)
        sharp = 1.0 / hills.width**2
        sums = likely @ np.stack([np.ones(_HILLS), hills.x * sharp, sharp], axis=1)
        best = sums[:, :, 1] / np.maximum(sums[:, :, 2], 1e-300)
        if self.low is not None:
            best = np.maximum(best, self.low)
        if self.high is not None:
            best = np.minimum(best, self.high)
        u2 = ((best[:, :, None] - hills.x) / hills.width) ** 2
        lost = np.maximum(np.minimum(10.0 * np.log10(1.0 + u2), LOSS_CAP) - self.allowed, 0.0)
        total = np.maximum(sums[:, :, 0], 1e-300)
        loss = np.einsum("cks,cks->ck", likely, lost) / total
        if self.beyond.any():
            outside = likely @ self.beyond.astype(np.float64) / total
            loss = loss + _BEYOND_DB * np.minimum(outside, 1.0 - outside)
        if fit.dead < 0.003:
            return np.asarray(loss.mean(axis=1))
        # The adjuster may do nothing: then a reading tells the more, the more the hills would differ from a flat line there.
        alive, dead = (1.0 - fit.dead) / _HILLS, fit.dead
        flat = float(np.mean([q.height for q in group]))
        as_flat = dead * np.exp(-0.5 * ((played - flat) / spread) ** 2)
        p_dead = as_flat / np.maximum(as_flat + alive * total, 1e-300)
        if_hill = np.minimum(loss * (1.0 - p_dead) + _WRONG_DB * p_dead, _WRONG_DB * (1.0 - p_dead))
        nothing = flat + spread * noise[None, :]
        from_hills = alive * np.exp(-0.5 * ((nothing[:, :, None] - mean[:, None, :]) / spread[:, :, None]) ** 2).sum(
            axis=2
        )
        on_line = dead * np.exp(-0.5 * ((nothing - flat) / spread) ** 2)
        p_still = on_line / (on_line + from_hills)
        if_flat = np.minimum(_WRONG_DB * (1.0 - p_still), _WRONG_DB * p_still)
        return np.asarray((1.0 - dead) * if_hill.mean(axis=1) + dead * if_flat.mean(axis=1))


__all__ = ["WAIT_S", "Move", "Point", "level_told", "next_move", "play_of", "scale_of"]
