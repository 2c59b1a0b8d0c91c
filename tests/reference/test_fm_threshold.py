"""FM under its threshold, against a receiver that is built here from general signal processing and shares nothing with the simulated radio.

Source of the law: S. O. Rice, "Noise in FM receivers", in M. Rosenblatt (ed.), Time Series Analysis (1963): clicks add to the noise
as the carrier nears it, so that the output falls faster than the input. The narrow-band figures are common practice, no source.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.signal import butter, sosfiltfilt

from unitone.align.hill_readings import height, through_threshold
from unitone.job.entries.readings import Reading
from unitone.present.bench.plots import back_from_height
from unitone.quantities.registry import quantity
from unitone.sheet.model.sheet import Conditions
from unitone.signals.sinad import tone_powers

RATE, SECONDS = 48_000.0, 20.0
SLOPE = quantity("rx.sinad").hill_slope


def sinad_at(carrier_to_noise_db: float, bandwidth_hz: float, deviation_hz: float, seed: int) -> float:
    """SINAD (dB) of a limiter and discriminator by phase differences, after an IF filter and an audio band of 300 to 3000 Hz."""
    rng = np.random.default_rng(seed)
    n = int(RATE * SECONDS)
    t = np.arange(n) / RATE
    carrier = np.exp(1j * deviation_hz / 1000.0 * np.sin(2 * np.pi * 1000.0 * t))
    density = 10.0 ** (-carrier_to_noise_db / 10.0) / bandwidth_hz
    noise = (rng.standard_normal(n) + 1j * rng.standard_normal(n)) * math.sqrt(density * RATE / 2.0)
    received = sosfiltfilt(butter(4, bandwidth_hz / 2.0, fs=RATE, output="sos"), carrier + noise)
    swing = np.angle(received[1:] * np.conj(received[:-1])) * RATE / (2 * np.pi)
    audio = sosfiltfilt(butter(3, [300.0, 3000.0], btype="bandpass", fs=RATE, output="sos"), swing)
    return tone_powers(audio[4800:], RATE, 1000.0).sinad_db


def signal_db(sinad_db: float) -> float:
    """What the coach takes a SINAD for, in decibels of signal."""
    reading = Reading("rx.sinad", Conditions("receive", deviation_hz=1500.0), sinad_db, "x", "x", 0.2)
    got = height(quantity("rx.sinad"), reading)
    assert got is not None
    return got[0] / SLOPE


@pytest.mark.parametrize(("bandwidth", "deviation"), [(9_000.0, 1500.0), (12_000.0, 1500.0), (8_000.0, 2000.0)])
def test_a_decibel_of_signal_is_a_decibel_on_both_sides_of_the_threshold(bandwidth: float, deviation: float) -> None:
    """Over 14 dB of carrier the taken heights go with it: within 1.6 dB anywhere, and nearer than S/N by itself."""
    levels = np.arange(2.0, 17.0, 2.0)
    read = np.array([sinad_at(c, bandwidth, deviation, round(c)) for c in levels])
    assert read[0] < 8.0 and read[-1] > 16.0, "both sides of the threshold are in it"
    taken = np.array([signal_db(s) for s in read])
    plain = np.array([10.0 * math.log10(10.0 ** (s / 10.0) - 1.0) / SLOPE for s in read])

    def strays(heights: np.ndarray) -> float:
        return float(np.max(np.abs((heights - heights.mean()) - (levels - levels.mean()))))

    assert strays(taken) < 1.6 and strays(taken) < 0.85 * strays(plain), (strays(taken), strays(plain))


def test_far_from_the_threshold_the_law_is_plain() -> None:
    for ratio in (25.0, 35.0):
        low, _ = through_threshold(ratio, 0.2, 1.6)
        high, spread = through_threshold(ratio + 5.0, 0.2, 1.6)
        assert high - low == pytest.approx(1.6 * 5.0, abs=0.05) and spread == pytest.approx(1.6 * 0.2, rel=0.01)
    steep_low, _ = through_threshold(-6.0, 0.2, 1.6)
    steep_high, spread = through_threshold(-1.6, 0.2, 1.6)
    # Well below, 2.2 dB of S/N are one of signal.
    assert steep_high - steep_low == pytest.approx(1.6 * 2.0, abs=0.1) and spread == pytest.approx(
        1.6 * 0.2 / 2.2, rel=0.02
    )


def test_the_plot_shows_what_was_read() -> None:
    """Heights come back as the readings they were, on both sides of the threshold."""
    for value in (3.0, 8.0, 12.0, 19.0):
        assert back_from_height(quantity("rx.sinad"), signal_db(value) * SLOPE, True) == pytest.approx(value, abs=0.02)


def test_readings_without_deviation_are_taken_as_they_are() -> None:
    """AM and SSB have no such threshold in SINAD: S/N goes dB for dB."""
    q = quantity("rx.sinad")
    for value in (5.0, 12.0, 20.0):
        reading = Reading("rx.sinad", Conditions("receive", depth_pct=30.0), value, "x", "x", 0.2)
        got = height(q, reading)
        assert got is not None and got[0] == pytest.approx(10.0 * math.log10(10.0 ** (value / 10.0) - 1.0))
