"""Steady or not: warming up, the counter's gate, the clarifier's swing; and the sums of the same questions."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import curve_fit

from unitone.calculators.catalogue import calculator_of
from unitone.calculators.typed import work_out
from unitone.errors import EntryError
from unitone.job.card import Card
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.steady import describe_bias, describe_drift, describe_gate, describe_range, describe_swing
from unitone.radio.drift import drift
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook


@pytest.mark.parametrize(("tau", "size"), [(300.0, 120.0), (240.0, -60.0), (600.0, 300.0)])
def test_the_wait_is_what_a_fitted_exponential_says(tau: float, size: float) -> None:
    t = np.array([0.0, 60.0, 120.0, 200.0, 300.0, 420.0])
    f = 5.0 + size * np.exp(-t / tau)
    found = drift(list(zip(t, f, strict=True)), 5.0, 0.5)
    assert found is not None and found.wait_s is not None
    # The outside: SciPy's own fit of the same law.
    (c, a, k), _ = curve_fit(lambda x, c, a, k: c + a * np.exp(-x / k), t, f, p0=(0.0, size, 200.0))
    left = abs(a * math.exp(-t[-1] / k))
    assert found.wait_s == pytest.approx(k * math.log(left / 5.0), rel=0.25, abs=40)
    assert found.hz_per_minute * size < 0 and c == pytest.approx(5.0, abs=0.1)


def test_a_steady_one_and_too_few_counts() -> None:
    assert drift([(0.0, 3.0), (60.0, 3.0)], 5.0) is None and drift([(0.0, 1.0), (1.0, 2.0), (2.0, 3.0)], 5.0) is None
    still = drift([(0.0, 3.0), (60.0, 3.4), (120.0, 2.9), (180.0, 3.1)], 5.0)
    assert still is not None and abs(still.hz_per_minute) < 0.5 and still.wait_s is None
    # A straight drift, not slowing: no wait can be told.
    straight = drift([(60.0 * n, 30.0 * n) for n in range(6)], 5.0)
    assert straight is not None and straight.hz_per_minute == pytest.approx(30.0) and straight.wait_s is None


def by_hand(book: Logbook) -> Session:
    return Session(book, open_job(book, "ostrel-curlew-5", Card(1, "ostrel-curlew-5", "C5-1")))


def test_the_bench_says_wait_and_then_trim(book: Logbook, monkeypatch: pytest.MonkeyPatch) -> None:
    session = by_hand(book)
    clock = [0.0]
    monkeypatch.setattr(session.bench, "seconds", lambda: clock[0])
    session.go_to("reference")
    step = session.step

    def count(seconds: float) -> str:
        clock[0] = seconds
        session.type_in(f"{10.24e6 + 200.0 * math.exp(-seconds / 300.0):.1f} Hz", step.setting)
        return describe_drift(session.state, step)

    assert count(10) == "" and count(60) == ""
    words = [count(s) for s in (120, 180, 240)]
    assert words[-1].startswith("Warming up, −") and words[-1].endswith("minutes, then trim.")
    said = take_view(session).step.notes
    assert words[-1] in said and any(n.startswith("Gate 0.1 s while turning, 1 s to judge") for n in said)
    for seconds in (2400, 2430, 2460, 2500):
        last = count(seconds)
    assert last.startswith("Steady")
    # What was soldered is warm.
    session.touch("padder", "33 pF for 27 pF")
    assert "let it cool 5 minutes" in describe_drift(session.state, step)
    clock[0] = 2600.0
    session.note("tea")
    assert "cool 4 minutes" in describe_drift(session.state, step)
    clock[0] = 2900.0
    session.note("tea")
    assert describe_drift(session.state, step) == ""


def test_the_gate_follows_the_limit(book: Logbook) -> None:
    session = by_hand(book)
    assert describe_gate(session.sheet.step("vco")) == ""
    assert describe_gate(session.sheet.step("chart-am")) == "Gate 0.1 s."
    assert describe_gate(session.sheet.step("carrier-am")) == "Gate 0.1 s while turning, 1 s to judge."


def test_the_clarifiers_swing_is_told_from_its_ends(book: Logbook) -> None:
    session = by_hand(book)
    for step, hz in (("clarifier", "10"), ("clarifier-up", "900"), ("clarifier-down", "-1300")):
        session.go_to(step)
        session.type_in(hz, session.step.setting)
    words = describe_swing(session.state, session.sheet.step("clarifier-up"))
    assert words == "Swings from −1300 to +900 Hz: its centre is −200 Hz."
    assert words in take_view(session).step.notes
    assert "set it by the middle position" not in words
    session.go_to("clarifier")
    session.type_in("120", session.step.setting)
    assert "set it by the middle position" in describe_swing(session.state, session.sheet.step("clarifier"))
    # The trimmer of the middle makes all three old.
    session.turn("P2", 5_000)
    assert describe_swing(session.state, session.sheet.step("clarifier")) == ""


def test_the_sums_of_the_same_questions() -> None:
    shared = {a.key: a for a in work_out(calculator_of("shared"), {"errors": "A +120; B -80; C 1940"})}
    assert shared["shift_hz"].value == -20 and shared["worst_hz"].value == 100
    assert (
        "C: +1920 Hz" in shared["outliers"].text and "−640 Hz away from the present crystal" in shared["crystal"].text
    )
    middle = {
        a.key: a.value
        for a in work_out(calculator_of("clarifier"), {"down": "-1150 Hz", "middle": "20 Hz", "up": "1240 Hz"})
    }
    assert (
        middle["swing_hz"] == 2390 and middle["centre_hz"] == 45 and middle["up_pct"] == pytest.approx(51.05, abs=0.01)
    )
    warm = {a.key: a for a in work_out(calculator_of("settled"), {"counts": "0 85; 2 57; 4 38.2; 6 25.6; 8 17.2"})}
    assert (
        warm["wait_s"].value == pytest.approx(300 * math.log(17.2 / 10), rel=0.3) and "minutes" in warm["wait_s"].text
    )
    assert work_out(calculator_of("settled"), {"counts": "0 5; 3 5.1; 6 5"})[0].text == "none: trim it"
    for name, given, says in (
        ("shared", {"errors": "A; B"}, "not a channel with its error"), ("shared", {"errors": "A 1; A 2"}, "entered twice"),
        ("shared", {"errors": ";"}, "Channels with their errors"), ("clarifier", {"down": "5 Hz", "middle": "5 Hz", "up": "5 Hz"}, "same"),
        ("clarifier", {"down": "0 Hz", "middle": "50 Hz", "up": "40 Hz"}, "outside the ends"),
        ("settled", {"counts": "0 5; 1"}, "not a minute with its error"), ("settled", {"counts": "3 5; 1 4; 5 3"}, "must rise"),
        ("settled", {"counts": "0 5; 1 4"}, "at least three counts"),
    ):  # fmt: skip
        with pytest.raises(EntryError, match=says):
            work_out(calculator_of(name), given)


def test_a_trimmer_that_stops_short_names_its_range_and_the_sum(book: Logbook) -> None:
    session = by_hand(book)
    session.go_to("reference")
    step = session.step
    # Half a revolution, and never up to nominal: 10.2394 to 10.23986 MHz.
    for turned, hz in (
        (0, 10_239_700),
        (60_000, 10_239_500),
        (30_000, 10_239_400),
        (-150_000, 10_239_780),
        (-110_000, 10_239_860),
    ):
        session.turn("CT1", turned)
        session.type_in(f"{hz} Hz", step.setting)
    words = describe_range(session.state, step)
    assert words.startswith("CT1 covers 10.239400 MHz to 10.239860 MHz: 140 Hz short. Calculators, “Which padder?”"), (
        words
    )
    assert "Also affected: Band A at the aerial" in words and words in take_view(session).step.notes
    assert describe_range(session.state, session.sheet.step("vco-bands")) == ""
    # What the sum makes of these two: a smaller padder brings nominal into the middle half.
    made = work_out(
        calculator_of("padder"),
        {
            "low": "10.2394 MHz",
            "high": "10.23986 MHz",
            "wanted": "10.24 MHz",
            "least": "3 pF",
            "most": "12 pF",
            "padder": "22 pF",
        },
    )
    assert made[0].value is not None and made[0].value < 22e-12
    # Once the target lies within, nothing is said.
    session.turn("CT1", 5_000)
    session.type_in("10240010 Hz", step.setting)
    assert describe_range(session.state, step) == ""


def test_a_bias_that_is_too_much_or_climbs_is_said_first(book: Logbook, monkeypatch: pytest.MonkeyPatch) -> None:
    session = by_hand(book)
    clock = [0.0]
    monkeypatch.setattr(session.bench, "seconds", lambda: clock[0])
    session.confirm_hook_up("transmit")
    session.go_to("bias")
    step = session.step
    assert describe_bias(session.state, step) == "" and describe_bias(session.state, session.sheet.step("power")) == ""
    for seconds, milliamps in ((10, 31), (40, 33), (70, 35.5), (100, 38)):
        clock[0] = seconds
        session.type_in(f"{milliamps} mA", step.setting)
    words = describe_bias(session.state, step)
    assert words.startswith("Thermal runaway: the current climbs 15 % a minute") and words.endswith(
        "Found 31 mA, now 38 mA."
    )
    assert words in take_view(session).step.notes
    clock[0] = 200.0
    session.turn("P3", 20_000)
    session.type_in("72 mA", step.setting)
    assert describe_bias(session.state, step).startswith("Above the sheet's value: turn it back first")
    session.turn("P3", -10_000)
    for seconds in (220, 250, 300):
        clock[0] = seconds
        session.type_in("50 mA", step.setting)
    assert describe_bias(session.state, step) == "Found 31 mA, now 50 mA."
