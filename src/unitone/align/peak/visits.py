"""Peaking a step's adjusters one after another: what the tape says of each, whose turn it is, and its next move.

Visits are told apart by the turns on the tape: a run of turns on one adjuster, or on the two of a coupled pair, is a visit, and
it is done when its own readings say so. By a reading, by audio volts that follow their level, or by ear.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from unitone.align.hill_readings import hill_points, is_null, on_hill, points_of, stops_touched, visit_plan
from unitone.align.null.nulling import next_null_move
from unitone.align.pairs.pair import PairRead, next_pair_move
from unitone.align.peak._valleys import next_place, own_valley
from unitone.align.peak.by_ear import Answer, Heard, next_by_ear
from unitone.align.peak.core import FARTHEST, Move, Why, next_move, play_of, scale_of
from unitone.align.peak.hill import Point, draw, fit_hill
from unitone.job.records import Logged, Sweep
from unitone.job.state import JobState
from unitone.quantities.registry import HEARD, Quantity
from unitone.sheet.model.sheet import TURN, Adjuster, Step


@dataclass(frozen=True)
class Kept:
    """How a reading is kept where its hill shows: over ``strong`` it flattens, under ``weak`` it drowns, ``aim`` is well between (dB);
    ``slope``: of it for a dB of level; ``nothing``: at the strongest level, what is under it is no signal at all."""

    strong: float
    weak: float
    aim: float
    slope: float
    nothing: float


#: Readings whose own value tells whether the level is right. SINAD of FM flattens as noise gives way to distortion, and below the
#: threshold it drowns at once; (S+N)/N goes dB for dB until hum and hiss of the generator's own are all that is left.
#: An S-meter (dB over S9) bends into its threshold at the bottom, and stands against its stop at the top.
KEPT: dict[str, Kept] = {
    "rx.sinad": Kept(17.0, 6.0, 11.0, 1.6, 1.0),
    "rx.sn_ratio": Kept(24.0, 6.0, 14.0, 1.0, 1.0),
    "rx.s_meter": Kept(6.0, -24.0, -12.0, 1.0, -50.0),
    # An unmarked needle between a tenth and nine tenths of its scale; an AVC line once it stirs.
    "rx.needle": Kept(9.0, 1.0, 5.0, 0.4, 0.2),
    "rx.agc_voltage": Kept(math.inf, 0.1, 0.5, 0.1, 0.02),
}
#: How far a core of the transmit side is turned at once beyond where it was read (turns).
CAREFUL_TURNS = 0.5
#: How far a detector is turned before it is known what a turn does (turns).
_FIRST_NULL_TURNS = 0.25
_STEP_MOST_DB, WEAKEST_DBM, STRONGEST_DBM = 12.0, -130.0, -50.0


class Run(NamedTuple):
    """A run of turns on one group: its number in the plan, the sequence numbers of its first and last turn."""

    group: tuple[str, ...]
    first: int


def is_calibrated(step: Step) -> bool:
    """Is the hill read as volts that follow a level which can be dialled, so that flattening shows in a change of level?"""
    return step.hill_quantity.kind == "volts" and step.setting.level_dbm is not None


class Progress(NamedTuple):
    """The adjuster whose turn it is and its next move; None and a stop when every visit is done: then ``ended`` is the adjuster
    that ended so, of several the one that the technician has to know of first."""

    adjuster: str | None
    move: Move | None
    ended: str = ""


#: How a sweep's end counts.
_SWEPT: dict[str, Why] = {"peaked": "peaked", "at stop": "at-stop", "no effect": "dead"}
#: A pair is done when a sweep of one of its windings gained less than this (dB), and after so many sweeps in any case.
_NO_GAIN_DB, _MOST_SWEEPS = 0.2, 6
#: Of several adjusters' ends, which counts before which.
_GRAVE = {"at-stop": 4, "jumps": 3, "dead": 2, "no-convergence": 1}


def progress(state: JobState, step: Step, since: int) -> Progress:
    """How far the peaking of a step's adjusters has come since entry ``since``."""
    plan = visit_plan(step)
    runs: list[Run] = []
    for turn in state.turns:
        if turn.seq <= since or turn.adjuster not in step.adjusters or not (turn.moved or turn.stop):
            continue
        group = next(g for g in plan if turn.adjuster in g)
        if not runs or runs[-1].group != group:
            runs.append(Run(group, turn.seq))
    done = 0
    ends: dict[str, Move] = {}
    sweeps: list[Sweep] = []
    for s in state.sweeps:
        if s.seq > since and s.ended in _SWEPT:
            sweeps.append(s)
        elif s.seq > since:
            # Broken off: where its core stands is not known any more, whatever was swept before.
            sweeps = [x for x in sweeps if x.adjuster != s.adjuster]
    swept = {s.adjuster: s for s in sweeps}

    def past_swept(done: int) -> int:
        """Groups all of whose adjusters were swept are done by that; a pair when its last sweep had nothing more to gain."""
        while done < len(plan) and not _to_sweep(plan[done], sweeps):
            ends.update({a: Move("stop", 0, _SWEPT[swept[a].ended]) for a in plan[done]})
            done += 1
        return done

    for number, run in enumerate(runs):
        done = past_swept(done)
        if done >= len(plan):
            break
        end = runs[number + 1].first if number + 1 < len(runs) else None
        if run.group != plan[done]:
            continue
        adjuster, move = _of_run(state, step, run.group, since, run.first, end)
        if move.act != "stop":
            if end is None:
                return Progress(adjuster, move)
            continue
        done, ends[adjuster] = done + 1, move
    done = past_swept(done)
    if done >= len(plan):
        worst = max(ends, key=lambda a: _GRAVE.get(ends[a].why, 0), default="")
        return Progress(None, ends.get(worst), worst)
    group = _to_sweep(plan[done], sweeps) if any(a in swept for a in plan[done]) else plan[done]
    adjuster, move = _of_run(state, step, group, since, None, None)
    return Progress(adjuster, move)


def _to_sweep(group: tuple[str, ...], sweeps: Sequence[Sweep]) -> tuple[str, ...]:
    """Which of a group's adjusters are still to be swept, the next one alone for a pair; none when the group is done.

    Each winding of a pair moves the other's peak: primary, secondary, primary, until a sweep gains nothing.
    """
    own = [s for s in sweeps if s.adjuster in group]
    left = tuple(a for a in group if not any(s.adjuster == a for s in own))
    if len(group) != 2 or not own:
        return left
    last = own[-1]
    other = group[1 - group.index(last.adjuster)]
    if left:
        return (other,)
    hopeless = any(s.ended != "peaked" for s in own[-2:])
    enough = len(own) >= 3 and last.gained_db < _NO_GAIN_DB
    return () if hopeless or enough or len(own) >= _MOST_SWEEPS else (other,)


def _of_run(
    state: JobState, step: Step, group: tuple[str, ...], since: int, first: int | None, end: int | None
) -> tuple[str, Move]:
    """What the readings of one visit say: the last before its first turn, and those from there up to ``end``."""
    inside, before = _readings(state, step, group, since, first, end)
    later = {
        a: sum(t.moved for t in state.turns if t.adjuster == a and end is not None and t.seq >= end) for a in group
    }
    at = {a: state.positions[a] - later[a] for a in group}
    stops = {a: stops_touched(state, a) for a in group}
    q = step.hill_quantity
    if q.id == HEARD and not any(x.reading.value is not None for x in (*before, *inside)):
        if not before and not inside:
            # Something to compare with: listen before the first turn.
            return group[0], Move("read", at[group[0]], "by-ear")
        answers = _answers([*before[-1:], *inside], state, group[0], since if first is None else first, at[group[0]])
        heard_at = (
            answers[-1].after if answers else _began(state, group[0], since if first is None else first, at[group[0]])
        )
        if abs(at[group[0]] / TURN - heard_at) > 1e-6:
            return group[0], Move("read", at[group[0]], "by-ear")
        return group[0], next_by_ear(
            answers, state.sheet.adjuster(group[0]), at[group[0]], stops[group[0]], step.hill_setting.source is not None
        )
    if len(group) == 2:
        reads = [r for x in [*before[-1:], *inside] if (r := _pair_read(step, x, group)) is not None]
        parts = (state.sheet.adjuster(group[0]), state.sheet.adjuster(group[1]))
        told = next_pair_move(
            reads, q.hill_slope, parts, (at[group[0]], at[group[1]]), (stops[group[0]], stops[group[1]])
        )
        return group[told.which], told.move
    read = points_of(q, [*before, *inside], group[0])
    points = read if first is not None else read[-1:]
    part = state.sheet.adjuster(group[0])
    if is_null(step):
        return group[0], next_null_move(points, q.hill_slope, part, at[group[0]], stops[group[0]])
    # On the transmit side a core too far off heats the final: half a turn at a time.
    most = CAREFUL_TURNS if q.way == "transmit" else FARTHEST
    detector = q.kind == "percent"
    if detector:
        # How far a turn takes a detector is not known: no farther at once than it was turned already, lest the null be jumped.
        read_at = [p.turns for p in points] or [0.0]
        most = min(max(max(read_at) - min(read_at), _FIRST_NULL_TURNS), FARTHEST)
    here, known, how = at[group[0]], stops[group[0]], (is_calibrated(step), 0.0, most, detector)
    if points and abs(points[-1].turns * TURN - here) < 1.0:
        # Once it was said to be done, more readings of that place (the closing ones) do not open it again.
        still = len(points) - 1
        while still > 0 and abs(points[still - 1].turns * TURN - here) < 1.0:
            still -= 1
        for n in range(still + 1, len(points)):
            shown = own_valley(points[:n]) if detector else points[:n]
            move = next_move(shown, q.hill_slope, part, here, known, *how)
            if move.act == "stop" and _elsewhere(step, points[:n], move, part, known) is None:
                return group[0], move
    own = own_valley(points) if detector and points else points
    stands_read = bool(points) and abs(points[-1].turns * TURN - here) < 1.0
    if own and own[-1] is not points[-1] and not stands_read:
        # Between two valleys, or come from there: what it is here comes before where to go.
        return group[0], Move("read", here, "flank")
    if own and own[-1] is not points[-1]:
        # Read beyond a ridge: farther that way while nothing clean is known, or back to the lowest.
        beyond = next_place(points, part, known) if _not_clean(q, points, step) else None
        back = round(max(points, key=lambda p: p.height).turns * TURN)
        return group[0], Move("go", back, "to-peak") if beyond is None else Move("go", beyond, "flank")
    move = next_move(own, q.hill_slope, part, here, known, *how)
    twice = first is None and len(read) > 1 and abs(read[-2].turns - read[-1].turns) * TURN < 1.0
    if move.act == "read" and twice and read[-2].level == read[-1].level:
        # A weak reading asks for another one; what stands in the noise twice stays there, and only a turn tells more.
        move = next_move(read[-2:], q.hill_slope, part, here, known, *how)
    other = _elsewhere(step, points, move, part, known)
    return group[0], move if other is None else Move("go", other, "flank")


def _elsewhere(
    step: Step, points: Sequence[Point], move: Move, part: Adjuster, stops: tuple[int | None, int | None]
) -> int | None:
    """Where else to look (millidegrees) before a detector ends as ``move`` says: a bottom that is not clean may be the wrong one."""
    clean = not _not_clean(step.hill_quantity, points, step)
    if move.why != "at-stop" and (move.act != "stop" or clean):
        return None
    other = _other_side(step, points, part, stops) if move.why in ("at-stop", "peaked") else None
    return next_place(points, part, stops) if other is None and not clean and points else other


def _not_clean(q: Quantity, points: Sequence[Point], step: Step) -> bool:
    """Did a detector end with more distortion than its step allows?"""
    if q.kind != "percent" or step.limit.high is None or not points:
        return False
    return max(p.height for p in points) < -20.0 * math.log10(max(step.limit.high, 1e-3) / 100.0)


def _other_side(
    step: Step, points: Sequence[Point], part: Adjuster, stops: tuple[int | None, int | None]
) -> int | None:
    """Where to look before a detector is said to end at a stop (millidegrees): far off its place distortion falls again, so that the
    wrong end looks like a slope. None where that was looked at, and for readings that have one hill."""
    if step.hill_quantity.kind != "percent" or not points:
        return None
    scale = scale_of(part)
    began = points[0].turns
    low, high = min(q.turns for q in points), max(q.turns for q in points)
    up = high - began > began - low
    looked, stop = (began - low, stops[0]) if up else (high - began, stops[1])
    if looked > 0.9 * scale or stop is not None:
        return None
    return round((began - 1.25 * scale if up else began + 1.25 * scale) * TURN / part.step_mdeg) * part.step_mdeg


def _readings(
    state: JobState, step: Step, group: tuple[str, ...], since: int, first: int | None, end: int | None
) -> tuple[list[Logged], list[Logged]]:
    """Readings of the hill inside a visit, and those before it that differ from them by this group alone."""
    if first is None:
        return [], hill_points(state, step, group, since)
    found = [x for x in on_hill(state, step, since) if end is None or x.seq < end]
    inside = [x for x in found if x.seq > first]
    others = [a for a in state.reaching(step.hill_id, step.hill_setting) if a not in group]
    anchor = inside[0].positions if inside else dict(state.positions)
    return inside, [x for x in found if x.seq < first and all(x.positions[a] == anchor[a] for a in others)]


def _pair_read(step: Step, x: Logged, group: tuple[str, ...]) -> PairRead | None:
    points = points_of(step.hill_quantity, [x], group[0])
    if not points:
        return None
    p = points[0]
    return PairRead((p.turns, x.positions[group[1]] / TURN), p.height, p.std, p.level)


def _began(state: JobState, adjuster: str, since: int, now: int) -> float:
    """Where an adjuster stood (turns) when a visit to it began."""
    return (now - sum(t.moved for t in state.turns if t.adjuster == adjuster and t.seq >= since)) / TURN


def _answers(heard: Sequence[Logged], state: JobState, adjuster: str, since: int, now: int) -> list[Answer]:
    """What was heard after each turn, in order; the place before the first is where the visit began."""
    answers: list[Answer] = []
    before = _began(state, adjuster, since, now)
    words: dict[str, Heard] = {"louder": "louder", "softer": "softer", "same": "same"}
    for x in heard:
        word, here = words.get(x.reading.word), x.positions[adjuster] / TURN
        if word is not None and here != before and x.seq > since:
            answers.append(Answer(before, here, word))
        before = here
    return answers


def signal_size(step: Step, value: float) -> float:
    """How far a reading of a hill stands from nothing: an AVC line may go negative."""
    return abs(value) if step.hill_id == "rx.agc_voltage" else value


def kept_level(step: Step, value: float, level: float, best: float) -> float | None:
    """Another level (dBm) when the reading is flattened by strength or drowned in noise; None when it is well, or cannot tell."""
    kept = KEPT.get(step.hill_id)
    if kept is None:
        return None
    value, best = signal_size(step, value), signal_size(step, best)
    if value > kept.strong and level > WEAKEST_DBM:
        return round(max(level - min((value - kept.aim) / kept.slope, _STEP_MOST_DB), WEAKEST_DBM), 1)
    if max(value, best) < kept.weak and level < STRONGEST_DBM:
        rise = _STEP_MOST_DB if value < 1.5 else min((kept.aim - value) / kept.slope + 1.0, _STEP_MOST_DB)
        return round(min(level + rise, STRONGEST_DBM), 1)
    return None


def gains(state: JobState, step: Step, since: int) -> dict[str, tuple[float, float]]:
    """What each adjuster gained in this visit to the step (dB of signal, and how sure), from the hill its own readings give.

    Only adjusters with readings at two places or more are in it.
    """
    found: dict[str, tuple[float, float]] = {}
    q = step.hill_quantity
    if q.id == HEARD or not q.hill_slope:
        return found
    for adjuster in step.adjusters:
        turned = [t for t in state.turns if t.adjuster == adjuster and t.seq > since and t.moved]
        if not turned:
            continue
        others = [a for a in state.reaching(step.hill_id, step.hill_setting) if a != adjuster]
        read = on_hill(state, step, since)
        inside = [x for x in read if turned[0].seq < x.seq]
        if not inside:
            continue
        anchor = inside[0].positions
        run = [x for x in read if all(x.positions[a] == anchor[a] for a in others)]
        points = points_of(q, run, adjuster)
        if len({p.turns for p in points}) < 2:
            continue
        part = state.sheet.adjuster(adjuster)
        scale = scale_of(part)
        fit = fit_hill(points, q.hill_slope, scale, is_null(step), play_of(part) / scale)
        hills = draw(fit, 120)
        start = (state.positions[adjuster] - sum(t.moved for t in turned)) / TURN / scale
        end = state.positions[adjuster] / TURN / scale
        loss = hills.loss(np.array([start, end]))
        won = loss[0] - loss[1]
        found[adjuster] = (float(won.mean()), float(won.std()))
    return found


def hill_of(state: JobState, step: Step, adjuster: str, since: int) -> list[Point]:
    """The readings of the adjuster at hand as points, for the plot."""
    return points_of(step.hill_quantity, hill_points(state, step, (adjuster,), since), adjuster)
