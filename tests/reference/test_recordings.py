"""The measuring engine against the outside: signals whose figures are known, published tables, general reference libraries."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
import sigmf
import skrf
import soundfile
from numpy.typing import NDArray
from scipy.signal import iirnotch, sosfilt, tf2sos
from scipy.special import jv

from unitone.bench.drivers.measure import measure_file, measure_iq_am, measure_iq_fm, measure_sinad
from unitone.bench.drivers.recording import Samples, open_source
from unitone.errors import SignalError
from unitone.signals.am import carrier_shift_pct, depth_from_volts, measure_am
from unitone.signals.audio import AudioMeter, band_power, fixed_notch_db, power_ratio_db
from unitone.signals.channel import Channel, strongest_offset
from unitone.signals.counter import count, crb_hz
from unitone.signals.fm import carrier_depth_db, measure_fm, null_deviation, tone_for_null
from unitone.signals.response import measure_response, read_response, sweep_is_slow, swept
from unitone.signals.sinad import sinad_std_db
from unitone.signals.spectrum import average, find_lines, line_powers, spurs
from unitone.signals.ssb import envelope, suppression_db, two_tone
from unitone.signals.weighting import C_MESSAGE, PSOPHOMETRIC, weight_db

FS = 48_000.0


def tone(
    seconds: float, hz: float = 1000.0, amplitude: float = 0.3, rate: float = FS, phase: float = 0.4
) -> NDArray[np.float64]:
    return amplitude * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate + phase)


def noisy(sinad: float, seconds: float, seed: int, hz: float = 1000.0, rate: float = FS) -> NDArray[np.float64]:
    """A tone in white noise whose power between 300 and 3400 Hz makes exactly this SINAD (definition: TIA-603-E, 1.3.4.7, from memory)."""
    rest = 0.045 / (10 ** (sinad / 10) - 1)
    rng = np.random.default_rng(seed)
    return tone(seconds, hz, rate=rate) + math.sqrt(rest * rate / 2 / 3100) * rng.standard_normal(round(seconds * rate))


def sinad_of(x: NDArray[np.float64], rate: float = FS, **more: object) -> float:
    meter = AudioMeter(rate, **more)  # type: ignore[arg-type]
    meter.take(x)
    found = meter.report().sinad_db
    assert found is not None
    return found


# -- audio ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("sinad", [2.0, 6.0, 12.0, 20.0, 30.0, 40.0])
@pytest.mark.parametrize(("seconds", "runs"), [(1.0, 24), (0.1, 60)])
def test_sinad_is_that_of_the_definition(sinad: float, seconds: float, runs: int) -> None:
    """Bias within ±0.03 dB besides what so few runs leave open (2.6 standard errors); benchmarks/accuracy.py has the whole table."""
    found = [sinad_of(noisy(sinad, seconds, seed, 987.3)) for seed in range(runs)]
    theory = sinad_std_db(sinad, seconds)
    assert abs(np.mean(found) - sinad) < 0.03 + 2.6 * theory / math.sqrt(runs)
    assert np.std(found, ddof=1) < theory * (1.15 + 2.6 / math.sqrt(2 * runs))


@pytest.mark.parametrize("hz", [900.0, 955.5, 1001.0, 1047.0, 1100.0])
def test_the_tone_is_found_by_itself_and_the_fixed_notch_told_of(hz: float) -> None:
    meter = AudioMeter(FS)
    meter.take(noisy(12.0, 2.0, 3, hz))
    report = meter.report()
    assert report.tone_hz == pytest.approx(hz, abs=0.6) and report.sinad_db == pytest.approx(12.0, abs=0.25)
    told = [w for w in report.warnings if "fixed 1000 Hz notch" in w]
    assert bool(told) == (abs(hz - 1000) > 5)
    # SciPy's notch of the same Q, run over the samples: the second opinion on what such a meter shows.
    b, a = iirnotch(1000.0, 5.0, FS)
    x = tone(4.0, hz)
    left = sosfilt(tf2sos(b, a), x)[round(FS) :]
    leak = float(np.mean(left**2)) / float(np.mean(x**2))
    mine = fixed_notch_db(1.0, 0.0, hz, 1000.0)
    assert mine == pytest.approx(10 * math.log10(1 / leak) if leak > 1e-9 else 120.0, abs=0.25) or abs(hz - 1000) < 5


def test_distortion_harmonics_hum_and_noise_are_told_apart() -> None:
    """Second harmonic −30 dB, third −36 dB, 50 Hz family at −20 dB, all set by construction; THD after IEC 60268-3 (from memory)."""
    t = np.arange(round(4 * FS)) / FS
    x = (
        tone(4.0)
        + 0.3 * 10 ** (-30 / 20) * np.sin(2 * np.pi * 2000 * t)
        + 0.3 * 10 ** (-36 / 20) * np.sin(2 * np.pi * 3000 * t + 1)
    )
    x += 0.03 * np.sin(2 * np.pi * 100 * t) + 1e-4 * np.random.default_rng(1).standard_normal(t.size)
    meter = AudioMeter(FS)
    meter.take(x)
    r = meter.report()
    assert r.harmonics_dbc[0] == pytest.approx(-30.0, abs=0.05) and r.harmonics_dbc[1] == pytest.approx(-36.0, abs=0.1)
    assert r.thd_pct == pytest.approx(100 * math.hypot(10**-1.5, 10**-1.8), rel=0.01)
    assert r.hum_hz == 50.0 and r.hum_db == pytest.approx(-20.0, abs=0.3)
    # Hum at 100 Hz lies out of band; the harmonics lie in it.
    assert r.sinad_db == pytest.approx(-10 * math.log10(10**-3 + 10**-3.6), abs=0.05) and (r.snr_db or 0) > 50


@pytest.mark.parametrize("mains", [50.0, 60.0])
def test_strong_hum_out_of_band_moves_nothing(mains: float) -> None:
    """40 % of hum at the mains and twice it shifts SINAD by no more than 0.05 dB."""
    t = np.arange(round(2 * FS)) / FS
    for sinad in (12.0, 40.0):
        x = noisy(sinad, 2.0, 5)
        hum = 0.4 * 0.3 * (np.sin(2 * np.pi * mains * t) + 0.5 * np.sin(4 * np.pi * mains * t + 1))
        assert abs(sinad_of(x + hum) - sinad_of(x)) < 0.05
    meter = AudioMeter(FS)
    meter.take(x + hum)
    assert meter.report().hum_hz == mains


def test_psophometric_and_c_message_tables_are_kept_to() -> None:
    """ITU-T O.41 (10/94) table 1 and IEEE Std 743, both from memory: exact at every point, smooth between, zero at the reference."""
    for name, table in (("psophometric", PSOPHOMETRIC), ("c-message", C_MESSAGE)):
        hz = np.array([p[0] for p in table])
        assert weight_db(name, hz) == pytest.approx([p[1] for p in table], abs=1e-9)  # type: ignore[arg-type]
        assert weight_db(name, np.array([1.0, 20_000.0])).max() == -200.0  # type: ignore[arg-type]
    assert (
        weight_db("psophometric", np.array([800.0]))[0] == 0.0 and weight_db("c-message", np.array([1000.0]))[0] == 0.0
    )
    # Noise that is white to 3.4 kHz reads 2 to 3 dB less through the psophometer (common practice, no source).
    rng = np.random.default_rng(2)
    white = rng.standard_normal(4 * 12_000)
    flat, weighted = band_power(white, 12_000.0), band_power(white, 12_000.0, "psophometric")
    assert 1.0 < power_ratio_db(flat, weighted) < 3.5


def test_signal_and_noise_to_noise_and_quieting_are_ratios_of_powers() -> None:
    rng = np.random.default_rng(4)
    noise = 0.01 * rng.standard_normal(round(2 * FS))
    with_tone = tone(2.0, amplitude=0.05) + noise
    expected = 10 * math.log10(1 + 0.05**2 / 2 / (0.01**2 * 3100 / (FS / 2)))
    assert power_ratio_db(band_power(with_tone, FS), band_power(noise, FS)) == pytest.approx(expected, abs=0.15)


# -- FM and AM ----------------------------------------------------------------------------------------


def fm(
    deviation: float, hz: float = 1000.0, cnr: float = 60.0, seconds: float = 1.0, offset: float = 0.0, seed: int = 0
) -> NDArray[np.complex128]:
    t = np.arange(round(seconds * FS)) / FS
    rng = np.random.default_rng(seed)
    noise = math.sqrt(10 ** (-cnr / 10) * FS / 16_000 / 2)
    return np.exp(1j * (2 * np.pi * offset * t + deviation / hz * np.sin(2 * np.pi * hz * t))) + noise * (
        rng.standard_normal(t.size) + 1j * rng.standard_normal(t.size)
    )


@pytest.mark.parametrize(("deviation", "hz"), [(500.0, 1000.0), (1500.0, 1000.0), (2500.0, 1000.0), (2000.0, 1060.0)])
def test_deviation_on_a_tone(deviation: float, hz: float) -> None:
    """±0.5 % at a carrier-to-noise ratio of 20 dB and better; carrier error within a hertz."""
    for cnr in (20.0, 60.0):
        found = [measure_fm(fm(deviation, hz, cnr, seed=s, offset=321.0), FS) for s in range(3)]
        assert np.mean([r.peak_deviation_hz for r in found]) == pytest.approx(deviation, rel=0.005)
        assert np.mean([r.carrier_error_hz for r in found]) == pytest.approx(321.0, abs=1.0)
        assert found[0].tone_hz == pytest.approx(hz, abs=0.5) and found[0].cnr_db == pytest.approx(
            min(cnr, 55), abs=6.0
        )


@pytest.mark.parametrize(
    ("deviation", "hz"),
    [(d, f) for d in (500.0, 4800.0) for f in (100.0, 1000.0, 3400.0)]
    + [(d, f) for d in (2400.0, 10_000.0) for f in (147.0, 400.0, 1750.0)],
)
def test_any_tone_is_found_and_the_channel_widens_to_what_it_needs(deviation: float, hz: float) -> None:
    """Both sides within ±0.5 % for 0.5 to 10 kHz and 100 to 3400 Hz, without being told the tone: the sine is its own truth."""
    found = [measure_fm(fm(deviation, hz, 60.0, offset=-480.0), FS)]
    found += [measure_fm(fm(deviation, hz, 20.0, seconds=3.0, seed=3, offset=213.0), FS)]
    for r in found:
        assert r.tone_hz == pytest.approx(hz, abs=0.3)
        for side in (r.deviation_plus_hz, r.deviation_minus_hz):
            assert side == pytest.approx(deviation, rel=0.005), r
    widened = any("widened" in w for w in found[0].warnings)
    # What β + 1 sidebands either side (Carson) do not fit in 16 kHz is told.
    assert widened or deviation + hz <= 8_000.0


def test_a_neighbour_does_not_widen_the_channel_and_gaps_are_no_modulation() -> None:
    one = fm(1500.0, seconds=1.0)
    t = np.arange(one.size) / FS
    crowded = one + 0.5 * fm(2000.0, 700.0, seed=5) * np.exp(2j * np.pi * 14_000 * t)
    r = measure_fm(crowded, FS)
    assert r.peak_deviation_hz == pytest.approx(1500.0, rel=0.01) and not any("widened" in w for w in r.warnings)
    # Speech that begins when the switch is pressed and ends when it is let go.
    rng = np.random.default_rng(4)
    n = round(3 * FS)
    band = np.fft.rfftfreq(n, 1 / FS)
    voice = np.fft.irfft(np.fft.rfft(rng.standard_normal(n)) * ((band > 300) & (band < 3000)), n)
    voice *= 1800 / np.max(np.abs(voice))
    x = np.exp(2j * np.pi * np.cumsum(voice) / FS)
    on = np.zeros(n)
    on[round(0.4 * FS) : round(2.7 * FS)] = 1.0
    noise = 10 ** (-45 / 20) * (rng.standard_normal(n) + 1j * rng.standard_normal(n))
    keyed = measure_fm(x * on + noise, FS)
    assert keyed.peak_deviation_hz == pytest.approx(measure_fm(x + noise, FS).peak_deviation_hz, rel=0.06)


def test_the_two_sides_of_a_lopsided_modulator_are_told_apart() -> None:
    """A second harmonic in phase with the tone: plus and minus follow from the sum of two sines, worked out on a fine grid."""
    t = np.arange(round(FS)) / FS
    f = 1500 * np.sin(2 * np.pi * 1000 * t) + 300 * np.cos(2 * np.pi * 2000 * t)
    x = np.exp(2j * np.pi * np.cumsum(f) / FS)
    fine = np.arange(100_000) / 100_000
    wave = 1500 * np.sin(2 * np.pi * fine) + 300 * np.cos(4 * np.pi * fine)
    r = measure_fm(x, FS)
    assert r.deviation_plus_hz == pytest.approx(wave.max(), rel=0.003) and r.deviation_minus_hz == pytest.approx(
        -wave.min(), rel=0.003
    )
    assert r.distortion_pct == pytest.approx(100 * 300 / math.hypot(1500, 300), rel=0.02)


def test_the_carrier_vanishes_at_the_zeros_of_j0() -> None:
    """Abramowitz & Stegun, table 9.5: 2.4048, 5.5201, 8.6537, 11.7915; and J0(β)² is the carrier's share everywhere (SciPy)."""
    for null, beta in enumerate((2.4048, 5.5201, 8.6537, 11.7915), 1):
        assert null_deviation(1000.0, null) == pytest.approx(1000 * beta, abs=0.06)
        assert tone_for_null(2000.0, null) == pytest.approx(2000 / beta, rel=1e-4)
        assert carrier_depth_db(fm(1000 * beta, cnr=90.0), FS) < -60
    for beta in (0.5, 1.0, 1.5, 3.0):
        assert carrier_depth_db(fm(1000 * beta, cnr=90.0), FS) == pytest.approx(
            20 * math.log10(abs(jv(0, beta))), abs=0.05
        )


def test_speech_peaks_and_the_warning_of_a_weak_carrier() -> None:
    rng = np.random.default_rng(8)
    n = round(4 * FS)
    band = np.fft.rfftfreq(n, 1 / FS)
    spectrum = np.fft.rfft(rng.standard_normal(n)) * ((band > 300) & (band < 3000))
    voice = np.fft.irfft(spectrum, n) * np.abs(np.sin(2 * np.pi * 2.5 * np.arange(n) / FS))
    voice *= 2000 / np.max(np.abs(voice))
    x = np.exp(2j * np.pi * np.cumsum(voice) / FS)
    truth = max(np.quantile(voice, 0.9995), -np.quantile(voice, 0.0005))
    for cnr, within in ((30.0, 0.02), (50.0, 0.01)):
        level = math.sqrt(10 ** (-cnr / 10) * FS / 16_000 / 2)
        r = measure_fm(x + level * (rng.standard_normal(n) + 1j * rng.standard_normal(n)), FS)
        assert r.tone_hz is None and r.peak_deviation_hz == pytest.approx(truth, rel=within)
    level = math.sqrt(10 ** (-18 / 10) * FS / 16_000 / 2)
    weak = measure_fm(x + level * (rng.standard_normal(n) + 1j * rng.standard_normal(n)), FS)
    assert any("over the noise" in w for w in weak.warnings)


@pytest.mark.parametrize("depth", [5.0, 30.0, 80.0, 99.0])
def test_am_depth(depth: float) -> None:
    """±0.2 points at 20 dB; m = (Vmax − Vmin)/(Vmax + Vmin), as a scope shows it."""
    t = np.arange(round(FS)) / FS
    rng = np.random.default_rng(1)
    found = []
    for _ in range(6):
        noise = (
            math.sqrt(10 ** (-20 / 10) * FS / 9_000 / 2)
            * 0.5
            * (rng.standard_normal(t.size) + 1j * rng.standard_normal(t.size))
        )
        x = 0.5 * (1 + depth / 100 * np.sin(2 * np.pi * 1000 * t)) * np.exp(1j * (2 * np.pi * -140.0 * t + 1)) + noise
        found.append(measure_am(x, FS))
    assert np.mean([r.depth_pct for r in found]) == pytest.approx(depth, abs=0.2)
    assert np.mean([r.carrier_error_hz for r in found]) == pytest.approx(-140.0, abs=0.2)
    assert depth_from_volts(1 + depth / 100, 1 - depth / 100) == pytest.approx(depth)


@pytest.mark.parametrize("off_hz", [-3800.0, 1200.0, 4900.0])
def test_am_beside_its_channel_reads_what_it_is(off_hz: float) -> None:
    """The filter goes round the carrier; where a sideband lies outside what was recorded, that is said instead of half a depth."""
    t = np.arange(round(FS)) / FS
    x = 0.5 * (1 + 0.825 * np.sin(2 * np.pi * 1000 * t)) * np.exp(1j * (2 * np.pi * off_hz * t + 1))
    r = measure_am(x, FS)
    assert r.depth_pct == pytest.approx(82.5, abs=0.2) and r.carrier_error_hz == pytest.approx(off_hz, abs=0.2)
    if abs(off_hz) > 1500.0:
        with pytest.raises(SignalError, match="a sideband is cut off"):
            measure_am(x[::4], FS / 4)


def test_over_modulation_carrier_shift_and_both_sides() -> None:
    t = np.arange(round(FS)) / FS
    shape = 1 + 0.7 * np.sin(2 * np.pi * 1000 * t) + 0.1 * np.cos(2 * np.pi * 2000 * t)
    r = measure_am(0.4 * shape * np.exp(2j * np.pi * 50 * t), FS)
    assert r.depth_plus_pct == pytest.approx(100 * (shape.max() - 1), abs=0.3) and r.depth_minus_pct == pytest.approx(
        100 * (1 - shape.min()), abs=0.3
    )
    assert r.distortion_pct == pytest.approx(100 * 0.1 / 0.7, rel=0.02)
    still = measure_am(0.4 * np.exp(2j * np.pi * 50 * t) * (1 + 0.001 * np.sin(2 * np.pi * 1000 * t)), FS)
    assert carrier_shift_pct(still, r) == pytest.approx(0.0, abs=0.1)
    cut = measure_am(0.4 * (1 + 1.2 * np.sin(2 * np.pi * 1000 * t)) * np.exp(2j * np.pi * 50 * t), FS)
    assert any("over 100 %" in w for w in cut.warnings)


# -- counter, spectrum, SSB ---------------------------------------------------------------------------------


@pytest.mark.parametrize("cnr", [10.0, 30.0])
def test_the_counter_comes_near_the_cramer_rao_bound(cnr: float) -> None:
    """Rife and Boorstyn 1974: RMS error within 1.3 times the bound over a sample (1.15 over the whole table of the benchmark)."""
    errors = []
    n = round(0.25 * FS)
    t = np.arange(n) / FS
    sigma = math.sqrt(10 ** (-cnr / 10) / 2)
    for seed in range(60):
        rng = np.random.default_rng(seed)
        hz = 3000 + rng.uniform(-2000, 2000)
        x = np.exp(2j * np.pi * hz * t + 1j * rng.uniform(0, 6)) + sigma * (
            rng.standard_normal(n) + 1j * rng.standard_normal(n)
        )
        errors.append(count(x, FS).hz - hz)
    bound = crb_hz(10 ** (cnr / 10), n, FS)
    assert np.sqrt(np.mean(np.square(errors))) < 1.3 * bound
    assert count(tone(1.0, 10_240.5), FS, timebase_ppm=10.0).hz == pytest.approx(10_240.5 * 1.00001, abs=1e-3)


def test_a_modulated_carrier_is_counted_not_its_sideband() -> None:
    """At β = 2.4 the carrier line is gone: the strongest line stands a tone away."""
    for beta in (0.5, 1.5, 2.4048, 3.0):
        assert count(fm(1000 * beta, cnr=40.0, offset=777.0), FS).hz == pytest.approx(777.0, abs=0.5)


def test_lines_keep_their_amplitude_between_bins_and_spurs_are_named() -> None:
    """Flat-top within 0.05 dB wherever the line falls (G. Heinzel et al. 2002, from memory); harmonics by their number."""
    for shift in np.linspace(0, 1, 9):
        hz = 5000 + shift * FS / (1 << 14)
        trace = average([tone(4.0, hz, 0.5)], FS, False)
        top = find_lines(trace)[0]
        assert top[1] == pytest.approx(20 * math.log10(0.5), abs=0.05) and top[0] == pytest.approx(hz, abs=1.0)
    x = tone(4.0, 4000.0, 0.5) + tone(4.0, 8000.0, 0.5 * 10 ** (-55 / 20)) + tone(4.0, 5300.0, 0.5 * 10 ** (-48 / 20))
    x += 1e-5 * np.random.default_rng(0).standard_normal(x.size)
    carrier, level, found = spurs(average([x], FS, False), [(0.0, -50.0), (24_000.0, -50.0)])
    assert (carrier, level) == (pytest.approx(4000, abs=1), pytest.approx(-6.02, abs=0.05))
    assert [(round(s.hz, -1), round(s.dbc, 1), s.name) for s in found[:2]] == [
        (5300, -48.0, ""),
        (8000, -55.0, "harmonic 2"),
    ]
    assert found[0].margin_db == pytest.approx(-2.0, abs=0.1) and found[1].margin_db == pytest.approx(5.0, abs=0.1)


def test_two_tone_pep_carrier_and_sideband() -> None:
    """Two equal tones: mean = PEP/2 (ITU Radio Regulations 1.157); a cubic term c·x³ of real tones gives 3c/4·A² of IM3 per tone."""
    t = np.arange(round(2 * FS)) / FS
    x = 0.25 * (np.exp(2j * np.pi * 700 * t) + np.exp(2j * np.pi * 1900 * t))
    e = envelope(x, FS)
    assert e.pep == pytest.approx(0.25, rel=0.01) and e.crest_db == pytest.approx(3.01, abs=0.05)
    bent = x - 0.2 * x * np.abs(x) ** 2
    im = two_tone(bent, FS, 700.0, 1900.0)
    # |x|²x of two tones of amplitude A: 3A³ at each tone, A³ at either third-order product (expand the product).
    expected = 20 * math.log10(0.2 * 0.25**2 / (1 - 0.2 * 3 * 0.25**2))
    assert (
        im.im3_db == pytest.approx(expected, abs=0.05)
        and im.im5_db < -80
        and im.apart_db == pytest.approx(0.0, abs=0.01)
    )
    ssb = 0.3 * np.exp(2j * np.pi * 1000 * t) + 0.003 + 0.0095 * np.exp(-2j * np.pi * 1000 * t)
    carrier, opposite = suppression_db(ssb, FS, 1000.0)
    assert carrier == pytest.approx(-40.0, abs=0.05) and opposite == pytest.approx(-29.99, abs=0.05)
    assert line_powers(tone(1.0, 1000.0, 0.5), FS, [1000.0])[0] == pytest.approx(0.125, rel=0.002)


# -- IF response ---------------------------------------------------------------------------------------------


def test_a_response_from_touchstone_csv_and_a_sweep_agrees_with_the_formula(tmp_path: Path) -> None:
    """One tuned circuit, |H|² = 1/(1+(2QΔf/f0)²): −3 dB bandwidth f0/Q, −6 dB √3 times it; scikit-rf writes and reads the same file."""
    hz = np.linspace(430e3, 480e3, 2001)
    h = 1 / (1 + 1j * 2 * 50 * (hz - 455e3) / 455e3)
    s = np.zeros((hz.size, 2, 2), complex)
    s[:, 1, 0] = h
    skrf.Network(f=hz, s=s, f_unit="hz", z0=50).write_touchstone(str(tmp_path / "if"))
    read_hz, read_db = read_response(tmp_path / "if.s2p")
    assert read_hz == pytest.approx(hz) and read_db == pytest.approx(20 * np.log10(np.abs(h)), abs=1e-4)
    r = measure_response(read_hz, read_db)
    assert r.bandwidth_hz[3.0] == pytest.approx(455e3 / 50 * math.sqrt(10**0.3 - 1), rel=2e-3)
    assert r.bandwidth_hz[6.0] == pytest.approx(455e3 / 50 * math.sqrt(10**0.6 - 1), rel=2e-3)
    assert r.bandwidth_hz[60.0] is None and r.shape_factor is None and r.centre_hz == pytest.approx(455e3, abs=20)
    assert r.symmetry_db == pytest.approx(0.0, abs=0.05) and r.ripple_db == 0.0
    text = "Frequency (kHz);Level dB\n" + "\n".join(
        f"{f / 1e3:.4f};{d:.5f}".replace(".", ",") for f, d in zip(hz, read_db, strict=True)
    )
    (tmp_path / "if.csv").write_text(text, encoding="utf-8")
    csv = measure_response(*read_response(tmp_path / "if.csv"))
    assert csv.bandwidth_hz[6.0] == pytest.approx(r.bandwidth_hz[6.0], rel=1e-3)


def test_a_double_humped_response_and_a_sweep() -> None:
    """Over-coupled pair, H = (1+k²)/((1+jx)²+k²): humps √(k²−1) off centre, dip 20·log10(2k/(1+k²)) (any text on coupled circuits)."""
    x = np.linspace(-80, 80, 16001)
    k = 2.0
    h = 1 / ((1 + 1j * x) ** 2 + k * k)
    db = 20 * np.log10(np.abs(h) / np.abs(h).max())
    r = measure_response(455e3 + 1e3 * x, db)
    assert abs(r.top_hz - 455e3) == pytest.approx(1e3 * math.sqrt(k * k - 1), rel=0.01)
    assert r.ripple_db == pytest.approx(-20 * math.log10(2 * k / (1 + k * k)), abs=0.02)
    assert r.shape_factor == pytest.approx(r.bandwidth_hz[60.0] / r.bandwidth_hz[6.0])  # type: ignore[operator]
    # A slow sweep of audio through a known resonance: SciPy's peak filter.
    from scipy.signal import chirp, iirpeak, lfilter

    rate, seconds = 12_000.0, 20.0
    t = np.arange(round(seconds * rate)) / rate
    b, a = iirpeak(1500.0, 10.0, rate)
    hz, level = swept(lfilter(b, a, chirp(t, 500.0, seconds, 2500.0)), rate, 500.0, 2500.0, seconds)
    assert sweep_is_slow(150.0, 100.0) and not sweep_is_slow(150.0, 10_000.0)
    assert measure_response(hz, level).bandwidth_hz[3.0] == pytest.approx(150.0, rel=0.06)


# -- files ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("form", ["PCM_16 wav", "PCM_24 wav", "PCM_32 wav", "FLOAT wav", "PCM_U8 wav", "PCM_16 flac"])
def test_sound_files_of_every_depth(tmp_path: Path, form: str) -> None:
    """Written by libsndfile, the reference for sound files; 8 bits leave their own quantising noise."""
    subtype, ending = form.split()
    path = tmp_path / f"a.{ending}"
    soundfile.write(path, noisy(30.0, 1.5, 2), int(FS), subtype=subtype)
    data = measure_file(path, "sinad")
    assert data["sinad_db"] == pytest.approx(30.0, abs=0.3) and data["tone_hz"] == pytest.approx(1000.0, abs=0.2)


@pytest.mark.parametrize("datatype", ["cf32_le", "ci16_le", "ci8", "cu8", "cf64_le", "ci16_be"])
def test_sigmf_written_by_its_own_library_is_read(tmp_path: Path, datatype: str) -> None:
    """SigMF's own package writes the metadata; deviation and centre frequency come out as they went in."""
    rate = 96_000.0
    t = np.arange(round(rate)) / rate
    x = 0.7 * np.exp(1j * (2 * np.pi * 5000 * t + 1.5 * np.sin(2 * np.pi * 1000 * t)))
    pairs = np.stack([x.real, x.imag], 1).reshape(-1)
    base, _, order = datatype[1:].partition("_")
    kind = {"f32": "f4", "f64": "f8", "i16": "i2", "i8": "i1", "u8": "u1"}[base]
    full = {"f": 1.0, "i": 2.0 ** (8 * int(kind[1]) - 1) - 1, "u": 127.0}[base[0]]
    raw = pairs * full + (127.5 if base == "u8" else 0.0)
    (raw if base[0] == "f" else np.round(raw)).astype(np.dtype({"be": ">", "le": "<", "": "|"}[order] + kind)).tofile(
        tmp_path / "r.sigmf-data"
    )
    meta = sigmf.SigMFFile(
        data_file=str(tmp_path / "r.sigmf-data"),
        global_info={"core:datatype": datatype, "core:sample_rate": rate, "core:version": "1.0.0"},
    )
    meta.add_capture(0, metadata={"core:frequency": 27.2e6})
    meta.tofile(str(tmp_path / "r.sigmf-meta"), overwrite=True)
    data = measure_file(tmp_path / "r.sigmf-meta", "fm")
    assert data["peak_deviation_hz"] == pytest.approx(1500.0, rel=0.01) and data["carrier_error_hz"] == pytest.approx(
        5000.0, abs=1.0
    )
    assert measure_file(tmp_path / "r.sigmf-meta", "spectrum")["carrier_hz"] == pytest.approx(27.2e6 + 5000, abs=1100)


def test_a_channel_is_cut_out_of_a_wide_recording_without_seams() -> None:
    rate = 1e6
    t = np.arange(600_000) / rate
    x = (
        0.5 * np.exp(1j * (2 * np.pi * 123_456 * t + 2 * np.sin(2 * np.pi * 1000 * t)))
        + 0.05 * np.exp(2j * np.pi * -200e3 * t)
    ).astype(np.complex64)
    assert strongest_offset(x, rate, 16_000.0) == pytest.approx(123_456, abs=300)
    whole, parts = Channel(rate, 123_456.0, 48_000.0), Channel(rate, 123_456.0, 48_000.0)
    one = whole.take(x)
    many = np.concatenate([parts.take(b) for b in np.array_split(x, 41)])
    assert np.abs(one[: many.size] - many).max() < 1e-5 and abs(one.size - many.size) <= 1
    r = measure_iq_fm(Samples(x, rate, "iq"))
    assert r.peak_deviation_hz == pytest.approx(2000.0, rel=0.002) and r.carrier_error_hz == pytest.approx(
        123_456.0, abs=0.5
    )
    am = measure_iq_am(
        Samples(
            (0.3 * (1 + 0.6 * np.sin(2 * np.pi * 1000 * t)) * np.exp(2j * np.pi * -50e3 * t)).astype(np.complex64),
            rate,
            "iq",
        )
    )
    assert am.depth_pct == pytest.approx(60.0, abs=0.2) and am.carrier_error_hz == pytest.approx(-50e3, abs=0.2)


def test_blocks_of_any_size_give_the_same_reading(tmp_path: Path) -> None:
    x = noisy(12.0, 5.3, 9)
    whole = measure_sinad(Samples(x, FS)).sinad_db
    for size in (1000, 48_000, 70_001):
        meter = AudioMeter(FS)
        for at in range(0, x.size, size):
            meter.take(x[at : at + size])
        assert meter.report().sinad_db == pytest.approx(whole, abs=1e-9)
    soundfile.write(tmp_path / "a.wav", x, int(FS), subtype="DOUBLE")
    assert json.dumps(measure_file(tmp_path / "a.wav", "sinad")) and open_source(tmp_path / "a.wav").rate == FS
