"""By how much a voice is shifted, told from the voice alone."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import butter, hilbert, sosfilt

from unitone.bench.drivers.live import Feed
from unitone.bench.drivers.sound_meter import SoundMeter
from unitone.bench.ports import Bench, hand_bench
from unitone.bench.second_radio import BY_CLARIFIER, BY_VOICE, JUST_TOLD_HZ, heard_as, read_as
from unitone.errors import BenchError, SignalError
from unitone.quantities.entry import parse_entry
from unitone.sheet.model.sheet import Conditions
from unitone.signals.pitch import voice_shift
from unitone.simulator.voice import sentence

RATE = 8000.0


def heard(seed: int, shift_hz: float, seconds: float = 5.0) -> np.ndarray:
    """A sentence through a single-sideband receiver that is off by so much."""
    rng = np.random.default_rng(seed)
    spoken = sentence(rng, seconds, RATE)
    moved = np.real(hilbert(spoken) * np.exp(2j * np.pi * shift_hz * np.arange(spoken.size) / RATE))
    band = butter(6, (300, 2700), btype="bandpass", fs=RATE, output="sos")
    return sosfilt(band, moved) + 0.01 * rng.standard_normal(spoken.size)


def test_the_shift_of_a_voice_is_told_to_a_few_hertz() -> None:
    rng = np.random.default_rng(7)
    off = []
    for seed in range(12):
        shift = float(rng.uniform(-250, 250))
        found = voice_shift(heard(seed, shift), RATE)
        off.append(found.hz - shift)
        assert abs(off[-1]) < max(6.0, 4.0 * found.std_hz), (seed, shift, found)
    assert np.median(np.abs(off)) < 2.0


@pytest.mark.parametrize("what", [np.zeros(40_000), np.random.default_rng(1).standard_normal(40_000), np.zeros(100)])
def test_without_a_voice_nothing_is_told(what: np.ndarray) -> None:
    with pytest.raises(SignalError, match="Too little of a voice"):
        voice_shift(what, RATE)


def test_the_sound_card_reads_the_carrier_by_a_voice_with_the_sidebands_against_each_other() -> None:
    feed = Feed(RATE, name="sound card")
    meter = SoundMeter(feed)
    feed.push(heard(3, 120.0))
    feed.close()
    meter.pump()
    bench = hand_bench()
    bench.connect((meter,))
    for mode, error in (("usb", 120.0), ("lsb", -120.0)):
        at = Conditions("transmit", "20", mode=mode, source=BY_VOICE)
        assert bench.can_measure("tx.frequency_error", at) and not bench.can_measure("tx.frequency_error")
        got = bench.live("tx.frequency_error", at)
        assert got is not None and got.value == pytest.approx(error, abs=5) and got.raw == pytest.approx(120, abs=5)
    with pytest.raises(BenchError, match="USB and LSB"):
        bench.live("tx.frequency_error", Conditions("transmit", "20", mode="am", source=BY_VOICE))


def test_what_an_ear_says_bounds_the_carrier() -> None:
    def said(text: str, mode: str, source: str = BY_CLARIFIER) -> tuple[float | None, float | None, str]:
        entry = parse_entry(text, "hertz-error")
        return heard_as(entry, entry.value, Conditions(mode=mode, source=source))

    assert said("too high", "usb")[1:] == (JUST_TOLD_HZ, ">") and said("too high", "lsb")[1:] == (-JUST_TOLD_HZ, "<")
    assert said("natural", "lsb")[1:] == (0.0, "")
    # A clarifier turned up says the same in both sidebands; a voice heard 40 Hz high does not.
    assert (
        said("40", "lsb")[1] == 40.0
        and said("40", "lsb", BY_VOICE)[1] == -40.0
        and said("40", "usb", BY_VOICE)[1] == 40.0
    )
    assert read_as("tx.frequency_error", Conditions()) == "tx.frequency_error" and isinstance(hand_bench(), Bench)
