"""Calculators of the receive side: a shared generator by nodal analysis, and a meter's lamps by the S-meter table."""

from __future__ import annotations

import math

import numpy as np
import pytest

from unitone.calculators.catalogue import calculator_of
from unitone.calculators.typed import work_out
from unitone.errors import EntryError, UnitoneError
from unitone.radio.levels import mark_db


def work(name: str, **given: str) -> dict[str, object]:
    return {a.key: a for a in work_out(calculator_of(name), given)}


def shared_db(arms: tuple[float, ...], loads: int = 2, z: float = 50.0) -> float:
    """Voltage at one load against a matched load by itself (dB), by nodal analysis: generator arm, then one arm to each load.

    The method of any circuit theory book; nothing of the program is in it.
    """
    # Node 0: the star; nodes 1..loads: the sets. EMF 2 V behind z and the first arm: 1 V across a matched load.
    size = loads + 1
    y, i = np.zeros((size, size)), np.zeros(size)
    source = 1.0 / (z + arms[0])
    y[0, 0] += source
    i[0] = 2.0 * source
    for n in range(1, size):
        through = 1.0 / arms[1] if arms[1] else 1e9
        y[0, 0] += through
        y[n, n] += through + 1.0 / z
        y[0, n] -= through
        y[n, 0] -= through
    return 20.0 * math.log10(float(np.linalg.solve(y, i)[1]))


def test_what_a_splitter_loses_is_what_the_circuit_says() -> None:
    star, tee, hybrid = (work("splitter", level="1 uV", kind=k)["loss_db"].value for k in ("star", "tee", "hybrid"))  # type: ignore[attr-defined]
    assert star == pytest.approx(-shared_db((50.0 / 3, 50.0 / 3)), abs=1e-3) == pytest.approx(6.02, abs=0.01)
    assert tee == pytest.approx(-shared_db((0.0, 0.0)), abs=1e-3) == pytest.approx(3.52, abs=0.01)
    # A lossless hybrid halves the power: 3.01 dB (any handbook).
    assert hybrid == pytest.approx(10.0 * math.log10(2.0))
    more = work("splitter", level="1 uV", kind="hybrid", excess="0.6 dB")
    assert more["loss_db"].value == pytest.approx(hybrid + 0.6)  # type: ignore[attr-defined]


def test_two_sets_side_by_side_are_compared_at_their_sockets() -> None:
    answers = work("splitter", level="1 uV", a="0.8 uV", b="0.5 uV")
    apart = answers["apart_db"]
    assert apart.value == pytest.approx(20.0 * math.log10(1.6)) and apart.text.startswith("the second, by 4.1 dB")  # type: ignore[attr-defined]
    assert "0.25 µV" in apart.text and "0.40 µV" in apart.text  # type: ignore[attr-defined]
    assert "apart_db" not in work("splitter", level="1 uV")
    with pytest.raises(EntryError, match="expected 0 dB"):
        work("splitter", level="1 uV", excess="-1 dB")


def test_the_leds_light_at_the_table_s_levels() -> None:
    """IARU Region 1 R.1: S9 is 50 µV PD, 100 µV EMF, -73 dBm; 6 dB a unit."""
    answers = work("meter-leds", marks="S1 S5 S9 +10 +30")
    levels = [a.value for a in answers.values()]  # type: ignore[attr-defined]
    assert levels == pytest.approx([-121.0, -97.0, -73.0, -63.0, -43.0], abs=0.05)
    assert "50.1 µV PD (100 µV EMF)" in answers["mark_3"].text and "dark up to 158 µV" in answers["mark_3"].text  # type: ignore[attr-defined]
    emf = work("meter-leds", marks="S9", s9="50uv-emf")["mark_1"]
    assert emf.value == pytest.approx(-73.0 - 6.02, abs=0.05)  # type: ignore[attr-defined]
    louder = work("meter-leds", marks="S9", s9="100uv-pd")["mark_1"]
    assert louder.value == pytest.approx(-67.0, abs=0.05)  # type: ignore[attr-defined]


@pytest.mark.parametrize(("mark", "db"), [("S9", 0.0), ("s1", -48.0), ("S9+20", 20.0), ("+40", 40.0), ("S4.5", -27.0)])
def test_marks_are_read_as_they_are_printed(mark: str, db: float) -> None:
    assert mark_db(mark) == pytest.approx(db)


@pytest.mark.parametrize("marks", ["S12", "nine", "+200", "S9 S5", ","])
def test_what_is_no_scale_is_said(marks: str) -> None:
    with pytest.raises(UnitoneError):
        work("meter-leds", marks=marks)


def test_a_hand_swept_circuit_shows_its_q_and_the_widths_of_the_universal_resonance_curve() -> None:
    """One circuit of Q 50 at 455 kHz: |V| = 1/√(1 + (Q(f/f0 − f0/f))²), so B3 = f0/Q and B6 = √3·B3 (F. E. Terman, Radio Engineers'
    Handbook, 1943, section 3, from memory)."""
    f0, q = 455.0, 50.0
    khz = [440.0 + 0.5 * n for n in range(61)]
    volts = [1.0 / math.sqrt(1.0 + (q * (f / f0 - f0 / f)) ** 2) for f in khz]
    typed = {"frequencies": " ".join(f"{f:g}" for f in khz) + " kHz", "readings": " ".join(f"{v:.5f}" for v in volts)}
    answers = work("passband", **typed)
    assert answers["top_hz"].value == pytest.approx(455e3) and answers["q"].value == pytest.approx(q, rel=0.01)
    assert answers["width_3_hz"].value == pytest.approx(f0 / q * 1e3, rel=0.01)
    assert answers["width_6_hz"].value == pytest.approx(math.sqrt(3.0) * f0 / q * 1e3, rel=0.01)
    assert "dip" not in answers
    # The same in decibels, with commas between, in any order; an over-coupled pair (k twice critical) shows its dip in the middle.
    a = [2.0 * q * (f / f0 - 1.0) for f in khz]
    pair = [-10.0 * math.log10(((1 + 4.0 - x * x) ** 2 + 4 * x * x) / 16.0) for x in a]
    db = {
        "reads": "db",
        "frequencies": " ".join(f"{f:g}k" for f in khz[::-1]),
        "readings": " ".join(f"{d:.3f}" for d in pair[::-1]),
    }
    over = work("passband", **db)
    # Critical coupling flat, twice critical dips by 20·lg((1 + k²)/2k) = 1.94 dB.
    assert over["dip"].value == pytest.approx(455e3) and "1.9 dB" in over["dip"].text


@pytest.mark.parametrize(
    ("frequencies", "readings", "says"),
    [
        ("450 451 kHz", "1 2", "at least five"), ("450 451 452 453 454 kHz", "1 2 3 2", "5 frequencies and 4"),
        ("450 451 451 453 454 kHz", "1 2 3 2 1", "twice"), ("450 451 452 453 454 kHz", "1 2 0 2 1", "no decibels"),
    ],
)  # fmt: skip
def test_what_is_no_curve_is_said(frequencies: str, readings: str, says: str) -> None:
    with pytest.raises(EntryError, match=says):
        work("passband", frequencies=frequencies, readings=readings)


def test_a_side_that_was_not_swept_is_said() -> None:
    answers = work("passband", frequencies="450 452 454 456 458 kHz", readings="0.2 0.4 0.7 0.95 1.0")
    assert "sweep further" in answers["width_3_hz"].text and answers["width_3_hz"].value is None and "q" not in answers
