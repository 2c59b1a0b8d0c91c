"""Drawn meters: true perspective, the needle where the value is, what spoils a picture, the same picture for a seed."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from unitone.simulator.led_picture import LedRow
from unitone.simulator.meter_picture import FACES, SINAD_FACE, Face, Meter, View


def through_a_pinhole(point_mm: tuple[float, float], height_mm: float, view: View) -> tuple[float, float]:
    """Where a point of the face is in the picture, by matrices: turned about an axis in the face, rolled, seen from 300 mm."""
    tilt, az, roll = (math.radians(v) for v in (view.tilt_deg, view.azimuth_deg, view.roll_deg))

    def about_z(a: float) -> np.ndarray:
        return np.array([[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1.0]])

    lean = np.array([[math.cos(tilt), 0, math.sin(tilt)], [0, 1.0, 0], [-math.sin(tilt), 0, math.cos(tilt)]])
    p = np.array([point_mm[0] - 55.0, point_mm[1] - 42.0, height_mm])
    x, y, z = about_z(roll) @ about_z(az) @ lean @ about_z(-az) @ p
    scale = view.zoom * 640 / 110.0 * 300.0 / (300.0 - z)
    return 320 + view.shift[0] + scale * x, 240 + view.shift[1] + scale * y


@pytest.mark.parametrize("tilt", [0.0, 12.0, 35.0])
@pytest.mark.parametrize("azimuth", [0.0, 77.0, 260.0])
def test_the_perspective_is_that_of_a_pinhole(tilt: float, azimuth: float) -> None:
    view = View(tilt, azimuth, 5.0, 0.9, (7.0, -4.0))
    points = np.array([[10.0, 8.0], [55.0, 42.0], [100.0, 70.0]])
    for height in (0.0, 2.5):
        seen = view.places(points, height)
        for point, place in zip(points, seen, strict=True):
            assert tuple(place) == pytest.approx(through_a_pinhole(tuple(point), height, view), abs=1e-6)


@pytest.mark.parametrize("face", [*FACES, SINAD_FACE], ids=lambda f: f.kind)
def test_the_scale_runs_one_way_and_back_again(face: Face) -> None:
    shares = np.linspace(0.0, 1.0, 41)
    values = [face.value(float(s)) for s in shares]
    assert all(b > a for a, b in zip(values, values[1:], strict=False))
    assert [face.share(v) for v in values] == pytest.approx(list(shares), abs=1e-9)
    assert face.marks[0] == pytest.approx(face.low) and face.marks[-1] == pytest.approx(face.high)
    assert all(b > a for a, b in zip(face.marks, face.marks[1:], strict=False))


@pytest.mark.parametrize("share", [0.1, 0.5, 0.88])
def test_the_needle_stands_where_its_value_is(share: float) -> None:
    meter = Meter(replace(FACES[0], band=None), View(noise=0.0, blur=0.0, shadow=0.0))
    with_needle = meter.picture(meter.face.value(share)).astype(float)
    without = Meter(replace(meter.face, width_mm=0.0), meter.view).picture(0.0).astype(float)
    rows, columns = np.nonzero(np.abs(with_needle - without).sum(axis=2) > 90)
    px, py = meter.pivot()
    far = np.hypot(columns - px, rows - py) > 120
    angles = np.arctan2(columns[far] + 0.5 - px, py - rows[far] - 0.5)
    assert float(np.median(angles)) == pytest.approx(meter.face.angle(share), abs=0.004)


def test_a_picture_is_that_of_its_seed_and_only_round_the_needle_it_changes() -> None:
    meter = Meter(FACES[4], View(15.0, 40.0, noise=3.0))
    first = meter.picture(5.0, 7)
    assert np.array_equal(first, meter.picture(5.0, 7)) and not np.array_equal(first, meter.picture(5.0, 8))
    clean = Meter(FACES[4], View(15.0, 40.0, noise=0.0))
    low, high = clean.picture(1.0).astype(int), clean.picture(28.0).astype(int)
    changed = np.nonzero(np.abs(low - high).sum(axis=2) > 12)
    # Two needles: nothing left of the one or right of the other, nothing on the face's edge.
    assert changed[1].min() > 60 and changed[1].max() < 600 and changed[0].min() > 30
    fresh = Meter(FACES[4], View(15.0, 40.0, noise=0.0)).picture(28.0)
    assert np.array_equal(fresh, clean.picture(28.0))


def test_a_needle_above_the_face_is_seen_beside_its_mark_from_beside() -> None:
    straight = Meter(FACES[0], View(0.0, 0.0, height_mm=3.0))
    aside = Meter(FACES[0], View(30.0, 0.0, height_mm=3.0))
    on_face = Meter(FACES[0], View(30.0, 0.0, height_mm=0.0))
    assert straight.pivot()[0] == pytest.approx(320.0, abs=0.5)
    assert abs(aside.pivot()[0] - on_face.pivot()[0]) > 5.0


def test_light_glare_and_a_hand_are_seen() -> None:
    view = View(noise=0.0, gradient=(0.6, 0.0))
    plain = Meter(FACES[0], view).picture(3.0).astype(float)
    assert plain[240, 620].mean() > plain[240, 40].mean() * 1.2
    glare = Meter(FACES[0], replace(view, glare=((200.0, 150.0, 30.0, 200.0),))).picture(3.0)
    assert glare[150, 200].min() > 250
    hand = Meter(
        FACES[0], replace(view, gradient=(0.0, 0.0), hand=((100, 100), (300, 100), (300, 300), (100, 300)))
    ).picture(3.0)
    assert tuple(int(v) for v in hand[200, 200]) == pytest.approx((172, 128, 104), abs=3)


@pytest.mark.parametrize("seed", range(4))
def test_a_lit_led_is_brighter_than_the_same_one_dark(seed: int) -> None:
    row = LedRow.of(np.random.default_rng(seed))
    dark, lit = row.picture(0).astype(float), row.picture(row.count).astype(float)
    for x, y in row.places():
        spot = np.s_[round(y) - 2 : round(y) + 3, round(x) - 2 : round(x) + 3]
        assert lit[spot].max(axis=2).mean() > dark[spot].max(axis=2).mean() + 40
    half = row.picture(row.count // 2)
    assert half.shape == (480, 640, 3) and np.array_equal(half, row.picture(row.count // 2))
