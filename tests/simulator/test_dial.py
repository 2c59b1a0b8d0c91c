"""A receiver whose gang tunes oscillator and signal circuit: its dial, its tracking, stations that fade, and files that cannot be built."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from unitone.errors import SheetError
from unitone.radio.tracking import Tracking
from unitone.robot.many import simulated
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.sheet import TURN, Conditions
from unitone.simulator.mechanics import unit_mdeg
from unitone.simulator.off_air import LEVELS_DBM, STATION, OffAir
from unitone.simulator.physics import parse_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.receive_physics import GangedStage
from unitone.simulator.simulated_bench import SimulatedBench

ALDER = "corvane-alder-5"
_, SHEET, PHYSICS = simulated(ALDER)


def aligned(seed: int = 3) -> SimulatedRadio:
    radio = SimulatedRadio(SHEET, PHYSICS, seed)
    for a in SHEET.adjusters:
        radio.mechanics.turn(a.id, -round(radio.mechanics.off(a.id) * unit_mdeg(a)))
    return radio


def dial_error(radio: SimulatedRadio, mark: str, source: str | None = None) -> float:
    at = replace(SHEET.step("dial-low").setting, channel=mark, source=source)
    return SimulatedBench(radio).measure("rx.frequency_error", at).value or 0.0


def test_a_dial_reads_right_when_its_adjusters_stand_right_and_goes_off_as_the_tank_says() -> None:
    radio = aligned()
    for mark in SHEET.plan.names:
        assert abs(dial_error(radio, mark)) < 1500, mark
    # A coil of 3 % less a turn tunes the oscillator 1.5 % higher, all over the dial; worked out here by itself.
    tank = PHYSICS.tank["osc"]
    for turned in (-0.5, 0.5):
        moved = radio.mechanics.turn("L3", round(turned * TURN))
        for mark in ("600", "1400"):
            hz = float(SHEET.carrier_hz(mark))
            wanted = (hz + 465e3) * (1.0 / math.sqrt(1.0 + tank.per_turn * turned) - 1.0)
            assert dial_error(radio, mark) == pytest.approx(wanted, abs=1500), (turned, mark)
        radio.mechanics.turn("L3", -moved)
    # The trimmer counts where the gang is open.
    radio.mechanics.turn("C9", 20_000)
    assert abs(dial_error(radio, "1400")) > 5 * abs(dial_error(radio, "600"))
    # Against a station that is known a pointer is read to a kilohertz or so.
    assert dial_error(radio, "1400", STATION) == pytest.approx(dial_error(radio, "1400"), abs=4000)


def test_its_signal_circuit_parts_from_the_oscillator_as_the_arithmetic_of_tracking_says() -> None:
    radio = aligned()
    stage = next(s for s in PHYSICS.receive.stage if isinstance(s, GangedStage))  # type: ignore[union-attr]
    radio.receiver.lost_db = {}
    tank, dial = PHYSICS.tank["osc"], radio.synthesiser.dial
    assert dial is not None and tank.padder is not None
    trimmed = {a: PHYSICS.adjuster[a].aligned for a in ("C9", "C3")}
    made = Tracking(
        tank.inductance, tank.padder, tank.fixed + tank.trimmed_f(trimmed["C9"]), stage.inductance,
        stage.fixed + stage.trimmed_f(trimmed["C3"]), (6e5, 1e6, 1.4e6), 465e3,
    )  # fmt: skip
    for mark in (600e3, 1000e3, 1400e3):
        tuned = dial.resonance_hz(stage, mark)
        # Where the signal circuit is tuned to, the oscillator less the IF stands beside it by the error of the arithmetic.
        assert mark - tuned == pytest.approx(float(made.error_hz(np.array([tuned]))[0]), abs=300)
        lost = -20 * math.log10(abs(radio.receiver.chain(mark, "am", np.zeros(1)).gain[0]))
        q = stage.q * (mark / tuned - tuned / mark)
        assert lost == pytest.approx(10 * math.log10(1 + q * q), abs=0.05)


def test_stations_fade_slowly_and_an_ear_rocks_them_out() -> None:
    sky = OffAir(5)
    levels = np.array([sky.level_dbm(600e3, 8, t) for t in np.arange(0.0, 300.0, 0.5)])
    assert np.abs(levels - LEVELS_DBM[8]).max() <= 3.0 and np.ptp(levels) > 2.0 and np.abs(np.diff(levels)).max() < 0.8
    radio = aligned()
    bench, at = SimulatedBench(radio), Conditions("receive", "600", panel=(("volume", "full"),), source=STATION)
    assert bench.measure("rx.loudness", at).word == "same" and (bench.station_dbm(at) or 0.0) < -70
    said = []
    for eighths in (7, -7, -7, 7):
        bench.turn("L1", eighths * 45_000)
        said.append(bench.measure("rx.loudness", at).word)
    assert said == ["softer", "louder", "softer", "louder"]


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ('[gang]\nleast = "12 pF"\nmost = "400 pF"\n', "", "the gang that tunes them"),
        ('padder = "436 pF"', 'padder = "150 pF"', "does not reach"),
        ('highest = "1.61 MHz"', 'highest = "1.2 MHz"', "no tank serves"),
        ("[tank.osc]", "[tank.vfo]", "that follows the dial"),
        ('core = "L3"', 'core = "L33"', "no adjuster 'L33'"),
    ],
)
def test_a_file_that_cannot_be_built_is_refused_with_its_cure(old: str, new: str, told: str) -> None:
    path = physics_path(find(ALDER))
    text = Path(path).read_text("utf-8")
    assert old in text
    with pytest.raises(SheetError, match=told):
        parse_physics(text.replace(old, new), str(path), SHEET)
