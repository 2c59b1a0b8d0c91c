"""Crystals and VCOs against an outside circuit solver (ngspice, AC analysis), and channel plans against the regulations' figures."""

from __future__ import annotations

import math
import shutil
import subprocess

import pytest

from unitone.radio.channels import PLANS
from unitone.radio.clarifier import Quartz, Varactor, centring_capacitance, crystal_swing
from unitone.radio.crystals import loaded_frequency
from unitone.radio.pulling import from_ends, padders
from unitone.radio.vco import control_volts, resonant_hz, varactor_capacitance
from unitone.radio.vcofit import fit

solver = pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed: apt-get install ngspice")


def peak(deck: str, node: str, low_hz: float, high_hz: float, points: int = 4001) -> float:
    """Frequency (Hz) at which the voltage of ``node`` is largest, joined by a parabola through the three highest points."""
    text = f"{deck}.ac lin {points} {low_hz:.6f} {high_hz:.6f}\n.print ac vm({node})\n.options numdgt=12\n.end\n"
    done = subprocess.run(["ngspice", "-b"], input=text, capture_output=True, text=True, check=False, timeout=120)
    rows = [line.split() for line in done.stdout.splitlines()]
    # The solver prints frequencies to seven figures: they follow from the number of the row.
    step = (high_hz - low_hz) / (points - 1)
    table = [(low_hz + int(r[0]) * step, float(r[2])) for r in rows if len(r) == 3 and r[0].isdigit()]
    assert len(table) == points, done.stdout[-500:] + done.stderr[-500:]
    at = max(range(1, points - 1), key=lambda k: table[k][1])
    (_, a), (hz, b), (_, c) = table[at - 1 : at + 2]
    return hz + 0.5 * (a - c) / (a - 2 * b + c) * step


def crystal(load_f: float) -> str:
    """A 10.24 MHz crystal (C1 15 fF, C0 4 pF, 1 Ω: losses shift a resonance) in series with its load, driven and sensed through small resistors."""
    fs, c1 = 10.238e6, 15e-15
    inductance = 1 / ((2 * math.pi * fs) ** 2 * c1)
    return f"crystal\nV1 in 0 ac 1\nR1 a b 1\nL1 b c {inductance:.12e}\nC1 c d {c1}\nC0 a d 4p\nRG in a 0.1\nCL d out {load_f}\nRS out 0 0.1\n"


@solver
def test_a_crystal_is_pulled_as_ngspice_has_it() -> None:
    """f_L = f_s(1 + C1/(2(C0 + C_L))), IEC 60122-1: the series resonance of crystal and load, within a part in ten million."""
    found = {}
    for load in (20e-12, 38e-12, 63e-12):
        expected = loaded_frequency(10.238e6, 15e-15, 4e-12, load)
        found[load] = peak(crystal(load), "out", expected - 400, expected + 400)
        assert found[load] == pytest.approx(expected, rel=2e-7), load
    # Read at its trimmer's ends only, the crystal is known well enough for the padder that is fitted then.
    made = from_ends(found[63e-12], found[38e-12], 33e-12, (5e-12, 30e-12), 4e-12)
    assert made.c1 == pytest.approx(15e-15, rel=0.01) and made.series_hz == pytest.approx(10.238e6, abs=5)
    wanted = found[38e-12] + 250.0
    part = padders(made, wanted, (5e-12, 30e-12))[0]
    ends = [peak(crystal(part.total + t), "out", wanted - 3000, wanted + 3000) for t in (30e-12, 5e-12)]
    assert 0.25 < (wanted - ends[0]) / (ends[1] - ends[0]) < 0.75


@solver
def test_a_vco_is_tuned_as_ngspice_has_it() -> None:
    """Coil, fixed capacitor and a junction of CJO 60 pF, VJ 0.75 V, M 0.5, reverse biased: resonance by AC analysis at five voltages."""
    law = (60e-12, 0.75, 0.5)
    coil, fixed = 1.0e-6, 8e-12
    read = []
    for volts in (1.5, 2.2, 3.0, 4.0, 5.0):
        expected = resonant_hz(coil, fixed + varactor_capacitance(volts, *law))
        deck = (
            f"vco\nV1 in 0 dc 0 ac 1\nRG in t 100k\nL1 t 0 {coil}\nCF t 0 {fixed}\nCC t k 1u\nD1 0 k v\nVB bias 0 dc {volts}\nRB bias k 1meg\n"
            ".model v D(is=1e-18 cjo=60p vj=0.75 m=0.5 fc=0.5)\n"
        )
        found = peak(deck, "t", 0.97 * expected, 1.03 * expected, 2001)
        assert found == pytest.approx(expected, rel=5e-4), volts
        read.append((found, volts))
    made = fit([r for k, r in enumerate(read) if k != 2])
    assert made.volts(read[2][0]) == pytest.approx(3.0, abs=0.02)
    assert control_volts(read[2][0], coil, fixed, *law) == pytest.approx(3.0, abs=0.02)


def test_channel_plans_are_the_regulations() -> None:
    """47 CFR 95.963 (from memory): channel 1 at 26.965, 40 at 27.405 MHz, 23 to 25 out of order, five 20 kHz gaps; MPT 1320 (from memory)."""
    eu = PLANS["eu-40"]
    assert (eu.frequency("1"), eu.frequency("40")) == (26_965_000, 27_405_000)
    assert [eu.frequency(c) for c in ("22", "23", "24", "25", "26")] == [
        27_225_000,
        27_255_000,
        27_235_000,
        27_245_000,
        27_265_000,
    ]
    gaps = [a for a, b in zip(sorted(eu.hz), sorted(eu.hz)[1:], strict=False) if b - a == 20_000]
    assert [g + 10_000 for g in gaps] == [26_995_000, 27_045_000, 27_095_000, 27_145_000, 27_195_000]
    assert PLANS["uk-40"].frequency("20") == 27_791_250 and PLANS["uk-40"].frequency("1") == 27_601_250


@solver
def test_a_clarifier_swings_a_crystal_as_ngspice_has_it() -> None:
    """Crystal, coil, junction (CJO, VJ 0.7 V, M 0.5, biased through 10 MΩ) and the oscillator's capacitance in a loop: where its current is
    largest, at five positions of the potentiometer; and the middle once the capacitance is as told."""
    fs, c1, c0, coil, osc = 14.455e6, 14e-15, 4e-12, 4.7e-6, 47e-12
    inductance = 1 / ((2 * math.pi * fs) ** 2 * c1)
    quartz = Quartz(loaded_frequency(fs, c1, c0, 30e-12), 30e-12, c1, c0)
    assert quartz.series_hz == pytest.approx(fs, rel=1e-9)
    varactor = Varactor(33e-12, 4.0)
    cjo = 33e-12 * (1 + 4.0 / 0.7) ** 0.5

    def deck(volts: float, own: float) -> str:
        return (
            f"clarifier\nV1 in 0 ac 1\nR1 a b 1\nL1 b c {inductance:.12e}\nC1 c d {c1}\nC0 a d {c0}\nRG in a 0.1\nLC d e {coil}\n"
            f"D1 g e dv\nRB e bias 10meg\nRK g 0 10meg\nVB bias 0 {volts:.6f}\nCO g out {own}\nRS out 0 0.1\n"
            f".model dv D(cjo={cjo:.6e} vj=0.7 m=0.5 is=1e-18)\n"
        )

    for volts in (0.5, 1.5, 3.0, 5.0, 7.5):
        made = crystal_swing(quartz, varactor, (volts, volts), osc, "series", coil)
        assert peak(deck(volts, osc), "out", made.middle - 500, made.middle + 500) == pytest.approx(made.middle, abs=12)
    own = centring_capacitance(quartz, varactor, (1.0, 7.0), "series", coil)
    assert own is not None
    assert peak(deck(4.0, own), "out", quartz.hz - 500, quartz.hz + 500) == pytest.approx(quartz.hz, abs=12)
