"""The S-meter's chart: what its shape says. Just the preset, too little gain, the detector's threshold, or a stage that holds.

A meter's detector gives D(x) = log(1 + 10^((x - t)/20)) of a level x in dB: it bends under t, and above it a decibel is a decibel. The
scale is printed for D as the maker set it. A preset multiplies the deflection; a loss before the detector, or a diode that starts
later, shifts the level; a stage that holds puts a roof on it. These laws are fitted to the chart, the simplest that explains it is
named, and the sensitivity tells a loss of gain from a late diode (common practice, no source).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Shape = Literal["fine", "preset", "gain", "threshold", "compression", "too-few"]
Floats = NDArray[np.float64]
#: How well a needle is read against a signal generator (dB), and how many decibels under the sheet a set counts as deaf.
_READ_STD_DB = 1.8
#: What a law more has to explain before it is believed (in units of a squared spread).
_PRICE = 9.0
_BENDS = np.array([-127.0, -115.0, -107.0, -101.0, -95.0])
_TURNED = np.geomspace(0.3, 3.2, 49)
_SHIFTS = np.arange(0.0, 31.0, 1.0)
_ROOFS = np.arange(-91.0, -29.0, 4.0)
#: Readings that a shape is told from, and how many two laws together need at the least.
LEAST, TWO_LAWS = 6, 5
#: A needle that shows less than this lies on its pin (dB over S9: S1).
_OFF_ITS_PIN_DB = -48.0
#: A diode's own volts: silicon and germanium (common practice, no source).
SILICON_V, GERMANIUM_V = 0.6, 0.25


@dataclass(frozen=True)
class Mark:
    """One reading of the chart: level at the set (dBm PD), what the meter shows (dB over its S9), and whether only as a bound."""

    level_dbm: float
    shown_db: float
    bound: Literal["", "<", ">"] = ""


@dataclass(frozen=True)
class Told:
    """What the chart says: the shape, deflection as a share of what it should be, decibels lost before the meter, the level from
    which it holds, the level under which the needle stays down (dBm), and the law's bend."""

    shape: Shape
    turned: float = 1.0
    lost_db: float = 0.0
    roof_dbm: float | None = None
    dead_below_dbm: float | None = None
    bend_dbm: float = -127.0


def shown(
    level: Floats, s9_dbm: float, bend: float, turned: float | Floats, lost: float | Floats, roof: float | None
) -> Floats:
    """What the meter shows (dB over S9) at ``level`` (dBm): the scale undone on a deflection that is not the maker's."""
    x = level - lost
    if roof is not None:
        x = -10.0 * np.log10(10.0 ** (-x / 10.0) + 10.0 ** (-roof / 10.0))
    deflection = turned * np.log1p(10.0 ** ((x - bend) / 20.0))
    return np.asarray(20.0 * np.log10(np.maximum(np.expm1(deflection), 1e-9)) + bend - s9_dbm)


def read_chart(marks: Sequence[Mark], s9_dbm: float = -73.0, deaf: bool | None = None, places: int = LEAST) -> Told:
    """What a chart's shape says. ``deaf``: does the sensitivity miss its limit? None where it was not measured (then it is taken
    for good). ``places``: how many there are to read; of fewer than ``LEAST`` (a meter of few lamps) all are needed, and
    under ``TWO_LAWS`` of them the preset is all that can be told."""
    if len(marks) < max(min(LEAST, places), 2):
        return Told("too-few")
    level = np.array([m.level_dbm for m in marks])
    seen = np.array([m.shown_db for m in marks])
    low = np.array([m.bound == "<" for m in marks])
    high = np.array([m.bound == ">" for m in marks])
    kinds: list[tuple[float, Told]] = []
    for bend in _BENDS:
        # A scale crowds towards its lower end: there a hair's breadth is many decibels.
        std: Floats = np.where(level < -112.0, 3.5, 1.0) * _READ_STD_DB

        def misfit(
            turned: Floats, lost: Floats, roof: float | None, bend: float = float(bend), std: Floats = std
        ) -> Floats:
            fit = shown(level, s9_dbm, bend, turned[..., None], lost[..., None], roof)
            off = seen - fit
            off = np.where(low, np.maximum(fit - seen, 0.0), off)
            off = np.where(high, np.minimum(fit - seen, 0.0), off)
            return np.asarray((np.minimum(np.abs(off / std), 6.0) ** 2).sum(axis=-1))

        one = np.array([1.0])
        zero = np.array([0.0])
        kinds.append((float(misfit(one, zero, None)[0]), Told("fine", bend_dbm=float(bend))))
        squares = misfit(_TURNED, np.zeros_like(_TURNED), None)
        n = int(np.argmin(squares))
        kinds.append((float(squares[n]) + _PRICE, Told("preset", float(_TURNED[n]), bend_dbm=float(bend))))
        if len(marks) < TWO_LAWS:
            # Two figures through so few readings fit anything.
            continue
        turned, lost = (a.ravel() for a in np.meshgrid(_TURNED, _SHIFTS[3:], indexing="ij"))
        squares = misfit(turned, lost, None)
        n = int(np.argmin(squares))
        kinds.append(
            (float(squares[n]) + 2 * _PRICE, Told("threshold", float(turned[n]), float(lost[n]), bend_dbm=float(bend)))
        )
        for roof in _ROOFS:
            squares = misfit(_TURNED, np.zeros_like(_TURNED), float(roof))
            n = int(np.argmin(squares))
            told = Told("compression", float(_TURNED[n]), roof_dbm=float(roof), bend_dbm=float(bend))
            kinds.append((float(squares[n]) + 2 * _PRICE, told))
    _, best = min(kinds, key=lambda k: k[0])
    if best.shape != "threshold":
        return best
    shape: Shape = "gain" if deaf else "threshold"
    levels = np.arange(-127.0, -20.0, 1.0)
    up = levels[shown(levels, s9_dbm, best.bend_dbm, best.turned, best.lost_db, None) > _OFF_ITS_PIN_DB]
    dead = float(up[0]) if up.size else None
    return Told(shape, best.turned, best.lost_db, None, dead, best.bend_dbm)


def other_diode(
    told: Told, levels: Sequence[float], s9_dbm: float = -73.0, now_v: float = SILICON_V, then_v: float = GERMANIUM_V
) -> list[float]:
    """What the meter would show (dB over S9) at ``levels`` (dBm) with another diode, its preset set anew so that S9 is right.

    A diode that needs ``then_v`` instead of ``now_v`` starts earlier by their ratio. Raises ValueError for volts of zero or less.
    """
    if min(now_v, then_v) <= 0.0:
        raise ValueError("a diode's own volts are more than zero")
    lost = max(told.lost_db + 20.0 * math.log10(then_v / now_v), 0.0)
    at_s9 = np.log1p(10.0 ** ((s9_dbm - lost - told.bend_dbm) / 20.0))
    turned = float(np.log1p(10.0 ** ((s9_dbm - told.bend_dbm) / 20.0)) / at_s9)
    return [float(v) for v in shown(np.array(levels), s9_dbm, told.bend_dbm, turned, lost, None)]
