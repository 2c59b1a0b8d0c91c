"""Whether the picture is still the one that was taught: patches along the scale are compared with what they were, one by one."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from unitone.bench.camera.taught import Frame, Taught

#: Patches along the scale, their half side at the least (pixels), how far each is looked for, and where none fits how far all together are.
_PATCHES, _HALF_PX, _NEAR, _FAR = 20, 7, 2, 44
#: A patch of so little contrast (of 255) says nothing.
_PLAIN = 7.0
#: Fewer numbers than this are copied for one product of matrices.
_SMALL = 100_000
#: A patch fits from this correlation on; so many may be hidden; so far may they have moved (pixels).
_FITS, _HIDDEN, _MOVED_PX = 0.72, 0.34, 1.1
#: Found somewhere else, it must fit this well: anything may look a little like a tick.
_SURE = 0.86


class Watch:
    """Made from the frame of the teaching; ``beside`` says how far a place stands from the needle at an angle (pixels)."""

    def __init__(self, taught: Taught, frame: Frame, beside: Callable[[float, float, float], float]) -> None:
        self._beside = beside
        px, py = taught.pivot or (0.0, 0.0)
        angles, radii = taught.angles(), taught.radii()
        self._half = int(max(_HALF_PX, 0.045 * float(np.mean(radii))))
        grey = _grey(frame)
        #: Was much of the face white as it was taught?
        self.was_bright = float(np.mean(frame.max(axis=2) > 250)) > 0.2
        self._patches: list[tuple[int, int, NDArray[np.float32]]] = []
        order = np.argsort(angles)
        for angle in np.linspace(float(angles.min()), float(angles.max()), _PATCHES):
            r = float(np.interp(angle, angles[order], radii[order]))
            x, y = round(px + r * math.cos(angle)), round(py + r * math.sin(angle))
            margin = self._half + _NEAR
            if not (margin <= x < taught.width - margin and margin <= y < taught.height - margin):
                continue
            part = grey[y - self._half : y + self._half + 1, x - self._half : x + self._half + 1]
            if float(part.std()) > _PLAIN:
                self._patches.append((x, y, _normal(part)))

    def trouble(self, frame: Frame, angle: float | None) -> Literal["", "moved", "covered", "glare"]:
        """What became of the scale; patches under the needle do not count, those that nothing hides are told apart."""
        shifts, hidden, counted = [], 0, 0
        grey = _grey(frame)
        for x, y, patch in self._patches:
            if angle is not None and self._beside(x, y, angle) < self._half + 3:
                continue
            counted += 1
            found = self._nearby(grey, x, y, patch)
            if found is None:
                hidden += 1
            else:
                shifts.append(found)
        if counted < 4:
            return ""
        if hidden > _HIDDEN * counted:
            if self._elsewhere(grey):
                return "moved"
            return "glare" if self._dazzled(grey) else "covered"
        far = np.hypot(*np.array(shifts).T)
        return "moved" if float(np.median(far)) > _MOVED_PX or float(np.quantile(far, 0.8)) > 1.7 * _MOVED_PX else ""

    def _nearby(
        self, grey: NDArray[np.uint8], x: int, y: int, patch: NDArray[np.float32]
    ) -> tuple[float, float] | None:
        """How far the patch has moved (pixels right, down); None where it is not seen."""
        reach = self._half + _NEAR
        area = grey[y - reach : y + reach + 1, x - reach : x + reach + 1]
        fit = _correlation(area, patch)
        row, column = divmod(int(np.argmax(fit)), fit.shape[1])
        if fit[row, column] < _FITS:
            return None
        return column - _NEAR + _vertex(fit[row], column), row - _NEAR + _vertex(fit[:, column], row)

    def _elsewhere(self, grey: NDArray[np.uint8]) -> bool:
        """Do several patches fit somewhere else, as many as fit nowhere by chance?"""
        looked = self._patches[:: max(1, len(self._patches) // 10)]
        away = 0
        for x, y, patch in looked:
            top, left = max(0, y - self._half - _FAR), max(0, x - self._half - _FAR)
            area = grey[top : y + self._half + _FAR + 1, left : x + self._half + _FAR + 1]
            fit = _correlation(area, patch)
            row, column = divmod(int(np.argmax(fit)), fit.shape[1])
            far = math.hypot(left + column + self._half - x, top + row + self._half - y)
            away += bool(fit[row, column] > _SURE and far > _MOVED_PX)
        return away >= max(3, 0.4 * len(looked))

    def _dazzled(self, grey: NDArray[np.uint8]) -> bool:
        """Is much of the scale white?"""
        h = self._half
        white = [float(np.mean(grey[y - h : y + h + 1, x - h : x + h + 1] > 250)) for x, y, _ in self._patches]
        return float(np.mean(white)) > 0.15 and not self.was_bright


def _grey(frame: Frame) -> NDArray[np.uint8]:
    """Green: the eye's brightness comes mostly from there, and a view costs nothing."""
    made: NDArray[np.uint8] = frame[..., 1]
    return made


def _normal(part: NDArray[np.uint8]) -> NDArray[np.float32]:
    made = part.astype(np.float32) - np.float32(part.mean())
    made /= np.float32(np.linalg.norm(made) + 1e-6)
    return made


def _correlation(area: NDArray[np.uint8], patch: NDArray[np.float32]) -> NDArray[np.float32]:
    """Normalised correlation of the patch at every place of the area."""
    there = area.astype(np.float32)
    there -= there.mean()
    windows = np.lib.stride_tricks.sliding_window_view(there, patch.shape)
    product = (
        windows.reshape(-1, patch.size) @ patch.ravel()
        if windows.size < _SMALL
        else np.einsum("ijkl,kl->ij", windows, patch).ravel()
    )
    # Sums over every window at once, from running sums along both sides.
    total, square = _sums(there, patch.shape), _sums(there * there, patch.shape)
    spread = np.maximum(square - total**2 / patch.size, 1e-3)
    return np.asarray(product.reshape(spread.shape) / np.sqrt(spread), dtype=np.float32)


def _sums(area: NDArray[np.float32], shape: tuple[int, ...]) -> NDArray[np.float64]:
    """The sum of every window of that shape."""
    up = np.zeros((area.shape[0] + 1, area.shape[1] + 1))
    up[1:, 1:] = np.cumsum(np.cumsum(area, axis=0, dtype=float), axis=1)
    h, w = shape
    made: NDArray[np.float64] = up[h:, w:] - up[:-h, w:] - up[h:, :-w] + up[:-h, :-w]
    return made


def _vertex(line: NDArray[np.float32], at: int) -> float:
    """A parabola's top beside the highest of a line (samples)."""
    if not 0 < at < len(line) - 1:
        return 0.0
    left, middle, right = float(line[at - 1]), float(line[at]), float(line[at + 1])
    bend = left - 2 * middle + right
    return 0.0 if bend >= 0 else 0.5 * (left - right) / bend
