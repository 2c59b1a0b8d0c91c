"""Tracking of a superhet: coil, padder and trimmer of its oscillator, and how far signal circuit and oscillator part over the dial.

The oscillator's gang section stands with its trimmer across it, and the padder in series with both; the coil tunes what that makes. Both
sections of the gang are alike.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq, minimize

from unitone.errors import EntryError
from unitone.words import tr

Floats = NDArray[np.float64]


def resonance_hz(henry: float, farad: float) -> float:
    """1/(2π√(LC)) (W. Thomson, 1853)."""
    return 1.0 / (2.0 * math.pi * math.sqrt(henry * farad))


@dataclass(frozen=True)
class Tracking:
    """The oscillator's parts (H, F), the signal circuit's coil and trimmer, and the points where both agree (Hz)."""

    coil_h: float
    padder_f: float
    trimmer_f: float
    signal_coil_h: float
    signal_trimmer_f: float
    points_hz: tuple[float, float, float]
    if_hz: float

    def gang_f(self, hz: Floats) -> Floats:
        """What the gang stands at where the signal circuit is tuned to ``hz`` (F)."""
        return np.asarray(1.0 / ((2.0 * math.pi * hz) ** 2 * self.signal_coil_h) - self.signal_trimmer_f)

    def error_hz(self, hz: Floats) -> Floats:
        """How far the oscillator less the IF stands from the signal circuit, over the band (Hz)."""
        c = self.gang_f(hz) + self.trimmer_f
        total = self.padder_f * c / (self.padder_f + c)
        oscillator = 1.0 / (2.0 * math.pi * np.sqrt(self.coil_h * total))
        return np.asarray(oscillator - self.if_hz - hz)


def tracking_points(low_hz: float, high_hz: float) -> tuple[float, float, float]:
    """The three points that share the error over the band: the zeros of the third Chebyshev polynomial (K. R. Sturley, Radio Receiver
    Design, 1943, chapter 5, has them; from memory)."""
    middle, half = (low_hz + high_hz) / 2.0, (high_hz - low_hz) / 2.0
    reach = half * math.sqrt(3.0) / 2.0
    return middle - reach, middle, middle + reach


def three_points(
    low_hz: float, high_hz: float, if_hz: float, gang_least_f: float, gang_most_f: float,
    points_hz: tuple[float, float, float] | None = None,
) -> Tracking:  # fmt: skip
    """Parts that track at three points (``tracking_points`` where none are told), for a band that just fills the gang. Raises EntryError
    where no parts do.

    The signal circuit's coil and trimmer follow from the ends of the band. At each tracking point the oscillator has to be tuned by
    ω²L = 1/Cp + 1/(C+Ct): for a trimmer, padder and coil follow from two of the points, and the third sets the trimmer.
    """
    if not (0.0 < low_hz < high_hz and 0.0 < gang_least_f < gang_most_f and if_hz > 0.0):
        raise EntryError(tr("A band goes from low to high, a gang from least to most."))
    ratio = (high_hz / low_hz) ** 2
    trimmer = (gang_most_f - ratio * gang_least_f) / (ratio - 1.0)
    if trimmer < 0.0:
        raise EntryError(
            tr("This gang does not reach over that band: {share:.2f} times in capacitance, {wanted:.2f} are wanted.",
               share=gang_most_f / gang_least_f, wanted=ratio)
        )  # fmt: skip
    coil = 1.0 / ((2.0 * math.pi * low_hz) ** 2 * (gang_most_f + trimmer))
    points = points_hz or tracking_points(low_hz, high_hz)
    gang = [1.0 / ((2.0 * math.pi * f) ** 2 * coil) - trimmer for f in points]
    squared = [(2.0 * math.pi * (f + if_hz)) ** 2 for f in points]

    def left(own: Floats) -> tuple[Floats, Floats, Floats]:
        """(miss at the third point, 1/padder, coil) with these oscillator trimmers."""
        a, b, c = (1.0 / (g + own) for g in gang)
        henry = (a - b) / (squared[0] - squared[1])
        inverse = henry * squared[0] - a
        return henry * squared[2] - c - inverse, inverse, henry

    trial = np.linspace(-0.9 * gang_least_f, 4.0 * gang_most_f, 4000)
    miss = left(trial)[0]
    for n in np.flatnonzero(miss[:-1] * miss[1:] < 0):
        own = float(brentq(lambda t: float(left(np.array([t]))[0][0]), trial[n], trial[n + 1], xtol=1e-22))
        _, inverse, henry = (float(x[0]) for x in left(np.array([own])))
        if inverse > 0 and henry > 0:
            return Tracking(henry, 1.0 / inverse, own, coil, trimmer, points, if_hz)
    raise EntryError(tr("No coil, padder and trimmer track there."))


def best_tracking(low_hz: float, high_hz: float, if_hz: float, gang_least_f: float, gang_most_f: float) -> Tracking:
    """The parts whose largest error, as a share of the frequency, is least over the band: it is what the signal circuit loses that counts.
    Raises EntryError where no parts track."""
    hz = np.linspace(low_hz, high_hz, 401)
    begin = three_points(low_hz, high_hz, if_hz, gang_least_f, gang_most_f)

    def made(x: Floats) -> Tracking:
        coil, padder, trimmer = (float(v) for v in np.exp(x))
        return replace(begin, coil_h=coil, padder_f=padder, trimmer_f=trimmer)

    def worst(x: Floats) -> float:
        return float(np.abs(made(x).error_hz(hz) / hz).max())

    at: Floats = np.log(np.array([begin.coil_h, begin.padder_f, max(begin.trimmer_f, 1e-13)]))
    for size in (0.1, 0.03, 0.01, 0.003):
        # Begun anew from where it came to: the corner of a largest error stops a simplex too early.
        options: Any = {
            "initial_simplex": np.vstack([at, at + size * np.eye(3)]),
            "xatol": 1e-7,
            "fatol": 1e-9,
            "maxiter": 600,
        }
        at = np.asarray(minimize(worst, at, method="Nelder-Mead", options=options).x, np.float64)
    best = made(at)
    error = best.error_hz(hz)
    crossed = np.flatnonzero(error[:-1] * error[1:] < 0)
    if crossed.size != 3:
        return begin
    points = [float(brentq(lambda f: float(best.error_hz(np.array([f]))[0]), hz[n], hz[n + 1])) for n in crossed]
    return replace(best, points_hz=(points[0], points[1], points[2]))


def mistuned_loss_db(error_hz: Floats, hz: Floats, q: float) -> Floats:
    """What the signal circuit loses where it stands ``error_hz`` beside the station (dB): 10·lg(1 + (2Q·Δf/f)²)."""
    return np.asarray(10.0 * np.log10(1.0 + (2.0 * q * error_hz / hz) ** 2))


def image_hz(hz: float, if_hz: float) -> float:
    """The frequency that the receiver hears as well, with its oscillator above the signal: twice the IF away."""
    return hz + 2.0 * if_hz


def image_db(hz: float, if_hz: float, q: float, circuits: int = 1) -> float:
    """How far the image is down behind so many signal circuits of that Q (dB): 10·lg(1 + Q²·(f'/f − f/f')²) each."""
    image = image_hz(hz, if_hz)
    return circuits * 10.0 * math.log10(1.0 + (q * (image / hz - hz / image)) ** 2)
