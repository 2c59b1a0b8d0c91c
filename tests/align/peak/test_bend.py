"""Peaking by volts behind a diode detector: linear above its bend, square below it, and a level that has to come down in between."""

from __future__ import annotations

import math

import numpy as np
import pytest

from unitone.align.peak.core import Move, level_told, next_move
from unitone.align.peak.hill import Point
from unitone.robot.many import simulated
from unitone.sheet.model.sheet import TURN, Adjuster


def core() -> Adjuster:
    """A core of an AM mobile."""
    _, sheet, _ = simulated("ostrel-weir-40-am")
    return next(a for a in sheet.adjusters if a.kind == "core")


class Detector:
    """A tuned circuit before a diode: V = C²/(C + B), C the carrier, B its bend (exact for the crossover of a square and a linear law)."""

    def __init__(self, seed: int, bend_db: float, agc_from_db: float = math.inf) -> None:
        rng = np.random.default_rng([seed, 61])
        self.top = float(rng.uniform(-1.4, 1.4))
        self.width = float(rng.uniform(0.35, 0.9))
        self.bend_db, self.agc_from_db = bend_db, agc_from_db
        self._rng = rng

    def loss(self, turns: float) -> float:
        return 10.0 * math.log10(1.0 + ((turns - self.top) / self.width) ** 2)

    def height(self, turns: float, level: float) -> float:
        """20·log of the volts (dB, any zero) with the noise of a meter."""
        carrier = level - self.loss(turns)
        if carrier > self.agc_from_db:
            carrier = self.agc_from_db + 0.15 * (carrier - self.agc_from_db)
        c, b = 10.0 ** (carrier / 20.0), 10.0 ** (self.bend_db / 20.0)
        return 20.0 * math.log10(c * c / (c + b)) + float(self._rng.normal(0.0, 0.1))


def peaked(detector: Detector, level: float = -81.0) -> tuple[Move, float, int]:
    """(how it ended, what is lost there, readings) as the coach is followed."""
    adjuster = core()
    position, points = 0, [Point(0.0, detector.height(0.0, level), 0.1, level)]
    for _ in range(60):
        move = next_move(points, 1.0, adjuster, position, (None, None), calibrated=True)
        if move.act == "stop":
            return move, detector.loss(position / TURN), len(points)
        if move.act == "go":
            position = move.target_mdeg
            if move.why == "to-peak" and abs(points[-1].turns - position / TURN) < 1e-9:
                continue
            # What the coach asks to be read next is read where the core now stands.
            follow = next_move(points, 1.0, adjuster, position, (None, None), calibrated=True)
            if follow.act == "level":
                level += follow.level_db
            elif follow.act == "stop":
                return follow, detector.loss(position / TURN), len(points)
        elif move.act == "level":
            level += move.level_db
        points.append(Point(position / TURN, detector.height(position / TURN, level), 0.1, level))
    raise AssertionError("no end")


@pytest.mark.parametrize(
    ("bend_db", "agc_from_db"),
    [
        (-140.0, math.inf),
        (-95.0, math.inf),
        (-60.0, math.inf),
        (-100.0, -84.0),
    ],
    ids=["linear", "across the bend", "square", "gain control above the bend"],
)
def test_the_top_is_found_whatever_the_detector_makes_of_a_decibel(bend_db: float, agc_from_db: float) -> None:
    ends = [peaked(Detector(seed, bend_db, agc_from_db)) for seed in range(14)]
    found = [loss for move, loss, _ in ends if move.why == "peaked"]
    assert len(found) >= 12, [move.why for move, _, _ in ends]
    assert float(np.mean(found)) < 0.12 and max(found) < 0.8
    assert float(np.mean([count for _, _, count in ends])) <= 9.0


def test_more_than_a_decibel_for_one_keeps_the_levels_apart() -> None:
    adjuster = core()
    linear = [Point(0.0, -20.0, 0.1, -80.0), Point(0.5, -23.0, 0.1, -80.0), Point(0.5, -33.0, 0.1, -90.0)]
    told = level_told(linear, 1.0, adjuster)
    assert not told.bent and all(q.level is None for q in told.points) and told.share == pytest.approx(1.0, abs=0.02)
    square = [*linear[:2], Point(0.5, -39.0, 0.1, -90.0)]
    told = level_told(square, 1.0, adjuster)
    assert told.bent and [q.level for q in told.points] == [-80.0, -80.0, -90.0]
    # A gain control that holds the audio up is flattening, not a bend: what was read up there goes.
    held = [*linear[:2], Point(0.5, -25.0, 0.1, -90.0)]
    told = level_told(held, 1.0, adjuster)
    assert told.flattened and not told.bent and told.lower_by > 0 and len(told.points) == 1


def test_one_reading_of_a_level_of_its_own_concludes_nothing() -> None:
    adjuster = core()
    hill = [Point(t, -20.0 - 10 * math.log10(1 + (t / 0.6) ** 2), 0.1, -80.0) for t in (0.0, -0.6, 0.9, 0.1)]
    lowered = [*hill, Point(0.0, -20.0 - 16.0, 0.1, -90.0)]
    move = next_move(lowered, 1.0, adjuster, 0, (None, None), calibrated=True)
    assert move.act in ("go", "read")
