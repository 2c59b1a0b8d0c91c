"""FM and SINAD meters, and the simulated radio's modulator, against Bessel functions and golden values from SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import special
from scipy.signal import welch

from unitone.signals.carrier import Component, carrier_line, fit_carrier, fit_modulation, strongest, total_watts
from unitone.signals.sinad import merge, sinad_std_db, tone_powers
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.transmitter import Keyed

RATE = 48_000.0


def fm(
    deviation: float, tone: float, offset: float = 0.0, seconds: float = 1.0, noise: float = 0.0, seed: int = 1
) -> np.ndarray:
    rng = np.random.default_rng(seed)
    t = np.arange(round(seconds * RATE)) / RATE
    clean = np.exp(1j * (2 * np.pi * offset * t + deviation / tone * np.sin(2 * np.pi * tone * t + 0.4)))
    return clean + noise * (rng.standard_normal(t.size) + 1j * rng.standard_normal(t.size)) / np.sqrt(2)


# Zeros of J0: Abramowitz & Stegun, table 9.5.
@pytest.mark.parametrize(("n", "beta"), [(0, 2.4048255577), (1, 5.5200781103), (2, 8.6537279129), (3, 11.7915344391)])
def test_the_carrier_vanishes_at_the_zeros_of_j0(n: int, beta: float) -> None:
    assert special.jn_zeros(0, 4)[n] == pytest.approx(beta, abs=1e-9)
    assert carrier_line(fm(beta * 1000.0, 1000.0)) < 1e-12
    near = carrier_line(fm(beta * 1000.0 * 0.98, 1000.0))
    assert near == pytest.approx(special.j0(beta * 0.98) ** 2, rel=1e-3)
    # The deviation meter, used at the null, must read beta times the tone.
    assert fit_modulation(fm(beta * 1000.0, 1000.0, 37.0), RATE).deviation_hz == pytest.approx(beta * 1000.0, rel=1e-4)


def test_the_stand_ins_modulator_nulls_its_carrier_where_bessel_says(aligned: SimulatedRadio) -> None:
    # Turn the deviation preset to where 792 Hz of tone gives beta = 2.4048: 1904.6 Hz.
    sent = aligned.transmitter
    assert sent is not None
    tone = 1904.6 / 2.4048255577
    share = 1904.6 / sent.deviation_hz(0.02) * aligned.mechanics.share("P2")
    aligned.mechanics.moved_mdeg["P2"] += round((share - aligned.mechanics.share("P2")) * 270_000)
    envelope = sent.emit(1.0, 27.205e6, 0.0, Keyed(None, 0.02, tone))[0].envelope
    assert carrier_line(envelope) < 2e-3 * sent.watts(27.205e6)
    assert fit_modulation(envelope, RATE, tone).deviation_hz == pytest.approx(1904.6, rel=5e-3)


@pytest.mark.parametrize("cnr", [20.0, 30.0, 40.0])
def test_deviation_and_carrier_in_noise(cnr: float) -> None:
    z = fm(1500.0, 1013.0, 221.0, noise=10 ** (-cnr / 20))
    fit = fit_modulation(z, RATE)
    assert fit.deviation_hz == pytest.approx(1500.0, rel=0.005)
    assert fit.tone_hz == pytest.approx(1013.0, abs=0.2)
    assert fit.offset_hz == pytest.approx(221.0, abs=1.0)


def test_counter_near_the_cramer_rao_bound() -> None:
    # Rife & Boorstyn, IEEE Trans. Inf. Theory 20 (1974): var(f) = 6 fs^2 / ((2 pi)^2 SNR N (N^2-1)).
    n, snr_db = 4800, 20.0
    t = np.arange(n) / RATE
    errors = []
    for seed in range(60):
        rng = np.random.default_rng(seed)
        noise = (rng.standard_normal(n) + 1j * rng.standard_normal(n)) / np.sqrt(2) * 10 ** (-snr_db / 20)
        errors.append(fit_carrier(np.exp(2j * np.pi * 61.7 * t) + noise, RATE) - 61.7)
    bound = np.sqrt(6 * RATE**2 / ((2 * np.pi) ** 2 * 10 ** (snr_db / 10) * n * (n**2 - 1)))
    assert np.sqrt(np.mean(np.square(errors))) < 1.3 * bound


def test_powers_of_components() -> None:
    parts = [Component(27e6, RATE, 2.0 * np.ones(10, complex)), Component(54e6, RATE, 0.1 * np.ones(10, complex))]
    assert total_watts(parts) == pytest.approx(4.01)
    assert strongest(parts).centre_hz == 27e6
    with pytest.raises(ValueError, match="no signal"):
        strongest([])


def tone_in_noise(sinad_db: float, tone: float, seconds: float, seed: int, rate: float = RATE) -> np.ndarray:
    """A tone whose SINAD over 300 to 3400 Hz is known by construction: white noise of known density."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(seconds * rate)) / rate
    rest = 0.5 / (10 ** (sinad_db / 10) - 1)
    return np.sin(2 * np.pi * tone * t + 0.7) + rng.standard_normal(t.size) * np.sqrt(rest * (rate / 2) / 3100.0)


@pytest.mark.parametrize("sinad", [3.0, 6.0, 12.0, 20.0, 30.0, 40.0])
@pytest.mark.parametrize("tone", [940.0, 1000.0, 1071.3])
def test_sinad_against_what_was_put_in(sinad: float, tone: float) -> None:
    parts = [tone_powers(tone_in_noise(sinad, tone, 1.0, seed), RATE) for seed in range(12)]
    together = merge(parts)
    spread = sinad_std_db(sinad, together.seconds)
    assert together.sinad_db == pytest.approx(sinad, abs=max(4 * spread, 0.05))
    assert together.tone_hz == pytest.approx(tone, abs=0.3)


def test_the_rest_against_scipys_welch() -> None:
    x = tone_in_noise(12.0, 1000.0, 8.0, 3)
    ours = merge([tone_powers(part, RATE) for part in np.split(x, 8)])
    hz, density = welch(x, RATE, nperseg=16384)
    band = (hz >= 300) & (hz <= 3400) & (np.abs(hz - 1000) > 30)
    golden = float(np.mean(density[band])) * 3100.0
    assert ours.rest == pytest.approx(golden, rel=0.03)
    assert ours.tone == pytest.approx(0.5, rel=0.01)


def test_harmonics_count_as_distortion_and_hum_out_of_band_does_not() -> None:
    t = np.arange(48_000) / RATE
    clean = np.sin(2 * np.pi * 1000 * t)
    second = tone_powers(clean + 0.1 * np.sin(2 * np.pi * 2000 * t), RATE)
    assert second.distortion_pct == pytest.approx(100 * 0.1 / np.hypot(1, 0.1), rel=0.01)
    assert second.sinad_db == pytest.approx(10 * np.log10(1 + 100), abs=0.05)
    hum = 0.4 * np.sin(2 * np.pi * 50 * t) + 0.2 * np.sin(2 * np.pi * 100 * t)
    noisy = tone_in_noise(30.0, 1000.0, 1.0, 5)
    assert tone_powers(noisy + hum, RATE).sinad_db == pytest.approx(tone_powers(noisy, RATE).sinad_db, abs=0.1)


def test_silence_short_and_broken_audio() -> None:
    assert tone_powers(np.zeros(4800), RATE).sinad_db == 0.0
    with pytest.raises(ValueError, match="20 ms"):
        tone_powers(np.zeros(100), RATE)
    with pytest.raises(ValueError, match="not numbers"):
        tone_powers(np.full(4800, np.nan), RATE)
