"""The power chain of the simulated radios: coupled coils, trap, level control, supply, loading coil, audio; and what a broken bench gives."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import pytest

from unitone.errors import BenchError, SheetError
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Conditions
from unitone.simulator.mechanics import unit_mdeg
from unitone.simulator.physics import parse_physics, read_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.simulator.transmitter import Transmitter

SEND = Place("transmit", "C", "am", "20")


def made(name: str, seed: int = 3, change: Callable[[str], str] | None = None) -> SimulatedRadio:
    """A simulated radio whose every adjuster stands where its specimen is right."""
    sheet = read_sheet(find(name))
    path = physics_path(find(name))
    text = path.read_text(encoding="utf-8")
    physics = read_physics(path, sheet) if change is None else parse_physics(change(text), "physics", sheet)
    radio = SimulatedRadio(sheet, physics, seed)
    m = radio.mechanics
    for a in sheet.adjusters:
        m.moved_mdeg[a.id] = round((m.specimen.right[a.id] - m.specimen.found[a.id]) * unit_mdeg(a))
    return radio


def sends(radio: SimulatedRadio) -> Transmitter:
    assert radio.transmitter is not None
    return radio.transmitter


def turn(radio: SimulatedRadio, name: str, turns: float) -> None:
    radio.mechanics.turn(name, round(turns * 360_000))


def at(channel: str = "20", mode: str | None = "am", **more: object) -> Conditions:
    return replace(Conditions("transmit", channel, band="C", mode=mode), **more)  # type: ignore[arg-type]


def test_a_pair_serves_the_ends_and_one_hump_favours_one_of_them() -> None:
    radio = made("ostrel-curlew-5")
    low, middle, high = 26.065e6, 27.205e6, 28.305e6

    def watts(hz: float) -> float:
        return sends(radio).watts(hz)

    even = watts(high) / watts(low)
    assert even == pytest.approx(1.0, abs=0.05) and watts(middle) > watts(low)
    for name in ("L6", "L7"):
        turn(radio, name, 0.8)
    assert watts(high) > 1.5 * watts(low), "both cores one way: the band follows them"
    for name in ("L6", "L7"):
        turn(radio, name, -1.6)
    assert watts(low) > 1.5 * watts(high)


def test_a_part_that_holds_the_power_hides_the_coils() -> None:
    free, held = made("ostrel-weir-40-am", change=lambda t: t.replace('holds_at = "4.3 W"\n', "")), made(
        "ostrel-weir-40-am", change=lambda t: t.replace('holds_at = "4.3 W"', 'holds_at = "2 W"')
    )  # fmt: skip
    hz = 27.185e6
    assert sends(held).watts(hz) < 2.0 < sends(free).watts(hz)
    lost = {}
    for name, radio in (("free", free), ("held", held)):
        before = sends(radio).watts(hz)
        turn(radio, "L8", 0.7)
        lost[name] = 10 * math.log10(before / sends(radio).watts(hz))
    assert lost["held"] < 0.25 * lost["free"]


def test_a_supply_that_sags_takes_power_with_it_and_draws_what_it_should() -> None:
    stiff = made("ostrel-curlew-5", change=lambda t: t.replace('resistance = "0.08 Ω"', 'resistance = "0 Ω"'))
    weak = made("ostrel-curlew-5", change=lambda t: t.replace('resistance = "0.08 Ω"', 'resistance = "1.2 Ω"'))
    assert stiff.supply_volts(SEND) == 13.2 and stiff.supply_volts(replace(SEND, way="receive")) == 13.2
    # Ohm's law closes the loop: what is lost is the current times the lead.
    volts, amps = weak.supply_volts(SEND), weak.supply_amps(SEND)
    assert 13.2 - volts == pytest.approx(1.2 * amps, abs=0.01) and volts < 12.0
    power = {n: SimulatedBench(r).measure("tx.power", at()).value for n, r in (("stiff", stiff), ("weak", weak))}
    assert power["weak"] / power["stiff"] == pytest.approx((volts / 13.2) ** 2, rel=0.02)  # type: ignore[operator]
    bench = SimulatedBench(weak)
    assert bench.measure("supply.voltage", at()).value == pytest.approx(volts, abs=0.03)
    assert bench.measure("supply.current", at()).value == pytest.approx(amps, rel=0.02)
    assert bench.measure("supply.current", Conditions("receive")).value == pytest.approx(0.55, rel=0.02)
    with pytest.raises(BenchError, match="no \\[draw\\]"):
        made("ostrel-tarn-40").supply_amps(Place("transmit", None, None, "20"))


def test_the_level_control_holds_the_peaks_and_leaves_a_soft_voice_alone() -> None:
    radio = made("ostrel-curlew-5")
    bench = SimulatedBench(radio)
    held = sends(radio).held_watts()
    loud = bench.measure("tx.pep", at(mode="usb", mic_mv=20.0, tone_hz=1000.0)).value
    assert loud == pytest.approx(held, rel=0.03)
    soft = {}
    for name, turns in (("before", 0.0), ("after", -40 / 360)):
        turn(radio, "P8", turns)
        soft[name] = bench.measure("tx.pep", at(mode="usb", mic_mv=3.0, tone_hz=1000.0)).value or 0.0
    assert sends(radio).held_watts() < held - 1.0
    assert soft["after"] == pytest.approx(soft["before"], rel=0.02) and soft["after"] < 2.0


def test_audio_response_hum_and_the_processor() -> None:
    radio = made("ostrel-curlew-5")
    bench = SimulatedBench(radio)

    def response(hz: float) -> float:
        return bench.measure("tx.audio_response", at(mic_mv=2.0, tone_hz=hz)).value or 0.0

    # Two second-order corners: -3 dB at 280 Hz and 3.2 kHz, less what 1 kHz loses.
    assert response(280.0) == pytest.approx(-3.0, abs=0.6) and response(3200.0) == pytest.approx(-3.0, abs=0.6)
    assert abs(response(1000.0)) < 0.4 and response(100.0) < -15.0
    # 0.8 % of hum under the depth of the tone, 89 %: 41 dB.
    hum = bench.measure("tx.hum_noise", at(mic_mv=20.0, tone_hz=1000.0)).value
    assert hum == pytest.approx(20 * math.log10(89 / 0.8), abs=1.5)
    assert bench.measure("tx.hum_noise", at(mode="fm", mic_mv=20.0, tone_hz=1000.0)).value > 25  # type: ignore[operator]
    with pytest.raises(BenchError, match="feed a tone"):
        bench.measure("tx.hum_noise", at(mic_mv=0.0, tone_hz=1000.0))
    off = bench.measure("tx.am_depth", at(mic_mv=1.0, tone_hz=1000.0)).value or 0.0
    on = bench.measure("tx.am_depth", at(mic_mv=1.0, tone_hz=1000.0, panel=(("processor", "on"),))).value or 0.0
    assert on > 2.0 * off


def test_a_loading_coil_is_peaked_by_the_field_with_the_whip_out() -> None:
    radio = made("ostrel-teal-6")
    bench = SimulatedBench(radio)
    out, inside = ({"whip": w} for w in ("out", "in"))

    def field(whip: dict[str, str]) -> float:
        c = Conditions("transmit", "C", panel=tuple(whip.items()))
        return sum(bench.measure("tx.field_strength", c).value or 0.0 for _ in range(6)) / 6

    best = field(out)
    assert best - field(inside) == pytest.approx(15.0, abs=1.0)
    turn(radio, "L4", 1.0)
    # One turn is 280 kHz: x = 2·40·0.28/27.1 = 0.83, 2.3 dB.
    assert best - field(out) == pytest.approx(2.3, abs=0.7)
    assert not SimulatedBench(made("ostrel-weir-40-am")).can_measure("tx.field_strength")


def test_the_radios_own_meter_follows_its_preset_and_the_power_does_not() -> None:
    radio = made("ostrel-curlew-5")
    bench = SimulatedBench(radio)
    power, shown = bench.measure("tx.power", at()).value, bench.measure("tx.meter", at()).value
    turn(radio, "P9", 60 / 360)
    assert bench.measure("tx.meter", at()).value > 1.15 * shown  # type: ignore[operator]
    assert bench.measure("tx.power", at()).value == pytest.approx(power, rel=0.02)


def test_what_a_wrong_hook_up_broke_gives_nothing_until_it_is_mended() -> None:
    radio = made("ostrel-curlew-5")
    bench = SimulatedBench(radio)
    whole = bench.measure("tx.power", at()).value or 0.0
    bench.damaged.add("final")
    assert (bench.measure("tx.power", at()).value or 0.0) < 0.01 * whole
    assert bench.measure("tx.bias_current", at(mode="usb")).value == 0.0
    bench.damaged.clear()
    assert bench.measure("tx.power", at()).value == pytest.approx(whole, rel=0.03)
    tarn = SimulatedBench(made("ostrel-tarn-40"))
    heard = Conditions(
        "receive", "20", level_dbm=-80.0, tone_hz=1000.0, deviation_hz=1500.0, panel=(("squelch", "open"),)
    )
    assert (tarn.measure("rx.sinad", heard).value or 0.0) > 20.0
    tarn.damaged.add("generator")
    assert (tarn.measure("rx.sinad", heard).value or 99.0) < 3.0


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('adjuster = "L6"\ncentre', 'adjuster = "L6"\ncoupling = 1.2\ncentre', "none before it"),
        ('adjuster = "L8"\ncentre', 'adjuster = "L8"\ncoupling = 1.2\ncentre', "three coils in a row"),
        ('adjuster = "L9"\ncentre', 'adjuster = "L9"\ncoupling = 1.2\ncentre', "stands alone"),
        ('least = "5 W"', 'least = "50 W"', "from least to most"),
        ('[transmit.trap]\nadjuster = "L10"', '[transmit.trap]\nadjuster = "L77"', "no adjuster 'L77'"),
        ('control = "processor"', 'control = "shout"', "no control 'shout'"),
        ("efficiency = 0.3", "efficiency = 1.3", "draw.efficiency"),
    ],
)
def test_a_chain_that_cannot_be_built_says_where(old: str, new: str, says: str) -> None:
    with pytest.raises(SheetError, match=says):
        made("ostrel-curlew-5", change=lambda t: t.replace(old, new, 1))
