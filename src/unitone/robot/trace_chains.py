"""Searches for the bad stage of chains made from seeds: by the finder, by halving, and by walking back from the output.

A chain has stages that fail more or less often and points that are more or less easy to reach; its specimen stands a few decibels off
what the sheet expects, point by point. The three ways see the same answers.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from unitone.align.trace.finder import ChainStage, Finder, Told, Way
from unitone.robot.many import many
from unitone.simulator.mechanics import stream

#: What a dead stage loses (dB), and the most that the generator can give over what is expected.
_DEAD_DB, _MOST_DB = 200.0, 60.0
#: Halving and walking take a point for bad that needs so much more than the sheet expects (dB).
_BAD_DB = 8.0
_SPECIMEN_DB, _READ_DB = 4.0, 1.0
#: A person gives up after so many tests.
_MOST_TESTS = 40


@dataclass(frozen=True)
class Chain:
    """One faulty chain: its stages with weights and troubles as the finder is told them, what each has lost, how far its points lie off."""

    stages: tuple[ChainStage, ...]
    lost_db: tuple[float, ...]
    off_db: tuple[float, ...]
    seed: int

    def answer(self, at: int, way: Way, rng: np.random.Generator) -> Told:
        """What that test shows. An injection that no level is enough for says so."""
        if way == "inject":
            db = sum(self.lost_db[at:]) + self.off_db[at] + _READ_DB * float(rng.standard_normal())
            return Told(self.stages[at].id, "inject", None if db > _MOST_DB else db, _MOST_DB)
        shows, seems = (0.75, 0.05) if way == "volts" else (0.35, 0.03)
        return Told(self.stages[at].id, way, wrong=bool(rng.random() < (shows if self.lost_db[at] else seems)))

    @property
    def break_at(self) -> int:
        """The last bad stage."""
        return max(n for n, db in enumerate(self.lost_db) if db)


def chain_of(seed: int, stages: int = 8, faults: int = 1, plain: bool = False) -> Chain:
    """A chain from a seed; ``plain``: every stage fails as often, every point is as easy to reach, and there is nothing but injection."""
    rng = stream(seed, "trace chain")
    weights = np.ones(stages) if plain else np.exp(0.9 * rng.standard_normal(stages))
    trouble = np.ones(stages) if plain else np.exp(0.5 * rng.standard_normal(stages))
    lost = np.zeros(stages)
    bad = rng.choice(stages, faults, replace=False, p=weights / weights.sum())
    for at in bad:
        lost[at] = _DEAD_DB if rng.random() < 0.5 else rng.uniform(10.0, 65.0)
    made = []
    for n in range(stages):
        ways: dict[Way, float] = {"inject": float(trouble[n])}
        if not plain:
            ways |= {"volts": 1.3 * float(trouble[n]), "look": 0.6}
        made.append(ChainStage(f"stage {n + 1}", float(weights[n]), ways))
    return Chain(tuple(made), tuple(lost), tuple(_SPECIMEN_DB * rng.standard_normal(stages)), seed)


@dataclass(frozen=True)
class Search:
    """How a search went: the stage that was named, whether it was sure, tests and their trouble."""

    named: int
    sure: bool
    tests: int
    cost: float


def by_finder(chain: Chain, known: Sequence[Told] = ()) -> tuple[Search, tuple[Told, ...]]:
    """As the finder says, until it is sure, and all that was told. That the radio is deaf from the first point on is known before, and
    costs nothing; so is what was found behind a repair."""
    rng = stream(chain.seed, "trace answers")
    finder, tests, cost = Finder(chain.stages, known), 0, 0.0
    finder.tell(chain.answer(0, "inject", rng))
    while not finder.sure and tests < _MOST_TESTS:
        test = finder.next_test()
        if test is None:
            break
        tests, cost = tests + 1, cost + test.trouble
        finder.tell(chain.answer([s.id for s in chain.stages].index(test.stage), test.way, rng))
    ids = [s.id for s in chain.stages]
    return Search(ids.index(finder.found) if finder.found else -1, finder.sure, tests, cost), tuple(finder.told)


def _injected(chain: Chain, points: Callable[[list[bool | None]], int | None]) -> Search:
    """Injections alone, at the points that a plain rule names from what was bad (True), good (False) or not tested yet (None)."""
    rng = stream(chain.seed, "trace answers")
    n = len(chain.stages)
    bad: list[bool | None] = [None] * n
    bad[0], tests, cost = True, 0, 0.0
    chain.answer(0, "inject", rng)
    while (at := points(bad)) is not None:
        told = chain.answer(at, "inject", rng)
        bad[at] = told.excess_db is None or bool(told.excess_db > _BAD_DB)
        tests, cost = tests + 1, cost + (chain.stages[at].trouble_of("inject") or 1.0)
    last = max(k for k in range(n) if bad[k])
    return Search(last, True, tests, cost)


def _middle(bad: list[bool | None]) -> int | None:
    low = max(k for k, b in enumerate(bad) if b)
    high = next((k for k, b in enumerate(bad) if b is False and k > low), len(bad))
    return (low + high) // 2 if high - low > 1 else None


def _backwards(bad: list[bool | None]) -> int | None:
    untested = [k for k in range(1, len(bad)) if bad[k] is None]
    return untested[-1] if untested and not any(bad[1:]) else None


def by_halving(chain: Chain) -> Search:
    """The middle of what is left, again and again."""
    return _injected(chain, _middle)


def by_walking(chain: Chain) -> Search:
    """From the output back, one stage at a time, until one needs more than it should."""
    return _injected(chain, _backwards)


def both_found(chain: Chain) -> tuple[bool, int]:
    """Two faults: the break is found and repaired, the ladder is measured again, until it is sound. (Were both named? Tests in all.)"""
    named, tests, lost = set[int](), 0, list(chain.lost_db)
    known: tuple[Told, ...] = ()
    ids = [s.id for s in chain.stages]
    for turn in range(4):
        if not any(lost):
            break
        found, told = by_finder(Chain(chain.stages, tuple(lost), chain.off_db, chain.seed + 7919 * turn), known)
        tests += found.tests
        if found.named < 0 or not lost[found.named]:
            break
        named.add(found.named)
        lost[found.named] = 0.0
        # What lies behind the repair, and what voltages and looks said of other stages, is as it was.
        known = tuple(
            t
            for t in told
            if ids.index(t.stage) > found.named or (t.way != "inject" and ids.index(t.stage) != found.named)
        )
    return named == {n for n, db in enumerate(chain.lost_db) if db}, tests


def _one(arguments: tuple[int, bool]) -> tuple[tuple[Search, ...], int, tuple[bool, int]]:
    seed, plain = arguments
    chain = chain_of(seed, plain=plain)
    return (
        (by_finder(chain)[0], by_halving(chain), by_walking(chain)),
        chain.break_at,
        both_found(chain_of(seed, faults=2, plain=plain)),
    )


def run_chain_trial(sets: int, seed: int = 1, workers: int = 1, plain: bool = False) -> dict[str, Any]:
    """Chains of the seeds from ``seed`` on: tests, how often the break was named rightly, the trouble of the three ways, and two faults."""
    told: Sequence[Any] = many(_one, [(s, plain) for s in range(seed, seed + sets)], workers)
    ways = {name: [t[0][k] for t in told] for k, name in enumerate(("this", "bisection", "walk"))}
    breaks = [t[1] for t in told]
    right = {name: sum(s.named == b for s, b in zip(found, breaks, strict=True)) / sets for name, found in ways.items()}
    mine = ways["this"]
    sure = [(s, b) for s, b in zip(mine, breaks, strict=True) if s.sure]
    return {
        "task": "trace", "sets": sets, "seed": seed, "tests_per_set": round(float(np.mean([s.tests for s in mine])), 2),
        "right": round(right["this"], 4), "sure": round(len(sure) / sets, 4),
        "right_when_sure": round(sum(s.named == b for s, b in sure) / max(len(sure), 1), 4),
        "cost": {name: round(float(np.mean([s.cost for s in found])), 3) for name, found in ways.items()},
        "right_of": {name: round(share, 4) for name, share in right.items()},
        "two_faults": {
            "both": round(sum(t[2][0] for t in told) / sets, 4), "tests": round(float(np.mean([t[2][1] for t in told])), 2),
        },
    }  # fmt: skip
