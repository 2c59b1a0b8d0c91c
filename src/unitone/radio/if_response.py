"""The response of an IF amplifier: one to three transformers of two coupled circuits each, peaked or staggered."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from unitone.errors import EntryError
from unitone.radio.resonance import pair_response
from unitone.words import tr

#: A pair is damped until it is coupled so far (in units of critical).
_DAMPED_COUPLING = 0.7
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Transformer:
    """Two coupled circuits: centre (Hz), Q of each (loaded), coupling in units of critical, and how far each stands off (Hz)."""

    centre_hz: float
    q: float
    coupling: float
    off_hz: tuple[float, float] = (0.0, 0.0)


def response_db(chain: Sequence[Transformer], offsets_hz: Floats) -> Floats:
    """Gain (dB, shape of ``offsets_hz``) at so many hertz beside the first transformer's centre, against all circuits tuned there.

    Each transformer passes (1+k²)/((1+jx₁)(1+jx₂)+k²), x = 2Q·Δf/f₀ (F. E. Terman, Radio Engineers' Handbook, 1943, section 3); their
    decibels add, with a valve or transistor between them.
    """
    total = np.zeros(offsets_hz.shape)
    for t in chain:
        half_width = t.centre_hz / (2.0 * t.q)
        shift = chain[0].centre_hz - t.centre_hz
        x = (offsets_hz + shift) / half_width
        passed = pair_response(x - t.off_hz[0] / half_width, x - t.off_hz[1] / half_width, t.coupling)
        total += 20.0 * np.log10(np.maximum(np.abs(passed), 1e-12))
    return total


@dataclass(frozen=True)
class Passband:
    """What a response passes: top (dB) and where (Hz off), widths under the top (Hz), humps, and the dip between them (dB; 0 for one)."""

    top_db: float
    top_hz: float
    widths_hz: tuple[tuple[float, float], ...]
    humps: int
    dip_db: float

    def width(self, down_db: float) -> float:
        """The width so many decibels under the top (Hz). Raises KeyError for one that was not asked."""
        return dict(self.widths_hz)[down_db]


def passband(chain: Sequence[Transformer], downs_db: Sequence[float] = (3.0, 6.0, 20.0, 40.0, 60.0)) -> Passband:
    """What these circuits pass. Raises EntryError for circuits so far apart that nothing is in common."""
    span = max(t.centre_hz / t.q for t in chain)
    edge = 4.0 * span * 10.0 ** (max(downs_db) / 40.0 / len(chain))
    hz = np.linspace(-edge, edge, 40_001)
    db = response_db(chain, hz)
    at = int(db.argmax())
    top = float(db[at])
    widths = []
    for down in downs_db:
        inside = np.flatnonzero(db >= top - down)
        if inside[0] == 0 or inside[-1] == hz.size - 1:
            raise EntryError(tr("The circuits stand too far apart to be one passband."))
        widths.append((down, _crossing(hz, db, inside[-1], top - down) - _crossing(hz, db, inside[0] - 1, top - down)))
    peaks = [n for n in range(1, hz.size - 1) if db[n] > db[n - 1] and db[n] >= db[n + 1] and db[n] > top - 20.0]
    dip = top - float(db[peaks[0] : peaks[-1] + 1].min()) if len(peaks) > 1 else 0.0
    # What no instrument shows is no hump.
    humps = len(peaks) if dip > 0.05 else 1
    return Passband(top, float(hz[at]), tuple(widths), humps, dip if humps > 1 else 0.0)


def _crossing(hz: Floats, db: Floats, n: int, level: float) -> float:
    """Where the response crosses a level between two points (Hz)."""
    share = (level - db[n]) / (db[n + 1] - db[n])
    return float(hz[n] + share * (hz[n + 1] - hz[n]))


def critical_coupling(q: float) -> float:
    """The coupling coefficient at which one hump just becomes two: 1/Q for two circuits of the same Q (Terman, section 3)."""
    return 1.0 / q


def damping_ohm(centre_hz: float, q: float, coupling: float, farad: float) -> float | None:
    """The resistor (Ω) across one winding of an over-coupled pair that leaves a single peak for the other; None where it has one anyway.

    Critical coupling is 1/√(Q₁Q₂) (F. E. Terman, Radio Engineers' Handbook, 1943, section 3), so a winding damped to Q₂ leaves k·√(Q₂/Q)
    of it; brought down to 0.7 the top is single and sharp enough. A resistor R across C makes 1/Q₂ = 1/Q + 1/(ωCR). Raises ValueError for
    what is not above zero.
    """
    if not (centre_hz > 0 and q > 0 and coupling > 0 and farad > 0):
        raise ValueError("frequency, Q, coupling and capacitance are above zero")
    if coupling <= 1.0:
        return None
    damped = q * (_DAMPED_COUPLING / coupling) ** 2
    return 1.0 / (2.0 * math.pi * centre_hz * farad * (1.0 / damped - 1.0 / q))


def hump_apart_hz(centre_hz: float, q: float, coupling: float) -> float:
    """How far the two humps of an over-coupled pair stand apart (Hz): f₀/Q·√(k²−1); zero for one hump (Terman, section 3)."""
    return centre_hz / q * math.sqrt(coupling**2 - 1.0) if coupling > 1.0 else 0.0
