"""Oscillators told apart: four hundred radios with one or two oscillators off, the readings chosen by the software.

PYTHONPATH=src python benchmarks/attribution.py [RADIOS] [FIRST SEED]
"""

from __future__ import annotations

import sys
import time
from fractions import Fraction

import numpy as np

from unitone.align.frequency.attribution import Attribution, Counted, Point, Source, attribute

BANDS = {"low": 16.2725e6, "mid": 16.7225e6, "high": 17.1725e6, "upper": 17.6225e6, "top": 18.0725e6}
MODES = {"am": 10.695e6, "usb": 10.6975e6, "lsb": 10.6925e6}
MOST = 11
NOISE_HZ = 10.0


def radio(rng: np.random.Generator) -> tuple[list[Source], list[Point]]:
    """A multi-band set of three to five bands: a reference loop, a mixing crystal a band, a carrier oscillator a mode."""
    bands = dict(list(BANDS.items())[: int(rng.integers(3, 6))])
    sources = [Source("ref", 10.24e6, "CT1")]
    sources += [Source(f"x-{b}", hz, f"CT-{b}") for b, hz in bands.items()]
    sources += [Source(f"c-{m}", hz, f"CT-{m}") for m, hz in MODES.items()]
    points = []
    for band, crystal in bands.items():
        for mode, carrier in MODES.items():
            for channel in (1, 20, 40):
                n = 900 + channel
                terms = (("ref", Fraction(n, 1024)), (f"x-{band}", Fraction(1)), (f"c-{mode}", Fraction(1)))
                hz = n / 1024 * 10.24e6 + crystal + carrier - 10e6
                points.append(Point(f"{band} {mode} {channel}", hz, terms, None, 1.0))
    points += [Point(f"{s.id} at its test point", s.nominal_hz, ((s.id, Fraction(1)),), s.id, 2.0) for s in sources]
    points.append(Point("the 10 MHz standard", 10e6, (), None, 2.0))
    return sources, points


def truth(rng: np.random.Generator, sources: list[Source]) -> tuple[dict[str, float], set[str], float]:
    """(error of each oscillator, those that are off, the counter's ppm): healthy ones within 20 Hz, faulty 150 to 1200."""
    errors = {s.id: 20.0 * float(rng.standard_normal()) for s in sources}
    off = {sources[i].id for i in rng.permutation(len(sources))[: int(rng.integers(1, 3))]}
    for name in off:
        errors[name] = float(rng.choice([-1, 1]) * rng.uniform(150, 1200))
    return errors, off, 0.7 * float(rng.standard_normal())


def read(point: Point, errors: dict[str, float], ppm: float, rng: np.random.Generator) -> Counted:
    """What the counter shows there."""
    shown = sum(float(c) * errors[n] for n, c in point.terms) - point.hz * 1e-6 * ppm + NOISE_HZ * rng.standard_normal()
    return Counted(point, float(shown), NOISE_HZ)


def work(
    sources: list[Source], points: list[Point], errors: dict[str, float], ppm: float, rng: np.random.Generator
) -> tuple[Attribution, list[Counted]]:
    """Read what the software asks for, until it is settled or eleven are read."""
    readings = [read(points[0], errors, ppm, rng)]
    while True:
        found = attribute(sources, readings, points)
        if found.following is None or len(readings) >= MOST:
            return found, readings
        readings.append(read(found.following, errors, ppm, rng))


def main() -> None:
    radios = int(sys.argv[1]) if len(sys.argv) > 1 else 400
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    right = asked = wrong = 0
    misses, counts = [], []
    slips = noticed = 0
    for seed in range(first, first + radios):
        rng = np.random.default_rng(seed)
        sources, points = radio(rng)
        errors, off, ppm = truth(rng, sources)
        found, readings = work(sources, points, errors, ppm, rng)
        named = {j.source.id for j in found.named}
        counts.append(len(readings))
        if named == off and found.settled:
            right += 1
            misses += [abs(j.error_hz - errors[j.source.id]) for j in found.named]
        elif named <= off <= named | {j.source.id for j in found.open} and found.following is not None:
            asked += 1
        else:
            wrong += 1
            print("wrong", seed, sorted(off), sorted(named), [(j.source.id, round(j.p_off, 2)) for j in found.open])
        # One entry wrong: another channel written down, a digit slipped.
        k = int(rng.integers(len(readings)))
        slip = list(readings)
        slip[k] = Counted(
            slip[k].point, slip[k].error_hz + float(rng.choice([-1, 1]) * rng.uniform(1500, 12_000)), NOISE_HZ
        )
        if len(slip) >= 6:
            slips += 1
            noticed += attribute(sources, slip, points).suspect == k
    print(
        f"{radios} radios: {right} right, {asked} a right “cannot tell, read this next”, {wrong} wrong: "
        f"{100 * (1 - 2 * wrong / radios):.1f} %; readings {np.mean(counts):.1f}, at most {max(counts)}; "
        f"error of the oscillator named {np.percentile(misses, 95):.0f} Hz at 95 %; a wrong entry named in {noticed} of {slips}"
    )
    rng = np.random.default_rng(1)
    sources, points = radio(np.random.default_rng(3))
    while len(sources) < 12:
        sources.append(Source(f"more-{len(sources)}", 10e6))
        points.append(Point(f"more-{len(sources)}", 10e6, ((sources[-1].id, Fraction(1)),), sources[-1].id))
    errors, _, ppm = truth(rng, sources)
    many = [read(points[i % len(points)], errors, ppm, rng) for i in range(60)]
    attribute(sources, many, points)
    start = time.perf_counter()
    for _ in range(10):
        attribute(sources, many, points)
    print(f"twelve oscillators, sixty readings: {1e2 * (time.perf_counter() - start):.0f} ms")


if __name__ == "__main__":
    main()
