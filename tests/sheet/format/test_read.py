"""Reading sheets: what stands in the file, and one clear line for whatever is wrong with it."""

from __future__ import annotations

import tomllib
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from unitone.errors import SheetError, UnitoneError
from unitone.radio.mixing import coefficient, output_hz
from unitone.sheet.conventions.questions import CONVENTIONS, apply, ordered
from unitone.sheet.format.lines import key_lines, line_of
from unitone.sheet.format.read import parse_sheet, read_sheet
from unitone.sheet.library import built_in, find, load, open_file
from unitone.sheet.model.sheet import Conditions, Effect, Limit, Sheet

TEXT = find("ostrel-tarn-40").read_text(encoding="utf-8")


def problems(text: str) -> list[str]:
    with pytest.raises(SheetError) as error:
        parse_sheet(text, "sheet.toml", "sheet")
    return error.value.problems


def test_the_built_in_sheet(sheet: Sheet) -> None:
    assert len(sheet.steps) == 18
    assert [s.id for s in sheet.steps][:2] == ["rail", "reference"]
    assert sheet.step("if-second").adjust == (("T4", "T5"),)
    rail = sheet.step("rail").limit
    assert (rail.low, rail.high, rail.nominal) == pytest.approx((7.8, 8.2, 8.0))
    reference = sheet.step("reference").limit
    assert reference.half_width == pytest.approx(51.2)  # 5 ppm of 10.240 MHz
    assert sheet.step("sensitivity").limit.high == pytest.approx(-113.01, abs=0.01)  # 0.5 uV
    assert all(s.source for s in sheet.steps)
    assert sheet.convention("detector", "first") == "last"
    assert sheet.carrier_hz("20") == 27_205_000
    assert all(a.pin and a.tool and a.affects for a in sheet.adjusters)
    assert list(open_file(find("ostrel-tarn-40")).pictures) == [sheet.pictures[0].file]


def test_every_step_can_be_settled_by_its_own_conditions(sheet: Sheet) -> None:
    for step in sheet.steps:
        for required in step.required:
            assert required.settles(required)
        assert step.setting in step.required
        for name in step.adjusters:
            assert sheet.adjuster(name).can_change(step.quantity_id, step.setting), (step.id, name)


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('quantity = "supply.rail"', 'quantity = "supply.rale"', "step.quantity: 'supply.rale' is not a quantity"),
        ('adjust = ["P1"]', 'adjust = ["P99"]', "no adjuster 'P99'"),
        ('test_point = "TP1"', 'test_point = "TP9"', "no test point 'TP9'"),
        ('after = ["rail"]', 'after = ["rails"]', "no step 'rails'"),
        ('after = ["rail"]', 'after = ["vco-transmit"]', "goes round in a circle ("),
        ('nominal = "8.0 V", tolerance', 'nominal = "8.0 uV PD", tolerance', "Expected volts"),
        ('tolerance = "0.2 V"', 'tolerance = "3 furlong"', "furlong"),
        ('min = "3.6 W", max = "4.4 W"', 'min = "4.6 W", max = "4.4 W"', "min lies above max"),
        ('channels = ["20"]', 'channels = ["77"]', "no channel '77'"),
        ('plan = "eu-40"', 'plan = "moon-40"', "No channel plan 'moon-40'"),
        ('set_channel = "1"', 'set_channel = "9"', "not among the step's channels"),
        ("pin = [0.86, 0.86]", "pin = [1.86, 0.86]", "between 0 and 1"),
        ('tool = "small blade"', 'tolo = "small blade"', "not known here"),
        ('aim = "set"', 'aim = "guess"', "aim"),
        ('hook_up = "transmit"\nstage = "final"', 'hook_up = "receive"\nstage = "final"', 'hook_up = "transmit"'),
        ('stimulus = { level = "0.3 uV", tone', "stimulus = { tone", "depends on the level"),
        ('level = "0.3 uV"', 'level = "0.3 furlong"', "Expected a level"),
        ('affects = ["tx.power"]', 'affects = ["tx.powder"]', "is not a quantity"),
        ('id = "T2"', 'id = "T1"', "stands twice"),
        ('format = "unitone-sheet/1"', 'format = "unitone-sheet/7"', "newer Unitone"),
        ('format = "unitone-sheet/1"', "", "Write format"),
        ('terms = { ref = "N/4096" }', 'terms = { ref = "N/0.5" }', "is not a mixing term"),
        ('limit = { max = "2 %" }', "limit = { }", "has no end"),
        ('maker = "Ostrel"', 'maker = "Ostrel', "no valid TOML"),
        ('squelch = "open"', 'skwelch = "open"', "no control 'skwelch'"),
        ('adjust = ["T3"]', "adjust = []", "needs an adjuster"),
    ],
)
def test_a_wrong_sheet_says_file_line_key_and_cure(old: str, new: str, says: str) -> None:
    assert old in TEXT
    broken = TEXT.replace(old, new, 1)
    found = problems(broken)
    hit = [p for p in found if says in p]
    assert hit, found
    name, line, rest = hit[0].split(":", 2)
    assert name == "sheet.toml" and rest
    assert 1 <= int(line) <= len(broken.splitlines())


def test_the_line_is_the_one_that_is_wrong() -> None:
    broken = TEXT.replace('quantity = "tx.deviation"', 'quantity = "tx.deviance"')
    line = int(problems(broken)[0].split(":")[1])
    assert "tx.deviance" in broken.splitlines()[line - 1]


def test_all_problems_are_told_at_once() -> None:
    broken = TEXT.replace('adjust = ["P1"]', 'adjust = ["P99"]').replace('plan = "eu-40"', 'plan = "uk-40"')
    broken = broken.replace('min = "3.6 W"', 'min = "9 W"')
    assert len(problems(broken)) == 2


def test_files_that_are_no_sheets(tmp_path: Path) -> None:
    with pytest.raises(SheetError, match="cannot be read"):
        read_sheet(tmp_path / "none.toml")
    (tmp_path / "binary.toml").write_bytes(b"\xff\xfe\x00\x01")
    with pytest.raises(SheetError, match="not UTF-8"):
        read_sheet(tmp_path / "binary.toml")
    (tmp_path / "huge.toml").write_bytes(b"#" * 4_000_001)
    with pytest.raises(SheetError, match="4 MB"):
        read_sheet(tmp_path / "huge.toml")
    with pytest.raises(SheetError, match="no such sheet"):
        load("no-such-sheet")
    assert find("ostrel-tarn-40") in built_in()


LINES = TEXT.splitlines()


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.integers(0, len(LINES) - 1), st.text(max_size=40), st.sampled_from(["replace", "drop", "double", "insert"]))
def test_a_mangled_sheet_is_read_or_refused_but_never_breaks(at: int, text: str, how: str) -> None:
    lines = list(LINES)
    if how == "replace":
        lines[at] = text
    elif how == "drop":
        del lines[at]
    elif how == "double":
        lines.insert(at, lines[at])
    else:
        lines.insert(at, text)
    try:
        made = parse_sheet("\n".join(lines), "sheet.toml", "sheet")
    except SheetError as error:
        assert all(p.startswith("sheet.toml:") for p in error.problems)
    else:
        assert made.steps


def test_places_of_keys() -> None:
    text = "a = 1\n[t]\nb = 2\n[[s]]\nc = 3\n[[s]]\nc = { d = 4 }\n"
    places = key_lines(text)
    assert (line_of(places, ("a",)), line_of(places, ("t", "b")), line_of(places, ("s", 0, "c"))) == (1, 3, 5)
    assert line_of(places, ("s", 1, "c", "d")) == 7
    assert line_of(places, ("nowhere",)) == 1
    assert tomllib.loads(text)["s"][1]["c"]["d"] == 4


def test_order_follows_after_and_is_otherwise_the_sheets(sheet: Sheet) -> None:
    assert ordered(sheet.steps) == sheet.steps
    turned = TEXT.replace('after = ["rail"]', 'after = ["squelch"]')
    procedure = [s.id for s in ordered(parse_sheet(turned, "s", "s").steps)]
    assert procedure.index("reference") > procedure.index("squelch")
    assert apply(sheet, {}, {})[1] == "as the sheet: detector last"
    assert all(s.choices and s.why and s.effect for s in CONVENTIONS)


def test_reach_and_limits() -> None:
    reach = Effect("rx.*", "receive", "20")
    on_20 = Conditions("receive", "20")
    assert reach.covers("rx.sinad", on_20) and reach.covers("rx.sinad", Conditions())
    assert not reach.covers("rx.sinad", Conditions("receive", "1")) and not reach.covers("tx.power", on_20)
    assert not Effect("vco.tuning_voltage", "transmit").covers("vco.tuning_voltage", Conditions("receive", "1"))
    high = Effect("tx.*", band="high", mode="USB")
    assert high.covers("tx.pep", Conditions("transmit", "3", band="high", mode="USB"))
    assert not high.covers("tx.pep", Conditions("transmit", "3", band="low", mode="USB"))
    assert Effect("*").covers("supply.rail", on_20) and "channel 20" in reach.words
    assert Limit(2.0, 4.0).middle == 3.0 and Limit(None, 4.0).middle == 4.0 and Limit(2.0, 4.0).half_width == 1.0
    with pytest.raises(ValueError, match="no middle"):
        _ = Limit().middle


def test_conditions_settle_within_a_twentieth_of_a_decibel() -> None:
    asked = Conditions("receive", "20", None, -117.45, 1000.0, 1500.0, panel=(("squelch", "open"),))
    same = Conditions("receive", "20", None, -117.41, 1000.0, 1500.0, panel=(("squelch", "open"), ("volume", "30 %")))
    assert same.settles(asked)
    for other in (
        {"channel": "1"},
        {"level_dbm": -116.0},
        {"level_dbm": None},
        {"way": "transmit"},
        {"tone_hz": 400.0},
        {"panel": ()},
    ):
        assert not Conditions(**{**same.__dict__, **other}).settles(asked)


def test_mixing_terms_are_exact() -> None:
    assert coefficient("N/4096", 10882) == Fraction(10882, 4096)
    assert coefficient("-3/2", 1) == Fraction(-3, 2)
    with pytest.raises(UnitoneError, match="zero"):
        coefficient("1/N", 0)
    assert output_hz({"ref": Fraction(10882, 4096)}, {"ref": 10.24e6}) == 27_205_000.0


def test_a_carrier_balance_reaches_the_peak_of_the_envelope_whatever_its_sheet_says() -> None:
    """What is left of a carrier adds to it (common practice, no source)."""
    top = Path(__file__).resolve().parents[3]
    sheet = read_sheet(top / "benchmarks" / "radios" / "skerry-plover.toml")
    pep = sheet.step("alc")
    for name in ("P2", "P3"):
        assert sheet.adjuster(name).can_change("tx.pep", pep.setting)
        assert not sheet.adjuster(name).can_change("tx.bias_current", pep.setting)
    assert not sheet.adjuster("P5").can_change("tx.pep", pep.setting)
