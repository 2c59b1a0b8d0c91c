"""The detector's S-curve by ear: distortion against the generator's place beside the channel. Its cleanest place is the curve's middle."""

from __future__ import annotations

import numpy as np

from unitone.align.beside_channel import at, read_so_far
from unitone.job.state import JobState
from unitone.sheet.model.sheet import Conditions, Step

#: Where the generator is put beside the channel (Hz): as far as a filter of 9 kHz passes 1.5 kHz of deviation whole.
OFFSETS_HZ = (-3000.0, -2000.0, -1000.0, 0.0, 1000.0, 2000.0, 3000.0)


#: A middle nearer to the channel than this is centred (Hz; common practice, no source).
CENTRED_HZ = 300.0


_LEAST = 5


def is_chart(step: Step) -> bool:
    """Is it a detector that is set for the cleanest FM?"""
    return step.quantity_id == "rx.distortion" and step.aim == "null" and bool(step.setting.deviation_hz)


def next_conditions(state: JobState, step: Step) -> Conditions | None:
    """The next place that was not read; None when all are."""
    have = read_so_far(state, step)
    return next((at(step, offset) for offset in OFFSETS_HZ if offset not in have), None)


def middle_hz(read: dict[float, float]) -> float | None:
    """Where the curve's middle lies beside the channel (Hz), by a parabola through the readings; None where they have no lowest place."""
    if len(read) < _LEAST:
        return None
    x, y = np.array(sorted(read.items())).T
    # Far out, past the curve's humps, it may come down again: only what lies round the lowest place tells.
    lowest = int(np.argmin(y[1:-1])) + 1
    near = slice(max(lowest - 2, 0), lowest + 3)
    x, y = x[near], y[near]
    bend, slope, _ = np.polyfit(x / 1e3, y, 2, w=1.0 / np.maximum(y, 0.2))
    if bend <= 0.0:
        return None
    found = float(-500.0 * slope / bend)
    return found if x[0] - 1000.0 <= found <= x[-1] + 1000.0 else None
