"""Capacitors on the bench: marked against measured, ESR, and when recapping beats chasing.

Tolerances by type are common practice of the trade where the part does not say its own.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from unitone.errors import UnitoneError
from unitone.words import N_, tr

Dielectric = Literal["electrolytic", "tantalum", "film", "ceramic", "mica", "paper"]
Finding = Literal["good", "low", "high", "leaky", "esr"]

#: (below, above) in per cent of the marking (common practice, no source).
TOLERANCE: dict[Dielectric, tuple[float, float]] = {
    N_("electrolytic"): (20.0, 50.0), N_("tantalum"): (20.0, 20.0), N_("film"): (10.0, 10.0), N_("ceramic"): (20.0, 80.0),
    N_("mica"): (5.0, 5.0), N_("paper"): (20.0, 20.0),
}  # fmt: skip
#: Above so many times the marking a capacitance meter reads leakage, not capacitance (common practice, no source).
LEAKING = 1.5
#: Dissipation (tan δ = 2π·f·C·ESR at 100 Hz) above which an electrolytic's ESR is high (common practice, no source).
MOST_TAN_DELTA = 0.3
#: From this frequency on the loss of the dielectric no longer counts and a sound electrolytic's ESR is far lower: there ESR · C
#: stays under this (s; 2 Ω for 50 µF; common practice, no source). A limit for 100 Hz would call a bad one good.
HIGH_HZ, MOST_ESR_C = 10_000.0, 1e-4
#: From this share of bad ones in a sample of at least ``SAMPLE`` on, recapping all is cheaper than chasing.
MOST_BAD, SAMPLE = 0.5, 4


@dataclass(frozen=True)
class CapacitorVerdict:
    """What a measurement says: the finding, whether to replace it, and the deviation in per cent of the marking."""

    finding: Finding
    replace: bool
    deviation_pct: float
    tan_delta: float | None


def judge_capacitor(
    dielectric: Dielectric, marked_f: float, measured_f: float, esr_ohm: float | None = None, at_hz: float = 100.0
) -> CapacitorVerdict:
    """Judge one capacitor (farads, ohms, hertz). Raises UnitoneError for values that cannot be.

    ``at_hz`` is the frequency that its ESR was measured at.

    A reading far above the marking of an electrolytic, tantalum or paper capacitor
    is leakage read as capacitance.
    """
    if dielectric not in TOLERANCE:
        raise UnitoneError(
            tr("No type {dielectric!r}. Known: {list}.", dielectric=dielectric, list=", ".join(TOLERANCE))
        )
    if marked_f <= 0 or measured_f < 0 or at_hz <= 0 or (esr_ohm is not None and esr_ohm < 0):
        raise UnitoneError(tr("Marked capacitance and frequency are above zero, measured values zero or more."))
    deviation = (measured_f / marked_f - 1.0) * 100.0
    tan_delta = None if esr_ohm is None else 6.283185307179586 * at_hz * measured_f * esr_ohm
    below, above = TOLERANCE[dielectric]
    # A hair of slack, so that a value on its limit is not thrown out by the last bit.
    if deviation < -below - 1e-9:
        return CapacitorVerdict("low", True, deviation, tan_delta)
    if deviation > above + 1e-9:
        leaky = dielectric in ("electrolytic", "tantalum", "paper") and measured_f > LEAKING * marked_f * (1 - 1e-12)
        return CapacitorVerdict("leaky" if leaky else "high", True, deviation, tan_delta)
    lossy = tan_delta is not None and tan_delta > MOST_TAN_DELTA
    if esr_ohm is not None and at_hz >= HIGH_HZ:
        lossy = esr_ohm * measured_f > MOST_ESR_C
    if lossy and dielectric in ("electrolytic", "tantalum"):
        return CapacitorVerdict("esr", True, deviation, tan_delta)
    return CapacitorVerdict("good", False, deviation, tan_delta)


def recap_all(sample: Sequence[CapacitorVerdict]) -> bool | None:
    """True when most of the sample are bad: recapping is cheaper than chasing. None while the sample is too small."""
    if len(sample) < SAMPLE:
        return None
    return sum(v.replace for v in sample) / len(sample) > MOST_BAD
