"""The frequencies of a simulated radio: crystals, shifts, bands and modes, and what its counter makes of them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from unitone.errors import BenchError, SheetError
from unitone.radio.crystals import loaded_frequency, trimmer_capacitance
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.simulator._synthesiser import control_share, ground
from unitone.simulator.physics import PhysicsFile, parse_physics, read_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench


@pytest.fixture(scope="module")
def curlew() -> tuple[Sheet, PhysicsFile]:
    sheet = read_sheet(find("ostrel-curlew-5"))
    return sheet, read_physics(physics_path(find("ostrel-curlew-5")), sheet)


@pytest.fixture
def right(curlew: tuple[Sheet, PhysicsFile]) -> SimulatedRadio:
    radio = SimulatedRadio(*curlew, 3)
    made = radio.mechanics.specimen
    made.found.update(made.right)
    return radio


def test_an_aligned_radio_is_on_frequency_everywhere(right: SimulatedRadio) -> None:
    for band in "ABCDE":
        for mode in ("am", "usb", "lsb"):
            nominal, actual = right.synthesiser.output_hz("tx.carrier", Place("transmit", band, mode, "20"))
            assert actual == pytest.approx(nominal, abs=0.01)
            assert right.locked(Place("receive", band, mode, "1")) and right.locked(Place("transmit", band, mode, "40"))
    volts = [right.vco_volts(Place("receive", b, "am", c)) for b in "ABCDE" for c in ("1", "40")]
    assert volts == sorted(volts) and volts[0] > 1.5 and volts[-1] < 5.5


def test_a_trimmer_pulls_its_crystal_by_the_load_it_makes(right: SimulatedRadio) -> None:
    part = right.physics.oscillator["x-B"]
    here = right.mechanics.specimen.right["CT3"]
    right.mechanics.turn("CT3", 30_000)
    loads = [part.fixed + trimmer_capacitance(at, part.trimmer_least, part.trimmer_most) for at in (here + 30, here)]
    f, wanted = (loaded_frequency(18.15e6, part.c1, part.c0, c) for c in loads)
    moved = right.synthesiser.oscillator_hz("x-B", way="transmit") - 18.15e6
    assert moved == pytest.approx(18.15e6 * (f / wanted - 1), rel=1e-6) and moved > 50
    # Twice in the carrier of its band, in every mode; not at all elsewhere.
    for mode in ("am", "lsb"):
        nominal, actual = right.synthesiser.output_hz("tx.carrier", Place("transmit", "B", mode, "7"))
        assert actual - nominal == pytest.approx(2 * moved, rel=1e-9)
    nominal, actual = right.synthesiser.output_hz("tx.carrier", Place("transmit", "C", "am", "7"))
    assert actual == pytest.approx(nominal, abs=0.01)


def test_the_clarifier_swings_reception_only(right: SimulatedRadio) -> None:
    place = Place("receive", "C", "usb", "20")

    def error(position: str, at: Place = place) -> float:
        nominal, actual = right.synthesiser.output_hz(
            "rx.lo1" if at.way == "receive" else "tx.carrier", at, panel={"clarifier": position}
        )
        return actual - nominal

    middle = error("0 %")
    assert error("100 %") - middle == pytest.approx(2 * 560) and error("-100 %") - middle == pytest.approx(-2 * 620)
    assert error("50 %") - middle == pytest.approx(560)
    assert error("100 %", Place("transmit", "C", "usb", "20")) == pytest.approx(0, abs=0.01)
    before = middle
    right.mechanics.turn("P2", 10_000)
    assert error("middle") - before == pytest.approx(2 * 30)
    for bad in ("sideways", "140 %"):
        with pytest.raises(BenchError):
            control_share(bad)


def test_the_counter_reads_what_the_sheet_asks(right: SimulatedRadio) -> None:
    bench = SimulatedBench(right)
    right.mechanics.turn("CT8", 25_000)
    off = right.synthesiser.oscillator_hz("car-usb") - 10.6935e6
    counted = bench.measure("osc.frequency", Conditions("either", test_point="TP5", mode="usb"))
    assert counted.value == pytest.approx(10.6935e6 + off, abs=3)
    assert bench.measure("osc.frequency", Conditions(test_point="TP4", band="D")).value == pytest.approx(18.6e6, abs=3)
    assert bench.measure("ref.frequency", Conditions(test_point="TP2")).value == pytest.approx(10.24e6, abs=3)
    for mode, sign in (("usb", -1), ("lsb", 0)):
        keyed = Conditions("transmit", "20", band="A", mode=mode, tone_hz=1000.0, mic_mv=10.0)
        assert bench.measure("tx.frequency_error", keyed).value == pytest.approx(sign * off, abs=4)
        with pytest.raises(BenchError, match="feed a tone"):
            bench.measure("tx.frequency_error", replace(keyed, mic_mv=None, tone_hz=None))
    silent = bench.measure("tx.power", Conditions("transmit", "20", band="A", mode="usb")).value or 0.0
    assert silent < 1e-3 < (bench.measure("tx.power", Conditions("transmit", "20", band="C", mode="am")).value or 0.0)
    with pytest.raises(BenchError, match="Name its band and mode"):
        bench.measure("osc.frequency", Conditions(test_point="TP4"))
    with pytest.raises(BenchError, match="none of the sheet"):
        bench.measure("osc.frequency", Conditions(test_point="TP6"))


def test_a_radio_without_a_receiver_says_so(curlew: tuple[Sheet, PhysicsFile]) -> None:
    sheet, physics = curlew
    right = SimulatedRadio(sheet, physics.model_copy(update={"receive": None, "s_meter": None, "squelch": None}), 3)
    bench = SimulatedBench(right)
    assert not bench.can_measure("rx.sinad") and bench.can_measure("rx.lo_error")
    assert bench.live("rx.sinad", Conditions("receive", "20")) is None
    assert bench.listen(Conditions("receive", "20"), 0.1) is None
    assert bench.listen(Conditions("transmit", "20", band="C", mode="am"), 0.1) is not None
    with pytest.raises(BenchError, match="no instrument for rx"):
        bench.measure("rx.sinad", Conditions("receive", "20", level_dbm=-60.0))
    with pytest.raises(BenchError, match=r"no \[receive\]"):
        _ = right.receiver
    with pytest.raises(BenchError, match="no single reference"):
        right.reference_hz()
    with pytest.raises(BenchError, match="no mixing line for rx"):
        right.synthesiser.output_hz("rx.lo9", Place("receive", "C", "am", "20"))


def test_out_of_lock_the_count_is_somewhere_else(right: SimulatedRadio) -> None:
    right.mechanics.turn("L1", -3 * 360_000)
    place = Place("transmit", "E", "am", "40")
    assert not right.locked(place) and right.vco_volts(place) in (0.4, pytest.approx(7.4, abs=0.5))
    bench = SimulatedBench(right)
    assert (
        abs(bench.measure("tx.frequency_error", Conditions("transmit", "40", band="E", mode="am")).value or 0.0) > 5000
    )
    assert abs(bench.measure("rx.lo_error", Conditions("receive", "40", band="E", mode="am")).value or 0.0) > 5000


def test_crystals_differ_from_specimen_to_specimen_as_the_file_says() -> None:
    sheet = read_sheet(find("ostrel-teal-6"))
    physics = read_physics(physics_path(find("ostrel-teal-6")), sheet)
    errors = np.array([list(ground(sheet, physics, s).error.values()) for s in range(150)])[:, :6] * 1e6
    odd = np.abs(errors) > 35
    assert np.mean(odd) == pytest.approx(0.05, abs=0.02) and np.std(errors[~odd]) == pytest.approx(7, rel=0.15)
    radio = SimulatedRadio(sheet, physics, 4)
    before = [radio.synthesiser.output_hz("tx.carrier", Place("transmit", channel=c))[1] for c in "ABCDEF"]
    radio.mechanics.turn("CT1", 12_000)
    moved = [
        radio.synthesiser.output_hz("tx.carrier", Place("transmit", channel=c))[1] - b
        for c, b in zip("ABCDEF", before, strict=True)
    ]
    # One trimmer moves all of them alike, to a hundredth.
    assert min(moved) > 50 and max(moved) / min(moved) < 1.012


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("[oscillator.x-A]", "[oscillator.x-Z]", "no oscillator 'x-Z'"),
        ('adjuster = "CT2"', 'adjuster = "CT22"', "no adjuster 'CT22'"),
        ('trimmer_least = "3 pF"', 'trimmer_least = "30 pF"', "from least to most"),
        ('control = "clarifier"', 'control = "clarity"', "no control 'clarity'"),
        ('oscillators = ["x-A"', 'oscillators = ["x-Q"', r"no \[oscillator.x-Q\]"),
        ('adjuster = "P2"\nper_unit', 'adjuster = "P99"\nper_unit', "no adjuster 'P99'"),
        ('output = "vco"', 'output = "tank"', "no mixing line for tank"),
    ],
)
def test_a_wrong_synthesiser_says_where_and_why(
    curlew: tuple[Sheet, PhysicsFile], old: str, new: str, says: str
) -> None:
    text = physics_path(find("ostrel-curlew-5")).read_text(encoding="utf-8")
    assert old in text
    with pytest.raises(SheetError, match=says) as error:
        parse_physics(text.replace(old, new, 1), "x.physics.toml", curlew[0])
    assert all(p.startswith("x.physics.toml:") for p in error.value.problems)
