"""The S-meter's chart at its step: which levels it is read at, the curve, and what its shape says."""

from __future__ import annotations

from unitone.align.smeter.chart import (
    CHART_DB,
    as_found,
    is_chart,
    marks,
    next_conditions,
    s9_of,
    told,
)
from unitone.align.smeter.shape import GERMANIUM_V, SILICON_V, TWO_LAWS, Told, other_diode
from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import HillView
from unitone.quantities.show import microvolts, number, s_units
from unitone.radio.levels import EMF_DB
from unitone.sheet.model.sheet import Step
from unitone.words import tr

#: So near to S9 the lamp of S9 counts as lit there (dB).
_LED_NEAR_DB = 2.0


def describe_chart_next(state: JobState, step: Step) -> str:
    """The next level or lamp of the chart as the button says it; "" where all are read, or where nothing is charted."""
    wanted = next_conditions(state, step) if is_chart(step) and not state.finished else None
    if wanted is not None and step.leds:
        return wanted.test_point or ""
    return (
        ""
        if wanted is None or wanted.level_dbm is None
        else tr("{level} at the radio", level=microvolts(wanted.level_dbm))
    )


def chart_curve(state: JobState, step: Step) -> HillView | None:
    """What the meter showed against the level, with the ideal as the curve; None before three levels are read."""
    read = marks(state, step)
    if len(read) < 3:
        return None
    s9 = s9_of(step)
    x = tuple(s9 + m for m in CHART_DB)
    points = tuple((m.level_dbm, m.shown_db) for m in read)
    here = state.set_up.level_dbm if state.set_up.level_dbm is not None else s9
    words = tr(
        "Line: S9 at {pd} PD, {emf} EMF, 6 dB a unit",
        pd=microvolts(s9),
        emf=microvolts(s9 + EMF_DB),
    )
    found = as_found(state, step)
    if found:
        words += tr("; grey: as found")
    return HillView(points, x, CHART_DB, CHART_DB, CHART_DB, None, "", here, words, "dBm", "dB over S9", 0.0, found)


def led_words(state: JobState, step: Step) -> str:
    """Which lamps are lit at S9 and which is the next, dark one; "" where too few are read to say."""
    s9 = s9_of(step)
    read = [m for m in marks(state, step) if step.leds]
    lit = [m for m in read if m.level_dbm <= s9 + _LED_NEAR_DB and m.bound != "<"]
    dark = [m for m in read if m not in lit]
    if not lit or not dark:
        return ""
    last, after = max(lit, key=lambda m: m.shown_db), min(dark, key=lambda m: m.shown_db)
    words = tr("At {level} lit up to {last}; {after} lights {db} dB above.", level=microvolts(s9), last=s_units(last.shown_db),
               after=s_units(after.shown_db), db=number(after.level_dbm - s9, 0))  # fmt: skip
    if after.bound == "<":
        words = tr("At {level} lit up to {last}; {after} never lights.", level=microvolts(s9), last=s_units(last.shown_db),
                   after=s_units(after.shown_db))  # fmt: skip
    right = last.shown_db == 0.0
    return words if right else words + " " + tr("S9 should be the last one lit there.")


def describe_chart(state: JobState, step: Step) -> str:
    """What the chart says, as a technician would: what it is, and what to do first."""
    if not is_chart(step):
        return ""
    said = told(state, step)
    lit = led_words(state, step)
    if said.shape == "too-few":
        n = len(marks(state, step))
        few = tr("Chart: {n} of {all} read; six tell its shape.", n=n, all=len(step.leds or CHART_DB))
        return lit or ("" if n < 2 else few)
    words = f"{_describe_shape(step, said)} {lit}".strip()
    if 0 < len(step.leds) < TWO_LAWS:
        words += " " + tr("{n} LEDs show the preset only, not gain or diode.", n=len(step.leds))
    return words


def _describe_shape(step: Step, said: Told) -> str:
    if said.shape == "fine":
        return tr("Chart: agrees with its scale.")
    if said.shape == "preset":
        return tr(
            "Chart: only the preset is off. The meter shows {n} times the true value: set it at S9.",
            n=number(said.turned, 2),
        )
    if said.shape == "gain":
        return tr(
            "Chart: low by {db} dB throughout and sensitivity out of spec: gain is missing before the meter. "
    "Align or repair first, then set S9.", db=number(said.lost_db, 0),
        )  # fmt: skip
    if said.shape == "compression":
        return tr(
            "Chart: correct at first, stuck from {level} on: a stage before the meter limits. The preset cannot cure it.",
            level=s_units((said.roof_dbm or 0.0) - s9_of(step)),
        )
    s9 = s9_of(step)
    low = [s9 - 36.0, s9 - 24.0]
    then = other_diode(said, low, s9)
    return tr(
        "Chart: nothing below {dead}, sensitivity in spec: the meter diode starts late ({db} dB). With a {ge} V diode instead of {si} V: {a} "
        "at S3, {b} at S5, S9 set again.",
        dead=s_units((said.dead_below_dbm or s9) - s9), db=number(said.lost_db, 0), si=number(SILICON_V, 1),
        ge=number(GERMANIUM_V, 2), a=s_units(then[0]), b=s_units(then[1]),
    )  # fmt: skip
