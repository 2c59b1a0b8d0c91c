"""The receive side against the outside: coupled circuits in ngspice, AM and its noise by the textbook, S-units, usual sensitivities."""

from __future__ import annotations

import math
import re
import shutil
import subprocess
from dataclasses import replace

import numpy as np
import pytest

from unitone.align.pairs.pair import response_db
from unitone.radio.noise import KT0
from unitone.robot.many import simulated
from unitone.sheet.model.sheet import Conditions
from unitone.simulator.mechanics import unit_mdeg
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench

solver = pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed: apt-get install ngspice")
WEIR = "ostrel-weir-40-am"


def aligned(seed: int = 5, fault: str = "") -> SimulatedBench:
    _, sheet, physics = simulated(WEIR)
    radio = SimulatedRadio(sheet, physics, seed, fault)
    made = radio.mechanics.specimen
    for name in radio.mechanics.moved_mdeg:
        radio.mechanics.moved_mdeg[name] = round(
            (made.right[name] - made.found[name]) * unit_mdeg(sheet.adjuster(name))
        )
    return SimulatedBench(radio)


@pytest.fixture(scope="module")
def bench() -> SimulatedBench:
    return aligned()


def at(bench: SimulatedBench, level: float, **other: object) -> Conditions:
    return replace(bench.radio.sheet.step("front-end").setting, level_dbm=level, **other)  # type: ignore[arg-type]


@solver
@pytest.mark.parametrize("k", [0.5, 0.8, 1.0, 1.2])
def test_a_coupled_pair_is_what_ngspice_solves(k: float) -> None:
    """Two like parallel circuits at 455 kHz, top-coupled by a small capacitor of k·C/Q: response and -3 dB bandwidth.

    Bandwidth at critical coupling √2·f/Q (F. E. Terman, Radio Engineers' Handbook, 1943, section 3, from memory).
    """
    f0, q, c = 455e3, 60.0, 200e-12
    coupled = k * c / q
    inductance = 1.0 / ((2 * math.pi * f0) ** 2 * (c + coupled))
    resistance = q * 2 * math.pi * f0 * inductance
    deck = (
        f"pair\nI1 0 a AC 1u\nLa a 0 {inductance:.8g}\nCa a 0 {c:.8g}\nRa a 0 {resistance:.8g}\nCk a b {coupled:.8g}\n"
        f"Lb b 0 {inductance:.8g}\nCb b 0 {c:.8g}\nRb b 0 {resistance:.8g}\n.ac lin 401 440k 470k\n.print ac vdb(b)\n.end\n"
    )
    done = subprocess.run(["ngspice", "-b"], input=deck, capture_output=True, text=True, check=False, timeout=60)
    rows = [line.split() for line in done.stdout.splitlines() if re.match(r"^\d+\s", line)]
    hz, db = np.array([[float(r[1]), float(r[-1])] for r in rows]).T
    assert hz.size == 401
    half = f0 / (2 * q)
    # Both are tuned by themselves with the other shorted: there the pair's own centre lies.
    x = (hz - f0) / half
    ours = response_db(x, x, np.array(k), 1.0)
    theirs = db - db[np.argmin(np.abs(hz - f0))]
    near = np.abs(x) < 2.0
    assert np.abs(ours - theirs)[near].max() < 0.7, "a narrow-band formula, a small capacitor's slope left out"
    if k == 1.0:
        inside = hz[ours > -3.01]
        assert inside[-1] - inside[0] == pytest.approx(math.sqrt(2.0) * f0 / q, rel=0.03)


def test_am_sensitivity_is_what_the_noise_allows(bench: SimulatedBench) -> None:
    """(S+N)/N of 10 dB at 30 %: S/N = m²C/(2·N0·W) behind an envelope detector, so C = 9·2·N0·W/m² (any text on AM in noise, from
    memory); W is the audio band's 2.7 kHz, N0 = kT0·F. A usual set needs 0.3 to 1 µV (common practice, no source)."""
    carrier = float(bench.radio.sheet.carrier_hz("20"))
    n0 = KT0 * 10.0 ** (bench.radio.receiver.chain(carrier).noise_figure_db() / 10.0)
    theory = 10.0 * math.log10(9.0 * 2.0 * n0 * 2700.0 / 0.3**2 / 1e-3)
    levels = np.arange(theory - 3.0, theory + 5.0, 1.0)
    read = [np.mean([bench.measure("rx.sn_ratio", at(bench, float(x))).value for _ in range(3)]) for x in levels]
    found = float(np.interp(10.0, read, levels))
    # The skirts of the audio band let some noise more through, and under threshold a diode loses a little.
    assert found == pytest.approx(theory, abs=1.5)
    assert 0.3 < 223_606.8 * 10 ** (found / 20.0) < 1.0


def test_automatic_gain_holds_the_loudness_and_not_the_noise(bench: SimulatedBench) -> None:
    loud = {
        x: bench.measure("rx.af_voltage", at(bench, x, panel=(("squelch", "open"), ("volume", "30 %")))).value or 0.0
        for x in (-98.0, -60.0, -30.0)
    }
    hold = bench.radio.physics.receive.agc.hold  # type: ignore[union-attr]
    assert 20 * math.log10(loud[-30.0] / loud[-60.0]) == pytest.approx((1 - hold) * 30.0, abs=0.5)
    assert 20 * math.log10(loud[-60.0] / loud[-98.0]) < 12.0
    volts = [bench.measure("rx.agc_voltage", at(bench, x)).value or 0.0 for x in (-110.0, -80.0, -60.0)]
    assert volts[0] < 0.1 < volts[1] < volts[2]
    depth = [
        bench.measure(
            "rx.af_voltage", at(bench, -90.0, depth_pct=d, panel=(("squelch", "open"), ("volume", "10 %")))
        ).value
        or 0.0
        for d in (30.0, 60.0)
    ]
    assert depth[1] / depth[0] == pytest.approx(2.0, rel=0.03), "twice the depth is twice the audio"


def test_s9_is_fifty_microvolts_on_an_aligned_radio(bench: SimulatedBench) -> None:
    """IARU Region 1 Technical Recommendation R.1: S9 is -73 dBm below 30 MHz, 6 dB a unit."""
    for level, shown in ((-73.0, 0.0), (-85.0, -12.0), (-53.0, 20.0)):
        assert bench.measure("rx.s_meter", at(bench, level)).value == pytest.approx(shown, abs=3.0)


def test_the_carrier_squelch_closes_lower_than_it_opens(bench: SimulatedBench) -> None:
    """Opens within 0.5 µV just closed, closes 2 to 6 dB lower, tight between 100 µV and 1 mV or so (common practice, no source)."""

    def panel(squelch: str) -> Conditions:
        return at(bench, -70.0, panel=(("squelch", squelch), ("volume", "30 %")))

    just = bench.measure("rx.squelch_opens", replace(panel("just closed"), level_dbm=None))
    assert just.value is not None and 223_606.8 * 10 ** (just.value / 20.0) < 0.5
    tight = replace(panel("100 %"), level_dbm=None)
    opens, closes = bench.measure("rx.squelch_tight", tight).value, bench.measure("rx.squelch_closes", tight).value
    assert opens is not None and closes is not None and 2.0 <= opens - closes <= 6.0
    open_wide = bench.measure("rx.squelch_closes", replace(panel("0 %"), level_dbm=None))
    assert open_wide.value is not None and open_wide.value < opens - 40.0


def test_faults_do_what_the_trade_says() -> None:
    """Practice: a silicon diode leaves the sensitivity alone and kills the bottom of the scale; a mismatch takes both; a leaky
    capacitor takes the squelch its tight end."""
    whole, diode, deaf = aligned(), aligned(fault="silicon-meter-diode"), aligned(fault="mismatch-after-rf")
    ratio = [b.measure("rx.sn_ratio", at(b, -100.0)).value or 0.0 for b in (whole, diode, deaf)]
    assert ratio[1] == pytest.approx(ratio[0], abs=0.8) and ratio[2] < ratio[0] - 7.0
    shown = [b.measure("rx.s_meter", at(b, -97.0)).value or 0.0 for b in (whole, diode, deaf)]
    assert shown[1] < shown[0] - 8.0 and shown[2] < shown[0] - 6.0
    tight = at(whole, -70.0, panel=(("squelch", "100 %"), ("volume", "30 %")))
    ends = [
        b.measure("rx.squelch_tight", replace(tight, level_dbm=None)).value or 0.0
        for b in (whole, aligned(fault="leaky-squelch"))
    ]
    assert ends[1] < ends[0] - 25.0
