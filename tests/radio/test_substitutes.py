"""Is a part a fit substitute? Common practice of the trade, no source, unless a check names one."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unitone.errors import EntryError
from unitone.radio.substitutes import Spec, describe_substitute, judge_substitute, parse_spec


@pytest.mark.parametrize(
    ("text", "spec"),
    [
        ("47 µF 16 V 20 % electrolytic", Spec(47e-6, "F", 16.0, None, 20.0, "electrolytic")),
        ("electrolytic, 47uF, 16V", Spec(47e-6, "F", 16.0, None, None, "electrolytic")),
        ("4k7 0.25 W", Spec(4700.0, "ohm", None, 0.25)), ("100n 63 V film", Spec(100e-9, "F", 63.0, None, None, "film")),
        ("22 µF 25 V electrolytic bipolar", Spec(22e-6, "F", 25.0, None, None, "electrolytic", True)),
        ("470 Ω 0,5 W", Spec(470.0, "ohm", None, 0.5)), ("10 pF mica", Spec(10e-12, "F", None, None, None, "mica")),
    ],
)  # fmt: skip
def test_parts_are_read_as_people_write_them(text: str, spec: Spec) -> None:
    read = parse_spec(text)
    assert read.value == pytest.approx(spec.value) and (read.unit, read.volts, read.watts) == (
        spec.unit,
        spec.volts,
        spec.watts,
    )
    assert (read.dielectric, read.bipolar, read.tolerance_pct) == (spec.dielectric, spec.bipolar, spec.tolerance_pct)


def test_what_states_no_value_is_refused() -> None:
    for text in ("", "a nice one", "electrolytic"):
        with pytest.raises(EntryError, match="Expected a part"):
            parse_spec(text)


@pytest.mark.parametrize(
    ("was", "now", "fits", "says"),
    [
        ("100 uF 16 V electrolytic", "100 uF 25 V electrolytic", True, "more"),
        ("100 uF 16 V electrolytic", "100 uF 10 V electrolytic", False, "less"),
        ("100 uF 16 V electrolytic", "150 uF 16 V electrolytic", True, "+50 %"),
        ("100 uF 16 V electrolytic", "68 uF 16 V electrolytic", False, "-32 %"),
        ("10 nF 400 V paper", "10 nF 630 V film", True, "leaks less"), ("100 pF mica", "100 pF ceramic", False, "drifts"),
        ("1 uF 50 V film", "1 uF 50 V electrolytic", False, "drifts"), ("1 uF 50 V film", "1 uF 50 V tantalum", False, "polar"),
        ("4k7 0.25 W", "4k7 0.5 W", True, "more"), ("4k7 0.5 W", "4k7 0.25 W", False, "less"), ("4k7 0.5 W", "10 nF 50 V", False, "another kind"),
        ("1 uF 35 V tantalum", "1 uF 35 V electrolytic", True, "look at the circuit"), ("470 ohm 1 %", "470 ohm 5 %", False, "±5 % for ±1 %"),
        ("22 uF 25 V electrolytic", "22 uF 25 V film", True, "either way"),
    ],
)  # fmt: skip
def test_a_substitute_is_as_good_in_every_respect_or_it_is_wrong(was: str, now: str, fits: bool, says: str) -> None:
    aspects = judge_substitute(parse_spec(was), parse_spec(now))
    assert all(a.fits for a in aspects) is fits, [a for a in aspects if not a.fits]
    words = describe_substitute(aspects)
    assert words.startswith("right" if fits else "wrong") and says in words


@given(
    st.floats(1e-12, 1e-3),
    st.floats(1, 1000),
    st.sampled_from(["electrolytic", "film", "ceramic", "mica", "paper", "tantalum"]),
)
def test_a_part_is_right_for_itself_and_more_volts_are_never_worse(value: float, volts: float, dielectric: str) -> None:
    part = Spec(value, "F", volts, None, None, dielectric)
    assert all(a.fits for a in judge_substitute(part, part))
    better = Spec(value, "F", volts * 1.6, None, None, dielectric)
    assert all(a.fits for a in judge_substitute(part, better)) and not all(
        a.fits for a in judge_substitute(better, part)
    )
