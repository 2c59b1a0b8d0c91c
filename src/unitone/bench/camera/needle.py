"""The needle in a frame: rays from the pivot, the one that stands out along its whole length, a line through it, the value where it meets the scale.

Perspective needs no model: straight lines through the pivot stay straight lines through it, and the
marks say which direction is which value. Print covers a few radii of a ray, the needle nearly all.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.ndimage import uniform_filter1d

from unitone.bench.camera._scale import Scale
from unitone.bench.camera._watch import Watch
from unitone.bench.camera.pixels import Numbers, Sampler
from unitone.bench.camera.taught import Frame, Mark, Taught
from unitone.errors import BenchError
from unitone.words import tr

#: Why a frame gives no reading.
Trouble = Literal["", "moved", "covered", "glare", "no needle", "two needles", "size"]

#: Rays: about one in so many pixels along the scale; radii on each; the part of the radius that a needle is looked for in.
_RAY_PX, _RADII, _INNER, _OUTER = 0.8, 44, 0.42, 0.96
#: So much of the scale's length beside its ends is looked at, too: a pegged needle stands there.
_BESIDE = 0.07
#: What stands out is held against a mean so wide (pixels, and share of the scale's length).
_MEAN_PX, _MEAN_SHARE = 15.0, 0.16
#: A ray is judged by this part of its radii that stands out least: print covers fewer, the needle more.
_QUANTILE = 0.3
#: A needle's contrast at the least (of 255), against what it was as it was taught, and against the next best ray.
_CONTRAST, _LIKE_TAUGHT, _RIVAL = 9.0, (0.38, 2.6), 0.72
#: The share of radii that must show the needle, of all and of each half.
_SHOWN, _SHOWN_HALF = 0.62, 0.4
#: A click's error (pixels): the line may pass the pivot by so much.
_CLICK_PX = 0.8
_SATURATED = 250.0


@dataclass(frozen=True)
class Seen:
    """What a frame shows: the value (canonical unit) with its doubt (one standard deviation), or why there is none."""

    value: float | None
    doubt: float = 0.0
    trouble: Trouble = ""
    #: Beyond the first or the last mark: "<" or ">".
    bound: Literal["", "<", ">"] = ""
    #: Where along the scale, 0 at the first mark, 1 at the last.
    place: float = 0.0


@dataclass(frozen=True)
class _Look:
    """What is known of the needle since it was taught: dark or bright against the face, its contrast, its half width (pixels)."""

    dark: bool
    contrast: float
    half_px: float


class NeedleReader:
    """Reads a taught needle. Made from the frame that it was taught in, in which the needle stands anywhere on the scale."""

    def __init__(self, taught: Taught, frame: Frame) -> None:
        """Raises BenchError where the frame shows no needle between the marks, or is not of the taught size."""
        self.taught = taught = snapped(taught.checked(), frame)
        if frame.shape[:2] != (taught.height, taught.width):
            raise BenchError(tr("The picture has another size than the meter was taught in. Teach it again."))
        px, py = taught.pivot or (0.0, 0.0)
        angles, radii = taught.angles(), taught.radii()
        self._rising = bool(angles[-1] > angles[0])
        order = slice(None) if self._rising else slice(None, None, -1)
        self._law = Scale(angles, np.array([m.value for m in taught.marks]), radii)
        self._ends = float(angles[order][0]), float(angles[order][-1])
        reach = PchipInterpolator(angles[order], radii[order]) if len(radii) > 2 else None
        length = self._ends[1] - self._ends[0]
        mean_radius = float(np.mean(radii))
        count = int(np.clip(length * (1 + 2 * _BESIDE) * mean_radius / _RAY_PX, 240, 1100))
        self._rays = np.linspace(self._ends[0] - _BESIDE * length, self._ends[1] + _BESIDE * length, count)
        inside = np.clip(self._rays, *self._ends)
        self._radius = np.asarray(
            reach(inside) if reach is not None else np.interp(inside, angles[order], radii[order]), dtype=float
        )
        self._parts = np.linspace(_INNER, _OUTER, _RADII)
        r = self._parts[:, None] * self._radius[None, :]
        self._sampler = Sampler(
            px + r * np.cos(self._rays), py + r * np.sin(self._rays), taught.width, taught.height
        )  # rows: radii, columns: rays
        self._step = float(self._rays[1] - self._rays[0])
        self._px_per_ray = self._step * mean_radius
        self._mean = max(3, round(max(_MEAN_PX, _MEAN_SHARE * length * mean_radius) / self._px_per_ray)) | 1
        self._look: _Look | None = None
        self._print: Numbers | None = None
        self._first(frame)
        self._watch = Watch(taught, frame, self._pivot_distance)

    def _first(self, frame: Frame) -> None:
        """Which ray is the needle as it is taught, and how it looks."""
        dark, bright = self._sampler.planes(frame)
        best: tuple[float, bool, int] | None = None
        for is_dark, plane in ((True, dark), (False, bright)):
            score = self._scores(self._standing_out(plane, is_dark))
            at = int(np.argmax(score))
            if best is None or score[at] > best[0]:
                best = (float(score[at]), is_dark, at)
        assert best is not None
        contrast, is_dark, at = best
        if contrast < _CONTRAST:
            raise BenchError(
                tr(
                    "No needle is seen between the marks. Bring its whole length into the picture, with more light from the side."
                )
            )
        out = self._standing_out(dark if is_dark else bright, is_dark)
        across = np.median(out[:, max(0, at - 40) : at + 41], axis=0)
        middle = min(at, 40)
        half = int(np.count_nonzero(across[middle - min(12, middle) : middle + 13] > 0.5 * across[middle]))
        self._look = _Look(is_dark, contrast, max(0.8, 0.5 * half * self._px_per_ray))
        fine = self._refined(out, at)
        if fine is None or fine[2] < _SHOWN or min(fine[3]) < _SHOWN_HALF:
            raise BenchError(
                tr(
                    "No needle is seen between the marks. Bring its whole length into the picture, with more light from the side."
                )
            )
        shade = self._scores(out)
        near = np.abs(np.arange(len(shade)) - at) * self._px_per_ray < 4.0 * self._look.half_px + 6.0
        shade[near] = 0.0
        #: What print and shadows do to the rays; the needle is more.
        self._print = np.maximum(shade, 0.0)

    def _pivot_distance(self, x: float, y: float, angle: float) -> float:
        """How far a place stands beside the needle at that angle (pixels)."""
        px, py = self.taught.pivot or (0.0, 0.0)
        return abs((y - py) * math.cos(angle) - (x - px) * math.sin(angle))

    def _standing_out(self, plane: Numbers, dark: bool) -> Numbers:
        """How much each sample stands out from its neighbours along the scale, at the same radius."""
        about: Numbers = uniform_filter1d(plane, self._mean, axis=1, mode="nearest")
        return about - plane if dark else plane - about

    def _scores(self, out: Numbers) -> Numbers:
        """How much each ray stands out at nearly all of its radii."""
        k = int(_QUANTILE * _RADII)
        made: Numbers = np.partition(out, k, axis=0)[k]
        smooth: Numbers = uniform_filter1d(made, 3, mode="nearest")
        return smooth

    def read(self, frame: Frame) -> Seen:
        """One frame."""
        look, printed = self._look, self._print
        if look is None or printed is None or frame.shape[:2] != (self.taught.height, self.taught.width):
            return Seen(None, trouble="size")
        dark, bright = self._sampler.planes(frame)
        out = self._standing_out(dark if look.dark else bright, look.dark)
        score = self._scores(out)
        above = score - 0.8 * printed
        at = int(np.argmax(above))
        fine = self._refined(out, at)
        trouble = self._watch.trouble(frame, None if fine is None else fine[0])
        if trouble:
            return Seen(None, trouble=trouble)
        glare = float(np.mean(bright > _SATURATED)) > 0.25 and not self._watch.was_bright
        low, high = _LIKE_TAUGHT
        if fine is None or not low * look.contrast <= score[at] <= high * look.contrast or score[at] < _CONTRAST:
            return Seen(None, trouble="glare" if glare else "no needle")
        angle, spread_px, shown, halves = fine
        apart = np.abs(np.arange(len(above)) - at) * self._px_per_ray > 3.0 * look.half_px + 5.0
        if shown < _SHOWN or min(halves) < _SHOWN_HALF:
            return Seen(None, trouble="glare" if glare else "no needle")
        if np.any(apart) and float(np.max(above[apart])) > _RIVAL * float(above[at]):
            return Seen(None, trouble="two needles")
        return self._seen(angle, spread_px)

    def _seen(self, angle: float, spread_px: float) -> Seen:
        first, last = self._ends
        radius = float(np.interp(angle, self._rays, self._radius))
        # Marks are snapped to about a third of a pixel.
        doubt_rad = math.hypot(spread_px, 0.3) / radius
        values = self.taught.marks[0].value, self.taught.marks[-1].value
        place = (angle - first) / (last - first)
        place = place if self._rising else 1.0 - place
        if place < -0.012 or place > 1.012:
            return Seen(values[0] if place < 0 else values[1], bound="<" if place < 0 else ">", place=place)
        inside = min(max(angle, first), last)
        value = self._law(inside)
        slope = abs(self._law(min(inside + doubt_rad, last)) - self._law(max(inside - doubt_rad, first))) / 2
        return Seen(min(max(value, values[0]), values[1]), slope, place=place)

    def _refined(self, out: Numbers, at: int) -> tuple[float, float, float, tuple[float, float]] | None:
        """(angle where the needle's line meets the scale, its doubt in pixels, share of radii that show it, and of each half).

        The line passes the clicked pivot by at most a click's error: angle(r) = a + c·(1/r − 1/R), least squares with that prior on c.
        """
        look = self._look
        if look is None:
            return None
        window = max(3, round((2.2 * look.half_px + 2.5) / self._px_per_ray))
        low, high = max(0, at - window), min(out.shape[1], at + window + 1)
        part = out[:, low:high]
        if part.shape[1] < 3:
            return None
        peak = part.max(axis=1)
        floor = np.minimum(part[:, :1], part[:, -1:])
        # Above the half of what stands highest: a shadow beside the needle is less than half, and drops out.
        height = peak - floor[:, 0]
        over = np.maximum(part - (floor + 0.5 * height[:, None]), 0.0)
        total = over.sum(axis=1)
        good = (peak > 0.45 * look.contrast) & (total > 0)
        if np.count_nonzero(good) < 8:
            return None
        place = (over @ self._rays[low:high]) / np.maximum(total, 1e-9)
        radius = float(self._radius[at])
        r = self._parts * radius
        lever = 1.0 / r - 1.0 / radius
        weight = good.astype(float)
        angle, offset = float(np.median(place[good])), 0.0
        scale_px = 1.0
        for _ in range(5):
            beside = (place - angle - offset * lever) * r
            scale_px = max(0.08, 1.4826 * float(np.median(np.abs(beside[good]))))
            # Tukey's biweight: print that the needle crosses pulls at a few radii, and is left out.
            u = np.clip(beside / (4.7 * scale_px), -1, 1)
            weight = good * (1 - u**2) ** 2 * (r / radius) ** 2
            a11, a12, a22 = weight.sum(), (weight * lever).sum(), (weight * lever**2).sum()
            # The prior in the same units: residuals are angles, about scale_px / radius each.
            a22 += (scale_px / radius) ** 2 / _CLICK_PX**2
            b1, b2 = (weight * place).sum(), (weight * lever * place).sum()
            det = a11 * a22 - a12 * a12
            if det <= 0:
                return None
            angle, offset = (b1 * a22 - b2 * a12) / det, (a11 * b2 - a12 * b1) / det
        fits = good & (np.abs((place - angle - offset * lever) * r) < max(1.2, 1.2 * look.half_px))
        half = _RADII // 2
        shares = float(np.mean(fits[:half])), float(np.mean(fits[half:]))
        doubt = scale_px * math.sqrt(a22 / det) if det > 0 else scale_px
        return angle, doubt, float(np.mean(fits)), shares


#: A click is looked for so far along the scale (pixels); the printed mark is looked at so far to both sides of it along the radius.
_SNAP_PX, _TICK_PX = 4.0, 5.0


def snapped(taught: Taught, frame: Frame) -> Taught:
    """Marks moved along the scale onto the printed ticks that were meant; where no tick stands out, the click stays."""
    if taught.face != "needle" or taught.pivot is None:
        return taught
    px, py = taught.pivot
    moved = []
    beside = np.arange(-2 * _SNAP_PX, 2 * _SNAP_PX + 0.1, 0.25)
    for mark in taught.marks:
        radius = math.hypot(mark.x - px, mark.y - py)
        ux, uy = (mark.x - px) / radius, (mark.y - py) / radius
        along = np.arange(-_TICK_PX, _TICK_PX + 0.1, 1.0)
        x = mark.x + along[:, None] * ux - beside[None, :] * uy
        y = mark.y + along[:, None] * uy + beside[None, :] * ux
        dark, bright = Sampler(x, y, taught.width, taught.height).planes(frame)
        shift = _tick(np.median(dark, axis=0), np.median(bright, axis=0), beside)
        moved.append(Mark(mark.x - shift * uy, mark.y + shift * ux, mark.value))
    made = Taught(taught.name, taught.quantity, taught.face, tuple(moved), taught.pivot, taught.width, taught.height)
    return made.checked()


def _tick(dark: Numbers, bright: Numbers, beside: NDArray[np.float64]) -> float:
    """Where the tick stands beside the click (pixels along the scale); 0 where none does."""
    best, shift = 0.0, 0.0
    near = np.abs(beside) <= _SNAP_PX
    for profile in (np.median(dark) - dark, bright - np.median(bright)):
        at = int(np.argmax(np.where(near, profile, -1e9)))
        height = float(profile[at])
        noise = 1.4826 * float(np.median(np.abs(np.diff(profile)))) + 2.0
        if height > 5.0 * noise and height > best:
            low, high = max(0, at - 10), at + 11
            over = np.maximum(profile[low:high] - 0.5 * height, 0.0)
            # Only the hump at hand: what lies beyond a dip is the next tick.
            middle = at - low
            left = middle - int(np.argmin(over[middle::-1] > 0)) if np.any(over[middle::-1] <= 0) else -1
            right = middle + int(np.argmin(over[middle:] > 0)) if np.any(over[middle:] <= 0) else len(over)
            over[: left + 1] = 0.0
            over[right:] = 0.0
            best, shift = height, float((over @ beside[low:high]) / max(over.sum(), 1e-9))
    return shift
