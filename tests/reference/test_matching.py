"""Match and parts against tables and circuits solved another way: SWR, pads, pulled crystals, loaded dividers, noise figure."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import brentq

from unitone.calculators.catalogue import calculator_of
from unitone.calculators.typed import work_out
from unitone.radio.attenuators import Attenuator, exact, from_series, from_swr


def values(name: str, **typed: str) -> dict[str, float]:
    return {a.key: a.value for a in work_out(calculator_of(name), typed)}


#: SWR, return loss (dB), reflected power (%), mismatch loss (dB): ARRL Handbook, table of mismatch (from memory).
TABLE = (
    (1.1, 26.44, 0.23, 0.01),
    (1.5, 13.98, 4.0, 0.18),
    (2.0, 9.54, 11.1, 0.51),
    (3.0, 6.02, 25.0, 1.25),
    (5.0, 3.52, 44.4, 2.55),
)


@pytest.mark.parametrize(("swr", "return_loss", "percent", "loss"), TABLE)
def test_mismatch_table(swr: float, return_loss: float, percent: float, loss: float) -> None:
    found = from_swr(swr)
    assert found.return_loss_db == pytest.approx(return_loss, abs=0.01)
    assert 100.0 * found.gamma**2 == pytest.approx(percent, abs=0.06)
    assert found.loss_db == pytest.approx(loss, abs=0.006)
    asked = values("swr", **{"from": "powers", "value": f"10 W; {percent / 10:.4f} W", "watts": "4 W"})
    assert asked["swr"] == pytest.approx(swr, rel=0.01)


#: Pads for 50 ohms: dB, pi shunt and series, T series and shunt: ARRL Handbook, table of resistive pads (from memory).
PADS = (
    (1, 869.5, 5.8, 2.9, 433.3),
    (3, 292.4, 17.6, 8.5, 141.9),
    (6, 150.5, 37.4, 16.6, 66.9),
    (10, 96.2, 71.2, 26.0, 35.1),
    (20, 61.1, 247.5, 40.9, 10.1),
)


@pytest.mark.parametrize(("db", "shunt", "series", "arm", "middle"), PADS)
def test_pads_of_the_table(db: float, shunt: float, series: float, arm: float, middle: float) -> None:
    assert exact("pi", db, 50.0).ohms == pytest.approx((shunt, series, shunt), abs=0.06)
    assert exact("tee", db, 50.0).ohms == pytest.approx((arm, middle, arm), abs=0.06)


def solved(pad: Attenuator, watts: float, ohm: float) -> tuple[float, float, list[float]]:
    """(loss dB, input resistance, heat in each) by nodes instead of chain matrices."""
    a, b, c = pad.ohms
    # Nodes: input, output, and the middle of a T; one ampere goes in.
    branches = [(0, -1, a), (0, 1, b), (1, -1, c)] if pad.kind == "pi" else [(0, 2, a), (2, -1, b), (2, 1, c)]
    size = 2 if pad.kind == "pi" else 3
    g = np.zeros((size, size))
    for i, j, r in [*branches, (1, -1, ohm)]:
        for x, y in ((i, j), (j, i)):
            if x >= 0:
                g[x, x] += 1.0 / r
                if y >= 0:
                    g[x, y] -= 1.0 / r
    volts = np.linalg.solve(g, np.eye(size)[0])
    scale = watts / volts[0]
    heat = [scale * (volts[i] - (volts[j] if j >= 0 else 0.0)) ** 2 / r for i, j, r in branches]
    # Insertion loss: a source of the pad's own impedance, with the pad and without it.
    source = (ohm + volts[0]) / 1.0
    return 20.0 * math.log10(source / (2.0 * volts[1])), float(volts[0]), heat


@pytest.mark.parametrize("kind", ["pi", "tee"])
@pytest.mark.parametrize("db", [0.5, 3.0, 10.0, 23.0])
def test_a_pad_of_preferred_values_does_what_its_circuit_does(kind: str, db: float) -> None:
    pad = from_series(exact(kind, db, 50.0), "E12")  # type: ignore[arg-type]
    loss, ohms, heat = solved(pad, 4.0, 50.0)
    assert pad.loss_db(50.0) == pytest.approx(loss, abs=1e-6) and pad.input_ohm(50.0) == pytest.approx(ohms, rel=1e-9)
    assert pad.watts(4.0, 50.0) == pytest.approx(heat, rel=1e-6) and sum(heat) < 4.0
    assert abs(loss - db) < 0.15 * db + 0.3, "twelve values a decade come that near"


def test_a_pulled_crystal_resonates_where_its_circuit_does() -> None:
    """The crystal's equivalent circuit (IEC 60122-1) with its load in series: where the reactance of the whole is zero."""
    c0, c1, hz = 5e-12, 15e-15, 10.24e6

    def resonance(load: float) -> float:
        l1 = 1.0 / ((2.0 * math.pi * hz) ** 2 * c1)

        def reactance(f: float) -> float:
            w = 2.0 * math.pi * f
            motional = w * l1 - 1.0 / (w * c1)
            holder = -1.0 / (w * c0)
            return motional * holder / (motional + holder) - 1.0 / (w * load)

        return brentq(reactance, hz * (1.0 + 1e-6), hz * math.sqrt(1.0 + 0.999 * c1 / c0))

    for how, load in (("series", 1.0 / (1.0 / 30e-12 + 1.0 / 33e-12)), ("parallel", 63e-12)):
        found = values("pull", hz="10.240 MHz", added="33 pF", how=how, load="30 pF", c1="15 fF", c0="5 pF")
        assert found["load_f"] == pytest.approx(load, rel=1e-9)
        assert found["ppm"] == pytest.approx(1e6 * (resonance(load) - resonance(30e-12)) / hz, abs=0.15)


def test_a_meter_loads_a_divider_by_ohms_law() -> None:
    found = values("divider", supply="13.2 V", top="47k", bottom="22k", meter="200k")
    both = 1.0 / (1.0 / 22e3 + 1.0 / 200e3)
    assert found["shown"] == pytest.approx(13.2 * both / (47e3 + both), rel=1e-9)
    assert found["volts"] == pytest.approx(13.2 * 22.0 / 69.0, rel=1e-9) and found["low_pct"] == pytest.approx(
        6.97, abs=0.02
    )
    # With the meter that is named for one per cent, it is one per cent.
    again = values("divider", supply="13.2 V", top="47k", bottom="22k", meter=f"{found['least_ohm']:.6f}")
    assert again["low_pct"] == pytest.approx(1.0, abs=1e-6)


def test_noise_figure_from_sensitivity() -> None:
    """kT0B: −174 dBm in a hertz (ITU-R P.372, from memory), 34.9 dB for 3.1 kHz; 10 dB (S+N)/N is 9.54 dB S/N. 0.25 µV is −119.0 dBm."""
    floor = 10.0 * math.log10(1.380649e-23 * 290.0 * 3100.0 / 1e-3)
    least = floor + 10.0 * math.log10(10.0 - 1.0)
    found = values("noise-figure", level="0.25 uV", modulation="ssb", deviation="1.5 kHz")
    assert found["least_dbm"] == pytest.approx(least, abs=0.05)
    assert found["nf_db"] == pytest.approx(-119.03 - least, abs=0.1)
    assert found["kelvin"] == pytest.approx(290.0 * (10.0 ** (found["nf_db"] / 10.0) - 1.0), rel=1e-6)
