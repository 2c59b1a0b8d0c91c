"""Trials: nudge an adjuster, read, put it back. *Worth aligning?* predicts the gain; *what does this do?* finds what moves.

The gain is what the posterior of ``unitone.align.peak.hill`` expects from the readings at the place and an eighth either side.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from unitone.align.hill_readings import is_null, on_hill, points_of
from unitone.align.moves import Advice, Measure, Turn
from unitone.align.peak.core import FOLLOWS, LEVEL_STEP_DB, play_of, scale_of
from unitone.align.peak.hill import draw, fit_hill
from unitone.align.peak.visits import is_calibrated, kept_level
from unitone.job.records import Logged
from unitone.job.state import JobState
from unitone.job.trial import Trial
from unitone.quantities.registry import HEARD, quantity
from unitone.quantities.show import number
from unitone.sheet.model.sheet import EIGHTH, Adjuster, Conditions, Step

#: A gain under this is not worth a turn (dB).
WORTH_DB = 0.5
#: How far an adjuster is nudged whose doing is not known (millidegrees): less where it is keyed, as it may be a bias.
_NUDGE, _NUDGE_KEYED = (
    {"core": EIGHTH, "trimmer": 6_000, "preset": 15_000},
    {"core": EIGHTH, "trimmer": 4_000, "preset": 7_500},
)
#: A change counts from so many spreads on.
_SPREADS = 3.0
#: A nudge that moves nothing is made so many times as large.
_NUDGES = (1, 2, 4)
#: Where an eighth leaves it open, so many eighths either way are read too.
_FURTHER = 3
#: So often a step is tried, at the most.
_TRIALS = 3
#: So many levels are tried, at the most, before it is nudged.
_LEVELS = 5
_HILLS = 400


@dataclass(frozen=True)
class Gain:
    """What an adjuster could gain (dB of signal): expected, and the ends of four cases in five."""

    adjuster: str
    db: float
    low: float
    high: float


@dataclass(frozen=True)
class Moved:
    """What a nudge did to one reading, in its own unit; ``sure``: more than its spread allows."""

    quantity_id: str
    conditions: Conditions
    by: float
    sure: bool
    #: How far the adjuster was nudged for it (millidegrees).
    nudge_mdeg: int


def can_be_worth(step: Step) -> bool:
    """Is it a step whose adjusters have a hill to gain on?"""
    return (
        step.aim in ("peak", "level")
        and bool(step.adjust)
        and step.hill_id != HEARD
        and step.quantity.kind != "hertz-error"
    )


def to_try(state: JobState, step: Step) -> bool:
    """Does the convention ask for a trial before this step of the receiver is left alone, and has none been made as things stand now? What
    was peaked is tried no more; what something else has moved since it was tried is tried again, a few times at the most."""
    if state.stand["in-spec"].choice != "try" or step.hook_up != "receive" or not can_be_worth(step):
        # More power than the limit asks for is wanted by nobody.
        return False
    if any(outcome != "in-spec" for _, outcome in state.concluded.get(step.id, ())):
        return False
    made = [t for t in state.trials if t.what == "worth" and t.step == step.id]
    if not made:
        return True
    others = set(state.touched_since(made[-1].seq, step.hill_id, step.hill_setting)) - set(step.adjusters)
    return bool(others) and len(made) < _TRIALS


def running(state: JobState) -> Trial | None:
    """The trial that is going on at the step at hand, if any."""
    last = state.trials[-1] if state.trials else None
    return last if last is not None and not last.ended and last.step == state.at and not state.finished else None


def nudge_of(part: Adjuster, trial_what: str, keyed: bool) -> int:
    """How far it is nudged (millidegrees), in whole steps of its own."""
    unknown = (_NUDGE_KEYED if keyed else _NUDGE).get(part.kind, EIGHTH)
    wanted = EIGHTH * scale_of(part) if trial_what == "worth" else unknown
    return max(round(wanted / part.step_mdeg), 1) * part.step_mdeg


def trial_move(state: JobState) -> Advice | None:
    """The next move of the trial that is going on; None when there is none, or nothing of it is left."""
    trial = running(state)
    if trial is None:
        return None
    step = state.sheet.step(trial.step)
    return _worth_move(state, step, trial) if trial.what == "worth" else _unknown_move(state, step, trial)


def _stuck(state: JobState, trial: Trial, adjuster: str, sign: int) -> int | None:
    """Where the adjuster stood when it met its stop that way in this trial; None where it did not."""
    at, met = dict(trial.origin)[adjuster], None
    for t in state.turns:
        if t.seq > trial.seq and t.adjuster == adjuster:
            at += t.moved
            if t.stop and t.asked * sign > 0:
                met = at
    return met


def _worth_move(state: JobState, step: Step, trial: Trial) -> Advice | None:
    origin = dict(trial.origin)
    read = _hill_reads(state, step, trial)
    if not read:
        return _read(step, step.hill_setting)
    level = read[-1].reading.conditions.level_dbm
    here = replace(step.hill_setting, level_dbm=level)
    begun = any(t.seq > trial.seq for t in state.turns)
    if not begun and level is not None and (value := read[-1].reading.value) is not None:
        other = kept_level(step, value, level, 0.0)
        if other is None and is_calibrated(step) and not _follows(step, read):
            # Where a gain control holds the sound, a nudge moves nothing: so weak that it sleeps.
            other = level - LEVEL_STEP_DB
        if other is not None and len(read) < _LEVELS:
            return _read(step, replace(here, level_dbm=other))
    read = [x for x in read if x.reading.conditions.level_dbm == level]
    for name, stood in origin.items():
        part = state.sheet.adjuster(name)
        mine = [x for x in read if all(x.positions[o] == at for o, at in origin.items() if o != name)]
        for times in (1, _FURTHER):
            if times > 1 and not _open(_gain(step, part, mine)):
                continue
            for sign in (1, -1):
                wanted = stood + sign * times * nudge_of(part, trial.what, False)
                met = _stuck(state, trial, name, sign)
                wanted = wanted if met is None else met
                if wanted == stood or any(x.positions[name] == wanted for x in mine):
                    continue
                if state.positions[name] != wanted:
                    return Turn(step.id, "nudge", adjuster=name, move_mdeg=wanted - state.positions[name])
                return _read(step, here)
        if state.positions[name] != stood:
            return Turn(step.id, "nudge-back", adjuster=name, move_mdeg=stood - state.positions[name])
    return None


def _follows(step: Step, read: list[Logged]) -> bool:
    """Did the last change of level bring down what is read with it?"""
    heights = [p for x in read[-2:] for p in points_of(step.hill_quantity, [x], step.adjusters[0])]
    if len(heights) < 2 or heights[0].level is None or heights[1].level is None:
        return False
    asked = step.hill_quantity.hill_slope * (heights[0].level - heights[1].level)
    return asked > 0 and heights[0].height - heights[1].height >= FOLLOWS * asked


def _open(gain: Gain | None) -> bool:
    """Do an eighth's readings leave it open whether there is anything to be gained?"""
    return gain is not None and gain.low < WORTH_DB < gain.high


def _gain(step: Step, part: Adjuster, read: list[Logged]) -> Gain | None:
    """What the adjuster could gain, from readings that differ by it alone, the first of them where it stood; None from one place."""
    points = points_of(step.hill_quantity, read, part.id)
    if len({p.turns for p in points}) < 2:
        return None
    scale = scale_of(part)
    fit = fit_hill(points, step.hill_quantity.hill_slope or 1.0, scale, is_null(step), play_of(part) / scale)
    losses = draw(fit, _HILLS).loss(np.array([fit.cores[0]]))[0] * (1.0 - fit.dead)
    low, high = (float(np.quantile(losses, q)) for q in (0.1, 0.9))
    return Gain(part.id, float(np.median(losses)), low, high)


def _unknown_move(state: JobState, step: Step, trial: Trial) -> Advice | None:
    ((name, origin),) = trial.origin
    for place in _places(state, step, trial):
        for watched in trial.watched:
            if _read_at(state, trial, name, place, watched.quantity_id, watched.conditions) is None:
                if state.positions[name] != place:
                    return Turn(step.id, "nudge", adjuster=name, move_mdeg=place - state.positions[name])
                return Measure(step.id, "nudge-read", conditions=watched.conditions, quantity=watched.quantity_id)
    if state.positions[name] != origin:
        return Turn(step.id, "nudge-back", adjuster=name, move_mdeg=origin - state.positions[name])
    return None


def _places(state: JobState, step: Step, trial: Trial) -> list[int]:
    """Where everything is read: where it stood, a nudge away, and further only as long as nothing moved."""
    ((name, origin),) = trial.origin
    far = nudge_of(state.sheet.adjuster(name), trial.what, step.hook_up == "transmit")
    met = _stuck(state, trial, name, 1)
    if met is not None:
        # Hard against its stop: as far as it went, or the other way.
        return [origin, origin - far] if met == origin else [origin, met]
    places = [origin]
    for times in _NUDGES:
        if len(places) > 1 and any(m.sure for m in _moved(state, trial, places[-1])):
            break
        places.append(origin + times * far)
        whole = all(_read_at(state, trial, name, places[-1], w.quantity_id, w.conditions) for w in trial.watched)
        if not whole:
            break
    return places


def _read(step: Step, conditions: Conditions) -> Advice:
    return Measure(step.id, "nudge-read", conditions=conditions, quantity=step.hill_id)


def _hill_reads(state: JobState, step: Step, trial: Trial) -> list[Logged]:
    return [x for x in on_hill(state, step, trial.seq) if not trial.ended or x.seq < trial.ended]


def _read_at(
    state: JobState, trial: Trial, name: str, place: int, quantity_id: str, conditions: Conditions
) -> Logged | None:
    found = None
    for x in state.read_of(quantity_id, trial.seq):
        inside = not trial.ended or x.seq < trial.ended
        if inside and x.positions[name] == place and x.reading.conditions == conditions:
            found = x
    return found


# -- what it told ---------------------------------------------------------------------------------------


def last_whole(state: JobState, what: str, step_id: str = "") -> Trial | None:
    """The last trial of that kind that came to its end (at that step, where one is named)."""
    whole: Iterable[Trial] = (
        t for t in reversed(state.trials) if t.whole and t.what == what and step_id in ("", t.step)
    )
    return next(iter(whole), None)


def worth(state: JobState, step: Step) -> tuple[Gain, ...]:
    """What each adjuster of the step could gain, by its last *worth aligning?*; () once one of them was turned since."""
    trial = last_whole(state, "worth", step.id)
    if trial is None or any(t.seq > trial.ended and t.adjuster in step.adjusters and t.moved for t in state.turns):
        return ()
    origin = dict(trial.origin)
    read = _hill_reads(state, step, trial)
    found = []
    for name in origin:
        mine = [x for x in read if all(x.positions[o] == at for o, at in origin.items() if o != name)]
        gain = _gain(step, state.sheet.adjuster(name), mine)
        if gain is not None:
            found.append(gain)
    return tuple(found)


def worth_peaking(state: JobState, step: Step) -> bool:
    """Did the step's own trial promise more than a turn costs, and has it not been worked on since?"""
    trial = last_whole(state, "worth", step.id)
    if trial is None or any(seq > trial.ended and o != "in-spec" for seq, o in state.concluded.get(step.id, [])):
        return False
    return sum(g.db for g in worth(state, step)) >= WORTH_DB


def moved_by(state: JobState, trial: Trial) -> tuple[Moved, ...]:
    """What the nudge of a *what does this do?* moved, reading by reading in the order watched: the furthest nudge's."""
    ((name, origin),) = trial.origin
    places = [x.positions[name] for x in state.readings if trial.seq < x.seq < (trial.ended or math.inf)]
    away = max((p for p in places if p != origin), key=lambda p: abs(p - origin), default=None)
    return () if away is None else _moved(state, trial, away)


def _moved(state: JobState, trial: Trial, away: int) -> tuple[Moved, ...]:
    ((name, origin),) = trial.origin
    found = []
    for watched in trial.watched:
        before = _read_at(state, trial, name, origin, watched.quantity_id, watched.conditions)
        after = _read_at(state, trial, name, away, watched.quantity_id, watched.conditions)
        if before is None or after is None or before.reading.value is None or after.reading.value is None:
            continue
        q = quantity(watched.quantity_id)
        spread = math.hypot(before.reading.std or q.usual_std, after.reading.std or q.usual_std)
        by = after.reading.value - before.reading.value
        sure = abs(by) > _SPREADS * max(spread, 0.3 * q.usual_std)
        found.append(Moved(watched.quantity_id, watched.conditions, by, sure, away - origin))
    return tuple(found)


def gain_text(gain: Gain) -> str:
    """``T1 0.8 dB (0.3 … 1.4)``."""
    return f"{gain.adjuster} {number(gain.db, 1)} dB ({number(gain.low, 1)} … {number(gain.high, 1)})"


def lacking_effect(state: JobState, trial: Trial) -> list[str]:
    """Quantities that a nudge moved and that the sheet does not say it reaches."""
    part = state.sheet.adjuster(trial.origin[0][0])
    return [
        m.quantity_id for m in moved_by(state, trial) if m.sure and not part.can_change(m.quantity_id, m.conditions)
    ]
