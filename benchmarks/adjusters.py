"""Thousands of single adjusters and hundreds of sets of six coils: the peak coach against what others do.

.venv/bin/python benchmarks/adjusters.py [SETS [FIRST_SEED]]
"""

from __future__ import annotations

import os
import sys
import time

import numpy as np

from unitone.align.pairs import pair as pairs
from unitone.align.pairs.pair import next_pair_move
from unitone.align.peak import core as peak
from unitone.align.peak.by_ear import next_by_ear
from unitone.align.peak.core import next_move
from unitone.align.peak.hill import Point
from unitone.robot.coil_sets import run_coils_trial
from unitone.robot.many import many
from unitone.robot.one_coil import by_ear, run_adjuster_trial
from unitone.simulator.one_adjuster import CLASSES, Class


def _ear(asked: tuple[Class, int]) -> tuple[str, int, float]:
    result = by_ear(*asked)
    return result.verdict, result.readings, result.loss_db


def main() -> None:
    """Print the tables of docs/adjusters.md."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    cores = os.cpu_count() or 1
    report = run_adjuster_trial(sets, first, cores, CLASSES)
    print(f"## One adjuster, {sets} of each class, seeds {first} to {first + sets - 1}\n")
    print(
        "| method | class | readings mean / p90 | loss mean dB | loss 95 % dB | wrong verdict |\n|---|---|---|---|---|---|"
    )
    for told in ({"name": "coach", **report}, *report["baselines"]):
        for kind, c in told["classes"].items():
            print(
                f"| {told['name']} | {kind} | {c['readings']} / {c['readings_p90']} | {c['loss_mean_db']} | {c['loss_p95_db']} | "
                f"{100 * c['wrong_share']:.2f} % |"
            )
    six = run_coils_trial(max(sets // 5, min(sets, 10)), first, cores)
    print(f"\n## Six coils with two coupled pairs, {six['sets']} sets\n")
    print("| method | readings | loss mean dB | 90 % dB | within 0.2 dB |\n|---|---|---|---|---|")
    for m in six["methods"]:
        share = 100 * m["within_0.2_db"]
        print(
            f"| {m['name']} | {m['readings_per_set']} | {m['loss_db']['mean']} | {m['loss_db']['p90']} | {share:.0f} % |"
        )
    print(f"\n## By ear, {max(sets // 4, min(sets, 10))} of each\n")
    print("| class | answers | loss mean dB | 95 % dB | verdicts |\n|---|---|---|---|---|")
    for kind in CLASSES[:3]:
        told = many(_ear, [(kind, s) for s in range(first, first + max(sets // 4, min(sets, 10)))], cores)
        loss = np.array([t[2] for t in told])
        verdicts = {v: sum(t[0] == v for t in told) for v in sorted({t[0] for t in told})}
        words = ", ".join(f"{v} {n}" for v, n in verdicts.items())
        print(
            f"| {kind} | {np.mean([t[1] for t in told]):.1f} | {loss.mean():.3f} | {np.percentile(loss, 95):.2f} | {words} |"
        )
    print(
        f"\nNext move, alone on one core (median, slowest of what the trial made: {report['slowest_move_s'] * 1e3:.0f} ms):"
    )
    print(_alone(max(4, min(40, sets))))


def _alone(times: int) -> str:
    """How long one move takes by itself, in milliseconds: the pair's as its readings come, and all of them at once (a job taken up)."""
    from unitone.align.pairs.pair import PairRead
    from unitone.robot.one_coil import CORE

    def caches() -> None:
        peak._next.cache_clear()
        pairs._next.cache_clear()

    free = (None, None)
    rng = np.random.default_rng(1)
    at = [0.0, 1.5, -1.0, 0.5, 0.25, 1.0]
    took: dict[str, list[float]] = {"one adjuster": [], "a pair": [], "a pair taken up": [], "by ear": []}
    for _ in range(times):
        x0, noise = rng.uniform(-1, 1), rng.normal(0, 0.3, len(at))
        points = [Point(t, -10 * np.log10(1 + (t - x0) ** 2) + n, 0.3) for t, n in zip(at, noise, strict=True)]
        began = time.perf_counter()
        next_move(points, 1.0, CORE, 360_000, free)
        took["one adjuster"].append(time.perf_counter() - began)
        reads = [PairRead((p.turns, 0.0 if k < 3 else p.turns / 2), p.height, 0.3) for k, p in enumerate(points)]
        for name, first in (("a pair taken up", len(reads)), ("a pair", 1)):
            caches()
            for n in range(first, len(reads) + 1):
                here = round(reads[n - 1].turns[0] * 360_000), round(reads[n - 1].turns[1] * 360_000)
                began = time.perf_counter()
                next_pair_move(reads[:n], 1.0, (CORE, CORE), here, (free, free))
                took[name].append(time.perf_counter() - began)
        began = time.perf_counter()
        next_by_ear([], CORE, round(x0 * 1e6), free)
        took["by ear"].append(time.perf_counter() - began)
    return ", ".join(f"{n}: {1e3 * np.median(t):.1f} ms, {1e3 * max(t):.1f} ms" for n, t in took.items())


if __name__ == "__main__":
    main()
