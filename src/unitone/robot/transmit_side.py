"""Send sides brought in by the coach's advice alone, watched by the physics: limits, evenness, ceilings and ratings."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from unitone.align.even.coils import unevenness
from unitone.align.even.problem import even_problem, is_even
from unitone.align.frequency.trimming import tells_apart
from unitone.align.hill_readings import height
from unitone.errors import SheetError
from unitone.job.card import Card
from unitone.job.verdicts import SETTLED, verdict
from unitone.robot.many import many, simulated
from unitone.robot.on_frequency import by_advice, prepare
from unitone.robot.referee import Referee
from unitone.robot.technician import follow
from unitone.session.session import Session, open_job
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.sheet import TURN, Conditions, Sheet, Step
from unitone.simulator.physics import read_physics
from unitone.store.logbook import Logbook

#: No step needs so many moves.
_MOVES_AT_MOST = 300
#: A true value this far over its ceiling is over it: what the noise of a reading hides (share, or dB).
_OVER, _OVER_DB = 0.002, 0.05
#: Steps that went stale, or out, by what was turned after them are visited again so often.
_AGAIN = 2
_GOLDEN = (5.0**0.5 - 1.0) / 2.0
#: The baseline: rounds over all coils, turns either way, and how finely it searches (turns).
_ROUNDS, _REACH, _FINE = 3, 3.0, 1.0 / 16.0


@dataclass(frozen=True)
class TransmitResult:
    """One radio: counts, what is left of unevenness and harmonic over the best there is (dB), and the idle current's error (%)."""

    seed: int
    readings: int
    moves: int
    power_readings: int
    recovered: bool
    wrong_verdicts: int
    uneven_db: float | None
    harmonic_db: float | None
    bias_pct: float | None
    bias_readings: int | None
    over_ceiling: tuple[str, ...]
    over_rating: tuple[str, ...]
    problems: tuple[str, ...]
    out_of_reach: tuple[str, ...] = ()


@dataclass
class Watch:
    """Looks at the radio's true values after every turn: what was concluded may go over no ceiling, and nothing over a rating."""

    referee: Referee
    session: Session
    over_ceiling: list[str] = field(default_factory=list)
    over_rating: list[str] = field(default_factory=list)

    def after(self, adjuster: str) -> None:
        """One adjuster was turned."""
        state, sheet = self.session.state, self.session.sheet
        self.referee.stand_at(dict(state.positions))
        for step, c in _touched(sheet, adjuster):
            rating = sheet.final.rating(step.quantity_id)
            ceiling = sheet.rule.ceiling(step.quantity_id) if state.concluded.get(step.id) else None
            if (rating is None and ceiling is None) or self._at_work(step):
                ceiling = None
                if rating is None:
                    continue
            value = self.referee.true_value(step.quantity_id, c)
            if rating is not None and _above(step, value, rating):
                self.over_rating.append(f"{step.id} {c.place}: {value:.4g}")
            if ceiling is not None and _above(step, value, ceiling):
                self.over_ceiling.append(f"{step.id} {c.place}: {value:.4g}")

    def _at_work(self, step: Step) -> bool:
        """Is the quantity being set right now? Its ceiling counts from its conclusion on."""
        return self.session.step.quantity_id == step.quantity_id

    def at_the_end(self) -> None:
        """Everything that has a ceiling, once more."""
        sheet = self.session.sheet
        self.referee.stand_at(dict(self.session.state.positions))
        for step in sheet.steps:
            ceiling = sheet.rule.ceiling(step.quantity_id)
            for c in step.required if ceiling is not None else ():
                value = self.referee.true_value(step.quantity_id, c)
                if ceiling is not None and _above(step, value, ceiling) and self._can_be_under(step):
                    self.over_ceiling.append(f"{step.id} {c.place} at the end: {value:.4g}")

    def _can_be_under(self, step: Step) -> bool:
        """A harmonic that no trap brings down is no fault of the advice; what is set by an adjuster is."""
        return bool(step.adjust) or verdict(self.session.state, step) in SETTLED


def _above(step: Step, value: float, most: float) -> bool:
    return value > most + _OVER_DB if step.quantity.kind == "dbc" else value > most * (1.0 + _OVER)


def _touched(sheet: Sheet, adjuster: str) -> Iterator[tuple[Step, Conditions]]:
    part = sheet.adjuster(adjuster)
    for step in sheet.steps:
        # The setting's place stands for the rest, so that watching costs little.
        if step.quantity.way == "transmit" and part.can_change(step.quantity_id, step.setting):
            yield step, step.setting


def transmit_steps(sheet: Sheet) -> list[Step]:
    """The steps of the transmit side in procedure order, and what is verified of it."""
    return [s for s in sheet.steps if s.hook_up == "transmit" and s.phase in ("transmit", "verify")]


def golden_even(session: Session, step: Step) -> None:
    """The baseline: every coil in turn by golden section on the evenness of low, middle and high, three rounds."""
    session.confirm_hook_up("transmit")
    state = session.state
    order = sorted(step.required, key=lambda c: state.sheet.carrier_hz(c.channel, c.band))
    anchors = (order[0], step.setting, order[-1])
    wanted = even_problem(state, step, 0)[3]

    def cost() -> float:
        heights = []
        for c in anchors:
            session.set_up(c)
            session.measure(c)
            got = height(step.quantity, session.state.readings[-1].reading)
            heights.append(-60.0 if got is None else got[0])
        return unevenness(np.array(heights), wanted)

    def go(name: str, turns: float) -> None:
        session.turn(name, round(turns * TURN) - session.state.positions[name])

    def at(name: str, turns: float) -> float:
        go(name, turns)
        return cost()

    for _ in range(_ROUNDS):
        for name in step.adjusters:
            here = session.state.positions[name] / TURN
            low, high = here - _REACH, here + _REACH
            a, b = high - _GOLDEN * (high - low), low + _GOLDEN * (high - low)
            at_a, at_b = at(name, a), at(name, b)
            while high - low > _FINE:
                if at_a < at_b:
                    high, b, at_b = b, a, at_a
                    a = high - _GOLDEN * (high - low)
                    at_a = at(name, a)
                else:
                    low, a, at_a = a, b, at_b
                    b = low + _GOLDEN * (high - low)
                    at_b = at(name, b)
            go(name, (low + high) / 2.0)
    for c in step.required:
        session.set_up(c)
        session.measure(c)
    session.conclude("even")


def run_transmit(sheet_name: str, seed: int, baseline: bool = False) -> TransmitResult:
    """Bring in the transmit side of the simulated radio of ``seed``, then let the referee judge."""
    path = find(sheet_name)
    book = Logbook(None)
    job = open_job(book, sheet_name, Card(book.next_number(), path.stem, serial=f"seed {seed}", simulated_seed=seed))
    session = Session(book, job)
    physics = read_physics(physics_path(path), session.sheet)
    prepare(session)
    if tells_apart(session.sheet):
        by_advice(session)
    watch = Watch(Referee(session.sheet, physics, seed), session)
    start = len(session.state.readings)
    moves, problems, power_readings, bias_readings = 0, [], 0, None
    for step in transmit_steps(session.sheet):
        before = len(session.state.readings)
        if baseline and is_even(step):
            session.go_to(step.id)
            golden_even(session, step)
        else:
            done = _work_on(session, step, watch)
            moves += done
            problems += [f"{step.id} did not finish"] if done >= _MOVES_AT_MOST else []
        took = len(session.state.readings) - before
        power_readings += took if is_even(step) and session.state.moved_at_all(step) else 0
        if step.quantity_id == "tx.bias_current" and session.state.moved_at_all(step):
            # The closing reading is the last of the search: it is read where it was set.
            bias_readings = took
    for _ in range(_AGAIN):
        stale = [s for s in transmit_steps(session.sheet) if verdict(session.state, s) in ("recheck", "out_of_spec")]
        for step in stale:
            moves += _work_on(session, step, watch)
    readings = len(session.state.readings) - start
    watch.at_the_end()
    made = _judged(session, path, physics, seed, problems)
    book.close()
    return TransmitResult(
        seed, readings, moves, power_readings, not made.problems and not watch.over_ceiling and not watch.over_rating, made.wrong,
        made.uneven, made.harmonic, made.bias, bias_readings, tuple(watch.over_ceiling), tuple(watch.over_rating),
        tuple(made.problems), tuple(made.beyond),
    )  # fmt: skip


def _work_on(session: Session, step: Step, watch: Watch) -> int:
    """The coach's advice at one step, followed to the letter; returns the moves."""
    session.start_work()
    session.go_to(step.id)
    for moves in range(_MOVES_AT_MOST):
        advice = session.advice()
        if advice.step != step.id or advice.act in ("go to", "finish", "done"):
            return moves
        follow(session, advice)
        if advice.act == "turn":
            watch.after(advice.adjuster)
    return _MOVES_AT_MOST


@dataclass
class _Judged:
    problems: list[str]
    wrong: int = 0
    beyond: list[str] = field(default_factory=list)
    uneven: float | None = None
    harmonic: float | None = None
    bias: float | None = None


def _judged(session: Session, path: Path, physics: Any, seed: int, problems: list[str]) -> _Judged:
    """The transmit side as it was left against the best that the physics allows, step by step."""
    sheet, state = session.sheet, session.state
    left, best = Referee(sheet, physics, seed), Referee(sheet, physics, seed)
    left.stand_at(dict(state.positions))
    best.stand_at(dict(state.positions))
    made = _Judged(problems)
    for step in transmit_steps(sheet):
        v = verdict(state, step)
        worked = state.moved_at_all(step)
        if step.adjust and (worked or v not in SETTLED):
            best.bring_in(step)
        if v not in SETTLED and v != "not applicable":
            (made.problems if best.holds(step) else made.beyond).append(
                f"{step.id} ends {v}" if best.holds(step) else step.id
            )
        if v in SETTLED and any(left.clearly_out(step, c) for c in step.required):
            made.wrong += 1
            made.problems.append(f"{step.id} ends {v} but is out")
        if is_even(step) and worked:
            made.uneven = left.unevenness_db(step) - best.unevenness_db(step)
        if step.quantity_id == "tx.harmonic" and step.aim == "null" and worked:
            made.harmonic = left.true_value("tx.harmonic", step.setting) - best.true_value("tx.harmonic", step.setting)
        if step.quantity_id == "tx.bias_current" and worked:
            target = step.target if step.target is not None else step.limit.middle
            made.bias = 100.0 * abs(left.true_value("tx.bias_current", step.setting) / target - 1.0)
    return made


def _one(arguments: tuple[str, int, bool]) -> TransmitResult:
    return run_transmit(*arguments)


def run_transmit_trial(
    sheet_name: str, sets: int, seed: int = 1, workers: int = 1, with_baseline: bool = True
) -> dict[str, Any]:
    """The report of ``./unitone robot --task send``. Raises SheetError without a physics file, or without a transmit side."""
    path, sheet, physics = simulated(sheet_name)
    if physics.transmit is None or not transmit_steps(sheet):
        raise SheetError([f"{path}:1: step: nothing of this sheet is sent. Use --task align for it."])
    started = time.monotonic()
    seeds = range(seed, seed + sets)
    coach = many(_one, [(sheet_name, s, False) for s in seeds], workers)
    report: dict[str, Any] = {
        "task": "transmit", "sheet": path.stem, "sets": sets,
        "recovered": sum(r.recovered for r in coach),
        "readings_per_set": _mean([r.readings for r in coach]), "moves_per_set": _mean([r.moves for r in coach]),
        "wrong_verdicts": sum(r.wrong_verdicts for r in coach),
        "over_ceiling": sum(bool(r.over_ceiling) for r in coach), "over_rating": sum(bool(r.over_rating) for r in coach),
        "power_readings": _mean([r.power_readings for r in coach if r.power_readings]),
        "error": {
            "uneven_db": _spread([r.uneven_db for r in coach]), "harmonic_db": _spread([r.harmonic_db for r in coach]),
            "bias_pct": _spread([r.bias_pct for r in coach]),
        },
        "bias_readings": _mean([r.bias_readings for r in coach if r.bias_readings is not None]),
        "problems": [
            {"seed": r.seed, "what": [*r.problems, *r.over_ceiling, *r.over_rating]}
            for r in coach if r.problems or r.over_ceiling or r.over_rating
        ],
        "out_of_reach": [{"seed": r.seed, "steps": list(r.out_of_reach)} for r in coach if r.out_of_reach],
    }  # fmt: skip
    if with_baseline and any(is_even(s) for s in sheet.steps):
        golden = many(_one, [(sheet_name, s, True) for s in seeds], workers)
        report["baseline"] = {
            "name": "coordinate golden section, three rounds",
            "readings_per_set": _mean([r.readings for r in golden]), "recovered": sum(r.recovered for r in golden),
            "power_readings": _mean([r.power_readings for r in golden if r.power_readings]),
            "error": {"uneven_db": _spread([r.uneven_db for r in golden])},
        }  # fmt: skip
        report["baselines"] = [report["baseline"]]
    report["seconds"] = round(time.monotonic() - started, 1)
    return report


def _mean(values: Sequence[int]) -> float:
    return round(sum(values) / len(values), 1) if values else 0.0


def _spread(values: Sequence[float | None]) -> dict[str, float | None]:
    """Median, 95th percentile and largest; None where nothing was worked on."""
    there = [v for v in values if v is not None and np.isfinite(v)]
    if not there:
        return {"median": None, "p95": None, "max": None}
    return {
        "median": round(float(np.median(there)), 3), "p95": round(float(np.percentile(there, 95)), 3), "max": round(max(there), 3)
    }  # fmt: skip
