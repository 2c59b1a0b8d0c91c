"""Generators: exact in level and frequency, without clicks, cautious at first."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from unitone.errors import SignalError
from unitone.signals.audio import AudioMeter
from unitone.signals.counter import count
from unitone.signals.generate import CAUTIOUS, LOW_TONES_HZ, RAMP_S, Generator, Setting
from unitone.signals.spectrum import line_powers

FS = 48_000.0


def run(generator: Generator, seconds: float, size: int = 1000) -> NDArray[np.float64]:
    return np.concatenate([generator.block(size) for _ in range(round(seconds * generator.rate / size))])


def steepest(hz: float, level: float) -> float:
    """The largest step between two samples of such a sine."""
    return float(2 * level * np.sin(np.pi * hz / FS))


@pytest.mark.parametrize("hz", [50.0, *LOW_TONES_HZ[::9], 1000.0, 1000.37, 3400.0, 19_000.0])
def test_a_tone_has_its_frequency_level_and_no_distortion(hz: float) -> None:
    x = run(Generator(FS, Setting(hz=hz, level=0.25)), 2.0)[4800:]
    assert count(x, FS).hz == pytest.approx(hz, abs=2e-3)
    assert np.sqrt(2 * np.mean(x[: round(int(len(x) * hz / FS) * FS / hz)] ** 2)) == pytest.approx(0.25, rel=1e-3)
    if 900 <= hz <= 1100:
        meter = AudioMeter(FS)
        meter.take(x)
        assert (meter.report().sinad_db or 0) > 80


def test_it_starts_cautiously_from_silence_and_stops_by_a_ramp() -> None:
    generator = Generator(FS)
    assert generator.setting.level == CAUTIOUS == 0.01
    x = run(generator, 0.5)
    assert (
        abs(x[0]) < 1e-6
        and np.max(np.abs(x[: round(RAMP_S * FS / 4)])) < 0.3 * CAUTIOUS
        and np.max(np.abs(x)) == pytest.approx(CAUTIOUS, rel=1e-3)
    )
    generator.stop()
    y = run(generator, 0.1)
    assert np.abs(y[-1000:]).max() == 0.0 and np.abs(np.diff(y)).max() < steepest(1000, CAUTIOUS) * 1.2


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(st.floats(0, 1), st.floats(50, 3000), st.integers(1, 4000)), min_size=2, max_size=8))
def test_no_change_of_level_or_frequency_clicks(changes: list[tuple[float, float, int]]) -> None:
    """Between any two samples, no step is larger than the steepest tone and the steepest ramp of the run would make it."""
    generator, parts = Generator(FS), []
    for level, hz, n in changes:
        generator.change(Setting(hz=hz, level=level))
        parts.append(generator.block(n))
    x = np.concatenate(parts)
    most = (
        max(steepest(hz, max(level for level, _, _ in changes)) for _, hz, _ in changes)
        + np.pi / 2 / (RAMP_S * FS)
        + 1e-9
    )
    assert np.abs(np.diff(x)).max(initial=0.0) <= most and np.abs(x).max() <= 1.0


def test_two_tones_noise_and_sweep() -> None:
    x = run(Generator(FS, Setting("two-tone", 700, 1900, 0.5)), 2.0)[4800:]
    powers = line_powers(x, FS, [700.0, 1900.0])
    assert powers == pytest.approx([0.25**2 / 2] * 2, rel=0.003) and np.abs(x).max() <= 0.5
    noise = run(Generator(FS, Setting("noise", level=0.3)), 4.0)[4800:]
    assert np.std(noise) == pytest.approx(0.1, rel=0.02) and np.abs(noise).max() <= 0.3
    halves = [np.mean(np.abs(np.fft.rfft(noise))[a:b] ** 2) for a, b in ((1, 40_000), (40_000, 90_000))]
    assert halves[0] == pytest.approx(halves[1], rel=0.05), "white"
    sweep = run(Generator(FS, Setting("sweep", 300, 3300, 0.5, 3.0)), 6.0)
    for second, hz in ((0.5, 800), (1.5, 1800), (2.9, 3200), (4.0, 2300)):
        at = round(second * FS)
        assert count(sweep[at - 480 : at + 480], FS).hz == pytest.approx(hz, abs=25)


def test_what_cannot_be_made_is_refused_and_the_old_goes_on() -> None:
    generator = Generator(8000.0)
    for setting, says in (
        (Setting(hz=3700), "cannot be made at 8000"),
        (Setting(hz=5), "20 to 3600"),
        (Setting(level=1.5), "full scale"),
        (Setting(level=float("nan")), "full scale"),
        (Setting("two-tone", 900, 900), "are one"),
        (Setting("sweep", 300, 3000, 0.1, 0.0), "tenth of a second"),
    ):
        with pytest.raises(SignalError, match=says):
            generator.change(setting)
    assert generator.setting == Setting()
