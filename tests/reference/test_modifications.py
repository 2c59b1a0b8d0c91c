"""What is modified, against outside circuit solvers and published figures: ripple, taps, clarifiers on a VFO, diodes, time constants, power."""

from __future__ import annotations

import math
import shutil
import subprocess

import numpy as np
import pytest
from scipy import signal

from unitone.calculators.catalogue import calculator_of
from unitone.calculators.typed import work_out
from unitone.radio.clarifier import Quartz, Varactor, load_elastance, slider_volts, vfo_swing
from unitone.radio.crystals import loaded_frequency
from unitone.radio.vco import resonant_hz

solver = pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed: apt-get install ngspice")


def answers(name: str, **typed: str) -> dict[str, float]:
    return {a.key: a.value for a in work_out(calculator_of(name), typed) if a.value is not None}


def ac(deck: str, node: str, hz: float) -> float:
    """Volts at a node for a volt of drive at one frequency, by ngspice."""
    text = f"x\n{deck}.ac lin 1 {hz} {hz}\n.print ac vm({node})\n.options numdgt=12\n.end\n"
    done = subprocess.run(["ngspice", "-b"], input=text, capture_output=True, text=True, check=False, timeout=60)
    row = next(line.split() for line in done.stdout.splitlines() if line.startswith("0\t") or line.split()[:1] == ["0"])
    return float(row[2])


@solver
@pytest.mark.parametrize(
    ("hz", "farad", "coil", "ohm"),
    [(100, 2200e-6, 2e-3, 0.1), (300, 470e-6, 1e-3, 0.0), (50, 1000e-6, 0.0, 2.2), (600, 4700e-6, 5e-3, 0.5)],
)
def test_ripple_behind_a_filter_as_ngspice_has_it(hz: float, farad: float, coil: float, ohm: float) -> None:
    deck = f"V1 in 0 ac 1\nR1 in a {max(ohm, 1e-9)}\nL1 a out {max(coil, 1e-15)}\nC1 out 0 {farad}\n"
    made = answers("ripple", hz=str(hz), farad=f"{farad}", coil=f"{coil}", ohm=f"{ohm}", amps="1")
    assert made["share"] == pytest.approx(ac(deck, "out", hz), rel=1e-4)
    assert made["db"] == pytest.approx(20 * math.log10(made["share"]))


def test_a_plain_rc_is_scipy_s_low_pass() -> None:
    """-3 dB at 1/(2πRC), and the step reaches 63 % after RC (scipy.signal)."""
    made = answers("time-constant", ohm="47k", farad="1 uF", wanted="150 ms")
    system = signal.TransferFunction([1.0], [made["seconds"], 1.0])
    _, magnitude, _ = signal.bode(system, [2 * math.pi * made["hz"]])
    assert magnitude[0] == pytest.approx(-10 * math.log10(2), abs=1e-3)
    t, y = signal.step(system, T=np.linspace(0, made["seconds"], 200))
    assert t[-1] == pytest.approx(0.047) and y[-1] == pytest.approx(1 - math.exp(-1), rel=1e-6)
    assert made["farad"] == pytest.approx(0.150 / 47e3) and made["times"] == pytest.approx(0.150 / 0.047)


@solver
def test_a_tap_against_the_whole_winding_as_ngspice_has_it() -> None:
    """A tank at resonance behind a current source, its load at a quarter of the turns, then across all of them: ideal coupling."""
    hz, tank, low, high, ratio = 27e6, 15e3, 1e3, 100e3, 4.0
    whole = 1.2e-6
    farad = 1 / ((2 * math.pi * hz) ** 2 * whole)
    # Two windings as one: the lower quarter holds a sixteenth of the inductance.
    deck = "I1 0 top ac 1\nLA top tap {a}\nLB tap 0 {b}\nK1 LA LB 0.999999\nC1 top 0 {c}\nRT top 0 {t}\n{load}"
    parts = {"a": whole * (1 - 1 / ratio) ** 2, "b": whole / ratio**2, "c": farad, "t": tank}
    before = ac(deck.format(**parts, load=f"RL tap 0 {low}\n"), "tap", hz)
    after = ac(deck.format(**parts, load=f"RL top 0 {high}\n"), "top", hz)
    made = answers("tap", turns="12", tap="3", low="1k", high="100k", tank="15k")
    # The source gives the same current into the tank here: its power goes with the resistance, which the calculator takes as equal.
    same_power = 20 * math.log10(after / before) - 10 * math.log10(made["q_ratio"])
    assert made["db"] == pytest.approx(same_power, abs=0.05)


@solver
def test_a_clarifier_swings_a_vfo_as_ngspice_has_it() -> None:
    """The tank's largest voltage, the junction behind its coupling capacitor, biased through 10 MΩ."""
    henry, farad, coupling = 2.2e-6, 330e-12, 47e-12
    varactor = Varactor(33e-12, 4.0)
    for volts in (1.0, 4.0, 8.0):
        own = varactor.capacitance(volts)
        wanted = vfo_swing(henry, farad, varactor, (volts, volts), coupling).middle
        assert wanted == pytest.approx(resonant_hz(henry, farad + 1 / (1 / own + 1 / coupling)), rel=1e-12)
        deck = (
            f"I1 0 t ac 1\nL1 t 0 {henry}\nC1 t 0 {farad}\nR1 t 0 200k\nCC t v {coupling}\nCV v 0 {own}\nRB v 0 10meg\n"
        )
        beside = [ac(deck, "t", wanted * (1 + by)) for by in (-3e-4, 0.0, 3e-4)]
        assert beside[1] > beside[0] and beside[1] > beside[2]


def test_a_clarifier_without_its_parts_is_a_plain_loaded_crystal() -> None:
    """With the coil linked out and the varactor very large, the load is the oscillator's own capacitance (IEC 60122-1)."""
    quartz = Quartz(14.46e6, 30e-12, 14e-15, 4e-12)
    huge = load_elastance(quartz.hz, 47e-12, 1.0, "series")
    assert quartz.pulled(huge) == pytest.approx(loaded_frequency(quartz.series_hz, 14e-15, 4e-12, 47e-12), rel=1e-9)
    assert quartz.pulled(1 / 30e-12) == pytest.approx(quartz.hz, rel=1e-12)
    across = load_elastance(quartz.hz, 20e-12, 10e-12, "across")
    assert quartz.pulled(across) == pytest.approx(loaded_frequency(quartz.series_hz, 14e-15, 4e-12, 30e-12), rel=1e-12)
    # A potentiometer of 10 kΩ between two of 1 kΩ at 8 V.
    assert slider_volts(8.0, 1e3, 10e3, 1e3) == pytest.approx((8 / 12, 88 / 12))
    made = answers(
        "clarifier-crystal",
        hz="14.46M",
        osc="47 pF",
        varactor="33 pF",
        coil="4.7 uH",
        supply="8 V",
        pot="10k",
        top="1k",
        bottom="1k",
    )
    assert (
        made["swing_hz"] == pytest.approx(abs(made["up_hz"] - made["down_hz"]))
        and made["no_resistors_hz"] > made["swing_hz"]
    )
    assert made["no_coil_hz"] < made["swing_hz"]


def test_more_power_in_s_units() -> None:
    """IARU Region 1 R.1: 6 dB an S-unit. Four times the power is 6 dB (handbook table, from memory)."""
    four = answers("louder", **{"from": "4 W", "to": "16 W"})
    assert four["db"] == pytest.approx(6.02, abs=0.01) and four["s_units"] == pytest.approx(1.0, abs=0.01)
    quarter = answers("louder", **{"from": "4 W", "to": "5 W"})
    assert quarter["s_units"] == pytest.approx(1 / 6, abs=0.01)


def test_diodes_by_their_forward_voltage() -> None:
    """Common practice, no source: silicon conducts last, germanium first; the threshold goes with the voltage."""
    order = [answers("meter-diode", was="silicon", now=now)["db"] for now in ("silicon", "schottky", "germanium")]
    assert order[0] == 0.0 > order[1] > order[2] and order[2] == pytest.approx(20 * math.log10(0.15 / 0.50))
