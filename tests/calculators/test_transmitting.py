"""Calculators about what is sent, against worked figures and SciPy's Bessel zeros."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import special

from unitone.calculators.calculator import Answer
from unitone.calculators.catalogue import CALCULATORS, calculator_of
from unitone.calculators.typed import work_out
from unitone.errors import UnitoneError


def work(name: str, **typed: str) -> dict[str, Answer]:
    return {a.key: a for a in work_out(calculator_of(name), typed)}


def test_a_harmonic_against_both_rules() -> None:
    # 4 W is +36 dBm; 62 dB below it are -26 dBm, 2.5 uW; 4 nW are -54 dBm, so that -90 dBc are asked of 4 W.
    made = work("harmonic", carrier="4 W", dbc="62")
    assert made["dbm"].value == pytest.approx(-25.98, abs=0.01) and "2.52 µW" in made["dbm"].text
    other = work("harmonic", carrier="4 W", dbc="62", rule="en", which="3")
    assert made["fcc"].text == "inside by 2.0 dB" and made["hz"].value == pytest.approx(54.41e6)
    assert (
        other["en"].text == "over by 28.0 dB"
        and "−90 dBc" in other["en"].words
        and other["hz"].value == pytest.approx(81.615e6)
    )
    assert work("harmonic", dbc="-62")["fcc"].value == made["fcc"].value


@given(st.floats(0.1, 50), st.floats(0, 120))
def test_decibels_below_the_carrier_come_back(watts: float, dbc: float) -> None:
    made = work("harmonic", carrier=f"{watts:.6f} W", dbc=f"{dbc:.6f}")
    assert made["dbm"].value == pytest.approx(10 * math.log10(watts * 1000) - dbc, abs=1e-3)


def test_efficiency_loss_and_deviation() -> None:
    made = work("efficiency", volts="13.2 V", keyed="1.3 A", rest="0.32 A", watts="4 W")
    assert made["final_pct"].value == pytest.approx(100 * 4 / (13.2 * 0.98)) and made["heat_w"].value == pytest.approx(
        13.16
    )
    lost = work("loss", watts="4 W", metres="25", per_100="8", pads="1")
    assert lost["loss_db"].value == pytest.approx(3.0) and lost["watts"].value == pytest.approx(2.0047, abs=1e-4)
    assert lost["factor"].value == pytest.approx(1.995, abs=1e-3)
    for n, zero in enumerate(special.jn_zeros(0, 5), 1):
        at = work("at-null", tone="831.7 Hz", null=str(n), shown="1.95 kHz")
        assert at["beta"].value == pytest.approx(zero, abs=2e-4) and at["deviation_hz"].value == pytest.approx(
            831.7 * zero, rel=1e-4
        )
    assert work("at-null", tone="831.7 Hz", shown="1.95 kHz")["factor"].value == pytest.approx(2000 / 1950, abs=1e-3)


@pytest.mark.parametrize(
    ("name", "typed", "says"),
    [
        ("harmonic", {"carrier": "0 W", "dbc": "60"}, "like 4 W"),
        ("efficiency", {"volts": "13.2 V", "keyed": "0.3 A", "rest": "1.3 A", "watts": "4 W"}, "Swap the two"),
        ("efficiency", {"volts": "13.2 V", "keyed": "1.3 A", "watts": "40 W"}, "More power out"),
        ("loss", {"watts": "4 W", "metres": "-3"}, "expected 0 to"),
        ("at-null", {"tone": "831 Hz", "null": "9"}, "expected 1 to 5"),
        ("at-null", {}, "Missing: Tone"),
    ],
)
def test_what_cannot_be_is_said(name: str, typed: dict[str, str], says: str) -> None:
    with pytest.raises(UnitoneError, match=says):
        work_out(calculator_of(name), typed)


def test_speech_decibels_a_meter_in_line_and_a_radio_that_is_known() -> None:
    # A mean of 1 W of speech: 10 to 14 dB under its peaks, 10 to 25 W; behind a processor 2.5 to 5 W (common practice, no source).
    spoken = work("speech", mean="1 W", voice="voice")
    assert (spoken["least_w"].value, spoken["most_w"].value) == pytest.approx((10.0, 25.12), rel=1e-3)
    assert work("speech", mean="1 W", voice="processed")["most_w"].value == pytest.approx(5.01, rel=1e-3)
    # 36 dBm are 3.98 W; 0 dBm across 50 ohm is 223.6 mV (any handbook).
    assert work("decibels", value="36 dBm")["watts"].value == pytest.approx(3.981, rel=1e-3)
    assert work("decibels", value="0 dBm")["volts"].value == pytest.approx(0.223607, rel=1e-5)
    assert work("decibels", value="4 W")["dbm"].value == pytest.approx(36.02, abs=0.01)
    assert work("in-line", without="4.0 W", **{"with": "3.8 W"})["loss_db"].value == pytest.approx(0.2228, abs=1e-3)
    # Audio goes with deviation: 1.4 V against 1.2 V from 1.9 kHz.
    known = work("compared", known="1.9 kHz", heard="1.2 V", mine="1.4 V")
    assert known["deviation_hz"].value == pytest.approx(1900 * 1.4 / 1.2)


def test_every_sum_has_its_question_formula_and_a_name_of_its_own() -> None:
    assert len({s.name for s in CALCULATORS}) == len(CALCULATORS) == 42
    for s in CALCULATORS:
        assert s.question.endswith("?") and s.formula and s.group and s.given
        assert len({g.key for g in s.given}) == len(s.given) and all(g.words for g in s.given)
        if s.group == "Power":
            assert s.caution or s.name == "pep"
