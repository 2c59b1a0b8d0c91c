"""What the camera's reading rests on, against SciPy and against plain geometry."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter, map_coordinates
from scipy.signal import correlate2d

from unitone.bench.camera import _watch
from unitone.bench.camera._scale import Scale
from unitone.bench.camera.needle import snapped
from unitone.bench.camera.pixels import Sampler
from unitone.bench.camera.taught import Mark, Taught


def noisy(seed: int, height: int = 120, width: int = 160) -> np.ndarray:
    rng = np.random.default_rng(seed)
    smooth = gaussian_filter(rng.uniform(0, 255, (height, width, 3)), (2, 2, 0))
    return np.clip(smooth, 0, 255).astype(np.uint8)


@pytest.mark.parametrize("seed", range(3))
def test_samples_between_pixels_are_scipys(seed: int) -> None:
    """scipy.ndimage.map_coordinates, order 1."""
    frame = noisy(seed)
    rng = np.random.default_rng(seed + 100)
    x, y = rng.uniform(5, 150, (7, 40)), rng.uniform(5, 110, (7, 40))
    dark, bright = Sampler(x, y, 160, 120).planes(frame)
    for plane, wanted in ((frame.min(axis=2), dark), (frame.max(axis=2), bright)):
        expected = map_coordinates(plane.astype(float), [y, x], order=1)
        assert np.allclose(wanted, expected, atol=0.02)


@pytest.mark.parametrize("side", [9, 15, 21])
def test_a_patch_correlates_as_scipys(side: int) -> None:
    """Normalised correlation from scipy.signal.correlate2d and direct standard deviations."""
    frame = noisy(5)[..., 1]
    patch = _watch._normal(frame[40 : 40 + side, 60 : 60 + side])
    area = frame[30 : 50 + side, 50 : 75 + side]
    found = _watch._correlation(area, patch)
    product = correlate2d(area.astype(float), patch.astype(float), "valid")
    spread = np.array(
        [
            [np.linalg.norm(window - window.mean()) for window in row]
            for row in np.lib.stride_tricks.sliding_window_view(area.astype(float), patch.shape)
        ]
    )
    assert np.allclose(found, product / spread, atol=2e-3)
    assert np.unravel_index(int(np.argmax(found)), found.shape) == (10, 10)
    assert found.max() == pytest.approx(1.0, abs=1e-4)


def test_the_top_of_three_samples_is_the_parabolas() -> None:
    at = np.arange(5.0)
    for top in (1.7, 2.0, 2.45):
        line = (10.0 - (at - top) ** 2).astype(np.float32)
        n = int(np.argmax(line))
        assert n + _watch._vertex(line, n) == pytest.approx(top, abs=1e-5)


LAWS = {
    "straight": (lambda s: 10.0 * s, (0.0, 2.0, 4.0, 6.0, 8.0, 10.0)),
    "power on a voltmeter": (lambda s: 30.0 * s**2, (0.0, 1.0, 3.0, 5.0, 10.0, 20.0, 30.0)),
    "S-units": (lambda s: 12.0 * s ** (1 / 0.75), (0.0, 1.0, 3.0, 5.0, 7.0, 9.0, 12.0)),
    "decibels": (
        lambda s: 20.0 * math.log10(0.1 + s * (10 ** (3 / 20) - 0.1)),
        (-20.0, -10.0, -7.0, -5.0, -3.0, -1.0, 0.0, 1.0, 3.0),
    ),
}


@pytest.mark.parametrize("name", LAWS)
@pytest.mark.parametrize("tilt", [0.0, 20.0, 35.0])
@pytest.mark.parametrize("clockwise", [True, False])
def test_every_usual_scale_is_read_between_its_marks(name: str, tilt: float, clockwise: bool) -> None:
    """Directions of a plane seen from beside: a matrix, from the definition of parallel projection."""
    law, marks = LAWS[name]
    turn = np.array([[math.cos(0.9), -math.sin(0.9)], [math.sin(0.9), math.cos(0.9)]])
    squeeze = turn @ np.diag([math.cos(math.radians(tilt)), 1.0]) @ turn.T
    shares = np.linspace(0.0, 1.0, 2001)
    table = np.array([law(float(s)) for s in shares])

    def seen(share: float) -> tuple[float, float]:
        sweep = math.radians(95.0)
        true = math.radians(-137.0) + (share if clockwise else 1.0 - share) * sweep
        d = squeeze @ np.array([math.cos(true), math.sin(true)])
        return math.atan2(d[1], d[0]), 210.0 * float(np.hypot(*d))

    at = [seen(float(np.interp(m, table, shares))) for m in marks]
    scale = Scale(np.array([a for a, _ in at]), np.array(marks), np.array([r for _, r in at]))
    for share in np.linspace(0.02, 0.98, 33):
        told = float(np.interp(scale(seen(float(share))[0]), table, shares))
        assert told == pytest.approx(share, abs=0.003)


@pytest.mark.parametrize("count", [2, 3])
def test_two_or_three_marks_are_interpolated_over_the_angle(count: int) -> None:
    angles = np.linspace(-2.2, -0.9, count)
    values = np.linspace(0.0, 30.0, count)
    scale = Scale(angles, values, np.full(count, 200.0))
    for angle, value in zip(np.linspace(-2.2, -0.9, 9), np.linspace(0.0, 30.0, 9), strict=True):
        assert scale(float(angle)) == pytest.approx(value, abs=1e-6)


@pytest.mark.parametrize("ink", [20, 235])
def test_a_click_beside_a_tick_is_taken_for_the_tick(ink: int) -> None:
    frame = np.full((480, 640, 3), 128, np.uint8)
    pivot = (320.0, 420.0)
    true = [math.radians(a) for a in (-140, -110, -80, -50)]
    y, x = np.mgrid[0:480, 0:640]
    for angle in true:
        along = (x - pivot[0]) * math.cos(angle) + (y - pivot[1]) * math.sin(angle)
        beside = -(x - pivot[0]) * math.sin(angle) + (y - pivot[1]) * math.cos(angle)
        frame[(np.abs(beside) < 1.6) & (along > 240) & (along < 262)] = ink
    off = (2.4, -3.0, 1.1, -1.8)
    marks = tuple(
        Mark(pivot[0] + 250 * math.cos(a) - o * math.sin(a), pivot[1] + 250 * math.sin(a) + o * math.cos(a), float(n))
        for n, (a, o) in enumerate(zip(true, off, strict=True))
    )
    made = snapped(Taught("m", "supply.rail", "needle", marks, pivot), frame)
    assert list(made.angles()) == pytest.approx(true, abs=0.3 / 250)
    # Where nothing is printed, the click stays where it was.
    blank = snapped(Taught("m", "supply.rail", "needle", marks, pivot), np.full((480, 640, 3), 128, np.uint8))
    assert [(m.x, m.y) for m in blank.marks] == [(m.x, m.y) for m in marks]
