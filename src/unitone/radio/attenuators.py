"""Attenuators of three resistors, mismatch, and what a meter does to a divider.

Symmetrical pi and T pads: any text on filters and attenuators; ITT, Reference Data for Radio Engineers (from memory):
with K = 10^(dB/20) and impedance Z, pi: shunts Z(K+1)/(K−1), series Z(K²−1)/(2K); T: series Z(K−1)/(K+1), shunt 2ZK/(K²−1).
Mismatch: |Γ| = √(P_reflected/P_forward), SWR = (1+|Γ|)/(1−|Γ|), return loss = −20·lg|Γ|.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from unitone.radio.rails import preferred

Kind = Literal["pi", "tee"]


@dataclass(frozen=True)
class Attenuator:
    """Three resistors (ohm): for a pi shunt, series, shunt; for a T series, shunt, series."""

    kind: Kind
    ohms: tuple[float, float, float]

    def loss_db(self, ohm: float) -> float:
        """What it takes between two impedances of ``ohm`` (dB)."""
        a, b, c, d = self._chain()
        return 20.0 * math.log10(abs(a + b / ohm + c * ohm + d) / 2.0)

    def input_ohm(self, ohm: float) -> float:
        """What it looks like with ``ohm`` at its other end."""
        a, b, c, d = self._chain()
        return (a * ohm + b) / (c * ohm + d)

    def watts(self, watts_in: float, ohm: float) -> tuple[float, float, float]:
        """Heat in each resistor with ``watts_in`` going in and ``ohm`` at its other end."""
        r1, r2, r3 = self.ohms
        volts = math.sqrt(watts_in * self.input_ohm(ohm))
        if self.kind == "pi":
            end = r3 * ohm / (r3 + ohm)
            through = volts / (r2 + end)
            return volts**2 / r1, through**2 * r2, (through * end) ** 2 / r3
        amps = volts / self.input_ohm(ohm)
        middle = volts - amps * r1
        out = middle / (r3 + ohm)
        return amps**2 * r1, middle**2 / r2, out**2 * r3

    def _chain(self) -> tuple[float, float, float, float]:
        """ABCD of the three in a row."""
        r1, r2, r3 = self.ohms
        if self.kind == "pi":
            return 1.0 + r2 / r3, r2, 1.0 / r1 + 1.0 / r3 + r2 / (r1 * r3), 1.0 + r2 / r1
        return 1.0 + r1 / r2, r1 + r3 + r1 * r3 / r2, 1.0 / r2, 1.0 + r3 / r2


def exact(kind: Kind, loss_db: float, ohm: float) -> Attenuator:
    """The pad of a loss (dB) for an impedance, its resistors as they come out."""
    k = 10.0 ** (loss_db / 20.0)
    if kind == "pi":
        shunt, series = ohm * (k + 1.0) / (k - 1.0), ohm * (k * k - 1.0) / (2.0 * k)
        return Attenuator(kind, (shunt, series, shunt))
    series, shunt = ohm * (k - 1.0) / (k + 1.0), 2.0 * ohm * k / (k * k - 1.0)
    return Attenuator(kind, (series, shunt, series))


def from_series(pad: Attenuator, series: str = "E24") -> Attenuator:
    """The same with each resistor from a series of preferred values."""
    a, b, c = (preferred(r, series) for r in pad.ohms)
    return Attenuator(pad.kind, (a, b, c))


@dataclass(frozen=True)
class Mismatch:
    """A load that is not matched: |Γ|, SWR, return loss (dB), and the share of the power that it takes."""

    gamma: float

    @property
    def swr(self) -> float:
        """Standing wave ratio; infinite where everything comes back."""
        return (1.0 + self.gamma) / (1.0 - self.gamma) if self.gamma < 1.0 else math.inf

    @property
    def return_loss_db(self) -> float:
        """How far what comes back lies below what goes out (dB); infinite where nothing comes back."""
        return -20.0 * math.log10(self.gamma) if self.gamma > 0.0 else math.inf

    @property
    def taken(self) -> float:
        """Share of the forward power that the load takes."""
        return 1.0 - self.gamma**2

    @property
    def loss_db(self) -> float:
        """The same as a loss (dB)."""
        return -10.0 * math.log10(self.taken) if self.taken > 0.0 else math.inf


def from_powers(forward_w: float, reflected_w: float) -> Mismatch:
    """From both directions of a directional wattmeter. Raises ValueError where more comes back than goes out."""
    if not 0.0 <= reflected_w <= forward_w or forward_w <= 0.0:
        raise ValueError("no more can come back than goes out")
    return Mismatch(math.sqrt(reflected_w / forward_w))


def from_swr(swr: float) -> Mismatch:
    """From a standing wave ratio of 1 or more."""
    return Mismatch((swr - 1.0) / (swr + 1.0))


def from_return_loss(db: float) -> Mismatch:
    """From a return loss (dB, 0 or more)."""
    return Mismatch(10.0 ** (-db / 20.0))


def metered(top_ohm: float, bottom_ohm: float, meter_ohm: float) -> float:
    """What a meter across the lower resistor of a divider shows, as a share of what stands there without it."""
    inner = top_ohm * bottom_ohm / (top_ohm + bottom_ohm)
    return meter_ohm / (meter_ohm + inner)
