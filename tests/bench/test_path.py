"""What to dial: pads counted once, switches named, impossible levels refused with the cure."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unitone.bench.path import HOOK_UPS, Kit, dial
from unitone.bench.ports import hand_bench
from unitone.errors import BenchError
from unitone.sheet.model.sheet import Conditions


def test_a_fixed_pad_is_added_to_what_is_dialled() -> None:
    made = dial(Kit(), -117.0)
    assert (made.dial_dbm, made.arrives_dbm, made.switched_db) == (pytest.approx(-77.0), pytest.approx(-117.0), ())
    assert "−77.0 dBm" in made.words and "40 dB pad" in made.words and "0.32 µV" in made.words


def test_a_generator_that_knows_its_pads_shows_the_level_behind_them() -> None:
    made = dial(Kit(generator_knows=True), -117.0)
    assert made.dial_dbm == pytest.approx(-117.0)
    assert made.arrives_dbm == pytest.approx(-117.0)
    assert "already" in made.words


def test_a_step_attenuators_switches_are_named() -> None:
    kit = Kit(least_dbm=-60.0, pads_db=(20.0,), switches_db=(1.0, 2.0, 3.0, 5.0, 10.0, 20.0, 20.0))
    made = dial(kit, -110.0)
    assert made.arrives_dbm == pytest.approx(-110.0)
    assert sum(made.switched_db) == pytest.approx(30.0)
    assert "10 + 20 dB on" in made.words
    assert "all off" in dial(kit, -60.0).words


def test_the_cure_for_a_level_out_of_reach() -> None:
    with pytest.raises(BenchError, match="at least 17 dB of pads"):
        dial(Kit(least_dbm=-60.0), -117.0)
    with pytest.raises(BenchError, match="Take pads out"):
        dial(Kit(), 0.0)
    assert "no pad in line" in dial(Kit(pads_db=()), -20.0).words
    assert "µV" in dial(Kit(shows="uV"), -117.0).words


@given(st.floats(-139, -41), st.lists(st.sampled_from([3.0, 6.0, 10.0, 20.0]), max_size=3), st.booleans())
def test_what_arrives_is_what_was_asked(wanted: float, pads: list[float], knows: bool) -> None:
    kit = Kit(least_dbm=-140.0, pads_db=tuple(pads), generator_knows=knows, most_dbm=20.0)
    made = dial(kit, wanted)
    assert made.arrives_dbm == pytest.approx(wanted, abs=kit.resolution_db / 2 + 1e-9)
    output = made.dial_dbm + (kit.fixed_db if knows else 0.0)
    assert output - kit.fixed_db - sum(made.switched_db) == pytest.approx(made.arrives_dbm)


def test_a_kit_survives_the_tape() -> None:
    kit = Kit(-90.0, 5.0, 0.5, (10.0, 20.0), True, (1.0, 2.0), "uV")
    assert Kit.from_data(kit.to_data()) == kit
    assert Kit.from_data({}) == Kit()


def test_the_hand_bench_measures_nothing_and_turns_what_it_is_told() -> None:
    bench = hand_bench(100.0)
    assert not bench.can_measure("rx.sinad") and bench.live("rx.sinad", Conditions()) is None
    assert bench.turn("T1", -45_000) == (-45_000, False) and bench.seen("P1") is None
    assert bench.seconds() >= 100.0
    with pytest.raises(BenchError, match="Type the reading"):
        bench.measure("rx.sinad", Conditions())


def test_both_ways_carry_their_caution() -> None:
    assert "Danger to the generator" in HOOK_UPS["receive"][2] and "key" not in HOOK_UPS["receive"][2]
    assert "dummy load" in HOOK_UPS["transmit"][2] and "Generator off" in HOOK_UPS["transmit"][2]
