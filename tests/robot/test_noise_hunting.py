"""Noises that a stage of a simulated radio makes by itself: heard as the trade says they are, and hunted down by what is heard."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pytest

from unitone.align.trace.ladder import if_input, ladder, makes_noise, noise_answers
from unitone.errors import BenchError, HookUpError
from unitone.job.card import Card
from unitone.robot.many import simulated
from unitone.robot.noise_hunting import hunt_one, run_noise_trial
from unitone.session.session import Session, open_job
from unitone.simulator.stage_faults import sounding_stages, stage_fault
from unitone.store.logbook import Logbook

DOTTEREL = "tests/radios/skerry-dotterel.toml"


@pytest.fixture
def on_bench() -> Iterator[Callable[..., Session]]:
    """A radio hooked up for receive: a simulated one with that fault, or one's own."""
    books: list[Logbook] = []

    def make(sheet: str, fault: str = "", seed: int | None = 4) -> Session:
        books.append(book := Logbook(None))
        card = Card(book.next_number(), sheet, simulated_seed=seed, simulated_fault=fault)
        session = Session(book, open_job(book, sheet, card))
        session.confirm_hook_up("receive")
        return session

    yield make
    for book in books:
        book.close()


@pytest.mark.parametrize("sheet", ["corvane-heron-3", DOTTEREL])
@pytest.mark.parametrize("how", ["noisy", "oscillates"])
def test_a_grounded_input_takes_away_what_comes_from_before_it(
    on_bench: Callable[..., Session], sheet: str, how: str
) -> None:
    """Common practice, no source: a noise stops at the inputs behind its stage, an oscillation at its own as well; at those before neither.
    The volume control takes away all but the audio stage's own; another amplifier all but what comes out of the detector."""
    _, _, physics = simulated(sheet)
    for fault in (f for f in sounding_stages(physics) if f.own_sound == how):
        session = on_bench(sheet, fault.id)
        stages = [r.stage.id for r in ladder(session.state)]
        bad, audio = stages.index(fault.stage), stages[-1]
        for at, stage in enumerate(stages):
            trial = session.tracing.try_noise(f"at:{stage}")
            stops = at > bad or (how == "oscillates" and at == bad)
            assert (trial.change_db < -15.0) == stops and trial.change_db < 3.0, (fault.id, stage, trial.change_db)
        assert (session.tracing.try_noise("volume").change_db > -3.0) == (fault.stage == audio)
        assert (session.tracing.try_noise("amplifier").change_db > -3.0) == (fault.stage != audio)
        hz, share = session.tracing.try_noise("whistle").line
        assert (share > 0.8 and hz > 200.0) if how == "oscillates" else share < 0.1
        # Nothing of all that is an entry, and nothing stays grounded.
        assert session.state.noise == {} and session.bench.radio.receiver.grounded == ""  # type: ignore[attr-defined]
        # Any part of the stage that is repaired was it; then it is a radio like any other.
        loud = float(np.std(session.tracing.try_noise("aerial").before))
        session.tracing.repaired(fault.stage, "")
        assert float(np.std(session.tracing.try_noise("aerial").before)) < loud / 4.0


def test_a_radio_without_such_a_fault_sounds_as_it_did(on_bench: Callable[..., Session]) -> None:
    """The samples of a healthy radio do not depend on any of this: what other tests and robots measured stands."""
    one, other = on_bench("ostrel-weir-40-am"), on_bench("ostrel-weir-40-am")
    one.tracing.try_noise("at:if")
    heard = [s.tracing.try_noise("aerial").before for s in (one, other)]
    assert np.std(heard[0]) == pytest.approx(np.std(heard[1]), rel=0.2)
    chain = one.bench.radio.receiver.chain(27.205e6)  # type: ignore[attr-defined]
    assert chain.own is None and chain.noise.shape == chain.hz.shape


@pytest.mark.parametrize("sheet", [DOTTEREL, "ostrel-tarn-40"])
def test_the_hunt_names_the_stage_by_ear(sheet: str) -> None:
    # Every thirtieth thing that is tried goes wrong in the robot's hand.
    told = run_noise_trial(sheet, 6, 101, 1)
    assert told["sound_right"] == 1.0 and told["right"] >= 4 / 6 and told["recovered"] == 1.0, told
    assert told["tests_per_set"] < 12.0 and set(told["cost"]) == {"this", "bisection", "walk"}


def test_what_cannot_be_is_said(on_bench: Callable[..., Session]) -> None:
    _, _, tarn = simulated("ostrel-tarn-40")
    assert {f.stage for f in sounding_stages(tarn)} == {tarn.receive.audio.stage}, (
        "before an FM detector neither is heard"
    )  # type: ignore[union-attr]
    with pytest.raises(BenchError, match="no such part"):
        stage_fault(tarn, "rf:noisy")
    with pytest.raises(BenchError, match="no stage of it"):
        hunt_one("ostrel-tarn-40", 1, "rf:noisy")
    session = on_bench("corvane-heron-3", seed=None)
    with pytest.raises(BenchError, match="say what you heard"):
        session.tracing.try_noise("volume")
    session = on_bench("corvane-heron-3", "if1:noisy")
    rungs = ladder(session.state)
    assert if_input(rungs) == "mixer2" and makes_noise(session.state, rungs)["filter"].often < 0.5
    assert makes_noise(session.state, rungs)["audio"].places == ("preamp", "output")
    session.tracing.answer_noise("volume", True)
    assert noise_answers(session.state) == {"volume": True}
    session.confirm_hook_up("transmit")
    with pytest.raises(HookUpError):
        session.tracing.try_noise("volume")
