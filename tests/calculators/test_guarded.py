"""The calculators: every one takes its own example, refuses what cannot be with what was expected, and never prints NaN."""

from __future__ import annotations

import json
import math
import random

import pytest

from unitone.align.frequency.counts import counted, parse_readings, to_data, trace
from unitone.calculators.catalogue import CALCULATORS, calculator_of
from unitone.calculators.typed import work_out
from unitone.cli.commands import run
from unitone.errors import EntryError, UnitoneError
from unitone.radio.drift import drift
from unitone.radio.noise import KT0, fm_sinad_db, least_fm_dbm
from unitone.radio.parts import judge_capacitor
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find


def work(name: str, **typed: str) -> dict[str, object]:
    return {
        a.key: (a.value if a.value is not None else a.text)
        for a in work_out(calculator_of(name), {k.rstrip("_"): v for k, v in typed.items()})
    }


def examples(name: str) -> dict[str, str]:
    """What the calculator's own hints say, as it is typed."""
    return {g.key: (g.choices[0][0] if g.choices else g.usual or g.hint.split(",")[0].split(" for ")[0].split(" at ")[0])
            for g in calculator_of(name).given if not g.optional}  # fmt: skip


@pytest.mark.parametrize("name", [s.name for s in CALCULATORS])
def test_each_takes_its_own_example_and_refuses_nonsense_with_words(
    name: str, capsys: pytest.CaptureFixture[str]
) -> None:
    given = examples(name)
    work_out(calculator_of(name), given)
    rng = random.Random(name)
    wild = [
        "0",
        "-1",
        "1e308",
        "-1e308",
        "1e-308",
        "nan",
        "inf",
        "",
        " ",
        "1;2",
        "x",
        "9" * 400,
        "-0",
        "1e5 GHz",
        "27.205 MHz",
        "S9",
        "\ud800",
    ]
    for _ in range(15):
        typed = {**given, rng.choice(list(given)): rng.choice(wild)}
        code = run(["sums", name, *(f"{k}={v}" for k, v in typed.items()), "--json"])
        said = capsys.readouterr()
        assert code in (0, 2) and "Traceback" not in said.err and "inside Unitone" not in said.err, (typed, said.err)
        if code == 0:
            assert json.loads(said.out, parse_constant=pytest.fail)
        else:
            assert said.err.startswith("unitone: ") and "Expected ," not in said.err and not said.out


@pytest.mark.parametrize(
    ("name", "typed", "words"),
    [
        ("preset", {"low": "0.58", "high": "0.66", "wanted": "9 V", "preset": "1k", "supply": "8 V", "change": "top"}, "9.00 V is not possible"),
        ("ppm", {"ppm": "5", "hz": "10 MHz", "times": "0"}, "0.001 to"), ("crystal", {"carrier": "27 MHz", "times": "0"}, "1 to 100"),
        ("image", {"carrier": "27.205", "if": "455"}, "10 kHz to"), ("image", {"carrier": "455 kHz", "if": "10.7 MHz"}, "above the channel"),
        ("pep", {"mean": "-4"}, "like 6 W"), ("pep", {"mean": "4", "signal": "am", "depth": "120"}, "0 to 100"),
        ("pep", {"mean": "4", "signal": "am", "depth": "-30"}, "0 to 100"), ("loss", {"watts": "4", "metres": "-3"}, "0 to"),
        ("efficiency", {"volts": "13", "keyed": "-1", "watts": "4"}, "0 A to"), ("null", {"deviation": "2k", "null": "1.5"}, "whole number"),
        ("clarifier", {"down": "27.204M", "middle": "27.205M", "up": "27.206M"}, "is a frequency"),
        ("level", {"level": "<0.3uV"}, "one level"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_with_what_was_expected(name: str, typed: dict[str, str], words: str) -> None:
    with pytest.raises(EntryError) as refused:
        work_out(calculator_of(name), typed)
    assert words in str(refused.value)


def test_what_one_would_type_is_taken() -> None:
    assert work("level", level="S9")["dbm"] == pytest.approx(-73.0)
    assert work("level", level="1 uV", pads="20 dB")["dial_dbm"] == work("level", level="1 uV", pads="A 20")["dial_dbm"]
    assert work("level", level="1 uV", pads="A 20; B 20 dB")["dial_dbm"] == pytest.approx(-66.99, abs=0.01)
    assert work("watts", volts="40", kind="peak")["watts"] == pytest.approx(16.0)
    assert work("ppm", ppm="5", hz="27.205m")["error_hz"] == pytest.approx(136.0, abs=0.1)


def test_assumptions_are_said() -> None:
    assert "100 % or more" in str(work("depth", most="8", least="0")["clipped"])
    missed = work("shared", errors="A +120; B -80; C 1940", limit="50 Hz")
    assert "no" in str(missed["within"])
    tied = work("shared", errors="A 0; B 100; C 1000; D 1100", limit="60 Hz", times="3")
    assert "within" in tied
    harmonic = work("harmonic", carrier="4 W", dbc="62", which="3", rule="en")
    assert harmonic["hz"] == pytest.approx(3 * 27.205e6) and "EN 300" in str(
        [a.words for a in work_out(calculator_of("harmonic"), {"dbc": "62", "rule": "en"})]
    )
    padder = {"low": "10.239410M", "high": "10.239980M", "wanted": "10.2430M", "padder": "33p"}
    answers = {a.key: a.text for a in work_out(calculator_of("padder"), padder)}
    assert "order another" not in str(answers.get("part", "")) and ("instead" in answers or "part" in answers)


def test_the_rate_of_warming_up_is_that_of_the_law_at_the_end() -> None:
    """f(t) = f∞ + A·exp(−t/τ): the slope at the last count is −A/τ·exp(−t/τ), not the mean of the last counts."""
    tau, drop = 240.0, 100.0
    times = [0.0, 60.0, 120.0, 240.0, 420.0]
    seen = drift([(t, drop * math.exp(-t / tau)) for t in times], 5.0)
    assert seen is not None
    assert seen.hz_per_minute == pytest.approx(-60 * drop / tau * math.exp(-times[-1] / tau), rel=0.03)


def test_readings_name_no_oscillator_that_they_do_not_touch() -> None:
    sheet = read_sheet(find("ostrel-teal-6"))
    channel = sheet.plan.names[0]
    hz = sheet.carrier_hz(channel)
    rows = parse_readings(f"way,band,mode,channel,point,hz\nsend,,,{channel},,{hz + 900}\n", "r.csv")
    found = to_data(trace(sheet, counted(sheet, rows)))
    names = {o["id"] for o in found["oscillators"]}
    assert len(names) == 1 and all(n in str(found["words"]) or n not in str(found["words"]) for n in names)
    others = [o.id for o in sheet.oscillators if o.id not in names]
    assert others and not any(o in str(found["words"]) for o in others)
    assert any("no reading yet for" in w for w in found["cannot_tell"])


def test_the_fm_limit_against_closed_forms() -> None:
    """Far above threshold S/N = 3Δf²C/(2·N0·(W³−w³)) (any text on FM); de-emphasis and deviation help; under it clicks take over."""
    deviation, low, high, level = 1500.0, 300.0, 3100.0, -100.0
    snr = 1.5 * deviation**2 * (1e-3 * 10 ** (level / 10)) / (KT0 * (high**3 - low**3))
    assert fm_sinad_db(level, deviation, (low, high)) == pytest.approx(10 * math.log10(1 + snr), abs=0.01)
    wanted = least_fm_dbm(12.0, 1200.0, (300.0, 3100.0))
    assert fm_sinad_db(wanted, 1200.0, (300.0, 3100.0)) == pytest.approx(12.0, abs=0.01)
    assert least_fm_dbm(12.0, 2500.0) < least_fm_dbm(12.0, 1200.0) and least_fm_dbm(
        12.0, 1500.0, deemphasis_s=750e-6
    ) < least_fm_dbm(12.0, 1500.0)
    # Wide FM under its threshold: ten decibels less signal cost far more than ten of SINAD.
    at = least_fm_dbm(20.0, 5000.0)
    assert fm_sinad_db(at, 5000.0) - fm_sinad_db(at - 6.0, 5000.0) > 9.0


def test_esr_is_judged_for_the_frequency_of_its_meter() -> None:
    assert judge_capacitor("electrolytic", 47e-6, 47e-6, 5.0, 100.0).finding == "good"
    assert judge_capacitor("electrolytic", 47e-6, 47e-6, 5.0, 100_000.0).finding == "esr"
    assert judge_capacitor("electrolytic", 47e-6, 47e-6, 0.8, 100_000.0).finding == "good"


@pytest.mark.parametrize(
    "typed",
    ["1e400uV", "nan", "inf", "-inf dBm", "1e9 dBm", "1e300uV", "1e-300uV", "0uV", "-1uV", "400dBuV", "1e6dBuV"],
)
def test_levels_beyond_all_bounds_are_refused(typed: str, capsys: pytest.CaptureFixture[str]) -> None:
    for more in ([], ["--emf"], ["--ohm", "75"]):
        assert run(["level", typed, *more, "--json"]) == 2
    assert run(["level", "1uV", "--ohm", typed, "--json"]) == 2
    assert run(["level", "1uV", "--pad", "1e9dB", "--json"]) == 2
    assert "Traceback" not in capsys.readouterr().err
    with pytest.raises(UnitoneError):
        work_out(calculator_of("level"), {"level": typed})
