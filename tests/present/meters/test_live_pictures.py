"""Live measuring is that of files: feeds, the ring, the simulated radio listened to, and each task's picture against what was made."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import skrf
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.bench.drivers.live import Feed
from unitone.bench.drivers.recording import Samples
from unitone.errors import HookUpError, SignalError
from unitone.present.meters._line_pictures import nice_hz
from unitone.present.meters.audio_pictures import describe_ratio
from unitone.present.meters.live_pictures import KEPT_S, LiveMeter
from unitone.present.meters.meter_pictures import measure_recording, measure_source
from unitone.present.meters.meter_shapes import TAKES, TASKS, How, parse_limit, parse_sweep
from unitone.session.session import Session
from unitone.sheet.model.sheet import Conditions
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench

RATE = 48_000
T = np.arange(2 * RATE) / RATE


def audio(noise: float = 0.02, level: float = 0.3) -> np.ndarray:
    return level * np.sin(2 * np.pi * 1000 * T) + noise * np.random.default_rng(1).standard_normal(T.size)


def fm(deviation: float = 2000.0, tone: float = 1000.0, offset: float = 0.0) -> np.ndarray:
    return (0.4 * np.exp(1j * (2 * np.pi * offset * T + deviation / tone * np.sin(2 * np.pi * tone * T)))).astype(
        np.complex64
    )


@settings(max_examples=30, deadline=None)
@given(st.lists(st.integers(1, 30_000), min_size=1, max_size=30), st.integers(1, 40_000))
def test_the_ring_holds_the_last_samples_however_they_came(sizes: list[int], wanted: int) -> None:
    meter = LiveMeter(Feed(8000.0), How())
    everything = np.arange(float(sum(sizes)))
    at = 0
    for size in sizes:
        meter.take(everything[at : at + size])
        at += size
    kept = min(wanted, at, round((KEPT_S + 1) * 8000))
    assert np.array_equal(meter.last(wanted / 8000.0), everything[at - kept :])
    assert meter.seconds == at / 8000.0


def test_a_feed_hands_over_everything_in_order_and_says_what_was_lost() -> None:
    feed, got = Feed(1000.0), []

    def read() -> None:
        for block in feed.blocks(64):
            assert block.size <= 64
            got.append(block)

    reader = threading.Thread(target=read)
    reader.start()
    for n in range(50):
        feed.push(np.arange(n * 37.0, (n + 1) * 37.0))
    feed.push(np.zeros(0))
    feed.close()
    reader.join(5)
    assert np.array_equal(np.concatenate(got), np.arange(50 * 37.0)) and feed.lost == 0 and feed.taken == 1850
    late = Feed(1000.0)
    for _ in range(9):
        late.push(np.ones(1000))
    assert late.lost == 5000 and late.waiting_s == 4.0
    late.close("the clip was unplugged")
    read_on = late.blocks()
    assert sum(b.size for b in [next(read_on)]) == 4000
    with pytest.raises(SignalError, match="unplugged"):
        next(read_on)


def test_a_live_figure_is_that_of_the_same_samples_in_a_file(tmp_path: Path) -> None:
    x = audio()
    soundfile.write(tmp_path / "a.wav", x[-RATE:], RATE, subtype="DOUBLE")
    meter = LiveMeter(Feed(float(RATE), name="clip", full_scale_v=2.0), How())
    pictures = []
    for at in range(0, x.size, 1111):
        meter.take(x[at : at + 1111])
        if meter.due():
            pictures.append(meter.picture())
    last = meter.picture()
    assert last.figure == measure_recording(tmp_path / "a.wav", How()).figure and 20 < len(pictures) < 45
    assert [t for t, _ in last.trend] == sorted(t for t, _ in last.trend) and last.trend[-1][0] == 0.0
    meter.change(How("volts"))
    volts = meter.picture()
    assert volts.unit == "mV" and volts.value == pytest.approx(
        2.0 * np.sqrt(2) * np.sqrt(0.045 + 0.0004 * 3100 / 24000), rel=0.01
    )
    assert len(volts.trend) == 1, "another figure, another trend"
    assert not meter.overload
    meter.take(np.array([0.99]))
    assert meter.overload
    meter.take(np.zeros(3 * RATE))
    assert not meter.overload
    with pytest.raises(SignalError, match="silent"):
        meter.picture()


def test_what_is_lost_is_told_once_and_the_figure_goes_on() -> None:
    feed = Feed(float(RATE))
    meter = LiveMeter(feed, How())
    meter.take(audio())
    feed.lost = 512
    assert any("512 samples lost" in w for w in meter.picture().warnings)
    assert not any("lost" in w for w in meter.picture().warnings)


# -- the simulated radio, listened to -------------------------------------------------------------------


def listened(bench: SimulatedBench, conditions: Conditions, how: How, seconds: float = 1.5) -> float:
    meter = None
    for _ in range(round(seconds / 0.1)):
        heard = bench.listen(conditions, 0.1)
        assert heard is not None
        if meter is None:
            meter = LiveMeter(Feed(heard.rate, heard.kind, heard.name, heard.centre_hz, heard.full_scale_v), how)
        meter.take(heard.samples)
    assert meter is not None
    value = meter.picture().value
    assert value is not None
    return value


def test_the_meters_hear_of_the_stand_in_what_its_instruments_read(aligned: SimulatedRadio) -> None:
    """One measuring code: loudspeaker and carrier, block by block without a seam, against the bench's own readings."""
    bench = SimulatedBench(aligned)
    for level, within in ((-118.0, 1.0), (-100.0, 0.6), (-60.0, 0.4)):
        c = Conditions(way="receive", channel="20", level_dbm=level, tone_hz=1000.0, deviation_hz=1500.0)
        assert listened(bench, c, How()) == pytest.approx(bench.measure("rx.sinad", c).value, abs=within)
    assert listened(bench, c, How("volts")) == pytest.approx(bench.measure("rx.af_voltage", c).value, rel=0.03)
    transmit = Conditions(way="transmit", channel="20", mic_mv=20.0, tone_hz=1000.0)
    reads = bench.measure("tx.deviation", transmit).value
    assert reads is not None and listened(bench, transmit, How("deviation")) * 1e3 == pytest.approx(reads, rel=0.005)
    error = bench.measure("tx.frequency_error", Conditions(way="transmit", channel="20")).value or 0.0
    counted = listened(bench, Conditions(way="transmit", channel="20"), How("frequency"))
    assert counted - 27.205e6 == pytest.approx(error, abs=3.0)


def test_a_session_is_listened_to_where_its_hook_up_allows(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    session.go_to("front-end")
    with pytest.raises(HookUpError):
        session.measuring.listen(0.1)
    session.confirm_hook_up("receive")
    heard = session.measuring.listen(0.1)
    assert heard is not None and heard.kind == "audio" and heard.samples.size == 2400
    assert new_session(None).measuring.listen(0.1) is None, "a real radio is heard through the sound card"


# -- every task ------------------------------------------------------------------------------------


def test_every_task_names_what_it_is_measured_from() -> None:
    assert [t for t, _ in TASKS] == list(TAKES)
    iq, sound = Samples(fm(), RATE, "iq", "a receiver"), Samples(audio(), RATE, name="a loudspeaker")
    for task in TAKES:
        for source in (iq, sound):
            if source.kind in TAKES[task] and task != "response":
                assert measure_source(source, How(task)).task == task
            else:
                with pytest.raises(SignalError, match="measured from"):
                    measure_source(source, How(task))


def test_deviation_on_speech_is_spread_and_a_null_is_named() -> None:
    toned = measure_source(Samples(fm(2404.8), RATE, "iq"), How("deviation", prove_hz=2404.8))
    # β = 2.4048: the first zero of J0 (Abramowitz & Stegun, table 9.5).
    assert (
        toned.value == pytest.approx(2.4048, rel=0.002) and "tone of 1000.0 Hz" in toned.words and toned.spread is None
    )
    assert int(toned.words.split("stands ")[1].split(" dB")[0]) > 40
    rng = np.random.default_rng(3)
    speech = np.convolve(rng.standard_normal(T.size), np.hanning(40), "same")
    speech *= 800 / speech.std()
    z = np.exp(2j * np.pi * np.cumsum(speech) / RATE).astype(np.complex64)
    spoken = measure_source(Samples(z, RATE, "iq"), How("deviation"))
    assert spoken.spread is not None and spoken.spread[1].sum() == pytest.approx(100.0) and "speech" in spoken.words
    middle = 0.5 * (spoken.spread[0][1:] + spoken.spread[0][:-1])
    assert np.sqrt(np.average(middle**2, weights=spoken.spread[1])) == pytest.approx(0.8, rel=0.06)


def test_ssb_on_two_tones_and_on_one() -> None:
    """Products put in by hand at −30 and −42 dB of either tone; a carrier 45 and a sideband 52 dB down."""

    def line(hz: float, db: float) -> np.ndarray:
        return 0.2 * 10 ** (db / 20) * np.exp(2j * np.pi * hz * T)

    two = line(700, 0) + line(1900, 0) + line(-500, -30) + line(3100, -33) + line(-1700, -42)
    seen = measure_source(Samples(two.astype(np.complex64), RATE, "iq"), How("ssb"))
    assert (
        seen.value == pytest.approx(-30.0, abs=0.1) and {f.what: f.text for f in seen.figures}["5th order"] == "−42.0"
    )
    assert seen.doubt.endswith("dB") and float(seen.doubt.split("mean ")[1].split(" ")[0]) == pytest.approx(
        3.0, abs=0.4
    )
    one = line(1000, 0) + line(0, -45) + line(-1000, -52)
    seen = measure_source(Samples(one.astype(np.complex64), RATE, "iq"), How("ssb"))
    assert seen.value == pytest.approx(-45.0, abs=0.1) and seen.sends[0].quantity_id == "tx.carrier_suppression"
    noise = np.random.default_rng(1).standard_normal((T.size, 2)).view(complex)[:, 0].astype(np.complex64)
    with pytest.raises(SignalError, match="no tone found"):
        measure_source(Samples(1e-3 * noise, RATE, "iq"), How("ssb"))


def test_a_frequency_is_counted_with_its_clock_and_its_middle() -> None:
    seen = measure_source(Samples(audio(), RATE), How("frequency", ppm=100.0))
    assert seen.value == pytest.approx(1000.1, abs=0.01) and seen.figures[0].value == pytest.approx(0.1, abs=0.01)
    z = Samples(np.exp(2j * np.pi * 1234.5 * T).astype(np.complex64), RATE, "iq", centre_hz=27.2e6)
    seen = measure_source(z, How("frequency"))
    assert (
        seen.unit == "MHz" and seen.value == pytest.approx(27_201_234.5, abs=0.01) and seen.sends[0].value == seen.value
    )
    assert [nice_hz(v, 0) for v in (999.4, 999.6, 1.2e6, 27.205e6)] == [
        ("999", "Hz"),
        ("1.000", "kHz"),
        ("1.200000", "MHz"),
        ("27.205000", "MHz"),
    ]


def test_lines_are_held_against_a_limit_wherever_they_came_from(tmp_path: Path) -> None:
    hz = np.linspace(20e6, 120e6, 4001)
    db = np.full(hz.size, -95.0) + 0.5 * np.sin(hz / 3e4)
    for at, level in ((27.205e6, 0.0), (54.41e6, -58.0), (81.615e6, -72.0)):
        db[np.argmin(abs(hz - at))] = level
    path = tmp_path / "trace.csv"
    path.write_text(
        "Frequency (MHz);Level (dBm)\n"
        + "\n".join(f"{a / 1e6:.4f};{b:.2f}".replace(".", ",") for a, b in zip(hz, db, strict=True))
    )
    seen = measure_recording(path, How("lines", limit=parse_limit("54 MHz −60; 81 MHz -70")))
    assert (
        seen.value == pytest.approx(-58.0, abs=0.1)
        and "harmonic 2" in seen.words
        and "over the limit: 54.40 MHz" in seen.out[0]
    )
    assert (
        [r[2] for r in seen.table[1:]] == ["harmonic 2", "harmonic 3"]
        and "OVER" in seen.table[1][3]
        and "under" in seen.table[2][3]
    )
    assert seen.sends[0].quantity_id == "tx.harmonic" and seen.limit is not None
    assert not measure_recording(path, How("lines")).warnings
    with pytest.raises(SignalError, match="IF curve shows it"):
        measure_recording(path, How())
    for bad in ("sixty", "-60; -70", "-900"):
        with pytest.raises(SignalError, match="is not a limit"):
            parse_limit(bad)


def test_an_if_curve_from_touchstone_and_from_a_sweep(tmp_path: Path) -> None:
    """A single tuned circuit: −3 dB bandwidth f/Q, −6 dB √3 times as much (any text on resonance)."""
    f = np.linspace(440e3, 470e3, 601)
    s21 = 1.0 / (1 + 2j * 70 * (f - 455e3) / 455e3)
    s = np.zeros((f.size, 2, 2), complex)
    s[:, 1, 0] = s[:, 0, 1] = s21
    skrf.Network(f=f, s=s, f_unit="Hz").write_touchstone(str(tmp_path / "if"))
    seen = measure_recording(tmp_path / "if.s2p", How("response"))
    assert (
        seen.value == pytest.approx(np.sqrt(3) * 6500, rel=0.01)
        and seen.unit == "kHz at −6 dB"
        and "no shape factor" in seen.warnings[0]
    )
    # A resonance at 1200 Hz, 200 Hz wide, swept from 300 to 3000 Hz in twenty seconds.
    t = np.arange(20 * RATE) / RATE
    at = 300 + 2700 * t / 20
    x = 0.5 / np.sqrt(1 + (2 * (at - 1200) / 200) ** 2) * np.sin(2 * np.pi * (300 * t + 1350 * t * t / 20))
    soundfile.write(tmp_path / "sweep.wav", x, RATE, subtype="FLOAT")
    seen = measure_recording(tmp_path / "sweep.wav", How("response", sweep=parse_sweep("300 Hz to 3 kHz in 20 s")))
    assert seen.table[1][1].startswith("200 Hz") or seen.table[1][1] in ("199 Hz", "201 Hz"), seen.table
    fast = measure_recording(tmp_path / "sweep.wav", How("response", sweep=(300.0, 30_000.0, 20.0)))
    assert any("runs too fast" in w for w in fast.warnings) or fast.value is not None
    with pytest.raises(SignalError, match="needs its frequencies"):
        measure_recording(tmp_path / "sweep.wav", How("response"))
    same = (
        "300 to 3400 Hz in 2.5 s",
        "300 Hz bis 3,4 kHz in 2,5 s",
        "300; 3400; 2.5",
        "300, 3400, 2,5",
        "300,3400,2.5",
    )
    assert {parse_sweep(text) for text in same} == {(300.0, 3400.0, 2.5)} and parse_sweep(" ") is None
    for bad in ("300 to", "0, 10, 5", "300, 300, 5", "a, b, c", "300 to 3400 Hz in 10 s in 5 s"):
        with pytest.raises(SignalError, match="is not a sweep"):
            parse_sweep(bad)


def test_two_levels_say_what_was_switched_off() -> None:
    on, off = (measure_source(Samples(x, RATE), How("volts")) for x in (audio(), audio(level=0.0)))
    words = describe_ratio(on, off)
    # Tone 0.045, noise 0.0004·3100/24000 of full scale squared: 10·log10 of (S+N)/N.
    assert float(words.split(" dB")[0]) == pytest.approx(10 * np.log10(1 + 0.045 / (0.0004 * 3100 / 24000)), abs=0.15)
    assert "(S+N)/N" in words and "more than held" in describe_ratio(off, on) and describe_ratio(on, on) == ""
    # AM: 5 % more carrier with modulation on than off (carrier shift, any text on transmitters).
    quiet, loud = (
        measure_source(
            Samples((0.2 * up * (1 + depth * np.sin(2 * np.pi * 1000 * T))).astype(np.complex64), RATE, "iq"),
            How("depth"),
        )
        for up, depth in ((1.0, 0.01), (1.05, 0.8))
    )
    assert describe_ratio(quiet, loud) == "carrier shift against held: +5.0 %" and describe_ratio(quiet, quiet) == ""
