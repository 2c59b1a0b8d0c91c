"""Calibrations without a laboratory: what they find on benches whose truth is known, and what they do to dials and readings."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.bench.calibration.arithmetic import (
    Alike,
    counter_ppm,
    full_scale_v,
    generator_steps,
    leak_bound_db,
    leakage,
    level_error_db,
    solve_pads,
    wattmeter_pct,
    watts_of,
)
from unitone.bench.instruments import Instrument
from unitone.bench.mybench import Calibration, MyBench, Pad, parse_pads
from unitone.bench.path import Kit, dial
from unitone.errors import BenchError
from unitone.quantities.registry import quantity

MARKED = {"A": 20.0, "B": 20.0, "C": 10.0}
ROWS = ((), ("A",), ("B",), ("C",), ("A", "B"), ("A", "C"))


def alike(truth: dict[str, float], rng: np.random.Generator, spread: float = 0.2, level: float = -117.0) -> list[Alike]:
    """The dials that give one reading on a bench whose pads are really so."""
    return [Alike(level + sum(truth[n] for n in row) + spread * rng.standard_normal(), row) for row in ROWS]


def test_pads_are_found_with_an_uncertainty_that_is_true() -> None:
    """Four hundred benches: pads off by 0.6 dB, readings that repeat within 0.2 dB; the errors are as large as is claimed."""
    rng = np.random.default_rng(5)
    errors, claimed, marks = [], [], []
    for _ in range(400):
        truth = {n: m + 0.6 * rng.standard_normal() for n, m in MARKED.items()}
        found, odd = solve_pads(alike(truth, rng), MARKED, 0.2, 0.6)
        errors += [(found[n].value - truth[n]) / found[n].u for n in MARKED]
        claimed += [found[n].u for n in MARKED]
        marks += [truth[n] - MARKED[n] for n in MARKED]
        assert found["A"].u < 0.2
        del odd
    assert np.std(errors) == pytest.approx(1.0, abs=0.08) and abs(np.mean(errors)) < 0.1
    assert np.mean(claimed) < 0.35 * np.std(marks), "three times better than the marks"


def test_a_row_that_does_not_fit_is_named_and_what_says_nothing_is_refused() -> None:
    truth = {"A": 19.6, "B": 20.3, "C": 10.0}
    rows = alike(truth, np.random.default_rng(1), 0.0)
    rows[4] = Alike(rows[4].dial_dbm + 4.0, rows[4].pads)
    assert "Row 5" in solve_pads(rows, MARKED)[1]
    assert solve_pads(alike(truth, np.random.default_rng(1), 0.05), MARKED)[1] == ""
    for few, says in (
        (rows[:1], "at least two rows"), ([Alike(-97.0, ("A",)), Alike(-97.1, ("A",))], "same pads"), ([Alike(-97.0, ("Z",)), rows[0]], "no pad “Z”"),
    ):  # fmt: skip
        with pytest.raises(BenchError, match=says):
            solve_pads(few, MARKED)


def test_the_generators_own_steps_are_told_from_the_pads() -> None:
    """A generator whose output is 0.8 dB too low under −65 dBm, against pads that are known."""
    truth = {"A": 19.7, "B": 20.2, "C": 10.1}
    true, _ = solve_pads(alike(truth, np.random.default_rng(2), 0.02), MARKED, 0.02)

    def dialled(wanted: float) -> float:
        return wanted if wanted > -65.0 else wanted + 0.8

    rows = [
        Alike(dialled(-80.0 + sum(truth[n] for n in row)), row) for row in (("A", "B"), ("A", "C"), ("A",), ("C",), ())
    ]
    found = generator_steps(rows, true, 0.05)
    assert [round(d) for d, _, _ in found] == sorted((round(r.dial_dbm) for r in rows), reverse=True)
    for level, error, u in found:
        assert error == pytest.approx(0.0 if level > -65.0 else -0.8, abs=0.1) and 0 <= u < 0.2
    with pytest.raises(BenchError, match="Two rows"):
        generator_steps([rows[0], Alike(rows[0].dial_dbm, ("A",))], true)


@given(st.floats(55, 110), st.floats(20, 60), st.floats(10, 40))
def test_leakage_is_found_where_it_shows_and_bounded_where_it_does_not(
    isolation: float, pads: float, more: float
) -> None:
    """Powers through the pads and round them add: D2 is what makes the sum the same as before."""
    d1 = -70.0
    a1, a2, leak = 10 ** (-pads / 10), 10 ** (-(pads + more) / 10), 10 ** (-isolation / 10)
    d2 = d1 + 10 * math.log10((a1 + leak) / (a2 + leak))
    try:
        found = leakage((d1, pads), (d2, pads + more), 0.05)
    except BenchError as error:
        # So leaky that hardly anything had to be dialled up at all.
        assert "dialled up" in str(error) and d2 - d1 < 0.16
        return
    if found.at_least:
        assert found.isolation_db <= isolation + 0.5
    else:
        assert found.isolation_db == pytest.approx(isolation, abs=0.1)
    with pytest.raises(BenchError, match="6 dB more"):
        leakage((d1, pads), (d2, pads + 3))


def test_single_comparisons_are_plain_arithmetic_and_refuse_what_cannot_be() -> None:
    ppm = counter_ppm(10.000012e6, 10e6, 1.0, 0.01)
    assert ppm.value == pytest.approx(1.2) and ppm.u == pytest.approx(math.hypot(0.1, 0.01) / math.sqrt(3))
    # 40 V peak to peak across 50 ohms are 4 W (P = V²/8R for peak to peak): any handbook.
    for volts, kind in ((40.0, "pp"), (20.0, "p"), (math.sqrt(200.0), "rms")):
        assert watts_of(volts, kind, 50.0) == pytest.approx(4.0)
    watts = wattmeter_pct(3.6, 4.0, 3.0, 2.0)
    assert watts.value == pytest.approx(-10.0) and watts.u == pytest.approx(0.9 * math.hypot(6, 2) / math.sqrt(3))
    scale = full_scale_v(0.5, -20.0, 3.0)
    assert scale.value == pytest.approx(5.0) and scale.u == pytest.approx(0.15 / math.sqrt(3))
    assert level_error_db(0.223607, 50.0, 0.0, 3.0).value == pytest.approx(0.0, abs=1e-4), (
        "0 dBm is 223.607 mV in 50 ohms"
    )
    for bad in (
        lambda: counter_ppm(27.2e6, 10e6, 1, 0.1), lambda: counter_ppm(1.0, 0.0, 1, 1), lambda: watts_of(0, "pp", 50),
        lambda: watts_of(1, "x", 50),
        lambda: wattmeter_pct(40.0, 4.0, 3, 2), lambda: wattmeter_pct(0.0, 4.0, 3, 2),
        lambda: full_scale_v(0.5, 0.0, 3), lambda: full_scale_v(-1, -20, 3),
        lambda: level_error_db(10.0, 50, 0, 3),
    ):  # fmt: skip
        with pytest.raises(BenchError):
            bad()


def found(kind: str, data: dict[str, object], target: str = "", identifier: str = "1") -> Calibration:
    return Calibration(identifier, kind, target, "2026-11-25", "words", data)  # type: ignore[arg-type]


def test_what_was_found_changes_what_is_dialled_and_says_so() -> None:
    bench = MyBench((Pad("A", 20.0), Pad("B", 20.0)))
    usual = Kit(pads_db=(20.0, 20.0))
    assert bench.kit(usual) == usual and "±" not in dial(bench.kit(usual), -100.0).words
    bench = bench.add(found("pads", {"pads": {"A": [19.5, 0.1, 20.0], "B": [20.2, 0.1, 20.0]}}))
    bench = bench.add(found("generator", {"add_db": -0.4, "u": 0.15}, identifier="2"))
    made = dial(bench.kit(usual), -100.0)
    # 39.7 dB of pads, and a generator that gives 0.4 dB less than it shows.
    assert made.dial_dbm == pytest.approx(-59.9) and made.arrives_dbm == pytest.approx(-100.0, abs=0.05)
    assert (
        "as My bench found" in made.words and "± 0.4 dB" in made.words and made.u_db == pytest.approx(0.206, abs=0.002)
    )
    steps = bench.add(found("steps", {"steps": [[0.0, 0.0, 0.1], [-80.0, -1.6, 0.1]]}, identifier="3"))
    assert dial(steps.kit(usual), -100.0).dial_dbm == pytest.approx(-58.7, abs=0.11)
    # Struck, the marks count again; a pad with another mark than was calibrated is not the same pad.
    assert bench.void("1").void("2").kit(usual) == usual
    other = MyBench((Pad("A", 10.0),), bench.calibrations)
    assert other.true_pads["A"].value == 10.0
    knows = dial(bench.kit(Kit(pads_db=(20.0, 20.0), generator_knows=True)), -100.0)
    assert knows.dial_dbm == pytest.approx(made.dial_dbm - 40.0), "the generator subtracts what is marked"
    assert MyBench.from_data(bench.to_data()) == bench and MyBench.from_data(None) == MyBench()
    assert Kit.from_data(steps.kit(usual).to_data()) == steps.kit(usual)
    with pytest.raises(BenchError, match="newer"):
        MyBench.from_data({"pads": [{"size": 3}], "calibrations": []})


@settings(max_examples=60)
@given(st.floats(-130, -50), st.floats(-2, 2), st.floats(-2, 2), st.floats(-1, 1))
def test_corrected_or_not_what_arrives_is_what_was_asked(wanted: float, pad: float, level: float, step: float) -> None:
    kit = Kit(
        -140.0, 20.0, 0.1, (20.0,), pad_errors_db=(pad,), generator_add_db=level, steps_db=((-120.0, step), (0.0, 0.0))
    )
    made = dial(kit, wanted)
    truth = made.dial_dbm + level + float(np.interp(made.dial_dbm, [-120, 0], [step, 0])) - 20.0 - pad
    assert made.arrives_dbm == pytest.approx(truth, abs=1e-9) and truth == pytest.approx(wanted, abs=0.06)


def test_a_leak_is_spoken_of_where_it_matters() -> None:
    bench = (
        MyBench()
        .add(found("generator", {"add_db": 0.0, "u": 0.1}))
        .add(found("leak", {"isolation_db": 70.0, "at_least": False}, identifier="2"))
    )
    weak, strong = dial(bench.kit(Kit(pads_db=(60.0,))), -120.0), dial(bench.kit(Kit(pads_db=(20.0,))), -80.0)
    assert "can change this level by 2.4 dB" in weak.caution and weak.u_db is not None and weak.u_db > 1.6
    assert strong.caution == "" and strong.u_db == pytest.approx(0.51, abs=0.01), "a pad as it is marked"
    assert "hears the leak" in dial(bench.kit(Kit(pads_db=(80.0,), most_dbm=20.0)), -120.0).caution
    assert leak_bound_db(-100.0, -120.0) == pytest.approx(20 * math.log10(1.1)) and leak_bound_db(-120, -100) == 60.0
    unseen = MyBench().add(found("leak", {"isolation_db": 70.0, "at_least": True}))
    assert unseen.kit(Kit()).leak_db is None


def test_instruments_carry_what_was_found_of_them() -> None:
    counter, watts = (
        Instrument("c", "counter", ("tx.frequency_error", "ref.frequency")),
        Instrument("w", "wattmeter", ("tx.power",)),
    )
    bench = (
        MyBench()
        .add(found("counter", {"ppm": 2.0, "u": 0.1}, "c"))
        .add(found("wattmeter", {"pct": -8.0, "u": 3.0}, "w", "2"))
    )
    c, w = bench.instruments((counter, watts))
    ref, error, power = quantity("ref.frequency"), quantity("tx.frequency_error"), quantity("tx.power")
    # A counter that reads 2 ppm high shows 20.48 Hz too much on 10.24 MHz, and 54.4 Hz on 27.205 MHz.
    assert c.correct(ref, 10.24e6 * (1 + 2e-6)) == pytest.approx(10.24e6, abs=1e-4)
    assert c.correct(error, 54.4 + 30.0, 27.205e6) == pytest.approx(30.0, abs=0.02)
    assert c.uncertainty(error, 27.205e6) == pytest.approx(2.72, abs=0.01)
    assert w.correct(power, 3.68) == pytest.approx(4.0) and w.uncertainty(power, 4.0) == pytest.approx(0.12)
    assert "2026-11-25" in w.describe_error[0] and "ppm high" in c.describe_correction(ref)
    assert Instrument.from_data(c.to_data()) == c and bench.void("1").instruments((counter,)) == (counter,)


def test_inputs_and_outputs_of_the_sound_card() -> None:
    bench = (
        MyBench()
        .add(found("input", {"full_scale_v": 2.0, "u_v": 0.02}, "in/left"))
        .add(found("clock", {"ppm": 12.0}, "in/left", "2"))
    )
    bench = bench.add(found("output", {"full_scale_v": 1.4, "u_v": 0.02}, "out", "3"))
    known = bench.inputs.of("in", "left")
    assert known is not None and (known.full_scale_v, known.ppm) == (2.0, 12.0) and "0 dBFS = 2.000 V" in known.words
    assert bench.inputs.of("in", "right") is None and bench.outputs == {"out": 1.4}
    assert [(p.name, p.marked_db) for p in parse_pads("A 20; B 20 dB; cable 0,4")] == [
        ("A", 20.0),
        ("B", 20.0),
        ("cable", 0.4),
    ]
    assert [p.name for p in parse_pads("20, 20, 10")] == ["20", "20b", "10"]
    for bad in ("A twenty", "A 20; A 10", "A 900"):
        with pytest.raises(BenchError):
            parse_pads(bad)
