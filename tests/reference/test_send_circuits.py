"""The transmit side against the outside: ngspice for trap and bias divider, the definitions of PEP, depth and index, the rules' ceilings."""

from __future__ import annotations

import math
import re
import shutil
import subprocess

import numpy as np
import pytest
from scipy import special
from scipy.optimize import brentq

from unitone.calculators.catalogue import calculator_of
from unitone.calculators.typed import work_out
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.mixing_model import Place
from unitone.signals.am import measure_am
from unitone.signals.carrier import strongest
from unitone.signals.fm import carrier_depth_db, measure_fm, null_deviation
from unitone.simulator.physics import read_physics
from unitone.simulator.radio import SimulatedRadio

solver = pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed: apt-get install ngspice")


def spice(deck: str) -> list[float]:
    """The last column of ngspice's printed table."""
    done = subprocess.run(["ngspice", "-b"], input=deck, capture_output=True, text=True, check=False, timeout=60)
    rows = [line.split() for line in done.stdout.splitlines() if re.match(r"^\d+\s", line)]
    assert rows, done.stdout[-400:] + done.stderr[-400:]
    return [float(r[-1]) for r in rows]


@pytest.fixture(scope="module")
def radio() -> SimulatedRadio:
    sheet = read_sheet(find("ostrel-curlew-5"))
    made = SimulatedRadio(sheet, read_physics(physics_path(find("ostrel-curlew-5")), sheet), 11)
    made.mechanics.specimen.found.update(made.mechanics.specimen.right)
    return made


@solver
@pytest.mark.parametrize("turns", [0.0, 0.5, -1.2])
def test_the_harmonic_trap_is_the_circuit_that_ngspice_solves(radio: SimulatedRadio, turns: float) -> None:
    """A series-tuned trap across a matched 50 Ω line: what it takes at twice the carrier, over the bands, within 0.2 dB."""
    assert radio.transmitter is not None and radio.transmitter.transmit.trap is not None
    transmit, trap = radio.transmitter, radio.transmitter.transmit.trap
    radio.mechanics.moved_mdeg["L10"] = round(turns * 360_000)
    centre = trap.centre + turns * trap.per_turn
    # 25 Ω is what the trap sees; 1 + 25/r is its depth, and its Q is its own.
    r = 25.0 / (10.0 ** (trap.depth / 20.0) - 1.0)
    inductance = trap.q * r / (2 * math.pi * centre)
    capacitance = 1.0 / ((2 * math.pi * centre) ** 2 * inductance)
    try:
        for carrier in (26.065e6, 27.185e6, 28.305e6):
            deck = (
                f"trap\nV1 in 0 ac 2\nRS in out 50\nRL out 0 50\nR1 out a {r:.9g}\nL1 a b {inductance:.9e}\n"
                f"C1 b 0 {capacitance:.9e}\n.ac lin 1 {2 * carrier:.1f} {2 * carrier:.1f}\n.print ac vdb(out)\n.end\n"
            )
            assert transmit.second_dbc(carrier) - transmit.transmit.harmonic_dbc == pytest.approx(
                spice(deck)[0], abs=0.2
            )
    finally:
        radio.mechanics.moved_mdeg["L10"] = 0


@solver
def test_the_resistor_that_is_named_puts_the_bias_where_it_is_wanted() -> None:
    """A preset between two resistors, its ends at 0.35 and 0.55 V, 0.65 V wanted: fitted as told, ngspice finds it inside the range."""
    typed = {"low": "0.35 V", "high": "0.55 V", "wanted": "0.65 V", "preset": "1k", "supply": "8 V", "change": "top"}
    made = {a.key: a for a in work_out(calculator_of("preset"), typed)}
    top, bottom = made["top"].value, made["bottom"].value
    part = next(a for key, a in made.items() if key.startswith("part") and a.value)
    assert top is not None and bottom is not None and part.value is not None

    def ends(above: float) -> list[float]:
        deck = "bias\nV1 s 0 8\nR1 s high {a:.6g}\nR2 high low 1000\nR3 low 0 {b:.6g}\n.op\n.print op v(low) v(high)\n.end\n"
        done = subprocess.run(
            ["ngspice", "-b"], input=deck.format(a=above, b=bottom), capture_output=True, text=True, check=False
        )
        found = dict(re.findall(r"^\s*(?:v\()?(low|high)\)?\s*=?\s+([-+0-9.e]+)\s*$", done.stdout, re.MULTILINE))
        return [float(found["low"]), float(found["high"])]

    assert ends(top) == pytest.approx([0.35, 0.55], rel=1e-3), (
        "the circuit that was worked out is the one that was measured"
    )
    low, high = ends(part.value)
    assert low < 0.65 < high and 0.2 < (0.65 - low) / (high - low) < 0.8


def test_peak_envelope_power_by_its_definition() -> None:
    """ITU-R V.573 / Radio Regulations 1.157: the mean over one cycle at the crest of the envelope; two equal tones: twice the mean."""
    t = np.arange(48_000) / 48_000
    two = np.exp(2j * np.pi * 700 * t) + np.exp(2j * np.pi * 1900 * t)
    mean, crest = float(np.mean(np.abs(two) ** 2)), float(np.max(np.abs(two) ** 2))
    made = {a.key: a.value for a in work_out(calculator_of("pep"), {"mean": f"{mean:.6f} W", "signal": "two"})}
    assert crest / mean == pytest.approx(2.0, rel=1e-3) and made["pep"] == pytest.approx(crest, rel=1e-3)
    am = 1.0 + 0.8 * np.cos(2 * np.pi * 1000 * t)
    made = {
        a.key: a.value
        for a in work_out(calculator_of("pep"), {"mean": f"{np.mean(am**2):.6f} W", "signal": "am", "depth": "80"})
    }
    assert made["pep"] == pytest.approx(float(np.max(am**2)), rel=1e-3)
    # Fully modulated AM: the crest is four carriers (any handbook).
    full = {a.key: a.value for a in work_out(calculator_of("pep"), {"mean": "6 W", "signal": "am", "depth": "100"})}
    assert full["pep"] == pytest.approx(16.0)


def test_depth_by_its_definition_on_scope_and_by_iq() -> None:
    """m = (Vmax − Vmin)/(Vmax + Vmin): 8 and 1 divisions are 77.8 %; the same envelope by I/Q agrees."""
    made = {a.key: a.value for a in work_out(calculator_of("depth"), {"most": "8 V", "least": "1 V"})}
    assert made["depth_pct"] == pytest.approx(100 * 7 / 9)
    t = np.arange(48_000) / 48_000
    envelope = (4.5 + 3.5 * np.sin(2 * np.pi * 1000 * t)) * np.exp(2j * np.pi * 37 * t)
    assert measure_am(envelope, 48_000.0).depth_pct == pytest.approx(100 * 7 / 9, abs=0.1)


@pytest.mark.parametrize("null", [1, 2])
def test_a_carrier_null_and_the_iq_meter_agree_within_a_per_cent(radio: SimulatedRadio, null: int) -> None:
    """The preset is turned until the carrier line vanishes; β is then a zero of J0 (Abramowitz & Stegun, table 9.5)."""
    assert radio.transmitter is not None
    tone = 450.0
    place = Place("transmit", "C", "fm", "20")

    def line(share: float) -> float:
        """The carrier's amplitude, its sign with it, from what the socket gives: by J0 of the index only in sign."""
        radio.mechanics.moved_mdeg["P7"] = round(share)
        sent = strongest(radio.emit(0.5, place, 2000.0, 0.02, tone))
        x = np.asarray(sent.envelope)
        report = measure_fm(x, sent.rate, tone)
        depth = carrier_depth_db(x, sent.rate, report.carrier_error_hz)
        sign = math.copysign(1.0, float(special.j0(report.peak_deviation_hz / tone)))
        return sign * 10.0 ** (depth / 20.0)

    aim = null_deviation(tone, null)
    full = radio.transmitter.transmit.most_deviation
    here = radio.mechanics.share("P7")
    guess = (aim / full - here) * radio.sheet.adjuster("P7").travel_mdeg
    try:
        brentq(line, guess - 9_000, guess + 9_000, xtol=150)
        sent = strongest(radio.emit(0.5, place, 2000.0, 0.02, tone))
        shown = measure_fm(np.asarray(sent.envelope), sent.rate, tone).peak_deviation_hz
    finally:
        radio.mechanics.moved_mdeg["P7"] = 0
    assert shown == pytest.approx(special.jn_zeros(0, null)[-1] * tone, rel=0.01)


def test_the_ceilings_of_the_shipped_sheets_are_the_rules() -> None:
    """47 CFR 95 subpart D: 4 W carrier, 12 W PEP, 2 kHz, 100 %, 60 dB (from memory); a sheet adds a tenth for its wattmeter."""
    for name in ("ostrel-curlew-5", "ostrel-tarn-40", "ostrel-weir-40-am", "ostrel-teal-6"):
        sheet = read_sheet(find(name))
        most = dict(sheet.rule.most)
        assert "95 subpart D" in sheet.rule.name
        assert most["tx.power"] == pytest.approx(4.0 * 1.1) and most.get("tx.pep", 12.0) == 12.0
        assert most.get("tx.deviation", 2000.0) == 2000.0 and most.get("tx.am_depth", 100.0) == 100.0
        assert most.get("tx.harmonic", -60.0) == -60.0
        for step in sheet.steps:
            ceiling = most.get(step.quantity_id)
            if ceiling is not None:
                assert step.limit.high is not None and step.limit.high <= ceiling, (name, step.id)
