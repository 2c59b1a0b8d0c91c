"""The arithmetic of calibrations that need no laboratory: one thing of the bench held against another.

Uncertainties are standard ones (one sigma); limits become one as a rectangular distribution, a/√3
(JCGM 100:2008, 4.3.7).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from unitone.errors import BenchError
from unitone.words import tr

#: A pad is believed to be what is marked on it within this (dB, standard): common practice, no source.
MARKED_U_DB = 0.5
#: What a setting for "the same reading" repeats within (dB, standard), unless said otherwise: common practice, no source.
SAME_U_DB = 0.2
_ROOT3 = math.sqrt(3.0)


@dataclass(frozen=True)
class Alike:
    """One way to get the same reading at the set: what the generator was dialled to (dBm), and the pads in line by name."""

    dial_dbm: float
    pads: tuple[str, ...]


@dataclass(frozen=True)
class Found:
    """A value with its standard uncertainty, in one unit."""

    value: float
    u: float


def solve_pads(
    alike: Sequence[Alike], marked: Mapping[str, float], same_u_db: float = SAME_U_DB, marked_u_db: float = MARKED_U_DB
) -> tuple[dict[str, Found], str]:
    """What each pad really is, from settings that all gave the same reading; and the words for a row that does not fit.

    Each row says dial = level at the set + Σ pads, the level being unknown and the same in all.
    Least squares with the marks as prior knowledge (Gauss–Markov; R. A. Fisher's normal equations in
    any text on adjustment). Pads that stand in no row, or in every one alike, keep their marks.
    Raises BenchError for fewer than two rows, or a pad that is not known.
    """
    if len(alike) < 2:
        raise BenchError(tr("Enter at least two rows: same reading, different pads, level dialled."))
    for row in alike:
        for name in row.pads:
            if name not in marked:
                raise BenchError(tr("There is no pad “{name}” on this bench: add it with its mark.", name=name))
    if len({tuple(sorted(row.pads)) for row in alike}) < 2:
        raise BenchError(tr("All rows have the same pads in line. Add or remove one."))
    names = list(marked)
    design = np.array([[1.0, *(row.pads.count(n) for n in names)] for row in alike])
    prior = np.array([0.0, *(marked[n] for n in names)])
    weight = np.diag([0.0, *([1.0 / marked_u_db**2] * len(names))])
    seen = np.array([row.dial_dbm for row in alike])
    normal = design.T @ design / same_u_db**2 + weight
    found = np.linalg.solve(normal, design.T @ seen / same_u_db**2 + weight @ prior)
    spread = np.sqrt(np.diag(np.linalg.inv(normal)))
    left = seen - design @ found
    worst = int(np.argmax(np.abs(left)))
    odd = ""
    if abs(left[worst]) > 3.0 * same_u_db:
        odd = tr("Row {n} does not fit the others by {db} dB: read it again.", n=worst + 1, db=f"{left[worst]:+.1f}")
    return {n: Found(float(found[k + 1]), float(spread[k + 1])) for k, n in enumerate(names)}, odd


def generator_steps(
    alike: Sequence[Alike], true: Mapping[str, Found], same_u_db: float = SAME_U_DB
) -> list[tuple[float, float, float]]:
    """(dial dBm, what comes out less what is dialled, standard uncertainty), highest dial first, which is taken for right.

    Two settings that give the same reading differ by just what their pads differ by; what is left over is
    the generator's own step. Raises BenchError for fewer than two rows, unknown pads, or a dial that stands in two rows.
    """
    if len(alike) < 2:
        raise BenchError(tr("Enter at least two rows: one level with a pad, the next without."))
    if len({row.dial_dbm for row in alike}) < len(alike):
        raise BenchError(tr("Two rows have the same level. Each row needs its own."))
    missing = sorted({n for row in alike for n in row.pads} - set(true))
    if missing:
        raise BenchError(tr("There is no pad “{name}” on this bench: add it with its mark.", name=missing[0]))
    rows = sorted(alike, key=lambda r: -r.dial_dbm)
    first = rows[0]
    made = []
    for row in rows:
        pads = sum(true[n].value for n in row.pads) - sum(true[n].value for n in first.pads)
        own = {n: row.pads.count(n) - first.pads.count(n) for n in {*row.pads, *first.pads}}
        u = math.sqrt(
            sum((k * true[n].u) ** 2 for n, k in own.items()) + (2 * same_u_db**2 if row is not first else 0.0)
        )
        made.append((row.dial_dbm, pads - (row.dial_dbm - first.dial_dbm), u))
    return made


@dataclass(frozen=True)
class Leak:
    """How far under the generator's output its leakage arrives at the set (dB); ``at_least`` where none was seen."""

    isolation_db: float
    at_least: bool
    words: str


def leakage(first: tuple[float, float], second: tuple[float, float], same_u_db: float = SAME_U_DB) -> Leak:
    """Leakage from two settings (dial dBm, pads dB) that gave the same reading, the second with more pads.

    What arrives by the pads and what arrives round them add as powers:
    D1·(a1 + l) = D2·(a2 + l), so l = (a1 − r·a2)/(r − 1) with r = D2/D1; all as power ratios.
    Raises BenchError where the second has not at least 6 dB more of pads.
    """
    (d1, p1), (d2, p2) = first, second
    if p2 - p1 < 6.0:
        raise BenchError(tr("The second row needs at least 6 dB more of pads than the first."))
    if d2 <= d1 + 3 * same_u_db:
        raise BenchError(tr("More pads need a higher level for the same reading. Check the two rows."))
    a1, a2, r = 10 ** (-p1 / 10), 10 ** (-p2 / 10), 10 ** ((d2 - d1) / 10)

    def isolation(short_db: float) -> float:
        ratio = r * 10 ** (-short_db / 10)
        leak = (a1 - ratio * a2) / (ratio - 1.0)
        return -10 * math.log10(leak) if leak > 0 else math.inf

    short = (p2 - p1) - (d2 - d1)
    if short < -3.0 * math.sqrt(2.0) * same_u_db:
        raise BenchError(
            tr("The dial went up {db} dB more than the pads account for. Calibrate the pads first.",
               db=f"{-short:.1f}")
        )  # fmt: skip
    seen = isolation(0.0)
    if short <= 2.0 * math.sqrt(2.0) * same_u_db:
        # Not seen: what could just hide in the repeatability.
        least = isolation(2.0 * math.sqrt(2.0) * same_u_db - min(short, 0.0))
        return Leak(least, True, tr("No leakage found: it is at least {db} dB below the output.", db=f"{least:.0f}"))
    return Leak(seen, False, tr("The generator leaks: its leakage is {db} dB below its output.", db=f"{seen:.0f}"))


def leak_bound_db(through_dbm: float, leak_dbm: float) -> float:
    """By how much (dB) a leak at ``leak_dbm`` can raise or lower a signal at ``through_dbm``: voltages in phase or against it."""
    ratio = 10 ** ((leak_dbm - through_dbm) / 20)
    return 20 * math.log10(1 + ratio) if ratio < 0.999 else 60.0


def counter_ppm(shown_hz: float, true_hz: float, resolution_hz: float, standard_ppm: float) -> Found:
    """How many ppm a counter shows too much, on a standard of known frequency (a broadcast carrier, a locked source).

    u: ± one count and the standard's limits, both rectangular. Raises BenchError beyond 1000 ppm: then something else was counted.
    """
    if true_hz <= 0 or resolution_hz <= 0 or standard_ppm < 0:
        raise BenchError(tr("Frequencies and resolution must be above zero, the standard's limits 0 ppm or more."))
    ppm = (shown_hz / true_hz - 1.0) * 1e6
    if abs(ppm) > 1000:
        raise BenchError(
            tr("That is {ppm} ppm off: the counter counts something else. Check the frequencies.", ppm=f"{ppm:.0f}")
        )
    count = resolution_hz / true_hz * 1e6
    return Found(ppm, math.hypot(count / _ROOT3, standard_ppm / _ROOT3))


def watts_of(volts: float, kind: str, ohm: float) -> float:
    """Watts of a sine across a load from volts: ``pp`` peak to peak, ``p`` peak, ``rms``. P = V²rms/R. Raises BenchError."""
    by = {"pp": 2.0 * math.sqrt(2.0), "p": math.sqrt(2.0), "rms": 1.0}
    if kind not in by or volts <= 0 or ohm <= 0:
        raise BenchError(tr("Volts and ohms must be above zero; volts are peak to peak, peak or rms."))
    return (volts / by[kind]) ** 2 / ohm


def wattmeter_pct(shown_w: float, true_w: float, volts_pct: float, load_pct: float) -> Found:
    """How many per cent a wattmeter reads high, against volts across the load. u: twice the volts' limits and the load's, rectangular.

    Raises BenchError for what is not above zero, or a meter that is off by more than a factor of two.
    """
    if shown_w <= 0 or true_w <= 0 or volts_pct < 0 or load_pct < 0:
        raise BenchError(tr("Watts must be above zero, limits zero or more."))
    pct = (shown_w / true_w - 1.0) * 100.0
    if not -50 < pct < 100:
        raise BenchError(
            tr(
                "That would be {pct} % wrong. Check the probe (×10?), the load, and peak or peak to peak.",
                pct=f"{pct:+.0f}",
            )
        )
    return Found(pct, math.hypot(2 * volts_pct, load_pct) / _ROOT3 * (1 + pct / 100))


def full_scale_v(volts_rms: float, seen_dbfs: float, meter_pct: float) -> Found:
    """Volts rms of a sine at full scale of an input (or output) that shows ``seen_dbfs`` for ``volts_rms``.

    Raises BenchError where the tone is too weak to say, or at the top.
    """
    if volts_rms <= 0 or meter_pct < 0:
        raise BenchError(tr("Volts must be above zero, the meter's limits zero or more."))
    if not -60.0 <= seen_dbfs <= -0.2:
        raise BenchError(
            tr(
                "The tone is at {db} dBFS; calibration needs −60 to −1. Turn it up or down.",
                db=f"{seen_dbfs:.1f}",
            )
        )
    value = volts_rms / 10 ** (seen_dbfs / 20)
    return Found(value, value * meter_pct / 100 / _ROOT3)


def level_error_db(volts_rms: float, ohm: float, dial_dbm: float, volts_pct: float) -> Found:
    """What a generator gives more than it shows (dB), from volts across ``ohm`` at a dialled level. Raises BenchError beyond 10 dB."""
    watts = watts_of(volts_rms, "rms", ohm)
    more = 10 * math.log10(watts / 1e-3) - dial_dbm
    if abs(more) > 10:
        raise BenchError(
            tr("That is {db} dB off. Check the 50 Ω termination, and that the volts are rms.", db=f"{more:+.1f}")
        )
    return Found(more, 20 * math.log10(1 + volts_pct / 100) / _ROOT3)
