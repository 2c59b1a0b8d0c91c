"""Conversions: dividers and pins against the mixing model and a published code, plans carried out, what cannot be read."""

from __future__ import annotations

import json
import math
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.cli.commands import run
from unitone.conversions.convert import coil_reach, convert, corners, to_data, warnings
from unitone.conversions.locks import lock_table, sheet_law
from unitone.conversions.synthesiser import Synthesiser
from unitone.conversions.wanted import channels_of, parse_wanted
from unitone.conversions.ways import band_crystal
from unitone.errors import EntryError, SheetError
from unitone.radio.channels import PLANS
from unitone.robot._carrying_out import rounds_of
from unitone.robot.converting import off_frequency, run_conversion
from unitone.robot.many import simulated
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.model.mixing_model import Place, divider_of, outputs
from unitone.sheet.model.sheet import Sheet


@pytest.fixture(scope="module")
def curlew() -> Sheet:
    return simulated("ostrel-curlew-5")[1]


_BARE = """
format = "unitone-sheet/1"
[model]
maker = "Invented"
name = "Code"
kind = "mobile"
[channels]
plan = "{plan}"
[[oscillator]]
id = "ref"
nominal = "10.24 MHz"
[[mixing]]
output = "loop"
terms = {{ ref = "N/1024" }}
offset = "{offset}"
raster = "10 kHz"
[[oscillator]]
id = "fixed"
nominal = "{fixed}"
[[mixing]]
output = "tx.carrier"
terms = {{ loop = "1", fixed = "1" }}
[[pll]]
id = "pll"
output = "loop"
vco = "loop"
pins = {{ P0 = 1, P1 = 2, P2 = 4, P3 = 8, P4 = 16, P5 = 32, P6 = 64, P7 = 128, P8 = 256 }}
adds = {adds}
counts = {counts}
[[step]]
id = "power"
phase = "transmit"
title = "Power"
quantity = "tx.power"
aim = "check"
channels = ["1"]
limit = "≥ 3 W"
hook_up = "transmit"
"""


@pytest.mark.parametrize("plan", ["eu-40", "uk-40"])
def test_dividers_of_both_plans_are_the_mixing_model_s(plan: str) -> None:
    """47 CFR 95.963 and MPT 1320 (both from memory) in steps of 10 kHz from 26.005 MHz, or 27.00125 MHz, on."""
    start = 26_005_000 if plan == "eu-40" else 27_001_250
    sheet = parse_sheet(
        _BARE.format(plan=plan, offset=f"-{start} Hz", fixed=f"{start} Hz", adds=0, counts=1), "code", "code"
    )
    synthesiser = Synthesiser.of(sheet)
    rows = convert(sheet, plan).best.reached
    assert [r.way for r in rows] == ["there"] * 40
    assert {r.wanted.hz: r.n for r in rows} == {hz: (hz - start) // 10_000 for hz in PLANS[plan].hz}
    for r in rows:
        assert r.n == divider_of(sheet, Place("transmit", None, None, r.shown), "loop")
        states = synthesiser.pins(r.n)
        assert states is not None and sum(w for (_, w), x in zip(synthesiser.pll.pins, states, strict=True) if x) == r.n


def test_pins_are_those_of_a_published_code() -> None:
    """The widely published nine-bit code of a 40-channel AM set, 330 on channel 1 down to 286 on channel 40 (from memory)."""
    sheet = parse_sheet(
        _BARE.format(plan="eu-40", offset="-26.965 MHz", fixed="26.965 MHz", adds=330, counts=-1), "code", "code"
    )
    synthesiser = Synthesiser.of(sheet)
    by_name = {name: synthesiser.n_of_channel(name, None) for name in ("1", "19", "23", "24", "40")}
    assert all(n is not None for n in by_name.values())
    words = {name: synthesiser.word(n) for name, n in by_name.items() if n is not None}
    assert words == {"1": 330, "19": 308, "23": 301, "24": 303, "40": 286}
    assert synthesiser.pins(0) == (1, 0, 1, 0, 0, 1, 0, 1, 0), "330 is 101001010"


def test_five_bands_to_the_last_digit(curlew: Sheet) -> None:
    synthesiser = Synthesiser.of(curlew)
    for band in "ABCDE":
        chain = synthesiser.chain(band, "am")
        for name in curlew.plan.names:
            n = divider_of(curlew, Place("transmit", band, "am", name), "loop")
            made = {m.output: m.hz for m in outputs(curlew, Place("transmit", band, "am", name))}
            assert n == chain.n_of(curlew.carrier_hz(name, band)) == synthesiser.n_of_channel(name, band)
            assert n is not None and chain.hz(n) == made["tx.carrier"] and chain.vco_hz(n) == float(made["vco"])
    # 2·x - 10.695 MHz: the doubled crystal is in the carrier twice.
    assert band_crystal(curlew, "C", "am", "ref") == ("x-C", Fraction(2))


@pytest.mark.parametrize(
    ("want", "count", "first", "last"),
    [
        ("26.515..27.855 step 0.01", 135, 26_515_000, 27_855_000),
        ("26,515 MHz … 26,535 MHz step 5 kHz", 5, 26_515_000, 26_535_000),
        ("alphas", 25, 26_095_000, 28_095_000),
        ("-5 kHz; 27.205", 201, 26_060_000, 28_300_000),
        ("uk-40", 40, 27_601_250, 27_991_250),
    ],
)
def test_wanted_channels_as_they_are_written(curlew: Sheet, want: str, count: int, first: int, last: int) -> None:
    found = parse_wanted(want, curlew)
    assert (len(found), found[0].hz, found[-1].hz) == (count, first, last)


@pytest.mark.parametrize(
    ("want", "words"),
    [
        ("", "which channels"), ("channel nine", "names no channels"), ("27.9..27.1", "from low to high"), ("-0 kHz", "other than 0"),
        ("1..9000 step 0.001", "more than"), ("27.1..27.2 step 0", "names no channels"), ("27.2050001", "whole hertz"),
    ],
)  # fmt: skip
def test_what_is_no_channel_is_refused(curlew: Sheet, want: str, words: str) -> None:
    with pytest.raises(EntryError, match=words):
        parse_wanted(want, curlew)


def test_plans_are_ranked_and_reach_what_they_say(curlew: Sheet) -> None:
    """Each plan carried out on the sheet's text, which the checker reads anew: every channel to the hertz."""
    made = convert(curlew, "26.515..27.855 step 0.01")
    assert len(made.plans) >= 3 and [p.score for p in made.plans] == sorted(p.score for p in made.plans)
    for plan in made.plans:
        assert off_frequency(made, plan) == 0 and len(plan.reached) + len(plan.missing) == 135
    crystals = next(p for p in made.plans if p.crystals)
    # 10 kHz up on each band is 5 kHz of a crystal that is doubled.
    assert {c.shift_hz for c in crystals.crystals} == {Fraction(5000)}
    tied = [r for p in made.plans for r in p.reached if r.tied]
    pll = made.synthesiser.pll
    for r in tied:
        states = dict(zip((n for n, _ in pll.pins), made.synthesiser.pins(r.n) or (), strict=True))
        assert all(states[name] == x for name, x in r.tied) and not r.crystal


def test_a_range_that_grows_needs_the_core_or_cannot_lock(curlew: Sheet) -> None:
    near = convert(curlew, "28.315..28.755 step 0.01")
    assert near.best.lock == "yes" and any("re" in w and "four corners" in w for w in warnings(near, near.best))
    volts = [c.volts for c in corners(near, near.best)]
    assert len(volts) == 4 and all(v is not None and 0.4 < v < 7.4 for v in volts)
    far = convert(curlew, "45.0; 45.01")
    assert far.best.lock == "no" and any("lock" in w.lower() for w in warnings(far, far.best))
    bare = Synthesiser.of(curlew)
    unknown = lock_table(bare.pll, None, [37e6])
    assert unknown.locks == ("not known",) and sheet_law(bare.pll) is not None


@settings(max_examples=15, deadline=None)
@given(st.lists(st.integers(5200, 5800), min_size=1, max_size=4, unique=True))
def test_any_single_channels_are_exact_or_named(places: list[int]) -> None:
    curlew = simulated("ostrel-curlew-5")[1]
    made = convert(curlew, "; ".join(f"{5e-3 * p:.3f}" for p in places))
    for plan in made.plans:
        assert {r.wanted.hz for r in plan.reached} | {w.hz for w in plan.missing} == {5000 * p for p in places}
        for r in plan.reached:
            # The arithmetic by hand: twice the band's crystal, less the AM carrier, and 500 Hz a count.
            crystal = r.crystal.hz if r.crystal else Fraction(17_925_000 + 225_000 * "ABCDE".index(r.band or ""))
            assert 2 * crystal - 10_695_000 + 500 * r.n == r.wanted.hz


def test_a_sheet_without_its_synthesiser_says_what_is_missing() -> None:
    weir = simulated("ostrel-weir-40-am")[1]
    with pytest.raises(SheetError, match=r"\[\[pll\]\]"):
        convert(weir, "alphas")


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('output = "loop"\nvco', 'output = "tx.carrier"\nvco', "with N"), ('vco = "loop"', 'vco = "nothing"', "makes 'nothing'"),
        ("P1 = 2", "P1 = 1", "weight of its own"), ("adds = 0", 'adds = 0\ndriven = ["P77"]', "no pin 'P77'"),
        ("adds = 0", 'adds = 0\nwindow = "6 V … 2 V"', "lower end comes first"), ("adds = 0", 'adds = 0\nwindow = "> 2"', "both ends"),
    ],
)  # fmt: skip
def test_a_synthesiser_that_cannot_be_is_refused(old: str, new: str, words: str) -> None:
    text = _BARE.format(plan="eu-40", offset="-26.005 MHz", fixed="26.005 MHz", adds=0, counts=1)
    assert old in text
    with pytest.raises(SheetError, match=words):
        parse_sheet(text.replace(old, new), "code", "code")


def test_a_seeded_radio_is_converted_aligned_by_advice_and_counted(curlew: Sheet) -> None:
    """UK channels on two crystals of their own: the coach aligns the converted radio, a counter and the meters judge it."""
    found = run_conversion("ostrel-curlew-5", 2601)
    assert found.right and found.reached == found.wanted == 40 and found.coils == "reach"
    assert (
        found.carried is not None
        and found.carried.worst_hz <= 100.0
        and found.carried.locked
        and found.carried.out == ()
    )
    # Two crystals on one band are two radios, one after the other; each channel is in one of them.
    plan = convert(curlew, "uk-40").best
    rounds = rounds_of(curlew, plan)
    assert len(rounds) == 2 and sorted(r.n for _, rows in rounds for r in rows) == sorted(r.n for r in plan.reached)


def test_what_stands_against_it_is_named_before_anything_is_cut(curlew: Sheet) -> None:
    found = run_conversion("ostrel-curlew-5", 2611)
    assert found.carried is None and found.coils == "fall off" and found.right
    far = convert(curlew, "22.375; 22.725")
    assert any("not even over the whole range" in w for w in warnings(far, far.best))
    near = convert(curlew, "28.415")
    assert coil_reach(near, near.best) == "too close" and any(
        "stay in spec at both ends" in w for w in warnings(near, near.best)
    )
    assert coil_reach(convert(curlew, "27.185"), convert(curlew, "27.185").best) == "reach"


def test_a_low_rail_lowers_the_window(curlew: Sheet) -> None:
    """The tuning voltage cannot rise above the rail that feeds it."""
    want = "28.775"
    high, low = convert(curlew, want), convert(curlew, want, None, 0.7)
    assert low.synthesiser.pll.window_v == (
        high.synthesiser.pll.window_v[0],
        pytest.approx(0.7 * high.synthesiser.pll.window_v[1]),
    )
    # What fits under the whole rail does not under a low one: the core has to come out (less inductance, less voltage).
    out = low.best.locks.turned
    assert high.best.locks.turned == 0.0 and out is not None and out < 0.0
    assert (low.best.locks.volts[0] or 9.0) < low.synthesiser.pll.window_v[1] < (high.best.locks.volts[0] or 0.0)


def test_the_command_line(capsys: pytest.CaptureFixture[str], curlew: Sheet) -> None:
    assert run(["convert", "ostrel-curlew-5", "--want", "alphas", "--json"]) == 0
    data = json.loads(capsys.readouterr().out)
    assert (
        set(data) >= {"dividers", "pins", "crystals", "locks", "volts", "ways", "warnings"}
        and len(data["dividers"]) == 25
    )
    assert data == json.loads(json.dumps(to_data(convert(curlew, "alphas"))))
    assert all(math.isfinite(row["vco_hz"]) for row in data["dividers"]) and data["locks"] == "yes"
    assert run(["convert", "ostrel-curlew-5", "--want", "nothing"]) == 2
    assert run(["convert", "ostrel-weir-40-am", "--want", "alphas"]) == 3
    capsys.readouterr()
    assert run(["convert", "ostrel-curlew-5", "--want", "26.515..26.955"]) == 0
    said = capsys.readouterr().out
    assert "way 1:" in said and "licence" in said and len(channels_of(curlew)) == 200
