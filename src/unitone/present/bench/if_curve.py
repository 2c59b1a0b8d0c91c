"""What the IF passes as its cores stand: the design of the sheet's transformers, moved by what was turned since they were peaked."""

from __future__ import annotations

import numpy as np

from unitone.align.beside_channel import read_so_far
from unitone.align.pairs import swept
from unitone.errors import EntryError
from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import HillView
from unitone.quantities.show import number
from unitone.radio.if_response import Transformer, passband, response_db
from unitone.sheet.model.sheet import TURN, Step
from unitone.words import tr

#: How wide it is drawn (bandwidths of one transformer), in how many points, and how deep (dB).
_BANDWIDTHS, _POINTS, _DEEPEST_DB = 2.5, 241, -40.0
_WIDTH_DB = 6.0
#: The peaked curve is drawn under a staggered one in rings, one so many points.
_RING_EVERY = 12


def is_peaked(state: JobState, step: Step) -> bool:
    """Was the step peaked on this visit, or before it and not come back to?"""
    past = state.concluded.get(step.id)
    if not past or past[-1][1] not in ("peaked", "staggered"):
        return False
    return state.at != step.id or past[-1][0] >= state.at_seq


def _peaked_at(state: JobState, adjuster: str) -> int:
    """Where a core stood when its step was last peaked (millidegrees from found); where it stands now if it never was."""
    ends = [
        seq
        for s in state.sheet.steps
        if adjuster in s.adjusters
        for seq, outcome in state.concluded.get(s.id, [])
        if outcome == "peaked"
    ]
    if not ends:
        return state.positions[adjuster]
    return state.positions[adjuster] - sum(t.moved for t in state.turns if t.adjuster == adjuster and t.seq > max(ends))


def describe_overcoupled(state: JobState, step: Step) -> str:
    """What to do about a pair with two humps while it is peaked; empty for others, and once it is."""
    own = [t for t in state.sheet.transformers if t.coupling > 1.0 and set(t.adjusters) & set(step.adjusters)]
    if not own or step.aim != "peak" or is_peaked(state, step):
        return ""
    cans = " + ".join(own[0].adjusters)
    return tr(
        "{pair} has two humps: follow the coach, or damp one winding (10 to 47 kΩ) while you peak the other.", pair=cans
    )


def describe_lead(step: Step) -> str:
    """Where the meter's lead goes for the last can when an IF is peaked by its AVC; empty for other steps."""
    if step.hill_id != "rx.agc_voltage" or step.role != "if" or step.aim != "peak":
        return ""
    return tr(
        "Last can: the AVC is often taken from its first winding. Move the lead to the detector's output for its second core."
    )


def sweep_started(state: JobState, step: Step) -> bool:
    """Was the IF read beside its middle since the last touch?"""
    return swept.is_chart(step) and any(read_so_far(state, step).keys() - {0.0})


def sweep_next(state: JobState, step: Step) -> str:
    """The next place of the sweep as the button says it."""
    wanted = swept.next_conditions(state, step)
    if wanted is None:
        return ""
    return tr("generator {khz} kHz off", khz=number((wanted.offset_hz or 0.0) / 1e3, 1, sign=True))


def describe_sweep(state: JobState, step: Step) -> str:
    """What the sweep found; empty before there is enough of it."""
    found = swept.swept(state, step) if sweep_started(state, step) else None
    if found is None:
        return ""
    width = (
        tr("wider than it was read")
        if found.width_hz is None
        else tr("{khz} kHz wide at −6 dB", khz=number(found.width_hz / 1e3, 1))
    )
    tops = tr("one hump") if found.humps == 1 else tr("two humps, {db} dB between", db=number(found.dip_db, 1))
    return tr("IF as read: {width}, {tops}.", width=width, tops=tops)


def _read_points(state: JobState, step: Step) -> tuple[tuple[float, float], ...]:
    """What was read, kHz and dB under the highest."""
    found = swept.swept(state, step) if sweep_started(state, step) else None
    return () if found is None else tuple(zip((x / 1e3 for x in found.offsets_hz), found.db, strict=True))


def if_curve(state: JobState, step: Step) -> HillView | None:
    """The response of the sheet's IF transformers as their cores stand, and as peaked where that differs, with what was read over it; the
    readings alone where the sheet does not describe its transformers; None where there is nothing of either."""
    own = state.sheet.transformers
    points = _read_points(state, step)
    if not any(set(t.adjusters) & set(step.adjusters) for t in own):
        words = tr("IF response as read")
        return HillView(points, (), (), (), (), None, "", 0.0, words, "kHz", "dB", None) if points else None
    chain = [
        Transformer(
            t.centre_hz, t.q, t.coupling,
            (_off_hz(state, t.adjusters[0], t.per_turn_hz), _off_hz(state, t.adjusters[1], t.per_turn_hz)),
        )
        for t in own
    ]  # fmt: skip
    wide = _BANDWIDTHS * max(t.centre_hz / t.q for t in own)
    hz = np.linspace(-wide / 2.0, wide / 2.0, _POINTS)
    db = np.maximum(response_db(chain, hz), _DEEPEST_DB)
    turned = any(o for t in chain for o in t.off_hz)
    peaked = [Transformer(t.centre_hz, t.q, t.coupling) for t in own]
    rings = np.maximum(response_db(peaked, hz), _DEEPEST_DB) if turned else np.zeros(0)
    khz = tuple((hz / 1e3).tolist())
    middle = float(db[_POINTS // 2])
    words = tr("IF response beside {khz} kHz", khz=f"{own[0].centre_hz / 1e3:g}")
    found = tuple(zip(khz[::_RING_EVERY], rings[::_RING_EVERY].tolist(), strict=True)) if turned else ()
    curve = tuple(db.tolist())
    top = float(db.max())
    read = tuple((x, y + top) for x, y in points) or ((0.0, middle),)
    at = float(hz[int(db.argmax())] / 1e3)
    return HillView(read, khz, curve, curve, curve, at, _told(chain), 0.0, words, "kHz", "dB", None, found)


def _off_hz(state: JobState, adjuster: str, per_turn_hz: float) -> float:
    return (state.positions[adjuster] - _peaked_at(state, adjuster)) / TURN * per_turn_hz


def _told(chain: list[Transformer]) -> str:
    """How wide it is, and what its top looks like."""
    try:
        band = passband(chain, (_WIDTH_DB,))
    except EntryError:
        return tr("too far apart for one passband")
    words = tr("{khz} kHz wide at −6 dB", khz=number(band.width(_WIDTH_DB) / 1e3, 1))
    if band.humps > 1:
        words += tr(", two humps, {db} dB between", db=number(band.dip_db, 1))
    lost = band.top_db
    return words + (tr(", {db} dB lost", db=number(-lost, 1)) if lost < -0.05 else "")
