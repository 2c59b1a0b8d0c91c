"""A VCO from four channels: every other channel, and whether an added band locks, on varactors of other laws than the fitted one.

PYTHONPATH=src python benchmarks/vco.py [CASES] [FIRST SEED]
"""

from __future__ import annotations

import math
import sys
from collections.abc import Callable

import numpy as np
from scipy.interpolate import PchipInterpolator
from scipy.optimize import brentq

from unitone.radio.channels import PLANS
from unitone.radio.vcofit import fit, stretch

WINDOW = (0.8, 5.5)


def capacitance(rng: np.random.Generator) -> tuple[str, Callable[[float], float]]:
    """Farads against volts of some varactor, with a capacitor in series as often as not: abrupt, hyperabrupt, or a table."""
    kind = str(rng.choice(["abrupt", "hyperabrupt", "tabulated"]))
    c0, phi = rng.uniform(25e-12, 60e-12), rng.uniform(0.55, 0.9)
    if kind == "tabulated":
        volts = np.array([-0.3, 0.3, 1.0, 2.0, 3.0, 4.5, 6.5, 9.0])
        fall = np.cumsum(
            np.concatenate(
                ([0.0], rng.uniform(0.75, 1.25, 7) * np.diff(volts) * rng.uniform(0.10, 0.2) * np.linspace(1.5, 0.6, 7))
            )
        )
        table = PchipInterpolator(volts, c0 * np.exp(-fall))

        def junction(v: float) -> float:
            return float(table(min(max(v, -0.3), 9.0)))
    else:
        gamma = rng.uniform(0.42, 0.52) if kind == "abrupt" else rng.uniform(0.8, 1.8)

        def junction(v: float) -> float:
            return float(c0 / (1.0 + max(v, -phi * 0.9) / phi) ** gamma)

    series = rng.choice([math.inf, rng.uniform(30e-12, 120e-12)])
    return kind, (junction if math.isinf(series) else lambda v: 1.0 / (1.0 / junction(v) + 1.0 / series))


def case(rng: np.random.Generator) -> tuple[str, Callable[[float], float], list[float], list[float]]:
    """(kind, true volts at a frequency, the plan's frequencies, an added band's) of a VCO that holds its own band inside the window."""
    while True:
        kind, farads = capacitance(rng)
        offset = float(rng.choice([0.0, -10.695e6, 10.695e6]))
        own = [hz + offset for hz in PLANS["eu-40"].hz]
        shift = float(rng.choice([-900e3, -450e3, 450e3, 900e3]))
        added = [hz + shift for hz in own]
        fixed = rng.uniform(20e-12, 80e-12)
        falls = bool(rng.random() < 0.3)
        # The coil is set so that the middle channel stands somewhere in the trade's window.
        middle = rng.uniform(1.8, 4.2)
        henry = 1.0 / ((2 * math.pi * own[19]) ** 2 * (fixed + farads(middle)))

        def volts(hz: float, farads=farads, fixed=fixed, henry=henry, falls=falls) -> float:  # type: ignore[no-untyped-def]
            def left(v: float) -> float:
                return 1.0 / (2 * math.pi * math.sqrt(henry * (fixed + farads(v)))) - hz

            if left(-0.3) > 0:
                return -math.inf if not falls else math.inf
            if left(9.0) < 0:
                return math.inf if not falls else -math.inf
            v = float(brentq(left, -0.3, 9.0))
            return v if not falls else 6.3 - v

        ends = [volts(hz) for hz in (min(own), max(own))]
        if all(WINDOW[0] < v < WINDOW[1] for v in ends) and abs(ends[1] - ends[0]) > 0.3:
            return kind, volts, own, added


def main() -> None:
    cases = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    worst: dict[str, list[float]] = {}
    right = open_ = wrong = 0
    for seed in range(first, first + cases):
        rng = np.random.default_rng(seed)
        kind, volts, own, added = case(rng)
        read = [sorted(own)[k] for k in (0, 13, 26, 39)]
        law = fit([(hz, round(volts(hz) + 0.002 * rng.standard_normal(), 3)) for hz in read])
        worst.setdefault(kind, []).append(max(abs(law.volts(hz) - volts(hz)) for hz in own))
        ends = [volts(hz) for hz in (min(added), max(added))]
        truth = all(WINDOW[0] <= v <= WINDOW[1] for v in ends)
        said = stretch(law, added, WINDOW).locks
        right += said is truth
        open_ += said is None
        wrong += said is (not truth)
    print("| varactor | cases | worst channel, V: median, 95 %, largest |\n|---|---|---|")
    for kind, found in sorted(worst.items()):
        print(f"| {kind} | {len(found)} | {np.median(found):.3f}, {np.percentile(found, 95):.3f}, {max(found):.3f} |")
    print(f"\nlock of an added band: {right} of {cases} right, {wrong} wrong, {open_} said to be too close to call")


if __name__ == "__main__":
    main()
