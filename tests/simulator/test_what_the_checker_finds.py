"""Slips in a physics file or sheet that once passed the checker and failed at the bench: each is told with line, key and cure."""

from __future__ import annotations

from pathlib import Path

import pytest

from unitone.cli.commands import run
from unitone.errors import SheetError
from unitone.sheet.format.read import read_sheet
from unitone.sheet.format.warnings import sheet_warnings
from unitone.sheet.library import find, physics_path
from unitone.simulator.physics import parse_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench

TARN = find("ostrel-tarn-40")


def problems(old: str, new: str) -> str:
    text = physics_path(TARN).read_text(encoding="utf-8")
    assert old in text
    with pytest.raises(SheetError) as caught:
        parse_physics(text.replace(old, new, 1), "tarn.physics.toml", read_sheet(TARN))
    return "\n".join(caught.value.problems)


@pytest.mark.parametrize(
    ("old", "new", "key", "cure"),
    [
        ('adjuster = "P1"', 'adjuster = "P99"', "rail.adjuster", "no adjuster 'P99'"),
        ('test_point = "TP1"', 'test_point = "TP9"', "rail.test_point", "TP1, TP2, TP3"),
        ('adjuster = "L1"', 'adjuster = "L77"', "vco.receive.adjuster", "no adjuster 'L77'"),
        ('reason = "threshold"', 'reason = "moon"', "fault.silicon-meter-diode.reason", "one of: at-stop, dead"),
        ("[adjuster.T3]\naligned = 4.0", "[adjuster.T3]\naligned = 40.0", "adjuster.T3.aligned", "outside its travel, 0 to 8"),
        ('centre = "27.185 MHz"\nq = 30', 'centre = "27.185 kHz"\nq = 30', "receive.stage.centre", "Check its unit"),
        ('adjuster = "T2"\ncentre', 'adjuster = "T1"\ncentre', "receive.stage", "turns another circuit already"),
        ('adjuster = "L9"\ncentre', 'adjuster = "L8"\ncentre', "transmit.coil", "turns another coil already"),
        ("drive = 2.5", "drive = 2.5\nwarp = 9", "transmit.warp", "Remove it or check its spelling"),
    ],
)  # fmt: skip
def test_a_slip_is_told_with_its_key_and_cure(old: str, new: str, key: str, cure: str) -> None:
    told = problems(old, new)
    assert key in told and cure in told and "Extra inputs" not in told
    assert all(line.split(":")[1].isdigit() for line in told.splitlines())


def sheet_told(folder: Path, old: str, new: str) -> str:
    text = TARN.read_text(encoding="utf-8")
    assert old in text
    path = folder / "tarn.toml"
    path.write_text(text.replace(old, new, 1), encoding="utf-8")
    with pytest.raises(SheetError) as caught:
        read_sheet(path)
    return "\n".join(caught.value.problems)


def test_figures_that_would_burn_the_final_are_a_slip(tmp_path: Path) -> None:
    assert "With 4.4 W out" in sheet_told(tmp_path, 'keyed = "1.3 A"', 'keyed = "13 A"')


def test_a_tolerance_of_the_s_meter_says_its_unit(tmp_path: Path) -> None:
    assert "0.5 dB, or 0.5 S" in sheet_told(tmp_path, 'tolerance = "3 dB"', 'tolerance = "0.5"')
    text = TARN.read_text(encoding="utf-8").replace('tolerance = "3 dB"', 'tolerance = "0.5 S"', 1)
    (tmp_path / "tarn.toml").write_text(text, encoding="utf-8")
    limit = read_sheet(tmp_path / "tarn.toml").step("s-meter").limit
    assert (limit.low, limit.high) == (-3.0, 3.0), "half an S-unit is 3 dB"


def test_what_holds_and_still_costs_is_a_warning(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    lines = [x for x in TARN.read_text(encoding="utf-8").splitlines() if not x.startswith("affects")]
    path = tmp_path / "mine.toml"
    path.write_text("\n".join(lines), encoding="utf-8")
    physics_path(path).write_text(physics_path(TARN).read_text(encoding="utf-8"), encoding="utf-8")
    warned = sheet_warnings(read_sheet(path), str(path))
    assert any("affects" in w for w in warned)
    assert sheet_warnings(read_sheet(TARN), str(TARN)) == []
    assert run(["sheet", "check", str(path)]) == 0
    said = capsys.readouterr()
    assert "no errors" in said.out and "written for 'ostrel-tarn-40'" in said.err and "(a warning)" in said.err


def made(*changes: tuple[str, str]) -> SimulatedRadio:
    text = physics_path(TARN).read_text(encoding="utf-8")
    for old, new in changes:
        assert old in text
        text = text.replace(old, new, 1)
    sheet = read_sheet(TARN)
    return SimulatedRadio(sheet, parse_physics(text, "tarn.physics.toml", sheet), 5)


def test_a_core_that_goes_through_its_winding_peaks_twice() -> None:
    radio = made(('q = 30\nper_turn = "480 kHz"', 'q = 30\nper_turn = "480 kHz"\nsecond_peak = 2.5'))
    specimen = radio.mechanics.specimen
    specimen.found.update(specimen.right)
    heard = {}
    for turns in (0.0, 1.25, 2.5, -1.25):
        radio.mechanics.moved_mdeg["T1"] = round(turns * 360_000)
        heard[turns] = radio.receiver.noise_figure_db(27.185e6, "fm")
    assert heard[2.5] == pytest.approx(heard[0.0], abs=0.01) and heard[1.25] > heard[0.0] and heard[-1.25] > heard[1.25]


def test_what_nothing_adjusts_stands_right() -> None:
    """A ceramic discriminator, an S-meter without a preset."""
    radio = made(
        ('[receive.detector]\nadjuster = "T6"\nper_turn = "2.6 kHz"', "[receive.detector]"), ('[s_meter]\nadjuster = "P5"', "[s_meter]")
    )  # fmt: skip
    bench = SimulatedBench(radio)
    wanted = radio.sheet.step("detector").setting
    assert (bench.measure("rx.distortion", wanted).value or 99.0) < 5.0
    assert bench.measure("rx.s_meter", radio.sheet.step("s-meter").setting).value is not None
