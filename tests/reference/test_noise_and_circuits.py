"""Noise, tuned circuits, crystals and oscillators against published formulas and a circuit simulator's arithmetic."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import constants

from unitone.radio.crystals import loaded_frequency, trimmer_capacitance
from unitone.radio.noise import BOLTZMANN, friis, ktb_dbm
from unitone.radio.resonance import detuning, pair_response, single_loss, single_response
from unitone.radio.vco import control_volts, resonant_hz, varactor_capacitance


def test_ktb_against_codata_and_the_well_known_figure() -> None:
    assert constants.k == BOLTZMANN  # CODATA 2018 / SI 2019, by way of scipy.constants
    # -174 dBm/Hz at 290 K: IEEE noise figure definition; -134 dBm in 10 kHz.
    assert ktb_dbm(1.0) == pytest.approx(-173.975, abs=0.005)
    assert ktb_dbm(10e3) == pytest.approx(-133.975, abs=0.005)


def test_friis_against_a_worked_example() -> None:
    # H. T. Friis, Proc. IRE 32 (1944): F = F1 + (F2-1)/G1 + ... Worked: a 3 dB pad (F = 2, G = 1/2) before an
    # amplifier of 6 dB noise figure (F = 4) and 20 dB gain, then a mixer of 10 dB: 2 + 3/0.5 + 9/(0.5 x 100) = 8.18.
    chain = [(2.0, 0.5), (10**0.6, 100.0), (10.0, 1.0)]
    assert friis(chain) == pytest.approx(2 + (10**0.6 - 1) / 0.5 + 9 / 50, rel=1e-12)


def test_half_power_width_is_centre_over_q() -> None:
    # Terman, Radio Engineers' Handbook (1943), section 3: half-power points at x = 2Q(f-f0)/f0 = 1, width f0/Q.
    centre, q = 10.7e6, 80.0
    edge = centre + centre / (2 * q)
    x = float(detuning(edge, centre, q))
    assert x == pytest.approx(1.0, rel=1e-9)
    assert single_loss(x) == pytest.approx(2.0)
    assert abs(single_response(np.array([x]))[0]) ** 2 == pytest.approx(0.5)


def _two_mesh(k: float, hz: np.ndarray, centre: float, q: float) -> np.ndarray:
    """Secondary current of two inductively coupled series meshes, by Kirchhoff: the circuit that the formula is for."""
    w, w0 = 2 * np.pi * hz, 2 * np.pi * centre
    inductance = 1e-3
    capacitance = 1 / (w0**2 * inductance)
    resistance = w0 * inductance / q
    mutual = k / q * inductance
    z = resistance + 1j * w * inductance + 1 / (1j * w * capacitance)
    return np.array(
        [
            np.linalg.solve([[a, 1j * b * mutual], [1j * b * mutual, a]], [1.0, 0.0])[1]
            for a, b in zip(z, w, strict=True)
        ]
    )


@pytest.mark.parametrize("k", [0.3, 0.8, 1.0, 1.5])
def test_coupled_pair_against_kirchhoff(k: float) -> None:
    centre, q = 455e3, 50.0
    hz = centre + np.linspace(-12e3, 12e3, 25)
    x = 2 * q * (hz - centre) / centre
    ours = np.abs(pair_response(x, x, k))
    exact = np.abs(_two_mesh(k, hz, centre, q))
    exact /= abs(_two_mesh(k, np.array([centre]), centre, q)[0])
    assert np.allclose(ours, exact, rtol=0.08)
    # Terman: above critical coupling (k > 1) the response has two humps, at or below it one.
    humps = np.sum((ours[1:-1] > ours[:-2]) & (ours[1:-1] > ours[2:]))
    assert humps == (2 if k > 1.2 else 1)


def test_crystal_pulling_against_a_data_book_case() -> None:
    # IEC 60122-1 load resonance offset. Worked: C1 = 20 fF, C0 = 5 pF, CL = 30 pF gives 20e-15/(2 x 35e-12) = 285.7 ppm.
    assert loaded_frequency(1e7, 20e-15, 5e-12, 30e-12) == pytest.approx(1e7 * (1 + 285.714e-6), abs=0.1)
    # Less load capacitance, higher frequency (fact of the trade, same source).
    assert loaded_frequency(1e7, 20e-15, 5e-12, 20e-12) > loaded_frequency(1e7, 20e-15, 5e-12, 30e-12)


def test_a_trimmer_has_two_like_places_in_a_revolution() -> None:
    # Common practice, no source: 180 degrees from least to most, the same value twice a revolution.
    assert trimmer_capacitance(0, 4e-12, 20e-12) == pytest.approx(20e-12)
    assert trimmer_capacitance(180, 4e-12, 20e-12) == pytest.approx(4e-12)
    assert trimmer_capacitance(70, 4e-12, 20e-12) == pytest.approx(trimmer_capacitance(290, 4e-12, 20e-12))


def test_vco_volts_undo_the_varactor() -> None:
    # C(V) = C0/(1+V/phi)^gamma, abrupt junction gamma = 1/2 (any semiconductor textbook, e.g. Sze).
    for volts in (0.5, 2.0, 4.0, 7.0):
        farad = 31e-12 + varactor_capacitance(volts, 50e-12)
        hz = resonant_hz(1.7e-6, farad)
        assert hz == pytest.approx(1 / (2 * math.pi * math.sqrt(1.7e-6 * farad)))
        assert control_volts(hz, 1.7e-6, 31e-12, 50e-12) == pytest.approx(volts, rel=1e-9)
    assert control_volts(1e9, 1.7e-6, 31e-12, 50e-12) == math.inf
    assert varactor_capacitance(2.1, 50e-12) == pytest.approx(25e-12)  # phi = 0.7: 1 + 2.1/0.7 = 4, root 2
