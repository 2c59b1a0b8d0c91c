"""The shapes that the Meters view shows: computed apart from any widget, immutable, ready to be drawn."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from unitone.errors import SignalError, UnitoneError
from unitone.quantities.entry import parse_si
from unitone.quantities.show import number
from unitone.signals.weighting import Weighting
from unitone.words import N_, tr

MeterTask = Literal["sinad", "volts", "deviation", "depth", "ssb", "frequency", "lines", "response"]
#: Each task: its id, its name on the screen.
TASKS: tuple[tuple[MeterTask, str], ...] = (
    ("sinad", N_("SINAD")),
    ("volts", N_("Audio voltage")),
    ("deviation", N_("Deviation")),
    ("depth", N_("AM depth")),
    ("ssb", N_("SSB")),
    ("frequency", N_("Frequency")),
    ("lines", N_("Lines")),
    ("response", N_("IF curve")),
)
#: What each task can be measured from.
TAKES: dict[MeterTask, tuple[str, ...]] = {
    "sinad": ("audio",), "volts": ("audio",), "deviation": ("iq",), "depth": ("iq",), "ssb": ("iq",), "frequency": ("audio", "iq"),
    "lines": ("audio", "iq", "trace"), "response": ("audio", "trace"),
}  # fmt: skip
Curve = tuple[NDArray[np.float64], NDArray[np.float64]]


@dataclass(frozen=True)
class How:
    """How it is measured: what the task needs of it is used, the rest is not.

    ``full_scale_v``: volts rms of a sine at full scale, where the input is calibrated.
    ``limit``: points (Hz, dBc) of a limit line. ``ppm``: how far the sampling clock runs fast.
    ``sweep``: (start Hz, stop Hz, seconds) of a recorded sweep. ``prove_hz``: a deviation to
    prove by a carrier null. ``carrier_hz``: where the suppressed carrier lies from the middle.
    """

    task: MeterTask = "sinad"
    weighting: Weighting = "flat"
    nominal_hz: float = 1000.0
    channel: int = 1
    averaging_s: float = 1.0
    full_scale_v: float | None = None
    limit: tuple[tuple[float, float], ...] = ()
    ppm: float = 0.0
    sweep: tuple[float, float, float] | None = None
    prove_hz: float = 2000.0
    carrier_hz: float = 0.0


@dataclass(frozen=True)
class Mark:
    """A named place in the lower curve: where (Hz), how high (dB), what."""

    hz: float
    db: float
    words: str


@dataclass(frozen=True)
class Figure:
    """A small figure beside the large one: what, value, unit, and the number for comparing (None where there is none)."""

    what: str
    text: str
    unit: str
    value: float | None


@dataclass(frozen=True)
class Send:
    """What can go to a step: quantity id, value in its canonical unit, standard uncertainty (None: not known)."""

    quantity_id: str
    value: float
    u: float | None = None


@dataclass(frozen=True)
class MeterPicture:
    """Everything that is shown of one source measured one way. Curves are (x, y).

    ``value`` is the large figure as a number; ``compare_db`` a level that two pictures are compared by (dB).
    The upper place shows the ``table`` where there is one, else the ``wave``; the lower the ``spread``
    over values where there is one (edges, share), else the ``spectrum``.
    """

    name: str
    task: MeterTask
    figure: str
    unit: str
    value: float | None
    doubt: str
    words: str
    figures: tuple[Figure, ...]
    warnings: tuple[str, ...]
    spectrum: Curve
    spectrum_words: str
    band_hz: tuple[float, float] | None = None
    marks: tuple[Mark, ...] = ()
    limit: Curve | None = None
    wave: Curve = field(default_factory=lambda: (np.zeros(0), np.zeros(0)))
    rest: NDArray[np.float64] | None = None
    wave_words: str = ""
    trend: tuple[tuple[float, float], ...] = ()
    table: tuple[tuple[str, ...], ...] = ()
    spread: Curve | None = None
    sends: tuple[Send, ...] = ()
    compare_db: float | None = None
    peak_dbfs: float | None = None
    #: What is out, told before the warnings.
    out: tuple[str, ...] = ()


def figure(what: str, value: float | None, unit: str, decimals: int) -> Figure:
    """A small figure, printed with that many decimals; a dash for None."""
    return Figure(what, "—" if value is None else number(value, decimals), unit, value)


def parse_limit(text: str) -> tuple[tuple[float, float], ...]:
    """A limit line: ``-60`` (dBc everywhere) or ``54 MHz -60; 81 MHz -70``. Empty for none. Raises SignalError with the form."""
    form = tr("“{text}” is not a limit. Write it like -60, or 54 MHz -60; 81 MHz -70.", text=text.strip())
    points = []
    for part in text.replace("−", "-").split(";"):
        plain = part.strip().removesuffix("dBc").strip()
        if not plain:
            continue
        where, _, level = plain.rpartition(" ")
        try:
            db = float(level.replace(",", "."))
            hz = parse_si(where, "Hz") if where else 0.0
        except (UnitoneError, ValueError):
            raise SignalError(form) from None
        if not -200.0 <= db <= 0.0 or hz < 0:
            raise SignalError(form)
        points.append((hz, db))
    if len(points) > 1 and (len({p[0] for p in points}) != len(points)):
        raise SignalError(form)
    return tuple(sorted(points))


#: Between start, end and time of a sweep, in either language.
_SWEEP_PARTS = re.compile(r"\s+(?:to|bis|in)\s+|\s*[;–]\s*|,\s+")


def parse_sweep(text: str) -> tuple[float, float, float] | None:
    """``300 to 3400 Hz in 10 s`` or ``300, 3400, 10`` as (start Hz, stop Hz, seconds); None for empty. Raises SignalError.

    A comma with a space behind it parts, one between digits is a decimal mark; without any space commas part.
    """
    plain = text.strip()
    if not plain:
        return None
    parts = _SWEEP_PARTS.split(plain)
    parts = plain.split(",") if len(parts) == 1 else parts
    try:
        (start, stop), (seconds,) = (parse_si(p, "Hz") for p in parts[:2]), (parse_si(p, "s") for p in parts[2:])
    except (UnitoneError, ValueError):
        start = stop = seconds = 0.0
    if start <= 0 or stop <= 0 or start == stop or not 0.1 <= seconds <= 3600:
        raise SignalError(tr("“{text}” is not a sweep. Write it like 300 Hz to 3400 Hz in 10 s.", text=text.strip()))
    return start, stop, seconds
