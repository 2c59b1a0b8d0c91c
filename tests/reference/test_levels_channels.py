"""Levels, S-units and channels against published definitions and tables."""

from __future__ import annotations

import math

import pytest

from unitone.radio.channels import PLANS, plan
from unitone.radio.levels import (
    Dbm,
    VoltsPd,
    dbm_from_pd,
    dbuv_from_pd,
    emf_from_pd,
    pd_from_dbm,
    report_level,
    s9_level,
    s_units_from_dbm,
)

# Definition of the dBm: 1 mW. 0 dBm in 50 ohm is sqrt(1 mW x 50 ohm) = 223.607 mV.
# 1 uV PD in 50 ohm is 10 log10(1e-12/50/1e-3) = -106.9897 dBm; dBuV = dBm + 106.9897 in 50 ohm.
DEFINITION = [
    (0.0, 223.606797749979e-3),
    (-106.98970004336019, 1e-6),
    (-73.01029995663981, 50e-6),
    (-120.96910013008056, 0.2e-6),
    (30.0, 7.0710678118654755),
]


@pytest.mark.parametrize(("dbm", "volts"), DEFINITION)
def test_dbm_and_volts_pd_against_the_definition(dbm: float, volts: float) -> None:
    assert pd_from_dbm(Dbm(dbm)) == pytest.approx(volts, rel=1e-12)
    assert dbm_from_pd(VoltsPd(volts)) == pytest.approx(dbm, abs=1e-9)


def test_other_impedances_against_the_definition() -> None:
    # 0 dBm in 600 ohm is 0.7746 V (the telephone level; ITU-T O.41 uses the same reference), in 75 ohm 273.86 mV.
    assert pd_from_dbm(Dbm(0.0), 600.0) == pytest.approx(0.774597, rel=1e-6)
    assert pd_from_dbm(Dbm(0.0), 75.0) == pytest.approx(0.273861, rel=1e-5)
    assert dbuv_from_pd(VoltsPd(1e-6)) == pytest.approx(0.0, abs=1e-12)
    assert emf_from_pd(VoltsPd(1e-6)) == pytest.approx(2e-6)


# IARU Region 1 Technical Recommendation R.1: S9 = -73 dBm (50 uV) below 30 MHz, -93 dBm (5 uV) above, 6 dB a unit.
# The microvolt column is that of the recommendation, printed to two figures.
IARU = [
    (9, -73, 50.0), (8, -79, 25.0), (7, -85, 12.6), (6, -91, 6.3), (5, -97, 3.2), (4, -103, 1.6), (3, -109, 0.8),
    (2, -115, 0.4), (1, -121, 0.21),
]  # fmt: skip


@pytest.mark.parametrize(("units", "dbm", "microvolts"), IARU)
def test_s_units_below_30_mhz_against_the_iaru_table(units: int, dbm: float, microvolts: float) -> None:
    assert s_units_from_dbm(Dbm(dbm)) == pytest.approx(units)
    assert pd_from_dbm(Dbm(dbm)) * 1e6 == pytest.approx(microvolts, rel=0.06)


def test_s9_above_30_mhz_and_the_other_school() -> None:
    assert s9_level(145e6) == -93.0  # IARU Region 1 R.1
    # Common practice, no source: some makers set S9 at 100 uV PD, 6.02 dB higher than 50 uV.
    assert s9_level(27e6, "100uv-pd") - dbm_from_pd(VoltsPd(50e-6)) == pytest.approx(20 * math.log10(2))


def test_over_s9_in_microvolts() -> None:
    # Arithmetic on S9 = 50 uV: +10 = 158 uV, +20 = 500 uV, +30 = 1.58 mV, +40 = 5 mV.
    for over, volts in ((10, 158e-6), (20, 500e-6), (30, 1.58e-3), (40, 5e-3)):
        assert pd_from_dbm(Dbm(dbm_from_pd(VoltsPd(50e-6)) + over)) == pytest.approx(volts, rel=0.01)


def test_pads_add_to_what_is_dialled() -> None:
    made = report_level(Dbm(-117.0), pads_db=40.0)
    assert made.dial_dbm == pytest.approx(-77.0)
    assert made.dbuv_emf - made.dbuv == pytest.approx(6.0206, abs=1e-4)


# 47 CFR 95.963 (from memory): the forty channels, MHz.
CFR_95_963 = [
    "26.965",
    "26.975",
    "26.985",
    "27.005",
    "27.015",
    "27.025",
    "27.035",
    "27.055",
    "27.065",
    "27.075",
    "27.085",
    "27.105",
    "27.115",
    "27.125",
    "27.135",
    "27.155",
    "27.165",
    "27.175",
    "27.185",
    "27.205",
    "27.215",
    "27.225",
    "27.255",
    "27.235",
    "27.245",
    "27.265",
    "27.275",
    "27.285",
    "27.295",
    "27.305",
    "27.315",
    "27.325",
    "27.335",
    "27.345",
    "27.355",
    "27.365",
    "27.375",
    "27.385",
    "27.395",
    "27.405",
]


def test_the_forty_channels_against_the_rule() -> None:
    assert [f"{hz / 1e6:.3f}" for hz in plan("eu-40").hz] == CFR_95_963
    assert plan("eu-40").frequency("19") == 27_185_000


def test_the_plan_is_no_straight_line() -> None:
    hz = sorted(plan("eu-40").hz)
    gaps = [b for a, b in zip(hz, hz[1:], strict=False) if b - a == 20_000]
    # Facts of the plan (47 CFR 95.963, from memory): the five skipped places lie below these.
    assert [g - 10_000 for g in gaps] == [26_995_000, 27_045_000, 27_095_000, 27_145_000, 27_195_000]
    assert plan("eu-40").hz[22:25] == (27_255_000, 27_235_000, 27_245_000)


def test_the_uk_plan() -> None:
    # MPT 1320 (from memory): 27.60125 MHz and on in 10 kHz steps to 27.99125 MHz; channel 20 is 27.79125 MHz.
    uk = plan("uk-40")
    assert (uk.hz[0], uk.hz[-1], uk.frequency("20")) == (27_601_250, 27_991_250, 27_791_250)
    assert {len(p.names) for p in PLANS.values()} == {40}
