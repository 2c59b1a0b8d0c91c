"""The sound card as a meter of the bench: what it reads is what was made, and what cannot be read is said, not logged."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
import pytest

from unitone.bench.drivers.live import Feed
from unitone.bench.drivers.sound_meter import SoundMeter
from unitone.bench.ports import Bench, Measured, hand_bench
from unitone.errors import BenchError, SignalError
from unitone.sheet.model.sheet import Conditions

FS = 48_000.0
HERE = Conditions()


def tone(rms: float, seconds: float, hz: float = 1000.0, noise: float = 0.0, seed: int = 1) -> np.ndarray:
    t = np.arange(round(seconds * FS)) / FS
    made = rms * np.sqrt(2.0) * np.sin(2 * np.pi * hz * t)
    return made + noise * np.random.default_rng(seed).standard_normal(t.size)


@contextmanager
def listening(meter: SoundMeter) -> Iterator[None]:
    """The thread that the window has for it."""
    thread = threading.Thread(target=meter.pump)
    thread.start()
    try:
        yield
    finally:
        meter.feed.close()
        thread.join(10)


def heard(feed: Feed, x: np.ndarray) -> SoundMeter:
    """A meter that has taken all of it, and whose feed has ended."""
    meter = SoundMeter(feed)
    feed.push(x)
    feed.close()
    meter.pump()
    return meter


def live(meter: SoundMeter, quantity: str, conditions: Conditions = HERE) -> Measured:
    found = meter.live(quantity, conditions)
    assert found is not None
    return found


def test_what_the_needle_reads_is_what_was_made() -> None:
    # White noise to 24 kHz: 3100 Hz of it lie in the band, so 12 dB of SINAD need this much (10 lg(1 + S/N) of the definition).
    signal = 0.1
    noise = signal / np.sqrt((10**1.2 - 1) * 3100.0 / (FS / 2))
    meter = heard(Feed(FS, full_scale_v=2.0), tone(signal, 2.0, noise=noise))
    sinad = live(meter, "rx.sinad")
    assert (
        sinad.value == pytest.approx(12.0, abs=0.6) and sinad.std is not None and sinad.std < 0.5 and not sinad.warning
    )
    assert sinad.source == "sound card" and sinad.instrument == "live"
    pure = heard(Feed(FS, full_scale_v=2.0), tone(0.1, 1.0))
    # A sine of 0.1 rms is 0.1 times the root of two of a full-scale sine; that one is 2 V.
    assert live(pure, "rx.af_voltage").value == pytest.approx(2.0 * 0.1 * np.sqrt(2), rel=1e-3)
    twice = heard(Feed(FS), tone(0.2, 1.0))
    assert live(twice, "rx.loudness").value - live(pure, "rx.loudness").value == pytest.approx(6.02, abs=0.02)
    assert not twice.measures("rx.af_voltage"), "no volts without a calibration"
    other = Conditions(tone_hz=400.0)
    assert live(heard(Feed(FS), tone(0.1, 1.0, 400.0)), "rx.sinad", other).value > 40


def test_deviation_comes_from_a_receivers_two_channels() -> None:
    t = np.arange(round(1.2 * FS)) / FS
    iq = 0.3 * np.exp(1j * 2.0 * np.sin(2 * np.pi * 1000 * t)).astype(np.complex64)
    meter = heard(Feed(FS, "iq"), iq)
    assert meter.measures("tx.deviation") and not meter.measures("rx.sinad")
    assert live(meter, "tx.deviation").value == pytest.approx(2000.0, rel=0.005), "peak deviation is index times tone"
    am = (0.3 * (1 + 0.6 * np.sin(2 * np.pi * 1000 * t)) * np.exp(0j)).astype(np.complex64)
    assert live(heard(Feed(FS, "iq"), am), "tx.am_depth").value == pytest.approx(60.0, abs=0.5)


def test_what_cannot_be_read_is_said_and_is_no_reading() -> None:
    rng = np.random.default_rng(2)
    for x, words in (
        (0.05 * rng.standard_normal(round(FS)), "no 1000 Hz tone"), (np.zeros(round(FS)), "no sound comes in"), (tone(0.8, 1.0), "Overload"),
    ):  # fmt: skip
        meter = heard(Feed(FS), np.clip(x, -1, 1))
        found = live(meter, "rx.sinad")
        assert words in found.warning and found.value is not None and found.value >= 0.0
        with pytest.raises(BenchError, match="No sound comes from"):
            meter.measure("rx.sinad", HERE)
    assert SoundMeter(Feed(FS)).live("rx.sinad", HERE) is None, "nothing was heard yet"
    feed = Feed(FS, name="line in")
    feed.close("line in stopped: unplugged?")
    with pytest.raises(SignalError, match="unplugged"):
        SoundMeter(feed).pump()


def test_a_whole_reading_is_of_what_comes_after_it_was_asked_for() -> None:
    meter = SoundMeter(Feed(FS), averaging_s=0.5)
    found: list[Measured | str] = []

    def ask() -> None:
        try:
            found.append(meter.measure("rx.loudness", HERE))
        except BenchError as error:
            found.append(str(error))

    with listening(meter):
        meter.feed.push(tone(0.3, 1.0))
        while live_seconds(meter) < 1.0:
            threading.Event().wait(0.01)
        asking = threading.Thread(target=ask)
        asking.start()
        while asking.is_alive():
            meter.feed.push(tone(0.003, 0.1))
            threading.Event().wait(0.01)
        asking.join()
        assert isinstance(found[0], Measured) and found[0].value == pytest.approx(
            40 + 20 * np.log10(0.003 * np.sqrt(2)), abs=0.1
        )
        asking = threading.Thread(target=ask)
        asking.start()
        while asking.is_alive():
            meter.cancel()
            threading.Event().wait(0.01)
    assert "cancelled" in str(found[1])


def live_seconds(meter: SoundMeter) -> float:
    return meter._recent.seconds


def test_a_bench_of_hands_takes_meters_and_what_is_typed_all_the_same() -> None:
    bench: Bench = hand_bench()
    assert not bench.can_measure("rx.sinad")
    bench.connect([heard(Feed(FS), tone(0.1, 1.0))])
    assert bench.can_measure("rx.sinad") and not bench.can_measure("tx.power") and not bench.simulated
    shown = bench.live("rx.sinad", HERE)
    assert shown is not None and shown.value is not None and shown.value > 40
    bench.connect(bench.meters, frozenset({"rx.sinad"}))
    assert not bench.can_measure("rx.sinad") and bench.can_measure("rx.distortion")
    bench.connect([])
    assert not bench.can_measure("rx.distortion")
