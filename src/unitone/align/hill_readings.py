"""What a job's tape says of the hill of one adjuster: its readings as heights, and where its stops were felt."""

from __future__ import annotations

import math

import numpy as np
from scipy.integrate import cumulative_trapezoid

from unitone.align.peak.hill import Point
from unitone.job.entries.readings import Reading
from unitone.job.records import Logged, by_conditions, by_positions
from unitone.job.state import JobState
from unitone.quantities.entry import written_step
from unitone.quantities.registry import HEARD, Quantity
from unitone.sheet.model.sheet import TURN, Step, same_level, without

#: Ratios with the noise in them twice: (S+N)/N, (S+N+D)/(N+D).
WITH_NOISE = frozenset({"rx.sinad", "rx.sn_ratio"})
_LEAST_DB = 0.1
#: A needle or a display is read to such a share of what it shows (standard; common practice, no source).
_READ_SHARE = 0.03
#: FM under its threshold: for a dB of signal S/N goes by 1 + _THRESHOLD dB well below it and by 1 dB well above; where that changes
#: (S/N in dB), and over which width. The clicks that do it are S. O. Rice's, "Noise in FM receivers" (1963); the figures are those of
#: narrow-band receivers, common practice without a source.
_THRESHOLD, _KNEE_DB, _KNEE_WIDTH_DB = 1.2, 12.5, 1.6
_SN = np.linspace(-20.0, 60.0, 801)
_SIGNAL = cumulative_trapezoid(
    1.0 / (1.0 + _THRESHOLD / (1.0 + np.exp((_SN - _KNEE_DB) / _KNEE_WIDTH_DB))), _SN, initial=0
)


def height(q: Quantity, reading: Reading) -> tuple[float, float] | None:
    """A reading as (dB that rise towards the peak, spread in dB); None where it has no number."""
    value, std = reading.value, reading.std
    if value is None:
        return None
    if q.id in WITH_NOISE:
        # (S+N)/N never goes below 0 dB and hides a weak signal in its noise; S/N by itself follows the hill all the way down.
        times = 10.0 ** (max(value, _LEAST_DB) / 10.0)
        ratio, spread = 10.0 * math.log10(times - 1.0), (std or q.usual_std) * times / (times - 1.0)
        return through_threshold(ratio, spread, q.hill_slope) if reading.conditions.deviation_hz else (ratio, spread)
    if q.kind in ("ratio-db", "s-units"):
        return value, std or q.usual_std
    if q.kind == "dbc":
        return -value, std or q.usual_std
    if q.kind == "percent":
        return -20.0 * math.log10(max(value, 1e-3) / 100.0), 8.69 * (std or q.usual_std) / max(value, 1e-3)
    if q.kind == "watts":
        return 10.0 * math.log10(max(value, 1e-6)), 4.34 * (std or q.usual_std) / max(value, 1e-6)
    # An AVC line may go negative: what counts is how far it stands from zero.
    size = max(abs(value), 1e-9)
    return 20.0 * math.log10(size), 8.69 * (std or _typed_spread(q, reading, size)) / size


def _typed_spread(q: Quantity, reading: Reading, size: float) -> float:
    """The spread (canonical unit) of a reading that was typed without one. Few millivolts are read on the meter's lower range: as finely
    as they were written, and no worse than a share of them."""
    step = written_step(reading.typed) if q.kind == "volts" and reading.typed else None
    if step is None:
        return q.usual_std
    return min(q.usual_std, size * max(_READ_SHARE, step / math.sqrt(12.0)))


def through_threshold(ratio_db: float, std_db: float, slope: float) -> tuple[float, float]:
    """S/N of FM (dB, and its spread) as a height that goes ``slope`` dB for a dB of signal on both sides of the threshold."""
    steep = 1.0 + _THRESHOLD / (1.0 + math.exp(min((ratio_db - _KNEE_DB) / _KNEE_WIDTH_DB, 50.0)))
    return slope * float(np.interp(ratio_db, _SN, _SIGNAL)), slope * std_db / steep


def back_through_threshold(height_db: float, slope: float) -> float:
    """The S/N of FM (dB) that has that height: the inverse of ``through_threshold``."""
    return float(np.interp(height_db / slope, _SIGNAL, _SN))


def visit_plan(step: Step) -> list[tuple[str, ...]]:
    """Which adjusters when: each once, a coupled pair together.

    Two that null together, or are peaked by ear, go by turns and twice; where coils are brought even over several places, each once.
    """
    plan: list[tuple[str, ...]] = []
    for group in step.adjust:
        if len(group) == 2 and step.aim == "peak" and step.hill_id != HEARD:
            plan.append(group)
        else:
            plan += [(a,) for a in group] * (2 if len(group) == 2 and step.aim != "level" else 1)
    return plan


def is_null(step: Step) -> bool:
    """Is something nulled that is read in dB under the carrier: a trap, a balance?"""
    return step.aim == "null" and step.quantity.kind == "dbc"


def hill_points(state: JobState, step: Step, group: tuple[str, ...], since: int) -> list[Logged]:
    """Readings of the step's hill since ``since`` that differ, in what reaches them, by these adjusters alone from now.

    How far a sweep turned its adjuster is not known: what was read before it is of another hill.

    A hill is climbed at whatever level suits; what is set is set at the step's own level, other levels are those of its chart.
    """
    climbed = step.aim != "set"
    since = max(
        [since, *(s.seq for a, s in state.swept.items() if a in state.reaching(step.hill_id, step.hill_setting))]
    )
    reaching = [a for a in state.reaching(step.hill_id, step.hill_setting) if a not in group]
    as_now = by_positions(lambda p: all(p[a] == state.positions[a] for a in reaching))
    found = on_hill(state, step, since)
    if not climbed:
        level = by_conditions(lambda c: same_level(c.level_dbm, step.hill_setting.level_dbm))
        found = [x for x in found if level(x.reading.conditions)]
    return [x for x in found if as_now(x.positions)]


def on_hill(state: JobState, step: Step, since: int) -> list[Logged]:
    """The readings of a step's hill after entry ``since``, whatever their level."""
    wanted = without(step.hill_setting, "level_dbm")
    here = by_conditions(lambda c: without(c, "level_dbm") == wanted)
    return [x for x in state.read_of(step.hill_id, since) if here(x.reading.conditions)]


def points_of(q: Quantity, readings: list[Logged], adjuster: str) -> list[Point]:
    """The readings as points of a hill: turns of the adjuster, height and spread in dB, level; those without a number left out."""
    found = []
    for x in readings:
        h = height(q, x.reading)
        if h is not None:
            found.append(Point(x.positions[adjuster] / TURN, h[0], h[1], x.reading.conditions.level_dbm))
    return found


def stops_touched(state: JobState, adjuster: str) -> tuple[int | None, int | None]:
    """Positions (millidegrees from found) where the stops were felt: anticlockwise, clockwise."""
    return state.stops.get(adjuster, (None, None))


def slope_before(state: JobState, step: Step, adjuster: str) -> float:
    """What a millidegree of an adjuster did to the step's quantity, from the last two readings between which it alone was turned.

    Nought where it never was. Other adjusters may have moved since: the slope tells the way and about how far, not the place.
    """
    others = [a for a in state.reaching(step.quantity_id, step.setting) if a != adjuster]
    read = [
        x
        for x in state.read_of(step.quantity_id)
        if x.reading.value is not None and not x.reading.bound and x.reading.conditions == step.setting
    ]
    for before, after in reversed(list(zip(read, read[1:], strict=False))):
        moved = after.positions[adjuster] - before.positions[adjuster]
        if moved and all(before.positions[a] == after.positions[a] for a in others):
            difference = (after.reading.value or 0.0) - (before.reading.value or 0.0)
            spread = max(after.reading.std or 0.0, before.reading.std or 0.0, step.quantity.usual_std)
            return difference / moved if abs(difference) > 3.0 * spread else 0.0
    return 0.0
