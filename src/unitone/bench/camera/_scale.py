"""What a direction of the needle means: how the needle moves with the value, seen at an angle, fitted to the taught marks.

A camera beside the face maps directions round the pivot by a matrix (perspective keeps the
pencil of lines through a point a pencil). A needle moves with a power of the value (straight,
root, square) or with the voltage of decibels. Both are fitted to the marks; what is left over is
interpolated. With fewer than four marks the value is interpolated over the angle as it is seen.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.optimize import least_squares

Numbers = NDArray[np.float64]
#: A click's error after it was snapped (pixels); how far a matrix is stretched or sheared by looking from beside; a power's spread (log).
_CLICK_PX, _STRETCH, _POWER = 0.35, 0.12, 0.35
#: Another law than the straight one must bring the sum of squares down to this share, and by so much.
_SHARE, _DROP = 0.5, 12.0
#: The model is right where it meets the marks this well (rms pixels, and pixels at the worst mark).
_RIGHT_PX, _WORST_PX = 0.6, 1.3


@dataclass(frozen=True)
class _Law:
    """Deflection (any straight measure of it) over the value, and back."""

    to: Callable[[Any], Any]
    back: Callable[[Any], Any]


def _power(p: float) -> _Law:
    return _Law(
        lambda v: np.sign(v) * np.abs(v) ** p,
        lambda t: np.sign(t) * np.abs(t) ** (1.0 / p),
    )


def _decibels(per_decade: float) -> _Law:
    return _Law(
        lambda v: 10.0 ** (np.clip(v, -400, 400) / per_decade),
        lambda t: per_decade * np.log10(np.maximum(t, 1e-40)),
    )


class Scale:
    """Value over the angle as it is seen. ``angles`` (rad) rise with the marks or fall, shape (marks,); so do ``values``."""

    def __init__(self, angles: Numbers, values: Numbers, radii: Numbers) -> None:
        """``radii``: distance of each mark from the pivot (pixels)."""
        self._middle = float(0.5 * (angles[0] + angles[-1]))
        self._fit: tuple[Numbers, float, float, _Law, float, float] | None = None
        order = np.argsort(angles)
        self._plain = PchipInterpolator(angles[order], values[order])
        self._left: PchipInterpolator | None = None
        if len(angles) > 3:
            self._model(angles, values, radii)

    def _model(self, angles: Numbers, values: Numbers, radii: Numbers) -> None:
        straight = self._fitted(angles, values, radii, _power(1.0), False)
        best = straight
        others = [self._fitted(angles, values, radii, _decibels(n), False) for n in (20.0, 10.0)]
        if len(angles) > 4 and values[0] >= 0:
            others.append(self._fitted(angles, values, radii, None, True))
        for other in others:
            if other is not None and (best is None or (other[0] < _SHARE * best[0] and best[0] - other[0] > _DROP)):
                best = other
        if best is None:
            return
        _, p, law, first, span = best
        back: Numbers = np.asarray(np.linalg.inv(_matrix(p)), dtype=np.float64)
        self._fit = (back, float(p[3]), float(p[4]), law, first, span)
        there = self._deflection(angles)
        miss = (law.to(values) - first) / span - there
        px = miss * abs(float(p[4])) * radii
        if math.sqrt(float(np.mean(px**2))) > _RIGHT_PX or float(np.max(np.abs(px))) > _WORST_PX:
            order = np.argsort(there)
            if np.all(np.diff(there[order]) > 0):
                self._left = PchipInterpolator(there[order], miss[order])
            else:
                self._fit = None

    def _fitted(
        self, angles: Numbers, values: Numbers, radii: Numbers, law: _Law | None, free: bool
    ) -> tuple[float, Numbers, _Law, float, float] | None:  # fmt: skip
        """(sum of squares, parameters, law, the law at the first mark, its span); None where these values cannot stand on such a scale."""
        about = angles - self._middle

        def parts(p: Numbers) -> tuple[_Law, Numbers, float, float]:
            one = law if law is not None else _power(math.exp(p[5]))
            made = one.to(values)
            first, span = float(made[0]), float(made[-1] - made[0])
            return one, (made - first) / span, first, span

        def misses(p: Numbers) -> Numbers:
            true = p[3] + p[4] * parts(p)[1]
            seen = np.stack((np.cos(true), np.sin(true)))
            x, y = _matrix(p) @ seen
            off = np.arctan2(y, x) - about
            off = (off + math.pi) % (2 * math.pi) - math.pi
            prior = [p[1] / _STRETCH, p[2] / _STRETCH, p[0] / 0.5]
            return np.concatenate((off * radii / _CLICK_PX, prior, [p[5] / _POWER] if free else []))

        with np.errstate(over="ignore", invalid="ignore"):
            trial = (law or _power(1.0)).to(values)
            if not np.all(np.isfinite(trial)) or not np.all(np.diff(trial) > 1e-9 * abs(trial[-1] - trial[0])):
                return None
            start = np.array([0.0, 0.0, 0.0, about[0], about[-1] - about[0]] + ([0.0] if free else []))
            found = least_squares(misses, start, max_nfev=200)
            if not np.all(np.isfinite(found.x)):
                return None
            one, _, first, span = parts(found.x)
        return 2.0 * float(found.cost), found.x, one, first, span

    def _deflection(self, angles: Numbers) -> Numbers:
        """Share of the scale by the model."""
        assert self._fit is not None
        back, first, sweep, *_ = self._fit
        about = angles - self._middle
        x, y = back @ np.stack((np.cos(about), np.sin(about)))
        # The matrix turns by little: the branch is that of the angle as it is seen.
        true = np.arctan2(y, x)
        true = true + 2 * math.pi * np.round((about - true) / (2 * math.pi))
        made: Numbers = (true - first) / sweep
        return made

    def __call__(self, angle: float) -> float:
        """The value at an angle between the marks."""
        if self._fit is None:
            return float(self._plain(angle))
        share = float(self._deflection(np.array([angle]))[0])
        if self._left is not None:
            share += float(self._left(share))
        _, _, _, law, first, span = self._fit
        return float(law.back(first + span * share))


def _matrix(p: Numbers) -> Numbers:
    """How directions in the face become directions in the picture: turned, stretched, sheared."""
    c, s = math.cos(p[0]), math.sin(p[0])
    made: Numbers = np.array([[c, -s], [s, c]]) @ np.array([[math.exp(p[1]), p[2]], [0.0, math.exp(-p[1])]])
    return made
