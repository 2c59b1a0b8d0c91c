"""Peaking by ear: louder, softer or the same as before the turn, and nothing else.

An ear tells a decibel or so. Each answer is a comparison of two places on the hill (``unitone.align.peak.hill``), whose height drops out;
the next turn is the one after whose answer the least is expected to be lost.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from scipy.special import ndtr

from unitone.align.peak.core import Move, scale_of
from unitone.align.peak.hill import LOSS_CAP, Floats, shape_db
from unitone.sheet.model.sheet import TURN, Adjuster

Heard = Literal["louder", "softer", "same"]
#: What an ear tells apart (dB), and how far it is off (dB). Common practice, no source: about one decibel for speech and tones.
JUST_HEARD_DB, _EAR_STD = 1.0, 0.5
#: A station fades and its programme comes and goes: between two listens by so much (dB, standard).
_STATION_STD = 1.0
#: One answer in so many is simply wrong.
_WRONG = 0.02
_TOPS = np.arange(-6.0, 6.01, 1 / 8)
_WIDTHS = np.geomspace(0.25, 2.6, 9)
_NEAR_TURNS, _NEAR_SHARE = 1.5, 0.8
_STEPS = (1, 2, 3, 4, 6, 8, 12, 16, 20)
#: By a station: quarter and half turns, to either side of where it is thought loudest and no further, so that it is never lost; so many
#: answers at the most, and what is enough (dB): each answer of a station takes its time.
_STATION_AROUND = 0.55
_STATION_STEPS, _STATION_MOST, _STATION_ENOUGH_DB, _STATION_ANSWER_DB = (1, 2, 3, 4, 6, 8), 16, 0.3, 0.03
#: It ends when another answer gains less than this, and no more than so much is lost (dB); at the latest after so many.
_ANSWER_DB, _ENOUGH_DB, _LEAST, _MOST = 0.012, 0.3, 4, 16
#: How likely an adjuster is to do nothing before it is turned, and what a wrong verdict on that costs (dB).
_DEAD, _WRONG_DB = 0.05, 2.0


@dataclass(frozen=True)
class Answer:
    """What was heard after a turn from ``before`` to ``after`` (turns from where it was found)."""

    before: float
    after: float
    heard: Heard


def _chance(before: Floats, after: Floats, heard: Heard, std: float = _EAR_STD) -> Floats:
    """How likely an answer is where the loudness was ``before`` and is ``after`` (dB), of an ear that is off by ``std``."""
    more = (after - before - JUST_HEARD_DB) / std
    less = (before - after - JUST_HEARD_DB) / std
    louder, softer = ndtr(more), ndtr(less)
    plain = louder if heard == "louder" else softer if heard == "softer" else 1.0 - louder - softer
    return np.asarray((1.0 - _WRONG) * plain + _WRONG / 3.0)


def next_by_ear(
    answers: Sequence[Answer], adjuster: Adjuster, position_mdeg: int, stops_mdeg: tuple[int | None, int | None],
    off_air: bool = False,
) -> Move:  # fmt: skip
    """The next turn from what was heard after each so far, or the end: peaked, at a stop, dead, no end in sight. A station ``off_air``
    fades: more answers are asked for, and no turn takes it out of hearing."""
    return _next(tuple(answers), adjuster, position_mdeg, stops_mdeg, off_air)


@lru_cache(maxsize=128)
def _next(
    answers: tuple[Answer, ...], adjuster: Adjuster, position: int, stops: tuple[int | None, int | None], off_air: bool
) -> Move:
    std, most_answers, steps = (_STATION_STD, _STATION_MOST, _STATION_STEPS) if off_air else (_EAR_STD, _MOST, _STEPS)
    enough, answer = (_STATION_ENOUGH_DB, _STATION_ANSWER_DB) if off_air else (_ENOUGH_DB, _ANSWER_DB)
    scale, step = scale_of(adjuster), adjuster.step_mdeg
    unit = scale * TURN
    here = position / unit
    low = -math.inf if stops[0] is None else stops[0] / unit
    high = math.inf if stops[1] is None else stops[1] / unit
    tops, widths = (a.ravel() for a in np.meshgrid(_TOPS, _WIDTHS, indexing="ij"))
    near = np.exp(-0.5 * (tops / _NEAR_TURNS) ** 2)
    log = np.log(_NEAR_SHARE * near / near.sum() + (1.0 - _NEAR_SHARE) / tops.size)
    log_dead = math.log(_DEAD / (1.0 - _DEAD))
    nothing = np.zeros(1)
    for a in answers:
        before = shape_db(np.array(a.before / scale), tops, widths, 1.0)
        after = shape_db(np.array(a.after / scale), tops, widths, 1.0)
        log += np.log(_chance(before, after, a.heard, std))
        log_dead += float(np.log(_chance(nothing, nothing, a.heard, std)[0]))
    most = max(float(log.max()), log_dead)
    weight, dead = np.exp(log - most), math.exp(log_dead - most)
    whole = float(weight.sum()) + dead
    weight, dead = weight / whole, dead / whole
    if len(answers) >= _LEAST and dead > 0.95:
        return Move("stop", 0, "dead")
    keep = weight >= 1e-4 * weight.max()
    weight, tops, widths = weight[keep] / max(float(weight[keep].sum()), 1e-300), tops[keep], widths[keep]
    sharp = weight / widths**2
    middle = float(np.clip(sharp @ tops / sharp.sum(), low, high))
    allowed = np.minimum(10.0 * np.log10(1.0 + ((np.clip(tops, low, high) - tops) / widths) ** 2), LOSS_CAP)

    def lost(at: float, share: Floats) -> float:
        loss = np.minimum(10.0 * np.log10(1.0 + ((at - tops) / widths) ** 2), LOSS_CAP) - allowed
        return float(share @ np.maximum(loss, 0.0))

    now = lost(middle, weight)
    places = np.unique(np.clip([here + s * k * (step / unit) for k in steps for s in (-1, 1)], low, high))
    places = places[np.abs(places - here) > 0.3 * step / unit]
    if off_air:
        places = places[np.abs(places - middle) <= np.maximum(_STATION_AROUND, np.abs(here - middle))]
    before = shape_db(np.array(here), tops, widths, 1.0)
    best, gain = here, -math.inf
    for place in places:
        after = shape_db(np.array(place), tops, widths, 1.0)
        expected, confused = 0.0, 0.0
        kinds: tuple[Heard, ...] = ("louder", "softer", "same")
        for heard in kinds:
            share = weight * _chance(before, after, heard, std)
            sharp = share / widths**2
            at = float(np.clip(sharp @ tops / max(float(sharp.sum()), 1e-300), low, high))
            expected += lost(at, share)
            confused += min((1.0 - dead) * float(share.sum()), dead * float(_chance(nothing, nothing, heard, std)[0]))
        told = _WRONG_DB * (min(dead, 1.0 - dead) - confused)
        won = now - expected + told - 0.002 * abs(place - here) * unit / step / 8.0
        if won > gain:
            best, gain = float(place), won
    finished = len(answers) >= _LEAST and dead < 0.1 and now < enough and gain < answer
    if finished or len(answers) >= most_answers:
        been = [p for a in answers for p in (a.before / scale, a.after / scale)]
        middle = float(np.clip(middle, min(been) - 1.0, max(been) + 1.0))
        target = round(middle * unit / (step // 2)) * (step // 2)
        if abs(target - position) > step // 3:
            return Move("go", target, "to-peak", loss_db=now)
        beyond = float(weight @ (np.abs(np.clip(tops, low, high) - tops) > 0.1 * widths))
        why: Literal["dead", "at-stop", "peaked", "no-convergence"] = (
            "dead"
            if dead > 0.3
            else "at-stop"
            if beyond > 0.5
            else "peaked"
            if finished or now < 2.0 * enough
            else "no-convergence"
        )
        return Move("stop", 0, why, loss_db=now)
    return Move("go", round(best * unit), "first-move" if not answers else "by-ear")
