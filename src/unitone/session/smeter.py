"""The S-meter's chart at its step: which levels it is read at, the curve, and what its shape says."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from unitone.coach.smeter import GERMANIUM_V, SILICON_V, Mark, Told, other_diode, read_chart
from unitone.job.state import JobState, Logged, by_conditions
from unitone.job.verdicts import verdict
from unitone.quantities.show import microvolts, number, s_units
from unitone.radio.levels import EMF_DB, mark_db
from unitone.session.shapes import HillView
from unitone.sheet.model import Conditions, Step, lamp_point, without
from unitone.words import tr

#: The chart's marks in dB over S9: S1, S3, S5, S7, S8, S9, and +10 to +50.
CHART_DB = (-48.0, -36.0, -24.0, -12.0, -6.0, 0.0, 10.0, 20.0, 30.0, 40.0, 50.0)
_SAME_DB = 0.5
#: So near to S9 the lamp of S9 counts as lit there (dB).
_LAMP_NEAR_DB = 2.0


def is_chart(step: Step) -> bool:
    """Is it a step at which a meter is charted: a needle's, level by level, or one of lamps, lamp by lamp?"""
    return bool(step.lamps) or (step.quantity_id == "rx.s_meter" and step.setting.level_dbm is not None)


def s9_of(step: Step) -> float:
    """The level (dBm PD at the set) that the step calls S9: its own, less what its target stands over S9; of lamps the target."""
    target = step.target if step.target is not None else step.limit.middle
    return target if step.lamps else (step.setting.level_dbm or 0.0) - target


def next_conditions(state: JobState, step: Step) -> Conditions | None:
    """The next level or lamp of the chart that was not read since anything that reaches it was touched; None when all are."""
    if step.lamps:
        lit = {x.reading.conditions.test_point for x in _read(state, step)}
        return next(
            (replace(step.setting, test_point=lamp_point(m)) for m in step.lamps if lamp_point(m) not in lit), None
        )
    have = [x.reading.conditions.level_dbm or 0.0 for x in _read(state, step)]
    for mark in CHART_DB:
        level = s9_of(step) + mark
        if all(abs(h - level) > _SAME_DB for h in have):
            return replace(step.setting, level_dbm=round(level, 1))
    return None


def chart_next_words(state: JobState, step: Step) -> str:
    """The next level or lamp of the chart as the button says it; "" where all are read, or where nothing is charted."""
    wanted = next_conditions(state, step) if is_chart(step) and not state.finished else None
    if wanted is not None and step.lamps:
        return wanted.test_point or ""
    return (
        ""
        if wanted is None or wanted.level_dbm is None
        else tr("{level} at the set", level=microvolts(wanted.level_dbm))
    )


def _of_chart(state: JobState, step: Step, since: int = 0) -> list[tuple[float, Logged]]:
    """Every reading after entry ``since`` that belongs to the chart, oldest first, with its place on it: the level (dBm), or the lamp's mark (dB)."""
    bare = without(step.setting, "level_dbm", "test_point")
    places = {lamp_point(m): mark_db(m) for m in step.lamps}

    def place_of(c: Conditions) -> float | None:
        if without(c, "level_dbm", "test_point") != bare:
            return None
        place = places.get(c.test_point or "") if places else c.level_dbm
        return None if place is None else round(place, 1)

    known, found = by_conditions(place_of), []
    for x in state.read_of(step.quantity_id, since):
        place = known(x.reading.conditions)
        if place is not None and x.reading.value is not None:
            found.append((place, x))
    return found


def _read(state: JobState, step: Step) -> list[Logged]:
    """The newest reading of each level or lamp since the last touch that reaches the meter."""
    floor = state.last_reached(step.quantity_id, step.setting)
    found = dict(_of_chart(state, step, floor))
    return [found[k] for k in sorted(found)]


#: A lamp that stays dark up to the highest level shows less than its mark there; one that is always lit, more.
_SHOWS: dict[Literal["", "<", ">"], Literal["", "<", ">"]] = {">": "<", "<": ">", "": ""}


def _mark(step: Step, x: Logged) -> Mark:
    r, c = x.reading, x.reading.conditions
    if not step.lamps:
        return Mark(c.level_dbm or 0.0, r.value or 0.0, r.bound)
    of = (c.test_point or "").removeprefix(lamp_point(""))
    return Mark(r.value or 0.0, mark_db(of), _SHOWS[r.bound])


def marks(state: JobState, step: Step) -> list[Mark]:
    """The chart as it was read, lowest level first."""
    return [_mark(step, x) for x in _read(state, step)]


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
        "Line: S9 at {pd} PD, {emf} EMF, 6 dB a unit",
        pd=microvolts(s9),
        emf=microvolts(s9 + EMF_DB),
    )
    found = _found(state, step)
    if found:
        words += tr("; grey: as found")
    return HillView(points, x, CHART_DB, CHART_DB, CHART_DB, None, "", here, words, "dBm", "dB over S9", 0.0, found)


def _found(state: JobState, step: Step) -> tuple[tuple[float, float], ...]:
    """The chart as it was found, lowest level first: the first reading of each place, where something has been touched since."""
    floor = state.last_reached(step.quantity_id, step.setting)
    first: dict[float, Mark] = {}
    for place, x in _of_chart(state, step):
        if x.seq < floor:
            first.setdefault(place, _mark(step, x))
    return tuple(sorted((m.level_dbm, m.shown_db) for m in first.values()))


def lamp_words(state: JobState, step: Step) -> str:
    """Which lamps are lit at S9 and which is the next, dark one; "" where too few are read to say."""
    s9 = s9_of(step)
    read = [m for m in marks(state, step) if step.lamps]
    lit = [m for m in read if m.level_dbm <= s9 + _LAMP_NEAR_DB and m.bound != "<"]
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


def chart_words(state: JobState, step: Step) -> str:
    """What the chart says, as a technician would: what it is, and what to do first."""
    if not is_chart(step):
        return ""
    said = told(state, step)
    lit = lamp_words(state, step)
    if said.shape == "too-few":
        n = len(marks(state, step))
        few = tr("Chart: {n} of {all} read; six tell its shape.", n=n, all=len(step.lamps or CHART_DB))
        return lit or ("" if n < 2 else few)
    return f"{_shape_words(step, said)} {lit}".strip()


def _shape_words(step: Step, said: Told) -> str:
    if said.shape == "fine":
        return tr("Chart: as its scale says, from end to end.")
    if said.shape == "preset":
        return tr(
            "Chart: just the preset. The meter goes {n} times as far as it should, all along: set it at S9.",
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
