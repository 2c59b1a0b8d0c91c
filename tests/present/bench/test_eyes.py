"""What is heard instead of seen: the pitch of a reading, and the coach's line as it is said."""

from __future__ import annotations

import math
from collections.abc import Callable

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from unitone.present.bench.bench_view import take_view
from unitone.present.bench.eyes import HIGHEST_HZ, LOWEST_HZ, REFERENCE_HZ, height, pitch_hz, reference_of, spoken
from unitone.session.session import Session
from unitone.sheet.model.sheet import Sheet


@settings(max_examples=200, deadline=None)
@given(st.floats(-80.0, 80.0), st.floats(0.01, 30.0), st.floats(-60.0, 60.0))
def test_the_pitch_rises_with_the_reading_and_stays_to_be_heard(db: float, more: float, reference: float) -> None:
    low, high = pitch_hz(db, reference), pitch_hz(db + more, reference)
    assert low <= high and LOWEST_HZ - 1e-6 <= low <= high <= HIGHEST_HZ + 1e-6
    assert pitch_hz(reference, reference) == REFERENCE_HZ


def test_near_the_reference_a_decibel_is_a_semitone() -> None:
    """Equal temperament: a semitone is the twelfth root of two."""
    for db in (-2.0, -1.0, 1.0, 2.0):
        assert pitch_hz(db, 0.0) == pytest.approx(440.0 * 2.0 ** (db / 12.0), rel=0.01)
    assert pitch_hz(0.25, 0.0) / 440.0 > 1.01, "a quarter of a decibel is still told apart"


def test_the_height_does_not_hang_on_the_level(sheet: Sheet) -> None:
    """Ten decibels less on the generator is no worse place of the core."""
    step = sheet.step("front-end")
    strong, weak = height(step, "rx.sinad", 16.0, -110.0), height(step, "rx.sinad", 16.0 - 1.6 * 5.0, -115.0)
    assert strong == pytest.approx(weak) and strong is not None
    assert (height(step, "rx.sinad", 17.6, -110.0) or 0.0) - strong == pytest.approx(1.0)
    assert height(step, "rx.sinad", None, -110.0) is None and height(step, "rx.sinad", math.nan, -110.0) is None


def test_what_is_nulled_rises_as_it_falls_and_what_is_set_goes_over_its_target(sheet: Sheet) -> None:
    power = sheet.step("power")
    assert (height(power, "tx.power", 4.0, None) or 0.0) - (
        height(power, "tx.power", 2.0, None) or 0.0
    ) == pytest.approx(3.01, abs=0.01)
    assert height(power, "tx.power", 0.0, None) is None
    rail = sheet.step("rail")
    assert height(rail, "supply.rail", 8.0, None) == pytest.approx(0.0)
    # The edge of a limit is seven semitones, a fifth, from its middle.
    assert height(rail, "supply.rail", 8.2, None) == pytest.approx(7.0)
    assert height(rail, "rx.sinad", 12.0, None) is None
    check = sheet.step("hum")
    assert height(check, "tx.hum_noise", 50.0, None) is None, "one open limit has no middle to be heard against"


def test_a_step_begins_at_its_first_reading(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    session.start_work()
    session.go_to("front-end")
    session.confirm_hook_up("receive")
    assert reference_of(session.state, session.step, "rx.sinad") is None
    assert take_view(session).reading.pitch == (None, None) and take_view(session).reading.seq == 0
    session.set_up(session.step.setting)
    session.type_in("10 dB")
    first = take_view(session)
    assert first.reading.pitch[0] == first.reading.pitch[1] and first.reading.seq == session.state.seq
    session.turn("T1", 45_000)
    session.type_in("12 dB")
    second = take_view(session)
    assert second.reading.pitch[1] == first.reading.pitch[1] and (second.reading.pitch[0] or 0.0) > (
        first.reading.pitch[0] or 0.0
    )
    assert reference_of(session.state, session.sheet.step("rail"), "supply.rail") == 0.0


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("Turn T1 1⅜ turns clockwise.", "Turn T 1 1 and three eighths turns clockwise."),
        ("Turn L8 ⅛ turn anticlockwise.", "Turn L 8 an eighth turn anticlockwise."),
        ("Turn T4 3 1/16 turns clockwise.", "Turn T 4 3 and 1 sixteenths turns clockwise."),
        ("Set up channel 20, 0.62 µV at the set.", "Set up channel 20, 0.62 microvolts at the set."),
        ("Dial −71.2 dBm.", "Dial minus 71.2 d B m."),
        ("≥ 12 dB (S+N)/N", "at least 12 decibels signal to noise"),
        ("Turn P2 80° clockwise (12:00 → 2:40).", "Turn P 2 80 degrees clockwise , from 12 o'clock to 2:40."),
        ("4.0 W ± 0.2 W at 27.205 MHz", "4.0 watts plus or minus 0.2 watts at 27.205 megahertz"),
    ],
)
def test_the_line_is_said_as_a_person_says_it(line: str, said: str) -> None:
    assert spoken(line) == said
