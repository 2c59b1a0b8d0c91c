"""An intermittent's suspects and a noise's place, from what was moved, seen and answered."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.align.trace.intermittent import Watcher, rank
from unitone.align.trace.noise_hunt import (
    PLACES,
    QUESTIONS,
    Maker,
    in_chain,
    named_stage,
    next_input,
    next_question,
    own_sound,
    places,
    sources,
)
from unitone.job.checks import Watch
from unitone.robot.intermittents import share_right


def test_a_watched_reading_tells_drop_outs_from_drift_and_movements_from_chance() -> None:
    watcher = Watcher()
    drops = [watcher.take(t / 10, 1.0 - 0.001 * t if not 50 <= t < 55 else 0.2) for t in range(100)]
    assert sum(drops) == 1 and watcher.drops == [5.0] and watcher.ends[0] == 0.2
    for at in (4.9, 8.0):
        watcher.move(at, "plug P3")
    watcher.move(2.0, "loom")
    low, high = watcher.ends
    watch = Watch(1, "", "", "rx.s_meter", watcher.seconds, low, high, tuple(watcher.drops), tuple(watcher.moved))
    found = rank([watch])
    assert [m.what for m in found] == ["plug P3", "loom"] and (found[0].times, found[0].drops) == (2, 1)
    assert rank([]) == ()


def test_the_right_one_of_six_in_a_sample() -> None:
    """Three movements each, a drop-out by chance beside every fifth: docs/robot.md has the figures of thousands."""
    assert share_right(300, 7001) >= 0.95


@given(
    st.lists(st.tuples(st.floats(0, 60), st.sampled_from("ABC")), max_size=12), st.lists(st.floats(0, 60), max_size=12)
)
@settings(max_examples=60, deadline=None)
def test_suspects_share_at_most_one_whole_and_every_thing_is_named(
    moved: list[tuple[float, str]], drops: list[float]
) -> None:
    found = rank([Watch(1, "", "", "q", 60.0, 0.0, 1.0, tuple(sorted(drops)), tuple(moved))])
    assert {m.what for m in found} == {w for _, w in moved}
    assert 0.0 <= sum(m.probability for m in found) <= 1.0 + 1e-9


@pytest.mark.parametrize("place", PLACES, ids=[p.id for p in PLACES])
def test_a_noise_is_traced_to_its_place_by_the_answers_that_it_gives(place) -> None:  # type: ignore[no-untyped-def]
    answers: dict[str, bool] = {}
    while (question := next_question(answers)) is not None:
        assert question.id not in answers
        answers[question.id] = place.yes[question.id] > 0.5
    top = places(answers)
    assert place.id in [h.place.id for h in top[:2]], [(h.place.id, round(h.probability, 2)) for h in top]
    assert len(answers) <= len(QUESTIONS) and sum(h.probability for h in top) == pytest.approx(1.0)


@pytest.mark.parametrize(("wrong", "least"), [(0.0, 1.0), (0.05, 0.93)])
@pytest.mark.parametrize("whistle", [False, True], ids=["noisy", "oscillating"])
def test_grounding_inputs_finds_the_stage_that_makes_the_noise(whistle: bool, wrong: float, least: float) -> None:
    """Every stage of chains of three to nine, answers right or every twentieth wrong: halving finds it, what decided is tried once more."""
    rng, right, asked, sets = np.random.default_rng(24), 0, 0, 0
    for count in range(3, 10):
        stages = {f"S{n}": Maker() for n in range(count)}
        for bad in range(count):
            for _ in range(8):
                # Heard without the aerial, gone with the volume, in another amplifier, and when the IF is grounded.
                true = {"whistle": whistle, "aerial": True, "amplifier": True, "grounded": True}
                answers: dict[str, bool] = {}
                while not in_chain(answers):
                    question = next_question(answers)
                    assert question is not None
                    answers[question.id] = true.get(question.id, False)
                assert in_chain(answers) and own_sound(answers) == ("oscillates" if whistle else "noisy")
                sets += 1
                while asks := next_input(answers, stages):
                    # Told by the hand at the set: what lies behind the bad stage takes its noise away, and its own input a whistle.
                    at = int(asks.partition(":S")[2])
                    assert asks not in answers
                    stops = at > bad or (whistle and at == bad)
                    answers[asks] = bool(stops != (rng.random() < wrong))
                    asked += 1
                found = sources(answers, stages)
                assert sum(found) == pytest.approx(1.0)
                right += named_stage(answers, stages) == f"S{bad}"
    assert right / sets >= least and asked / sets < 5.5, (right / sets, asked / sets)


def test_inputs_are_not_grounded_for_what_comes_from_outside_the_chain() -> None:
    assert not in_chain({}) and not in_chain({"aerial": False, "volume": False, "grounded": True})
    assert (
        not in_chain({"volume": True, "aerial": True, "hum": True})
        and named_stage({"volume": True}, {"A": Maker(), "B": Maker()}) == ""
    )
