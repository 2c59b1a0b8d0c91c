"""Recordings that are broken, lying, silent or strange: one clear message with the file's name, and the others go on."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from unitone.bench.drivers.measure import TASKS, measure_file, measure_sinad
from unitone.bench.drivers.recording import Samples, SoundFile, open_source, recordings
from unitone.errors import SignalError
from unitone.signals._faults import Health
from unitone.signals.audio import AudioMeter
from unitone.signals.fm import measure_fm, null_deviation
from unitone.signals.response import measure_response, read_response
from unitone.signals.spectrum import line_powers, read_csv
from unitone.signals.ssb import suppression_db, two_tone

FS = 48_000


def tone(seconds: float = 2.0, amplitude: float = 0.3, rate: int = FS, noise: float = 0.01) -> NDArray[np.float64]:
    t = np.arange(round(seconds * rate)) / rate
    return amplitude * np.sin(2 * np.pi * 1000 * t) + noise * np.random.default_rng(1).standard_normal(t.size)


def warned(x: NDArray[np.float64], rate: float = FS) -> str:
    return " ".join(measure_sinad(Samples(x, rate)).warnings)


def test_clipping_offset_gaps_and_a_missing_tone_are_reported_not_measured_through() -> None:
    assert warned(tone()) == ""
    assert "clipped" in warned(np.clip(1.3 * tone(amplitude=0.9), -1, 1)) and "clipped" in warned(
        np.clip(tone(), -0.2, 0.2)
    )
    assert "DC offset of 10.0 %" in warned(tone() + 0.1)
    gappy = tone()
    gappy[20_000:20_400] = gappy[20_000]
    gappy[60_000:61_000] = 0.0
    assert "2 gaps, the first at 0.42 s" in warned(gappy)
    assert "over full scale by 6.0 dB" in warned(tone(amplitude=2.0, noise=0.0))
    missing = measure_sinad(Samples(0.1 * np.random.default_rng(0).standard_normal(2 * FS), FS))
    assert missing.sinad_db is None and missing.tone_hz is None and "no tone near 1000 Hz" in missing.warnings[0]
    half = np.concatenate((tone(5.0), 0.01 * np.random.default_rng(2).standard_normal(3 * FS)))
    assert "missing in 3 of 8 stretches" in warned(half)


@pytest.mark.parametrize("bits", [1, 2, 8, 40, 120])
def test_a_quiet_recording_in_few_bits_is_not_called_clipped(bits: int) -> None:
    """The tops of a quiet sine in whole numbers are flat for several samples: no converter clipped there."""
    quiet = np.round(bits * np.sin(2 * np.pi * 440.3 * np.arange(2 * FS) / FS)) / 32768
    health = Health(FS)
    health.take(quiet)
    assert not any("clipped" in w for w in health.warnings())


def test_full_scale_noise_silence_and_too_little(tmp_path: Path) -> None:
    loud = measure_sinad(Samples(np.clip(np.random.default_rng(3).standard_normal(2 * FS), -1, 1), FS))
    assert loud.sinad_db is None and any("clipped" in w for w in loud.warnings)
    for samples, says in (
        (np.zeros(2 * FS), "silent from beginning to end"),
        (tone()[:2], "too few"),
        (np.array([]), "too few"),
        (np.where(np.arange(2 * FS) == 48_000, np.nan, tone()), "a sample at 1.000 s is not a number"),
    ):
        with pytest.raises(SignalError, match=says):
            measure_sinad(Samples(samples, FS))


@pytest.mark.parametrize("rate", [8_000, 11_025, 22_050, 44_100, 96_000, 192_000, 1_000_000, 10_000_000])
def test_every_rate_from_8_k_to_10_m(rate: int) -> None:
    seconds = 0.5 if rate > 500_000 else 2.0
    x = tone(seconds, rate=rate, noise=0.01 * np.sqrt(rate / FS))
    expected = 10 * np.log10(1 + 0.045 / (1e-4 * 3100 / (FS / 2)))
    assert measure_sinad(Samples(x, rate)).sinad_db == pytest.approx(expected, abs=0.6)


def test_a_rate_beyond_all_bounds_is_refused() -> None:
    for rate in (7_999.0, 11e6, 0.0, -1.0):
        with pytest.raises(SignalError, match="samples a second"):
            AudioMeter(rate)


def test_files_that_are_none_say_so_with_their_name(tmp_path: Path) -> None:
    good = tmp_path / "good.wav"
    soundfile.write(good, tone(), FS)
    whole = good.read_bytes()
    files = {
        "empty.wav": (b"", "is empty"),
        "words.wav": (b"RIFFnonsense", "is not a readable sound file"),
        "poem.txt": (b"roses", "is not a known recording"),
        "header.wav": (whole[:44], "no samples|is not a readable sound file"),
    }
    for name, (content, says) in files.items():
        (tmp_path / name).write_bytes(content)
        with pytest.raises(SignalError, match=says) as caught:
            measure_file(tmp_path / name, "sinad")
        assert str(tmp_path / name) in str(caught.value)
    with pytest.raises(SignalError, match="cannot be read"):
        measure_file(tmp_path / "none.wav", "sinad")
    (tmp_path / "cut.wav").write_bytes(whole[: len(whole) // 2])
    cut = measure_file(tmp_path / "cut.wav", "sinad")
    assert cut["seconds"] == pytest.approx(1.0, abs=0.01) and "truncated" in cut["warnings"][0]
    with pytest.raises(SignalError, match="I/Q is stereo"):
        measure_file(good, "fm")
    with pytest.raises(SignalError, match="has no channel 3"):
        SoundFile(good, "audio", 3)


def test_the_second_channel_is_measured_where_it_is_asked_for(tmp_path: Path) -> None:
    path = tmp_path / "two.flac"
    soundfile.write(path, np.stack([tone(), tone(noise=0.05)], 1), FS)
    first, second = (measure_file(path, "sinad", channel=n) for n in (1, 2))
    assert (
        first["sinad_db"] > second["sinad_db"] + 10 and "2 channels" in first["warnings"][0] and not second["warnings"]
    )


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"core:sample_rate": 0}, "core:sample_rate is 0"),
        ({"core:sample_rate": "fast"}, "core:sample_rate"),
        ({"core:sample_rate": 1e308}, "samples a second are meant"),
        ({"core:datatype": "cx9"}, "core:datatype is 'cx9'"),
        ({"core:datatype": None}, "core:datatype"),
        ({"core:num_channels": 4}, "several channels"),
        ({"core:datatype": "rf64_le"}, "is audio, and I/Q is wanted"),
    ],
)
def test_wrong_sigmf_names_the_key(tmp_path: Path, change: dict[str, object], says: str) -> None:
    data = np.exp(2j * np.pi * 0.01 * np.arange(20_000)).astype(np.complex64)
    data.tofile(tmp_path / "r.sigmf-data")
    head = {"core:datatype": "cf32_le", "core:sample_rate": 48_000.0, **change}
    (tmp_path / "r.sigmf-meta").write_text(json.dumps({"global": head, "captures": []}))
    with pytest.raises(SignalError, match=says):
        measure_file(tmp_path / "r.sigmf-meta", "fm")


def test_sigmf_without_its_half_or_its_shape(tmp_path: Path) -> None:
    meta = tmp_path / "r.sigmf-meta"
    for text, says in (
        ("{", "is not SigMF metadata"),
        ("[]", "no “global”"),
        ('{"global": {"core:datatype": "cf32_le", "core:sample_rate": 1e5}, "captures": 7}', "not a list"),
        ('{"global": {"core:datatype": "cf32_le", "core:sample_rate": 1e5}}', "cannot be read"),
    ):
        meta.write_text(text)
        with pytest.raises(SignalError, match=says):
            open_source(meta, "iq")
    (tmp_path / "r.sigmf-data").write_bytes(b"\0" * 5)
    with pytest.raises(SignalError, match="no samples"):
        open_source(meta, "iq")


def test_other_files_of_a_folder_go_on(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "b.wav", tone(), FS)
    (tmp_path / "a.wav").write_bytes(b"x")
    (tmp_path / "notes.txt").write_text("not a recording")
    (tmp_path / ".hidden.wav").write_bytes(b"x")
    assert [p.name for p in recordings([tmp_path])] == ["a.wav", "b.wav"]


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.binary(max_size=400), st.integers(0, 60), st.sampled_from(TASKS))
def test_a_file_with_anything_in_it_is_measured_or_refused(tmp_path: Path, junk: bytes, at: int, task: str) -> None:
    path = tmp_path / "good.wav"
    soundfile.write(path, np.stack([tone(0.3), tone(0.3)], 1), FS)
    content = bytearray(path.read_bytes())
    content[at : at + len(junk)] = junk
    broken = tmp_path / "broken.wav"
    broken.write_bytes(bytes(content))
    try:
        json.dumps(measure_file(broken, task))  # type: ignore[arg-type]
    except SignalError as error:
        assert "broken.wav" in str(error)


def test_spectra_and_responses_from_csv(tmp_path: Path) -> None:
    trace = read_csv("MHz,dBm\n27.0,-60\n27.1,-10\n27.2,-61\n", "trace.csv")
    assert trace.hz[1] == pytest.approx(27.1e6) and trace.db[1] == -10
    assert read_csv("27,205;-1,5\n27,3;-2\n28;-3", "x").hz[0] == pytest.approx(27.205)
    for text, says in (
        ("a,b\nc,d", "0 pairs"),
        ("1,2\n2,3\nthree,four\n4,5", "trace.csv:3"),
        ("1,2\n1,3\n2,4", "is in it twice"),
    ):
        with pytest.raises(SignalError, match=says):
            read_csv(text, "trace.csv")
    (tmp_path / "x.s2p").write_text("not touchstone at all")
    with pytest.raises(SignalError, match=r"x\.s2p:1: .*is not Touchstone data"):
        read_response(tmp_path / "x.s2p")
    with pytest.raises(SignalError, match="at least 8"):
        measure_response(np.arange(3.0), np.zeros(3))
    with pytest.raises(SignalError, match="rise"):
        measure_response(np.array([1.0, 2, 3, 3, 4, 5, 6, 7]), np.zeros(8))


def test_what_cannot_be_measured_says_why() -> None:
    x = np.exp(2j * np.pi * 0.02 * np.arange(4800))
    for act, says in (
        (lambda: line_powers(x, FS, [30_000.0]), "beyond half the sample rate"),
        (lambda: line_powers(x, FS, [100.0, 120.0]), "need a recording of"),
        (lambda: line_powers(x[:10], FS, [100.0]), "too few"),
        (lambda: two_tone(x, FS, 700, 700), "are one"),
        (lambda: two_tone(x, FS, 960.0, 3000.0), "two tones were not found"),
        (lambda: suppression_db(x, FS, 0.0, 0.0), "on the carrier"),
        (lambda: null_deviation(-1.0), "above 0 Hz"),
        (lambda: measure_fm(np.zeros(48_000, complex), FS), "silent"),
        (lambda: measure_fm(x[:100], FS), "too little"),
    ):
        with pytest.raises(SignalError, match=says):
            act()
