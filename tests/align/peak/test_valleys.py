"""A detector's wrong valley: which readings are of the lowest one, and where a lower one is looked for."""

from __future__ import annotations

from unitone.align.peak._valleys import next_place, own_valley
from unitone.align.peak.hill import Point
from unitone.sheet.model.sheet import TURN, Adjuster

CORE = Adjuster("T9", "core", "", None, "", 12 * TURN, True, 22_500, ())


def point(turns: float, percent_db: float) -> Point:
    return Point(turns, -percent_db, 0.1)


def test_readings_beyond_a_ridge_are_of_another_valley() -> None:
    # Distortion in dB over 1 %: a valley of 14 dB, a ridge of 36 dB, and a flank of 4 dB behind it that is the lowest.
    points = [point(0.0, 14.0), point(0.25, 17.0), point(-0.25, 17.0), point(-0.8, 36.0), point(-1.2, 16.0)]
    assert own_valley(points) == points[:4]
    points.append(point(-1.7, 4.0))
    assert own_valley(points) == points[3:]
    assert own_valley(points[:3]) == points[:3], "no ridge, one valley"


def test_it_is_looked_for_outwards_to_the_end_on_the_falling_side_and_then_on_the_other() -> None:
    points = [point(0.0, 14.0), point(0.25, 17.0), point(-0.8, 36.0), point(-1.2, 16.0)]
    seen = []
    while (place := next_place(points, CORE, (None, 1500))) is not None:
        seen.append(round(place / TURN, 3))
        points.append(point(place / TURN, 40.0))
        assert len(seen) < 20
    assert seen[0] < -1.2 and seen == sorted(seen, reverse=True) and seen[-1] <= -3.0
    # Without the stop the other side has its turn.
    beyond = next_place(points, CORE, (None, None))
    assert beyond is not None and beyond > 0.25 * TURN
