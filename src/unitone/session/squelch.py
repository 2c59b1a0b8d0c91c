"""The squelch over its control: at which level it opens at each position, what it has of hysteresis, and what is wrong with it."""

from __future__ import annotations

from dataclasses import replace

from unitone.coach.ends import is_squelch, setter_of
from unitone.job.state import JobState, Logged
from unitone.quantities.show import microvolts, number
from unitone.session.shapes import HillView
from unitone.sheet.model import Conditions, Step, without
from unitone.words import tr

#: The control's positions of the chart.
POSITIONS = ("0 %", "25 %", "50 %", "75 %", "100 %")
#: Less hysteresis than this and a weak station chatters; more and it hangs open (dB; common practice, no source).
_CHATTERS_DB, _HANGS_DB = 1.5, 10.0
_BOTTOM_DBM, _TOP_DBM = -130.0, -45.0


def charted(step: Step) -> bool:
    """Is it a step at which the squelch is read over its control?"""
    return step.quantity_id == "rx.squelch_opens"


def position(conditions: Conditions) -> str:
    """Where the squelch control stands, in the sheet's words; "" where nothing is said of it."""
    return dict(conditions.panel).get("squelch", "")


def at(step: Step, where: str) -> Conditions:
    """The step's setting with the squelch control at ``where``."""
    return replace(step.setting, panel=tuple(sorted({**dict(step.setting.panel), "squelch": where}.items())))


def next_conditions(state: JobState, step: Step) -> Conditions | None:
    """The next position of the control that was not read since anything that reaches the squelch was touched; None when all are."""
    have = _read(state, step, "rx.squelch_opens")
    return next((at(step, where) for where in POSITIONS if where not in have), None)


def _read(state: JobState, step: Step, quantity_id: str) -> dict[str, Logged]:
    """The newest reading of each position of the control since the last touch that reaches it."""
    floor = state.last_reached(step.quantity_id, step.setting)
    found: dict[str, Logged] = {}
    place = without(step.setting, "panel", "level_dbm")
    for x in state.read_of(quantity_id, floor):
        c = x.reading.conditions
        if x.reading.value is not None and position(c) and without(c, "panel", "level_dbm") == place:
            found[position(c)] = x
    return found


def curve(state: JobState, step: Step) -> HillView | None:
    """The level that opens it against the control, per cent; None before three positions are read."""
    read = _read(state, step, "rx.squelch_opens")
    points = []
    for where, x in read.items():
        if where.endswith("%"):
            points.append((_per_cent(where), _level(x)))
    if len(points) < 3:
        return None
    points.sort()
    xs, ys = tuple(p[0] for p in points), tuple(p[1] for p in points)
    here = position(state.set_up)
    stands = _per_cent(here) if here.endswith("%") else xs[0]
    words = tr("Level that opens the squelch against its control")
    found = _found(state, step)
    if found:
        words += tr("; grey: as found")
    return HillView(tuple(points), xs, ys, ys, ys, None, "", stands, words, "%", "dBm", None, found)


def _found(state: JobState, step: Step) -> tuple[tuple[float, float], ...]:
    """Where it opened as found, by the control's per cent, where something has been touched since."""
    floor = state.last_reached(step.quantity_id, step.setting)
    first: dict[float, float] = {}
    for x in state.read_of("rx.squelch_opens"):
        if x.seq >= floor:
            break
        where = position(x.reading.conditions)
        if x.reading.value is not None and where.endswith("%"):
            first.setdefault(_per_cent(where), _level(x))
    return tuple(sorted(first.items()))


def _per_cent(where: str) -> float:
    return float(where.rstrip("% ").replace(",", "."))


def _level(x: Logged) -> float:
    """The level of a reading, or the end of the scale where it never opened, or was never shut."""
    return {"<": _BOTTOM_DBM, ">": _TOP_DBM}.get(x.reading.bound, x.reading.value or 0.0)


def next_words(state: JobState, step: Step) -> str:
    """The next position of the chart as the button says it; "" where all are read."""
    wanted = next_conditions(state, step)
    return "" if wanted is None else tr("squelch at {where}", where=position(wanted))


def words(state: JobState, step: Step) -> str:
    """What the readings say of the squelch, as a technician would."""
    if not is_squelch(step):
        return ""
    opens, closes = _read(state, step, "rx.squelch_opens"), _read(state, step, "rx.squelch_closes")
    tight = _read(state, step, "rx.squelch_tight").get("100 %")
    told = []
    if any(x.reading.bound == "<" for where, x in opens.items() if where != "0 %") or (
        tight is not None and tight.reading.bound == "<"
    ):
        told.append(
            tr("It never closes: not a matter of the preset. A dead gate, or a leaky electrolytic that holds it open.")
        )
    if tight is not None and tight.reading.bound == ">":
        told.append(tr("Fully up nothing opens it: too tight an end, unless its preset was turned up."))
    for where, x in opens.items():
        shut = closes.get(where)
        if shut is None or x.reading.bound or shut.reading.bound:
            continue
        db = (x.reading.value or 0.0) - (shut.reading.value or 0.0)
        if db < _CHATTERS_DB:
            say = tr("so little that a weak station chatters and each word begins with a pop")
        elif db > _HANGS_DB:
            say = tr("so much that it hangs open when the station is gone")
        else:
            say = tr("enough that a weak station does not chatter")
        told.append(
            tr("Squelch {where}: opens at {a}, closes at {b}; {db} dB between, {say}.", where=where,
               a=microvolts(x.reading.value or 0.0), b=microvolts(shut.reading.value or 0.0), db=number(db, 1), say=say)
        )  # fmt: skip
    percents = [(float(w.rstrip("% ")), x) for w, x in opens.items() if w.endswith("%") and not x.reading.bound]
    if len(percents) >= 3:
        percents.sort()
        told.append(
            tr("Over its control: {list}.", list=", ".join(
                tr("{at} % {level}", at=number(p, 0), level=microvolts(x.reading.value or 0.0)) for p, x in percents))
        )  # fmt: skip
    if not step.adjust and setter_of(state, step) is None:
        told.append(tr("This radio has no preset for its squelch."))
    return " ".join(told)
