"""A recording as a meter of the bench: it says what the sound card would have said, and what it cannot tell it refuses with the cure."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from unitone.bench.drivers.live import Feed
from unitone.bench.drivers.recorded_meter import LONGEST_S, RecordedMeter, read_from_recordings
from unitone.bench.drivers.sound_figures import FROM_AUDIO, FROM_IQ
from unitone.bench.drivers.sound_meter import SoundMeter
from unitone.bench.second_radio import VOICE_SHIFT
from unitone.errors import BenchError, SignalError
from unitone.sheet.model.sheet import Conditions

FS = 48_000
HERE = Conditions()


def loudspeaker(seconds: float = 1.0, noise: float = 0.02) -> np.ndarray:
    """A 1 kHz tone with its second harmonic, hum and noise."""
    t = np.arange(round(seconds * FS)) / FS
    made = (
        0.2 * np.sin(2 * np.pi * 1000 * t) + 0.01 * np.sin(2 * np.pi * 2000 * t) + 0.004 * np.sin(2 * np.pi * 100 * t)
    )
    return made + noise * np.random.default_rng(7).standard_normal(t.size)


def carrier(quantity_id: str) -> np.ndarray:
    """I/Q, shape (n,), by a 1 kHz tone: 2 kHz of deviation, or 50 % of AM."""
    t = np.arange(FS) / FS
    fm = 0.3 * np.exp(-2j * np.cos(2 * np.pi * 1000 * t))
    am = 0.3 * (1 + 0.5 * np.sin(2 * np.pi * 1000 * t)) + 0j
    return np.asarray(fm if quantity_id == "tx.deviation" else am, np.complex64)


def live(x: np.ndarray, kind: str, quantity_id: str) -> float | None:
    feed = Feed(FS, kind)  # type: ignore[arg-type]
    meter = SoundMeter(feed)
    feed.push(x)
    feed.close()
    meter.pump()
    found = meter.live(quantity_id, HERE)
    assert found is not None
    return found.value


def test_a_recording_says_what_the_sound_card_said(tmp_path: Path) -> None:
    sound, iq = tmp_path / "speaker.wav", tmp_path / "receiver.wav"
    x = loudspeaker()
    soundfile.write(sound, x, FS, "DOUBLE")
    audio = [q for q in FROM_AUDIO if read_from_recordings(q) and q != VOICE_SHIFT]
    assert len(audio) >= 6
    for quantity_id in audio:
        got = RecordedMeter(sound).measure(quantity_id, HERE)
        assert got.value == live(x, "audio", quantity_id), quantity_id
        assert got.source == "file" and got.instrument == "speaker.wav"
    for quantity_id, true in (("tx.deviation", 2000.0), ("tx.am_depth", 50.0)):
        samples = carrier(quantity_id)
        soundfile.write(iq, np.stack([samples.real, samples.imag], 1), FS, "FLOAT")
        got = RecordedMeter(iq).measure(quantity_id, HERE)
        assert got.value == live(samples, "iq", quantity_id)
        assert got.value == pytest.approx(true, rel=0.03)
    # 300 to 3400 Hz hold the noise of a white band to 24 kHz by 3100/24000; tone 0.2 peak, harmonic 0.01, hum below the band.
    expected = 10 * np.log10((0.02 + 5e-5 + 4e-4 * 3100 / 24_000) / (5e-5 + 4e-4 * 3100 / 24_000))
    assert RecordedMeter(sound).measure("rx.sinad", HERE).value == pytest.approx(expected, abs=0.5)


def test_the_channel_with_the_lead_in_it_is_read(tmp_path: Path) -> None:
    path = tmp_path / "right.wav"
    x = loudspeaker()
    soundfile.write(path, np.stack([1e-5 * x, x], 1), FS, "DOUBLE")
    got = RecordedMeter(path).measure("rx.sinad", HERE)
    assert got.instrument == "right.wav, channel 2" and got.value == live(x, "audio", "rx.sinad") and not got.warning


def test_what_it_cannot_tell_is_refused_with_the_cure(tmp_path: Path) -> None:
    def recorded(name: str, x: np.ndarray) -> RecordedMeter:
        soundfile.write(tmp_path / name, x, FS)
        return RecordedMeter(tmp_path / name)

    mono = recorded("mono.wav", loudspeaker())
    for quantity_id, says in (
        ("rx.quieting", "second stretch"), ("tx.hum_noise", "second stretch"), ("rx.af_voltage", "type it"),
        ("tx.power", "not read from a recording"), ("tx.deviation", "I/Q"),
    ):  # fmt: skip
        assert not mono.measures(quantity_id)
        with pytest.raises(BenchError, match=says):
            mono.measure(quantity_id, HERE)
    assert mono.live("rx.sinad", HERE) is None and set(FROM_IQ).isdisjoint(q for q in FROM_IQ if mono.measures(q))
    for name, x, says in (
        ("blip.wav", loudspeaker(0.1), "shorter than 0.3 s"),
        ("loud.wav", 8.0 * loudspeaker(), "full scale"),
        ("silent.wav", np.zeros(FS), "no sound comes in"),
        ("hours.flac", np.tile(loudspeaker(5.0), 1 + round(LONGEST_S / 5)), "Which part|which part"),
    ):
        meter = recorded(name, x)
        if name == "silent.wav":
            # A dead radio has a SINAD: none. It has no tone whose frequency could be told.
            assert meter.measure("rx.sinad", HERE).value == 0.0
        with pytest.raises(BenchError, match=says) as caught:
            meter.measure("rx.tone_frequency", HERE)
        assert name in str(caught.value)
    (tmp_path / "words.wav").write_bytes(b"RIFFnonsense")
    with pytest.raises(SignalError, match=r"words\.wav.*not a readable sound file"):
        RecordedMeter(tmp_path / "words.wav")
