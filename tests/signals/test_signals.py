"""The meters' own manners: invariance, edges, other rates."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.signals.carrier import Component, carrier_line, fit_carrier, fit_modulation, total_watts
from unitone.signals.sinad import TonePowers, fit_tone, merge, ratio_db, rms, sinad_std_db, tone_powers
from unitone.signals.spectrum import lines


def audio(rate: float, seconds: float = 0.5, tone: float = 1000.0, noise: float = 0.1, seed: int = 0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    t = np.arange(round(rate * seconds)) / rate
    return np.sin(2 * np.pi * tone * t) + noise * rng.standard_normal(t.size)


@settings(max_examples=25, deadline=None)
@given(st.floats(1e-4, 1e4), st.floats(-5, 5))
def test_neither_volume_nor_a_dc_offset_changes_sinad(gain: float, offset: float) -> None:
    x = audio(24_000.0)
    plain = tone_powers(x, 24_000.0).sinad_db
    assert tone_powers(gain * (x + offset), 24_000.0).sinad_db == pytest.approx(plain, abs=0.02)


@pytest.mark.parametrize("rate", [8000.0, 11_025.0, 16_000.0, 22_050.0, 24_000.0, 44_100.0, 48_000.0, 96_000.0])
def test_every_rate_agrees(rate: float) -> None:
    rng = np.random.default_rng(4)
    t = np.arange(round(4 * rate)) / rate
    density = 0.02 / 4000.0  # noise power per hertz: 0.0155 in band, 15.2 dB under the tone
    x = np.sin(2 * np.pi * 1000 * t) + rng.standard_normal(t.size) * np.sqrt(density * rate / 2)
    expected = 10 * np.log10(1 + 0.5 / (density * 3100))
    assert tone_powers(x, rate).sinad_db == pytest.approx(expected, abs=0.35)


@pytest.mark.parametrize("offset", [-95.0, -40.0, 0.0, 33.3, 95.0])
def test_the_tone_is_found_by_itself(offset: float) -> None:
    hz, power, residual = fit_tone(audio(12_000.0, 1.0, 1000.0 + offset, 0.05), 12_000.0, 1000.0)
    assert hz == pytest.approx(1000.0 + offset, abs=0.1)
    assert power == pytest.approx(0.5, rel=0.02)
    assert float(np.mean(residual**2)) == pytest.approx(0.05**2, rel=0.1)


def test_powers_are_averaged_never_decibels() -> None:
    loud, quiet = TonePowers(1.0, 0.01, 1000.0, 0.1), TonePowers(1.0, 1.0, 1000.0, 0.1)
    together = merge([loud, quiet])
    assert together.sinad_db == pytest.approx(10 * np.log10(1 + 1 / 0.505))
    assert together.sinad_db < (loud.sinad_db + quiet.sinad_db) / 2
    long = TonePowers(1.0, 0.01, 1000.0, 0.9)
    assert merge([long, quiet]).rest == pytest.approx(0.9 * 0.01 + 0.1 * 1.0)
    with pytest.raises(ValueError, match="nothing"):
        merge([])


def test_ratios_at_their_ends() -> None:
    assert ratio_db(0.0, 1.0) == 0.0 and ratio_db(1.0, 0.0) == 120.0 and ratio_db(1.0, 1.0) == pytest.approx(3.0103)
    assert TonePowers(0.0, 0.0, 1000.0, 1.0).distortion_pct == 100.0
    assert TonePowers(1.0, 0.0001, 1000.0, 1.0).distortion_pct == pytest.approx(1.0, rel=1e-3)
    assert rms(np.array([])) == 0.0 and rms(np.array([3.0, -3.0])) == 3.0
    # The spread falls with the square root of time.
    assert sinad_std_db(12.0, 0.1) == pytest.approx(sinad_std_db(12.0, 1.0) * np.sqrt(10))


def test_theory_of_the_spread_against_trials() -> None:
    sinads = [
        tone_powers(audio(24_000.0, 0.5, 1000.0, np.sqrt(0.5 / 14.85 * 12_000 / 3100), seed), 24_000.0).sinad_db
        for seed in range(80)
    ]
    assert np.mean(sinads) == pytest.approx(12.0, abs=0.08)
    assert np.std(sinads) == pytest.approx(sinad_std_db(12.0, 0.5), rel=0.35)


def test_the_fm_meter_against_a_modulator_with_both_errors() -> None:
    rate = 48_000.0
    t = np.arange(24_000) / rate
    for deviation, tone, offset in ((500.0, 1000.0, 0.0), (1900.0, 960.0, -420.0), (2500.0, 1090.0, 1500.0)):
        z = np.exp(1j * (2 * np.pi * offset * t + deviation / tone * np.cos(2 * np.pi * tone * t)))
        fit = fit_modulation(z, rate, 1000.0)
        assert fit.deviation_hz == pytest.approx(deviation, rel=1e-3)
        assert fit.offset_hz == pytest.approx(offset, abs=0.5) and fit.tone_hz == pytest.approx(tone, abs=0.05)
        assert fit.residual_rad < 1e-3


def test_short_and_empty_signals_are_refused() -> None:
    with pytest.raises(ValueError, match="16 samples"):
        fit_carrier(np.ones(5, complex), 48_000.0)
    with pytest.raises(ValueError, match="20 ms"):
        fit_modulation(np.ones(100, complex), 48_000.0)
    assert Component(1.0, 1.0, np.array([], complex)).watts == 0.0
    assert total_watts([]) == 0 and carrier_line(2.0 * np.ones(8, complex)) == pytest.approx(4.0)


def test_an_analysers_lines_against_what_was_sent() -> None:
    rate = 24_000.0
    t = np.arange(4800) / rate
    carrier = Component(27.205e6, rate, 2.0 * np.exp(2j * np.pi * 333.3 * t))
    second = Component(54.41e6, rate, 2.0 * 10 ** (-64 / 20) * np.exp(2j * np.pi * 666.6 * t))
    buried = Component(81.615e6, rate, 1e-9 * np.ones(4800, complex))
    found = lines([second, carrier, buried])
    assert [round(line.dbc, 1) for line in found] == [0.0, -64.0]
    assert found[0].watts == pytest.approx(4.0, rel=0.005) and found[1].hz == pytest.approx(54.41e6 + 666.6, abs=6)
    with pytest.raises(ValueError, match="no signal"):
        lines([Component(1.0, rate, np.zeros(100, complex))])
    with pytest.raises(ValueError, match="64 samples"):
        lines([Component(1.0, rate, np.ones(10, complex))])
