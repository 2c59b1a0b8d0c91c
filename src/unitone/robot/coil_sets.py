"""Six coils with two coupled pairs: the coach against golden section, turning until it falls, and Powell."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.optimize import minimize

from unitone.align.pairs.pair import PairRead, next_pair_move
from unitone.align.peak.core import WAIT_S, Point, next_move
from unitone.robot.many import many
from unitone.robot.one_coil import CORE
from unitone.robot.searches import golden_section, until_it_falls
from unitone.sheet.model.sheet import TURN
from unitone.simulator.six_coils import GROUPS, Coils, make_chain

_METER_STD = 0.33
_AT_MOST, _MOVES = 400, 120
_FREE: tuple[int | None, int | None] = (None, None)


@dataclass(frozen=True)
class CoilsResult:
    """One set of six: readings, and dB lost against what an optimiser of the physics reaches."""

    seed: int
    readings: int
    loss_db: float
    slowest_s: float = 0.0


def best_db(coils: Coils) -> float:
    """The most that the six pass (dB): Nelder and Mead from several starts on the physics, pair by pair."""
    chain = coils.chain
    total = 0.0
    for group in GROUPS:
        tops = np.array(chain.tops)
        best = -np.inf
        for shift in (0.0, 0.5, -0.5):
            start = tops[list(group)] + shift

            def negative(x: np.ndarray, group: tuple[int, ...] = group, tops: np.ndarray = tops) -> float:
                cores = tops.copy()
                cores[list(group)] = x
                return -coils.output_db(cores)

            found = minimize(negative, start, method="Nelder-Mead", options={"xatol": 1e-4, "fatol": 1e-5})
            best = max(best, -float(found.fun))
        total += best - coils.output_db(tops)
    return total + coils.output_db(np.array(chain.tops))


def coached(seed: int) -> CoilsResult:
    """Let the coach bring the six of a seed in: group by group, each begun with the last reading of the one before."""
    coils = Coils(make_chain(seed), seed)
    slowest, height = 0.0, coils.read(WAIT_S)
    for group in GROUPS:
        reads = [(tuple(coils.hands[list(group)]), height)]
        for _ in range(_MOVES):
            began = time.perf_counter()
            positions = tuple(round(float(coils.hands[c]) * TURN) for c in group)
            if len(group) == 1:
                points = [Point(at[0], y, _METER_STD) for at, y in reads]
                which, move = 0, next_move(points, 1.0, CORE, positions[0], _FREE)
            else:
                pair = [PairRead((at[0], at[1]), y, _METER_STD) for at, y in reads]
                told = next_pair_move(pair, 1.0, (CORE, CORE), (positions[0], positions[1]), (_FREE, _FREE))
                which, move = told.which, told.move
            slowest = max(slowest, time.perf_counter() - began)
            if move.act == "stop":
                break
            if move.act == "go":
                coils.turn_to(group[which], move.target_mdeg / TURN)
                continue
            height = coils.read(WAIT_S)
            reads.append((tuple(coils.hands[list(group)]), height))
    return CoilsResult(seed, coils.readings, best_db(coils) - coils.output_db(coils.cores), slowest)


def _reader(coils: Coils, coil: int) -> Callable[[float], float]:
    """Turn a coil to a place and read the needle."""

    def at(turns: float) -> float:
        coils.turn_to(coil, turns)
        return coils.read(WAIT_S)

    return at


def golden(coils: Coils) -> None:
    """Golden section over three turns either way, coil after coil, three rounds."""
    for _ in range(3):
        for coil in range(6):
            here = float(coils.hands[coil])
            coils.turn_to(coil, golden_section(_reader(coils, coil), here - 3.0, here + 3.0, 0.25))


def falling(coils: Coils) -> None:
    """A quarter turn at a time while it rises, back to the best; five rounds."""
    for _ in range(5):
        for coil in range(6):
            here, first = float(coils.hands[coil]), coils.read(WAIT_S)
            best = until_it_falls(_reader(coils, coil), here, first, lambda: coils.readings < _AT_MOST)
            coils.turn_to(coil, best)


def powell(coils: Coils) -> None:
    """SciPy's Powell on the readings."""

    def negative(x: np.ndarray) -> float:
        for coil in range(6):
            if x[coil] != coils.hands[coil]:
                coils.turn_to(coil, float(x[coil]))
        return -coils.read(WAIT_S)

    found = minimize(negative, np.zeros(6), method="Powell", options={"xtol": 0.05, "ftol": 0.02, "maxfev": _AT_MOST})
    for coil in range(6):
        coils.turn_to(coil, float(found.x[coil]))


METHODS: dict[str, Callable[[Coils], None]] = {
    "golden section, 3 rounds": golden,
    "turn until it falls, 5 rounds": falling,
    "Powell": powell,
}


def _one(asked: tuple[str, int]) -> CoilsResult:
    name, seed = asked
    if name == "coach":
        return coached(seed)
    coils = Coils(make_chain(seed), seed)
    METHODS[name](coils)
    return CoilsResult(seed, coils.readings, best_db(coils) - coils.output_db(coils.cores))


def run_coils_trial(sets: int, seed: int = 1, workers: int = 1, with_baselines: bool = True) -> dict[str, Any]:
    """Sets of six coils from ``seed`` on: readings, dB lost, the share within 0.2 dB, for the coach and each other way."""
    names = ["coach", *(METHODS if with_baselines else [])]
    asked = [(n, s) for n in names for s in range(seed, seed + sets)]
    results = many(_one, asked, workers)
    told = []
    for name in names:
        of = [r for (n, _), r in zip(asked, results, strict=True) if n == name]
        loss = np.array([r.loss_db for r in of])
        told.append(
            {
                "name": name,
                "readings_per_set": round(float(np.mean([r.readings for r in of])), 1),
                "loss_db": {
                    "mean": round(float(loss.mean()), 3),
                    "p90": round(float(np.percentile(loss, 90)), 3),
                    "max": round(float(loss.max()), 2),
                },
                "within_0.2_db": round(float(np.mean(loss <= 0.2)), 3),
                "slowest_move_s": round(max(r.slowest_s for r in of), 4),
            }
        )
    return {"task": "coils", "sets": sets, "methods": told}
