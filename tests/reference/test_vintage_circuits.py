"""IF transformers and oscillator tracking of vintage superhets, against ngspice's AC analysis and textbook figures."""

from __future__ import annotations

import math
import re
import shutil
import subprocess
from pathlib import Path

import numpy as np
import pytest

from unitone.calculators.catalogue import calculator_of
from unitone.calculators.typed import work_out
from unitone.errors import EntryError
from unitone.radio.if_response import Transformer, critical_coupling, damping_ohm, hump_apart_hz, passband, response_db
from unitone.radio.tracking import best_tracking, image_db, image_hz, three_points, tracking_points

IF_HZ, Q, COIL_H = 455e3, 80.0, 1e-3


def ac(
    lines: list[str], node: str, low: float, high: float, points: int, folder: Path
) -> tuple[np.ndarray, np.ndarray]:
    """Frequencies (Hz) and magnitudes at a node, by ngspice."""
    path = folder / "circuit.cir"
    text = [
        "circuit",
        *lines,
        f".ac lin {points} {low} {high}",
        ".control",
        "set numdgt=9",
        "run",
        f"print vm({node})",
        ".endc",
        ".end",
        "",
    ]
    path.write_text("\n".join(text), encoding="utf-8")
    run = subprocess.run(["ngspice", "-b", str(path)], capture_output=True, text=True, timeout=60, check=False)
    rows = re.findall(r"^\d+\s+(\S+)\s+(\S+)\s*$", run.stdout, re.M)
    return np.array([float(f) for f, _ in rows]), np.array([float(v) for _, v in rows])


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not there")
@pytest.mark.parametrize(("coupling", "turned_pct"), [(0.6, 0.0), (1.0, 0.0), (1.8, 0.0), (0.8, 0.6)])
def test_an_if_transformer_passes_what_a_circuit_simulator_says(
    coupling: float, turned_pct: float, tmp_path: Path
) -> None:
    """Two coils of 1 mH with mutual inductance, each with its capacitor and damping: the response round 455 kHz, peaked and staggered."""
    farad = 1.0 / ((2 * math.pi * IF_HZ) ** 2 * COIL_H)
    ohm = Q * 2 * math.pi * IF_HZ * COIL_H
    moved = turned_pct / 100.0
    k = coupling * critical_coupling(Q)
    # A capacitance that is larger by so much tunes lower by half of it.
    lines = ["I1 0 a AC 1m", f"L1 a 0 {COIL_H}", f"L2 b 0 {COIL_H}", f"K1 L1 L2 {k}", f"C1 a 0 {farad * (1 + 2 * moved)}",
             f"C2 b 0 {farad * (1 - 2 * moved)}", f"R1 a 0 {ohm}", f"R2 b 0 {ohm}"]  # fmt: skip
    hz, volts = ac(lines, "b", IF_HZ - 20e3, IF_HZ + 20e3, 801, tmp_path)
    theirs = 20 * np.log10(volts / volts.max())
    off = IF_HZ * moved
    ours = response_db([Transformer(IF_HZ, Q, coupling, (-off, off))], hz - IF_HZ)
    ours -= ours.max()
    # Far out a real pair is not symmetrical: its reactances go with the frequency.
    near = theirs > -20.0
    assert np.abs(ours - theirs)[near].max() < 0.8 and np.abs(ours - theirs)[theirs > -6.0].max() < 0.35


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not there")
@pytest.mark.parametrize("coupling", [1.3, 2.0, 3.5])
def test_a_damping_resistor_leaves_the_other_winding_one_peak(coupling: float, tmp_path: Path) -> None:
    """Two humps without it, one with it; and the winding that is left peaks where it is tuned, to a quarter of its half-width."""
    farad = 1.0 / ((2 * math.pi * IF_HZ) ** 2 * COIL_H)
    ohm, k = Q * 2 * math.pi * IF_HZ * COIL_H, coupling * critical_coupling(Q)
    extra = damping_ohm(IF_HZ, Q, coupling, farad)
    assert extra is not None and damping_ohm(IF_HZ, Q, 0.9, farad) is None

    def swept(across: list[str]) -> tuple[np.ndarray, np.ndarray]:
        lines = [
            "I1 0 a AC 1m",
            f"L1 a 0 {COIL_H}",
            f"L2 b 0 {COIL_H}",
            f"K1 L1 L2 {k}",
            f"C1 a 0 {farad}",
            f"C2 b 0 {farad}",
        ]
        return ac([*lines, f"R1 a 0 {ohm}", f"R2 b 0 {ohm}", *across], "b", IF_HZ - 15e3, IF_HZ + 15e3, 601, tmp_path)

    def tops(volts: np.ndarray) -> int:
        return int(np.sum((volts[1:-1] > volts[:-2]) & (volts[1:-1] > volts[2:])))

    hz, plain = swept([])
    _, damped = swept([f"R3 a 0 {extra}"])
    assert tops(plain) == 2 and tops(damped) == 1
    assert abs(hz[damped.argmax()] - IF_HZ) < 0.25 * IF_HZ / (2 * Q)
    with pytest.raises(ValueError):
        damping_ohm(IF_HZ, Q, 2.0, 0.0)


def test_humps_and_dips_are_the_handbooks() -> None:
    """Terman, Radio Engineers' Handbook (1943), section 3, from memory: dip 20·lg((1+k²)/2k), humps f₀/Q·√(k²−1) apart, critical k = 1/Q."""
    for k in (1.3, 2.0, 3.0):
        found = passband([Transformer(IF_HZ, Q, k)])
        assert found.humps == 2 and found.dip_db == pytest.approx(20 * math.log10((1 + k * k) / (2 * k)), abs=0.01)
        hz = np.linspace(-40e3, 40e3, 80_001)
        db = response_db([Transformer(IF_HZ, Q, k)], hz)
        assert 2 * abs(hz[int(db.argmax())]) == pytest.approx(hump_apart_hz(IF_HZ, Q, k), abs=5.0)
    # At critical coupling one transformer is √2 times as wide as one circuit; two in a row are narrower than one.
    one = passband([Transformer(IF_HZ, Q, 1.0)])
    assert one.humps == 1 and one.width(3.0) == pytest.approx(math.sqrt(2) * IF_HZ / Q, rel=2e-3)
    assert passband([Transformer(IF_HZ, Q, 1.0)] * 2).width(3.0) < one.width(3.0)


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not there")
def test_an_oscillator_tracks_at_its_three_points_by_a_circuit_simulator(tmp_path: Path) -> None:
    """The medium-wave band on a gang of 15 to 410 pF: the tank of coil, padder and trimmer resonates 455 kHz above the signal circuit."""
    made = best_tracking(525e3, 1605e3, 455e3, 15e-12, 410e-12)
    for f in made.points_hz:
        gang = float(made.gang_f(np.array([f]))[0])
        signal = [
            "I1 0 a AC 1u",
            f"L1 a 0 {made.signal_coil_h}",
            f"C1 a 0 {gang + made.signal_trimmer_f}",
            "R1 a 0 1meg",
        ]
        oscillator = ["I1 0 a AC 1u", f"L1 a 0 {made.coil_h}", f"C1 a m {made.padder_f}", f"C2 m 0 {gang + made.trimmer_f}",
                      "R1 a 0 1meg", "R2 m 0 1g"]  # fmt: skip
        hz, volts = ac(signal, "a", f - 3e3, f + 3e3, 1201, tmp_path)
        assert hz[int(volts.argmax())] == pytest.approx(f, abs=10.0)
        hz, volts = ac(oscillator, "a", f + 452e3, f + 458e3, 1201, tmp_path)
        assert hz[int(volts.argmax())] - 455e3 == pytest.approx(f, abs=10.0)


def test_tracking_figures_are_those_of_the_trade() -> None:
    """From memory: padders of medium-wave sets of 455 kHz are 400 to 500 pF, errors some kilohertz, the image 910 kHz above."""
    made = three_points(525e3, 1605e3, 455e3, 15e-12, 410e-12)
    assert 350e-12 < made.padder_f < 550e-12 and 0.5 < made.coil_h / made.signal_coil_h < 0.65
    hz = np.linspace(525e3, 1605e3, 2000)
    error = made.error_hz(hz)
    # Three changes of sign inside the band, as a third-order curve has.
    assert int((np.diff(np.sign(error)) != 0).sum()) == 3 and np.abs(error).max() < 8e3
    # Moved until it is shared, the error is smaller still, and nowhere much smaller than elsewhere.
    best = best_tracking(525e3, 1605e3, 455e3, 15e-12, 410e-12)
    share = np.abs(best.error_hz(hz) / hz)
    assert share.max() < 0.6 * np.abs(error / hz).max() and 540e3 < best.points_hz[0] < 650e3
    tops = [share[n] for n in range(1, 1999) if share[n] >= share[n - 1] and share[n] > share[n + 1]]
    assert len(tops) == 2 and min(*tops, share[0], share[-1]) > 0.8 * share.max()
    low, middle, high = tracking_points(525e3, 1605e3)
    assert (low, middle, high) == pytest.approx((597.35e3, 1065e3, 1532.65e3), abs=50)
    assert image_hz(1e6, 455e3) == 1.91e6 and image_db(1e6, 455e3, 60) == pytest.approx(
        20 * math.log10(60 * (1.91 - 1 / 1.91)), abs=0.01
    )
    with pytest.raises(EntryError, match="does not reach"):
        three_points(525e3, 1605e3, 455e3, 60e-12, 410e-12)
    with pytest.raises(EntryError, match="low to high"):
        three_points(1605e3, 525e3, 455e3, 15e-12, 410e-12)


def test_their_calculators_say_it_in_words() -> None:
    told = {a.key: a for a in work_out(calculator_of("if-response"), {"coupling": "2", "transformers": "1"})}
    assert told["humps"].text == "2, 1.9 dB between" and told["width_6_hz"].text.endswith("music")
    peaked = {a.key: a for a in work_out(calculator_of("if-response"), {"stagger": "3k"})}
    assert peaked["loss_db"].value == pytest.approx(2.72, abs=0.05) and "speech" in peaked["width_6_hz"].text
    told = {a.key: a for a in work_out(calculator_of("tracking"), {})}
    assert (
        told["padder_f"].text.endswith("pF") and told["loss_db"].value < 1.8 and told["points_hz"].text.count("Hz") == 3
    )
