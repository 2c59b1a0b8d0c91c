"""Pairs that end at a stop, or that no pair's response explains: named so, and left where they were read highest."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from unitone.align.pairs.pair import PairRead, next_pair_move, response_db
from unitone.sheet.model.sheet import TURN, Adjuster


def core(name: str) -> Adjuster:
    return Adjuster(name, "core", f"IF, {name}", None, "blade", 7 * TURN, False, TURN // 8, ())


def peak(
    height: Callable[[float, float], float],
    seed: int,
    highest: tuple[int, int] = (9 * TURN, 9 * TURN),
    std: float = 0.1,
) -> tuple[str, float, float, int]:
    """(why it stopped, height where it was left, the highest that was read, readings); ``highest``: clockwise stops."""
    rng = np.random.default_rng(seed)
    at, reads = [0, 0], [PairRead((0.0, 0.0), height(0.0, 0.0), std)]
    felt: list[tuple[int | None, int | None]] = [(None, None), (None, None)]
    for _ in range(120):
        told = next_pair_move(reads, 1.0, (core("T3"), core("T4")), (at[0], at[1]), (felt[0], felt[1]))
        n, move = told.which, told.move
        if move.act == "stop":
            return move.why, height(at[0] / TURN, at[1] / TURN), max(r.height for r in reads), len(reads)
        if move.act == "go":
            at[n] = min(move.target_mdeg, highest[n])
            felt[n] = (None, highest[n]) if at[n] == highest[n] else felt[n]
            continue
        turns = (at[0] / TURN, at[1] / TURN)
        reads.append(PairRead(turns, height(*turns) + std * rng.standard_normal(), std))
    raise AssertionError("never stopped")


@pytest.mark.parametrize("seed", range(3))
def test_a_winding_whose_top_lies_beyond_its_stop_is_named_and_the_other_follows(seed: int) -> None:
    def height(a: float, b: float) -> float:
        return float(response_db(np.array((a + 0.8) / 0.9), np.array((b - 2.2) / 0.9), np.array(0.8), 1.0))

    why, left, _, readings = peak(height, seed, (9 * TURN, 0))
    best = max(height(a, 0.0) for a in np.arange(-4.0, 4.0, 1 / 16))
    assert why == "at-stop" and left > best - 0.4 and readings < 30


@pytest.mark.parametrize("seed", range(3))
def test_readings_that_no_pair_explains_end_where_they_were_highest(seed: int) -> None:
    """A plateau with one sharp place: whatever is fitted to it, it is not left lower than it was seen."""

    def height(a: float, b: float) -> float:
        return -0.9 * abs(a + 0.5) ** 0.5 - 2.2 * abs(np.sin(2.1 * b)) - 0.4 * abs(a - b)

    _, left, highest, _ = peak(height, seed)
    assert left > highest - 0.6
