"""The sensitivity finder against bisection: how often within 0.3 dB, after how many readings.

PYTHONPATH=src python benchmarks/find_level.py [RUNS]
"""

from __future__ import annotations

import math
import sys
from collections.abc import Callable

import numpy as np

from unitone.align.sensitivity.find_level import next_level

Curve = Callable[[float], float]


def curve(rng: np.random.Generator, kind: str) -> tuple[Curve, float]:
    """A receiver's SINAD against level, and the level that gives the mark. FM bends at its threshold; AM rises dB for dB."""
    level = rng.uniform(-123, -95)
    mark = 12.0 if kind == "FM" else 10.0
    slope = rng.uniform(1.2, 2.5) if kind == "FM" else rng.uniform(0.95, 1.05)
    ceiling = rng.uniform(18, 40)
    bend = rng.uniform(0.0, 0.02) if kind == "FM" else 0.0
    base = 10 ** (mark / 10) - 1
    rising = 1 / (1 / base - 10 ** (-ceiling / 10))

    def true(dbm: float) -> float:
        d = dbm - level
        # Below the threshold an FM curve falls off faster still.
        snr = rising * 10 ** ((slope * d - bend * min(d, 0) ** 2) / 10)
        return float(10 * np.log10(1 + 1 / (1 / snr + 10 ** (-ceiling / 10))))

    return true, level


def finder(read: Curve, start: float, mark: float, most: int) -> tuple[float, int]:
    readings: list[tuple[float, float]] = []
    while True:
        move = next_level(readings, start, mark)
        if move.found_dbm is not None:
            return move.found_dbm, len(readings)
        assert move.try_dbm is not None
        if len(readings) >= most:
            from unitone.align.sensitivity.find_level import posterior

            return posterior(readings, mark)[0], len(readings)
        readings.append((move.try_dbm, read(move.try_dbm)))


def bisection(read: Curve, start: float, mark: float, readings: int) -> tuple[float, int]:
    """From a bracket of ±12 dB round the start, halved by each reading."""
    low, high = start - 12.0, start + 12.0
    for _ in range(readings):
        middle = 0.5 * (low + high)
        if read(middle) > mark:
            high = middle
        else:
            low = middle
    return 0.5 * (low + high), readings


def bound(true: Curve, level: float, noise: float, readings: int) -> float:
    """How often any estimator that knows the curve can be within 0.3 dB: Cramér-Rao, all readings where the mark is."""
    slope = (true(level + 0.05) - true(level - 0.05)) / 0.1
    spread = math.hypot(noise, 0.1 / math.sqrt(12)) / (slope * math.sqrt(readings))
    return math.erf(0.3 / (spread * math.sqrt(2)))


def main() -> None:
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    print(
        "| receiver | spread of a reading | finder: within 0.3 dB | readings, mean and most | the most that any could | bisection: within 0.3 dB |\n"
        "|---|---|---|---|---|---|"
    )
    for kind, most, mark in (("FM", 8, 12.0), ("AM", 14, 10.0)):
        for noise in (0.2, 0.35, 0.5):
            rng = np.random.default_rng(round(noise * 100) + most)
            ours, theirs, counts, best = [], [], [], []
            for _ in range(runs):
                true, level = curve(rng, kind)
                start = level + rng.uniform(-9, 9)

                def read(dbm: float, true: Curve = true, noise: float = noise, rng: np.random.Generator = rng) -> float:
                    # A reading is typed to a tenth, and never below zero.
                    return max(0.0, round(true(dbm) + noise * rng.standard_normal(), 1))

                found, n = finder(read, start, mark, most)
                ours.append(abs(found - level) <= 0.3)
                counts.append(n)
                best.append(bound(true, level, noise, most))
                theirs.append(abs(bisection(read, start, mark, most)[0] - level) <= 0.3)
            print(
                f"| {kind}, {mark:g} dB | {noise:g} dB | {100 * np.mean(ours):.1f} % | {np.mean(counts):.1f}, {max(counts)} | "
                f"{100 * np.mean(best):.1f} % | "
                f"{100 * np.mean(theirs):.1f} % after {most} |"
            )


if __name__ == "__main__":
    main()
