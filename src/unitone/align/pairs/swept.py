"""An IF swept by hand or by the bench: AF voltage against the generator's place beside the middle. How wide it is, one hump or two."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.signal import find_peaks

from unitone.align.beside_channel import at, read_so_far
from unitone.job.state import JobState
from unitone.sheet.model.sheet import Conditions, Step

#: So many places either side, and how far out the last lies: bandwidths of one transformer, and a share of the IF where the sheet does
#: not describe its transformers (common practice, no source).
_EACH_SIDE, _BANDWIDTHS, _USUAL_SHARE = 6, 1.1, 0.018
_USUAL_IF_HZ = 455e3
#: A generator is set to a tenth of this (Hz).
_ROUND_HZ = 100.0
#: Below this many readings a curve is not told of; and a hump is one that stands so far over the dip beside it (dB).
_LEAST, _HUMP_DB = 5, 0.7
WIDTH_DB = 6.0
#: It is read until it is so far down (dB), and so many times as far out as was meant.
_DEEP_DB, _FURTHER = 8.0, 3.0


@dataclass(frozen=True)
class Swept:
    """What was read: decibels under the highest reading by offset (Hz); width at -6 dB (None: wider than was read), humps, and the dip
    between the outer two (dB)."""

    offsets_hz: tuple[float, ...]
    db: tuple[float, ...]
    width_hz: float | None
    humps: int
    dip_db: float


def is_chart(step: Step) -> bool:
    """Is it an IF that is peaked by the voltage at the loudspeaker?"""
    return step.role == "if" and step.aim == "peak" and step.quantity_id == "rx.af_voltage" and not step.read_by


def offsets_hz(state: JobState, step: Step) -> tuple[float, ...]:
    """Where the generator is put beside the middle of the IF (Hz), from the middle outwards."""
    own = [t for t in state.sheet.transformers if set(t.adjusters) & set(step.adjusters)]
    if own:
        furthest = _BANDWIDTHS * max(t.centre_hz / t.q for t in own)
    else:
        centre = step.inject.frequency_hz if step.inject is not None else None
        furthest = _USUAL_SHARE * (centre or _USUAL_IF_HZ)
    places = [round(furthest * n / _EACH_SIDE / _ROUND_HZ) * _ROUND_HZ for n in range(1, _EACH_SIDE + 1)]
    return (0.0, *(sign * p for p in dict.fromkeys(places) if p for sign in (-1.0, 1.0)))


def next_conditions(state: JobState, step: Step) -> Conditions | None:
    """The next place that was not read; None when all are. An IF that is still high at the last place is followed further out."""
    have = read_so_far(state, step)
    places = offsets_hz(state, step)
    wanted = next((offset for offset in places if offset not in have), None)
    if wanted is None and (top := max(have.values())) > 0:
        furthest = max(places)
        stride = furthest / _EACH_SIDE
        for side in (-1.0, 1.0):
            end = max(have, key=lambda hz: side * hz)
            if 20.0 * np.log10(max(have[end], 1e-9 * top) / top) > -_DEEP_DB and abs(end) < _FURTHER * furthest:
                wanted = round((end + side * stride) / _ROUND_HZ) * _ROUND_HZ
                break
    return None if wanted is None else at(step, wanted)


def swept(state: JobState, step: Step) -> Swept | None:
    """The curve that was read; None before five places are."""
    read = {hz: v for hz, v in read_so_far(state, step).items() if v > 0}
    if len(read) < _LEAST:
        return None
    x = np.array(sorted(read))
    y = 20.0 * np.log10([read[hz] for hz in x])
    y -= y.max()
    fine = np.linspace(x[0], x[-1], 801)
    curve = np.asarray(PchipInterpolator(x, y)(fine))
    tops = find_peaks(np.concatenate(([-200.0], curve, [-200.0])), prominence=_HUMP_DB)[0] - 1
    dip = 0.0
    if len(tops) > 1:
        between = curve[tops[0] : tops[-1]]
        dip = float(min(curve[tops[0]], curve[tops[-1]]) - between.min())
    return Swept(tuple(x.tolist()), tuple(y.tolist()), _width(fine, curve), max(len(tops), 1), dip)


def _width(hz: NDArray[np.float64], db: NDArray[np.float64]) -> float | None:
    inside = np.flatnonzero(db >= db.max() - WIDTH_DB)
    if inside[0] == 0 or inside[-1] == db.size - 1:
        return None
    return float(hz[inside[-1]] - hz[inside[0]])
