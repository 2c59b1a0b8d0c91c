"""The simulated radio: mechanics, seeds, the physics file, and instruments that are told nothing."""

from __future__ import annotations

import inspect
from pathlib import Path

import numpy as np
import pytest

from unitone.errors import BenchError, SheetError
from unitone.quantities.registry import QUANTITIES
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.simulator import simulated_bench as instruments
from unitone.simulator.instruments.receive import SinadMeter
from unitone.simulator.mechanics import Mechanics, specimen, stream
from unitone.simulator.physics import PhysicsFile, parse_physics, read_physics
from unitone.simulator.radio import Panel, SimulatedRadio
from unitone.simulator.receiver import Signal
from unitone.simulator.simulated_bench import SimulatedBench

PHYSICS = physics_path(find("ostrel-tarn-40")).read_text(encoding="utf-8")


def test_a_seed_is_a_radio(sheet: Sheet, physics: PhysicsFile) -> None:
    assert specimen(sheet, physics, 7) == specimen(sheet, physics, 7)
    assert specimen(sheet, physics, 7) != specimen(sheet, physics, 8)
    # A new stream never shifts an old one.
    assert stream(7, "noise").random() == stream(7, "noise").random() != stream(7, "hand").random()


def test_misalignment_is_as_documented(sheet: Sheet, physics: PhysicsFile) -> None:
    made = [specimen(sheet, physics, seed) for seed in range(400)]
    share = sum(m.untouched for m in made) / 400
    assert share == pytest.approx(physics.untouched_share, abs=0.06)
    off = np.array([abs(m.found["T1"] - m.right["T1"]) for m in made])
    assert off.max() <= 2.0 and np.mean(off > 1.0) == pytest.approx(0.85 * 0.85 * 0.5, abs=0.08)
    assert all(
        abs(m.found[a] - m.right[a]) <= 0.03 * physics.adjuster[a].misaligned + 1e-9
        for m in made
        if m.untouched
        for a in m.found
    )


def test_stops_hold_and_trimmers_go_round(sheet: Sheet, physics: PhysicsFile) -> None:
    mechanics = Mechanics(sheet, specimen(sheet, physics, 3))
    moved = mechanics.turn("T1", 20 * 360_000)
    assert moved < 20 * 360_000 and mechanics.position("T1") == pytest.approx(8.0, abs=1e-5)
    assert mechanics.turn("T1", 45_000) == 0
    assert mechanics.turn("T1", -moved) == -moved and mechanics.moved_mdeg["T1"] == 0
    radio = SimulatedRadio(sheet, physics, 3)
    before = radio.reference_hz()
    assert radio.mechanics.turn("CT1", 3 * 360_000) == 3 * 360_000
    assert radio.reference_hz() == pytest.approx(before, abs=1e-3)
    assert mechanics.turn("P1", 400_000) < 270_000


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('format = "unitone-physics/1"', 'format = "unitone-physics/2"', "format"),
        ('kind = "mixer"\ngain = "7 dB"', 'kind = "mixer"\ngain = "7 V"', "does not fit"),
        ("q = 30", "q = -30", "more than 0"),
        ("[adjuster.P1]", "[adjuster.P77]", "no such adjuster"),
        ("[s_meter]", "[s_metre]", "s_metre"),
        ('knee = "-136 dBm"', 'knee = "loud"', "knee"),
        ("poles = 4", "poles = 4\ncolour = 3", "colour"),
        ('centre = "455 kHz"', "", "centre"),
        ("[reference]", "[reference", "no valid TOML"),
    ],
)
def test_a_wrong_physics_file_says_where_and_why(sheet: Sheet, old: str, new: str, says: str) -> None:
    assert old in PHYSICS
    with pytest.raises(SheetError) as error:
        parse_physics(PHYSICS.replace(old, new, 1), "radio.physics.toml", sheet)
    assert any(says in p and p.startswith("radio.physics.toml:") for p in error.value.problems), error.value.problems


def test_no_physics_file(sheet: Sheet, tmp_path: Path) -> None:
    with pytest.raises(SheetError, match="needs this physics file"):
        read_physics(tmp_path / "none.physics.toml", sheet)


def test_the_receiver_is_the_same_in_blocks_and_whole(sheet: Sheet, physics: PhysicsFile) -> None:
    signal = Signal(27.205e6, -100.0, 1000.0, 1500.0)
    whole = SimulatedRadio(sheet, physics, 4).receive(1.0, "20", signal, Panel()).audio
    radio = SimulatedRadio(sheet, physics, 4)
    parts = np.concatenate([radio.receive(0.1, "20", signal, Panel()).audio for _ in range(10)])
    # The noise is drawn in another order, the tone is not: on a strong signal the two agree sample by sample.
    assert np.corrcoef(whole[4800:], parts[4800:])[0, 1] > 0.99


def test_pair_and_neighbours_interact(sheet: Sheet, physics: PhysicsFile) -> None:
    radio = SimulatedRadio(sheet, physics, 9)
    radio.mechanics.specimen.found.update(radio.mechanics.specimen.right)

    def best_of_t4() -> float:
        grid = np.arange(-8, 9) * 22_500
        figures = []
        for mdeg in grid:
            radio.mechanics.moved_mdeg["T4"] = int(mdeg)
            figures.append(radio.receiver.chain(27.205e6).noise_figure_db())
        radio.mechanics.moved_mdeg["T4"] = 0
        return float(grid[int(np.argmin(figures))])

    assert abs(best_of_t4()) <= 22_500
    radio.mechanics.moved_mdeg["T5"] = 540_000
    assert abs(best_of_t4()) >= 45_000


def test_panels() -> None:
    assert Panel.from_positions((("squelch", "50 %"), ("volume", "full"))) == Panel(0.5, 1.0)
    assert Panel.from_positions((("squelch", "open"),)).squelch is None
    for bad in ("loud", "140 %"):
        with pytest.raises(BenchError):
            Panel.from_positions((("volume", bad),))


def test_no_instrument_is_told_the_answer() -> None:
    source = inspect.getsource(instruments)
    for secret in (
        "specimen.right",
        ".right[",
        "noise_figure_db",
        ".watts(",
        "deviation_hz(",
        "if_offset_hz",
        "mechanics.off",
    ):
        assert secret not in source


def test_readings_have_noise_but_no_bias(aligned: SimulatedRadio, sheet: Sheet) -> None:
    bench = SimulatedBench(aligned)
    volts = [bench.measure("supply.rail", sheet.step("rail").required[0]).value or 0.0 for _ in range(20)]
    assert np.std(volts) > 0 and np.mean(volts) == pytest.approx(aligned.rail_volts("TP1"), abs=0.01)
    watts = bench.measure("tx.power", sheet.step("power").required[0])
    assert watts.value == pytest.approx(aligned.transmitter.watts(27.205e6), rel=0.02) and watts.std
    counted = bench.measure("ref.frequency", sheet.step("reference").required[0]).value or 0.0
    assert counted == pytest.approx(aligned.reference_hz(bench.seconds()), abs=3.0)
    assert abs(bench.measure("tx.frequency_error", sheet.step("frequency").required[1]).value or 0.0) < 15
    deviation = bench.measure("tx.deviation", sheet.step("deviation").required[0]).value or 0.0
    assert deviation == pytest.approx(aligned.transmitter.deviation_hz(0.02, aligned.rail_share()), rel=0.01)
    harmonic = bench.measure("tx.harmonic", sheet.step("power").required[0])
    assert harmonic.value == pytest.approx(-64.0, abs=1.5) and "analyser" in harmonic.instrument
    with pytest.raises(BenchError, match="no instrument"):
        bench.measure("tx.psophometer", Conditions())


def test_the_needle_averages_and_forgets_when_something_moves(aligned: SimulatedRadio, sheet: Sheet) -> None:
    bench = SimulatedBench(aligned)
    wanted = sheet.step("front-end").required[0]
    shown = [bench.live("rx.sinad", wanted) for _ in range(12)]
    assert all(m is not None for m in shown)
    sinad = bench.meter_for("rx.sinad")
    assert isinstance(sinad, SinadMeter) and sinad.blocks.seconds == pytest.approx(1.0)
    first, last = shown[0], shown[-1]
    assert first is not None and last is not None and (first.std or 0) > (last.std or 0)
    bench.turn("T1", 360_000)
    bench.live("rx.sinad", wanted)
    assert sinad.blocks.seconds == pytest.approx(0.1)
    assert bench.live("rx.squelch_opens", sheet.step("squelch").required[0]) is None


def test_a_reading_is_broken_off_and_the_next_is_whole(aligned: SimulatedRadio, sheet: Sheet) -> None:
    bench = SimulatedBench(aligned)
    wanted = sheet.step("front-end").required[0]
    bench.cancel()
    with pytest.raises(BenchError, match="broken off"):
        bench.measure("rx.sinad", wanted)
    assert (bench.measure("rx.sinad", wanted).value or 0.0) > 6.0


def test_each_quantity_is_read_by_one_meter_alone(aligned: SimulatedRadio) -> None:
    bench = SimulatedBench(aligned)
    for quantity_id in QUANTITIES:
        reading = [m for m in bench.meters if m.measures(quantity_id)]
        assert len(reading) <= 1 and bench.can_measure(quantity_id) == bool(reading), quantity_id
    assert not bench.can_measure("rx.sensitivity"), "found by several readings"


def test_squelch_words_at_both_ends(aligned: SimulatedRadio, sheet: Sheet) -> None:
    bench = SimulatedBench(aligned)
    wanted = sheet.step("squelch").required[0]
    opened = bench.measure("rx.squelch_opens", wanted).value or 0.0
    assert -121.5 < opened < -112.0
    bench.turn("P6", -270_000)
    loose = bench.measure("rx.squelch_opens", wanted)
    assert (loose.bound, loose.word) == ("<", "always open")
    bench.turn("P6", 270_000)
    bench.turn("P6", 270_000)
    tight = bench.measure("rx.squelch_opens", wanted)
    assert tight.word == "never opens" or (tight.value or 0) > opened + 4


def test_a_vco_out_of_range_does_not_lock(aligned: SimulatedRadio) -> None:
    assert (
        aligned.locked(Place("receive", channel="1")) and 2.0 < aligned.vco_volts(Place("receive", channel="1")) < 3.0
    )
    assert aligned.vco_volts(Place("receive", channel="40")) > aligned.vco_volts(Place("receive", channel="1"))
    aligned.mechanics.turn("L1", -4 * 360_000)
    aligned.mechanics.specimen.found["L1"] = 0.0
    aligned.mechanics.moved_mdeg["L1"] = -3_000_000
    assert not aligned.locked(Place("receive", channel="40"))
    heard = aligned.receive(0.5, "40", Signal(27.405e6, -60.0, 1000.0, 1500.0), Panel())
    assert heard.needle < 0.3


def test_emitted_components(aligned: SimulatedRadio) -> None:
    carrier, second = aligned.emit(0.2, Place("transmit", channel="20"), 1e6)
    assert carrier.centre_hz == 27_205_000 and second.centre_hz == 54_410_000
    assert 10 * np.log10(second.watts / carrier.watts) == pytest.approx(-64, abs=0.1)
    assert carrier.watts == pytest.approx(4.0, rel=0.05)
