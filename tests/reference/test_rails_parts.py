"""Rails and parts against circuit laws, an outside circuit solver, and the published E-series."""

from __future__ import annotations

import math
import shutil
import subprocess

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unitone.errors import UnitoneError
from unitone.radio.parts import TOLERANCE, judge_capacitor, recap_all
from unitone.radio.rails import E12, E24, as_read_by, divider, halve, low_rail, meter_ohm, preferred, without_meter


def test_a_rail_of_nine_volts_that_stands_at_8_4_behind_47_ohms() -> None:
    # Ohm's law: 0.6 V over 47 Ω are 12.8 mA more than usual, as a leak of 658 Ω would draw.
    found = low_rail(9.0, 8.4, 47.0)
    assert found.extra_a == pytest.approx(0.6 / 47) and found.leak_ohm == pytest.approx(658.0, abs=0.1)
    assert found.resistor_ohm is None and found.leak_w == pytest.approx(8.4 * 0.6 / 47)
    # With 20 mA as usual the source is 9.94 V: a resistor gone high would have to be 77 Ω.
    known = low_rail(9.0, 8.4, 47.0, 0.020)
    assert known.resistor_ohm == pytest.approx(77.0) and known.extra_a == pytest.approx(found.extra_a)
    assert known.resistor_w == pytest.approx((0.020 + 0.6 / 47) ** 2 * 47)


@given(st.floats(1, 500), st.floats(0.05, 0.99), st.floats(0.1, 1e6), st.floats(0, 1))
def test_the_explanation_gives_the_measured_volts_again(
    expected: float, part: float, series: float, usual: float
) -> None:
    measured = expected * part
    found = low_rail(expected, measured, series, usual)
    source = expected + usual * series
    assert source - (usual + found.extra_a) * series == pytest.approx(measured, rel=1e-9, abs=1e-9 * source)
    assert found.leak_ohm * found.extra_a == pytest.approx(measured)
    if found.resistor_ohm is not None and usual > 1e-6:
        assert source - usual * found.resistor_ohm == pytest.approx(measured, rel=1e-6, abs=1e-9 * source)


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed")
def test_a_loaded_divider_as_ngspice_has_it() -> None:
    deck = "divider\nV1 in 0 12\nR1 in tap 47k\nR2 tap 0 22k\nRM tap 0 200k\n.op\n.print op v(tap)\n.end\n"
    done = subprocess.run(["ngspice", "-b"], input=deck, capture_output=True, text=True, check=False)
    shown = next(
        float(line.split()[-1]) for line in done.stdout.splitlines() if line.strip().startswith(("v(tap)", "tap"))
    )
    assert divider(12.0, 47e3, 22e3, 200e3) == pytest.approx(shown, rel=1e-4)


def test_a_meter_of_a_thousand_ohms_per_volt_against_one_of_ten_megohms() -> None:
    # The voltage charts of valve sets were made with meters of stated ohms per volt (common practice, no source).
    old, new = meter_ohm(1000.0, 250.0), 10e6
    assert old == 250_000.0
    plate = 47e3 * 1.0
    truth = without_meter(90.0, plate, old)
    assert truth == pytest.approx(90.0 * (1 + 47 / 250)) and as_read_by(truth, plate, new) == pytest.approx(
        truth, rel=0.005
    )
    assert as_read_by(without_meter(90.0, plate, old), plate, old) == pytest.approx(90.0)
    # A divider read by a meter is the same thing (Thévenin).
    top, bottom = 100e3, 33e3
    thevenin = top * bottom / (top + bottom)
    assert as_read_by(divider(250.0, top, bottom), thevenin, old) == pytest.approx(divider(250.0, top, bottom, old))


def test_the_e_series_are_those_of_the_standard() -> None:
    # IEC 60063: E12 is every other value of E24; neighbours of E24 lie 6 to 16 % apart.
    assert set(E12) == set(E24[::2]) and len(E24) == 24
    ratios = [b / a for a, b in zip(E24, (*E24[1:], 10.0), strict=True)]
    assert min(ratios) > 1.06 and max(ratios) < 1.16
    for wanted, series, nearest in (
        (658, "E24", 680),
        (658, "E12", 680),
        (77, "E24", 75),
        (47, "E12", 47),
        (9.7, "E12", 10),
        (0.105, "E24", 0.11),
    ):
        assert preferred(wanted, series) == pytest.approx(nearest), wanted


@given(st.floats(1e-3, 1e9), st.sampled_from(["E12", "E24"]))
def test_no_other_preferred_value_is_nearer(ohm: float, series: str) -> None:
    found = preferred(ohm, series)
    step = 10 ** (1 / (12 if series == "E12" else 24))
    assert abs(math.log(found / ohm)) <= math.log(step) * 0.85


def test_halving_finds_the_break_in_as_few_readings_as_can_be() -> None:
    for length in range(1, 33):
        for first_bad in range(length + 1):
            points: list[bool | None] = [None] * length
            asked = 0
            while (n := halve(points)) is not None:
                points[n] = n < first_bad
                asked += 1
            assert asked <= math.ceil(math.log2(length + 1)), "as many as binary search needs"
            assert first_bad == next((n for n, p in enumerate(points) if p is False), length)
    assert halve([True, None, False, None]) == 1 and halve([]) is None and halve([False]) is None
    assert halve([None, None, None]) == 1 and halve([False, True, None]) is None


@pytest.mark.parametrize(
    ("kind", "marked", "measured", "esr", "finding"),
    [
        # Far above the marking is leakage read as capacitance; beyond -20/+50 % is bad (common practice, no source).
        ("electrolytic", 100e-6, 260e-6, None, "leaky"), ("electrolytic", 100e-6, 70e-6, None, "low"),
        ("electrolytic", 100e-6, 149e-6, 0.2, "good"), ("electrolytic", 100e-6, 95e-6, 9.0, "esr"),
        ("electrolytic", 100e-6, 80e-6, None, "good"), ("film", 100e-9, 112e-9, None, "high"), ("film", 100e-9, 91e-9, None, "good"),
        ("paper", 47e-9, 90e-9, None, "leaky"), ("ceramic", 10e-9, 17e-9, None, "good"), ("mica", 100e-12, 94e-12, None, "low"),
        ("tantalum", 10e-6, 0.0, None, "low"),
    ],
)  # fmt: skip
def test_capacitors(kind: str, marked: float, measured: float, esr: float | None, finding: str) -> None:
    verdict = judge_capacitor(kind, marked, measured, esr)  # type: ignore[arg-type]
    assert verdict.finding == finding and verdict.replace is (finding != "good")
    if esr is not None:
        # tan δ = ESR / |Xc|, Xc = 1/(2πfC) (any handbook).
        assert verdict.tan_delta == pytest.approx(esr * 2 * math.pi * 100 * measured)


def test_when_most_of_a_sample_are_bad_recapping_beats_chasing() -> None:
    good, bad = judge_capacitor("electrolytic", 1e-6, 1e-6), judge_capacitor("electrolytic", 1e-6, 3e-6)
    assert recap_all([bad, bad]) is None and recap_all([bad, bad, bad, good]) is True
    assert recap_all([bad, bad, good, good]) is False and all(len(v) == 2 for v in TOLERANCE.values())


def test_values_that_cannot_be() -> None:
    for wrong in (
        lambda: low_rail(9.0, 9.5, 47.0), lambda: low_rail(9.0, 8.0, 0.0), lambda: low_rail(9.0, 8.0, 47.0, -1.0),
        lambda: divider(9.0, 0.0, 1.0), lambda: meter_ohm(0.0, 250.0), lambda: without_meter(9.0, -1.0, 1.0), lambda: preferred(0.0),
        lambda: preferred(47.0, "E7"), lambda: judge_capacitor("electrolytic", 0.0, 1.0), lambda: judge_capacitor("wax", 1.0, 1.0),  # type: ignore[arg-type]
    ):  # fmt: skip
        with pytest.raises(UnitoneError) as error:
            wrong()
        assert str(error.value).strip()
