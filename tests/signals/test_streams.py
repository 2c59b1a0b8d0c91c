"""What does not depend on how a stream is cut: health, channel, spectrum; and the edges of counting."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.errors import SignalError
from unitone.signals._faults import Health
from unitone.signals.am import depth_from_volts
from unitone.signals.channel import Channel, strongest_offset
from unitone.signals.counter import count, refine, settled
from unitone.signals.fm import deviation_histogram, line_spectrum
from unitone.signals.spectrum import SpectrumMeter, read_csv
from unitone.signals.weighting import WEIGHTINGS, weight_db

RATE = 48_000.0


@settings(max_examples=25, deadline=None)
@given(st.lists(st.integers(1, 3000), min_size=1, max_size=12), st.integers(0, 5000), st.integers(50, 600))
def test_health_is_the_same_however_the_stream_is_cut(cuts: list[int], gap_at: int, gap: int) -> None:
    x = 0.4 * np.sin(2 * np.pi * 1013 * np.arange(9000) / RATE) + 0.05
    x[gap_at : gap_at + gap] = x[gap_at]
    whole, parts = Health(RATE), Health(RATE)
    whole.take(x)
    at = 0
    for size in [*cuts, 9000]:
        parts.take(x[at : at + size])
        at += size
    assert parts.samples == whole.samples == 9000 and parts.peak == whole.peak
    assert parts.rms == pytest.approx(whole.rms) and parts.offset == pytest.approx(whole.offset)
    assert len(parts.gaps) == len(whole.gaps) and len(whole.gaps) == 1
    assert whole.gaps[0] == pytest.approx(gap_at / RATE, abs=2e-4)


@settings(max_examples=15, deadline=None)
@given(st.lists(st.integers(1, 20_000), min_size=1, max_size=8), st.floats(-80e3, 80e3))
def test_a_channel_is_the_same_however_the_stream_is_cut(cuts: list[int], offset: float) -> None:
    rng = np.random.default_rng(3)
    x = (rng.standard_normal(60_000) + 1j * rng.standard_normal(60_000)).astype(np.complex64)
    one, many = Channel(240_000.0, offset, RATE), Channel(240_000.0, offset, RATE)
    whole, made, at = one.take(x), [], 0
    for size in [*cuts, 60_000]:
        made.append(many.take(x[at : at + size]))
        at += size
    joined = np.concatenate(made)
    assert one.down == 5 and one.rate == RATE and joined.size == whole.size
    assert np.abs(joined - whole).max() < 2e-4


def test_a_channel_lets_its_own_through_and_stops_the_neighbour() -> None:
    t = np.arange(240_000) / 240_000.0
    for hz, least, most in ((0.0, -0.1, 0.1), (8000.0, -0.1, 0.1), (60_000.0, -300, -70), (-100_000.0, -300, -70)):
        made = Channel(240_000.0, 0.0, RATE).take(np.exp(2j * np.pi * hz * t).astype(np.complex64))[200:-200]
        assert least <= 20 * np.log10(np.abs(made).mean() + 1e-30) <= most


def test_the_strongest_signal_is_found_as_a_whole_among_weaker_ones() -> None:
    t = np.arange(480_000) / 480_000.0
    strong = np.exp(1j * (2 * np.pi * 90_000 * t + 2.4048 * np.sin(2 * np.pi * 1000 * t)))
    x = strong + 0.4 * np.exp(-2j * np.pi * 30_000 * t) + 0.05 * np.random.default_rng(0).standard_normal(t.size)
    assert strongest_offset(x.astype(np.complex64), 480_000.0, 16_000.0) == pytest.approx(90_000, abs=400)
    for bad, says in (
        (np.zeros(4096, np.complex64), "silent"),
        (np.full(4096, np.nan, np.complex64), "not a number"),
        (x[:10], "too few"),
    ):
        with pytest.raises(SignalError, match=says):
            strongest_offset(bad.astype(np.complex64), 480_000.0, 16_000.0)
    with pytest.raises(SignalError, match="between 8 kHz and 20 MHz"):
        Channel(1000.0, 0.0, RATE)


@given(st.sampled_from(WEIGHTINGS), st.floats(20, 6000), st.floats(1.0, 1.2))
def test_weightings_are_smooth_and_never_above_their_top(name: str, hz: float, step: float) -> None:
    a, b = weight_db(name, np.array([hz, min(hz * step, 6500.0)]))  # type: ignore[arg-type]
    assert a <= 1.01 and (abs(a - b) < 25 or min(a, b) == -200.0)


def test_what_cannot_be_counted_and_when_an_oscillator_has_settled() -> None:
    for bad, says in (
        (np.zeros(1000), "silent"),
        (np.full(1000, np.inf), "not a number"),
        (np.ones(10, complex), "too few"),
    ):
        with pytest.raises(SignalError, match=says):
            count(bad, RATE)
    with pytest.raises(SignalError, match="at least 64"):
        refine(np.ones(20, complex), RATE)
    warming = [(float(s), 10_240_000 + 60 * np.exp(-s / 120)) for s in range(0, 1200, 30)]
    assert not settled(warming[:6], 1.0) and settled(warming, 1.0) and not settled(warming[:2], 1e9)
    for high, low in ((0.0, 0.0), (1.0, 2.0), (1.0, -0.1), (float("nan"), 0.0)):
        with pytest.raises(SignalError, match="envelope"):
            depth_from_volts(high, low)


def test_histogram_and_lines_of_a_demodulated_wave() -> None:
    t = np.arange(48_000) / RATE
    wave = 1500 * np.sin(2 * np.pi * 1000 * t)
    edges, share = deviation_histogram(wave, 3000.0)
    assert share.sum() == pytest.approx(1.0) and edges[0] == -3000 and share[np.abs(edges[:-1]) > 1600].sum() == 0
    assert share.argmax() in (14, 15, 44, 45), "a sine dwells at its ends"
    hz, peak = line_spectrum(wave + 200.0, RATE)
    assert hz[peak.argmax()] == 1000.0 and peak.max() == pytest.approx(1500, rel=1e-3)


def test_a_spectrum_of_too_little_or_of_silence_is_refused() -> None:
    meter = SpectrumMeter(RATE, False)
    meter.take(np.ones(10))
    with pytest.raises(SignalError, match="at least 256"):
        meter.trace()
    silent = SpectrumMeter(RATE, True)
    silent.take(np.zeros(40_000, complex))
    with pytest.raises(SignalError, match="silent"):
        silent.trace()
    with pytest.raises(SignalError, match="not a number"):
        silent.take(np.array([np.nan + 0j]))
    short = SpectrumMeter(RATE, False)
    short.take(0.5 * np.sin(2 * np.pi * 3000 * np.arange(2000) / RATE))
    assert short.trace().hz[int(short.trace().db.argmax())] == pytest.approx(3000, abs=30)
    assert read_csv("# made by hand\nGHz\tdBm\n0,027\t-10\n0,028\t-20\n0,029\t-30", "x").hz[0] == pytest.approx(27e6)
