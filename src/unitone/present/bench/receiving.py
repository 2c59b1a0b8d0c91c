"""What a receiver's readings say beside their verdicts: evenness over the band, a generator that leaks or stands elsewhere."""

from __future__ import annotations

from dataclasses import replace
from itertools import islice
from statistics import median

from unitone.align.hill_readings import height
from unitone.job.records import Logged
from unitone.job.state import JobState
from unitone.job.verdicts import lines
from unitone.present.bench.channel_chart import LEAST
from unitone.quantities.registry import FOUND_BY
from unitone.quantities.show import number
from unitone.sheet.model.sheet import Conditions, Step, without
from unitone.words import tr

#: One place that much deafer than the rest is no coil's doing (dB); a fall over the band that is worth a word (dB).
_ELSEWHERE_DB, _TILT_DB, _EVEN_DB = 8.0, 2.0, 1.5
#: A level taken down by so much has to be seen in the reading, unless that is noise or flat already (dB).
_DOWN_DB, _SEEN_SHARE, _ABOVE_NOISE_DB = 6.0, 0.25, 6.0


def describe_receive(state: JobState, step: Step) -> str:
    """What there is to say of a receive step; "" for others, and where nothing is read."""
    if step.hook_up != "receive":
        return ""
    told = [describe_evenness(state, step), describe_leak(state, step), describe_detector(state, step)]
    return " ".join(w for w in told if w)


# -- evenness ------------------------------------------------------------------------------------------


def _places(state: JobState, step: Step) -> list[tuple[float, Conditions, float]]:
    """(carrier Hz, conditions, level dBm) of every place that is read and fresh, lowest carrier first."""
    found = []
    for required, line in zip(step.required, lines(state, step), strict=True):
        if line.now is None or line.stale or line.now.reading.value is None or line.now.reading.bound:
            continue
        hz = float(state.sheet.carrier_hz(required.channel, required.band))
        found.append((hz, required, line.now.reading.value))
    return sorted(found, key=lambda p: p[0])


def describe_evenness(state: JobState, step: Step) -> str:
    """How even a sensitivity is over its places, which way it falls, and a place where something else is wrong."""
    if step.quantity_id not in FOUND_BY:
        return ""
    read = _places(state, step)
    if len(read) < 3:
        return ""
    charted = len(step.required) >= LEAST
    levels = [level for _, _, level in read]
    usual = median(levels)
    odd = [(c, level - usual) for _, c, level in read if level - usual > _ELSEWHERE_DB]
    if len(odd) == 1:
        return tr(
            "{place} is {db} dB deafer than the rest: not a coil. Check that generator and radio are on the same channel, then crystal or "
            "lock.", place=odd[0][0].place, db=number(odd[0][1], 0),
        )  # fmt: skip
    best, worst = min(read, key=lambda p: p[2]), max(read, key=lambda p: p[2])
    apart = worst[2] - best[2]
    if apart <= _EVEN_DB:
        return tr(
            "Even over the band: {db} dB from {a} to {b}.", db=number(apart, 1), a=best[1].place, b=worst[1].place
        )
    fall = levels[-1] - levels[0]
    inner = min(levels[1:-1])
    # A chart says the figure by itself.
    words = (
        "" if charted else tr("{db} dB from {a} (best) to {b}.", db=number(apart, 1), a=best[1].place, b=worst[1].place)
    )
    if fall > _TILT_DB and inner < levels[-1]:
        words += " " + tr("Sensitivity drops at the top of the band: retune the front end higher, or stagger it (O).")
    if fall < -_TILT_DB and inner < levels[0]:
        words += " " + tr("Sensitivity drops at the bottom of the band: retune the front end lower, or stagger it (O).")
    return words.strip()


# -- the generator -------------------------------------------------------------------------------------


def describe_leak(state: JobState, step: Step) -> str:
    """The level was taken down and the reading hardly noticed: then the set hears the generator itself, past its pads."""
    read = list(islice((x for x in reversed(state.by_quantity.get(step.hill_id, ())) if _of_level(x, step)), 2))
    if len(read) < 2:
        return ""
    last, before = read
    if last.positions != before.positions or replace(last.reading.conditions, level_dbm=0.0) != replace(
        before.reading.conditions, level_dbm=0.0
    ):
        return ""
    down = (before.reading.conditions.level_dbm or 0.0) - (last.reading.conditions.level_dbm or 0.0)
    heights = [height(step.hill_quantity, x.reading) for x in (before, last)]
    if down < _DOWN_DB or heights[0] is None or heights[1] is None or not step.hill_quantity.hill_slope:
        return ""
    fell = (heights[0][0] - heights[1][0]) / step.hill_quantity.hill_slope
    # Strong signals are flat by themselves: only where a weaker one should tell is it odd that it does not.
    told = step.hill_id in ("rx.sinad", "rx.sn_ratio") and _ABOVE_NOISE_DB < (last.reading.value or 0.0) < 20.0
    if not told or fell > _SEEN_SHARE * down:
        return ""
    return tr(
        "The level fell by {down} dB, the reading only by {fell}: the generator is leaking round its "
    "attenuator. Test the leakage (Workshop, My bench).", down=number(down, 0), fell=number(max(fell, 0.0), 1),
    )  # fmt: skip


def _of_level(x: Logged, step: Step) -> bool:
    r = x.reading
    return r.quantity_id == step.hill_id and r.conditions.level_dbm is not None and r.value is not None and not r.bound


# -- the FM detector -----------------------------------------------------------------------------------


def describe_detector(state: JobState, step: Step) -> str:
    """Level and distortion together: the cleanest place is right only while the audio there is loud too."""
    if step.quantity_id != "rx.distortion" or step.aim != "null" or not step.adjust:
        return ""
    floor = state.at_seq
    place = without(step.setting, "level_dbm")
    loud: dict[int, float] = {}
    clean: dict[int, float] = {}
    name = step.adjusters[0]
    for kept, quantity_id in ((clean, "rx.distortion"), (loud, "rx.af_voltage")):
        for x in state.read_of(quantity_id, floor):
            r = x.reading
            if r.value is not None and without(r.conditions, "level_dbm") == place:
                kept[x.positions[name]] = r.value
    both = clean.keys() & loud.keys()
    if len(both) < 2:
        return ""
    cleanest = min(both, key=lambda p: clean[p])
    loudest = max(both, key=lambda p: loud[p])
    if loud[cleanest] >= 0.8 * loud[loudest]:
        return tr(
            "Clean and loud at the same place: {v} V at {d} %.",
            v=number(loud[cleanest], 2),
            d=number(clean[cleanest], 1),
        )
    return tr(
        "Clean but quiet here ({v} V, {w} V elsewhere): foot of the S-curve. Go on to where it is clean and "
        "loud.", v=number(loud[cleanest], 2), w=number(loud[loudest], 2),
    )  # fmt: skip
