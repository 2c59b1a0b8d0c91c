"""The dial's stops against the arithmetic of a tank, and what the readings of a job say of each band."""

from __future__ import annotations

import math
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unitone.errors import UnitoneError
from unitone.job.bands import bands_of, judge_stops, section_states, stops_wanted, worst_dial_error
from unitone.job.card import Card
from unitone.job.shop import DialStops
from unitone.radio.dial_range import judge_range
from unitone.session.session import Session, open_job
from unitone.session.workshop import Workshop
from unitone.store.logbook import Logbook


def _ends(coil_h: float, fixed_f: float) -> tuple[float, float]:
    """A tank's ends with a gang of 10 to 365 pF (f = 1/(2π√(LC)))."""
    low, high = (1.0 / (2.0 * math.pi * math.sqrt(coil_h * (c + fixed_f))) for c in (365e-12, 10e-12))
    return low, high


@given(st.floats(0.7, 1.4), st.floats(0.5, 3.0))
def test_a_coil_cures_what_is_shifted_and_nothing_else(coil: float, fixed: float) -> None:
    """The verdict is the tank's: a shifted range is brought in by some coil, a narrow one by none."""
    wanted = _ends(100e-6, 30e-12)
    low, high = _ends(100e-6 * coil, 30e-12 * fixed)
    found = judge_range(low, high, *wanted)
    # The coil that leaves the low end just inside its half per cent gives the high end its best chance.
    share = wanted[0] * 1.005 / low * (1.0 - 1e-9)
    best = judge_range(*_ends(100e-6 * coil / share**2, 30e-12 * fixed), *wanted)
    if found.finding == "shifted":
        assert best.finding == "covers"
    if found.finding == "narrow":
        assert best.finding == "narrow" and best.high_missing_hz > 0
    assert (found.finding == "covers") == (not found.low_missing_hz and not found.high_missing_hz)


def test_ends_must_be_in_order() -> None:
    with pytest.raises(ValueError):
        judge_range(2e6, 1e6, 1e6, 2e6)


def test_a_dial_by_its_mixing_lines_and_by_its_readings(book: Logbook) -> None:
    job = open_job(book, "corvane-alder-5", Card(1, "corvane-alder-5", "5-77"))
    session = Session(book, job)
    assert bands_of(session.state) == ("MW",)
    # 465 kHz above both ends of the band (an oscillator above the signal: common practice, no source).
    session.workshop.count_stops("MW", "2,075 MHz", "985 kHz")
    stops = session.state.shop.stops[-1]
    found = judge_stops(session.state, stops)
    assert (stops.low_hz, stops.high_hz) == (985e3, 2.075e6) and found is not None and found.finding == "covers"
    assert stops_wanted(session.state, stops) == pytest.approx((985e3, 2.075e6))
    signal = judge_stops(session.state, DialStops("1", "", "MW", 520e3, 1.5e6, "signal"))
    assert signal is not None and signal.high_missing_hz == pytest.approx(0.11e6) and signal.finding == "narrow"
    assert judge_stops(session.state, DialStops("1", "", "LW", 150e3, 285e3, "signal")) is None
    # What the readings say: the worst of the dial, and the verdict at the stage that each step names.
    assert worst_dial_error(session.state, "MW") is None and not any(x.measured for x in section_states(session.state))
    for step, typed in (("dial-low", "601 kHz"), ("dial-high", "1421 kHz")):
        session.go_to(step)
        session.confirm_hook_up(session.state.sheet.step(step).hook_up)
        session.type_in(typed, session.state.sheet.step(step).required[0])
    assert worst_dial_error(session.state, "MW") == (pytest.approx(0.015), "1400")
    stage = session.state.sheet.step("dial-high").stage
    at = {(x.band, x.section): x.measured for x in section_states(session.state)}
    assert at["MW", stage] == "out_of_spec" and at["", stage] == ""


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda w: w.find_section("MW", " ", "works"), "Say which section"),
        (lambda w: w.find_section("MW", "osc", "fine"), "not a finding"),
        (lambda w: w.find_section("MW", "osc", "dead"), "what to try next"),
        (lambda w: w.count_stops("", "1 MHz", "2 MHz"), "Name the band"),
        (lambda w: w.count_stops("MW", "1 MHz", "1 MHz"), "Both stops read the same"),
        (lambda w: w.count_stops("MW", "abc", "1 MHz"), "a frequency with its unit"),
    ],
)
def test_what_cannot_be_is_refused(book: Logbook, call: Callable[[Workshop], None], words: str) -> None:
    session = Session(book, open_job(book, "corvane-alder-5", Card(1, "corvane-alder-5", "5-77")))
    with pytest.raises(UnitoneError, match=words):
        call(session.workshop)
    assert session.state.shop.sections == [] and session.state.shop.stops == []
