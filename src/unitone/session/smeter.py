"""The S-meter's chart at its step: which levels it is read at, the curve, and what its shape says."""

from __future__ import annotations

from dataclasses import replace

from unitone.coach.smeter import GERMANIUM_V, SILICON_V, Mark, Told, other_diode, read_chart
from unitone.job.state import JobState, Logged
from unitone.job.verdicts import verdict
from unitone.quantities.show import microvolts, number, s_units
from unitone.radio.levels import EMF_DB
from unitone.session.shapes import HillView
from unitone.sheet.model import Conditions, Step
from unitone.words import tr

#: The chart's marks in dB over S9: S1, S3, S5, S7, S8, S9, and +10 to +50.
CHART_DB = (-48.0, -36.0, -24.0, -12.0, -6.0, 0.0, 10.0, 20.0, 30.0, 40.0, 50.0)
_SAME_DB = 0.5


def is_chart(step: Step) -> bool:
    """Is it a step at which a meter is charted?"""
    return step.quantity_id == "rx.s_meter" and step.setting.level_dbm is not None


def s9_of(step: Step) -> float:
    """The level (dBm PD at the set) that the step calls S9: its own, less what its target stands over S9."""
    target = step.target if step.target is not None else step.limit.middle
    return (step.setting.level_dbm or 0.0) - target


def next_conditions(state: JobState, step: Step) -> Conditions | None:
    """The next level of the chart that was not read since anything that reaches it was touched; None when all are."""
    have = [x.reading.conditions.level_dbm or 0.0 for x in _read(state, step)]
    for mark in CHART_DB:
        level = s9_of(step) + mark
        if all(abs(h - level) > _SAME_DB for h in have):
            return replace(step.setting, level_dbm=round(level, 1))
    return None


def chart_next_words(state: JobState, step: Step) -> str:
    """The next level of the chart as the button says it; "" where all are read, or where nothing is charted."""
    wanted = next_conditions(state, step) if is_chart(step) and not state.finished else None
    return (
        ""
        if wanted is None or wanted.level_dbm is None
        else tr("{level} at the set", level=microvolts(wanted.level_dbm))
    )


def _read(state: JobState, step: Step) -> list[Logged]:
    """The newest reading of each level since the last touch that reaches the meter."""
    wanted = replace(step.setting, level_dbm=None)
    floor = state.last_reached(step.quantity_id, step.setting)
    found: dict[float, Logged] = {}
    for x in state.readings:
        r = x.reading
        same = r.quantity_id == step.quantity_id and replace(r.conditions, level_dbm=None) == wanted
        if same and x.seq > floor and r.value is not None and r.conditions.level_dbm is not None:
            found[round(r.conditions.level_dbm, 1)] = x
    return [found[k] for k in sorted(found)]


def marks(state: JobState, step: Step) -> list[Mark]:
    """The chart as it was read, lowest level first."""
    return [
        Mark(x.reading.conditions.level_dbm or 0.0, x.reading.value or 0.0, x.reading.bound) for x in _read(state, step)
    ]


def told(state: JobState, step: Step) -> Told:
    """What the chart's shape says; the sensitivity steps tell whether the set is deaf."""
    judged = [verdict(state, s) for s in state.sheet.steps if s.quantity_id in ("rx.sensitivity", "rx.sensitivity_am")]
    deaf = None if not any(v in ("holds", "out", "left alone", "accepted") for v in judged) else "out" in judged
    return read_chart(marks(state, step), s9_of(step), deaf)


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
        "S-meter against level; the line: S9 at {pd} PD, {emf} EMF, 6 dB a unit",
        pd=microvolts(s9),
        emf=microvolts(s9 + EMF_DB),
    )
    found = _found(state, step)
    if found:
        words += tr("; rings: as found")
    return HillView(points, x, CHART_DB, CHART_DB, CHART_DB, None, "", here, words, "dBm", "dB over S9", 0.0, found)


def _found(state: JobState, step: Step) -> tuple[tuple[float, float], ...]:
    """The chart as it was found, lowest level first: the first reading of each level, where something has been touched since."""
    wanted = replace(step.setting, level_dbm=None)
    floor = state.last_reached(step.quantity_id, step.setting)
    first: dict[float, float] = {}
    for x in state.readings:
        r = x.reading
        same = r.quantity_id == step.quantity_id and replace(r.conditions, level_dbm=None) == wanted
        if same and x.seq < floor and r.value is not None and r.conditions.level_dbm is not None:
            first.setdefault(round(r.conditions.level_dbm, 1), r.value)
    return tuple(sorted(first.items()))


def chart_words(state: JobState, step: Step) -> str:
    """What the chart says, as a technician would: what it is, and what to do first."""
    if not is_chart(step):
        return ""
    said = told(state, step)
    if said.shape == "too-few":
        n = len(marks(state, step))
        return "" if n < 2 else tr("Chart: {n} levels read; six tell its shape.", n=n)
    if said.shape == "fine":
        return tr("Chart: as its scale says, from end to end.")
    if said.shape == "preset":
        return tr(
            "Chart: just the preset. The needle goes {n} times as far as it should, all along: set it at S9.",
            n=number(said.turned, 2),
        )
    if said.shape == "gain":
        return tr(
            "Chart: low by {db} dB all along, and the sensitivity is out: gain is missing before the meter. Align or mend first, "
            "then set S9.", db=number(said.lost_db, 0),
        )  # fmt: skip
    if said.shape == "compression":
        return tr(
            "Chart: right below, held from {level} on: a stage before the meter is full. The preset cannot help it.",
            level=s_units((said.roof_dbm or 0.0) - s9_of(step)),
        )
    s9 = s9_of(step)
    low = [s9 - 36.0, s9 - 24.0]
    then = other_diode(said, low, s9)
    return tr(
        "Chart: dead below {dead}, though the sensitivity holds: the detector's diode starts late ({db} dB). Instead of {si} V a diode "
        "of {ge} V would show {a} at S3 and {b} at S5, with S9 set anew.",
        dead=s_units((said.dead_below_dbm or s9) - s9), db=number(said.lost_db, 0), si=number(SILICON_V, 1),
        ge=number(GERMANIUM_V, 2), a=s_units(then[0]), b=s_units(then[1]),
    )  # fmt: skip
