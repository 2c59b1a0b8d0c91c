"""The peak coach on hills of our own making: one adjuster, odd ones, levels, a coupled pair, and by ear."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.align.pairs.pair import PairRead, fit_pair, next_pair_move, response_db
from unitone.align.peak._faulty import jumps, two_peaks
from unitone.align.peak.by_ear import Answer, Heard, next_by_ear
from unitone.align.peak.core import LEVEL_STEP_DB, Move, level_told, next_move
from unitone.align.peak.hill import Point, core_at, draw, fit_hill
from unitone.radio.resonance import pair_loss
from unitone.robot.coil_sets import run_coils_trial
from unitone.robot.one_coil import CORE, METHODS, by_ear, by_method, classes_of, coached, run_adjuster_trial, wrong
from unitone.sheet.model.sheet import TURN
from unitone.simulator.one_adjuster import CLASSES, Class

FREE: tuple[int | None, int | None] = (None, None)


def single(turns: float, top: float = 0.6, width: float = 0.8) -> float:
    return -10.0 * math.log10(1.0 + ((turns - top) / width) ** 2)


def walk(
    height: Callable[[float, float], float], calibrated: bool = False, stops: tuple[float, float] = (-9.0, 9.0)
) -> tuple[Move, list[Point], float, list[str]]:
    """Follow the coach without noise: its last move, the readings, where it ends, and why it moved each time."""
    points: list[Point] = []
    felt: tuple[int | None, int | None] = FREE
    position, level, whys = 0, -60.0, []
    for _ in range(60):
        move = next_move(points, 1.0, CORE, position, felt, calibrated=calibrated)
        whys.append(move.why)
        if move.act == "stop":
            return move, points, position / TURN, whys
        if move.act == "go":
            position = move.target_mdeg
            for n, stop in enumerate(stops):
                if (position / TURN - stop) * (-1) ** n < 0:
                    position = round(stop * TURN)
                    felt = (position, felt[1]) if n == 0 else (felt[0], position)
            continue
        level += move.level_db
        points.append(Point(position / TURN, height(position / TURN, level), 0.1, level))
    raise AssertionError(f"never stopped: {whys}")


@pytest.mark.parametrize("seed", range(10))
def test_a_misleading_first_reading_does_not_keep_it_where_it_is(seed: int) -> None:
    """A meter that jumps by half a decibel, moves of half a turn at most, and a first reading 1.5 dB too high: it still climbs."""
    rng = np.random.default_rng(seed)
    points: list[Point] = []
    position = 0
    for _ in range(60):
        move = next_move(points, 1.0, CORE, position, FREE, farthest=0.5)
        if move.act == "stop":
            break
        position = move.target_mdeg if move.act == "go" else position
        if move.act == "read":
            wrong = 1.5 if not points else 0.0
            height = 20 + single(position / TURN, -1.5, 1.2) + wrong + 0.45 * rng.standard_normal()
            points.append(Point(position / TURN, height, 0.4))
    assert move.why == "peaked" and -single(position / TURN, -1.5, 1.2) < 0.6, (position, len(points))


# -- what the readings say ----------------------------------------------------------------------------------------


@settings(max_examples=40, deadline=None)
@given(st.floats(-2.0, 2.0), st.floats(0.35, 1.8), st.integers(0, 1000))
def test_the_posterior_holds_the_true_top(top: float, width: float, seed: int) -> None:
    """Five noisy readings about the top: it lies within four spreads of the mean, wherever it is."""
    rng = np.random.default_rng(seed)
    at = top + width * np.array([-2.0, -0.9, 0.1, 0.8, 1.9])
    points = [Point(float(p), 20 + single(float(p), top, width) + 0.2 * rng.standard_normal(), 0.2) for p in at]
    fit = fit_hill(points, 1.0)
    assert abs(fit.x0 - top) < 4.0 * fit.std + 1 / 32
    assert fit.dead < 0.01 and 0.5 < fit.width / width < 2.0
    assert fit.weights.sum() + fit.dead == pytest.approx(1.0)
    hills = draw(fit, 100)
    assert abs(float(hills.x.mean()) - fit.x0) < 0.35 * max(fit.std, 0.05)
    loss = hills.loss(np.array([fit.x0, fit.x0 + 3 * width]))
    assert loss.shape == (2, 100) and loss[0].mean() < loss[1].mean() and (loss >= 0).all()


def test_a_flat_line_is_dead_and_noise_is_learnt() -> None:
    flat = fit_hill([Point(t, 5.0 + n, 0.2) for t, n in ((0, 0.1), (1.5, -0.1), (4, 0.0), (-3, 0.05))], 1.0)
    assert flat.dead > 0.95
    rough = [Point(t, single(t) + n, 0.1) for t, n in ((-1.5, 1.2), (0.0, -1.1), (0.5, 0.9), (1.2, -1.0), (2.4, 1.3))]
    assert fit_hill(rough, 1.0).noise > 2.0 > fit_hill([Point(p.turns, single(p.turns), 0.1) for p in rough], 1.0).noise


def test_what_swings_beyond_its_noise_is_never_called_dead() -> None:
    """An over-coupled winding, seen by itself, is no hill of one circuit (Terman 1943, section 3: two humps, k² - 1 apart); it is not
    put back, and no such readings end with “dead”."""
    for k, other in ((3.0, 1.0), (3.0, -2.0), (1.4, 0.5), (2.2, 2.5)):
        points: list[Point] = []
        position, rng = 0, np.random.default_rng(round(10 * k + other))
        for _ in range(60):
            move = next_move(points, 1.0, CORE, position, FREE, enough_db=0.35)
            if move.act == "stop":
                break
            position = move.target_mdeg if move.act == "go" else position
            if move.act == "read":
                a = (position / TURN - 0.8) / 0.5
                height = 16.0 - 10 * np.log10(((1 + k * k - a * other) ** 2 + (a + other) ** 2) / (1 + k * k) ** 2)
                points.append(Point(position / TURN, float(height + 0.2 * rng.standard_normal()), 0.2))
        assert move.why not in ("dead", "put-back"), (k, other, points)


def test_a_null_narrower_than_a_circuit_is_bracketed_and_found() -> None:
    """A detector of several kilohertz a turn: distortion falls to its floor within a tenth of a turn."""
    for at, width in ((0.9, 0.06), (-1.4, 0.1), (0.4, 0.05)):
        points: list[Point] = []
        position, rng = 0, np.random.default_rng(7)
        for _ in range(80):
            spread = max(p.turns for p in points) - min(p.turns for p in points) if points else 0.0
            move = next_move(points, 1.0, CORE, position, FREE, farthest=max(spread, 0.25), narrow=True)
            if move.act == "stop":
                break
            position = move.target_mdeg if move.act == "go" else position
            if move.act == "read":
                u = (position / TURN - at) / width
                points.append(
                    Point(position / TURN, float(35 - 10 * np.log10(1 + u * u) + 0.2 * rng.standard_normal()), 0.2)
                )
        assert move.why == "peaked" and abs(position / TURN - at) < 1.2 * width + 1 / 32, (
            at,
            width,
            position / TURN,
            len(points),
        )
        assert len(points) <= 16


def test_a_core_lags_the_hand_by_half_its_play() -> None:
    assert core_at([0.0, 1.0, 1.02, 0.99, 0.0], 0.03) == pytest.approx([0.0, 0.97, 0.99, 0.99, 0.03])
    assert core_at([], 0.1) == []


# -- one adjuster -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", CLASSES)
def test_seeded_adjusters_end_as_they_should(kind: Class) -> None:
    """A small sample of benchmarks/adjusters.py: verdicts, readings and loss of each class."""
    results = [coached(kind, seed) for seed in range(7000, 7025)]
    assert sum(wrong(r) for r in results) == 0, [(r.seed, r.verdict) for r in results if wrong(r)]
    assert np.mean([r.readings for r in results]) < (15.0 if kind == "too-strong" else 7.0)
    if kind == "normal":
        assert np.mean([r.loss_db for r in results]) < 0.05
        for name in METHODS:
            other = [by_method(name, kind, r.seed) for r in results]
            assert np.mean([r.loss_db for r in other]) > 3.0 * np.mean([r.loss_db for r in results]), name


def test_the_level_is_checked_at_the_top() -> None:
    move, points, end, whys = walk(lambda t, level: single(t) + level, calibrated=True)
    assert move.why == "peaked" and abs(end - 0.6) < 0.07 and whys.count("level-check") == 1
    assert points[-1].level == -60.0 - LEVEL_STEP_DB and "level-too-strong" not in whys


def test_a_hill_that_is_held_is_found_out_and_peaked_lower() -> None:
    """Output held from 12 dB under the top on: the coach comes down until the reading follows the level."""

    def held(turns: float, level: float) -> float:
        plain = single(turns, 0.9, 0.5) + level
        return plain if plain < -72.0 else -72.0 + 0.1 * (plain + 72.0)

    move, points, end, whys = walk(held, calibrated=True)
    assert "level-too-strong" in whys and move.why == "peaked" and abs(end - 0.9) < 0.07
    assert points[-1].level is not None and points[-1].level <= -72.0
    told = level_told([*points[:0], Point(0.0, -10.0, 0.1, -60.0), Point(0.0, -12.0, 0.1, -70.0)], 1.0, CORE)
    assert told.lower_by >= LEVEL_STEP_DB and told.flattened and [p.height for p in told.points] == [-12.0]
    fine = level_told([Point(0.0, -10.0, 0.1, -60.0), Point(0.0, -19.6, 0.1, -70.0)], 1.0, CORE)
    # It follows by 0.96 dB for a decibel, and so do those that were read at the other level.
    assert not fine.lower_by and [p.height for p in fine.points] == pytest.approx([-19.6, -19.6], abs=0.02)
    assert fine.share == pytest.approx(0.96, abs=0.002)
    assert fine.proven == pytest.approx(-10.0, abs=0.02), "up to there the output followed its level"


def test_a_stop_before_the_top_is_said() -> None:
    move, _, end, _ = walk(lambda t, level: single(t, 2.4, 0.8), stops=(-4.0, 1.5))
    assert move.why == "at-stop" and end == pytest.approx(1.5)
    move, _, end, _ = walk(lambda t, level: single(t, 1.2, 0.8), stops=(-4.0, 1.5))
    assert move.why == "peaked" and abs(end - 1.2) < 0.07, "a top just inside is a top"


def test_a_trimmer_is_peaked_in_degrees() -> None:
    from unitone.sheet.model.sheet import Adjuster

    trimmer = Adjuster("C", "trimmer", "", None, "", TURN, False, 2_000, ())
    points, position = [], 0
    for _ in range(40):
        move = next_move(points, 1.0, trimmer, position, FREE)
        if move.act == "stop":
            break
        position = move.target_mdeg if move.act == "go" else position
        if move.act == "read":
            points.append(Point(position / TURN, single(position / TURN, 20 / 360, 15 / 360), 0.1))
    assert move.why == "peaked" and abs(position / 1000 - 20) <= 2 and position % 2_000 == 0


# -- odd ones -----------------------------------------------------------------------------------------------------


def test_of_two_peaks_the_outer_is_taken() -> None:
    """A core that goes through its winding: detuning goes with (p - x1)(p - x2)."""

    def twin(turns: float, level: float) -> float:
        return -10.0 * math.log10(1.0 + ((turns + 1.4) * (turns - 1.6) / 3.0 / 0.35) ** 2 * 1.0)

    move, _points, end, whys = walk(twin)
    assert move.why == "peaked" and min(abs(end + 1.4), abs(end - 1.6)) < 0.08
    spread = [Point(t, twin(t, 0.0), 0.1) for t in (-3.0, -1.5, -1.0, 0.0, 1.0, 1.5, 3.0)]
    found = two_peaks(spread, 1.0, fit_hill(spread, 1.0).noise)
    assert found is not None and found[0] == pytest.approx(-1.4, abs=0.2) and found[1] == pytest.approx(1.6, abs=0.3)
    seen = [Point(t, twin(t, 0.0), 0.1) for t in (0.0, 1.5, 3.0, 0.8, 1.2, -1.5)]
    assert next_move(seen, 1.0, CORE, round(1.2 * TURN), FREE).why in ("confirm-peak", "two-peaks")
    one = [Point(t, single(t), 0.1) for t in (-2.0, -1.0, 0.0, 0.5, 1.0, 2.0)]
    assert two_peaks(one, 1.0, fit_hill(one, 1.0).noise) is None
    if "two-peaks" in whys:
        assert end < 0


def test_a_core_that_does_not_stay_put_is_called_so() -> None:
    slipped = [Point(0.0, -3.0, 0.2), Point(1.0, -1.0, 0.2), Point(0.0, -9.0, 0.2)]
    assert jumps(slipped, 0.03)
    assert not jumps([*slipped[:2], Point(0.0, -3.4, 0.2)], 0.03)
    assert not jumps([Point(0.0, -3.0, 0.2), Point(0.0, -9.0, 0.2)], 0.03), "not moved between: that is noise"
    results = [coached("broken", seed) for seed in range(24)]
    missed = [r for r in results if r.verdict == "peaked" and r.loss_db > 1.0]
    assert sum(r.verdict == "jumps" for r in results) >= 4 and len(missed) <= 3


# -- a coupled pair, and six coils --------------------------------------------------------------------------------


def test_the_pairs_response_is_the_handbooks() -> None:
    for a, b, k in ((0.0, 0.0, 0.7), (0.5, -0.3, 0.7), (1.4, 1.1, 1.2), (-2.0, 0.4, 0.4)):
        assert response_db(np.array(a), np.array(b), np.array(k), 1.0) == pytest.approx(
            -10 * math.log10(pair_loss(a, b, k))
        )


def test_a_pair_is_brought_to_its_common_top() -> None:
    tops, width, k = (0.9, -0.7), 0.7, 0.9
    reads: list[PairRead] = []
    position = [0, 0]
    for _ in range(80):
        told = next_pair_move(reads, 1.0, (CORE, CORE), (position[0], position[1]), (FREE, FREE))
        if told.move.act == "stop":
            break
        if told.move.act == "go":
            position[told.which] = told.move.target_mdeg
            continue
        at = (position[0] / TURN, position[1] / TURN)
        y = -10 * math.log10(pair_loss((at[0] - tops[0]) / width, (at[1] - tops[1]) / width, k))
        reads.append(PairRead(at, y, 0.15))
    assert told.move.why == "peaked" and len(reads) < 20
    assert abs(position[0] / TURN - tops[0]) < 0.12 and abs(position[1] / TURN - tops[1]) < 0.12
    assert told.coupling is not None and 0.5 < told.coupling < 1.3
    fit = fit_pair(reads, 1.0, 1.0, 0.0)
    assert fit.weight.sum() == pytest.approx(1.0) and float(fit.loss(fit.middle()) @ fit.weight) < 0.05
    with pytest.raises(ValueError, match="four readings"):
        fit_pair(reads[:3], 1.0, 1.0, 0.0)


def test_six_coils_against_other_ways() -> None:
    """A small sample of benchmarks/adjusters.py."""
    told = {m["name"]: m for m in run_coils_trial(5, 900)["methods"]}
    coach = told.pop("coach")
    assert coach["readings_per_set"] < 38 and coach["loss_db"]["mean"] < 0.2
    for other in told.values():
        assert other["readings_per_set"] > 1.5 * coach["readings_per_set"]
        assert other["loss_db"]["mean"] > 2.0 * coach["loss_db"]["mean"]


# -- by ear -------------------------------------------------------------------------------------------------------


def test_by_ear_it_comes_within_half_a_decibel() -> None:
    results = [by_ear("normal", seed) for seed in range(300, 330)]
    assert np.mean([r.loss_db for r in results]) < 0.3 and np.mean([r.readings for r in results]) < 12
    stopped = [by_ear("no-peak", seed) for seed in range(300, 315)]
    assert sum(r.verdict == "at-stop" for r in stopped) >= 13


@pytest.mark.parametrize("first", ["louder", "softer"])
def test_the_ear_is_followed(first: Heard) -> None:
    """Louder: on the same way; softer: back."""
    start = next_by_ear([], CORE, 0, FREE)
    assert start.act == "go" and start.target_mdeg
    then = next_by_ear([Answer(0.0, start.target_mdeg / TURN, first)], CORE, start.target_mdeg, FREE)
    onward = (then.target_mdeg - start.target_mdeg) * start.target_mdeg > 0
    assert onward == (first == "louder")


def test_the_report_of_the_adjusters() -> None:
    report = run_adjuster_trial(2, 5, classes=classes_of("any"), with_baselines=False)
    assert (
        report["sets"] == 8
        and report["recovered"] == 8 - report["wrong_verdicts"]
        and set(report["classes"]) == set(CLASSES)
    )
    assert {"mean", "median", "p95", "max"} == set(report["loss_db"]) and "baseline" not in report
    assert classes_of("none") == ("normal",) and classes_of("two-peaks") == ("two-peaks",)
    with pytest.raises(Exception, match="an adjuster is one of"):
        classes_of("bent")


def test_a_core_is_never_left_far_down_a_flank() -> None:
    """Readings run out on the flank, at a level that few of them were taken at: back to the best place of that level."""
    readings = [(0.0, -24.0), (-0.6, -30.0), (-2.6, -48.0), (-1.6, -41.0), (0.75, -32.0), (0.4, -27.0), (1.6, -41.0)]
    points = [Point(t, h, 5.0, -77.0) for t, h in readings for _ in range(2)]
    points += [Point(0.0, -37.7, 8.0, -87.0), *(Point(1.5, -58.0, 40.0, -87.0) for _ in range(5))]
    move = next_move(points, 1.0, CORE, 540_000, (None, None), calibrated=True)
    assert (move.act, move.target_mdeg) == ("go", 0)
    there = [*points, Point(0.0, -37.6, 8.0, -87.0)]
    assert next_move(there, 1.0, CORE, 0, (None, None), calibrated=True).act in ("stop", "level")
