"""Many radios from seeds, aligned by the robot technician and judged by the referee."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from unitone.align.moves import Advice
from unitone.align.smeter.chart import is_chart, told
from unitone.errors import BenchError, EntryError
from unitone.job.card import Card
from unitone.job.verdicts import SETTLED, found_in_limits, verdict
from unitone.robot._dial_figures import DialFigures, dial_figures
from unitone.robot._dial_figures import told as dial_told
from unitone.robot.many import many, simulated
from unitone.robot.needless import wrongly_touched
from unitone.robot.referee import Referee
from unitone.robot.technician import GoldenSection, align
from unitone.session.charts import chart_on
from unitone.session.session import Session, open_job
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.sheet import Conditions, Sheet, Step
from unitone.simulator.physics import PhysicsFile, read_physics
from unitone.store.logbook import Logbook

#: Reasons that the S-meter's chart tells, whether a step is out or not.
CHARTED = frozenset({"threshold", "gain", "compression"})
_FAILED = frozenset({"at-stop", "dead", "out-of-range", "no-convergence"})


@dataclass(frozen=True)
class SetResult:
    """One radio: counts, the loss of the coils worked on (None when none was), what went wrong, and the steps that stay out because
    not even the physics brings them in."""

    seed: int
    readings: int
    moves: int
    recovered: bool
    wrong_verdicts: int
    loss_db: float | None
    left_alone: int
    problems: tuple[str, ...]
    fault: str = ""
    named: bool | None = None
    out_of_reach: tuple[str, ...] = ()
    dial: DialFigures | None = None


def run_set(
    sheet_name: str, seed: int, baseline: bool = False, logbook: Logbook | None = None, fault: str = ""
) -> SetResult:
    """Align the simulated radio of ``seed`` from as-found to the finished job, then let the referee judge."""
    path = find(sheet_name)
    book = logbook or Logbook(None)
    job = open_job(
        book,
        sheet_name,
        Card(book.next_number(), path.stem, serial=f"seed {seed}", simulated_seed=seed, simulated_fault=fault),
    )
    session = Session(book, job)
    charts: list[str] = []
    work = GoldenSection(session).align() if baseline else align(session, charting(session, charts) if fault else None)
    physics = read_physics(physics_path(path), session.sheet)
    result = judge(session, session.sheet, physics, seed, work.readings, work.moves, work.finished, fault, charts)
    if logbook is None:
        book.close()
    return result


#: What receive coils are peaked by.
_COILS = frozenset({"rx.sinad", "rx.sn_ratio", "rx.af_voltage"})


class Best:
    """The referee's own alignment, made only when a step is in doubt (it takes seconds). One asks at a time."""

    def __init__(self, referee: Referee) -> None:
        self._referee = referee
        self._aligned, self._alone = False, threading.Lock()

    def holds(self, step: Step) -> bool:
        """Can the physics bring this step in?"""
        with self._alone:
            if not self._aligned:
                self._referee.align()
                self._aligned = True
            return self._referee.holds(step)


def charting(session: Session, charts: list[str]) -> Callable[[Advice], None]:
    """Before the job is finished the S-meter's chart is read, as a technician does who suspects something; its shape goes to ``charts``."""

    def before(advice: Advice) -> None:
        step = next((s for s in session.sheet.steps if is_chart(s)), None)
        if advice.act != "finish" or step is None or charts or not session.bench.can_measure(step.quantity_id):
            return
        session.go_to(step.id)
        session.confirm_hook_up(step.hook_up)
        with contextlib.suppress(BenchError):
            # As far as the generator reaches through its pads: what was read has to do.
            chart_on(session)
        charts.append(told(session.state, step).shape)

    return before


def is_named(session: Session, reason: str, charts: Sequence[str]) -> bool:
    """Did the coach name this reason: in the conclusion of a step, or by the S-meter's chart?"""
    concluded = {(step, outcome) for step, past in session.state.concluded.items() for _, outcome in past}
    if reason == "squelch range":
        ends = {s.id for s in session.sheet.steps if s.quantity_id.startswith("rx.squelch")}
        return any(step in ends and outcome in ("at-stop", "out-of-range") for step, outcome in concluded)
    return reason in charts or reason in {outcome for _, outcome in concluded}


def judge(
    session: Session, sheet: Sheet, physics: PhysicsFile, seed: int, readings: int, moves: int, finished: bool,
    fault: str = "", charts: Sequence[str] = (), there: Callable[[Conditions], Conditions] = lambda c: c,
) -> SetResult:  # fmt: skip
    """The referee's view of a job that a robot has worked on; ``sheet`` and ``physics`` are the radio's own, ``there`` says how it
    calls a place of the procedure."""
    state = session.state
    problems: list[str] = [] if finished else ["did not finish"]
    beyond: list[str] = []

    def own(step: Step) -> Step:
        return replace(step, required=tuple(map(there, step.required)))

    best = Best(Referee(sheet, physics, seed, fault))
    left = Referee(sheet, physics, seed, fault)
    left.stand_at(dict(state.positions))
    wrong = 0
    named = None if not fault else is_named(session, physics.fault[fault].reason, charts)
    for step in session.sheet.steps:
        v = verdict(state, step)
        if v == "not applicable":
            continue
        if named and v == "out_of_spec" and _covered(step, physics.fault[fault].reason):
            # The fault of this very part was named: that the coils may cover it is no merit.
            beyond.append(step.id)
            continue
        if v not in SETTLED:
            if best.holds(own(step)):
                problems.append(f"{step.id} ends {v}")
            else:
                beyond.append(step.id)
        if v in SETTLED and any(left.clearly_out(step, there(c)) for c in step.required):
            wrong += 1
            problems.append(f"{step.id} ends {v} but is out")
        last = state.concluded.get(step.id, [(0, "")])[-1][1]
        if last in _FAILED and v not in SETTLED and best.holds(own(step)):
            wrong += 1
    out = [s for s in session.sheet.steps if verdict(state, s) == "out_of_spec"]
    if fault and not named and (physics.fault[fault].reason in CHARTED or _by_the_fault(out, sheet, physics, seed)):
        problems.append(f"{fault}: {physics.fault[fault].reason} was not named")
    problems += [f"{name} moved though in limits" for name in wrongly_touched(session)]
    # Whatever they were peaked by: a can behind the gain by its volts counts by what it costs of the ratio to noise, too.
    coil_steps = [s for s in session.sheet.steps if s.quantity_id in _COILS and s.aim in ("peak", "level")]
    worked = [s for s in coil_steps if any(o != "in-spec" for _, o in state.concluded.get(s.id, []))]
    names = [a for s in worked for a in s.adjusters]
    loss = None
    if names:
        loss = left.joint_loss_db(names, dict(state.positions), [own(s) for s in worked])
    dial = None if physics.gang is None or not names else dial_figures(left, dict(state.positions))
    alone = sum(found_in_limits(state, s) and not state.moved_at_all(s) for s in session.sheet.steps if s.adjust)
    return SetResult(
        seed, readings, moves, not problems, wrong, loss, alone, tuple(problems), fault, named, tuple(beyond), dial
    )


def _covered(step: Step, reason: str) -> bool:
    """Is a step kept out by a fault of its own part: the meter's, the squelch's?"""
    if reason == "squelch range":
        return step.quantity_id.startswith("rx.squelch")
    return step.quantity_id == "rx.s_meter" and reason in CHARTED


def _by_the_fault(out: Sequence[Step], sheet: Sheet, physics: PhysicsFile, seed: int) -> bool:
    """Is one of the steps that ended out kept there by the fault: could the same radio without it be brought in?"""
    healthy = Best(Referee(sheet, physics, seed))
    return any(healthy.holds(step) for step in out)


def _one(arguments: tuple[str, int, bool, str]) -> SetResult:
    sheet, seed, baseline, fault = arguments
    return run_set(sheet, seed, baseline, fault=fault)


def _fault_of(physics: PhysicsFile, fault: str, seed: int) -> str:
    """The fault of a seed: none, the one that is asked for, or any of those there are, in turn."""
    if fault == "none":
        return ""
    names = sorted(physics.fault)
    if fault != "any" and fault not in names:
        raise EntryError(f"“{fault}”: this simulated radio's faults are {', '.join(names) or 'none'}; or any, or none.")
    return fault if fault != "any" else names[seed % len(names)] if names else ""


def run_trial(
    sheet_name: str, sets: int, seed: int = 1, workers: int = 1, with_baseline: bool = True, fault: str = "none"
) -> dict[str, Any]:
    """The report of ``./unitone robot``: ``sets`` radios from ``seed`` on. Raises SheetError without a physics file."""
    path, _, physics = simulated(sheet_name)
    with_baseline = with_baseline and fault == "none"
    started = time.monotonic()
    seeds = range(seed, seed + sets)
    coach = many(_one, [(sheet_name, s, False, _fault_of(physics, fault, s)) for s in seeds], workers)
    report: dict[str, Any] = {
        "task": "align",
        "sheet": path.stem,
        "sets": sets,
        "recovered": sum(r.recovered for r in coach),
        "readings_per_set": _mean([r.readings for r in coach]),
        "moves_per_set": _mean([r.moves for r in coach]),
        "wrong_verdicts": sum(r.wrong_verdicts for r in coach),
        "loss_db": losses(coach),
        "left_alone_per_set": _mean([r.left_alone for r in coach]),
        "problems": [{"seed": r.seed, "what": list(r.problems)} for r in coach if r.problems],
        "out_of_reach": [{"seed": r.seed, "steps": list(r.out_of_reach)} for r in coach if r.out_of_reach],
    }
    if physics.gang is not None and any(r.dial is not None for r in coach):
        report["error"] = dial_told([r.dial for r in coach if r.dial is not None])
    if fault != "none":
        report["named"] = {
            name: {"sets": len(of), "named": sum(bool(r.named) for r in of)}
            for name in sorted({r.fault for r in coach if r.fault})
            for of in [[r for r in coach if r.fault == name]]
        }
    if with_baseline:
        golden = many(_one, [(sheet_name, s, True, "") for s in seeds], workers)
        report["baseline"] = {
            "name": GoldenSection.name,
            "readings_per_set": _mean([r.readings for r in golden]),
            "recovered": sum(r.recovered for r in golden),
            "loss_db": losses(golden),
        }
        report["baselines"] = [report["baseline"]]
    report["seconds"] = round(time.monotonic() - started, 1)
    return report


def losses(results: Sequence[SetResult]) -> dict[str, float | None]:
    """Median, 95th percentile and largest of the losses; None where nothing was worked on, or nothing comes through to lose."""
    values = [r.loss_db for r in results if r.loss_db is not None and np.isfinite(r.loss_db)]
    if not values:
        return {"median": None, "p95": None, "max": None}
    return {
        "median": round(float(np.median(values)), 3),
        "p95": round(float(np.percentile(values, 95)), 3),
        "max": round(max(values), 3),
    }


def _mean(values: Sequence[int]) -> float:
    return round(sum(values) / len(values), 1) if values else 0.0
