"""The mark of an exercise: what the radio is now by its physics, what the log says was done, and what a good hand would have needed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from unitone.job.entries import Entry
from unitone.job.entries.bench import Broken
from unitone.job.entries.hands import Swept, Turned
from unitone.job.entries.opening import Opened
from unitone.job.entries.practice import Diagnosed, HintTaken
from unitone.job.entries.readings import Reading
from unitone.job.kept_sheets import kept_sheet
from unitone.job.seal import unsealed
from unitone.job.verdicts import SETTLED, verdict
from unitone.quantities.registry import FOUND_BY
from unitone.robot.needless import wrongly_touched
from unitone.robot.referee import Referee
from unitone.robot.whole_radios import Best
from unitone.scenario.cautions import Caution, ignored
from unitone.scenario.exercise import Exercise
from unitone.scenario.exercise_file import opened
from unitone.scenario.practice_radio import begin, end
from unitone.scenario.trainees import coached
from unitone.session.session import Session
from unitone.sheet.library import Library
from unitone.sheet.model.sheet import Sheet, Step
from unitone.simulator.physics import PhysicsFile, parse_physics
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook
from unitone.store.ports import Store

#: Of a hundred: what is restored, the fault named, what was left alone, and moves; without a fault its share goes to what is restored.
RESTORED, NAMED, LEFT_ALONE, MOVES = 45, 20, 20, 15
#: What is taken off: for something broken, for a hint, for a result that is not read or is stale.
BROKEN, HINT, STALE = 20, 3, 2
#: So many times a good hand's moves cost nothing, and so many cost all.
_FREE, _ALL = 1.5, 4.0
#: A pass: marks, and the share of the results that are in spec.
PASS, _PASS_SHARE = 70, 0.9


@dataclass(frozen=True)
class Mark:
    """What an exercise came to. ``score`` of 100; results in spec of those that this radio allows; steps that were in spec as found and
    stayed untouched; moves (turns and readings) and a good hand's; the fault named (None: it had none); step ids that are out of spec,
    needlessly turned, or stale or unread; cautions that were ignored."""

    score: int
    passed: bool
    restored: tuple[int, int]
    left_alone: tuple[int, int]
    moves: int
    good_moves: int
    named: bool | None
    broken: tuple[str, ...]
    hints: int
    out: tuple[str, ...]
    needless: tuple[str, ...]
    unproven: tuple[str, ...]
    seconds: float
    cautions: tuple[Caution, ...] = ()


def moves_of(session: Session) -> int:
    """Turns, sweeps and readings that stand on the log."""
    return sum(isinstance(e.said, Turned | Swept | Reading) for e in session.state.entries)


def good_moves(exercise: Exercise, seed: int, library: Library) -> int:
    """The moves of a hand that follows the coach on the same radio. Raises SheetError."""
    with Logbook(None) as book:
        session = begin(book, exercise, seed, library)
        coached(session, exercise)
        end(session)
        return moves_of(session)


def radio_of(store: Store, job_id: str) -> tuple[Sheet, PhysicsFile]:
    """The sheet and the physics that a practice job began with. Raises SheetError, TapeError."""
    return _radio(_opening(store, job_id))


def _opening(store: Store, job_id: str) -> Opened:
    opened = store.tape(job_id)[0].said
    assert isinstance(opened, Opened)
    return opened


def _radio(opened: Opened) -> tuple[Sheet, PhysicsFile]:
    sheet = kept_sheet(opened.sheet_text, opened.sheet_id)
    return sheet, parse_physics(unsealed(opened.physics_text), "physics of this exercise", sheet)


# One attempt is marked several times: as it ends, in its debrief, and beside the coach's own on the same radio.
@lru_cache(maxsize=4)
def _possible(sheet_text: str, sheet_id: str, physics_text: str, seed: int) -> Best:
    """What the physics of a practice radio allows, without its fault."""
    sheet = kept_sheet(sheet_text, sheet_id)
    physics = parse_physics(unsealed(physics_text), "physics of this exercise", sheet)
    return Best(Referee(sheet, _whole(physics), seed))


def mark(session: Session, exercise: Exercise, good: int) -> Mark:
    """The mark of a session as it stands; ``good`` is what ``good_moves`` says."""
    exercise, _ = opened(exercise)
    state, sheet = session.state, session.sheet
    seed = state.card.simulated_seed or 0
    began = _opening(session.logbook, session.job_id)
    _, physics = _radio(began)
    bench = session.bench
    assert isinstance(bench, SimulatedBench)
    repaired = bool(":" in physics.has_fault and bench.radio.part_fault is None)
    whole = _whole(physics)
    as_found = Referee(sheet, whole, seed)
    stood = frozenset(s.id for s in sheet.steps if s.adjust and as_found.holds(s))
    # A part of a stage can be repaired, so what the repaired radio allows is asked for.
    left = Referee(sheet, whole if repaired else physics, seed)
    best = _possible(began.sheet_text, began.sheet_id, began.physics_text, seed)
    left.stand_at(dict(state.positions))
    restored, allowed, out, unproven = 0, 0, [], []
    for step in sheet.steps:
        judged = verdict(state, step)
        if judged == "not applicable" and not _can_read(bench, step):
            continue
        right = not any(left.clearly_out(step, c) for c in step.required)
        if judged in SETTLED and right:
            restored, allowed = restored + 1, allowed + 1
        elif right or best.holds(step):
            allowed += 1
            out += [] if right else [step.id]
            unproven += [step.id] if right else []
    needless = tuple(wrongly_touched(session, stood))
    named = None if not exercise.fault else _is_named(session, physics, exercise, repaired)
    broken = tuple(e.said.what for e in state.entries if isinstance(e.said, Broken))
    hints = sum(isinstance(e.said, HintTaken) for e in state.entries)
    moves = moves_of(session)
    share = restored / allowed if allowed else float(bool(named))
    kept = max(0.0, 1.0 - len(needless) / max(len(stood), 1))
    ratio = moves / max(good, 1)
    thrift = min(1.0, max(0.0, (_ALL - ratio) / (_ALL - _FREE)))
    full = RESTORED + (NAMED if named is None else 0)
    # Who restores nothing saved no move and left nothing alone: that is worth as much as what was restored.
    score = full * share + NAMED * bool(named) + (LEFT_ALONE * kept + MOVES * thrift) * share
    score -= BROKEN * len(broken) + HINT * hints + STALE * len(unproven)
    points = max(0, round(score))
    passed = (
        points >= PASS
        and share >= _PASS_SHARE
        and named is not False
        and not broken
        and not (exercise.leave_alone and needless)
    )
    return Mark(
        points, passed, (restored, allowed), (len(stood) - len(needless), len(stood)), moves, good, named, broken, hints,
        tuple(out), needless, tuple(unproven), seconds_of(state.entries), ignored(state.entries, sheet),
    )  # fmt: skip


def seconds_of(entries: Sequence[Entry]) -> float:
    """Bench-seconds from the first entry after the opening to the last."""
    return max(entries[-1].bench_s - entries[min(1, len(entries) - 1)].bench_s, 0.0)


def _whole(physics: PhysicsFile) -> PhysicsFile:
    """The radio without its dead stage: what stood in spec as found is asked of the adjusters, not of the fault."""
    return physics.model_copy(update={"has_fault": ""}) if ":" in physics.has_fault else physics


def _can_read(bench: SimulatedBench, step: Step) -> bool:
    return any(bench.can_measure(q) for q in (step.quantity_id, *_ratio(step)))


def _ratio(step: Step) -> tuple[str, ...]:
    return (FOUND_BY[step.quantity_id][0],) if step.quantity_id in FOUND_BY else ()


def _is_named(session: Session, physics: PhysicsFile, exercise: Exercise, repaired: bool) -> bool:
    """Was the fault repaired, or does the last diagnosis name it?"""
    said = [
        e.said.reason
        for e in session.state.entries
        if isinstance(e.said, Diagnosed) and e.id not in session.state.voided
    ]
    if ":" in exercise.fault:
        return repaired
    return bool(said) and said[-1] == physics.fault[exercise.fault].reason
