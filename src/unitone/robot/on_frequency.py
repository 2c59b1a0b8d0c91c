"""Radios brought on frequency by the frequency coach alone, and judged by the physics: every band and mode, none made worse."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from unitone.align.advise import advise
from unitone.align.frequency.trimming import Countable, advise_tuning, countables, tells_apart
from unitone.align.moves import Done
from unitone.errors import SheetError
from unitone.job.card import Card
from unitone.robot.many import many, simulated
from unitone.robot.referee import Referee
from unitone.robot.technician import follow
from unitone.session.session import Session, open_job
from unitone.session.trimming import count
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Sheet, Way
from unitone.simulator.physics import read_physics
from unitone.store.logbook import Logbook

#: No radio needs so many moves.
_MOVES_AT_MOST = 600
#: An error that grew by more than a count's own fineness has got worse (Hz).
_FINE_HZ = 5.0
#: A place that was nearer than this and still is has not got worse: a ppm of the carrier, what a warm room makes of any crystal (Hz).
_NEAR_HZ = 30.0


@dataclass(frozen=True)
class FrequencyResult:
    """One radio: readings and moves, the largest error left at the aerial (Hz), what went wrong, and the places that no trimmer brings in."""

    seed: int
    readings: int
    moves: int
    recovered: bool
    errors_hz: tuple[float, ...]
    problems: tuple[str, ...]
    out_of_reach: tuple[str, ...] = ()


def _errors(referee: Referee, things: Sequence[Countable]) -> dict[str, float]:
    """The true error at every point that the sheet counts (Hz), as the adjusters stand."""
    found = {}
    for thing in things:
        value = referee.true_value(referee.sheet.step(thing.step).quantity_id, thing.conditions)
        direct = not referee.sheet.step(thing.step).quantity_id.endswith("error")
        found[thing.point.label] = value - thing.point.hz if direct else value
    return found


def _most_inside(referee: Referee, things: Sequence[Countable]) -> int:
    """How many places are inside at once at the best setting of the trimmers that serve several crystals, found by trying all."""
    trims = {o.trim for o in referee.sheet.oscillators if o.trim}
    stood = dict(referee.moved)
    most = 0
    for trim in trims:
        for mdeg in range(-180_000, 180_000, 500):
            referee.stand_at({trim: stood[trim] + mdeg})
            errors = _errors(referee, things)
            most = max(most, sum(abs(errors[c.point.label]) <= c.tolerance_hz for c in things))
        referee.stand_at({trim: stood[trim]})
    return most


def _a_trimmer_each(sheet: Sheet) -> bool:
    """Does every oscillator that can be trimmed have a trimmer that trims no other?"""
    trims = [o.trim for o in sheet.oscillators if o.trim]
    return len(trims) == len(set(trims)) > 0


def _never_locks(referee: Referee, things: Sequence[Countable]) -> set[str]:
    """The places out of lock of a loop that no position of its adjuster brings into lock at all of them, found by trying all of it."""
    found: set[str] = set()
    for way, vco in referee.physics.vco.items():
        made = [c for c in things if c.point.direct is None and _way_of(referee, c) == way]
        places = [
            Place(_way_of(referee, c), c.conditions.band, c.conditions.mode, referee.channel_of(c.conditions))
            for c in made
        ]
        out = {c.point.label for c, at in zip(made, places, strict=True) if not referee.radio.locked(at)}
        if not out:
            continue
        stood = referee.moved[vco.adjuster]
        low, high = referee.range_of(vco.adjuster)
        locks = False
        for mdeg in np.linspace(low, high, 181):
            referee.stand_at({vco.adjuster: round(float(mdeg))})
            locks = locks or all(referee.radio.locked(at) for at in places)
        referee.stand_at({vco.adjuster: stood})
        found |= set() if locks else out
    return found


def _way_of(referee: Referee, thing: Countable) -> Way:
    return "receive" if referee.sheet.step(thing.step).quantity_id.startswith("rx") else "transmit"


def _beyond_reach(referee: Referee, things: Sequence[Countable], names: set[str]) -> set[str]:
    """Which of the oscillators that were given up no position of their trimmer brings right, found by trying all of it."""
    found = set()
    for oscillator in referee.sheet.oscillators:
        own = [c for c in things if oscillator.id in dict(c.point.terms)]
        if oscillator.id not in names or oscillator.trim is None or not own:
            continue
        stood = referee.moved[oscillator.trim]
        low, high = referee.range_of(oscillator.trim)
        errors = []
        for mdeg in np.linspace(low, high, 721):
            referee.stand_at({oscillator.trim: round(float(mdeg))})
            errors.append(
                referee.radio.synthesiser.oscillator_hz(oscillator.id, way="transmit") - oscillator.nominal_hz
            )
        referee.stand_at({oscillator.trim: stood})
        if min(errors) > 0 or max(errors) < 0:
            found.add(oscillator.id)
    return found


def prepare(session: Session) -> None:
    """Rails and lock first: a loop that is out of lock has no frequency to trim."""
    rails = ("supply.rail", "vco.tuning_voltage")
    work_at(session, [s.id for s in session.sheet.steps if s.quantity_id in rails and s.adjust])


def work_at(session: Session, steps: Sequence[str]) -> int:
    """The procedure's own coach at these steps only; returns the moves."""
    session.start_work()
    moves = 0
    for step in steps:
        session.go_to(step)
        while (advice := session.advice()).step == step and advice.act not in ("go to", "finish", "done"):
            follow(session, advice)
            moves += 1
    return moves


def by_advice(session: Session) -> int:
    """Follow the frequency coach until it has nothing more to say; returns the moves.

    Where one trimmer serves several crystals there is nothing to tell apart: the procedure's steps are followed.
    """
    if not tells_apart(session.sheet):
        return work_at(session, list(dict.fromkeys(c.step for c in countables(session.sheet))))
    for moves in range(_MOVES_AT_MOST):
        advice = advise(session.state, "frequency")
        if isinstance(advice, Done):
            return moves
        follow(session, advice)
    return _MOVES_AT_MOST


def channel_by_channel(session: Session) -> int:
    """The baseline: at each place in turn, the trimmer that acts there alone (the band's, then the mode's) until its count is right."""
    moves = 0
    things = [c for c in countables(session.sheet) if c.point.direct is None]
    nominal = {o.id: o for o in session.sheet.oscillators}
    shared = {n: sum(n in dict(c.point.terms) for c in things) for n in nominal}
    done: set[str] = set()
    for thing in things:
        fit = [n for n, _ in thing.point.terms if nominal[n].trim and n not in done]
        if not fit:
            continue
        name = min(fit, key=lambda n: shared[n])
        done.add(name)
        step = next(
            (s for s in session.sheet.steps if s.aim in ("set", "level") and nominal[name].trim in s.adjusters), None
        )
        if step is None:
            continue
        moves += _set_at(session, thing, nominal[name].trim or "")
    return moves


def _set_at(session: Session, thing: Countable, trim: str) -> int:
    """Turn a trimmer until the count at a place is nominal: secant steps, as a hand does."""

    def read() -> float:
        count(session, thing)
        return session.state.readings[-1].reading.value or 0.0

    error, moved, moves = read(), 8_000, 1
    while abs(error) > 10.0 and moves < 24:
        session.turn(trim, moved)
        now = read()
        slope = (now - error) / moved
        error, moves = now, moves + 2
        moved = int(np.clip(-error / slope if slope else moved, -30_000, 30_000)) or 500
    return moves


def run_frequency(sheet_name: str, seed: int, baseline: bool = False) -> FrequencyResult:
    """Bring the simulated radio of ``seed`` on frequency, then let the referee judge."""
    path = find(sheet_name)
    book = Logbook(None)
    job = open_job(book, sheet_name, Card(book.next_number(), path.stem, serial=f"seed {seed}", simulated_seed=seed))
    session = Session(book, job)
    prepare(session)
    referee = Referee(session.sheet, read_physics(physics_path(path), session.sheet), seed)
    things = countables(session.sheet)
    apart = _a_trimmer_each(session.sheet)
    referee.stand_at(dict(session.state.positions))
    before = _errors(referee, things)
    start = len(session.state.readings)
    moves = channel_by_channel(session) if baseline else by_advice(session)
    referee.stand_at(dict(session.state.positions))
    after = _errors(referee, things)
    problems = [] if moves < _MOVES_AT_MOST else ["did not finish"]
    given_up: set[str] = set()
    reachable = {c.point.label for c in things}
    if apart:
        # What the coach gave up is excused only where the physics says so too.
        names = set() if baseline else {name for name, _ in advise_tuning(session.state).given_up}
        given_up = _beyond_reach(referee, things, names)
    else:
        # One trimmer for several crystals: as many inside as any setting brings in, whichever they are.
        reachable = set()
        inside = sum(abs(after[c.point.label]) <= c.tolerance_hz for c in things)
        most = _most_inside(referee, things)
        if inside < most:
            problems.append(f"{inside} places inside where {most} can be")
    out_of_lock = _never_locks(referee, things)
    for thing in things:
        label, now = thing.point.label, abs(after[thing.point.label])
        if label in out_of_lock:
            continue
        if now > thing.tolerance_hz and label in reachable and not given_up & {n for n, _ in thing.point.terms}:
            problems.append(f"{label} ends {after[label]:.0f} Hz off")
        if apart and thing.point.direct is None and now > max(abs(before[label]), _NEAR_HZ) + _FINE_HZ:
            problems.append(f"{label} worse: {before[label]:.0f} Hz, now {after[label]:.0f} Hz")
    at_aerial = tuple(abs(after[c.point.label]) for c in things if c.point.direct is None)
    # A loop that never locks counts to no number: out of reach as well.
    out = [c.point.label for c in things if not abs(after[c.point.label]) <= c.tolerance_hz]
    beyond = tuple(label for label in out if not any(p.startswith(f"{label} ends") for p in problems))
    result = FrequencyResult(
        seed, len(session.state.readings) - start, moves, not problems, at_aerial, tuple(problems), beyond
    )
    book.close()
    return result


def _one(arguments: tuple[str, int, bool]) -> FrequencyResult:
    return run_frequency(*arguments)


def run_frequency_trial(
    sheet_name: str, sets: int, seed: int = 1, workers: int = 1, with_baseline: bool = True
) -> dict[str, Any]:
    """The report of ``./unitone robot --task frequency``. Raises SheetError without a physics file, or with nothing to tell apart."""
    path, sheet, _ = simulated(sheet_name)
    if not countables(sheet):
        raise SheetError(
            [f"{path}:1: step: no step counts an oscillator of the mixing lines. Use --task align for this sheet."]
        )
    started = time.monotonic()
    seeds = range(seed, seed + sets)

    coach = many(_one, [(sheet_name, s, False) for s in seeds], workers)
    report: dict[str, Any] = {
        "task": "frequency", "sheet": path.stem, "sets": sets,
        "recovered": sum(r.recovered for r in coach),
        "readings_per_set": round(float(np.mean([r.readings for r in coach])), 1),
        "moves_per_set": round(float(np.mean([r.moves for r in coach])), 1),
        "wrong_verdicts": sum("worse" in p for r in coach for p in r.problems),
        "error": _spread(coach),
        "problems": [{"seed": r.seed, "what": list(r.problems)} for r in coach if r.problems],
        "out_of_reach": [{"seed": r.seed, "places": list(r.out_of_reach)} for r in coach if r.out_of_reach],
    }  # fmt: skip
    if with_baseline:
        plain = many(_one, [(sheet_name, s, True) for s in seeds], workers)
        report["baseline"] = {
            "name": "channel by channel", "recovered": sum(r.recovered for r in plain),
            "readings_per_set": round(float(np.mean([r.readings for r in plain])), 1), "error": _spread(plain),
        }  # fmt: skip
        report["baselines"] = [report["baseline"]]
    report["seconds"] = round(time.monotonic() - started, 1)
    return report


def _spread(results: Sequence[FrequencyResult]) -> dict[str, float | None]:
    """Errors left at the aerial (Hz): median, 95th percentile, largest; None where nothing is counted there."""
    values = [e for r in results for e in r.errors_hz if np.isfinite(e)]
    if not values:
        return {"median_hz": None, "p95_hz": None, "max_hz": None}
    return {
        "median_hz": round(float(np.median(values)), 1),
        "p95_hz": round(float(np.percentile(values, 95)), 1),
        "max_hz": round(max(values), 1),
    }
