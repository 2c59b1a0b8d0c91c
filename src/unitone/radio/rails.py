"""Where the volts go: what a low rail means behind its resistor, what the meter itself takes, where to measure next.

Ohm's and Kirchhoff's laws (any textbook); E-series after IEC 60063:2015.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from unitone.errors import UnitoneError
from unitone.words import tr

#: Values of one decade (IEC 60063:2015; E24 and below are not the rounded powers of ten at every place).
E12 = (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2)
E24 = (
    1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1,
)  # fmt: skip
SERIES = {"E12": E12, "E24": E24}


@dataclass(frozen=True)
class LowRail:
    """What would explain a rail that is low behind its series resistor.

    ``extra_a``: current beyond the usual (A); ``leak_ohm``: the resistance to
    ground that would draw it (ohm); ``resistor_ohm``: what the series resistor would
    have to be if the current were as usual (None where the usual is not known);
    ``resistor_w`` and ``leak_w``: what each then dissipates (W).
    """

    extra_a: float
    leak_ohm: float
    resistor_ohm: float | None
    resistor_w: float
    leak_w: float


def low_rail(expected_v: float, measured_v: float, series_ohm: float, usual_a: float = 0.0) -> LowRail:
    """Explain ``measured_v`` where ``expected_v`` should stand, behind ``series_ohm``.

    ``usual_a`` is what the rail draws when it is right; the source ahead of the
    resistor is then expected_v + usual_a · series_ohm. Raises UnitoneError unless
    0 < measured < expected and the resistor is above zero.
    """
    if not (math.isfinite(expected_v) and 0 < measured_v < expected_v):
        raise UnitoneError(
            tr(
                "{measured_v:g} V is not a low rail where {expected_v:g} V are expected: it lies between 0 and that.",
                measured_v=measured_v,
                expected_v=expected_v,
            )
        )
    if not (math.isfinite(series_ohm) and series_ohm > 0) or usual_a < 0:
        raise UnitoneError(tr("The series resistor is above zero ohms, the usual current zero or more."))
    extra = (expected_v - measured_v) / series_ohm
    total = usual_a + extra
    source = expected_v + usual_a * series_ohm
    resistor = (source - measured_v) / usual_a if usual_a > 0 else None
    return LowRail(extra, measured_v / extra, resistor, total * total * series_ohm, measured_v * extra)


def divider(source_v: float, top_ohm: float, bottom_ohm: float, load_ohm: float = math.inf) -> float:
    """Volts at the tap of a divider, loaded or not. Raises UnitoneError unless every resistance is above zero."""
    if min(top_ohm, bottom_ohm, load_ohm) <= 0:
        raise UnitoneError(tr("Every resistance of a divider is above zero ohms."))
    lower = bottom_ohm if math.isinf(load_ohm) else bottom_ohm * load_ohm / (bottom_ohm + load_ohm)
    return source_v * lower / (top_ohm + lower)


def meter_ohm(ohm_per_volt: float, range_v: float) -> float:
    """Input resistance of a needle meter on a range: ohms per volt times full scale. Raises UnitoneError."""
    if ohm_per_volt <= 0 or range_v <= 0:
        raise UnitoneError(tr("Ohms per volt and range are above zero."))
    return ohm_per_volt * range_v


def without_meter(read_v: float, source_ohm: float, meter: float) -> float:
    """What would stand at a point of ``source_ohm`` without the meter that read ``read_v``. Raises UnitoneError."""
    if source_ohm < 0 or meter <= 0:
        raise UnitoneError(tr("The point's resistance is zero or more, the meter's above zero."))
    return read_v * (1.0 + source_ohm / meter)


def as_read_by(true_v: float, source_ohm: float, meter: float) -> float:
    """What a meter would show at such a point; the inverse of ``without_meter``. Raises UnitoneError."""
    return true_v / without_meter(1.0, source_ohm, meter)


def preferred(ohm: float, series: str = "E24") -> float:
    """The nearest value of an E-series, nearest in ratio. Raises UnitoneError for a series or value that there is not."""
    if series not in SERIES:
        raise UnitoneError(tr("No series {series!r}. Known: {list}.", series=series, list=", ".join(SERIES)))
    if not (math.isfinite(ohm) and ohm > 0):
        raise UnitoneError(tr("A value is above zero."))
    decade = 10.0 ** math.floor(math.log10(ohm))
    around = [v * d for d in (decade / 10, decade, decade * 10) for v in SERIES[series]]
    return min(around, key=lambda v: abs(math.log(v / ohm)))


def halve(points: Sequence[bool | None]) -> int | None:
    """Which point of a supply path to measure next: halfway between the last good one and the first bad one.

    ``points`` run from the source on: True has its volts, False has not, None is
    not measured yet. None when the break lies between two neighbours (or nothing is
    left to measure). A good point behind a bad one belongs to another path: only
    what lies before the first bad one is looked at.
    """
    bad = next((n for n, p in enumerate(points) if p is False), len(points))
    good = max((n for n in range(bad) if points[n] is True), default=-1)
    left = [n for n in range(good + 1, bad) if points[n] is None]
    return left[(len(left) - 1) // 2] if left else None


def preferred_between(least: float, most: float, series: str = "E24") -> list[float]:
    """Every preferred value from ``least`` to ``most`` (the unit of both). Raises UnitoneError unless 0 < least <= most."""
    if not 0 < least <= most:
        raise UnitoneError(tr("Preferred values lie above zero, from least to most."))
    decades = range(math.floor(math.log10(least)), math.ceil(math.log10(most)) + 1)
    values = (float(f"{v}e{d}") for d in decades for v in SERIES[series])
    return [v for v in values if least * (1 - 1e-9) <= v <= most * (1 + 1e-9)]
