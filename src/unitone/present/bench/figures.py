"""A reading in words: its large figure and small unit, its place, the instrument it came from, and what was done to it."""

from __future__ import annotations

from unitone.bench.instruments import instrument_for
from unitone.job.entries.readings import Reading
from unitone.job.state import JobState
from unitone.quantities.registry import quantity
from unitone.quantities.show import number, show, show_value
from unitone.sheet.model.sheet import Conditions, Step
from unitone.words import N_, tr

#: Units that say what they are of, where nothing else beside the figure does.
_NAMED = {
    "rx.sinad": N_("dB SINAD"),
    "rx.sn_ratio": N_("dB (S+N)/N"),
    "rx.distortion": N_("% distortion"),
    "tx.frequency_error": N_("Hz off"),
    "rx.lo_error": N_("Hz off"),
}


def figure_of(reading: Reading) -> tuple[str, str]:
    """Large figure and small unit of a reading; the unit says what it is of."""
    figure, unit = plain_figure(reading)
    return figure, tr(_NAMED[reading.quantity_id]) if unit and reading.quantity_id in _NAMED else unit


def plain_figure(reading: Reading) -> tuple[str, str]:
    """Figure and unit of a reading, where its name stands beside it."""
    if reading.word or reading.value is None:
        return tr(reading.word) or "—", ""
    text, unit = show_value(quantity(reading.quantity_id), reading.value)
    return reading.bound + text, unit


def describe_size(step: Step, width: float) -> str:
    """A width in the unit of the step, finer than its readings print."""
    q = step.quantity
    scale, unit = {"MHz": (1.0, "Hz"), "kHz": (1e3, "kHz"), "mA": (1e-3, "mA")}.get(q.shown, (1.0, q.shown))
    if q.kind in ("level", "s-units"):
        unit = "dB"
    value = width / scale
    decimals = 0 if value >= 100 else 1 if value >= 10 else 2 if value >= 1 else 3
    return f"{number(value, decimals)} {unit}"


def instrument_words(state: JobState, step: Step) -> str:
    """The instrument that a typed reading of this step comes from, with what is known of it."""
    q = step.quantity
    found = instrument_for(state.instruments, q.id, state.chosen.get(q.id, ""))
    if found is None:
        return ""
    standing = (
        tr("calibrated {date}", date=found.calibrated) if found.standing == "calibrated" else tr("indicative only")
    )
    return ", ".join(x for x in (found.name, standing, found.describe_correction(q)) if x)


def reading_notes(state: JobState, step: Step) -> list[str]:
    """What was done to the step's last reading, and what to think of it: correction, uncertainty, low on the scale."""
    of_step = state.read_of(step.quantity_id)
    if (step.id, 0) not in state.latest or not of_step:
        return []
    reading = of_step[-1].reading
    words = []
    if reading.raw is not None and reading.correction:
        words.append(tr("read {raw}, corrected", raw=show(step.quantity, reading.raw)))
    if reading.u:
        words.append(f"±{describe_size(step, 2 * reading.u)}")
    if reading.warning:
        words.append(reading.warning)
    return words


def describe_place(state: JobState, wanted: Conditions) -> str:
    """``27.205 MHz, ch 20``, with band and mode where they are named."""
    words = []
    if wanted.channel:
        hz = state.sheet.carrier_hz(wanted.channel, wanted.band)
        words.append(tr("{mhz} MHz, ch {channel}", mhz=number(float(hz) / 1e6, 3), channel=wanted.channel))
    words += [tr("band {b}", b=wanted.band)] if wanted.band else []
    words += [wanted.mode.upper()] if wanted.mode else []
    return " · ".join(words)
