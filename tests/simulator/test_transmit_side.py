"""The transmit side of the multi-band simulated radio: AM with its limiter, SSB with its carrier balance, FM, idle current; and the robot on it."""

from __future__ import annotations

import math

import numpy as np
import pytest

from unitone.errors import BenchError, SheetError
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.signals.am import measure_am
from unitone.simulator.physics import PhysicsFile, parse_physics, read_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.simulator.transmitter import Transmitter


@pytest.fixture(scope="module")
def curlew() -> tuple[Sheet, PhysicsFile]:
    sheet = read_sheet(find("ostrel-curlew-5"))
    return sheet, read_physics(physics_path(find("ostrel-curlew-5")), sheet)


@pytest.fixture
def radio(curlew: tuple[Sheet, PhysicsFile]) -> SimulatedRadio:
    made = SimulatedRadio(*curlew, 3)
    made.mechanics.specimen.found.update(made.mechanics.specimen.right)
    return made


def transmit(radio: SimulatedRadio) -> Transmitter:
    assert radio.transmitter is not None
    return radio.transmitter


def keyed(mode: str, mic_mv: float | None = 20.0, band: str = "C") -> Conditions:
    return Conditions("transmit", "20", band=band, mode=mode, mic_mv=mic_mv, tone_hz=None if mic_mv is None else 1000.0)


def test_the_limiter_holds_the_depth_and_the_meter_agrees(radio: SimulatedRadio) -> None:
    bench = SimulatedBench(radio)
    true = 100 * transmit(radio).am_depth(0.02)
    assert 80 < true < 95 and bench.measure("tx.am_depth", keyed("am")).value == pytest.approx(true, abs=1.0)
    # Ten times as loud adds hardly anything; a tenth is nearly linear.
    assert 100 * transmit(radio).am_depth(0.2) < true + 1.5
    assert transmit(radio).am_depth(0.0004) == pytest.approx(transmit(radio).am_depth(0.0002) * 2, rel=0.02)
    radio.mechanics.turn("P6", 400_000)
    loud = bench.measure("tx.am_depth", keyed("am")).value or 0.0
    assert 98 < loud < 106 and transmit(radio).am_depth(1.0) <= 1.05
    # What leaves the socket is AM: depth from the envelope, carrier power unchanged.
    sent = radio.emit(0.5, Place("transmit", "C", "am", "20"), 1e6, 0.004)[0]
    report = measure_am(np.asarray(sent.envelope, np.complex128), sent.rate)
    assert report.depth_pct == pytest.approx(100 * transmit(radio).am_depth(0.004), abs=0.5)
    assert 20 * math.log10(abs(np.mean(np.abs(sent.envelope)))) == pytest.approx(
        10 * math.log10(transmit(radio).watts(27.205e6)), abs=0.1
    )


def test_two_presets_null_the_carrier_together(radio: SimulatedRadio) -> None:
    bench = SimulatedBench(radio)
    best = bench.measure("tx.carrier_suppression", keyed("usb", 10.0)).value or 0.0
    assert best < -48
    radio.mechanics.turn("P4", 20_000)
    one = bench.measure("tx.carrier_suppression", keyed("usb", 10.0)).value or 0.0
    radio.mechanics.turn("P5", 30_000)
    both = bench.measure("tx.carrier_suppression", keyed("lsb", 10.0)).value or 0.0
    part = radio.physics.transmit.balance  # type: ignore[union-attr]
    assert part is not None
    left = math.hypot(20 * part.per_unit[0], 30 * part.per_unit[1])
    assert one < both and abs(transmit(radio).carrier_left()) == pytest.approx(left, abs=0.003)
    # The meter's reference is the peak, carrier and tone together.
    drive = math.tanh(10 / 9)
    assert both == pytest.approx(20 * math.log10(left / (drive + left)), abs=0.8)
    # With one preset wrong the other's null is shallow.
    radio.mechanics.turn("P4", -20_000)
    assert (bench.measure("tx.carrier_suppression", keyed("usb", 10.0)).value or 0.0) > best + 10


def test_pep_of_a_tone_and_nothing_without_one(radio: SimulatedRadio) -> None:
    bench = SimulatedBench(radio)
    full = transmit(radio).watts(27.205e6) * 13.0 / transmit(radio).transmit.power
    pep = bench.measure("tx.pep", keyed("usb", 5.0)).value or 0.0
    share = radio.supply_volts(Place("transmit", "C", "usb", "20")) / 13.2
    assert pep == pytest.approx(full * share**2 * math.tanh(5 / 9) ** 2, rel=0.04), (
        "soft enough for the level control to sleep"
    )
    # One tone: the mean is the peak; two would halve it (definition of PEP).
    assert bench.measure("tx.power", keyed("usb", 5.0)).value == pytest.approx(pep, rel=0.03)
    assert (bench.measure("tx.pep", keyed("usb", None)).value or 0.0) < 1e-3
    assert bench.measure("tx.deviation", keyed("fm")).value == pytest.approx(
        transmit(radio).deviation_hz(0.02, radio.rail_share()), rel=0.01
    )
    assert transmit(radio).deviation_hz(0.02) == pytest.approx(1950, abs=120)


def test_the_idle_current_goes_with_the_preset_and_creeps_warm(radio: SimulatedRadio) -> None:
    bench = SimulatedBench(radio)
    assert (
        radio.idle_amps(0.0) < radio.idle_amps(60.0) < radio.idle_amps() == pytest.approx(1.06 * radio.idle_amps(0.0))
    )
    seen = bench.measure("tx.bias_current", Conditions("transmit", mode="usb"))
    assert seen.value == pytest.approx(radio.idle_amps(), rel=0.02) and 0.045 < radio.idle_amps() < 0.06
    before = radio.idle_amps()
    radio.mechanics.turn("P3", 60_000)
    assert radio.idle_amps() > 1.8 * before
    radio.mechanics.turn("P3", -400_000)
    assert radio.idle_amps() == pytest.approx(0.004 * 1.06, rel=0.01)


def test_radios_without_these_sides_have_no_such_instruments(sheet: Sheet, physics: PhysicsFile) -> None:
    bench = SimulatedBench(SimulatedRadio(sheet, physics, 3))
    for quantity in ("tx.am_depth", "tx.carrier_suppression", "tx.bias_current"):
        assert not bench.can_measure(quantity)
        with pytest.raises(BenchError, match="no instrument"):
            bench.measure(quantity, Conditions("transmit", "20"))
    with pytest.raises(BenchError, match=r"no \[bias\]"):
        bench.radio.idle_amps()
    assert transmit(bench.radio).am_depth(0.02) == 0.0 and abs(transmit(bench.radio).carrier_left()) < 0.01


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('[transmit.am]\nadjuster = "P6"', '[transmit.am]\nadjuster = "P66"', "no adjuster 'P66'"),
        ('adjusters = ["P4", "P5"]', 'adjusters = ["P4", "P55"]', "no adjuster 'P55'"),
        ('[bias]\nadjuster = "P3"', '[bias]\nadjuster = "P33"', "no adjuster 'P33'"),
        ('modulator_adjuster = "P7"', 'modulator_adjuster = "P77"', "no adjuster 'P77'"),
        ('most = "205 mA"', 'most = "205 mV"', "bias"),
    ],
)
def test_a_wrong_send_side_says_where(curlew: tuple[Sheet, PhysicsFile], old: str, new: str, says: str) -> None:
    text = physics_path(find("ostrel-curlew-5")).read_text(encoding="utf-8")
    assert old in text
    with pytest.raises(SheetError, match=says):
        parse_physics(text.replace(old, new, 1), "x.physics.toml", curlew[0])
