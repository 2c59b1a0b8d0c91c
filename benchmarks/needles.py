"""Meters read by camera: drawn meters of seven kinds, each taught by clicks that miss a little; spoilt frames; rows of LEDs; the time of a frame.

PYTHONPATH=src python benchmarks/needles.py [METERS] [FIRST SEED] [WORKERS]
"""

from __future__ import annotations

import sys
import time
from dataclasses import dataclass, replace

import numpy as np

from unitone.bench.camera._leds import LedReader
from unitone.bench.camera.needle import NeedleReader
from unitone.bench.camera.taught import Mark, Taught
from unitone.errors import BenchError
from unitone.robot.many import many
from unitone.simulator.led_picture import LedRow
from unitone.simulator.meter_picture import FACES, Meter, View

CLICK_PX = 0.7
SPOILS = ("no needle", "hand", "glare", "moved", "turned")
#: A figure this near to the truth is not wrong (share of the scale).
RIGHT = 0.015


@dataclass(frozen=True)
class Result:
    """A meter: error (share of the scale, None where it was not read), the frame's time, and what each spoilt frame came to."""

    kind: str
    error: float | None
    seconds: float
    spoilt: dict[str, str]
    leds: tuple[int, int, int]


def a_view(rng: np.random.Generator) -> View:
    """Anything that a webcam on a bench sees."""
    u = rng.uniform
    return View(
        u(0, 35), u(0, 360), u(-8, 8), u(0.75, 1.05), (u(-15, 15), u(-10, 10)), u(0.55, 1.05), (u(-0.5, 0.5), u(-0.5, 0.5)),
        tuple((u(80, 560), u(60, 420), u(20, 60), u(40, 140)) for _ in range(int(rng.integers(0, 3)))), u(0.3, 1.8), u(1, 8), 0.0,
        (u(-1.4, 1.4), u(0.2, 1.2)), u(0.15, 0.5), (), int(rng.integers(1 << 30)),
    )  # fmt: skip


def as_clicked(meter: Meter, rng: np.random.Generator) -> Taught:
    """Pivot and marks, each missed a little."""
    off = rng.normal(0.0, CLICK_PX, (1 + len(meter.face.marks), 2))
    pivot = meter.pivot()
    marks = tuple(Mark(x + dx, y + dy, v) for (x, y, v), (dx, dy) in zip(meter.marks(), off[1:], strict=True))
    return Taught("meter", "supply.rail", "needle", marks, (pivot[0] + off[0, 0], pivot[1] + off[0, 1]))


def spoilt(meter: Meter, share: float, kind: str, rng: np.random.Generator) -> Meter:
    """The same meter with something in its way."""
    face, view = meter.face, meter.view
    pivot = np.array(meter.pivot())
    marks = np.array([m[:2] for m in meter.marks()])
    tip = np.array([np.interp(share, [face.share(v) for v in face.marks], marks[:, k]) for k in (0, 1)])
    middle = pivot + rng.uniform(0.55, 0.8) * (tip - pivot)
    if kind == "hand":
        # A hand with an arm from below, over the middle of the needle.
        reach, wide = float(rng.uniform(30, 55)), float(rng.uniform(45, 80))
        x, y = middle
        hand = (
            (x - wide, 490.0),
            (x - wide, y),
            (x - wide / 2, y - reach),
            (x + wide / 2, y - reach),
            (x + wide, y),
            (x + wide, 490.0),
        )
        return Meter(face, replace(view, hand=hand))
    if kind == "glare":
        spot = (
            float(middle[0]),
            float(middle[1]),
            float(np.hypot(*(tip - pivot)) * rng.uniform(0.3, 0.5)),
            float(rng.uniform(500, 1500)),
        )
        return Meter(face, replace(view, glare=(*view.glare, spot)))
    if kind == "moved":
        far, way = rng.uniform(3, 60), rng.uniform(0, 2 * np.pi)
        return Meter(face, replace(view, shift=(view.shift[0] + far * np.cos(way), view.shift[1] + far * np.sin(way))))
    if kind == "turned":
        turn = float(rng.choice([-1, 1]) * rng.uniform(1.5, 6))
        return Meter(
            face, replace(view, roll_deg=view.roll_deg + turn, zoom=view.zoom * float(rng.uniform(0.97, 1.03)))
        )
    return Meter(replace(face, width_mm=0.0), replace(view, shadow=0.0))


def one(asked: tuple[int, int]) -> Result:
    """A meter of a seed: taught, read once, then spoilt in every way; and a row of LEDs."""
    seed, n = asked
    rng = np.random.default_rng([seed, n])
    face = FACES[n % len(FACES)]
    meter = Meter(face, a_view(rng))
    first, share = rng.uniform(0.02, 0.98, 2)
    leds = _leds(rng)
    try:
        reader = NeedleReader(as_clicked(meter, rng), meter.picture(face.value(first)))
    except BenchError:
        return Result(face.kind, None, 0.0, {}, leds)
    frame = meter.picture(face.value(share), int(rng.integers(1 << 30)))
    began = time.perf_counter()
    seen = reader.read(frame)
    seconds = time.perf_counter() - began
    error = None if seen.value is None else abs(_share(face, seen) - share)
    came = {}
    for kind in SPOILS:
        bad = reader.read(spoilt(meter, share, kind, rng).picture(face.value(share), int(rng.integers(1 << 30))))
        right = kind not in ("no needle",) and bad.value is not None and abs(_share(face, bad) - share) < RIGHT
        came[kind] = (bad.trouble or "?") if bad.value is None else "right" if right else "WRONG"
    return Result(face.kind, error, seconds, came, leds)


def _share(face, seen) -> float:  # type: ignore[no-untyped-def]
    return seen.place if seen.bound else face.share(seen.value)


def _leds(rng: np.random.Generator) -> tuple[int, int, int]:
    """(segments, read wrongly, not told) of a row of LEDs of a seed, over three frames."""
    row = LedRow.of(rng)
    places = row.places()
    marks = tuple(Mark(x + rng.normal(0, 1.0), y + rng.normal(0, 1.0), float(n + 1)) for n, (x, y) in enumerate(places))
    try:
        reader = LedReader(Taught("leds", "rx.s_meter", "leds", marks), row.picture(len(places) // 2))
    except BenchError:
        return len(places), 0, len(places)
    wrong = untold = count = 0
    for lit in rng.integers(0, len(places) + 1, 3):
        told = reader.segments(row.picture(int(lit)))
        truth = np.arange(len(places)) < lit
        untold += int(np.sum(np.isnan(told)))
        wrong += int(np.sum((told == 1.0) != truth)) - int(np.sum(np.isnan(told) & truth))
        count += len(places)
    return count, wrong, untold


def main() -> None:
    """Print the table."""
    meters, seed, workers = (int(a) for a in (sys.argv[1:] + ["70", "1", "1"][len(sys.argv) - 1 :])[:3])
    results = many(one, [(seed, n) for n in range(meters)], workers)
    print(
        f"{meters} meters, seed {seed}\n\n| face | meters | median | 95 % | worst | not read |\n|---|---|---|---|---|---|"
    )
    for kind in (*(f.kind for f in FACES), "all"):
        mine = [r for r in results if kind in (r.kind, "all")]
        read = [100 * r.error for r in mine if r.error is not None]
        if read:
            print(
                f"| {kind} | {len(mine)} | {np.median(read):.2f} % | {np.quantile(read, 0.95):.2f} % | {max(read):.2f} % | {len(mine) - len(read)} |"
            )
    print(
        "\n| spoilt frame | frames | refused | right all the same | wrong figure | words |\n|---|---|---|---|---|---|"
    )
    for kind in (*SPOILS, "all"):
        came = [v for r in results for k, v in r.spoilt.items() if kind in (k, "all")]
        right, wrong = came.count("right"), came.count("WRONG")
        words = {w: came.count(w) for w in sorted(set(came) - {"right", "WRONG"})} if kind != "all" else {}
        told = ", ".join(f"{w} {c}" for w, c in words.items())
        print(
            f"| {kind} | {len(came)} | {len(came) - right - wrong} | {right} | {wrong} ({100 * wrong / max(1, len(came)):.2f} %) | {told} |"
        )
    count, wrong, untold = (sum(r.leds[k] for r in results) for k in range(3))
    print(
        f"\nLEDs: {count} segments, {wrong} wrong, {untold} not told: {100 * (count - wrong - untold) / count:.2f} % right"
    )
    times = [1e3 * r.seconds for r in results if r.seconds]
    print(f"Time of a frame: median {np.median(times):.1f} ms, 95 % {np.quantile(times, 0.95):.1f} ms")


if __name__ == "__main__":
    main()
