"""A simulated radio that hears AM, FM and both sidebands: what each mode passes, and the checks that read the same thing twice."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from unitone.errors import BenchError, SheetError
from unitone.robot.many import simulated
from unitone.sheet.library import find
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.signals.sinad import rms
from unitone.simulator.physics import PhysicsFile, parse_physics, with_fault
from unitone.simulator.radio import Panel, SimulatedRadio
from unitone.simulator.receiver import RATE, Signal
from unitone.simulator.simulated_bench import SimulatedBench

CURLEW = "ostrel-curlew-5"
OPEN = (("squelch", "open"), ("volume", "30 %"))
AT = {"band": "C", "channel": "20"}


@pytest.fixture(scope="module")
def curlew() -> tuple[Sheet, PhysicsFile]:
    _, sheet, physics = simulated(CURLEW)
    return sheet, physics


@pytest.fixture
def radio(curlew: tuple[Sheet, PhysicsFile]) -> SimulatedRadio:
    made = SimulatedRadio(*curlew, 7)
    made.mechanics.specimen.found.update(made.mechanics.specimen.right)
    return made


def tone_hz(audio: np.ndarray) -> float:
    """The strongest line of a stretch of audio (Hz)."""
    window = np.hanning(audio.size)
    spectrum = np.abs(np.fft.rfft(audio * window))
    return float(np.argmax(spectrum[10:]) + 10) * RATE / audio.size


def heard(radio: SimulatedRadio, mode: str, signal: Signal | None, panel: Panel | None = None) -> np.ndarray:
    panel = panel or Panel.from_positions(OPEN)
    radio.receive(0.3, "20", signal, panel, band="C", mode=mode)
    return np.asarray(radio.receive(0.5, "20", signal, panel, band="C", mode=mode).audio, float)


def test_a_sideband_is_heard_on_its_own_side_alone(radio: SimulatedRadio, curlew: tuple[Sheet, PhysicsFile]) -> None:
    """1 kHz above the carrier sounds in USB as 1 kHz, and in LSB not at all: what is left is noise."""
    carrier = float(curlew[0].carrier_hz("20", "C"))
    for mode, side in (("usb", 1.0), ("lsb", -1.0)):
        right = heard(radio, mode, Signal(carrier + side * 1000.0, -90.0))
        wrong = heard(radio, mode, Signal(carrier - side * 1000.0, -90.0))
        assert tone_hz(right) == pytest.approx(1000.0, abs=5.0)
        assert 20.0 * math.log10(rms(right) / rms(wrong)) > 35.0


def test_the_clarifier_shifts_what_is_heard(radio: SimulatedRadio, curlew: tuple[Sheet, PhysicsFile]) -> None:
    """Half a kilohertz at the crystal is a kilohertz at the ear, as it is doubled; up makes USB fall and LSB rise, or the other way."""
    carrier = float(curlew[0].carrier_hz("20", "C"))
    words = {p: Panel.from_positions((*OPEN, ("clarifier", p))) for p in ("-100 %", "0 %", "100 %")}
    place = Place("receive", "C", "usb", "20")
    tones = {}
    for position, panel in words.items():
        nominal, actual = radio.synthesiser.output_hz("rx.lo1", place, 1e9, {"clarifier": position})
        tones[position] = (tone_hz(heard(radio, "usb", Signal(carrier + 1500.0, -90.0), panel)), actual - nominal)
    middle = tones["0 %"][0]
    for tone, shift in tones.values():
        assert tone == pytest.approx(1500.0 - shift, abs=6.0)
    assert abs(tones["100 %"][0] - middle) > 800.0 and abs(tones["-100 %"][0] - middle) > 800.0


def test_a_carrier_oscillator_that_is_off_shifts_the_pitch_but_not_am(
    radio: SimulatedRadio, curlew: tuple[Sheet, PhysicsFile]
) -> None:
    carrier = float(curlew[0].carrier_hz("20", "C"))
    straight = tone_hz(heard(radio, "usb", Signal(carrier + 1000.0, -90.0)))
    am = radio.if_offset_hz("20", carrier, band="C", mode="am")
    radio.mechanics.turn("CT8", 60_000)
    off = radio.synthesiser.output_hz("rx.bfo", Place("receive", "C", "usb", "20"))
    error = off[1] - off[0]
    assert abs(error) > 50.0
    moved = tone_hz(heard(radio, "usb", Signal(carrier + 1000.0, -90.0)))
    # The first oscillator runs above the signal: what the carrier oscillator is high makes the pitch higher by as much.
    assert moved - straight == pytest.approx(error, abs=6.0)
    assert radio.if_offset_hz("20", carrier, band="C", mode="am") == pytest.approx(am, abs=1e-6)


def test_each_mode_has_its_own_filter(radio: SimulatedRadio, curlew: tuple[Sheet, PhysicsFile]) -> None:
    """-3 dB points of the whole chain: 6 kHz in AM, less with the cans; a sideband's 2.7 kHz lies on its own side."""
    carrier = float(curlew[0].carrier_hz("20", "C"))
    for mode, low, high in (("am", -3000.0, 3000.0), ("usb", 300.0, 3000.0), ("lsb", -3000.0, -300.0)):
        chain = radio.receiver.chain(carrier, mode)
        order = np.argsort(chain.hz)
        hz, gain = chain.hz[order], np.abs(chain.gain[order])
        passed = hz[gain > gain.max() / math.sqrt(2.0)]
        assert low - 200.0 <= passed.min() and passed.max() <= high + 200.0, mode
        assert np.ptp(passed) > 0.55 * (high - low), mode
    assert radio.receiver.usual_mode() == "fm" and radio.mode_of("lsb") == "lsb"


def test_the_meter_has_a_preset_for_each_mode(radio: SimulatedRadio) -> None:
    bench = SimulatedBench(radio)
    s9 = {m: Conditions("receive", level_dbm=-73.0, mode=m, panel=OPEN, tone_hz=1000.0, **AT) for m in ("am", "usb")}
    before = {m: bench.measure("rx.s_meter", c).value or 0.0 for m, c in s9.items()}
    assert all(abs(v) < 3.0 for v in before.values()), before
    bench.turn("P11", 30_000)
    after = {m: bench.measure("rx.s_meter", c).value or 0.0 for m, c in s9.items()}
    assert abs(after["am"] - before["am"]) < 0.5 and after["usb"] - before["usb"] > 2.0


def test_automatic_gain_rises_by_what_it_does_not_hold(
    radio: SimulatedRadio, curlew: tuple[Sheet, PhysicsFile]
) -> None:
    """Well above its knee, the audio rises by 1 - hold of the decibels: 46 dB times 0.08 is 3.7 dB."""
    receive = curlew[1].receive
    assert receive is not None and receive.agc is not None
    bench = SimulatedBench(radio)
    at = Conditions("receive", level_dbm=-41.0, mode="am", panel=OPEN, tone_hz=1000.0, depth_pct=30.0, **AT)
    rise = bench.measure("rx.agc_rise", at).value or 0.0

    def gain_db(level: float) -> float:
        return level - receive.agc.hold * 10.0 * math.log10(1.0 + 10.0 ** ((level - receive.agc.knee) / 10.0))  # type: ignore[union-attr]

    assert rise == pytest.approx(gain_db(-41.0) - gain_db(-87.0), abs=0.8)
    with pytest.raises(BenchError, match="level on the generator"):
        bench.measure("rx.agc_rise", replace(at, level_dbm=None))


def test_selectivity_is_the_skirt_of_filter_and_cans(radio: SimulatedRadio, curlew: tuple[Sheet, PhysicsFile]) -> None:
    """Against the chain's own response 10 kHz beside, whichever side is nearer."""
    bench = SimulatedBench(radio)
    at = Conditions("receive", level_dbm=-73.0, mode="am", panel=OPEN, tone_hz=1000.0, depth_pct=30.0, **AT)
    read = bench.measure("rx.selectivity", at).value or 0.0
    chain = radio.receiver.chain(float(curlew[0].carrier_hz("20", "C")), "am")
    response = {round(h): abs(g) for h, g in zip(chain.hz, chain.gain, strict=True)}
    beside = min(response, key=lambda h: abs(h - 10_000)), min(response, key=lambda h: abs(h + 10_000))
    skirt = 20.0 * math.log10(response[0] / max(response[b] for b in beside))
    # A filter of 128 taps leaks some 60 to 90 dB down: no deeper than that is it heard.
    assert min(skirt, 60.0) - 3.0 <= read <= skirt + 6.0
    # However strong the signal was before: the gain control is waited for.
    for before in (-13.0, -110.0):
        bench.measure("rx.s_meter", replace(at, level_dbm=before))
        assert bench.measure("rx.selectivity", at).value == pytest.approx(read, abs=0.6)
    broad = SimulatedBench(SimulatedRadio(curlew[0], wide(curlew[1]), 7))
    broad.radio.mechanics.specimen.found.update(broad.radio.mechanics.specimen.right)
    assert (broad.measure("rx.selectivity", at).value or 0.0) < read - 10.0


def wide(physics: PhysicsFile) -> PhysicsFile:
    """The same radio with its AM filter replaced by a poor one."""
    assert physics.receive is not None
    stages = [
        s.model_copy(update={"poles": 1, "bandwidth": 9000.0}) if s.kind == "filter" and s.modes == ["am"] else s
        for s in physics.receive.stage
    ]
    return physics.model_copy(update={"receive": physics.receive.model_copy(update={"stage": stages})})


def test_the_blanker_silences_pulses_and_nothing_else(radio: SimulatedRadio) -> None:
    bench = SimulatedBench(radio)
    on = (("blanker", "on"), *OPEN)
    at = Conditions("receive", level_dbm=-87.0, mode="am", panel=on, tone_hz=1000.0, depth_pct=30.0, **AT)
    assert (bench.measure("rx.blanker", at).value or 0.0) > 6.0
    with pytest.raises(BenchError, match="switch on"):
        bench.measure("rx.blanker", replace(at, panel=OPEN))
    # Without pulses it makes no difference.
    loud = {p: bench.measure("rx.af_voltage", replace(at, panel=p)).value or 0.0 for p in (on, OPEN)}
    assert loud[on] == pytest.approx(loud[OPEN], rel=0.05)


def test_the_automatic_squelch_has_its_own_preset(radio: SimulatedRadio) -> None:
    bench = SimulatedBench(radio)
    auto = Conditions("receive", mode="am", panel=(("squelch", "automatic"), ("volume", "30 %")), tone_hz=1000.0, **AT)
    half = replace(auto, panel=(("squelch", "50 %"), ("volume", "30 %")))
    before = {c: bench.measure("rx.squelch_opens", c).value or 0.0 for c in (auto, half)}
    bench.turn("P13", 40_000)
    assert (bench.measure("rx.squelch_opens", auto).value or 0.0) > before[auto] + 2.0
    assert bench.measure("rx.squelch_opens", half).value == pytest.approx(before[half], abs=0.6)


def test_every_mode_is_heard_in_the_meters(radio: SimulatedRadio, curlew: tuple[Sheet, PhysicsFile]) -> None:
    """What the Meters listen to is what the loudspeaker gives: a tone in every mode, on another band too."""
    bench = SimulatedBench(radio)
    for mode, more in (("am", {"depth_pct": 30.0}), ("fm", {"deviation_hz": 1500.0}), ("usb", {}), ("lsb", {})):
        at = Conditions("receive", "20", level_dbm=-80.0, band="E", mode=mode, panel=OPEN, tone_hz=1000.0, **more)  # type: ignore[arg-type]
        got = bench.listen(at, 0.5)
        assert got is not None and got.kind == "audio"
        assert tone_hz(np.asarray(got.samples, float)[2400:]) == pytest.approx(1000.0, abs=8.0), mode


@pytest.mark.parametrize("sheet_name", [CURLEW, "ostrel-teal-6"])
def test_every_receive_step_of_an_aligned_set_is_within_its_limits(sheet_name: str) -> None:
    _, sheet, physics = simulated(sheet_name)
    made = SimulatedRadio(sheet, physics, 11)
    made.mechanics.specimen.found.update(made.mechanics.specimen.right)
    bench = SimulatedBench(made)
    for step in sheet.steps:
        if step.hook_up != "receive" or step.quantity_id.startswith(("rx.sensitivity", "rx.squelch")):
            continue
        for conditions in step.required:
            value = bench.measure(step.quantity_id, conditions).value
            assert value is not None and step.limit.holds(value), (step.id, conditions.place, value)
    for name in physics.fault:
        assert with_fault(physics, name) != physics


def test_what_the_receive_side_names_has_to_be_there(curlew: tuple[Sheet, PhysicsFile]) -> None:
    path = find(CURLEW).with_name("ostrel-curlew-5.physics.toml")
    text = path.read_text(encoding="utf-8")
    for right, wrong, said in (
        ('control = "blanker"', 'control = "blankets"', "no control 'blankets'"),
        ('usb = "P11"', 'usb = "P99"', "no adjuster 'P99'"),
        ('auto_adjuster = "P13"', 'auto_adjuster = "P77"', "no adjuster 'P77'"),
        ('modes = ["usb"]', 'modes = ["cw"]', "receive.stage"),
    ):
        assert right in text
        with pytest.raises(SheetError, match=said):
            parse_physics(text.replace(right, wrong, 1), str(path), curlew[0])
