"""What receive readings say beside their verdicts: evenness, a generator elsewhere or leaking, squelch and detector charts, conventions."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest

from unitone.align.advise import unsealed
from unitone.align.null import scurve
from unitone.align.squelch.chart import POSITIONS
from unitone.bench.path import Kit
from unitone.errors import BenchError
from unitone.job.card import Card
from unitone.present.bench import charts, squelch
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.receiving import describe_detector, describe_evenness, describe_leak, describe_receive
from unitone.present.bench.sentences import button, sentence
from unitone.robot.technician import align, follow
from unitone.session.charts import chart_on
from unitone.session.session import Session, open_job
from unitone.sheet.conventions.questions import apply
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.library import find
from unitone.store.logbook import Logbook

TARN, CURLEW, TEAL = "ostrel-tarn-40", "ostrel-curlew-5", "ostrel-teal-6"


def opened(book: Logbook, sheet: str, step: str, seed: int | None = None) -> Session:
    session = Session(book, open_job(book, sheet, Card(book.next_number(), sheet, simulated_seed=seed)))
    session.start_work()
    session.go_to(step)
    session.confirm_hook_up(session.step.hook_up)
    return session


def typed_levels(session: Session, levels: dict[str, str]) -> None:
    for required in session.step.required:
        session.set_up(replace(required, level_dbm=None))
        session.type_in(levels[required.channel or ""], required)


# -- evenness -----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("levels", "said"),
    [
        ({"1": "0.30 uV", "20": "0.28 uV", "40": "0.31 uV"}, "Even over the band: 0.9 dB"),
        (
            {"1": "0.28 uV", "20": "0.30 uV", "40": "0.48 uV"},
            "drops at the top of the band: retune the front end higher",
        ),
        (
            {"1": "0.48 uV", "20": "0.30 uV", "40": "0.28 uV"},
            "drops at the bottom of the band: retune the front end lower",
        ),
        ({"1": "0.30 uV", "20": "0.30 uV", "40": "2.0 uV"}, "generator and radio are on the same channel"),
        ({"1": "0.40 uV", "20": "0.28 uV", "40": "0.42 uV"}, "3.5 dB from 20 (best) to 40"),
    ],
)
def test_a_sensitivity_over_its_channels_says_how_even_it_is(book: Logbook, levels: dict[str, str], said: str) -> None:
    session = opened(book, TARN, "sensitivity")
    typed_levels(session, levels)
    assert said in describe_evenness(session.state, session.step)
    assert said in " ".join(take_view(session).step.notes)


def test_two_places_say_nothing_of_a_band(book: Logbook) -> None:
    session = opened(book, TARN, "sensitivity")
    first = session.step.required[0]
    session.set_up(replace(first, level_dbm=None))
    session.type_in("0.3 uV", first)
    assert describe_evenness(session.state, session.step) == ""
    assert describe_receive(session.state, session.sheet.step("power")) == ""


def test_many_places_are_charted_and_not_told_twice(book: Logbook) -> None:
    session = opened(book, CURLEW, "sensitivity-am")
    for n, required in enumerate(session.step.required):
        session.set_up(replace(required, level_dbm=None))
        session.type_in(f"{0.4 + 0.03 * abs(n - 7):.2f} uV", required)
    view = take_view(session)
    assert (
        view.reading.chart is not None
        and len(view.reading.chart.marks) == 15
        and "3.7 dB apart" in view.reading.chart.words
    )
    assert [m.group for m in view.reading.chart.marks[:4]] == ["A AM", "A AM", "A AM", "B AM"]
    assert "best" not in " ".join(view.step.notes)
    assert view.board.picture is not None and view.board.picture.title.startswith("receive side")
    assert {p.id for p in view.board.pins} >= {"T1", "P12"} and "CT1" not in {p.id for p in view.board.pins}


# -- a generator that leaks ----------------------------------------------------------------------------


def test_a_reading_that_does_not_follow_its_level_points_at_a_leak(book: Logbook) -> None:
    session = opened(book, TARN, "front-end")
    strong = replace(session.step.setting, level_dbm=-107.0)
    session.set_up(strong)
    session.type_in("16.0 dB")
    session.set_up(replace(strong, level_dbm=-119.0))
    session.type_in("15.4 dB")
    assert "leaking round its attenuator" in describe_leak(session.state, session.step)
    # A radio that follows says nothing, nor does one in its noise, nor after a core was turned.
    session.set_up(replace(strong, level_dbm=-127.0))
    session.type_in("4.0 dB")
    assert describe_leak(session.state, session.step) == ""
    session.turn("T1", 45_000)
    session.set_up(strong)
    session.type_in("16.0 dB")
    assert describe_leak(session.state, session.step) == ""


# -- the detector ---------------------------------------------------------------------------------------


def test_clean_and_loud_are_looked_at_together(book: Logbook) -> None:
    session = opened(book, TARN, "detector")
    loud = {0: ("3.0 %", "2.4 V"), 45_000: ("1.2 %", "2.5 V"), 90_000: ("0.9 %", "0.8 V")}
    for n, (distortion, volts) in enumerate(loud.values()):
        if n:
            session.turn("T6", 45_000)
        session.set_up(session.step.setting)
        session.type_in(distortion)
        _log_volts(session, volts)
        if n == 1:
            assert "Clean and loud at the same place" in describe_detector(session.state, session.step)
    assert "foot of the S-curve" in describe_detector(session.state, session.step)


def _log_volts(session: Session, volts: str) -> None:
    """Audio volts read beside the distortion, as the Meters send them."""
    reading = session.measuring.typed_reading(volts, "rx.af_voltage", session.state.set_up)
    session.append(reading)


@pytest.mark.parametrize("seed", [1, 4, 9])
def test_the_s_curve_s_middle_goes_with_its_core(book: Logbook, seed: int) -> None:
    """Centred in an aligned set; the core moves the detector's tank by 2.6 kHz a turn, and the middle goes with it."""
    session = opened(book, TARN, "detector", seed)
    made = session.bench.radio.mechanics.specimen  # type: ignore[attr-defined]
    made.found.update({n: made.right[n] for n in made.found if n[0] == "T" or n == "CT1"})
    middles = []
    for turned in (0, 180_000):
        session.turn("T6", turned)
        assert charts.next_words(session.state, session.step) != ""
        chart_on(session)
        read = {p[0] * 1e3: p[1] for p in charts.curve(session.state, session.step).points}  # type: ignore[union-attr]
        middle = scurve.middle_hz(read)
        assert middle is not None
        middles.append(middle)
        words = charts.words(session.state, session.step)
        assert ("S-curve centred" in words) == (abs(middle) < scurve.CENTRED_HZ)
    # The IF's own middle stays where it is and pulls: not all of the tank's 1.3 kHz is heard.
    assert abs(middles[0]) < 200.0 and 500.0 < middles[1] - middles[0] < 1400.0
    assert session.state.set_up == session.step.setting, "the generator is back on the channel"
    with pytest.raises(BenchError, match="chart is complete"):
        chart_on(session)


def test_a_curve_without_a_lowest_place_has_no_middle() -> None:
    assert scurve.middle_hz({0.0: 1.0, 1000.0: 2.0}) is None
    assert scurve.middle_hz({x * 1000.0: 5.0 - 0.1 * x * x for x in range(-3, 4)}) is None
    exact = {x * 1000.0: 1.0 + 0.4 * (x - 0.6) ** 2 for x in range(-3, 4)}
    assert scurve.middle_hz(exact) == pytest.approx(600.0, abs=60.0)


# -- the squelch ----------------------------------------------------------------------------------------


def test_the_squelch_is_charted_over_its_control(book: Logbook) -> None:
    session = opened(book, CURLEW, "squelch-middle", 12)
    assert take_view(session).reading.chart_next == "squelch at 0 %"
    chart_on(session)
    view = take_view(session)
    assert view.reading.hill is not None and [x for x, _ in view.reading.hill.points] == [0.0, 25.0, 50.0, 75.0, 100.0]
    opens = [y for _, y in view.reading.hill.points]
    assert all(b > a + 3.0 for a, b in zip(opens, opens[1:], strict=False)), "it takes more and more to open it"
    assert "Over its control: 0 %" in charts.words(session.state, session.step) and view.reading.chart_next == ""
    before = view.reading.hill.points
    session.turn("P12", -20_000)
    assert take_view(session).reading.chart_next == "squelch at 0 %", "turned: it can be read anew"
    chart_on(session)
    again = take_view(session).reading.hill
    assert again is not None and again.found == before and again.points[-1][1] < before[-1][1] - 2.0


def test_hysteresis_is_told_from_opening_and_closing(book: Logbook) -> None:
    for opens, closes, said in (
        ("0.50 uV", "0.32 uV", "do not chatter"),
        ("0.50 uV", "0.47 uV", "too little"),
        ("0.9 uV", "0.1 uV", "hangs open"),
    ):
        session = opened(book, CURLEW, "squelch")
        session.set_up(session.step.setting)
        session.type_in(opens)
        session.go_to("squelch-closes")
        session.set_up(session.step.setting)
        session.type_in(closes)
        assert said in squelch.words(session.state, session.step)


def test_a_squelch_that_never_closes_or_never_opens_is_said(book: Logbook) -> None:
    session = opened(book, CURLEW, "squelch-tight")
    session.set_up(session.step.setting)
    session.type_in(">30 mV")
    assert "no signal opens it" in squelch.words(session.state, session.step)
    session = opened(book, TEAL, "squelch")
    session.set_up(session.step.setting)
    session.type_in("<0.1 uV")
    told = squelch.words(session.state, session.step)
    assert "never closes" in told and "no preset for its squelch" in told


def test_a_hand_is_shown_the_next_place_of_the_chart(book: Logbook) -> None:
    session = opened(book, CURLEW, "squelch-middle")
    for where, level in zip(POSITIONS, ("0.3 uV", "1.2 uV", "6 uV", "28 uV", "130 uV"), strict=True):
        chart_on(session)
        assert dict(session.state.set_up.panel)["squelch"] == where
        session.type_in(level)
    assert "25 % 1.20 µV" in charts.words(session.state, session.step)
    with pytest.raises(BenchError, match="Charts exist for"):
        session.go_to("audio")
        chart_on(session)


# -- conventions ------------------------------------------------------------------------------------------------


def test_cores_are_sealed_and_measured_once_more_where_the_school_says(new_session: Callable[..., Session]) -> None:
    session = new_session(3)
    session.set_conventions({"sealing": "measure"})
    seals = []

    def each(advice) -> None:  # type: ignore[no-untyped-def]
        if advice.act == "seal":
            seals.append((len(session.state.readings), unsealed(session.state)))
            assert button(advice, True) == "Sealed, covers on"
            assert "covers on" in sentence(advice, session.sheet, session.state.positions)[0]

    work = align(session, each)
    assert work.finished and len(seals) == 1 and seals[0][1]
    assert len(session.state.readings) > seals[0][0] + 5, "what wax and covers reach is measured once more"
    assert unsealed(session.state) == []
    assert session.state.touches[-1].name == "covers"


def test_by_default_it_is_only_said(new_session: Callable[..., Session]) -> None:
    session = new_session(3)
    last = []

    def each(advice) -> None:  # type: ignore[no-untyped-def]
        if advice.act == "finish":
            last.append(sentence(advice, session.sheet, session.state.positions)[1])

    assert align(session, each).finished
    assert "Seal them" in last[-1]


def test_wax_is_said_before_the_first_turn_alone(book: Logbook) -> None:
    session = opened(book, TARN, "front-end", 3)
    told = []
    for _ in range(30):
        advice = session.advice()
        if advice.act == "turn":
            told.append(
                (
                    advice.adjuster,
                    "wax with a warm tip first" in sentence(advice, session.sheet, session.state.positions)[1],
                )
            )
        if advice.act == "conclude":
            break
        follow(session, advice)
    first = {name: next(said for n, said in told if n == name) for name in ("T1", "T2")}
    assert first == {"T1": True, "T2": True} and sum(said for _, said in told) == 2


def test_a_front_end_is_shared_out_by_the_school(book: Logbook) -> None:
    path = find(TARN)
    sheet = parse_sheet(path.read_text(encoding="utf-8"), str(path), TARN)
    procedure, _ = apply(sheet, {"channel": "stagger"}, {})
    step = procedure.step("front-end")
    assert step.aim == "level" and [c.channel for c in step.required] == ["20", "1", "40"]
    assert procedure.step("if-first").aim == "peak" and sheet.step("front-end").aim == "peak"
    session = opened(book, TARN, "front-end", 8)
    session.set_conventions({"channel": "stagger"})
    assert align(session).finished
    read = {
        line.reading.conditions.channel: line.reading.value
        for line in (session.state.latest[("front-end", n)] for n in range(3))
    }
    assert min(v for v in read.values() if v is not None) > 8.0
    assert step.limit.low == pytest.approx(8.0) and "4 dB less" in step.note


@pytest.mark.parametrize(("choice", "level"), [("iaru", -73.0), ("100uv-pd", -67.0), ("50uv-emf", -79.0)])
def test_s9_stands_by_its_convention(choice: str, level: float) -> None:
    path = find(TARN)
    sheet = parse_sheet(path.read_text(encoding="utf-8"), str(path), TARN)
    procedure, _ = apply(sheet, {"s9": choice}, {})
    assert procedure.step("s-meter").setting.level_dbm == pytest.approx(level, abs=0.05)


def test_every_quantity_has_a_short_name_for_the_tape() -> None:
    from unitone.present.bench.log import _short
    from unitone.quantities.registry import QUANTITIES

    assert not [q for q in QUANTITIES if _short(q) == q]


@pytest.mark.parametrize("fault", ["", "silicon-meter-diode"])
def test_a_chart_does_not_come_between_the_coach_and_s9(book: Logbook, fault: str) -> None:
    """What was charted at other levels says nothing of how the preset moves S9: it is set as without a chart."""
    made = {}
    for charted in (False, True):
        card = Card(7 + charted, "ostrel-weir-40-am", simulated_seed=4, simulated_fault=fault)
        session = Session(book, open_job(book, "ostrel-weir-40-am", card))
        session.measuring.set_kit(Kit(least_dbm=-110.0, pads_db=(20.0,)))
        session.start_work()
        session.go_to("s-meter")
        session.confirm_hook_up("receive")
        if charted:
            chart_on(session)
            session.turn("P2", 25_000)
            chart_on(session)
        for _ in range(40):
            advice = session.advice()
            if advice.act == "conclude":
                break
            session.follow(advice)
        last = next(x for x in reversed(session.state.readings) if x.reading.quantity_id == "rx.s_meter")
        made[charted] = (advice.outcome in ("set", "in-spec"), session.step.limit.holds(last.reading.value))
    assert made[True] == made[False] and (fault or made[True][1])
