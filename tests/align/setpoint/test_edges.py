"""A setting beside an edge, as a squelch has: kept clear of it, and looked for from stop to stop before it is given up."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from unitone.align.setpoint.target import Spot, next_set_move
from unitone.sheet.model.sheet import Adjuster, Limit

PRESET = Adjuster("P6", "preset", "squelch, P6", None, "small blade", 270_000, True, 2_500, ())
LIMIT = Limit(-121.0, -112.0)


def settle(level: Callable[[int], float | None], stops: tuple[int, int], limit: Limit = LIMIT) -> tuple[str, int, int]:
    """(why it stopped, where, readings); ``level``: what opens it at a place, None where it stays open."""
    position, spots = 0, []
    felt: tuple[int | None, int | None] = (None, None)
    for _ in range(60):
        move = next_set_move(spots, limit.middle, 0.5, PRESET, position, felt, allowed=limit)
        if move.act == "stop":
            return move.why, position, len(spots)
        if move.act == "go":
            position = min(max(move.target_mdeg, stops[0]), stops[1])
            felt = (stops[0] if position == stops[0] else felt[0], stops[1] if position == stops[1] else felt[1])
        opens = level(position)
        spots.append(Spot(position, -130.0 if opens is None else opens, 0.3, opens is None))
    raise AssertionError("never stopped")


@pytest.mark.parametrize("edge", [-90_000, -72_000, -61_000, -50_000])
def test_it_is_set_in_spec_and_clear_of_where_it_stays_open(edge: int) -> None:
    def level(p: int) -> float | None:
        return None if p <= edge else -107.75 + 5.0 * p / 45_000

    why, at, readings = settle(level, (-150_000, 120_000))
    found = level(at)
    assert why == "set" and found is not None and LIMIT.holds(found) and readings <= 10
    assert at - edge >= 2 * PRESET.step_mdeg, "a hair's breadth from the edge it would open on its own noise"


def test_a_squelch_that_is_always_open_is_looked_at_from_stop_to_stop_and_is_not_dead() -> None:
    seen: list[int] = []

    def level(p: int) -> None:
        seen.append(p)

    why, _, _ = settle(level, (-150_000, 120_000))
    assert why == "out-of-range" and min(seen) == -150_000 and max(seen) == 120_000


def test_a_trimmer_that_turns_back_short_of_its_target_is_read_at_its_turning_point() -> None:
    """It goes round: the frequency rises to 560 Hz under the target and falls again; the three readings had missed the top."""
    trimmer = Adjuster("XT", "trimmer", "", None, "", 360_000, False, 1_000, ())

    def at(mdeg: int) -> float:
        return -560.0 - (mdeg - 41_000) ** 2 / 5.0e6

    spots = [Spot(mdeg, at(mdeg), 2.0) for mdeg in (0, 14_000, 118_000, 62_000)]
    move = next_set_move(spots, 0.0, 20.0, trimmer, 62_000, (None, None))
    assert move.act == "go" and abs(move.target_mdeg - 41_000) <= 1_000
    # Read there, it is the nearest that there is: that is said, and it stays there.
    spots.append(Spot(move.target_mdeg, at(move.target_mdeg), 2.0))
    last = next_set_move(spots, 0.0, 20.0, trimmer, move.target_mdeg, (None, None))
    assert (last.act, last.why) == ("stop", "out-of-range")
