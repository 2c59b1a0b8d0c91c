"""A VCO's law from a few readings: tuning voltage on every channel, on bands that are to be added, and what to turn.

1/f² is a straight function of the circuit's capacitance, and the varactor's falls as (1+V/φ)^−γ: with x = 1/f² scaled,
x = a + b·(1+V/φ)^−γ. The three are fitted with φ = 0.7 V; what a reading leaves over (a varactor of another law) is joined
smoothly between the readings and goes out beyond them. S. M. Sze, Physics of Semiconductor Devices, 1981, 2.3 (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.optimize import least_squares

from unitone.errors import UnitoneError
from unitone.words import tr

#: Exponents of varactors (abrupt 0.5, hyperabrupt up to 2) and their built-in volts: what is likely before anything is read,
#: and by what factor it may differ.
_GAMMA, _PHI, _GAMMA_LOG, _PHI_LOG = 0.6, 0.75, 0.6, 0.5
#: A voltmeter at the loop filter reads so finely (V).
_U_V = 0.003
#: Laws that explain the readings as well: their spread is the doubt of a prediction.
_DRAWS = 48


@dataclass(frozen=True)
class _Curve:
    """One law: x = a + b·(1+V/φ)^−γ."""

    a: float
    b: float
    gamma: float
    phi: float

    def volts(self, x: float) -> float:
        """The volts that give ``x``; inf where none do."""
        share = (x - self.a) / self.b
        return math.inf if share <= 0 else float(self.phi * (share ** (-1.0 / self.gamma) - 1.0))

    def x(self, volts: float) -> float:
        """The capacitance, scaled, at these volts (never below what the junction blocks)."""
        return float(self.a + self.b * (1.0 + max(volts, -0.95 * self.phi) / self.phi) ** -self.gamma)


@dataclass(frozen=True)
class Law:
    """A fitted VCO. ``falls``: its volts fall with frequency. ``others`` are laws that explain the readings as well."""

    scale_hz: float
    curve: _Curve
    others: tuple[_Curve, ...]
    falls: bool
    mirror_v: float
    rest: tuple[tuple[float, ...], tuple[float, ...]]

    def volts(self, hz: float, turned: float = 0.0) -> float:
        """Control volts at ``hz`` (inf or −inf where the varactor cannot go), with the coil ``turned`` by that share of its inductance."""
        raw = self.curve.volts(self._x(hz, turned))
        if math.isfinite(raw):
            raw += self._rest(hz * math.sqrt(1.0 + turned))
        return self.mirror_v - raw if self.falls else raw

    def between(self, hz: float, turned: float = 0.0) -> tuple[float, float]:
        """Control volts at ``hz`` as the readings allow them: from 5 to 95 % of the laws that explain them."""
        x, here = self._x(hz, turned), self.volts(hz, turned)
        found = sorted(
            c.volts(x) - self.curve.volts(x) if math.isfinite(self.curve.volts(x)) else 0.0 for c in self.others
        )
        if not found or not math.isfinite(here):
            return here, here
        low, high = found[len(found) // 20], found[-1 - len(found) // 20]
        # A voltmeter's own fineness is always there.
        low, high = min(low, 0.0) - 2 * _U_V, max(high, 0.0) + 2 * _U_V
        return (here - high, here - low) if self.falls else (here + low, here + high)

    def _x(self, hz: float, turned: float) -> float:
        return (self.scale_hz / hz) ** 2 / (1.0 + turned)

    def _rest(self, hz: float) -> float:
        at, left = self.rest
        inside = min(max(hz, at[0]), at[-1])
        return float(_joined(at, left)(inside))


@lru_cache(maxsize=16)
def _joined(at: tuple[float, ...], left: tuple[float, ...]) -> PchipInterpolator:
    """What the readings leave over, joined smoothly (asked for at many frequencies: kept)."""
    return PchipInterpolator(at, left)


def fit(readings: Sequence[tuple[float, float]]) -> Law:
    """A law from (Hz, tuning voltage), three readings or more, in any order. Raises UnitoneError for what is no VCO."""
    if len(readings) < 3:
        raise UnitoneError(
            tr("Enter at least three channels with their tuning voltage, best lowest, middle and highest.")
        )
    points = sorted(readings)
    hz, v = np.array([p[0] for p in points]), np.array([p[1] for p in points])
    if np.any(np.diff(hz) <= 0) or hz[0] <= 0:
        raise UnitoneError(tr("Two readings are of one frequency: give each channel once."))
    steps = np.diff(v)
    if not (np.all(steps > 0) or np.all(steps < 0)):
        raise UnitoneError(
            tr("The tuning voltage must rise, or fall, all the way up the channels. Check the readings, and lock.")
        )
    falls = bool(steps[0] < 0)
    # Volts that fall with frequency are a varactor seen from the supply's side: mirrored, they rise. How far the supply lies
    # above is not read; the shape of the law takes it in.
    mirror = float(v.max() + max(v.min(), 0.5)) if falls else 0.0
    rising = mirror - v if falls else v
    if rising.min() <= -0.5:
        raise UnitoneError(tr("Tuning voltage too far below zero: the varactor would conduct. Check the polarity."))
    scale = float(hz[-1])
    curve, others = _fitted((scale / hz) ** 2, rising)
    left = tuple(float(r) - curve.volts(float(x)) for x, r in zip((scale / hz) ** 2, rising, strict=True))
    return Law(scale, curve, others, falls, mirror, (tuple(map(float, hz)), left))


def _fitted(x: NDArray[np.float64], volts: NDArray[np.float64]) -> tuple[_Curve, tuple[_Curve, ...]]:
    """The likeliest curve, and others drawn from what the readings leave open (Laplace). For each γ and φ, a and b are a line."""

    def curve(parameters: NDArray[np.float64], moved: NDArray[np.float64] | float = 0.0) -> _Curve:
        gamma, phi = float(np.exp(parameters[0])), float(np.exp(parameters[1]))
        shape = (1.0 + (volts + moved) / phi) ** -gamma
        design = np.stack([np.ones_like(shape), shape], 1)
        a, b = np.linalg.lstsq(design, x, rcond=None)[0]
        return _Curve(float(a), float(b), gamma, phi)

    def misfit(parameters: NDArray[np.float64]) -> NDArray[np.float64]:
        c = curve(parameters)
        base = 1.0 + volts / c.phi
        slope = c.b * c.gamma / c.phi * base ** (-c.gamma - 1.0)
        error = (x - c.a - c.b * base**-c.gamma) / np.maximum(np.abs(slope), 1e-12) / _U_V
        usual = [(parameters[0] - math.log(_GAMMA)) / _GAMMA_LOG, (parameters[1] - math.log(_PHI)) / _PHI_LOG]
        return np.concatenate((error, usual))

    bounds = ([math.log(0.1), math.log(0.55)], [math.log(12.0), math.log(12.0)])
    starts = ([math.log(0.4), math.log(0.75)], [math.log(1.2), math.log(0.8)], [math.log(3.0), math.log(4.0)])
    best = min((least_squares(misfit, s, bounds=bounds) for s in starts), key=lambda s: float(s.cost))
    found = curve(best.x)
    if found.b <= 0:
        raise UnitoneError(tr("The frequency must rise with the tuning voltage. Check which channel is which."))
    rng = np.random.default_rng(1)
    slopes = np.asarray(best.jac, np.float64)
    spread = np.linalg.inv(slopes.T @ slopes + 1e-9 * np.eye(2))
    draws = rng.multivariate_normal(best.x, spread, _DRAWS)
    drawn = [curve(np.clip(d, bounds[0], bounds[1]), _U_V * rng.standard_normal(volts.size)) for d in draws]
    return found, tuple(c for c in drawn if c.b > 0)


@dataclass(frozen=True)
class Stretch:
    """A set of frequencies against a window of tuning voltage: the volts at its ends, whether all lock, and what would centre it.

    ``locks`` is None where the readings do not tell: an end may lie on either side of the window's edge. ``turned``: the
    share of the coil's inductance that puts both ends alike into the window (None where no coil does: the range is too wide);
    above zero is more inductance, the core further in. ``ratio_needed`` and ``ratio_there``: greatest over least capacitance
    of the circuit, asked and had.
    """

    low_v: float
    high_v: float
    locks: bool | None
    margin_v: float
    turned: float | None
    ratio_needed: float
    ratio_there: float


def stretch(law: Law, hz: Sequence[float], window_v: tuple[float, float]) -> Stretch:
    """Will all of ``hz`` lock inside the window (V), and if not, does the core help? Raises UnitoneError for no frequencies or no window."""
    if not hz or not window_v[0] < window_v[1]:
        raise UnitoneError(tr("Some frequencies, and a window from lower to higher volts, are needed."))
    least, most = min(hz), max(hz)

    def margin(turned: float) -> float:
        ends = law.volts(least, turned), law.volts(most, turned)
        return min(min(ends) - window_v[0], window_v[1] - max(ends))

    # Margins first grow, then fall, as the core is turned: a search by thirds over what a core can do.
    left, right = -0.35, 0.35
    for _ in range(60):
        third = (right - left) / 3.0
        if margin(right - third) == -math.inf or margin(left + third) > margin(right - third):
            right -= third
        else:
            left += third
    turned = 0.5 * (left + right)
    ends = law.volts(least), law.volts(most)
    doubt = law.between(least), law.between(most)
    worst = min(min(d[0] for d in doubt) - window_v[0], window_v[1] - max(d[1] for d in doubt))
    kindest = min(min(d[1] for d in doubt) - window_v[0], window_v[1] - max(d[0] for d in doubt))
    locks = True if worst >= 0 else False if kindest < 0 else None
    reach = [law.curve.x(law.mirror_v - v if law.falls else v) for v in window_v]
    return Stretch(
        min(ends), max(ends), locks, margin(0.0), turned if margin(turned) > 0 else None, (most / least) ** 2,
        max(reach) / max(min(reach), 1e-12),
    )  # fmt: skip
