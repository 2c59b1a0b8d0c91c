"""The search for the bad stage: what a finding means, what is done next, and a sample of its proof."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.align.trace.finder import ChainStage, Finder, Told
from unitone.errors import EntryError
from unitone.robot.trace_chains import by_finder, by_halving, chain_of, run_chain_trial

NAMES = ("rf", "mixer 1", "if 1", "mixer 2", "if 2", "detector", "af", "output")


def chain(**weights: float) -> list[ChainStage]:
    return [ChainStage(n, weights.get(n.replace(" ", "_"), 1.0), {"inject": 1.0}) for n in NAMES]


def test_a_point_that_needs_no_more_clears_what_follows_and_one_that_does_blames_it() -> None:
    finder = Finder(chain())
    finder.tell(Told("rf", "inject", 40.0))
    finder.tell(Told("detector", "inject", 1.0))
    after = {s.stage: s.probability for s in finder.suspects}
    assert all(after[n] < 0.02 for n in ("detector", "af", "output")) and not finder.sure
    finder.tell(Told("if 1", "inject", 38.0))
    finder.tell(Told("if 2", "inject", -3.0))
    finder.tell(Told("mixer 2", "inject", 2.0))
    assert finder.found == "if 1" and finder.sure and finder.nothing_wrong < 1e-3
    # What it has lost is what the point needed more.
    assert finder.suspects[0].lost_db == pytest.approx(39.0, abs=4.0) and not finder.contradictions()


def test_nothing_at_any_level_is_a_dead_stage_and_a_sound_chain_finds_none() -> None:
    finder = Finder(chain())
    for name in ("rf", "mixer 2"):
        finder.tell(Told(name, "inject", None))
    finder.tell(Told("if 2", "inject", 0.5))
    assert finder.found == "mixer 2" and finder.suspects[0].lost_db is None
    sound = Finder(chain())
    for name in NAMES:
        sound.tell(Told(name, "inject", 1.0))
    assert sound.found == "" and sound.sure and sound.nothing_wrong > 0.95


def test_the_first_test_halves_and_moves_towards_what_fails_often() -> None:
    finder = Finder(chain())
    finder.tell(Told("rf", "inject", None))
    first = finder.next_test()
    assert first is not None and first.stage in ("mixer 2", "if 2") and 0.8 < first.bits <= 1.0
    # A stage that fails nine times as often as the others together is looked at from its own two ends.
    often = Finder(chain(output=63.0))
    often.tell(Told("rf", "inject", None))
    assert often.next_test().stage == "output"  # type: ignore[union-attr]
    # A point that is hard to reach waits while another tells nearly as much.
    hard = [ChainStage(n, 1.0, {"inject": 4.0 if n in ("mixer 2", "if 2") else 1.0}) for n in NAMES]
    assert Finder(hard, [Told("rf", "inject", None)]).next_test().stage in ("if 1", "detector")  # type: ignore[union-attr]


def test_a_reading_that_fits_nothing_is_named_and_an_injection_done_again_replaces_the_first() -> None:
    finder = Finder(chain())
    for name, db in (
        ("rf", 30.0),
        ("mixer 1", 31.0),
        ("if 1", 2.0),
        ("mixer 2", 40.0),
        ("if 2", 0.0),
        ("detector", 1.0),
    ):
        finder.tell(Told(name, "inject", db))
    assert [t.stage for t in finder.contradictions()] == ["mixer 2"] and finder.found == "mixer 1"
    finder.tell(Told("mixer 2", "inject", 1.0))
    assert not finder.contradictions() and finder.sure and len(finder.told) == 6
    with pytest.raises(EntryError, match="no stage 'amp'"):
        finder.tell(Told("amp", "inject", 1.0))
    for bad in ([ChainStage("a")], [ChainStage("a"), ChainStage("a")], [ChainStage("a"), ChainStage("b", 0.0)]):
        with pytest.raises(EntryError):
            Finder(bad)


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 7), st.floats(-10, 70)), max_size=10))
def test_probabilities_stay_probabilities_and_the_order_of_findings_does_not_count(
    findings: list[tuple[int, float]],
) -> None:
    told = list({NAMES[at]: Told(NAMES[at], "inject", db) for at, db in findings}.values())
    one, other = Finder(chain(), told), Finder(chain(), told[::-1])
    assert one.weights.sum() == pytest.approx(1.0) and np.allclose(one.weights, other.weights)
    assert all(0.0 <= s.probability <= 1.0 + 1e-9 for s in one.suspects) and one.breaks.sum() == pytest.approx(1.0)
    # A test never tells less than nothing, nor more than what is open.
    left = -sum(p * math.log2(p) for p in one.breaks if p > 1e-12)
    assert all(-1e-9 <= t.bits <= left + 1e-9 for t in one.tests())


def test_a_sample_of_chains_beside_halving_and_walking() -> None:
    told = run_chain_trial(40, 900)
    assert told["right"] >= 0.95 and told["tests_per_set"] <= 4.0
    # Over hundreds of chains it costs a tenth less than halving (docs/robot.md); in a sample it is the wrong names that tell.
    assert told["right"] > told["right_of"]["bisection"] and told["cost"]["this"] < 0.85 * told["cost"]["walk"], told
    assert told["two_faults"]["both"] >= 0.9
    # The same chain gives the same search, and halving a plain chain of eight takes three.
    assert by_finder(chain_of(7)) == by_finder(chain_of(7)) and by_halving(chain_of(7, plain=True)).tests == 3
