"""Slow and noisy meters, trimmers that repeat, a multiplier's lines, a meter of another law: keys that other radios want."""

from __future__ import annotations

import math

import numpy as np
import pytest

from unitone.align.smeter.chart import CHART_DB, s9_of
from unitone.align.smeter.shape import Mark, read_chart
from unitone.errors import SheetError
from unitone.quantities.registry import quantity
from unitone.robot.many import simulated
from unitone.sheet.library import physics_path
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.simulator.mechanics import unit_mdeg
from unitone.simulator.physics import PhysicsFile, parse_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench

PATH, SHEET, _ = simulated("ostrel-tarn-40")
TEXT = physics_path(PATH).read_text(encoding="utf-8")


def radio(more: str, text: str = TEXT, seed: int = 3) -> SimulatedRadio:
    """The FM mobile with so much more in its physics file, all adjusters where they are right."""
    made = SimulatedRadio(SHEET, parse_physics(text + more, "physics.toml", SHEET), seed)
    for name in made.mechanics.moved_mdeg:
        off = made.mechanics.specimen.right[name] - made.mechanics.specimen.found[name]
        made.mechanics.moved_mdeg[name] = round(off * unit_mdeg(SHEET.adjuster(name)))
    return made


def step_of(sheet: Sheet, quantity_id: str) -> Conditions:
    return next(s for s in sheet.steps if s.quantity_id == quantity_id).setting


def test_a_noisy_meter_spreads_by_what_the_file_says_and_knows_it() -> None:
    noisy = '\n[[meter]]\nquantities = ["tx.power", "vco.tuning_voltage"]\nnoise = 3\n'
    bench, plain = SimulatedBench(radio(noisy)), SimulatedBench(radio(""))
    at = step_of(SHEET, "tx.power")
    read = [bench.measure("tx.power", at) for _ in range(60)]
    values = np.array([r.value for r in read])
    mean = float(values.mean())
    assert mean == pytest.approx(plain.measure("tx.power", at).value, rel=0.02)
    # Sixty draws tell a standard deviation to a tenth of itself (1/√(2·59), any text on statistics).
    assert float(values.std(ddof=1)) == pytest.approx(0.03 * mean, rel=0.35)
    assert read[0].std == pytest.approx(math.hypot(0.01, 0.03) * mean, rel=0.1)


def test_a_slow_needle_is_on_its_way_and_a_reading_waits_for_it() -> None:
    lag = 2.0
    bench = SimulatedBench(radio(f'\n[[meter]]\nquantities = ["vco.tuning_voltage"]\nlag = "{lag} s"\n'))
    low, high = (Conditions(way="transmit", channel=c) for c in (SHEET.plan.names[0], SHEET.plan.names[-1]))
    plain = SimulatedBench(radio(""))
    before, after = (plain.measure("vco.tuning_voltage", c).value for c in (low, high))
    assert bench.measure("vco.tuning_voltage", low).value == pytest.approx(before, abs=0.02)
    start = bench.clock.seconds()
    needle = [bench.live("vco.tuning_voltage", high) for _ in range(60)]
    passed = bench.clock.seconds() - start
    shown = np.array([n.value for n in needle if n is not None])
    # A movement of first order is 63 % of the way after a time constant, 95 % after three (any text on instruments).
    times = np.linspace(passed / 60, passed, 60)
    way = (shown - before) / (after - before)
    assert float(np.interp(lag, times, way)) == pytest.approx(1 - math.exp(-1), abs=0.05)
    assert float(np.interp(3 * lag, times, way)) == pytest.approx(1 - math.exp(-3), abs=0.03)
    assert bench.measure("vco.tuning_voltage", low).value == pytest.approx(
        before, abs=0.06 * abs(after - before) + 0.02
    )
    assert bench.meter_for("vco.tuning_voltage").seconds_for("vco.tuning_voltage") > 3 * lag  # type: ignore[union-attr]


def test_a_meter_of_no_known_quantity_or_named_twice_is_refused() -> None:
    for more, words in (
        ('\n[[meter]]\nquantities = ["rx.smell"]\n', "no quantity 'rx.smell'"),
        ('\n[[meter]]\nquantities = ["tx.power"]\n[[meter]]\nquantities = ["tx.power"]\n', "tx.power is in two"),
        ('\n[[meter]]\nquantities = ["tx.power"]\nnoise = -1\n', "must be 0 or more (found -1)"),
    ):
        with pytest.raises(SheetError) as told:
            parse_physics(TEXT + more, "physics.toml", SHEET)
        assert words in str(told.value), told.value


def test_a_trimmer_with_plates_on_both_sides_repeats_each_half_turn() -> None:
    each = TEXT.replace("trimmer_most", "each_half_turn = true\ntrimmer_most", 1)
    for text, period in ((TEXT, 360.0), (each, 180.0)):
        one = radio("", text)
        trim = one.physics.reference.adjuster  # type: ignore[union-attr]
        here = one.mechanics.moved_mdeg[trim]
        counted = []
        for degrees in (0.0, period / 2, period):
            one.mechanics.moved_mdeg[trim] = here + round(degrees * 1000)
            counted.append(one.reference_hz())
        assert counted[2] == pytest.approx(counted[0], abs=0.01) and abs(counted[1] - counted[0]) > 20.0


def test_a_multiplier_lets_its_own_frequency_through_and_the_coils_hold_it_back() -> None:
    plain, made = radio(""), radio("\n[[transmit.sub_harmonic]]\ndivided_by = 2\ndbc = -48\n")
    at = step_of(SHEET, "tx.power")
    bench = SimulatedBench(made)
    assert bench.measure("tx.spurious", at).value == pytest.approx(-48.0, abs=1.5)
    assert SimulatedBench(plain).measure("tx.spurious", at).value == pytest.approx(-100.0, abs=1.5), (
        "no line, the floor"
    )
    # Half a microwatt in a watt: the carrier's watts are what they were.
    assert bench.measure("tx.power", at).value == pytest.approx(
        SimulatedBench(plain).measure("tx.power", at).value, rel=0.02
    )
    tank = made.transmitter.transmit.coil[-1].adjuster  # type: ignore[union-attr]
    made.mechanics.moved_mdeg[tank] += 2 * 360_000
    worse = bench.measure("tx.spurious", at).value
    assert worse is not None and worse > -46.0, "what a detuned tank takes is the carrier's"
    assert quantity("tx.spurious").better == "low"


@pytest.mark.parametrize(("turned", "lost", "shape"), [(0, 0.0, "fine"), (-45_000, 0.0, "preset"), (0, 14.0, "gain")])
def test_a_meter_that_goes_by_decibels_is_told_by_a_law_that_is_not_its_own(
    turned: int, lost: float, shape: str
) -> None:
    """The chart's laws are a diode's; this radio's meter has a knee and goes straight."""
    text = TEXT.replace("[s_meter]\n", '[s_meter]\nlaw = "decibel"\n')
    assert text != TEXT
    made = radio("", text)
    step = next(s for s in SHEET.steps if s.quantity_id == "rx.s_meter")
    if lost:
        sick = made.physics.model_copy(update={"s_meter": _less(made.physics, lost)})
        made.physics = sick
    made.mechanics.moved_mdeg[step.adjusters[0]] += turned
    bench = SimulatedBench(made)
    marks = []
    for mark in CHART_DB:
        level = s9_of(step) + mark
        read = bench.measure("rx.s_meter", Conditions(**{**step.setting.__dict__, "level_dbm": level}))
        value = 0.0 if read.value is None else read.value
        marks.append(Mark(level, value, read.bound or ("<" if value <= -53.9 else "")))
    assert read_chart(marks, s9_of(step), deaf=bool(lost)).shape == shape


def _less(physics: PhysicsFile, lost: float) -> object:
    """The meter of a radio with so many decibels lost before it: its threshold stands so much higher."""
    assert physics.s_meter is not None
    return physics.s_meter.model_copy(update={"threshold": physics.s_meter.threshold + lost})
