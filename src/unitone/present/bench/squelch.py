"""The squelch over its control: at which level it opens at each position, what it has of hysteresis, and what is wrong with it."""

from __future__ import annotations

from unitone.align.squelch.chart import (
    as_found,
    level_of,
    next_conditions,
    per_cent,
    position,
    read_so_far,
)
from unitone.align.squelch.two_ends import is_squelch, setter_of
from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import HillView
from unitone.quantities.show import microvolts, number
from unitone.sheet.model.sheet import Step
from unitone.words import tr

#: Less hysteresis than this and a weak station chatters; more and it hangs open (dB; common practice, no source).
_CHATTERS_DB, _HANGS_DB = 1.5, 10.0


def curve(state: JobState, step: Step) -> HillView | None:
    """The level that opens it against the control, per cent; None before three positions are read."""
    read = read_so_far(state, step, "rx.squelch_opens")
    points = []
    for where, x in read.items():
        if where.endswith("%"):
            points.append((per_cent(where), level_of(x)))
    if len(points) < 3:
        return None
    points.sort()
    xs, ys = tuple(p[0] for p in points), tuple(p[1] for p in points)
    here = position(state.set_up)
    stands = per_cent(here) if here.endswith("%") else xs[0]
    words = tr("Level that opens the squelch against its control")
    found = as_found(state, step)
    if found:
        words += tr("; grey: as found")
    return HillView(tuple(points), xs, ys, ys, ys, None, "", stands, words, "%", "dBm", None, found)


def next_words(state: JobState, step: Step) -> str:
    """The next position of the chart as the button says it; "" where all are read."""
    wanted = next_conditions(state, step)
    return "" if wanted is None else tr("squelch at {where}", where=position(wanted))


def words(state: JobState, step: Step) -> str:
    """What the readings say of the squelch, as a technician would."""
    if not is_squelch(step):
        return ""
    opens, closes = read_so_far(state, step, "rx.squelch_opens"), read_so_far(state, step, "rx.squelch_closes")
    tight = read_so_far(state, step, "rx.squelch_tight").get("100 %")
    told = []
    if any(x.reading.bound == "<" for where, x in opens.items() if where != "0 %") or (
        tight is not None and tight.reading.bound == "<"
    ):
        told.append(tr("It never closes: not the preset. Suspect a dead gate or a leaky electrolytic."))
    if tight is not None and tight.reading.bound == ">":
        told.append(tr("Fully up, no signal opens it: too tight, unless the preset was turned up."))
    for where, x in opens.items():
        shut = closes.get(where)
        if shut is None or x.reading.bound or shut.reading.bound:
            continue
        db = (x.reading.value or 0.0) - (shut.reading.value or 0.0)
        if db < _CHATTERS_DB:
            say = tr("too little: weak stations chatter")
        elif db > _HANGS_DB:
            say = tr("too much: it hangs open")
        else:
            say = tr("good: weak stations do not chatter")
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
