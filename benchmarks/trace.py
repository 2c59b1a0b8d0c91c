"""Searches for the bad stage of chains of eight: by the finder, by halving, by walking back; with nothing known before, and with what
fails often and what is easy to reach.

PYTHONPATH=src python benchmarks/trace.py [CHAINS] [FIRST SEED]
"""

from __future__ import annotations

import os
import sys
import time
from functools import cache
from statistics import fmean

from unitone.align.trace.finder import Finder
from unitone.robot.intermittents import share_right
from unitone.robot.trace_chains import Chain, chain_of, run_chain_trial


def slowest_suggestion(seeds: int = 20) -> float:
    """Milliseconds that the slowest first suggestion of a chain takes."""
    worst = 0.0
    for seed in range(seeds):
        finder = Finder(chain_of(seed).stages)
        began = time.perf_counter()
        finder.next_test()
        worst = max(worst, time.perf_counter() - began)
    return 1e3 * worst


def best_order(chain: Chain) -> tuple[float, float]:
    """(trouble, tests) of the best order of injections, were every answer right and every specimen as its sheet says: the least that any
    way of searching by injections alone can take, over the stages that may be the bad one."""
    weight = [s.weight for s in chain.stages]
    trouble = [s.trouble_of("inject") or 1.0 for s in chain.stages]

    @cache
    def over(first: int, last: int) -> tuple[float, float]:
        if first == last:
            return 0.0, 0.0
        whole = sum(weight[first : last + 1])
        return min(
            (
                trouble[at] * whole + over(first, at - 1)[0] + over(at, last)[0],
                whole + over(first, at - 1)[1] + over(at, last)[1],
            )
            for at in range(first + 1, last + 1)
        )

    spent, tests = over(0, len(weight) - 1)
    return spent / sum(weight), tests / sum(weight)


def main() -> None:
    """Print both tables."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 50_001
    for plain in (True, False):
        told = run_chain_trial(sets, seed, max(1, os.cpu_count() or 1), plain)
        print(
            "nothing known before, every point as easy"
            if plain
            else "some stages fail more often, some points are hard to reach"
        )
        print(
            f"  tests {told['tests_per_set']}, right {told['right']}, sure {told['sure']}, right when sure {told['right_when_sure']}"
        )
        print(f"  trouble {told['cost']}, right {told['right_of']}")
        best = [best_order(chain_of(s, plain=plain)) for s in range(seed, seed + sets)]
        print(
            f"  the best order, were every answer right: tests {fmean(b[1] for b in best):.2f}, trouble {fmean(b[0] for b in best):.2f}"
        )
        print(f"  two faults: both named {told['two_faults']['both']} in {told['two_faults']['tests']} tests")
    print(
        f"intermittents: the cause of six stands first in {share_right(sets, seed):.3f}, three movements each, drop-outs by chance in 20 %"
    )
    print(f"slowest suggestion {slowest_suggestion():.1f} ms")


if __name__ == "__main__":
    main()
