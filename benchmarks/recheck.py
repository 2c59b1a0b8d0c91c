"""The re-check plan against brute force on many random cases: python benchmarks/recheck.py [CASES] [FIRST SEED]."""

from __future__ import annotations

import random
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "tests"))

from job.test_recheck import STANDING, brute_force, some_stale
from unitone.job.recheck import EXACT, plan


def main(cases: int, first: int) -> None:
    """Compare, count, and time the largest exact plans."""
    smallest = fewest = merged = 0
    for seed in range(first, first + cases):
        rng = random.Random(seed)
        stale = some_stale(rng, 8)
        hook_up = rng.choice(["receive", "transmit", "probe"])
        made = plan(stale, hook_up, STANDING)
        count, changes = brute_force(stale, hook_up)
        smallest += len(made.measurements) == count
        fewest += made.hook_up_changes == changes
        merged += count < len(stale)
    print(
        f"{cases} cases: smallest set {smallest}, fewest hook-up changes among those {fewest}; {merged} had something to join"
    )
    worst = 0.0
    for seed in range(20):
        rng = random.Random(seed)
        stale = [s for _ in range(4) for s in some_stale(rng, 8)][:EXACT]
        start = time.perf_counter()
        plan(stale, "receive", STANDING)
        worst = max(worst, time.perf_counter() - start)
    print(f"longest plan for {EXACT} stale results: {worst * 1e3:.0f} ms")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 500, int(sys.argv[2]) if len(sys.argv) > 2 else 1)
