"""Searches for the bad stage of chains of eight: by the finder, by halving, by walking back; with nothing known before, and with what
fails often and what is easy to reach.

PYTHONPATH=src python benchmarks/trace.py [CHAINS] [FIRST SEED]
"""

from __future__ import annotations

import os
import sys
import time

from unitone.align.trace.finder import Finder
from unitone.robot.intermittents import share_right
from unitone.robot.trace_chains import chain_of, run_chain_trial


def slowest_suggestion(seeds: int = 20) -> float:
    """Milliseconds that the slowest first suggestion of a chain takes."""
    worst = 0.0
    for seed in range(seeds):
        finder = Finder(chain_of(seed).stages)
        began = time.perf_counter()
        finder.next_test()
        worst = max(worst, time.perf_counter() - began)
    return 1e3 * worst


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
        print(f"  two faults: both named {told['two_faults']['both']} in {told['two_faults']['tests']} tests")
    print(
        f"intermittents: the cause of six stands first in {share_right(sets, seed):.3f}, three movements each, drop-outs by chance in 20 %"
    )
    print(f"slowest suggestion {slowest_suggestion():.1f} ms")


if __name__ == "__main__":
    main()
