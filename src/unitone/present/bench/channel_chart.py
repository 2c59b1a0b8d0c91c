"""The channel chart: a step's readings across channels, modes and bands, found and left, with what a fitted VCO says of the rest."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import cast

from unitone.align.frequency.vco_readings import vco_law
from unitone.job.state import JobState
from unitone.job.verdicts import Line, lines
from unitone.quantities.registry import Quantity
from unitone.quantities.show import number, show, show_value
from unitone.radio.vcofit import Law, stretch
from unitone.sheet.model.mixing_model import places, vco_hz
from unitone.sheet.model.sheet import Conditions, Sheet, Step, Way
from unitone.words import tr, tr_n

#: A chart is drawn for so many places or more; fewer stand side by side as words.
LEAST = 5


@dataclass(frozen=True)
class ChartMark:
    """A place: its short name, the group that it stands in (band and mode), values in canonical units, and where it stands.

    ``expected`` is what a fitted law says of a place that is not read: value, and from where to where.
    """

    label: str
    group: str
    found: float | None
    now: float | None
    inside: bool | None
    stale: bool
    at_hand: bool
    expected: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class ChartView:
    """The chart: marks from left to right, the limit's ends, how a value is printed, and what it comes to in words."""

    marks: tuple[ChartMark, ...]
    low: float | None
    high: float | None
    title: str
    ticks: tuple[tuple[float, str], ...]
    words: str
    span: tuple[float, float]


def chart_view(state: JobState, step: Step, at_hand: Conditions) -> ChartView | None:
    """The chart of a step with many places; None for fewer, and for quantities that have no scale of their own."""
    parts = lines(state, step)
    if len(parts) < LEAST or step.quantity.kind == "s-units":
        return None
    law = vco_law(state) if step.quantity_id == "vco.tuning_voltage" else None
    # Bands stand as the radio's switch has them, whichever the step reads first.
    switch = {name: n for n, (name, _) in enumerate(state.sheet.plan.bands)}
    order = sorted(range(len(parts)), key=lambda n: switch.get(step.required[n].band or "", -1))
    marks = tuple(_mark(state.sheet, step, n, parts[n], at_hand, law) for n in order)
    low, high = step.limit.low, step.limit.high
    q = step.quantity
    values = [v for m in marks for v in (m.found, m.now, *(m.expected or ())) if v is not None and math.isfinite(v)]
    values += [v for v in (low, high) if v is not None]
    if q.kind == "hertz-error":
        values.append(0.0)
    bottom, top = min(values), max(values)
    room = max(0.12 * (top - bottom), 1e-9)
    span = (bottom - room, top + room)
    # The limits first, then what lies furthest out: where two stand too near each other, the later is left out.
    ends = [(v, show_value(q, v)[0]) for v in dict.fromkeys((high, low)) if v is not None]
    ends += [(v, show_value(q, v)[0]) for v in (max(values), min(values)) if v not in (low, high)]
    if q.kind == "hertz-error":
        ends.append((0.0, "0"))
    title = f"{q.title}, {q.shown}"
    return ChartView(marks, low, high, title, tuple(ends), _words(state, step, marks, law), span)


def _mark(sheet: Sheet, step: Step, n: int, line: Line, at_hand: Conditions, law: Law | None) -> ChartMark:
    required = step.required[n]
    now = None if line.now is None else line.now.reading.value
    found = None if line.found is None else line.found.reading.value
    expected = None
    if now is None and law is not None:
        hz = vco_hz(sheet, required)
        if hz is not None and math.isfinite(law.volts(hz)):
            expected = (law.volts(hz), *law.between(hz))
    band, mode, label = required.band or "", (required.mode or "").upper(), required.channel or ""
    if len({c.channel for c in step.required}) == 1 and len({c.mode for c in step.required}) > 1:
        # One channel in several modes: the mode tells the marks of a band apart.
        label, mode = mode, ""
    group = " ".join(x for x in (band, mode) if x)
    here = (at_hand.band, at_hand.mode, at_hand.channel) == (required.band, required.mode, required.channel)
    return ChartMark(label, group, found, now, line.inside, line.stale, here, expected)


@dataclass(frozen=True)
class Margin:
    """A band against the window of tuning voltage: its least and most volts over all channels, and the nearer end's margin (V)."""

    band: str
    low_v: float
    high_v: float
    margin_v: float


def vco_spans(sheet: Sheet, way: Way) -> tuple[tuple[str, float, float], ...]:
    """For each band the least and the most that the VCO runs at (Hz), over all modes: its lowest and highest channels tell."""
    kept = sheet.worked_out
    key = f"vco spans {way}"
    if key not in kept:
        found: dict[str, list[float]] = {}
        for place in places(sheet, way, ends_only=True):
            hz = vco_hz(sheet, Conditions(way=way, band=place.band, mode=place.mode, channel=place.channel))
            if hz is not None:
                found.setdefault(place.band or "", []).append(hz)
        kept[key] = tuple((band, min(hz), max(hz)) for band, hz in found.items())
    return cast("tuple[tuple[str, float, float], ...]", kept[key])


def margins(sheet: Sheet, law: Law, window: tuple[float, float], way: Way) -> tuple[Margin, ...]:
    """Every band's lock margin by a fitted law, all channels and modes, in the sheet's order."""
    found = []
    for band, low, high in vco_spans(sheet, way):
        v = sorted((law.volts(low), law.volts(high)))
        found.append(Margin(band, v[0], v[1], min(v[0] - window[0], window[1] - v[1])))
    return tuple(found)


def describe_vco(state: JobState, step: Step) -> str:
    """At a step that reads tuning voltage: which way and how far the core has to go, where a fitted law says that a band would not lock."""
    window = (step.limit.low, step.limit.high)
    if (
        step.quantity_id != "vco.tuning_voltage"
        or window[0] is None
        or window[1] is None
        or (law := vco_law(state)) is None
    ):
        return ""
    way: Way = "transmit" if step.setting.way == "transmit" else "receive"
    wide = _window(state.sheet, way)
    hz = [f for _, low, high in vco_spans(state.sheet, way) for f in (low, high)]
    if not hz:
        return ""
    made = stretch(law, hz, wide)
    if made.margin_v >= 0:
        return ""
    if made.turned is None:
        return tr(
            "No core setting locks every channel: it needs a capacitance ratio of {need}, the window gives {have}.",
            need=number(made.ratio_needed, 3), have=number(made.ratio_there, 3),
        )  # fmt: skip
    into = tr("in (more inductance)") if made.turned > 0 else tr("out (less inductance)")
    at = vco_hz(state.sheet, step.setting)
    aim = (
        ""
        if at is None
        else tr(", until {place} shows {v} V", place=step.setting.place, v=number(law.volts(at, made.turned), 2))
    )
    return tr("Some channels would not lock. Turn the core {way}{aim} to centre them.", way=into, aim=aim)


def _window(sheet: Sheet, way: Way) -> tuple[float, float]:
    """The widest window of tuning voltage that the sheet allows that way."""
    limits = [
        s.limit
        for s in sheet.steps
        if s.quantity_id == "vco.tuning_voltage" and (s.setting.way == way or s.setting.way == "either")
    ]
    return min(x.low for x in limits if x.low is not None), max(x.high for x in limits if x.high is not None)


def _words(state: JobState, step: Step, marks: tuple[ChartMark, ...], law: Law | None) -> str:
    q, limit = step.quantity, step.limit
    read = [m for m in marks if m.now is not None]
    if not read:
        return tr_n("{n} channel, not read yet", "{n} channels, none read yet", len(marks))
    if law is not None and limit.low is not None and limit.high is not None:
        return _describe_margin(state.sheet, step, law, (limit.low, limit.high))
    if q.kind == "hertz-error" or (limit.low is not None and limit.high is not None):
        middle = 0.0 if q.kind == "hertz-error" else limit.middle
        worst = max(read, key=lambda m: abs((m.now or 0.0) - middle))
        said = tr("furthest: {place} {value}", place=_place(worst), value=show(q, worst.now or 0.0))
    else:
        value = (min if q.better == "high" else max)(read, key=lambda m: m.now or 0.0)
        said = tr("worst: {place} {value}", place=_place(value), value=show(q, value.now or 0.0))
    values = [m.now for m in read if m.now is not None]
    apart = tr("{spread} apart", spread=_size(q, max(values) - min(values)))
    left = len(marks) - len(read)
    return " · ".join((said, apart, *((tr("{n} to read", n=left),) if left else ())))


def _describe_margin(sheet: Sheet, step: Step, law: Law, window: tuple[float, float]) -> str:
    way: Way = "transmit" if step.setting.way == "transmit" else "receive"
    found = margins(sheet, law, window, way)
    least = min(found, key=lambda m: m.margin_v)
    named = tr("band {b}", b=least.band) if least.band else tr("all channels")
    if not all(math.isfinite(m.margin_v) for m in found):
        return tr("{b}: no voltage tunes it", b=named)
    spans = " · ".join(f"{m.band + ' ' if m.band else ''}{number(m.low_v, 1)}–{number(m.high_v, 1)}" for m in found)
    return tr("least margin {m} V ({b}) · {spans}", spans=spans, m=number(least.margin_v, 2), b=named)


def _place(mark: ChartMark) -> str:
    return " ".join(x for x in (mark.group, tr("ch {n}", n=mark.label) if mark.label.isdigit() else mark.label) if x)


def _size(q: Quantity, value: float) -> str:
    if q.kind == "level":
        return f"{number(value, 1)} dB"
    figure, unit = show_value(q, value)
    return f"{figure.lstrip('+')} {unit}".strip()
