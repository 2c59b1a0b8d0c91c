"""One preset, two ends: a squelch's level where it is tight and what the rest of its control does; modulation of a loud voice and a soft.

The end that the preset is set for has limits, and so have the checks of the other control positions. What a check does while the first
end moves is a straight line in decibels, fitted to what was read (the control divides the decibels of its range: common practice,
no source); the target is the place nearest to the sheet's own at which all of them fit, and where there is none that is said.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from unitone.job.records import by_positions
from unitone.job.state import JobState
from unitone.job.verdicts import Line, lines
from unitone.sheet.model.sheet import Step

SQUELCH = frozenset({"rx.squelch_opens", "rx.squelch_tight", "rx.squelch_closes"})
#: What of the first end's decibels a check is taken to follow before two readings tell it.
_FOLLOWS = 0.5
#: A check that follows less than this is not moved by the preset.
_DEAF = 0.08
#: What is done for both its ends, how far inside a limit is aimed, and how near an aim is to the present place that it is not worth
#: a visit: dB of level, per cent of depth.
_SPARE: dict[str, tuple[float, float]] = {"level": (0.8, 1.0), "percent": (1.0, 1.5)}
#: Visits to the first end before its two ends are given up.
_VISITS = 4


@dataclass(frozen=True)
class End:
    """A check of the same preset: its limits (dBm, None where open) and what was read, (first end, check) in dBm, newest last."""

    low: float | None
    high: float | None
    pairs: tuple[tuple[float, float], ...]

    @property
    def is_guess(self) -> bool:
        """Was it read at one place of the first end alone?"""
        return len(self.pairs) < 2 or float(np.ptp(np.array(self.pairs, float)[:, 0])) <= 1.0

    def line(self) -> tuple[float, float, float]:
        """(slope, first end, check): the line through the newest pair."""
        x, y = np.array(self.pairs, float).T
        slope = _FOLLOWS
        if not self.is_guess:
            slope = float(np.polyfit(x, y, 1)[0])
        return slope, float(x[-1]), float(y[-1])


def aim_for_both(
    target: float, low: float | None, high: float | None, ends: Sequence[End], inside: float = 0.8
) -> float | None:
    """The first end's value nearest to ``target`` at which every check is looked for inside its limits; None where there is
    none. ``low`` and ``high`` are the first end's own limits, ``inside`` how far within them is aimed."""
    from_, to = (-np.inf if low is None else low + inside), (np.inf if high is None else high - inside)
    for end in sorted(ends, key=lambda e: e.is_guess):
        slope, x0, y0 = end.line()
        least = -np.inf if end.low is None else end.low + inside
        most = np.inf if end.high is None else end.high - inside
        if end.is_guess and least <= y0 <= most:
            # In, and nobody knows yet whether it moves at all: no reason to stay.
            continue
        if abs(slope) < _DEAF:
            if not least - inside <= y0 <= most + inside:
                return None
            continue
        edges = sorted((x0 + (least - y0) / slope, x0 + (most - y0) / slope))
        if end.is_guess and (edges[0] > to or edges[1] < from_):
            # How far it follows is only guessed: as far that way as the first end allows, and then it is known.
            target = to if edges[0] > to else from_
            continue
        from_, to = max(from_, edges[0]), min(to, edges[1])
    return float(min(max(target, from_), to)) if from_ <= to else None


def is_squelch(step: Step) -> bool:
    """Is it a step about a level at which the squelch opens or closes?"""
    return step.quantity_id in SQUELCH


def two_ended(step: Step) -> bool:
    """Is it a step that one preset may have to serve at two ends?"""
    return is_squelch(step) or step.quantity_id == "tx.am_depth"


def checks_of(state: JobState, step: Step) -> list[Step]:
    """The checks of the same kind that the set step's preset reaches too."""
    if not two_ended(step) or step.aim != "set":
        return []
    presets = [state.sheet.adjuster(a) for a in step.adjusters]
    found = []
    for check in state.sheet.steps:
        judged = state.judged.get(check.id)
        if check.adjust or not two_ended(check) or check.quantity.kind != step.quantity.kind:
            continue
        reached = any(p.can_change(check.quantity_id, c) for p in presets for c in check.required)
        if reached and (judged is None or judged.verdict not in ("not applicable", "accepted")):
            found.append(check)
    return found


def setter_of(state: JobState, check: Step) -> Step | None:
    """The step that sets the preset which a squelch check hangs on; None where the radio has no such preset."""
    return next((s for s in state.sheet.steps if s.aim == "set" and check in checks_of(state, s)), None)


def target_for(state: JobState, step: Step) -> float | None:
    """Where the set step is to go so that its checks come in too: its own target while they are in; None where nothing brings all in."""
    own = step.target if step.target is not None else step.limit.middle
    ends = []
    for check in checks_of(state, step):
        pairs = _pairs(state, step, check)
        if pairs:
            ends.append(End(check.limit.low, check.limit.high, pairs))
        elif _out(lines(state, check)):
            return None
    return aim_for_both(own, step.limit.low, step.limit.high, ends, _SPARE[step.quantity.kind][0])


def wanted_for_both(state: JobState, step: Step) -> bool:
    """Is the set step to be done again, as a check of the same preset is out and another place is looked for to serve both?"""
    if len(state.concluded.get(step.id, [])) >= _VISITS or not any(
        _out(lines(state, c)) for c in checks_of(state, step)
    ):
        return False
    now, aim = state.latest.get((step.id, 0)), target_for(state, step)
    if now is None or now.reading.value is None or aim is None:
        return False
    return abs(now.reading.value - aim) > _SPARE[step.quantity.kind][1]


def _out(read: Sequence[Line]) -> bool:
    return any(line.inside is False and not line.stale for line in read)


def _pairs(state: JobState, step: Step, check: Step) -> tuple[tuple[float, float], ...]:
    """What both read at each place of the preset, everything else that reaches them as it is now; the newest place last."""
    preset = step.adjusters[0]
    others = [a for a in state.reaching(step.quantity_id, step.setting) if a != preset]
    as_now = by_positions(lambda p: all(p[a] == state.positions[a] for a in others))
    read: dict[int, dict[str, float]] = {}
    both = {one.quantity_id: state.read_of(one.quantity_id) for one in (step, check)}
    for x in sorted((x for of_one in both.values() for x in of_one), key=lambda x: x.seq):
        r = x.reading
        if r.value is None or r.bound or not as_now(x.positions):
            continue
        for one in (step, check):
            if r.quantity_id == one.quantity_id and any(key[0] == one.id for key in state.answers(r)):
                here = read.pop(x.positions[preset], {})
                read[x.positions[preset]] = here | {one.id: r.value}
    return tuple((v[step.id], v[check.id]) for v in read.values() if len(v) == 2)
