"""Is it steady? Warm-up and drift of a count, how long to gate it, how far a clarifier swings, and the best compromise of one trimmer."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from unitone.align.advise import errors_together
from unitone.align.even.problem import is_even
from unitone.align.frequency.counts import COUNTED, is_shifter, point_of
from unitone.align.hill_readings import hill_points, stops_touched
from unitone.errors import UnitoneError
from unitone.job.records import by_conditions
from unitone.job.state import JobState
from unitone.quantities.registry import Quantity
from unitone.quantities.show import number, show
from unitone.radio.compromise import compromise
from unitone.radio.drift import _LEAST_S, _MOST_S, Drift, drift
from unitone.sheet.model.sheet import Sheet, Step
from unitone.words import tr, tr_n

#: Touches with a soldering iron: the parts beside are warm for so long (s; common practice, no source).
_COOLS_S, _SOLDERED = 300.0, ("crystal", "padder", "repair", "recap", "band")
#: Half a revolution, less what a hand misses, shows all that a trimmer without stops can do (millidegrees).
_HALF_ROUND = 165_000
#: A drift that moves the carrier by less than this share of the limit in ten minutes is no drift.
_SHARE, _AHEAD_S = 0.1, 600.0


def drift_of(state: JobState, step: Step) -> Drift | None:
    """The drift of the point that was counted last at a step, since the last touch that reaches it."""
    last = next(iter(state.read_of(step.quantity_id)[-1:]), None)
    if last is None or step.quantity_id not in COUNTED:
        return None
    floor = state.last_reached(step.quantity_id, last.reading.conditions)
    same = [
        (x.bench_s, x.reading.value)
        for x in state.read_of(step.quantity_id, floor)
        if x.reading.value is not None and x.reading.conditions == last.reading.conditions and last.bench_s - x.bench_s <= _MOST_S
    ]  # fmt: skip
    return drift(same, _small(step), max(last.reading.std or 0.5, 0.5))


def _small(step: Step) -> float:
    half = step.limit.half_width
    return max(_SHARE * half, 1.0) if half is not None else 10.0


def describe_drift(state: JobState, step: Step) -> str:
    """Whether the radio is steady enough to trim, where the counts tell: wait, or settled."""
    if step.quantity_id not in COUNTED:
        return ""
    soldered = [t for t in state.touches if t.name in _SOLDERED]
    if soldered and state.bench_s - soldered[-1].bench_s < _COOLS_S:
        minutes = math.ceil((_COOLS_S - (state.bench_s - soldered[-1].bench_s)) / 60.0)
        return tr_n(
            "Just soldered: let it cool {n} minute, then count.",
            "Just soldered: let it cool {n} minutes, then count.",
            minutes,
        )
    seen = drift_of(state, step)
    if seen is None:
        return ""
    small = _small(step)
    if abs(seen.hz_per_minute) * _AHEAD_S / 60.0 <= max(small, 3.0 * seen.std * _AHEAD_S / 60.0):
        return tr("Steady: trim it now.") if 3.0 * seen.std * _AHEAD_S / 60.0 <= 3.0 * small else ""
    rate = number(seen.hz_per_minute, 1, sign=True)
    if seen.wait_s is None:
        return tr("Drifting {rate} Hz a minute: wait, then count again.", rate=rate)
    if seen.wait_s < 30.0:
        return tr("Steady enough: {rate} Hz a minute, falling.", rate=rate)
    return tr(
        "Warming up, {rate} Hz a minute: wait {n} minutes, then trim.",
        rate=rate,
        n=math.ceil(seen.wait_s / 60.0),
    )


def describe_gate(step: Step) -> str:
    """How long the counter should gate: short while something is turned, long enough to judge by."""
    if step.quantity_id not in COUNTED:
        return ""
    half = step.limit.half_width
    judge = 1.0 if half is None else min(max(10.0 ** math.ceil(math.log10(10.0 / half)), 0.1), 10.0)
    if not step.adjust:
        return tr("Gate {judge} s.", judge=f"{judge:g}")
    return tr("Gate 0.1 s while turning, {judge} s to judge.", judge=f"{judge:g}") if judge > 0.1 else tr("Gate 0.1 s.")


# -- clarifier and shift switches ----------------------------------------------------------------------------------


def describe_swing(state: JobState, step: Step) -> str:
    """How far a clarifier swings either way, and how far its middle is off: from the counts at its ends that still stand."""
    if step.quantity_id not in COUNTED:
        return ""
    ends: dict[bool, float] = {}
    middle: float | None = None
    floor_of = by_conditions(lambda c: state.last_reached(step.quantity_id, c))
    for x in state.read_of(step.quantity_id):
        r = x.reading
        if r.value is None or x.seq <= floor_of(r.conditions):
            continue
        place = (r.conditions.band, r.conditions.mode, r.conditions.channel, r.conditions.way)
        if place != (step.setting.band, step.setting.mode, step.setting.channel, step.setting.way):
            continue
        at = [_position(words) for name, words in r.conditions.panel if is_shifter(name)]
        if not at or at[0] is None:
            continue
        if at[0] == 0:
            middle = r.value
        else:
            ends[at[0] > 0] = r.value
    if len(ends) < 2:
        return ""
    up, down = max(ends.values()), min(ends.values())
    off = (up + down) / 2.0
    low, high, centre = (number(v, 0, sign=True) for v in (down, up, off))
    said = tr("Swings from {down} to {up} Hz: its centre is {off} Hz.", down=low, up=high, off=centre)
    if middle is not None and abs(off - middle) > 0.1 * (up - down):
        said += " " + tr("Uneven swing: set it by the middle position, not by the ends.")
    return said


def _position(words: str) -> float | None:
    text = words.replace("%", "").replace("−", "-").strip()
    named = {"middle": 0.0, "off": 0.0, "up": 1.0, "down": -1.0, "full": 1.0}
    try:
        return named.get(text.lower()) if text.lower() in named else float(text)
    except ValueError:
        return None


# -- one trimmer for several crystals ------------------------------------------------------------------------------


def describe_compromise(state: JobState, step: Step) -> str:
    """At a step that levels several places by one adjuster: how good the best can be, which stand apart, and the crystal to order."""
    if step.aim != "level" or is_even(step):
        return ""
    errors = errors_together(state, step)
    if len(errors) < 2:
        return ""
    found = compromise(errors, step.limit.half_width)
    kept = [c.place for c in step.required if c.place in found.kept]
    who = tr("all of them") if not found.outliers else _listed(kept)
    words = [tr("Best on one trimmer: {names} within {worst} Hz.", names=who, worst=number(found.worst, 0))]
    for place, off in found.outliers:
        away = number(off, 0, sign=True)
        words.append(
            tr(
                "{place} is {off} Hz from the others: no common setting fits.",
                place=place,
                off=away,
            )
        )
        crystal = _crystal_of(state.sheet, step, place)
        if crystal is not None:
            words.append(
                tr(
                    "A new crystal for it is {id}, {mhz} MHz at the others’ load.",
                    id=crystal[0],
                    mhz=f"{crystal[1] / 1e6:.6f}",
                )
            )
    return " ".join(words)


def _listed(names: Sequence[str]) -> str:
    return f"{', '.join(names[:-1])} {tr('and')} {names[-1]}" if len(names) > 1 else "".join(names)


def _crystal_of(sheet: Sheet, step: Step, place: str) -> tuple[str, float] | None:
    """The oscillator behind a place that no other place shares, with its nominal frequency (Hz)."""
    mine: dict[str, float] = {}
    shared: set[str] = set()
    for c in step.required:
        try:
            point = point_of(sheet, step.quantity_id, c)
        except UnitoneError:
            continue
        for name, _ in point.terms if point is not None else ():
            if c.place == place:
                mine[name] = next(o.nominal_hz for o in sheet.oscillators if o.id == name)
            else:
                shared.add(name)
    own = [(n, hz) for n, hz in mine.items() if n not in shared]
    return own[0] if len(own) == 1 else None


# -- a trimmer that stops short ------------------------------------------------------------------------------------


def describe_range(state: JobState, step: Step) -> str:
    """Where half a revolution of a step's trimmer, or a preset from stop to stop, did not reach the target: its range, by how much it
    falls short, and what a part beside it would move as well."""
    if step.aim != "set" or not step.adjusters or step.quantity.kind not in ("hertz", "hertz-error", "volts", "amps"):
        return ""
    adjuster = state.sheet.adjuster(step.adjusters[0])
    target = step.target if step.target is not None else step.limit.middle
    near = [
        (x.positions[adjuster.id], x.reading.value)
        for x in hill_points(state, step, (adjuster.id,), 0)
        if x.reading.value is not None and not x.reading.bound
    ]
    if len(near) < 3:
        return ""
    span = max(p for p, _ in near) - min(p for p, _ in near)
    low, high = stops_touched(state, adjuster.id)
    whole = span >= _HALF_ROUND if not adjuster.stops else low is not None and high is not None
    values = [v for _, v in near]
    if not whole or min(values) <= target <= max(values):
        return ""
    short = target - max(values) if target > max(values) else target - min(values)
    others = [
        s.title
        for s in state.sheet.steps
        if s is not step and any(adjuster.can_change(s.quantity_id, c) for c in s.required)
    ]
    q = step.quantity
    asks = tr("Which resistor centres the preset?") if q.kind in ("volts", "amps") else tr("Which padder?")
    said = tr(
        "{id} covers {low} to {high}: {short} short. Calculators, “{asks}”, finds the part.",
        id=adjuster.id, low=show(q, min(values)), high=show(q, max(values)), short=_short(q, short), asks=asks,
    )  # fmt: skip
    return said + (" " + tr("Also affected: {steps}.", steps=", ".join(others[:4])) if others else "")


def _short(q: Quantity, value: float) -> str:
    return f"{number(abs(value), 0)} Hz" if q.kind in ("hertz", "hertz-error") else show(q, abs(value))


# -- bias ----------------------------------------------------------------------------------------------------------

_BIAS = ("tx.bias_current", "tx.bias_voltage")
#: An idle current that rises by this share in a minute does not stand.
_CLIMBS = 0.03


def describe_bias(state: JobState, step: Step) -> str:
    """At a bias step: found and now, too much before anything else, and an idle current that climbs by itself."""
    if step.quantity_id not in _BIAS:
        return ""
    floor = state.last_reached(step.quantity_id, step.setting)
    read = [x for x in state.read_of(step.quantity_id) if x.reading.value is not None]
    if not read:
        return ""
    words = []
    first, now = read[0].reading.value or 0.0, read[-1].reading.value or 0.0
    if step.limit.high is not None and now > step.limit.high:
        words.append(tr("Above the sheet's value: turn it back first, and key only to read."))
    fresh = [x for x in read if x.seq > floor]
    if step.quantity_id == "tx.bias_current" and len(fresh) >= 3 and fresh[-1].bench_s - fresh[0].bench_s >= _LEAST_S:
        t, v = np.array([x.bench_s for x in fresh]), np.array([x.reading.value for x in fresh], float)
        slope, _ = np.polyfit(t - t[0], v, 1)
        rises = float(60.0 * slope / v[0])
        later = v[len(v) // 2 :]
        if rises > _CLIMBS and bool(np.all(np.diff(later) > 0)):
            words.append(
                tr(
                    "Thermal runaway: the current climbs {pct} % a minute. Let go, let it cool, check the sensing diode at the heatsink.",
                    pct=number(100 * rises, 0),
                )
            )
    if step.quantity_id == "tx.bias_voltage":
        words.append(tr("Base voltage falls 2 mV per °C: read it warm. The idle current says more."))
    if len(read) > 1:
        words.append(tr("Found {found}, now {now}.", found=show(step.quantity, first), now=show(step.quantity, now)))
    return " ".join(words)


def describe_more(state: JobState, step: Step) -> tuple[str, ...]:
    """Everything that this page has to say at a step, what matters most first."""
    said = (describe_bias(state, step), describe_range(state, step), describe_compromise(state, step),
            describe_swing(state, step) if _shifts(step) else "",
            describe_drift(state, step), describe_gate(step))  # fmt: skip
    return tuple(w for w in said if w)


def _shifts(step: Step) -> bool:
    return any(is_shifter(name) for name, _ in step.setting.panel)
