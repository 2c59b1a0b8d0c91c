"""Number entry: what is understood, what is refused, and that nothing is ever taken for something else."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unitone.errors import EntryError
from unitone.quantities.entry import EXPECTED, WORDS, WORDS_OF_KIND, normalise, parse_entry, parse_si
from unitone.quantities.registry import QUANTITIES, quantity
from unitone.quantities.show import microvolts, number, s_units, show, show_value
from unitone.radio.levels import canonical, parse_level


@pytest.mark.parametrize(
    ("text", "kind", "value", "unit", "bound"),
    [
        ("0,31 uV", "level", 0.31e-6, "V", ""),
        ("0.31uV", "level", 0.31e-6, "V", ""),
        ("0,31 µV", "level", 0.31e-6, "V", ""),
        ("-117 dBm", "level", -117.0, "dBm", ""),
        ("−117 dBm", "level", -117.0, "dBm", ""),
        ("<0.06 uV", "level", 0.06e-6, "V", "<"),
        ("> 1 mV", "level", 1e-3, "V", ">"),
        ("20 dBuV", "level", 20.0, "dBuV", ""),
        ("1 uV EMF", "level", 1e-6, "V EMF", ""),
        ("0.31", "level", 0.31e-6, "V", ""),
        ("9.8", "ratio-db", 9.8, "dB", ""),
        ("9,8 dB", "ratio-db", 9.8, "dB", ""),
        ("-12", "ratio-db", 12.0, "dB", ""),
        ("8.02", "volts", 8.02, "V", ""),
        ("850 mV", "volts", 0.85, "V", ""),
        ("3,9", "watts", 3.9, "W", ""),
        ("250 mW", "watts", 0.25, "W", ""),
        ("1,9 kHz", "hertz", 1900.0, "Hz", ""),
        ("10.240012 MHz", "hertz", 10_240_012.0, "Hz", ""),
        ("10.24 mhz", "hertz", 10_240_000.0, "Hz", ""),
        ("4k7", "hertz", 4700.0, "Hz", ""),
        ("-31", "hertz-error", -31.0, "Hz", ""),
        ("S9+10", "s-units", 10.0, "dB over S9", ""),
        ("s7", "s-units", -12.0, "dB over S9", ""),
        ("9", "s-units", 0.0, "dB over S9", ""),
        ("1.4 %", "percent", 1.4, "%", ""),
    ],
)
def test_understood(text: str, kind: str, value: float, unit: str, bound: str) -> None:
    typed = parse_entry(text, kind)  # type: ignore[arg-type]
    assert typed.value == pytest.approx(value, rel=1e-12)
    assert (typed.unit or "Hz", typed.bound) == (unit, bound)


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        ("", "volts"), ("abc", "volts"), ("1,234.5", "hertz"), ("1 234", "hertz"), ("1'000", "hertz"), ("1.2.3", "volts"),
        ("nan", "volts"), ("inf", "volts"), ("1e999", "volts"), ("5 dBm", "volts"), ("3 V", "watts"), ("S12", "s-units"),
        ("S7+10", "s-units"), ("--3", "volts"), ("9..8", "ratio-db"), ("<", "level"), ("never opens", "volts"), ("12 q", "volts"),
        ("٣", "watts"),
    ],
)  # fmt: skip
def test_refused_with_the_expected_form(text: str, kind: str) -> None:
    with pytest.raises(EntryError) as error:
        parse_entry(text, kind)  # type: ignore[arg-type]
    assert "Expected" in str(error.value)
    assert text.strip() in str(error.value)


def test_words_stand_for_readings_where_they_make_sense() -> None:
    assert parse_entry("Pegged", "s-units").word == "pegged"
    assert parse_entry("locked", "volts").word == "locks"
    assert parse_entry("never", "level").word == "never opens"
    with pytest.raises(EntryError):
        parse_entry("pegged", "hertz")
    assert set(WORDS.values()) >= {w for words in WORDS_OF_KIND.values() for w in words}


@given(st.floats(min_value=1e-9, max_value=1e9), st.sampled_from([".", ","]))
def test_either_decimal_mark_means_the_same(value: float, mark: str) -> None:
    text = f"{value:.6f}".replace(".", mark)
    assert parse_si(text + " V", "V") == pytest.approx(float(f"{value:.6f}"), rel=1e-12)


@given(st.text(max_size=24), st.sampled_from(sorted(EXPECTED)))
def test_nothing_typed_ever_breaks_the_parser(text: str, kind: str) -> None:
    try:
        typed = parse_entry(text, kind)  # type: ignore[arg-type]
    except EntryError:
        return
    assert typed.word or (typed.value is not None and math.isfinite(typed.value))


@given(st.sampled_from(sorted(QUANTITIES)), st.floats(min_value=-140, max_value=9e4))
def test_every_quantity_prints_finite_words(name: str, value: float) -> None:
    q = quantity(name)
    figure, _ = show_value(q, min(value, 30.0) if q.kind in ("level", "s-units") else value)
    assert figure and "e+" not in figure and "nan" not in figure
    assert show(q, 1.0)


@given(st.floats(min_value=-123, max_value=-20))
def test_a_printed_level_reads_back_as_itself(dbm: float) -> None:
    again = parse_level(microvolts(dbm))
    assert again == pytest.approx(dbm, abs=0.3)


def test_printing_rounds_before_it_chooses_a_prefix() -> None:
    assert microvolts(-47.0) == "999 µV"
    assert microvolts(-46.99) == "1.00 mV"
    assert number(-0.04, 1) == "0.0"
    assert number(-3.14159, 2) == "−3.14"
    assert (s_units(0.0), s_units(-12.0), s_units(12.4), s_units(-60)) == ("S9", "S7", "S9+12", "S0")


def test_canonical_values() -> None:
    error, ref = quantity("tx.frequency_error"), quantity("ref.frequency")
    assert canonical(parse_entry("27.20501 MHz", "hertz-error"), error, 27_205_000.0) == pytest.approx(10.0)
    assert canonical(parse_entry("27.20501", "hertz-error"), error, 27_205_000.0) == pytest.approx(10.0)
    assert canonical(parse_entry("-31", "hertz-error"), error, 27_205_000.0) == -31.0
    assert canonical(parse_entry("10.240012", "hertz"), ref, 10.24e6) == pytest.approx(10_240_012)
    assert canonical(parse_entry("1.9", "hertz", "kHz"), quantity("tx.deviation")) == 1900.0
    assert canonical(parse_entry("36 dBm", "watts"), quantity("tx.power")) == pytest.approx(3.981, abs=1e-3)
    with pytest.raises(EntryError, match="is out of range for"):
        canonical(parse_entry("120", "percent"), quantity("rx.distortion"))
    with pytest.raises(EntryError, match="more than 2 %"):
        canonical(parse_entry("26.1 MHz", "hertz-error"), error, 27_205_000.0)
    with pytest.raises(EntryError, match="above zero"):
        parse_level("0 uV")


def test_normalise_refuses_grouping() -> None:
    for text in ("1,000.5", "1.000,5", "12 345", "1’000"):
        with pytest.raises(EntryError, match="grouping"):
            normalise(text)
    assert normalise(" ,5 V") == ".5 V"
