"""Robots that take an exercise: one follows the full coach, one is careless, one peaks whatever can be turned."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from unitone.align.hill_readings import height
from unitone.align.trace.ladder import Traced
from unitone.errors import BenchError, LevelOutOfReach
from unitone.job.entries.practice import Diagnosed
from unitone.quantities.registry import FOUND_BY
from unitone.robot.noise_hunting import by_ear, find_noise
from unitone.robot.searches import golden_section
from unitone.robot.technician import align
from unitone.robot.traced_radios import find_and_repair, sheet_way
from unitone.robot.whole_radios import charting, is_named
from unitone.scenario.exercise import Exercise
from unitone.session.session import Session
from unitone.sheet.model.sheet import TURN, Conditions, Step
from unitone.simulator.mechanics import stream
from unitone.simulator.simulated_bench import SimulatedBench

#: How far wrong a careless hand sets the generator (dB), and how often it turns a thing.
_TOO_STRONG_DB, _TURNS = 40.0, 6
#: Rounds of the golden section on a step of several cores, and how near it goes (turns).
_ROUNDS, _NEAR = 2, 0.12

#: What a job may have named several of, the one that says most first: a preset ends at its stop because a meter's rectifier is late.
_NAMED_FIRST = ("threshold", "compression", "gain", "squelch range", "dead", "at-stop")

Trainee = Callable[[Session, Exercise], None]


def coached(session: Session, exercise: Exercise) -> None:
    """Trace first where a stage may be dead, then do what the coach says to the end, and name what it named."""
    del exercise
    named = ""
    bench = session.bench
    assert isinstance(bench, SimulatedBench)
    true = bench.radio.part_fault
    if true is not None:
        way: Traced = "transmit" if sheet_way(session.sheet, true.stage) == "transmit" else "receive"
        session.confirm_hook_up(way)
        rng = stream(session.state.card.simulated_seed or 0, "trace")
        if true.own_sound is None:
            find_and_repair(session, true, rng, way)
        else:
            find_noise(session, by_ear(session, rng))
            session.tracing.repaired(true.stage, "")
        named = "stage"
    charts: list[str] = []
    align(session, charting(session, charts))
    if not named:
        named = next((r for r in _NAMED_FIRST if is_named(session, r, charts)), "")
    session.append(Diagnosed(named))


def careless(session: Session, exercise: Exercise) -> None:
    """Random eighths by whatever screwdriver lies there, signals far too strong, and never a second look."""
    hands = stream(session.state.card.simulated_seed or 0, "careless")
    del exercise
    session.take_tool("metal")
    for step in session.sheet.steps:
        session.go_to(step.id)
        _prepare(session, step, _TOO_STRONG_DB)
        for _ in range(_TURNS):
            if step.adjusters:
                session.turn(
                    str(hands.choice(step.adjusters)),
                    int(hands.choice((-1, 1))) * int(hands.integers(1, 9)) * TURN // 8,
                )
        for required in step.required:
            _read(session, step, required, _TOO_STRONG_DB)
    session.append(Diagnosed(""))


def peaking(session: Session, exercise: Exercise) -> None:
    """Every adjuster of the procedure is peaked or set, whether it asks for it or not; in the end every step is read as it should be."""
    del exercise
    for step in session.sheet.steps:
        session.go_to(step.id)
        _prepare(session, step, 0.0)
        for _ in range(_ROUNDS if len(step.adjusters) > 1 else 1):
            for name in step.adjusters:
                _search(session, step, name)
    for step in session.sheet.steps:
        session.go_to(step.id)
        _prepare(session, step, 0.0)
        for required in step.required:
            _read(session, step, required)
    session.append(Diagnosed(""))


#: By the name that the command line calls them.
TRAINEES: dict[str, Trainee] = {"coached": coached, "careless": careless, "peaking": peaking}


def _prepare(session: Session, step: Step, stronger_db: float) -> None:
    if session.state.hook_up != step.hook_up:
        session.confirm_hook_up(step.hook_up)
    _set_up(session, step.setting, stronger_db)


def _set_up(session: Session, conditions: Conditions, stronger_db: float) -> Conditions:
    """Dial so much more than is asked for, or as much more as the generator gives through its pads."""
    while True:
        level = conditions.level_dbm
        wanted = conditions if level is None else replace(conditions, level_dbm=level + stronger_db)
        try:
            session.set_up(wanted)
            return wanted
        except LevelOutOfReach:
            if stronger_db <= 0.0:
                raise
            stronger_db -= 5.0


def _read(session: Session, step: Step, conditions: Conditions, stronger_db: float = 0.0) -> float:
    """One reading, as a height; the lowest where nothing could be read."""
    if step.quantity_id in FOUND_BY and conditions.level_dbm is None and step.limit.high is not None:
        # A level is proved at the limit: whether the ratio is there.
        conditions = replace(conditions, level_dbm=step.limit.high)
    try:
        got = height(step.quantity, session.measure(_set_up(session, conditions, stronger_db)))
    except BenchError:
        return 0.0
    return got[0] if got is not None else 0.0


def _search(session: Session, step: Step, name: str) -> None:
    wanted = step.limit.middle if step.target is None else step.target

    def at(turns: float) -> float:
        session.turn(name, round(turns * TURN) - session.state.positions[name])
        try:
            reading = session.measure(step.setting)
        except BenchError:
            return 0.0
        if step.aim in ("peak", "level") or reading.value is None:
            got = height(step.quantity, reading)
            return got[0] if got is not None else 0.0
        return -abs(reading.value) if step.aim == "null" else -abs(reading.value - wanted)

    here = session.state.positions[name] / TURN
    reach = 3.0 if session.sheet.adjuster(name).kind == "core" else 0.4
    best = golden_section(at, here - reach, here + reach, _NEAR if reach > 1 else 0.02)
    session.turn(name, round(best * TURN) - session.state.positions[name])
