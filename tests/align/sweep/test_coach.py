"""The sweep coach: a sample of its proof, hills of another law than the one it fits, and what it says of what is no hill."""

from __future__ import annotations

import math

import numpy as np
import pytest

from unitone.align.sweep.coach import Said, SweepCoach, fit_pass, stands_out
from unitone.robot.sweep import COMMANDS, run_sweep_trial, sweep_one
from unitone.robot.sweep_side import receive_side

TICK = 0.1


class Turning:
    """A hand of the test's own: steady, with a reaction of 0.3 s, and no play; ``hill`` gives decibels over turns."""

    def __init__(self, hill, start: float, speed: float, noise: float, seed: int) -> None:  # type: ignore[no-untyped-def]
        self.hill, self.at, self.speed, self.noise = hill, start, speed, noise
        self.rng = np.random.default_rng(seed)
        self.way, self.last, self.share, self.seconds = 0.0, 1.0, 1.0, 0.0
        self.coach = SweepCoach()
        self.codes: list[str] = []

    def go(self, most_s: float = 90.0) -> Said:
        pending: list[tuple[float, str]] = []
        told, said = 0, Said("hold")
        while self.seconds < most_s and not self.coach.over:
            self.seconds += TICK
            for _, what in [p for p in pending if p[0] <= self.seconds]:
                same = what in ("turn", "on a little")
                self.way = 0.0 if what == "stop" else -1.0 if what == "outwards" else self.last if same else -self.last
                self.last = self.way or self.last
                self.share = 1 / 3 if "slowly" in what or "little" in what else 1.0
            pending = [p for p in pending if p[0] > self.seconds]
            self.at += self.way * self.speed * self.share * TICK
            said = self.coach.take(self.seconds, self.hill(self.at) + self.noise * float(self.rng.standard_normal()))
            if said.count != told:
                told = said.count
                self.codes.append(said.code)
                if said.code in COMMANDS:
                    pending.append((self.seconds + 0.3, said.code))
        return said


def gaussian(at: float) -> float:
    """No tuned circuit: a hill that falls with the square, everywhere."""
    return -6.0 * at * at


def pair(at: float) -> float:
    """Two circuits in a row, one of them staggered a little: steeper, and not the same to both sides."""
    return -10.0 * math.log10((1 + (at / 0.6) ** 2) * (1 + ((at - 0.25) / 0.9) ** 2))


@pytest.mark.parametrize(("hill", "top"), [(gaussian, 0.0), (pair, 0.09)], ids=["square", "two circuits"])
@pytest.mark.parametrize("start", [-1.1, 1.3], ids=["the right way", "the wrong way"])
def test_a_hill_of_another_law_is_peaked_too(hill, top: float, start: float) -> None:  # type: ignore[no-untyped-def]
    best = max(hill(x) for x in np.linspace(-2, 2, 4001))
    assert hill(top) == pytest.approx(best, abs=0.02)
    lost = []
    for seed in range(6):
        hand = Turning(hill, start, 0.22, 0.3, seed)
        said = hand.go()
        assert said.code == "peaked", hand.codes
        lost.append(best - hill(hand.at))
        assert said.gained_db == pytest.approx(hill(hand.at) - hill(start), abs=0.7)
        # Begun the wrong way it is sent back once more than begun the right way.
        assert hand.codes[0] == "turn" and ("back" in hand.codes) == (start > 0), hand.codes
    assert np.mean(lost) < 0.12 and max(lost) < 0.4


def two(at: float, lower_db: float = 0.0) -> float:
    """A core through the middle of its winding, of no circuit's law: a peak at 0, and one 3 turns anticlockwise of it."""
    return max(-14.0 * at**2, -14.0 * (at + 3.0) ** 2 - lower_db, -16.0)


def test_outwards_of_a_peak_a_second_one_is_found_or_the_first_taken_again() -> None:
    for seed in range(6):
        hand = Turning(two, 0.8 if seed % 2 else -0.7, 0.2, 0.3, seed)
        assert hand.go().code == "peaked" and abs(hand.at) < 0.2 and hand.coach.can_look, hand.codes
        hand.coach.look_beyond()
        assert hand.go(240.0).code == "peaked" and abs(hand.at + 3.0) < 0.2, (hand.at, hand.codes)
        assert "outwards" in hand.codes and "no second peak" not in hand.codes and not hand.coach.can_look
    # None there, a hill too low to be one, and a stop before it: back to the first.
    walls = (lambda at: -14.0 * at**2 if abs(at) < 1.07 else -16.0, lambda at: two(at, 7.0))
    for seed, hill in enumerate((*walls, *walls)):
        hand = Turning(hill, 0.6, 0.2, 0.3, seed)
        assert hand.go().code == "peaked"
        hand.coach.look_beyond()
        said = hand.go(400.0)
        assert said.code == "peaked" and abs(hand.at) < 0.2 and "no second peak" in hand.codes, (hand.at, hand.codes)
    hand = Turning(two, 0.6, 0.2, 0.3, 9)
    hand.go()
    hand.coach.look_beyond()
    hand.go(hand.seconds + 3.0)
    hand.coach.felt_stop()
    assert hand.go(240.0).code == "peaked" and abs(hand.at) < 0.2 and "no second peak" in hand.codes


def test_the_outer_of_two_peaks_is_found_by_hands_that_look() -> None:
    found = [sweep_one(s, kind="two-peaks", looks=True) for s in range(41, 53)]
    assert sum(s.outer and s.said == "peaked" and s.loss_db < 0.5 for s in found) >= 11 and not any(
        s.wrong for s in found
    )
    # A hand that does not look ends on either.
    assert 0 < sum(sweep_one(s, kind="two-peaks").outer for s in range(41, 53)) < 12


def test_a_dead_core_and_one_that_still_rises_at_its_stop_are_no_peaks() -> None:
    for seed in range(8):
        dead = Turning(lambda _: -5.0, 0.0, 0.2, 0.4, seed)
        assert dead.go().code == "no effect" and "slowly back" not in dead.codes
    for seed in range(12):
        found = sweep_one(seed, kind="no-peak")
        assert found.said == "at stop", found


def test_a_broad_core_is_brought_back_without_slowing_down() -> None:
    """A half-width of ten seconds of turning: a third of that speed would take minutes, and its last seconds hardly differ."""
    lost = []
    for seed in range(6):
        hand = Turning(lambda at: -10.0 * math.log10(1.0 + at * at / 4.0), -2.0, 0.2, 0.35, seed)
        assert hand.go().code == "peaked" and "straight back" in hand.codes, hand.codes
        lost.append(10.0 * math.log10(1.0 + hand.at**2 / 4.0))
    assert np.mean(lost) < 0.1 and max(lost) < 0.35


def test_a_receive_side_is_swept_through_the_live_path() -> None:
    """A real bench as far as the program can tell: a pair by turns, and an end within half a decibel of the best, in less time."""
    swept, stepped = receive_side("ostrel-tarn-40", 2), receive_side("ostrel-tarn-40", 2, "step by step")
    names = [e.split(":")[0] for e in swept.ends]
    assert swept.finished and swept.loss_db < 0.5 and swept.seconds < 0.7 * stepped.seconds
    # Primary, secondary, primary: no winding of the pair twice in a row, and its first one again after the second.
    pair = [n for n in names if n in ("T4", "T5")]
    assert pair[:3] == ["T4", "T5", "T4"] and all(a != b for a, b in zip(pair, pair[1:], strict=False)), names


def test_a_sample_of_hands() -> None:
    report = run_sweep_trial(40, 321)
    assert report["loss_db"]["mean"] < 0.08 and report["wrong_verdicts"] == 0 == report["unfinished"], report
    base = report["baselines"][0]
    assert report["seconds_per_set"] < base["seconds_per_set"] and report["loss_db"]["mean"] < base["loss_db"]["mean"]
    assert sum(report["classes"].values()) == 40 and report["classes"]["dead"] and report["classes"]["no-peak"]


def test_the_top_of_a_pass_is_fitted_and_noise_is_no_hill() -> None:
    t = np.arange(0, 8, TICK)
    rng = np.random.default_rng(3)
    hill = -10 * np.log10(1 + ((t - 4.7) / 1.6) ** 2)
    heights = [fit_pass(t, 2.0 + hill + 0.3 * rng.standard_normal(t.size), 0.3) for _ in range(40)]
    # A remembered highest reading lies a spread or two over the top; the fitted one does not.
    assert (
        np.mean([f.height for f in heights]) == pytest.approx(2.0, abs=0.08)
        and np.std([f.height for f in heights]) < 0.15
    )
    assert np.mean([f.at for f in heights]) == pytest.approx(4.7, abs=0.05)
    assert all(stands_out(t, hill + 0.3 * rng.standard_normal(t.size), 0.3) for _ in range(20))
    assert not any(stands_out(t, 0.3 * rng.standard_normal(t.size), 0.3) for _ in range(40))


def test_it_begins_at_rest_and_says_little_of_little() -> None:
    coach = SweepCoach()
    assert coach.said == Said("hold") and not coach.over
    assert coach.felt_stop().code == "hold", "nothing was turned yet"
    for n in range(8):
        assert coach.take(n * TICK, 5.0).code == "hold"
    assert coach.take(0.9, 5.0).code == "turn"
    assert coach.felt_stop().code == "back", "nothing rose: the other way"
