"""One adjuster at a time, thousands of them: the peak coach against golden section, turning until it falls, and Powell.

What physics allows is found by a bounded scalar optimiser over the simulated radio's own curve, never by the coach.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.optimize import minimize, minimize_scalar

from unitone.align.peak.by_ear import JUST_HEARD_DB, Answer, Heard, next_by_ear
from unitone.align.peak.core import WAIT_S, Point, next_move
from unitone.errors import EntryError
from unitone.robot.many import many
from unitone.robot.searches import golden_section, until_it_falls
from unitone.sheet.model.sheet import TURN, Adjuster
from unitone.simulator.mechanics import stream
from unitone.simulator.one_adjuster import CLASSES, Class, Made, Single, make

#: A core as sheets list it: eighths of a turn, stops somewhere.
CORE = Adjuster("A", "core", "", None, "", 16 * TURN, True, TURN // 8, ())
#: What a meter of that kind has on the average (dB): all that the coach is told of it.
_METER_STD = 0.33
#: Beyond its end a search that does not know of stops turns against them; more readings than this nobody takes.
_AT_MOST = 60


@dataclass(frozen=True)
class Result:
    """One adjuster worked on: the verdict, readings, dB lost, and whether its output was held at the end."""

    kind: Class
    seed: int
    verdict: str
    readings: int
    loss_db: float
    held: bool
    slowest_s: float = 0.0


def best_db(single: Single) -> float:
    """The most that the circuit passes inside its travel (dB), by a scalar optimiser from many starts; knows nothing of the coach."""
    made = single.made
    # The core follows the hand by its play: so far from a stop it ends at the nearest.
    low, high = min(made.low + made.play / 2, 0.0), max(made.high - made.play / 2, 0.0)
    best = max(single.signal_db(low), single.signal_db(high))
    edges = np.linspace(low, high, 40)
    for a, b in zip(edges, edges[1:], strict=False):
        found = minimize_scalar(lambda x: -single.signal_db(float(x)), bounds=(a, b), method="bounded")
        best = max(best, -float(found.fun))
    return best


def coached(kind: Class, seed: int) -> Result:
    """Let the coach work on the adjuster of a seed."""
    made = make(kind, seed)
    single = Single(made, seed)
    points: list[Point] = []
    position = 0
    felt: tuple[int | None, int | None] = (None, None)
    slowest = 0.0
    verdict = "no end"
    for _ in range(3 * _AT_MOST):
        began = time.perf_counter()
        move = next_move(points, 1.0, CORE, position, felt, calibrated=True)
        slowest = max(slowest, time.perf_counter() - began)
        if move.act == "stop":
            verdict = move.why
            break
        if move.act == "go":
            stopped = single.turn_to(move.target_mdeg / TURN)
            reached = round(single.hand * TURN)
            if stopped and abs(move.target_mdeg - reached) > 1:
                felt = (reached, felt[1]) if move.target_mdeg < position else (felt[0], reached)
            position = reached
            continue
        if move.act == "level":
            single.level_db += move.level_db
        points.append(Point(single.hand, single.read(WAIT_S), _METER_STD, single.level_db))
    return Result(kind, seed, verdict, single.readings, single.loss_db(best_db(single)), single.held, slowest)


def by_ear(kind: Class, seed: int) -> Result:
    """The same by ear: after each turn the robot only says louder, softer or the same (to a decibel, half a decibel unsure)."""
    made = make(kind, seed)
    single = Single(made, seed)
    ear = stream(seed, "ear")
    answers: list[Answer] = []
    position = 0
    felt: tuple[int | None, int | None] = (None, None)
    last = single.signal_db(0.0)
    verdict = "no end"
    for _ in range(_AT_MOST):
        move = next_by_ear(answers, CORE, position, felt)
        if move.act == "stop":
            verdict = move.why
            break
        stopped = single.turn_to(move.target_mdeg / TURN)
        reached = round(single.hand * TURN)
        if stopped and abs(move.target_mdeg - reached) > 1:
            felt = (reached, felt[1]) if move.target_mdeg < position else (felt[0], reached)
        now = single.output_db(single.core, 0.0)
        change = now - last + 0.5 * float(ear.standard_normal())
        heard: Heard = "louder" if change > JUST_HEARD_DB else "softer" if change < -JUST_HEARD_DB else "same"
        answers.append(Answer(position / TURN, reached / TURN, heard))
        position, last = reached, now
    return Result(kind, seed, verdict, len(answers), single.loss_db(best_db(single)), False)


# -- what others do --------------------------------------------------------------------------------------


def _reader(single: Single) -> Callable[[float], float]:
    """Turn it to a place, as far as its stops let it, and read the needle."""

    def at(turns: float) -> float:
        single.turn_to(turns)
        return single.read(WAIT_S)

    return at


def golden(single: Single) -> str:
    """Golden section over three turns either way, to an eighth of a turn."""
    single.turn_to(golden_section(_reader(single), -3.0, 3.0, 0.125))
    return "peaked"


def falling(single: Single) -> str:
    """A quarter turn at a time as long as it rises, then back to the best: what hands do. A stop that is still climbed at is felt."""
    best = until_it_falls(_reader(single), 0.0, single.read(WAIT_S), lambda: single.readings < _AT_MOST)
    single.turn_to(best)
    return "at-stop" if best > single.made.high or best < single.made.low else "peaked"


def powell(single: Single) -> str:
    """SciPy's Powell on the readings."""

    def negative(x: np.ndarray[Any, Any]) -> float:
        single.turn_to(float(x[0]))
        return -single.read(WAIT_S)

    found = minimize(negative, [0.0], method="Powell", options={"xtol": 0.05, "ftol": 0.02, "maxfev": 60})
    single.turn_to(float(found.x[0]))
    return "peaked"


METHODS: dict[str, Callable[[Single], str]] = {
    "golden section": golden,
    "turn until it falls": falling,
    "Powell": powell,
}


def by_method(name: str, kind: Class, seed: int) -> Result:
    """Let one of ``METHODS`` work on the adjuster of a seed."""
    single = Single(make(kind, seed), seed)
    verdict = METHODS[name](single)
    return Result(kind, seed, verdict, single.readings, single.loss_db(best_db(single)), single.held)


def wrong(result: Result) -> bool:
    """Is the verdict wrong for what the adjuster is? Held output counts where the coach ended on it without a word."""
    if result.kind == "normal":
        return result.verdict != "peaked"
    if result.kind == "no-peak":
        return result.verdict != "at-stop"
    if result.kind == "dead":
        return result.verdict != "dead"
    if result.kind == "too-strong":
        return result.verdict == "peaked" and result.held
    return False


def _one(asked: tuple[str, Class, int]) -> Result:
    name, kind, seed = asked
    return coached(kind, seed) if name == "coach" else by_method(name, kind, seed)


def run_adjuster_trial(
    sets: int, seed: int = 1, workers: int = 1, classes: tuple[Class, ...] = CLASSES, with_baselines: bool = True
) -> dict[str, Any]:
    """The report of ``./unitone robot --task adjuster``: ``sets`` adjusters of each class from ``seed`` on."""
    started = time.monotonic()
    names = ["coach", *(METHODS if with_baselines else [])]
    asked = [(n, kind, s) for n in names for kind in classes for s in range(seed, seed + sets)]
    results = many(_one, asked, workers)
    told = {n: [r for (name, _, _), r in zip(asked, results, strict=True) if name == n] for n in names}
    report = _told("coach", told["coach"])
    report = {
        "task": "adjuster",
        "sets": sets * len(classes),
        "recovered": report.pop("recovered"),
        **report,
        "slowest_move_s": round(max(r.slowest_s for r in told["coach"]), 4),
        "problems": [{"seed": r.seed, "what": [f"{r.kind} ends {r.verdict}"]} for r in told["coach"] if wrong(r)],
    }
    del report["name"]
    if with_baselines:
        report["baselines"] = [_told(n, told[n]) for n in names[1:]]
        report["baseline"] = report["baselines"][0]
    report["seconds"] = round(time.monotonic() - started, 1)
    return report


def _told(name: str, results: list[Result]) -> dict[str, Any]:
    normal = [r for r in results if r.kind in ("normal", "too-strong")]
    classes = {}
    for kind in dict.fromkeys(r.kind for r in results):
        of = [r for r in results if r.kind == kind]
        loss = [r.loss_db for r in of]
        classes[kind] = {
            "sets": len(of),
            "readings": round(float(np.mean([r.readings for r in of])), 2),
            "readings_p90": int(np.percentile([r.readings for r in of], 90)),
            "loss_mean_db": round(float(np.mean(loss)), 4),
            "loss_p95_db": round(float(np.percentile(loss, 95)), 3),
            "wrong_share": round(sum(wrong(r) for r in of) / len(of), 4),
        }
    losses = [r.loss_db for r in normal if r.kind == "normal"] or [r.loss_db for r in results]
    return {
        "name": name,
        "recovered": sum(not wrong(r) for r in results),
        "readings_per_set": round(float(np.mean([r.readings for r in results])), 2),
        "moves_per_set": round(float(np.mean([r.readings for r in results])), 2),
        "wrong_verdicts": sum(wrong(r) for r in results),
        "loss_db": {
            "mean": round(float(np.mean(losses)), 4),
            "median": round(float(np.median(losses)), 4),
            "p95": round(float(np.percentile(losses, 95)), 3),
            "max": round(max(losses), 3),
        },
        "classes": classes,
    }


def classes_of(fault: str) -> tuple[Class, ...]:
    """Which classes a ``--fault`` word asks for: none are normal ones alone, any the four that every bench knows.

    Raises EntryError for an unknown one."""
    if fault == "none":
        return ("normal",)
    if fault == "any":
        return CLASSES
    if fault in (*CLASSES, "broken", "two-peaks"):
        return (fault,)
    raise EntryError(f"“{fault}”: an adjuster is one of {', '.join(CLASSES)}, broken, two-peaks, or any.")


__all__ = ["CORE", "Made", "Result", "coached", "run_adjuster_trial", "wrong"]
