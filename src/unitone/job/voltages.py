"""The voltage table: each row judged, what a low one means, where to measure next, and what smells of cross-feed.

The arithmetic is ``unitone.radio.rails``; here it meets the tape.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from unitone.job.records import Logged
from unitone.job.state import JobState
from unitone.radio.rails import LowRail, as_read_by, halve, low_rail, without_meter
from unitone.sheet.model.sheet import Limit, Sheet, Voltage
from unitone.words import tr

VoltsVerdict = Literal["todo", "in_spec", "low", "high", "recheck", "undecided", "noted"]
#: Two rails whose volts differ by less than this share smell of each other (common practice, no source).
ALIKE = 0.01
#: Ranges of the needle meters that voltage tables were made with (common practice, no source).
_RANGES = (1.0, 2.5, 10.0, 25.0, 50.0, 100.0, 250.0, 500.0, 1000.0, 2500.0)
#: Input resistance of an ordinary digital meter (common practice, no source).
DMM_OHM = 10e6
#: The current limit to set is so many times the most that the radio draws (common practice, no source).
LIMIT_TIMES = 1.5


@dataclass(frozen=True)
class RowState:
    """A row of the table as it stands: ends as this meter would read them, readings, verdict, and what it means."""

    row: Voltage
    low: float
    high: float
    now: Logged | None
    found: Logged | None
    verdict: VoltsVerdict
    why: LowRail | None
    words: str


def expected(row: Voltage, sheet: Sheet, meter_ohm: float | None) -> tuple[float, float]:
    """The row's ends (V) as the meter in hand reads them: the sheet's own meter is taken off, this one put on."""
    if row.source_ohm <= 0 or not row.is_known:
        return row.low, row.high
    own = DMM_OHM if meter_ohm is None else meter_ohm
    theirs = 0.0
    if sheet.power.meter_ohm_per_v > 0:
        span = next((r for r in _RANGES if r >= abs(row.nominal)), _RANGES[-1])
        theirs = sheet.power.meter_ohm_per_v * span

    def through(volts: float) -> float:
        true = without_meter(volts, row.source_ohm, theirs) if theirs else volts
        return as_read_by(true, row.source_ohm, own)

    return through(row.low), through(row.high)


def row_states(state: JobState) -> tuple[RowState, ...]:
    """Every row of the job's voltage table, in the sheet's order."""
    led = state.shop.path == "lamp limiter"
    made: dict[str, RowState] = {}
    for row in state.sheet.voltages:
        low, high = expected(row, state.sheet, state.shop.meter_ohm)
        key = (row.quantity_id, row.conditions)
        now = state.points.get(key) or _answering(state, row)
        found = state.points_found.get(key) or now
        verdict = _verdict(state, row, now, low, high, led)
        made[row.id] = RowState(row, low, high, now, found, verdict, None, "")
    return tuple(_explained(state, r, made) for r in made.values())


def _answering(state: JobState, row: Voltage) -> Logged | None:
    """A reading of the step that the row belongs to, under whatever conditions that step asks."""
    for step in state.sheet.steps:
        if step.quantity_id == row.quantity_id and row.conditions in step.required:
            return state.latest.get((step.id, step.required.index(row.conditions)))
    return None


def _value(logged: Logged | None) -> float | None:
    if logged is None:
        return None
    return 0.0 if logged.reading.word == "nothing" else logged.reading.value


def _verdict(
    state: JobState, row: Voltage, now: Logged | None, low: float, high: float, led: bool
) -> VoltsVerdict:  # fmt: skip
    value = _value(now)
    if now is None:
        return "todo"
    if state.last_reached(row.quantity_id, row.conditions) > now.seq:
        return "recheck"
    if value is not None and not row.is_known:
        return "noted"
    if value is None:
        return "undecided"
    if Limit(low, high).holds(value):
        return "in_spec"
    if led and abs(value) < abs(low):
        return "undecided"
    return "low" if abs(value) < abs(row.nominal) else "high"


def path_to(rows: dict[str, RowState], row_id: str) -> list[RowState]:
    """The rows from the source to this one, the source first."""
    path: list[RowState] = []
    at: str = row_id
    while at and at in rows and rows[at] not in path:
        path.insert(0, rows[at])
        at = rows[at].row.fed_from
    return path


def next_point(state: JobState) -> RowState | None:
    """Where to measure next to find where the volts are lost: halfway between the last good and the first bad point.

    None where no row is out, or where nothing unmeasured lies between good and bad.
    """
    rows = {r.row.id: r for r in row_states(state)}
    for bad in rows.values():
        if bad.verdict != "low":
            continue
        path = path_to(rows, bad.row.id)
        truths = [{"in_spec": True, "low": False}.get(r.verdict) for r in path]
        at = halve(truths)
        if at is not None:
            return path[at]
    return None


def lost_between(state: JobState) -> tuple[RowState | None, RowState] | None:
    """(last good, first low) row of the first path whose break is found: nothing unmeasured lies between them."""
    rows = {r.row.id: r for r in row_states(state)}
    for bad in rows.values():
        if bad.verdict != "low":
            continue
        path = path_to(rows, bad.row.id)
        truths = [{"in_spec": True, "low": False}.get(r.verdict) for r in path]
        if halve(truths) is None:
            first = next(n for n, r in enumerate(path) if r.verdict == "low")
            return (path[first - 1] if first else None), path[first]
    return None


def _explained(state: JobState, r: RowState, rows: dict[str, RowState]) -> RowState:
    value, row = _value(r.now), r.row
    words: list[str] = []
    why = None
    if r.verdict == "low" and value is not None:
        feed = rows.get(row.fed_from)
        if feed is not None and feed.verdict == "low":
            words.append(tr("{feed} before it is low too: start there.", feed=feed.row.title))
        elif value <= 0:
            words.append(tr("No voltage: an open part before it, or a short after it."))
        elif row.series_ohm:
            why, told = _series(r, feed, value)
            words.append(told)
    if r.verdict == "undecided" and state.shop.path == "lamp limiter":
        words.append(tr("The lamp limiter drops voltage: measure again without it."))
    if state.shop.path == "battery" and r.verdict == "low":
        words.append(tr("On the battery: measure the battery under load first, or use the bench supply."))
    if not row.is_known and value is not None:
        words.append(tr("No expected value: enter it in Sheets once it is known."))
    if len(row.values) > 1:
        said = tr(" and ").join(f"{v:g} V" for v in row.values)
        words.append(tr("The sheet gives {values}: either is accepted.", values=said))
    if (r.low, r.high) != (row.low, row.high):
        words.append(tr("Limits adapted to this meter: {low:.2f} to {high:.2f} V.", low=r.low, high=r.high))
    words += _cross_feed(r, value, rows)
    return RowState(row, r.low, r.high, r.now, r.found, r.verdict, why, " ".join(words))


def _series(r: RowState, feed: RowState | None, value: float) -> tuple[LowRail | None, str]:
    """What would explain a low row behind its series resistor, reckoned from what stands ahead of it."""
    row = r.row
    assert row.series_ohm is not None
    right = row.nominal
    ahead = _value(feed.now) if feed is not None else None
    if feed is not None and ahead is not None and feed.verdict == "in_spec":
        # From the feed as it was measured: its own tolerance is not blamed on the load.
        right = ahead - row.usual_a * row.series_ohm
    if not 0 < value < right:
        return None, ""
    found = low_rail(right, value, row.series_ohm, row.usual_a)
    words = tr(
        "{drop:.2f} V low after {ohm:g} Ω: {ma:.1f} mA too much, like {leak} to ground ({w:.2f} W in the resistor).",
        drop=right - value, ohm=row.series_ohm, ma=found.extra_a * 1e3, leak=_ohm(found.leak_ohm), w=found.resistor_w,
    )  # fmt: skip
    if found.resistor_ohm is not None:
        words += " " + tr("Or the resistor has risen to {ohm}.", ohm=_ohm(found.resistor_ohm))
    return found, words


def _ohm(value: float) -> str:
    return f"{value / 1e3:.3g} kΩ" if value >= 1e3 else f"{value:.3g} Ω"


def _cross_feed(r: RowState, value: float | None, rows: dict[str, RowState]) -> list[str]:
    """Another rail that should stand elsewhere and stands at the same volts."""
    if value is None or not value or r.verdict not in ("low", "high"):
        return []
    for other in rows.values():
        theirs = _value(other.now)
        if other is r or theirs is None or not other.row.is_known or (other.row.conditions.way not in (r.row.conditions.way, "either") \
                and r.row.conditions.way != "either"):  # fmt: skip
            continue
        meant_apart = abs(other.row.nominal - r.row.nominal) > 2 * ALIKE * max(
            abs(other.row.nominal), abs(r.row.nominal)
        )
        if meant_apart and abs(theirs - value) <= ALIKE * abs(value):
            return [tr("{other} has the same voltage and should not: look for a bridge or shorted part between them.",
                       other=other.row.title)]  # fmt: skip
    return []


def current_limit(sheet: Sheet) -> float | None:
    """The supply's current limit to set (A): the sheet's own, else so many times the most that the radio draws."""
    if sheet.power.limit_a is not None:
        return sheet.power.limit_a
    most = max(sheet.power.keyed_a or 0.0, sheet.power.rest_a or 0.0)
    return round(most * LIMIT_TIMES, 2) or None
