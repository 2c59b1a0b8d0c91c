"""The robot technician traces: simulated radios with a fault at a stage, from the complaint to the repaired part, and the radio aligned.

It does what the coach of the trace says: the test that tells most, until the stage is known; the voltages there; the parts in their
order, until the bad one is found. Two other ways search the same radios with injections alone: halving, and walking back.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from unitone.align.trace.advice import trace
from unitone.align.trace.ladder import (
    AF,
    S_METER,
    SOUND_DB,
    WAYS,
    Rung,
    Traced,
    chain,
    finder,
    ladder,
    quantity_of,
    traced_modes,
    troubles,
)
from unitone.align.trace.suspects import suspect_parts
from unitone.errors import BenchError
from unitone.job.card import Card
from unitone.robot.many import many, simulated
from unitone.robot.technician import align
from unitone.robot.whole_radios import judge
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Sheet
from unitone.simulator.instruments.volts_and_counts import POINT
from unitone.simulator.mechanics import stream
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.simulator.stage_faults import StageFault, stage_faults
from unitone.store.logbook import Logbook

#: A test that is expected to tell less (bits) is not done.
_TELLS = 1e-3
_MOST_TESTS, _MOST_BREAKS, _MOST_PARTS = 24, 4, 12
#: A look at a stage shows a bad part in so many cases, and seems to in so many where nothing is wrong.
_SEEN, _SEEMS = 0.35, 0.03


@dataclass(frozen=True)
class TracedRadio:
    """How the trace of one radio went: was the right stage named, sure of it, with how many tests and how much trouble; the place of the
    true part among the suspects (0 the first, None not among them); was the radio whole in the end; what the other two ways took."""

    seed: int
    fault: str
    stage: str
    named: str
    sure: bool
    tests: int
    cost: float
    part: int | None
    recovered: bool
    halving: tuple[bool, float]
    walk: tuple[bool, float]


def trace_one(sheet_name: str, seed: int, fault: str = "any") -> TracedRadio:
    """Trace the simulated radio of that seed. Raises BenchError for a radio whose sheet says nowhere to inject."""
    _, sheet, physics = simulated(sheet_name)
    made = stage_faults(physics)
    there = {s.id for w in WAYS for s in chain(sheet, w)} | {s.id for s in sheet.stages if s.acts_on}
    made = tuple(f for f in made if f.stage in there)
    if not made:
        raise BenchError(f"{sheet.title}: its sheet or physics names no stages to trace.")
    rng = stream(seed, "trace")
    true = made[int(rng.integers(len(made)))] if fault == "any" else next((f for f in made if f.id == fault), None)
    if true is None:
        raise BenchError(f"{sheet.title}: no fault “{fault}” at a stage. One of: {', '.join(f.id for f in made)}.")
    book = Logbook(None)
    job = open_job(book, sheet_name, Card(book.next_number(), sheet_name, simulated_seed=seed, simulated_fault=true.id))
    session = Session(book, job)
    way: Traced = "transmit" if sheet_way(sheet, true.stage) == "transmit" else "receive"
    as_it_comes_in(session, true.stage)
    other = _two_ways(session, true, way)
    tests, cost, named, sure, place = find_and_repair(session, true, rng, way)
    whole = _whole(session, physics, seed)
    book.close()
    return TracedRadio(seed, true.id, true.stage, named, sure, tests, cost, place, whole, *other)


def as_it_comes_in(session: Session, stage: str) -> None:
    """A radio with a fault at that stage on the bench: hooked up, what everybody reads read, set to the mode in which its owner says that
    it is deaf."""
    way: Traced = "transmit" if sheet_way(session.sheet, stage) == "transmit" else "receive"
    session.confirm_hook_up(way)
    _as_found(session, way)
    modes = traced_modes(session.sheet, way)
    if modes and way == "receive":
        of = next(s for s in session.sheet.stages if s.id == stage)
        session.tracing.set_mode(next(m for m in modes if of.serves(m)))


def find_and_repair(
    session: Session, true: StageFault, rng: np.random.Generator, way: Traced
) -> tuple[int, float, str, bool, int | None]:
    """Trace to the stage and to the part, and repair it: (tests, trouble, stage named first, sure of it, place of the part among the
    suspects)."""
    tests, cost, named, sure, place = 0, 0.0, "", False, None
    for turn in range(_MOST_BREAKS):
        more, trouble, found, certain = _search(session, true, rng, way)
        found, more, trouble = _beside(session, found, more, trouble, way)
        if turn == 0:
            tests, cost, named, sure = more, trouble, found, certain
        rank, repaired = _to_the_part(session, found, true)
        if turn == 0:
            place = rank
        if repaired:
            break
    return tests, cost, named, sure, place


def _as_found(session: Session, way: Traced) -> None:
    """What everybody knows before a lid is lifted: S-meter and loudspeaker on a strong signal, or the power."""
    for step in session.sheet.steps:
        known = (S_METER, AF) if way == "receive" else ("tx.power", "tx.pep")
        if step.hook_up == way and step.quantity_id in known:
            session.go_to(step.id)
            session.measure(step.setting)


def _radio(session: Session) -> SimulatedRadio:
    bench = session.bench
    assert isinstance(bench, SimulatedBench)
    return bench.radio


def sheet_way(sheet: Sheet, stage: str) -> str:
    """The way of one of a sheet's stages."""
    return next(x.way for x in sheet.stages if x.id == stage)


def _search(session: Session, true: StageFault, rng: np.random.Generator, way: Traced) -> tuple[int, float, str, bool]:
    """Tests until the stage is known: (tests, trouble, stage named, sure)."""
    tests, cost = 0, 0.0
    while tests < _MOST_TESTS:
        rungs = ladder(session.state, way)
        search = finder(session.state, rungs)
        if search.sure:
            break
        # A simulated radio whose file gives its stages no circuits has no voltages to read.
        reads = session.bench.can_measure(POINT)
        test = next((t for t in search.tests() if t.bits > _TELLS and (t.way != "volts" or reads)), None)
        if test is None:
            break
        rung = next(r for r in rungs if r.stage.id == test.stage)
        tests, cost = tests + 1, cost + test.trouble
        if test.way == "inject":
            session.tracing.measure_level(test.stage)
        elif test.way == "volts":
            session.tracing.read_volts(test.stage)
        elif test.way == "signal":
            # A scope shows whether the oscillator that feeds the stage runs.
            of = next(b for b in (rung.stage, *rung.beside) if b.signal is not None)
            session.tracing.signal(of.id)
        else:
            bad = true.stage == test.stage and _radio(session).part_fault is not None
            session.tracing.check(test.stage, "look", bool(rng.random() < (_SEEN if bad else _SEEMS)))
    search = finder(session.state, ladder(session.state, way))
    return tests, cost, search.found, search.sure


def _beside(session: Session, found: str, tests: int, cost: float, way: Traced) -> tuple[str, int, float]:
    """The stage that is found, or the line that holds it down, once the voltages are read that the coach asks for; and what all of it took."""
    while found and session.bench.can_measure(POINT):
        now = trace(session.state, way=way)
        if now.move.act != "volts" or now.move.stage == "":
            return now.found or found, tests, cost
        if now.move.stage != found:
            tests, cost = tests + 1, cost + troubles(session.tracing.stage(now.move.stage))["volts"]
        session.tracing.read_volts(now.move.stage)
    return found, tests, cost


def _to_the_part(session: Session, stage: str, true: StageFault) -> tuple[int | None, bool]:
    """The voltages of the stage, then its parts in order: (place of the true part among the suspects, was it repaired)."""
    if not stage:
        return None, False
    rung = session.tracing.stage(stage)
    if session.bench.can_measure(POINT) and any(r.row.is_known for r in rung.rows):
        session.tracing.read_volts(stage)
        rung = session.tracing.stage(stage)
    stages = [stage, *(b.id for b in rung.beside)]
    suspects = suspect_parts(session.state, rung.rows, stages)
    order = [s.part.id for s in suspects]
    place = order.index(true.part) if true.part in order else (0 if true.part == stage else None)
    if true.part == stage:
        # The stage has no circuit of its own: any repair of it is the repair.
        session.tracing.repaired(stage, "", "")
        return place, True
    for part in order[:_MOST_PARTS]:
        bad = part == true.part
        session.tracing.check(stage, "ohms", bad, part)
        if bad:
            session.tracing.repaired(stage, part)
            return place, True
    for part in order[_MOST_PARTS:]:
        session.tracing.check(stage, "ohms", False, part)
    return place, False


def _whole(session: Session, physics: PhysicsFile, seed: int) -> bool:
    """Is the radio brought in by the coach after the repair, as the referee judges it?"""
    if _radio(session).part_fault is not None:
        return False
    work = align(session)
    return judge(session, session.sheet, physics, seed, work.readings, work.moves, work.finished).recovered


def _two_ways(session: Session, true: StageFault, way: Traced) -> tuple[tuple[bool, float], tuple[bool, float]]:
    """(right, trouble) of halving, and of walking back from the loudspeaker (or on to the aerial), by levels alone on the same radio."""
    rungs = ladder(session.state, way)

    def searched(points: Callable[[Callable[[int], bool]], int]) -> tuple[bool, float]:
        bad_at: dict[int, bool] = {}

        def is_bad(at: int) -> bool:
            if at not in bad_at:
                bad_at[at] = _is_bad(session, rungs[at], way)
            return bad_at[at]

        at = points(is_bad)
        return rungs[at].stage.id in true.losses, sum(troubles(rungs[k])["inject"] for k in bad_at)

    def halve(is_bad: Callable[[int], bool]) -> int:
        low, high = (0, len(rungs)) if way == "receive" else (-1, len(rungs) - 1)
        while high - low > 1:
            middle = (low + high) // 2
            bad = is_bad(middle) if way == "transmit" else _bad_from(rungs, middle, is_bad)
            # A generator is bad before the break, a probe behind it.
            low, high = (middle, high) if bad == (way == "receive") else (low, middle)
        return low if way == "receive" else high

    def walk(is_bad: Callable[[int], bool]) -> int:
        order = range(len(rungs) - 1, 0, -1) if way == "receive" else range(len(rungs) - 1)
        return next((at for at in order if is_bad(at)), 0 if way == "receive" else len(rungs) - 1)

    return searched(halve), searched(walk)


def _is_bad(session: Session, rung: Rung, way: Traced) -> bool:
    """Does a rung need, or lack, clearly more than it should?"""
    got = session.bench.measure(quantity_of(way), rung.conditions)
    if way == "transmit":
        wanted = 0.0 if rung.stage.signal is None else rung.stage.signal.peak_v or 0.0
        return bool((got.value or 0.0) < wanted * 10.0 ** (-SOUND_DB / 20.0))
    return got.bound == ">" or (got.value or 0.0) - (rung.stage.expect_dbm or 0.0) > SOUND_DB


def _bad_from(rungs: Sequence[Rung], at: int, is_bad: Callable[[int], bool]) -> bool:
    """Is the break at this stage or behind it? A level watched on the S-meter says nothing of what lies behind the meter."""
    if is_bad(at):
        return True
    if rungs[at].stage.watch == "s_meter":
        first = next((k for k, r in enumerate(rungs) if k > at and r.stage.watch != "s_meter"), None)
        return first is not None and is_bad(first)
    return False


def _one(arguments: tuple[str, int, str]) -> TracedRadio:
    return trace_one(*arguments)


def run_trace_trial(sheet_name: str, sets: int, seed: int, workers: int, fault: str = "any") -> dict[str, Any]:
    """Radios of the seeds from ``seed`` on, a fault of each: what it took, how often it was right, and what the part was found by."""
    if fault in ("none", ""):
        fault = "any"
    told = many(_one, [(sheet_name, s, fault) for s in range(seed, seed + sets)], workers)
    n = len(told)

    def share(of: Callable[[TracedRadio], bool]) -> float:
        return round(sum(of(t) for t in told) / n, 4)

    return {
        "task": "trace", "sets": n, "tests_per_set": round(float(np.mean([t.tests for t in told])), 2),
        "right": share(lambda t: t.named == t.stage), "sure": share(lambda t: t.sure),
        "cost": {
            "this": round(float(np.mean([t.cost for t in told])), 3), "bisection": round(float(np.mean([t.halving[1] for t in told])), 3),
            "walk": round(float(np.mean([t.walk[1] for t in told])), 3),
        },
        "right_of": {"bisection": share(lambda t: t.halving[0]), "walk": share(lambda t: t.walk[0])},
        "part_first": share(lambda t: t.part == 0), "part_in_three": share(lambda t: t.part is not None and t.part < 3),
        "recovered": share(lambda t: t.recovered),
    }  # fmt: skip
