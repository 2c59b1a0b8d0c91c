"""A clarifier from its parts: how far a varactor, fed from a potentiometer, swings a crystal or a VFO, and what centres it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from unitone.radio.vco import resonant_hz, varactor_capacitance

#: A silicon junction's built-in voltage (V).
_PHI = 0.7
Place = Literal["series", "across"]


@dataclass(frozen=True)
class Varactor:
    """A tuning diode: its capacitance (F) at a reverse voltage (V), and the exponent of its law (0.5: abrupt; up to 2: hyper-abrupt)."""

    farad: float
    at_v: float
    gamma: float = 0.5

    def capacitance(self, volts: float) -> float:
        """C(V) = C(V0)·((1+V0/φ)/(1+V/φ))^γ in farad. Raises ValueError where it conducts."""
        return varactor_capacitance(volts, self.farad * (1.0 + self.at_v / _PHI) ** self.gamma, _PHI, self.gamma)


@dataclass(frozen=True)
class Quartz:
    """A crystal: its frequency (Hz) at the load it is ground for (F), motional and shunt capacitance (F)."""

    hz: float
    load: float
    c1: float
    c0: float

    @property
    def series_hz(self) -> float:
        """fs = f/(1 + C1/(2(C0 + CL))) (IEC 60122-1)."""
        return self.hz / (1.0 + self.c1 / (2.0 * (self.c0 + self.load)))

    def pulled(self, per_farad: float) -> float:
        """f in Hz for a load whose elastance is ``per_farad`` (1/F): zero or below where a coil in series outweighs the capacitors.

        f = fs·(1 + C1·S/(2(1 + C0·S))), IEC 60122-1 with S = 1/CL. Raises ValueError where the coil alone would oscillate.
        """
        below = 1.0 + self.c0 * per_farad
        if below <= 0:
            raise ValueError("so large a coil takes the oscillator away from its crystal")
        return self.series_hz * (1.0 + self.c1 * per_farad / (2.0 * below))


@dataclass(frozen=True)
class Swing:
    """Frequencies (Hz) with the knob fully down, in the middle and fully up, and the varactor's volts at both ends."""

    down: float
    middle: float
    up: float
    volts: tuple[float, float]


def slider_volts(supply: float, top: float, pot: float, bottom: float) -> tuple[float, float]:
    """Volts at both ends of a potentiometer (ohm) between two resistors. Raises ValueError for a potentiometer of nothing."""
    whole = top + pot + bottom
    if pot <= 0:
        raise ValueError("a potentiometer has more than no resistance")
    return supply * bottom / whole, supply * (bottom + pot) / whole


def load_elastance(
    hz: float, oscillator: float, varactor: float, place: Place, coil: float = 0.0, coupling: float = math.inf
) -> float:
    """1/CL (1/F) that the crystal sees. ``series``: varactor and coil in series with the oscillator's own capacitance: 1/C + 1/Cv − ω²L;
    ``across``: the varactor, through its coupling capacitor, beside that capacitance."""
    own = 1.0 / (1.0 / varactor + 1.0 / coupling)
    if place == "across":
        return 1.0 / (oscillator + own)
    return 1.0 / oscillator + 1.0 / own - (2.0 * math.pi * hz) ** 2 * coil


def crystal_swing(
    quartz: Quartz, varactor: Varactor, volts: tuple[float, float], oscillator: float, place: Place, coil: float = 0.0,
    coupling: float = math.inf,
) -> Swing:  # fmt: skip
    """How a clarifier swings a crystal. Raises ValueError."""
    made = [
        quartz.pulled(load_elastance(quartz.hz, oscillator, varactor.capacitance(v), place, coil, coupling))
        for v in (volts[0], sum(volts) / 2.0, volts[1])
    ]
    return Swing(made[0], made[1], made[2], volts)


def centring_capacitance(
    quartz: Quartz, varactor: Varactor, volts: tuple[float, float], place: Place, coil: float = 0.0, coupling: float = math.inf
) -> float | None:  # fmt: skip
    """The oscillator's own capacitance (F) that puts the middle of the swing on the crystal's frequency; None where none does."""
    wanted = 1.0 / quartz.load
    own = 1.0 / (1.0 / varactor.capacitance(sum(volts) / 2.0) + 1.0 / coupling)
    if place == "across":
        found = quartz.load - own
        return found if found > 0 else None
    left = wanted - 1.0 / own + (2.0 * math.pi * quartz.hz) ** 2 * coil
    return 1.0 / left if left > 0 else None


def vfo_swing(
    henry: float, farad: float, varactor: Varactor, volts: tuple[float, float], coupling: float = math.inf
) -> Swing:
    """How a clarifier swings a VFO of ``henry`` and ``farad``, the varactor across it through its coupling capacitor. Raises ValueError."""
    made = [
        resonant_hz(henry, farad + 1.0 / (1.0 / varactor.capacitance(v) + 1.0 / coupling))
        for v in (volts[0], sum(volts) / 2.0, volts[1])
    ]
    return Swing(made[0], made[1], made[2], volts)
