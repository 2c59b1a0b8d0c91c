"""Automatic gain stage by stage, against the loop solved by itself and against Friis' formula."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import brentq

from unitone.robot.many import simulated
from unitone.sheet.model.sheet import Sheet
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.radio import Panel, Received, SimulatedRadio
from unitone.simulator.receive_physics import AmplifierStage, receive_problems
from unitone.simulator.receiver import Signal

#: A level far beyond the knee, and how its gain control is shared out between mixer and IF stage.
_STRONG = -15.0


@pytest.fixture(scope="module")
def alder() -> tuple[Sheet, PhysicsFile]:
    return simulated("corvane-alder-5")[1:]


def _radio(alder: tuple[Sheet, PhysicsFile], shares: dict[str, float]) -> SimulatedRadio:
    sheet, physics = alder
    assert physics.receive is not None
    stages = [
        s.model_copy(update={"avc": shares.get(s.stage, 0.0)}) if isinstance(s, AmplifierStage) else s
        for s in physics.receive.stage
    ]
    receive = physics.receive.model_copy(update={"stage": stages})
    radio = SimulatedRadio(sheet, physics.model_copy(update={"receive": receive}), 1)
    radio.mechanics.specimen.found.update(radio.mechanics.specimen.right)
    return radio


def _settled(radio: SimulatedRadio, dbm: float, inject: str = "", depth: float = 0.3) -> Received:
    radio.receiver.restart()
    signal = Signal(1e6, dbm, 400.0, depth=depth)
    return [radio.receive(0.5, "1000", signal, Panel(volume=0.2), inject=inject) for _ in range(4)][-1]


def _db(heard: Received) -> float:
    return 20.0 * math.log10(float(np.std(heard.audio)))


@pytest.mark.parametrize("dbm", [-90.0, -70.0, -50.0, -30.0])
def test_a_signal_from_the_aerial_is_held_the_same_wherever_the_gain_is_taken(alder, dbm: float) -> None:  # type: ignore[no-untyped-def]
    lump, staged = (_settled(_radio(alder, x), dbm) for x in ({}, {"mixer": 0.5, "if": 0.5}))
    assert _db(staged) == pytest.approx(_db(lump), abs=0.15)
    assert staged.agc_volts == pytest.approx(lump.agc_volts, abs=0.03) and staged.needle == pytest.approx(
        lump.needle, abs=0.01
    )


@pytest.mark.parametrize("share", [0.0, 0.3, 0.7])
def test_behind_a_controlled_stage_the_loop_has_less_to_hold_with(alder, share: float) -> None:  # type: ignore[no-untyped-def]
    """The loop solved by itself: the line goes up with the output beyond the knee, and takes its share of what is behind it."""
    radio = _radio(alder, {"mixer": 1.0 - share, "if": share})
    agc = radio.physics.receive.agc  # type: ignore[union-attr]
    assert agc is not None
    start = radio.receiver.first_of("if", "am")
    through = radio.receiver.chain(1e6, "am", np.zeros(1), start).gain[0]
    level = _STRONG + 20.0 * math.log10(abs(through)) - agc.knee
    line = agc.hold / (1.0 - agc.hold)
    out = brentq(lambda o: o + share * line * max(o, 0.0) - level, -50.0, level)
    # Against a signal so weak that nothing is held, dB for dB.
    loose = _radio(alder, {"mixer": 1.0})
    held = _db(_settled(radio, _STRONG, "if")) - _db(_settled(loose, _STRONG, "if"))
    assert held == pytest.approx(out - level, abs=0.7), "the knee bends, the line here is straight"


def test_a_stage_that_is_held_down_passes_the_noise_behind_it(alder) -> None:  # type: ignore[no-untyped-def]
    """Friis' formula with the gain of the mixer taken down by its share of 30 dB."""
    radio = _radio(alder, {"mixer": 1.0})
    awake, held = (radio.receiver.chain(1e6, "am", np.zeros(1), held_db=x).noise_figure_db() for x in (0.0, 30.0))
    coil, mixer, pair, stage = (radio.physics.receive.stage[n] for n in range(4))  # type: ignore[union-attr]

    def friis(gain_db: float) -> float:
        def ratio(db: float) -> float:
            return float(10.0 ** (db / 10.0))

        before = ratio(coil.loss) * ratio(mixer.noise_figure)
        after = ratio(pair.loss) * (ratio(stage.noise_figure) - 1.0) + ratio(pair.loss) - 1.0
        return 10.0 * math.log10(before + ratio(coil.loss) * after / ratio(gain_db))

    # How far the aerial circuit tracks there, and the last pair, stand in both alike.
    assert held - awake == pytest.approx(friis(mixer.gain - 30.0) - friis(mixer.gain), abs=0.3)
    assert held > awake + 4.0


def test_shares_that_cannot_be(alder) -> None:  # type: ignore[no-untyped-def]
    receive = _radio(alder, {"mixer": 0.8, "if": 0.4}).physics.receive
    assert receive is not None
    words = [w for _, w in receive_problems(receive, None, None, {"T1A", "T1B", "T2A", "T2B", "L1", "C3"}, set())]
    assert any("at most 1" in w for w in words)
    bare = receive.model_copy(update={"agc": None})
    assert any("no gain control" in w for _, w in receive_problems(bare, None, None, set(), set()))
