"""The sound card as a meter of the bench: what it reads is what was made, and what cannot be read is said, not logged."""

from __future__ import annotations

import itertools
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


def test_signal_to_noise_leaves_distortion_out_and_hum_in() -> None:
    """(S+N)/N by its definition is read with the modulation on and off: what the tone distorts is gone with it, the hum stays."""
    clean, seconds = 0.1, 3.0
    noise = clean / np.sqrt((10**1.0 - 1) * 3100.0 / (FS / 2))
    made = tone(clean, seconds, noise=noise) + tone(0.2 * clean, seconds, 2000.0)
    found = live(heard(Feed(FS), made), "rx.sn_ratio")
    # Two moves of 4 % in the noise's power are 0.2 dB; the harmonic of 20 % would have cost 1.3 dB.
    assert found.value == pytest.approx(10.0, abs=0.5), found
    assert live(heard(Feed(FS), made), "rx.sinad").value < 9.3
    hummed = tone(clean, seconds, noise=0.001 * clean) + tone(0.03 * clean, seconds, 100.0)
    assert live(heard(Feed(FS), hummed), "rx.hum").value == pytest.approx(-20 * np.log10(0.03), abs=0.5)
    assert live(heard(Feed(FS), tone(0.1, 1.0, 1004.0, 0.01)), "rx.tone_frequency").value == pytest.approx(
        1004.0, abs=0.2
    )


def test_quieting_and_hum_are_held_against_what_was_heard_before() -> None:
    rng = np.random.default_rng(4)
    meter = SoundMeter(Feed(FS))
    with pytest.raises(BenchError, match="heard yet"):
        meter.keep_reference("rx.quieting")
    meter.take(0.2 * rng.standard_normal(round(2 * FS)))
    assert live(meter, "rx.quieting").value is None and "generator off" in live(meter, "rx.quieting").warning
    meter.keep_reference("rx.quieting")
    meter.take(0.02 * rng.standard_normal(round(2 * FS)))
    assert live(meter, "rx.quieting").value == pytest.approx(20.0, abs=0.5)
    bench = hand_bench()
    bench.connect([meter])
    bench.keep_reference("rx.quieting")
    assert live(meter, "rx.quieting").value == pytest.approx(0.0, abs=0.5)
    with pytest.raises(BenchError, match="needs no reference"):
        bench.keep_reference("rx.sinad")
    # On transmit: the tone's deviation first, then what is left without it.
    t = np.arange(round(1.5 * FS)) / FS
    sent = SoundMeter(Feed(FS, "iq"))
    sent.take((0.3 * np.exp(1j * 2.0 * np.sin(2 * np.pi * 1000 * t))).astype(np.complex64))
    sent.keep_reference("tx.hum_noise")
    sent.take((0.3 * np.exp(1j * 0.2 * np.sin(2 * np.pi * 100 * t))).astype(np.complex64))
    assert live(sent, "tx.hum_noise").value == pytest.approx(40.0, abs=0.5), "index times tone: 2000 Hz against 20 Hz"


def test_the_highest_peak_of_speech_is_held_for_five_seconds() -> None:
    """A word, then silence: the reading stays at the word's highest peak, made by swinging 2.3 kHz with changing pitch."""
    rng = np.random.default_rng(8)
    t = np.arange(round(FS)) / FS
    swing = np.zeros(t.size)
    for hz in (210.0, 333.0, 577.0, 810.0, 1330.0):
        swing += np.sin(2 * np.pi * hz * t + rng.uniform(0, 6.28)) * np.clip(np.sin(2 * np.pi * 2.5 * t), 0, 1)
    swing *= 2300.0 / np.max(np.abs(swing))
    word = 0.3 * np.exp(2j * np.pi * np.cumsum(swing) / FS)
    meter = SoundMeter(Feed(FS, "iq"))
    silence = 0.3 * np.ones(round(2 * FS)) + 0j
    meter.take(np.concatenate((silence, word, silence)).astype(np.complex64))
    found = live(meter, "tx.deviation")
    assert found.value == pytest.approx(2300.0, rel=0.1), found


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


def test_a_reading_has_no_gap_in_it() -> None:
    """A computer too busy to take what comes loses some; a tone cut and joined again would read as noise."""
    meter = SoundMeter(Feed(FS), averaging_s=0.5)
    given = meter.feed.blocks()
    found: list[Measured | str] = []

    def ask() -> None:
        try:
            found.append(meter.measure("rx.sinad", HERE))
        except BenchError as error:
            found.append(str(error))

    def hear(seconds: float, start_s: float) -> None:
        meter.feed.push(tone(0.3, start_s + seconds, noise=0.003)[round(start_s * FS) :])
        until = meter._recent.count + meter.feed._size
        while meter._recent.count < until:
            meter.take(next(given))

    def lose() -> None:
        for seconds in (4.0, 0.001):
            meter.feed.push(tone(0.3, seconds))
        assert meter.feed.gap == meter._recent.count

    hear(0.3, 0.0)
    lose()
    hear(0.3, 0.2503)
    assert "sound was lost" in live(meter, "rx.sinad").warning and live(meter, "rx.sinad").value is not None
    hear(2.0, 0.0)
    assert live(meter, "rx.sinad").warning == ""
    clean = live(meter, "rx.sinad").value
    assert clean is not None and meter.feed.lost == round(4 * FS)
    asking = threading.Thread(target=ask)
    asking.start()
    for turn in itertools.count():
        if not asking.is_alive():
            break
        if turn >= 2 and not meter.feed.lost > round(4 * FS):
            lose()
        hear(0.1, 0.0003)
        threading.Event().wait(0.01)
    assert isinstance(found[0], Measured) and found[0].value == pytest.approx(clean, abs=0.5)
    asking = threading.Thread(target=ask)
    asking.start()
    while asking.is_alive():
        lose()
        hear(0.1, 0.0)
        threading.Event().wait(0.01)
    assert found[1] == "Sound is being lost: this computer is too busy. Close other programs, then log again."


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
