"""The plots of the Bench: the hill of the adjuster in hand, the curve of SINAD against level."""

from __future__ import annotations

import math

from unitone.align.advise import hill
from unitone.align.hill_readings import WITH_NOISE, back_through_threshold, hill_points
from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import HillView
from unitone.quantities.registry import FOUND_BY, Quantity, quantity
from unitone.quantities.show import number
from unitone.sheet.model.sheet import TURN, Conditions, Step
from unitone.words import tr


def back_from_height(q: Quantity, height: float, fm: bool = False) -> float:
    """The inverse of the coach's height in dB: the quantity in its shown unit; ``fm``: a reading of frequency modulation."""
    if q.id in WITH_NOISE:
        height = back_through_threshold(height, q.hill_slope) if fm else height
        return 10.0 * math.log10(1.0 + math.pow(10.0, min(height, 200.0) / 10.0))
    if q.kind == "percent":
        return 100.0 * math.pow(10.0, -height / 20.0)
    if q.kind == "watts":
        return math.pow(10.0, height / 10.0)
    return height


def hill_view(state: JobState, step: Step, hand: str) -> HillView | None:
    """The readings against the turns of the adjuster in hand, with the fitted hill or the target; None for none."""
    if hand not in step.adjusters or step.quantity_id in FOUND_BY:
        return None
    adjuster = state.sheet.adjuster(hand)
    q = step.hill_quantity
    points, fitted = hill(state, step, hand)
    core = adjuster.kind == "core"
    scale = 1.0 if core else 360.0
    place = state.positions[hand] / TURN * scale
    if step.aim == "set":
        target = step.target if step.target is not None else step.limit.middle
        unit, factor, offset = _axis(q, step)
        ys = _set_values(state, step, hand)
        return HillView(
            tuple((x * scale, (y - offset) * factor) for x, y in ys), (), (), (), (), None, "", place, hand,
            tr("turns") if core else tr("degrees"), unit, (target - offset) * factor,
        )  # fmt: skip
    level = points[-1].level if points else None
    fm = bool(step.hill_setting.deviation_hz)
    shown = tuple((p.turns * scale, back_from_height(q, p.height, fm)) for p in points if p.level == level)
    peak, words = None, ""
    Values = tuple[float, ...]
    curve: tuple[Values, Values, Values, Values] = ((), (), (), ())
    if fitted is not None:
        curve = (
            tuple(t * scale for t in fitted.turns),
            tuple(back_from_height(q, h, fm) for h in fitted.fitted),
            tuple(back_from_height(q, h - s, fm) for h, s in zip(fitted.fitted, fitted.spread, strict=True)),
            tuple(back_from_height(q, h + s, fm) for h, s in zip(fitted.fitted, fitted.spread, strict=True)),
        )
        if fitted.peak_turns is not None and fitted.peak_std is not None:
            peak = fitted.peak_turns * scale
            way = tr("cw") if peak >= 0 else tr("ccw")
            words = tr(
                "{what} {at} {way} ± {std}", what=tr("null") if step.aim == "null" else tr("peak"), at=number(abs(peak), 2 if core else 0),
                way=way, std=number(fitted.peak_std * scale, 2 if core else 0),
            )  # fmt: skip
    unit = {"percent": "%", "watts": "W"}.get(q.kind, "dB")
    return HillView(shown, *curve, peak, words, place, hand, tr("turns") if core else tr("degrees"), unit, None)


def level_curve(state: JobState, step: Step) -> HillView | None:
    """SINAD, or (S+N)/N, against level on the channel last read, with the mark."""
    read, mark, _ = FOUND_BY[step.quantity_id]
    points: list[tuple[float, float]] = []
    last: Conditions | None = None
    floor = 0
    for x in reversed(state.by_quantity.get(read, ())):
        at = x.reading.conditions
        if x.seq <= floor:
            break
        if x.reading.value is None or at.level_dbm is None or at.tone_hz != step.setting.tone_hz:
            continue
        if last is None:
            last = at
            floor = max((state.last_touch.get(a, 0) for a in state.reaching(read, at)), default=0)
            if x.seq <= floor:
                return None
        if (at.band, at.mode, at.channel) == (last.band, last.mode, last.channel):
            points.insert(0, (at.level_dbm, x.reading.value))
    if last is None:
        return None
    words = tr("{what} against level at the radio, {place}", what=quantity(read).title, place=last.place)
    return HillView(tuple(points), (), (), (), (), None, "", points[-1][0], words, "dBm", "dB", mark)


def _axis(q: Quantity, step: Step) -> tuple[str, float, float]:
    """Unit, factor and offset of a set step's axis."""
    if q.id in ("ref.frequency", "osc.frequency"):
        return tr("Hz off"), 1.0, step.limit.middle
    if q.kind == "amps" and q.shown == "mA":
        return "mA", 1e3, 0.0
    if q.kind == "hertz":
        return "kHz", 1e-3, 0.0
    if q.kind == "level":
        return "dBm", 1.0, 0.0
    if q.kind == "s-units":
        return "dB over S9", 1.0, 0.0
    return q.shown, 1.0, 0.0


def _set_values(state: JobState, step: Step, hand: str) -> list[tuple[float, float]]:
    readings = hill_points(state, step, (hand,), 0)
    return [(x.positions[hand] / TURN, x.reading.value) for x in readings if x.reading.value is not None]
