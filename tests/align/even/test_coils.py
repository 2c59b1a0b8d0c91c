"""Power brought even over the band, on radios of another design than any simulated radio; and moves that stay under a rating."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.align.even.coils import Coils, EvenMove, Read, Surface, Wanted, next_even_move, unevenness
from unitone.align.setpoint.bounds import FIRST_MDEG, bounded, first_move, heat_upper, upper
from unitone.align.setpoint.target import Spot

PLACES = (-0.5, 0.0, 0.5)
STEP = 0.125


def radio(
    tops: Sequence[float], shifts: Sequence[float], widths: Sequence[float], hard: float, coupling: float | None = None
) -> Callable[[Sequence[float], float], float]:
    """A made-up chain: every coil but the last drives a stage that saturates as tanh; the last is its tank. Gives dB above a watt."""

    def power(turns: Sequence[float], place: float) -> float:
        x = [(t - a - g * place) / w for t, a, g, w in zip(turns, tops, shifts, widths, strict=True)]
        loss, first = 1.0, 0
        if coupling is not None:
            k2 = coupling**2
            loss, first = abs(complex(1, x[0]) * complex(1, x[1]) + k2) ** 2 / (1 + k2) ** 2, 2
        for v in x[first:-1]:
            loss *= 1 + v * v
        watts = 4.0 * math.tanh(hard / loss) / math.tanh(hard) / (1 + x[-1] ** 2)
        return 10.0 * math.log10(watts)

    return power


def level(
    power: Callable[[Sequence[float], float], float], coils: Coils, tops: Sequence[float], wanted: Wanted, noise: float = 0.03
) -> tuple[list[float], list[Read], list[EvenMove]]:  # fmt: skip
    """Follow the coach from the middle's peak on, with readings of this much noise (dB)."""
    rng = np.random.default_rng(5)
    now, reads, moves = list(tops), [Read(tuple(tops), 0.0, power(tops, 0.0), noise)], []
    for _ in range(90):
        move = next_even_move(coils, reads, now, tops, wanted)
        moves.append(move)
        if move.act == "stop":
            return now, reads, moves
        if move.act == "turn":
            now[move.coil] = move.turns
        else:
            reads.append(
                Read(tuple(now), move.place, power(now, move.place) + noise * rng.standard_normal(), max(noise, 0.01))
            )
    raise AssertionError("it never came to an end")


def spread(power: Callable[[Sequence[float], float], float], turns: Sequence[float]) -> float:
    heights = [power(turns, p) for p in PLACES]
    return max(heights) - min(heights)


def best_spread(power: Callable[[Sequence[float], float], float], count: int, wanted: Wanted) -> float:
    """The least unevenness of all settings of a fine grid of two or three coils, by trying them all."""
    grid = np.arange(-2.0, 2.01, 0.25)
    mesh = np.array(np.meshgrid(*[grid] * count)).reshape(count, -1).T
    costs = [unevenness(np.array([power(m, p) for p in PLACES]), wanted) for m in mesh]
    return spread(power, mesh[int(np.argmin(costs))])


@pytest.mark.parametrize("seed", range(6))
def test_two_drivers_and_a_tank_come_as_even_as_any_setting_does(seed: int) -> None:
    rng = np.random.default_rng(seed)
    tops = rng.uniform(-0.4, 0.4, 3)
    power = radio(tops, rng.uniform(-0.9, -0.5, 3), [0.5, 0.6, 1.4], rng.uniform(1.0, 3.0))
    coils = Coils((1, 1, 1), ((-6.0, 6.0),) * 3, STEP)
    peaked = [round(t / STEP) * STEP for t in tops]
    wanted = Wanted(PLACES, 10.0 * math.log10(2.0), 10.0 * math.log10(4.4))
    now, reads, moves = level(power, coils, peaked, wanted)
    assert spread(power, now) <= best_spread(power, 3, wanted) + 0.25, (now, moves[-6:])
    assert len(reads) <= 45


def test_an_over_coupled_pair_that_was_peaked_on_one_hump_is_brought_back() -> None:
    """Peaked at the middle a pair of k 1.6 stands on one side, and one end of the band is weak (F. E. Terman 1943, section 3)."""
    power = radio([0.0, 0.0, 0.1], [-1.6, -1.6, -0.5], [0.7, 0.7, 2.5], 1.5, coupling=1.6)
    hump = 0.7 * math.sqrt(1.6**2 - 1)
    peaked = [round(v / STEP) * STEP for v in (hump, hump, 0.1)]
    wanted = Wanted(PLACES, 10.0 * math.log10(2.0), 10.0 * math.log10(4.4))
    assert spread(power, peaked) > 1.5
    now, _, moves = level(power, Coils((2, 1), ((-6.0, 6.0),) * 3, STEP), peaked, wanted)
    assert spread(power, now) < 0.6, (now, moves)
    assert {m.why for m in moves if m.act == "turn"} >= {"stagger", "even"}


def test_what_is_even_is_left_and_only_the_ends_are_read() -> None:
    power = radio([0.0, 0.0], [-0.2, -0.2], [2.0, 2.5], 5.0)
    wanted = Wanted(PLACES, 10.0 * math.log10(3.0), 10.0 * math.log10(4.4))
    now, reads, moves = level(power, Coils((1, 1), ((-6.0, 6.0),) * 2, STEP), [0.0, 0.0], wanted)
    assert now == [0.0, 0.0] and len(reads) == 3 and [m.act for m in moves] == ["read", "read", "stop"]


def test_a_stop_is_not_turned_against_and_a_place_inside_the_limit_counts_first() -> None:
    power = radio([0.0, 0.0], [-0.8, -0.8], [0.6, 1.5], 1.5)
    coils = Coils((1, 1), ((-0.25, 6.0), (-6.0, 0.25)), STEP)
    _, reads, moves = level(power, coils, [0.0, 0.0], Wanted(PLACES, 10.0 * math.log10(1.0)))
    assert all(r.turns[0] >= -0.25 and r.turns[1] <= 0.25 for r in reads), moves
    tight = Coils((1, 1), ((-0.1, 0.1), (-6.0, 6.0)), STEP)
    held, read_there, _ = level(power, tight, [0.0, 0.0], Wanted(PLACES, 10.0 * math.log10(1.0)))
    assert held[0] == 0.0 and len(read_there) < 45, "a coil that its stops hold is left out, and the other is set"
    flat_but_low, strong = np.array([1.0, 1.0, 1.0]), np.array([3.2, 4.0, 3.2])
    assert unevenness(strong, Wanted(PLACES, 3.0)) < unevenness(flat_but_low, Wanted(PLACES, 3.0))
    with pytest.raises(ValueError, match="no reading"):
        Surface(coils, [], [0.0, 0.0])


def test_the_surface_says_what_it_does_not_know() -> None:
    power = radio([0.0, 0.2], [-0.7, -0.5], [0.7, 1.5], 2.0)
    near = [
        Read((a, b), p, power((a, b), p), 0.03) for a in (-0.5, 0.0, 0.5) for b in (0.0, 0.5) for p in PLACES
    ]  # fmt: skip
    surface = Surface(Coils((1, 1), ((-6, 6),) * 2, STEP), near, [0.0, 0.2])
    inside, sure = surface.predict((0.25, 0.25), PLACES)
    assert np.abs(inside - [power((0.25, 0.25), p) for p in PLACES]).max() < 0.15
    _, far = surface.predict((3.0, -3.0), PLACES)
    assert far.min() > 3.0 * sure.max()


# -- moves that may break something ---------------------------------------------------------------------------------


def test_a_first_move_of_a_bias_preset_fits_what_the_final_bears() -> None:
    assert first_move(0.03, None, 7_500) == 7_500
    assert first_move(0.03, 0.15, 7_500) == FIRST_MDEG[0]
    assert FIRST_MDEG[0] > first_move(0.1, 0.15, 7_500) > 0
    assert first_move(0.149, 0.15, 7_500) == 0, "so near to the rating, no move of unknown size is safe"


@given(
    st.floats(0.005, 0.08), st.floats(0.004, 0.03), st.floats(1.0, 3.0), st.integers(5_000, 20_000), st.integers(0, 100)
)
@settings(max_examples=150)
def test_no_bounded_move_goes_over_the_rating(now: float, relative: float, power: float, moved: int, seed: int) -> None:
    """A preset whose current goes with any power of its angle up to the third: true currents stay under the rating.

    Readings lie as far off as the bound's 97.5 % cover: 1.96 spreads of the two together.
    """
    rng = np.random.default_rng(seed)
    angle = power / relative  # where this power law has this relative slope, degrees

    def current(mdeg: float) -> float:
        return float(now * ((angle + mdeg / 1000.0) / angle) ** power)

    off = np.clip(rng.standard_normal(2), -1.38, 1.38)
    spots = [Spot(m, current(m) * (1 + 0.005 * z), 0.005 * current(m)) for m, z in zip((0, moved), off, strict=True)]
    rating = max(0.15, 1.05 * max(s.value for s in spots))
    target = bounded(spots, moved, moved + 200_000, rating, 1_000)
    assert target == moved or current(target) <= rating
    assert bounded(spots, moved, moved - 4_000, rating, 1_000) == moved - 4_000, "downward nothing stops it"
    assert bounded(spots, moved, moved + 200_000, None, 1_000) == moved + 200_000


def test_the_bound_needs_a_slope_and_heat_is_what_does_not_come_out() -> None:
    with pytest.raises(ValueError, match="two places"):
        upper([Spot(0, 0.05, 0.001)], 10_000)
    assert upper([Spot(0, 0.05, 0.0005), Spot(10_000, 0.06, 0.0005)], 20_000) > 0.07
    # 13.2 V x 1.0 A in, 4 W out: 9.2 W of heat, and a little more as the wattmeter may read high.
    assert heat_upper(13.2, 4.0, 0.0) == pytest.approx(9.2)
    assert heat_upper(13.2, 4.0, 0.1) > 9.3
