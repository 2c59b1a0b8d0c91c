"""The frequency coach: from the counts on a job's tape to the next count or the next turn, until every band and mode is on frequency.

It reads what tells the oscillators apart, turns the trimmer of the one that is off while watching the point that shows it
best, and leaves alone what is well inside. A pure function of the tape, so that a restart changes nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, cast

from unitone.align.frequency.attribution import (
    Attribution,
    Counted,
    Judged,
    Point,
    attribute,
)
from unitone.align.frequency.counts import (
    COUNTED,
    LEAVE_HZ,
    point_of,
    readings_of,
    shifted,
    sources,
    timebase_of,
)
from unitone.align.hill_readings import stops_touched
from unitone.align.moves import Advice, Done, GoTo, Turn
from unitone.align.reading_move import to_read
from unitone.align.setpoint.target import SetMove, Spot, next_set_move
from unitone.errors import UnitoneError
from unitone.job.records import Logged, by_conditions
from unitone.job.state import JobState
from unitone.job.verdicts import verdict
from unitone.sheet.model.sheet import Conditions, Sheet

Act = Literal["read", "turn", "check counter", "done"]
Why = Literal[
    "first",
    "tells",
    "refines",
    "does-not-fit",
    "watch",
    "off",
    "in-hand",
    "check",
    "well-inside",
    "settled",
    "counter",
    "out-of-lock",
]
#: An oscillator is brought this near at its own test point (Hz).
CLOSE_HZ = 8.0
#: A place that was nearer as found than it is now, and further off than this, is brought back (Hz).
_WORSE_HZ = 18.0
#: A counter that the readings say is so far off (ppm) is checked before anything is trimmed by it.
_COUNTER_PPM = 2.0
#: A counter that was checked to this (ppm, standard) is believed.
_TRUSTED_PPM = 0.3
#: Further off than any trimmer brings a crystal (Hz): with a control voltage out of its limits, a loop that does not lock.
_UNLOCKED_HZ = 3_000.0
#: Why a trimmer is given up.
_FAILED = ("at-stop", "out-of-range", "dead", "no-convergence")
#: A trimmer is taken in hand so many times at most.
_VISITS = 3


@dataclass(frozen=True)
class Countable:
    """Something that a step of the sheet counts: the point of the mixing model, the step, and the conditions to count under."""

    point: Point
    step: str
    conditions: Conditions
    tolerance_hz: float


@dataclass(frozen=True)
class Tuning:
    """The next move. ``at``: where to read, or what to watch while turning ``adjuster``; ``aim_hz``: what should show there, off
    nominal. ``given_up``: oscillators whose trimmer does not reach, with what is left (Hz)."""

    act: Act
    why: Why
    at: Countable | None = None
    oscillator: str = ""
    adjuster: str = ""
    move_mdeg: int = 0
    aim_hz: float = 0.0
    given_up: tuple[tuple[str, float], ...] = ()


def countables(sheet: Sheet) -> tuple[Countable, ...]:
    """Everything that the sheet's steps count with its controls in their middle, each point once; where two steps count one, the tighter."""
    if "countables" not in sheet.worked_out:
        sheet.worked_out["countables"] = _countables(sheet)
    return cast("tuple[Countable, ...]", sheet.worked_out["countables"])


def _countables(sheet: Sheet) -> tuple[Countable, ...]:
    found: dict[str, Countable] = {}
    if not sheet.mixing or not sheet.oscillators:
        return ()
    for step in sheet.steps:
        for c in step.required if step.quantity_id in COUNTED else ():
            if shifted(c):
                continue
            try:
                point = point_of(sheet, step.quantity_id, c, step.limit.nominal)
            except UnitoneError:
                continue
            if point is None:
                continue
            middle = 0.0 if step.quantity.kind == "hertz-error" else point.hz
            ends = [abs(e - middle) for e in (step.limit.low, step.limit.high) if e is not None]
            tolerance = min(ends, default=float("inf"))
            old = found.get(point.label)
            if old is None or tolerance < old.tolerance_hz:
                found[point.label] = Countable(point, step.id, c, tolerance)
    return tuple(found.values())


def advise_tuning(state: JobState) -> Tuning:
    """The next move towards having every point that the sheet counts inside its limit. Raises SheetError without a mixing model."""
    things, readings = countables(state.sheet), readings_of(state)
    if readings and out_of_lock(state, readings):
        # What such a loop sends says nothing of any crystal: only what is counted by itself can be trimmed.
        things = tuple(c for c in things if c.point.direct is not None)
        readings = [r for r in readings if r.point.direct is not None]
        if not things:
            return Tuning("done", "out-of-lock")
    told = _tuned(state, things, readings)
    return replace(told, why="out-of-lock") if told.act == "done" and out_of_lock(state, readings_of(state)) else told


def out_of_lock(state: JobState, readings: Sequence[Counted]) -> bool:
    """Does the loop not lock: its control voltage was read out of limits, and what is made by it is kilohertz off?"""
    loop = [s for s in state.sheet.steps if s.quantity_id == "vco.tuning_voltage"]
    if not any(verdict(state, s) == "out_of_spec" for s in loop):
        return False
    return any(r.point.direct is None and abs(r.error_hz) > _UNLOCKED_HZ for r in readings)


def _tuned(state: JobState, things: Sequence[Countable], readings: Sequence[Counted]) -> Tuning:
    """The next move towards having all these points inside, from these counts."""
    read = {r.point.label for r in readings}
    found = _traced(state, readings, [c.point for c in things if c.point.label not in read])
    if not readings:
        first = max(things, key=lambda c: (c.point.direct is None, len(c.point.terms)), default=None)
        return Tuning("done", "settled") if first is None else Tuning("read", "first", first)
    given_up: dict[str, float] = {}
    hand = _in_hand(state)
    if hand is not None:
        move = _turning(state, found, things, hand, read)
        if isinstance(move, Tuning):
            return move
        if move.why in _FAILED:
            given_up[hand] = _judged(found, hand).error_hz
    given_up |= {
        j.source.id: j.error_hz
        for j in found.judged
        if j.source.id != hand and _visits(state, j.source.trim) >= _VISITS
    }
    left = tuple(given_up.items())
    if found.suspect is not None and (again := _read_again(state, things, readings[found.suspect].point)) is not None:
        return Tuning("read", "does-not-fit", again, given_up=left)
    if timebase_of(state) > _TRUSTED_PPM and abs(found.timebase_ppm) > max(_COUNTER_PPM, 3.0 * found.timebase_std_ppm):
        return Tuning("check counter", "counter", given_up=left)
    before = _as_found(state, things)
    told = {name for r in readings for name, times in r.point.terms if times}
    outside = [c for c in things if not _surely_inside(found, c) or _worse(found, before, c) or not _told(c, told)]
    if not outside:
        return Tuning("done", "settled" if hand else "well-inside", given_up=left)
    if found.following is not None:
        why: Why = "tells" if found.open else "refines"
        return Tuning("read", why, _thing(things, found.following), given_up=left)
    tried = dict(given_up)
    while (worst := _worst(found, outside, tried)) is not None:
        move = _turning(state, found, things, worst.source.id, read)
        if isinstance(move, Tuning):
            return replace(move, why="off" if move.act == "turn" else move.why, given_up=left)
        # Its trimmer does no more: the next one may.
        tried[worst.source.id] = worst.error_hz
        if move.why in _FAILED:
            given_up[worst.source.id] = worst.error_hz
            left = tuple(given_up.items())
    unread = [c for c in outside if c.point.label not in read]
    if unread:
        return Tuning("read", "check", max(unread, key=lambda c: abs(found.expected(c.point)[0])), given_up=left)
    return Tuning("done", "settled", given_up=left)


def _judged(found: Attribution, name: str) -> Judged:
    return next(j for j in found.judged if j.source.id == name)


def _thing(things: Sequence[Countable], point: Point) -> Countable:
    return next(c for c in things if c.point.label == point.label)


def _told(thing: Countable, told: set[str]) -> bool:
    """Has every oscillator that makes it been counted, by itself or with others? One that has a crystal of its own is unknown until then."""
    return all(name in told for name, times in thing.point.terms if times)


def _surely_inside(found: Attribution, thing: Countable) -> bool:
    mean, sd = found.expected(thing.point)
    return abs(mean) + 2.0 * sd <= thing.tolerance_hz


def _as_found(state: JobState, things: Sequence[Countable]) -> Attribution | None:
    """What the counts said before any oscillator was trimmed; None while none has been."""
    trims = {o.trim for o in state.sheet.oscillators if o.trim}
    first = next((t.seq for t in state.turns if t.adjuster in trims), None)
    if first is None:
        return None
    readings = readings_of(state, first)
    return _traced(state, readings, ()) if readings else None


def _traced(state: JobState, readings: Sequence[Counted], candidates: Sequence[Point]) -> Attribution:
    """Readings traced with what is known of this bench's counter."""
    ppm = timebase_of(state)
    return attribute(sources(state.sheet), readings, candidates, ppm, ppm <= _TRUSTED_PPM)


def _worse(found: Attribution, before: Attribution | None, thing: Countable) -> bool:
    """Is a place at the aerial further off than it was found, by more than may be left?"""
    if before is None or thing.point.direct is not None:
        return False
    now, (was, sd) = abs(found.expected(thing.point)[0]), before.expected(thing.point)
    return now > max(_WORSE_HZ, abs(was) if sd < 2 * CLOSE_HZ else 0.0)


def _worst(found: Attribution, outside: Sequence[Countable], given_up: dict[str, float]) -> Judged | None:
    """The oscillator with a trimmer whose error does most of the harm where it matters; None where none is worth a turn."""
    harm: dict[str, float] = {}
    for thing in outside:
        for name, times in thing.point.terms:
            j = _judged(found, name)
            if j.source.trim and name not in given_up and abs(j.error_hz) > _close_hz(thing):
                harm[name] = max(harm.get(name, 0.0), abs(float(times) * j.error_hz) / thing.tolerance_hz)
    return _judged(found, max(harm, key=lambda n: harm[n])) if harm else None


def _close_hz(thing: Countable) -> float:
    """How near an oscillator is brought: a carrier is made of two or three, and none of them may use up its limit."""
    return min(CLOSE_HZ, thing.tolerance_hz / 3.0)


def _in_hand(state: JobState) -> str | None:
    """The oscillator whose trimmer was turned last."""
    trims = {o.trim: o.id for o in state.sheet.oscillators if o.trim}
    return next((trims[t.adjuster] for t in reversed(state.turns) if t.adjuster in trims), None)


def _visits(state: JobState, trim: str | None) -> int:
    """How often a trimmer was taken in hand: runs of turns, with other trimmers between them."""
    trims = {o.trim for o in state.sheet.oscillators if o.trim}
    runs = 0
    before = None
    for turn in state.turns:
        if turn.adjuster in trims:
            runs += turn.adjuster == trim and before != trim
            before = turn.adjuster
    return runs


def _watched(things: Sequence[Countable], name: str) -> Countable | None:
    """Where an oscillator is watched while it is turned: by itself, else where it is in most often."""

    def share(c: Countable) -> float:
        return abs(float(dict(c.point.terms).get(name, 0)))

    direct = next((c for c in things if c.point.direct == name), None)
    best = direct or max(things, key=share, default=None)
    return best if best is not None and share(best) > 0 else None


def _turning(
    state: JobState, found: Attribution, things: Sequence[Countable], name: str, read: set[str]
) -> Tuning | SetMove:
    """The next read or turn that brings an oscillator in, or why there is none."""
    j, thing = _judged(found, name), _watched(things, name)
    trim = j.source.trim
    if thing is None or trim is None:
        return SetMove("stop", 0, "dead")
    if thing.point.label not in read:
        return Tuning("read", "watch", thing, name, trim)
    spots = _spots(state, thing, trim)
    times = float(dict(thing.point.terms)[name])
    adjuster = state.sheet.adjuster(trim)
    # While another trimmer, or a poor count, moves the estimate, so does the aim: the last reading less the oscillator's share.
    aim = spots[-1].value - times * j.error_hz
    close = max(_close_hz(thing) * abs(times), 1.5 * spots[-1].std)
    move = next_set_move(spots, aim, close, adjuster, state.positions[trim], stops_touched(state, trim))
    if move.act == "read":
        return Tuning("read", "watch", thing, name, trim)
    if move.act == "go" and sum(s.mdeg == move.target_mdeg for s in spots) > 1:
        # It has been there and back: a step of the trimmer is coarser than what is known of its oscillator.
        return SetMove("stop", 0, "set")
    if move.act == "go":
        turned = move.target_mdeg - state.positions[trim]
        return Tuning("turn", "in-hand", thing, name, trim, turned, aim)
    return move


def _at_point(state: JobState, thing: Countable) -> list[tuple[Logged, float]]:
    """All readings ever of a point, with their error (Hz)."""
    quantity_id = state.sheet.step(thing.step).quantity_id
    found = []
    same = by_conditions(lambda c: c.settles(thing.conditions))
    for x in state.read_of(quantity_id):
        r = x.reading
        if r.value is not None and not r.bound and same(r.conditions):
            found.append((x, r.value if quantity_id.endswith("error") else r.value - thing.point.hz))
    return found


def _spots(state: JobState, thing: Countable, trim: str) -> list[Spot]:
    """Readings of the watched point that differ from now by this trimmer alone."""
    quantity_id = state.sheet.step(thing.step).quantity_id
    others = [a for a in state.reaching(quantity_id, thing.conditions) if a != trim]
    return [
        Spot(x.positions[trim], error, x.reading.std or 1.0)
        for x, error in _at_point(state, thing)
        if all(x.positions[a] == state.positions[a] for a in others)
    ]


def _read_again(state: JobState, things: Sequence[Countable], point: Point) -> Countable | None:
    """The point of a reading that does not fit, unless it was read twice alike already."""
    thing = next((c for c in things if c.point.label == point.label), None)
    if thing is None:
        return None
    last = [error for _, error in _at_point(state, thing)][-2:]
    return None if len(last) == 2 and abs(last[0] - last[1]) < LEAVE_HZ else thing


def tells_apart(sheet: Sheet) -> bool:
    """Has the sheet oscillators with a trimmer each, and steps that count them?"""
    trims = [o.trim for o in sheet.oscillators if o.trim]
    return bool(trims) and len(set(trims)) == len(trims) and bool(countables(sheet))


def frequency_move(state: JobState) -> Advice:
    """The frequency coach's next move as the bench takes it. Raises SheetError without a mixing model."""
    told = advise_tuning(state)
    if told.act == "check counter":
        return Done(state.at, "check-counter")
    if told.why == "out-of-lock":
        return Done(state.at, "out-of-lock")
    if told.act == "done" or told.at is None:
        return Done(state.at, "on-frequency")
    if told.act == "turn":
        return Turn(told.at.step, "trim", told.adjuster, told.move_mdeg)
    if state.at != told.at.step:
        return GoTo(told.at.step, "count")
    return to_read(state, state.sheet.step(told.at.step), told.at.conditions, "count")
