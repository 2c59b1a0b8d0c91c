"""Proofs of the receive side's settings, over seeds: what a meter's chart says, a squelch's two ends, and whether a gain foretold comes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from unitone.align.probe.nudge import WORTH_DB, worth
from unitone.align.smeter.chart import CHART_DB, s9_of
from unitone.align.smeter.shape import Mark, read_chart
from unitone.job.card import Card
from unitone.job.verdicts import verdict
from unitone.robot.many import simulated
from unitone.robot.referee import Referee
from unitone.robot.technician import follow
from unitone.session.session import Session, open_job
from unitone.session.trials import ask_worth
from unitone.sheet.model.sheet import Sheet, Step
from unitone.simulator.mechanics import unit_mdeg
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook

#: What ails a meter in the proof, and which simulated radios have one.
SHAPES = ("preset", "gain", "threshold", "compression")
METERS = ("ostrel-weir-40-am", "ostrel-tarn-40", "ostrel-curlew-5")
_MOVES_AT_MOST = 200
#: What a squelch's step ends with where nothing brings it in, and what the sentence then names.
_NAMED = frozenset({"at-stop", "out-of-range", "dead"})


def _ailing(physics: PhysicsFile, shape: str, seed: int) -> PhysicsFile:
    """The same radio with that fault, as bad as the seed makes it."""
    rng = np.random.default_rng([seed, SHAPES.index(shape)])
    meter, receive = physics.s_meter, physics.receive
    assert meter is not None and receive is not None
    if shape == "threshold":
        meter = meter.model_copy(update={"threshold": meter.threshold + float(rng.uniform(9.0, 18.0))})
    elif shape == "compression":
        meter = meter.model_copy(update={"ceiling": float(rng.uniform(-75.0, -58.0))})
    elif shape == "gain":
        first = receive.stage[0]
        lost = first.loss + float(rng.uniform(9.0, 14.0))  # type: ignore[union-attr]
        receive = receive.model_copy(update={"stage": [first.model_copy(update={"loss": lost}), *receive.stage[1:]]})
    return physics.model_copy(update={"s_meter": meter, "receive": receive})


def _stand_right(radio: SimulatedRadio, sheet: Sheet, but: str = "", off_mdeg: int = 0) -> None:
    made = radio.mechanics
    for name in made.moved_mdeg:
        right = (made.specimen.right[name] - made.specimen.found[name]) * unit_mdeg(sheet.adjuster(name))
        made.moved_mdeg[name] = round(right) + (off_mdeg if name == but else 0)


def chart_of(shape: str, seed: int) -> tuple[str, str]:
    """(what ails the meter, what its chart is read as) on the simulated radio of that seed: read at every mark, its sensitivity looked at."""
    sheet_name = METERS[seed % len(METERS)]
    _, sheet, healthy = simulated(sheet_name)
    step = next(s for s in sheet.steps if s.quantity_id == "rx.s_meter")
    radio = SimulatedRadio(sheet, healthy, seed)
    ailing = SimulatedRadio(sheet, _ailing(healthy, shape, seed), seed)
    # Its scale was printed for the healthy one.
    ailing.healthy = radio.healthy
    rng = np.random.default_rng(seed)
    turned = int(rng.choice([-1, 1]) * rng.uniform(25_000, 90_000)) if shape == "preset" else 0
    _stand_right(ailing, sheet, step.adjusters[0], turned)
    if ailing.receiver.physics is not healthy.receive:
        # Levels are referred to the radio as it was made.
        ailing.receiver._made = healthy.receive  # type: ignore[assignment]
    bench = SimulatedBench(ailing)
    marks = []
    for mark in CHART_DB:
        level = s9_of(step) + mark
        read = bench.measure("rx.s_meter", replace(step.setting, level_dbm=level))
        value = read.value if read.value is not None else 0.0
        marks.append(Mark(level, value, read.bound or ("<" if value <= -53.9 else "")))
    return shape, read_chart(marks, s9_of(step), _deaf(sheet, bench)).shape


def _deaf(sheet: Sheet, bench: SimulatedBench) -> bool:
    step = next(s for s in sheet.steps if s.quantity_id in ("rx.sn_ratio", "rx.sinad") and s.limit.low is not None)
    return (bench.measure(step.quantity_id, step.setting).value or 0.0) < (step.limit.low or 0.0)


@dataclass(frozen=True)
class Squelched:
    """A squelch after the coach: do all its steps hold, and if not, was the reason named?"""

    sheet: str
    seed: int
    fault: str
    holds: bool
    named: bool
    readings: int


def _only(book: Logbook, sheet_name: str, seed: int, fault: str, steps: Sequence[Step]) -> Session:
    job = open_job(book, sheet_name, Card(book.next_number(), sheet_name, simulated_seed=seed, simulated_fault=fault))
    session = Session(book, job)
    wanted = {s.id for s in steps}
    for step in session.sheet.steps:
        if step.id not in wanted:
            session.go_to(step.id)
            session.judge("not applicable", "not what is tried here")
    session.go_to(steps[0].id)
    return session


def squelch_of(sheet_name: str, seed: int, fault: str = "") -> Squelched:
    """The squelch of the simulated radio of that seed, its coils where they are right, set by the coach."""
    _, sheet, _ = simulated(sheet_name)
    steps = [s for s in sheet.steps if s.quantity_id.startswith("rx.squelch")]
    book = Logbook(None)
    session = _only(book, sheet_name, seed, fault, steps)
    bench = session.bench
    assert isinstance(bench, SimulatedBench)
    made = bench.radio.mechanics.specimen
    presets = {a for s in steps for a in s.adjusters}
    made.found.update({n: made.right[n] for n in made.found if n not in presets})
    for _ in range(_MOVES_AT_MOST):
        advice = session.advice()
        if advice.act in ("finish", "done"):
            break
        follow(session, advice)
    state = session.state
    holds = all(verdict(state, s) in ("in_spec", "left_as_found") for s in (state.sheet.step(x.id) for x in steps))
    named = any(o in _NAMED for s in steps for _, o in state.concluded.get(s.id, []))
    told = Squelched(sheet_name, seed, fault, holds, named, len(state.readings))
    book.close()
    return told


@dataclass(frozen=True)
class Foretold:
    """What *worth aligning?* said of one core, and what the physics has."""

    adjuster: str
    db: float
    low: float
    high: float
    real: float

    @property
    def inside(self) -> bool:
        """Does the truth lie in what was said, but for half a decibel?"""
        return self.low - 0.5 <= min(self.real, 8.0) <= self.high + 0.5

    @property
    def right(self) -> bool:
        """Was the advice right: worth it, or not? A gain within a quarter of a decibel of the mark is worth either answer."""
        return abs(self.real - WORTH_DB) < 0.25 or (self.db >= WORTH_DB) == (self.real >= WORTH_DB)


def foretold(sheet_name: str, step_id: str, seed: int) -> list[Foretold]:
    """*Worth aligning?* asked at one step of the simulated radio of that seed, and the referee's answer."""
    book = Logbook(None)
    session = Session(book, open_job(book, sheet_name, Card(book.next_number(), sheet_name, simulated_seed=seed)))
    session.start_work()
    session.go_to(step_id)
    session.confirm_hook_up(session.step.hook_up)
    ask_worth(session)
    _, sheet, physics = simulated(sheet_name)
    referee = Referee(sheet, physics, seed)
    found = []
    for gain in worth(session.state, session.step):
        real = referee.joint_loss_db([gain.adjuster], dict(session.state.positions), [session.step])
        found.append(Foretold(gain.adjuster, gain.db, gain.low, gain.high, real))
    book.close()
    return found


def summary(told: Sequence[Foretold]) -> dict[str, Any]:
    """How many foretold gains hold, how often the advice was right, and how far off it is where there are 3 dB or less to gain."""
    n = max(len(told), 1)
    near = [abs(t.db - t.real) for t in told if t.real <= 3.0]
    return {
        "adjusters": len(told), "inside": round(sum(t.inside for t in told) / n, 3), "right": round(sum(t.right for t in told) / n, 3),
        "near": len(near), "error_db": round(float(np.median(near)), 2) if near else None,
    }  # fmt: skip
