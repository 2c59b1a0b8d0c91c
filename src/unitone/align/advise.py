"""The coach: from a job's state to the next move. A pure function, so that a restart changes nothing."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import replace
from itertools import takewhile
from typing import Literal

import numpy as np

from unitone.align._pulls import pulled_by
from unitone.align.charts import chart_move
from unitone.align.even.coils import next_even_move
from unitone.align.even.problem import even_problem, is_even, peaked_at, place_on_band
from unitone.align.frequency.trimming import frequency_move
from unitone.align.hill_readings import hill_points, is_null, slope_before, stops_touched
from unitone.align.moves import (
    Advice,
    Conclude,
    Done,
    Finish,
    GoTo,
    Hill,
    LogLevel,
    Measure,
    Outcome,
    Seal,
    SetUp,
    Try,
    Turn,
    Why,
)
from unitone.align.pairs.stagger import stagger_move
from unitone.align.peak.core import LEVEL_STEP_DB, Move, scale_of
from unitone.align.peak.hill import Point, curve, fit_hill
from unitone.align.peak.visits import (
    KEPT,
    STRONGEST_DBM,
    WEAKEST_DBM,
    gains,
    hill_of,
    kept_level,
    progress,
    signal_size,
)
from unitone.align.probe.nudge import last_whole, to_try, trial_move, worth, worth_peaking
from unitone.align.reading_move import to_read
from unitone.align.sensitivity.find_level import next_level
from unitone.align.setpoint.bounds import FIRST_MDEG, bounded, first_move
from unitone.align.setpoint.heat import cool_target
from unitone.align.setpoint.target import Spot, next_set_move
from unitone.align.squelch.two_ends import is_squelch, setter_of, target_for, two_ended, wanted_for_both
from unitone.job.entries.readings import Reading
from unitone.job.recheck import merged_for, plan_of
from unitone.job.records import Logged, by_conditions, by_positions
from unitone.job.state import JobState
from unitone.job.verdicts import SETTLED, Line, found_in_limits, inside, lines, surely_legal, verdict
from unitone.quantities.registry import FOUND_BY, HEARD
from unitone.radio.compromise import compromise
from unitone.sheet.model.sheet import TURN, Conditions, Step, without

#: How often a step is worked on before it is left as it is.
MAX_VISITS = 2
_SINAD_SLOPE = 1.6
#: Where a level is looked for first (dBm): 0.35 µV FM, 0.6 µV AM.
_USUAL_LEVELS = {"rx.sinad": -116.0, "rx.sn_ratio": -111.0}
#: Settings that do harm when they go the wrong way, and how far they are moved at first (millidegrees).
_CAREFUL_MDEG = 7_500


#: Circuits that stand inside their limits give hardly more than this when they are peaked (dB at the meter).
_PEAKS_GIVE_DB = 3.0

#: An adjuster that stands nearer than this share of its step to where it stood was put back.
_BACK = 0.3

#: Nearer to its limit than so many spreads of a reading, one reading decides nothing.
_SURE_STD = 2.0
#: So many readings of one place are enough, however near the limit: by their mean it is left, or set.
_SURE_READINGS = 3

#: Where a squelch opens and closes goes with what comes through; ended so, it is as sensitive as its preset makes it.
_SQUELCH_EDGES, _SHORT = ("rx.squelch_opens", "rx.squelch_closes"), ("at-stop", "out-of-range", "set")

#: What is followed: the procedure with its trials, every oscillator on frequency, or the chart of the step at hand.
Pursuit = Literal["procedure", "frequency", "chart"]


def advise(state: JobState, pursuit: Pursuit = "procedure") -> Advice:
    """The next move for the job as it stands, at the step at hand. Raises SheetError for frequencies without a mixing model."""
    if state.finished:
        return Done(state.at, "finished")
    if pursuit == "frequency":
        return frequency_move(state)
    step = state.sheet.step(state.at)
    if pursuit == "chart":
        return chart_move(state, step)
    if state.phase == "as-found":
        return _survey(state, step)
    trial = trial_move(state)
    if trial is not None:
        return to_read(state, step, trial.conditions, trial.why, trial) if isinstance(trial, Measure) else trial
    staggered = stagger_move(state, step)
    if staggered is not None:
        return staggered
    if _is_concluded_now(state, step):
        # What came in on a later visit may have come in by a reading's luck.
        doubtful = _near_a_limit(state, step) if verdict(state, step) in SETTLED else None
        if doubtful is not None:
            return to_read(state, step, step.required[doubtful], "near-limit")
        return _onward(state, step)
    return _work(state, step)


def next_place(state: JobState) -> Advice:
    """The next reading of the step at hand that is missing or stale, turning nothing; as found, of the whole procedure. Done where all is read."""
    step = state.sheet.step(state.at)
    if state.finished:
        return Done(step.id, "finished")
    if state.phase == "as-found":
        advice = _survey(state, step)
        return Done(step.id, "chart-read") if isinstance(advice, GoTo) and advice.why != "as-found" else advice
    advice = _close(state, step, "set")
    return Done(step.id, "chart-read") if isinstance(advice, Conclude) else advice


def next_step(state: JobState) -> tuple[str, Why] | None:
    """Which step to go to from here, and why; None when nothing is left to do."""
    procedure = state.sheet.steps
    verdicts = {step.id: verdict(state, step) for step in procedure}
    settled = [s for s in procedure if verdicts[s.id] in SETTLED - {"not applicable"}]
    for step in procedure:
        if verdicts[step.id] in ("in_spec", "left_as_found", "recheck") and pulled_by(state, step) is not None:
            return step.id, "pulled"
    for step in procedure:
        if not state.concluded.get(step.id) and verdicts[step.id] != "not applicable":
            return step.id, "next-in-procedure"
    # What nobody has worked on yet is suspected before what would be done a second time, a detector in limits after what is peaked.
    for step in sorted(settled, key=lambda s: (_worked(state, s), s.aim == "null")):
        if wanted_by_a_check(state, step) or wanted_for_both(state, step):
            return step.id, "check-out"
    if "recheck" in verdicts.values():
        return plan_of(state).measurements[0].settles[0].step, "stale"
    for wanted, why in (("todo", "next-in-procedure"), ("out_of_spec", "still-out")):
        for step in procedure:
            if verdicts[step.id] == wanted and not (wanted == "out_of_spec" and not _may_work(state, step)):
                return step.id, why  # type: ignore[return-value]
    return None


def _may_work(state: JobState, step: Step) -> bool:
    """Worth another visit: it has adjusters, visits are left, and something that reaches it moved since the last."""
    past = state.concluded.get(step.id, ())
    worked = [seq for seq, outcome in past if outcome != "in-spec"]
    if not step.adjust:
        return False
    if len(worked) >= MAX_VISITS:
        # What it was brought to, and something else has spoilt since, may be brought there again; what it never reached, not.
        most = 2 * MAX_VISITS if _was_in(state, step, worked[-1]) else MAX_VISITS + _too_early(state, step)
        if _visits_with_turns(state, step, worked) >= most:
            return False
    if not worked:
        return True
    on_edge = step.aim in ("set", "level") and len(worked) < MAX_VISITS and _was_in(state, step, worked[-1])
    if on_edge and verdict(state, step) == "out_of_spec":
        # What one reading ended, another took back.
        return True
    return _stands_elsewhere(state, step, worked[-1])


def _stands_elsewhere(state: JobState, step: Step, seq: int) -> bool:
    """Does anything else that reaches the step's reading stand elsewhere than at entry ``seq``? What was turned and put back is as it was."""
    others = set(state.touched_since(seq, step.quantity_id, step.setting)) - set(step.adjusters)
    turned = dict.fromkeys((a.id for a in state.sheet.adjusters if a.id in others), 0)
    for turn in takewhile(lambda t: t.seq > seq, reversed(state.turns)):
        if turn.adjuster in turned:
            turned[turn.adjuster] += turn.moved
    swept = {s.adjuster for s in state.sweeps if s.seq > seq}
    return any(
        name not in turned or name in swept or abs(turned[name]) > _BACK * state.sheet.adjuster(name).step_mdeg
        for name in others
    )


def _too_early(state: JobState, step: Step) -> int:
    """How many visits ended with nothing that answers, or a preset at its stop, before another circuit that the same reading hangs on was
    brought to its peak for the first time: with that one off, this one could not be set. That it is peaked again is no new reason."""
    peaked = [
        next((seq for seq, outcome in state.concluded.get(other.id, ()) if outcome == "peaked"), 0)
        for other in state.sheet.steps
        if other.id != step.id
        and any(state.sheet.adjuster(a).can_change(step.quantity_id, step.setting) for a in other.adjusters)
    ]
    vain = ("dead", "at-stop", "out-of-range") if step.aim == "set" else ("dead",)
    last = max(peaked, default=0)
    return sum(outcome in vain and seq < last for seq, outcome in state.concluded.get(step.id, ()))


def _was_in(state: JobState, step: Step, seq: int) -> bool:
    """Was the step's own place read inside its limit last before this entry?"""
    last = next(
        (
            x.reading
            for x in reversed(state.read_of(step.quantity_id))
            if x.seq <= seq and x.reading.conditions == step.setting
        ),
        None,
    )
    return last is not None and inside(step.limit, last, state.rule) is True


def _visits_with_turns(state: JobState, step: Step, worked: Sequence[int]) -> int:
    """How many of the visits that ended at these entries turned anything: one that only looked does not count."""
    ends = sorted(seq for past in state.concluded.values() for seq, _ in past)
    turned = [t.seq for t in state.turns if t.adjuster in step.adjusters and t.moved]
    turned = sorted([*turned, *(s.seq for s in state.sweeps if s.adjuster in step.adjusters)])
    found = 0
    for seq in worked:
        before = ends[bisect_left(ends, seq) - 1] if bisect_left(ends, seq) else 0
        found += bisect_left(turned, before) < bisect_left(turned, seq)
    return found


def _optimise(state: JobState, step: Step) -> bool:
    """The convention that turns what is in limits too: once, and only where there is something to turn."""
    return state.stand["in-spec"].choice == "optimise" and bool(step.adjust) and not _worked(state, step)


def wanted_by_a_check(state: JobState, step: Step) -> bool:
    """In limits by itself, while something that is only checked, and that its adjusters reach, was read out last: a suspect.

    What is peaked or levelled is one from the start. A detector in limits, and what was worked on before anything else that reaches it
    moved, only once that has been read again with everything else done.
    """
    if step.aim not in ("peak", "level", "null") or step.hook_up != "receive" or not step.adjust:
        return False
    late = step.aim == "null" or _worked(state, step)
    if _worked(state, step) and not _may_work(state, step):
        return False
    # A coarse step and a fine one at the same adjusters are one and the same suspect.
    alike = [
        seq
        for other in state.sheet.steps
        if (other.adjust, other.quantity_id, other.setting) == (step.adjust, step.quantity_id, step.setting)
        for seq, outcome in state.concluded.get(other.id, ())
        if outcome != "in-spec"
    ]
    if alike and not _begun(state, step) and not _stands_elsewhere(state, step, max(alike)):
        return False
    if late and not _begun(state, step) and any(verdict(state, s) in ("recheck", "todo") for s in state.sheet.steps):
        # First what is not read, or no longer counts: the check may come in by itself.
        return False
    parts = [state.sheet.adjuster(a) for a in step.adjusters]
    return any(
        (not check.adjust or _short_of_gain(state, check, step))
        and check.hook_up == step.hook_up
        and any(p.can_change(check.quantity_id, c) for p in parts for c in check.required)
        and verdict(state, check) not in ("not applicable", "accepted")
        and any(line.inside is False and not (late and _old(state, step, check, line)) for line in lines(state, check))
        for check in state.sheet.steps
    )


def _short_of_gain(state: JobState, check: Step, step: Step) -> bool:
    """Did a preset end so little short of what it is set to that a circuit left a little off its peak may be why: an S-meter's that wants
    gain, at its stop, or a squelch's that opens at too strong a signal wherever it stands?"""
    outcome = state.concluded.get(check.id, [(0, "")])[-1][1]
    now = state.latest.get((check.id, 0))
    if now is None or now.reading.value is None or set(check.adjusters) & set(step.adjusters):
        return False
    if check.quantity_id == "rx.s_meter" and outcome in ("at-stop", "out-of-range") and check.limit.low is not None:
        return 0.0 < check.limit.low - now.reading.value < _PEAKS_GIVE_DB
    if check.quantity_id in _SQUELCH_EDGES and outcome in _SHORT and check.limit.high is not None:
        return 0.0 < now.reading.value - check.limit.high < _PEAKS_GIVE_DB
    return False


def _begun(state: JobState, step: Step) -> bool:
    """Is it the step at hand, and has it been turned at on this visit?"""
    if step.id != state.at:
        return False
    # From the last turn back: a long log has many, and this visit's are its last.
    visit = takewhile(lambda t: t.seq > state.at_seq, reversed(state.turns))
    return any(t.adjuster in step.adjusters for t in visit)


def _old(state: JobState, step: Step, check: Step, line: Line) -> bool:
    """Was anything else that reaches a check touched since it was read? What this step turns on its own visit does not count."""
    if not line.stale or line.now is None:
        return line.stale
    since = state.touched_since(line.now.seq, check.quantity_id, line.now.reading.conditions)
    return step.id != state.at or not set(since) <= set(step.adjusters)


def _asked(state: JobState, step: Step) -> bool:
    """Worked on although it is in limits: the convention wants it, or something else that hangs on its adjusters is out."""
    return (
        _optimise(state, step)
        or pulled_by(state, step) is not None
        or wanted_by_a_check(state, step)
        or wanted_for_both(state, step)
        or worth_peaking(state, step)
        or _on_the_edge(state, step)
    )


def _on_the_edge(state: JobState, step: Step) -> bool:
    """In limits by its last reading, but on its edge, or beyond it, by the mean of all that were taken: set once, where a preset sets it."""
    if step.aim not in ("set", "level") or not step.adjust or _worked(state, step):
        return False
    for line in lines(state, step):
        reading = None if line.now is None or line.stale else line.now.reading
        if reading is None or reading.value is None or not reading.std or reading.bound:
            continue
        values = [x.reading.value for x in _read_again(state, step, reading) if x.reading.value is not None]
        mean, spread = sum(values) / len(values), reading.std / math.sqrt(len(values))
        if len(values) >= _SURE_READINGS and _room(step, mean) < spread:
            return True
    return False


def _read_again(state: JobState, step: Step, reading: Reading) -> list[Logged]:
    """Every reading like this one since something in reach of it was turned."""
    floor = state.last_reached(step.quantity_id, reading.conditions)
    return [x for x in state.read_of(step.quantity_id, floor) if x.reading.conditions == reading.conditions]


def _room(step: Step, value: float) -> float:
    """How far inside the step's limit a value lies; less than nothing outside."""
    limit = step.limit
    return min(
        math.inf if limit.low is None else value - limit.low, math.inf if limit.high is None else limit.high - value
    )


def _too_near_the_rule(state: JobState, step: Step) -> bool:
    """In limits, but nearer to the rule's ceiling than a reading can tell: brought down once, where something brings it down."""
    return bool(step.adjust) and not surely_legal(state, step) and not _worked(state, step)


def _worked(state: JobState, step: Step) -> bool:
    return any(outcome != "in-spec" for _, outcome in state.concluded.get(step.id, []))


def _is_concluded_now(state: JobState, step: Step) -> bool:
    """Concluded, and since then nothing has made its readings stale or asked for another visit."""
    past = state.concluded.get(step.id)
    if not past:
        return False
    now = verdict(state, step)
    if now in ("todo", "recheck"):
        return False
    if now in ("in_spec", "left_as_found") and (_asked(state, step) or to_try(state, step)):
        return False
    return now != "out_of_spec" or not _may_work(state, step)


def _onward(state: JobState, step: Step) -> Advice:
    following = next_step(state)
    if following is None:
        if not unsealed(state):
            return Finish(step.id, "procedure-done")
        if state.stand["sealing"].choice == "measure":
            return Seal(step.id, "sealing")
        return Finish(step.id, "unsealed")
    if following[0] == step.id:
        return _work(state, step)
    return GoTo(following[0], following[1])


def unsealed(state: JobState) -> list[str]:
    """Cores that stand elsewhere than they were found and were turned since the covers were last put on."""
    covered = max((t.seq for t in state.touches if t.name == "covers"), default=0)
    return [
        a.id
        for a in state.sheet.adjusters
        if a.kind == "core" and state.positions[a.id] and state.last_touch.get(a.id, 0) > covered
    ]


# -- as found ------------------------------------------------------------------------------


def _survey(state: JobState, step: Step) -> Advice:
    """Read everything once before anything is touched."""
    missing = _first_unread(state, step)
    if missing is not None:
        return _measure(state, step, missing, "as-found")
    for other in state.sheet.steps:
        if _first_unread(state, other) is not None:
            return GoTo(other.id, "as-found")
    return GoTo(state.sheet.steps[0].id, "next-in-procedure")


def _first_unread(state: JobState, step: Step) -> int | None:
    if verdict(state, step) == "not applicable":
        return None
    for index in range(len(step.required)):
        if (step.id, index) not in state.found:
            return index
    return None


# -- work on a step -----------------------------------------------------------------------------


def _work(state: JobState, step: Step) -> Advice:
    now = verdict(state, step)
    if now in ("not applicable", "accepted"):
        return Conclude(step.id, "accepted" if now == "accepted" else "not-applicable", outcome="judged")
    visit = _since(state, step)
    working = any(t.seq > visit and t.adjuster in step.adjusters for t in state.turns) or any(
        s.seq > visit and a in step.adjusters for a, s in state.swept.items()
    )
    if not working:
        for index, line in enumerate(lines(state, step)):
            if line.now is None or line.stale:
                return _measure(state, step, index, "recheck" if line.stale else "first-reading")
        asked = _asked(state, step) or _too_near_the_rule(state, step)
        if now in SETTLED and not asked:
            doubtful = _near_a_limit(state, step)
            if doubtful is not None:
                return to_read(state, step, step.required[doubtful], "near-limit")
            if to_try(state, step):
                return Try(step.id, "try-first")
            why: Why = "worth-a-look" if state.worth_a_look(step) else "not-worth" if worth(state, step) else "in-spec"
            return Conclude(step.id, why, outcome="in-spec")
        if not step.adjust:
            return _unadjusted(state, step)
        if not _may_work(state, step) and not asked:
            return Conclude(step.id, "worked-twice", outcome="no-convergence")
    if step.quantity_id in FOUND_BY:
        return Conclude(step.id, "nothing-to-adjust", outcome="nothing-to-adjust")
    if is_even(step) and peaked_at(state, step, visit) is not None:
        return _even(state, step, visit)
    if step.aim in ("peak", "null") or is_even(step):
        return _peak(state, step, visit)
    if two_ended(step):
        return _set(state, step, visit, target_for(state, step))
    return _set(state, step, visit, _levelled(state, step) if step.aim == "level" else None)


def _near_a_limit(state: JobState, step: Step) -> int | None:
    """The requirement whose few readings lie inside its limit by less than it may be wrong: what is left alone on it may well be out. An
    instrument says how exact it is; of what was typed that is not known."""
    if not step.adjust or step.quantity_id in FOUND_BY:
        return None
    for index, line in enumerate(lines(state, step)):
        reading = None if line.now is None else line.now.reading
        if reading is None or reading.value is None or not reading.std or reading.bound:
            continue
        near = abs(_room(step, reading.value)) < _SURE_STD * reading.std
        if near and len(_read_again(state, step, reading)) < _SURE_READINGS:
            return index
    return None


def _unadjusted(state: JobState, step: Step) -> Advice:
    """A check that is out: nothing here brings it in. Of a squelch it is told what may: its preset elsewhere, or none at all."""
    if not is_squelch(step):
        return Conclude(step.id, "nothing-to-adjust", outcome="nothing-to-adjust")
    setter = setter_of(state, step)
    if setter is None:
        return Conclude(step.id, "no-preset", outcome="nothing-to-adjust")
    if wanted_for_both(state, setter) or verdict(state, setter) not in SETTLED:
        return Conclude(step.id, "other-end", outcome="nothing-to-adjust")
    return Conclude(step.id, "ends-apart", outcome="out-of-range")


def _since(state: JobState, step: Step) -> int:
    """Entry after which the present visit to the step counts: its last conclusion, or a turn of anything else.

    Any turn elsewhere counts, not only one whose reach is declared: a hill whose
    readings straddle a change that nobody declared has a false top.
    """
    mine = set(step.adjusters)
    ended = [
        state.concluded[s.id][-1][0] for s in state.sheet.steps if s.id in state.concluded and mine & set(s.adjusters)
    ]
    # What another step of the same adjuster has brought to its end is no visit of this one.
    since = max(ended, default=0)
    past = state.concluded.get(step.id, ())
    since = max(since, past[-1][0] if past else 0)
    others = [seq for name, seq in state.last_touch.items() if name not in step.adjusters]
    others += [t.seq for t in state.touches] + [v.seq for v in state.variants]
    others += [t.ended or t.seq for t in state.trials]
    return max([since, *others])


def _close(state: JobState, step: Step, outcome: Outcome) -> Advice:
    """Every requirement is read once more as the sheet says; then the step is concluded."""
    for index, line in enumerate(lines(state, step)):
        if line.now is None or line.stale:
            return _measure(state, step, index, "closing" if index == 0 else "other-channel")
    return Conclude(step.id, "accepted" if outcome == "judged" else outcome, outcome=outcome)


def _measure(state: JobState, step: Step, index: int, why: Why) -> Advice:
    required = step.required[index]
    if why == "recheck":
        # One reading under what several steps ask together settles all of them.
        required = merged_for(state, step, index)
    if step.quantity_id in FOUND_BY:
        return _find_level(state, step, required, why)
    return to_read(state, step, required, why)


def _find_level(state: JobState, step: Step, required: Conditions, why: Why) -> Advice:
    """The level on a channel that gives the mark, from readings of its ratio since the last touch that reaches it."""
    read, mark, _ = FOUND_BY[step.quantity_id]
    floor = state.last_reached(read, required)
    readings = []
    place = without(required, "panel")
    for logged in state.read_of(read, floor):
        r, c = logged.reading, logged.reading.conditions
        if r.value is not None and c.level_dbm is not None and without(c, "level_dbm", "panel") == place:
            readings.append((c.level_dbm, r.value))
    start = next((x.reading.value for x in reversed(state.read_of(step.quantity_id, floor))), None)
    if start is None:
        start = _guess_level(state, floor, read, mark)
    # What is only looked at, as found or at one more place, is known well enough once its side of the limit is clear.
    looked_at = state.phase == "as-found" or required != step.required[0]
    chart = step.limit.high if looked_at else None
    move = next_level(readings, round(start, 1), mark, chart)
    if move.found_dbm is not None:
        return LogLevel(step.id, "found-level", required, move.found_dbm, move.std_db)
    assert move.try_dbm is not None
    return to_read(state, step, replace(required, level_dbm=move.try_dbm), "level-next" if readings else why)


def _guess_level(state: JobState, floor: int, read: str, mark: float) -> float:
    """Where the mark may lie: from the last reading of its ratio since the last touch, else a usual level."""
    for logged in reversed(state.read_of(read, floor)):
        r = logged.reading
        if r.value is not None and r.conditions.level_dbm is not None:
            if 3.0 < r.value < 22.0:
                return r.conditions.level_dbm + (mark - r.value) / (_SINAD_SLOPE if read == "rx.sinad" else 1.0)
            break
    return _USUAL_LEVELS[read]


# -- peaking ---------------------------------------------------------------------------------------


def _peak(state: JobState, step: Step, since: int) -> Advice:
    advice = _peak_move(state, step, since)
    if not isinstance(advice, SetUp | Measure) or advice.why in ("closing", "other-channel", "recheck"):
        return advice
    return replace(advice, quantity=step.read_by) if step.read_by else advice


def _peak_move(state: JobState, step: Step, since: int) -> Advice:
    adjuster, move, ended = progress(state, step, since)
    if (adjuster is None or move is None) and is_even(step):
        return _even(state, step, since)
    if adjuster is None or move is None:
        return _peaked(state, step, since, move, ended)
    last = next((x for x in reversed(hill_points(state, step, (adjuster,), since))), None)
    level = last.reading.conditions.level_dbm if last is not None else step.hill_setting.level_dbm
    conditions = replace(step.hill_setting, level_dbm=level)
    if last is not None and last.reading.value is not None and level is not None:
        fresh = last.positions[adjuster] == state.positions[adjuster]
        new = kept_level(step, last.reading.value, level, _best_at(state, step, adjuster, since, level))
        if fresh and new is not None:
            why: Why = "level-too-strong" if new < level else "level-too-weak"
            return to_read(state, step, replace(conditions, level_dbm=new), why)
        kept = KEPT.get(step.hill_id)
        if (
            fresh
            and kept is not None
            and level >= STRONGEST_DBM
            and signal_size(step, last.reading.value) < kept.nothing
        ):
            # Nothing comes through however strong the signal: that is found by tracing, not by turning.
            return _close(state, step, "no-convergence")
    chosen_here = last is not None and state.set_up_seq > max(last.seq, state.at_seq)
    if (
        step.hill_id in KEPT
        and chosen_here
        and replace(state.set_up, level_dbm=None) == replace(conditions, level_dbm=None)
    ):
        # A level chosen since the last reading is read before anything is turned.
        return to_read(state, step, state.set_up, "level-next")
    if move.act == "level" and level is not None:
        if level + move.level_db < WEAKEST_DBM + 12.0:
            # Nothing followed the level all the way down: that was noise. Well above it, then.
            strong = (step.hill_setting.level_dbm or level) + 2.0 * LEVEL_STEP_DB
            return to_read(state, step, replace(conditions, level_dbm=round(strong, 1)), "level-too-weak")
        return to_read(state, step, replace(conditions, level_dbm=round(level + move.level_db, 1)), move.why)
    if move.act == "read":
        return to_read(state, step, conditions, move.why if move.why in ("confirm-peak", "by-ear") else "first-reading")
    return _turn(state, step, adjuster, move.target_mdeg, move.why)


def _peaked(state: JobState, step: Step, since: int, last: Move | None, ended: str = "") -> Advice:
    """Every visit is done: the closing readings, then the conclusion with what each adjuster gained, and which one ended badly."""
    outcome: Outcome = "peaked"
    if last is not None and last.why in ("at-stop", "dead", "no-convergence"):
        outcome = last.why
    elif last is not None and last.why == "jumps":
        outcome = "no-convergence"
    advice = _close(state, step, outcome)
    if not isinstance(advice, Conclude):
        return advice
    if last is not None and last.why == "jumps":
        advice = replace(advice, why="jumps")
    if outcome in ("at-stop", "dead") or advice.why == "jumps":
        advice = replace(advice, adjuster=ended)
    return replace(advice, gains=tuple((a, db) for a, (db, _) in gains(state, step, since).items()))


def _even(state: JobState, step: Step, since: int) -> Advice:
    coils, reads, tops, wanted = even_problem(state, step, since)
    unit = [TURN * scale_of(state.sheet.adjuster(a)) for a in step.adjusters]
    now = [state.positions[a] / u for a, u in zip(step.adjusters, unit, strict=True)]
    move = next_even_move(coils, reads, now, tops, wanted)
    if move.act == "stop":
        return _close(state, step, "even")
    if move.act == "turn":
        why: Why = "best-so-far" if move.why == "best" else "stagger" if move.why == "stagger" else "even"
        return _turn(state, step, step.adjusters[move.coil], round(move.turns * unit[move.coil]), why)
    there = min(step.required, key=lambda c: abs(place_on_band(state, step, c) - move.place))
    return to_read(state, step, there, "other-channel")


def _best_at(state: JobState, step: Step, adjuster: str, since: int, level: float) -> float:
    values = [
        x.reading.value
        for x in hill_points(state, step, (adjuster,), since)
        if x.reading.conditions.level_dbm == level and x.reading.value is not None
    ]
    return max(values, default=0.0)


def _turn(state: JobState, step: Step, adjuster: str, target_mdeg: int, why: Why) -> Advice:
    safe = cool_target(state, step, state.sheet.adjuster(adjuster), target_mdeg)
    if safe is None:
        return to_read(state, step, step.setting, "heat")
    if safe == state.positions[adjuster] != target_mdeg:
        return Conclude(step.id, "too-hot", outcome="no-convergence")
    move, part = safe - state.positions[adjuster], state.sheet.adjuster(adjuster)
    if part.kind == "core" and safe == target_mdeg:
        # A core that stands at a stop stands at no whole eighth: hands still turn in eighths and sixteenths from there.
        fine = part.step_mdeg // 2
        move = round(move / fine) * fine or move
    return Turn(step.id, why, adjuster=adjuster, move_mdeg=move)


# -- setting to a target ------------------------------------------------------------------------------


def errors_together(state: JobState, step: Step) -> dict[str, float]:
    """How far the step's places stand from its target with the adjuster where it is now for all of them, by place.

    Its adjuster moves all places alike: a place is compared with the setting's place where both were read at one position.
    """
    target = step.target if step.target is not None else step.limit.middle
    adjuster = step.adjusters[0]
    at: dict[int, dict[str, float]] = {}
    others = [a for a in state.reaching(step.quantity_id, step.setting) if a != adjuster]
    as_now = by_positions(lambda p: all(p[a] == state.positions[a] for a in others))
    place_of = by_conditions(lambda c: next((one for one in step.required if c.settles(one)), None))
    for x in state.read_of(step.quantity_id):
        r = x.reading
        if r.value is None or r.bound or not as_now(x.positions):
            continue
        required = place_of(r.conditions)
        if required is not None:
            at.setdefault(x.positions[adjuster], {})[required.place] = r.value - target
    together = max(at.values(), key=len, default={})
    now = at.get(state.positions[adjuster], {}).get(step.setting.place)
    base = together.get(step.setting.place)
    if now is None or base is None:
        return together
    return {place: value - base + now for place, value in together.items()}


def _levelled(state: JobState, step: Step) -> float | None:
    """The target of the setting's place that leaves the worst of all the step's places least out; None before all are read."""
    errors = errors_together(state, step)
    if len(errors) < len(step.required) or step.setting.place not in errors:
        return None
    target = step.target if step.target is not None else step.limit.middle
    return target + errors[step.setting.place] + compromise(errors, step.limit.half_width).shift


def _set(state: JobState, step: Step, since: int, aimed: float | None = None) -> Advice:
    adjuster = step.adjusters[0]
    target = aimed if aimed is not None else step.target if step.target is not None else step.limit.middle
    half = step.limit.half_width
    q = step.quantity
    close = max(0.15 * half if half is not None else 3 * q.usual_std, 1.5 * q.usual_std)
    if aimed is not None and half is not None and step.aim == "level":
        # Places that just fit want the middle met more nearly.
        spare = half - compromise(errors_together(state, step), half).worst
        close = max(min(close, 0.5 * spare), 1.5 * q.usual_std)
    spots = []
    for x in hill_points(state, step, (adjuster,), since):
        r = x.reading
        if r.value is not None:
            spots.append(Spot(x.positions[adjuster], r.value, r.std or q.usual_std, bool(r.bound)))
    if _says_no_number(state, step, adjuster, since):
        return _close(state, step, "no-convergence")
    part, here, stops = state.sheet.adjuster(adjuster), state.positions[adjuster], stops_touched(state, adjuster)
    if q.id == "tx.bias_current":
        return _biased(state, step, spots, target, close)
    # Which way a bias preset goes is not known before the first reading after a move: a small one does no harm.
    first = _CAREFUL_MDEG if q.id == "tx.bias_voltage" else None
    known = slope_before(state, step, adjuster)
    allowed = step.limit if is_squelch(step) else None
    move = next_set_move(spots, target, close, part, here, stops, first, slope=known, allowed=allowed)
    if move.act == "read":
        return to_read(state, step, step.setting, "first-reading")
    if move.act == "go":
        return _turn(state, step, adjuster, move.target_mdeg, move.why)
    return _close(state, step, move.why)  # type: ignore[arg-type]


def _says_no_number(state: JobState, step: Step, adjuster: str, since: int) -> bool:
    """Was a word read here that says neither more nor less (no lock, nothing to count)? The same read again would say it again."""
    read = hill_points(state, step, (adjuster,), since)
    return bool(read) and read[-1].reading.value is None and read[-1].positions[adjuster] == state.positions[adjuster]


def _biased(state: JobState, step: Step, spots: list[Spot], target: float, close: float) -> Advice:
    """An idle current: set by its square root, which goes nearly with the preset, and never by a move that may break the final."""
    adjuster = step.adjusters[0]
    part, here, stops = state.sheet.adjuster(adjuster), state.positions[adjuster], stops_touched(state, adjuster)
    rating = state.sheet.final.rating(step.quantity_id)
    first = first_move(spots[-1].value if spots else 0.0, rating, _CAREFUL_MDEG)
    if spots and not first and len({s.mdeg for s in spots}) < 2:
        return replace(_close(state, step, "no-convergence"), why="too-near-rating")
    roots = [
        replace(s, value=math.sqrt(max(s.value, 0.0)), std=s.std / (2.0 * math.sqrt(max(s.value, 1e-6)))) for s in spots
    ]
    move = next_set_move(
        roots, math.sqrt(target), close / (2.0 * math.sqrt(target)), part, here, stops, first or FIRST_MDEG[-1], 1.0
    )
    if move.act == "read":
        return to_read(state, step, step.setting, "first-reading")
    if move.act == "go":
        goal = bounded(spots, here, move.target_mdeg, rating, part.step_mdeg)
        if goal == here:
            return replace(_close(state, step, "no-convergence"), why="too-near-rating")
        return _turn(state, step, adjuster, goal, move.why)
    return _close(state, step, move.why)  # type: ignore[arg-type]


# -- for the plot ----------------------------------------------------------------------------------------


def hill(state: JobState, step: Step, adjuster: str) -> tuple[list[Point], Hill | None]:
    """Readings of the adjuster at hand with the fitted curve, for the plot; no curve for steps that are set."""
    points = hill_of(state, step, adjuster, _drawn_since(state, step))
    if not (step.aim in ("peak", "null") or is_even(step)) or not points or step.hill_id == HEARD:
        return points, None
    at = [p.turns for p in points]
    scale = scale_of(state.sheet.adjuster(adjuster))
    if max(at) - min(at) < 0.05 * scale:
        return points, None
    fit = fit_hill(points, step.hill_quantity.hill_slope, scale, is_null(step))
    turns = np.linspace(min(at) - 0.5 * scale, max(at) + 0.5 * scale, 61)
    mean, spread = curve(fit, points, turns)
    sure = fit.std < 0.3 * scale and min(at) - 0.5 * scale <= fit.x0 <= max(at) + 0.5 * scale
    return points, Hill(
        adjuster, tuple(turns), tuple(mean), tuple(spread), fit.x0 if sure else None, fit.std if sure else None
    )


def _drawn_since(state: JobState, step: Step) -> int:
    """From where on readings are drawn: a trial's own as well, as long as nothing was turned after it."""
    since = _since(state, step)
    trial = last_whole(state, "worth", step.id)
    if trial is None or trial.ended != since:
        return since
    return since if any(t.seq > trial.ended for t in state.turns) else trial.seq


def leave_alone(state: JobState, step: Step) -> bool:
    """In limits as found, untouched, nothing found on its adjusters, nor to be tried first: the honest advice is to leave it."""
    untouched = found_in_limits(state, step) and not state.moved_at_all(step)
    return untouched and not state.worth_a_look(step) and not to_try(state, step)
