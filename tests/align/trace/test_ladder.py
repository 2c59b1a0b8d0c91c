"""The ladder of a job: where each stage is fed, what is known of it, what a repair leaves, and from the voltages to the part."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import pytest

from unitone.align.trace.advice import trace
from unitone.align.trace.ladder import INJECTION, dial, finder, ladder, tap, weights
from unitone.align.trace.offer import offer
from unitone.align.trace.suspects import suspect_parts
from unitone.errors import BenchError, DoubtfulEntry, EntryError, HookUpError
from unitone.job.card import Card
from unitone.job.state import JobState
from unitone.present.bench.bench_view import take_view
from unitone.present.trace.offered import describe_offer
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.library import find
from unitone.store.logbook import Logbook

HERON = "corvane-heron-3"
#: The levels that a sound specimen takes, a few decibels off what the sheet expects.
SOUND = {
    "aerial": "60 uV",
    "rf": "44 uV",
    "mixer1": "250 uV",
    "mixer2": "350 uV",
    "filter": "1.6 mV",
    "if1": "250 uV",
    "if2": "4.1 mV",
}


@pytest.fixture
def session() -> Iterator[Session]:
    """The valve transceiver on a bench of one's own: everything is typed."""
    with Logbook(None) as book:
        made = Session(book, open_job(book, HERON, Card(book.next_number(), HERON, complaint="deaf")))
        made.confirm_hook_up("receive")
        yield made


def rung(session: Session, stage: str):  # type: ignore[no-untyped-def]
    return next(r for r in ladder(session.state) if r.stage.id == stage)


def test_every_stage_is_fed_at_its_own_frequency_for_the_dial(session: Session) -> None:
    """12.380 MHz less 7.059 is 5.321, and 6.960 less that is 1.639 MHz (the mixing lines of the sheet; a tone of 1 kHz in LSB is 1 kHz below
    7.060 MHz)."""
    hz = {r.stage.id: r.frequency_hz for r in ladder(session.state)}
    assert hz == pytest.approx({
        "aerial": 7.059e6, "rf": 7.059e6, "mixer1": 7.059e6, "mixer2": 5.321e6, "filter": 1.639e6, "if1": 1.639e6, "if2": 1.639e6,
        "detector": 1.639e6, "audio": 1000.0,
    })  # fmt: skip
    # Another channel moves what comes before the first mixer alone.
    session.set_up(replace(session.sheet.step("sensitivity").required[2], level_dbm=-80.0))
    moved = {r.stage.id: r.frequency_hz for r in ladder(session.state)}
    assert moved["rf"] == 7.149e6 and moved["mixer2"] == pytest.approx(5.321e6)
    assert tap(session.sheet) == "if2" and [b.id for b in rung(session, "mixer1").beside] == ["vfo"]
    assert rung(session, "mixer1").highest_v > 200 and rung(session, "aerial").highest_v == 0


def test_typed_levels_find_the_stage_and_the_voltages_the_part(session: Session) -> None:
    """By hand, in microvolts, decibels and words; then pin by pin; then the part is changed, and the ladder counts anew."""
    tracing = session.tracing
    tracing.type_level("aerial", "> 100 mV")
    tracing.type_level("if1", "nothing")
    tracing.type_level("if2", "-33 dBm")
    now = trace(session.state)
    assert now.found == "if1" and now.move.act == "volts" and now.move.stage == "if1"
    assert rung(session, "if1").not_heard and rung(session, "if2").excess_db == pytest.approx(0.9, abs=0.3)
    for row, volts in (("v4-grid", "-0.6"), ("v4-cathode", "0.5"), ("v4-anode", "0.7"), ("v4-screen", "66")):
        session.workshop.read_volts(row, volts)
    now = trace(session.state)
    assert (
        {p.part.id for p in now.parts[:2]} == {"R42", "T3a"}
        and now.parts[0].failure == "open"
        and now.move.act == "part"
    )
    first = now.move.part
    tracing.check("if1", "ohms", False, first)
    now = trace(session.state)
    assert now.parts[0].part.id != first and now.parts[0].probability > 0.6
    tracing.repaired("if1", now.parts[0].part.id)
    # What lies behind the repair stands; the stage itself and all before it are measured again.
    assert (
        rung(session, "if2").is_tested and not rung(session, "if1").is_tested and not rung(session, "aerial").is_tested
    )
    assert all(r.now is None for r in rung(session, "if1").rows)
    for stage in ("aerial", "detector"):
        session.tracing.type_level(stage, {"aerial": "70 uV", "detector": "1.1 mV"}[stage])
    session.tracing.type_level("audio", "30 mV")
    assert trace(session.state).move.act == "whole"
    assert session.state.tried[-1].outcome == "the cause"


def test_without_a_scale_a_mark_is_set_and_decibels_count_from_it(session: Session) -> None:
    with pytest.raises(EntryError, match="set one first"):
        session.tracing.type_level("if2", "+6 dB")
    session.tracing.set_mark("detector")
    session.tracing.type_level("if2", "+13 dB")
    assert rung(session, "detector").excess_db == 0.0
    assert rung(session, "if2").excess_db == pytest.approx(-46.9 + 13 + 33.9, abs=0.4)


def test_what_is_known_weighs_before_anything_is_tested(session: Session) -> None:
    plain = weights(session.state, ladder(session.state))
    assert plain["filter"] < plain["if1"] < plain["mixer1"]
    session.workshop.look_at("burnt", "wrong", "burnt", on=("R52",))
    seen = weights(session.state, ladder(session.state), {"if1": 2})
    assert seen["if2"] == 4 * plain["if2"] and seen["if1"] == 3 * plain["if1"]


def test_a_meter_that_stands_right_clears_what_lies_before_it(session: Session) -> None:
    session.go_to("s-meter")
    session.type_in("S9", session.step.setting)
    session.go_to("af")
    with pytest.raises(DoubtfulEntry):
        session.type_in("0.004", session.step.setting)
    session.type_in("0.004", session.step.setting)
    search = finder(session.state, ladder(session.state))
    assert {s.stage for s in search.suspects[:2]} == {"detector", "audio"} and search.suspects[2].probability < 0.05


def test_levels_that_contradict_each_other_are_named(session: Session) -> None:
    for stage, level in SOUND.items():
        session.tracing.type_level(stage, level)
    session.tracing.type_level("mixer2", "90 mV")
    search = finder(session.state, ladder(session.state))
    assert [t.stage for t in search.contradictions()] == ["mixer2"]


def test_a_walk_goes_back_from_the_loudspeaker(session: Session) -> None:
    assert [m.stage for m in trace(session.state, walk=True).moves[:3]] == ["audio", "detector", "if2"]
    assert trace(session.state).move.stage != "audio"


def test_what_cannot_be_is_refused_with_words(session: Session) -> None:
    with pytest.raises(BenchError, match="does not say where to inject"):
        session.tracing.type_level("meter", "3 mV")
    with pytest.raises(EntryError):
        session.tracing.type_level("if1", "loud")
    session.confirm_hook_up("transmit")
    with pytest.raises(HookUpError):
        session.tracing.type_level("if1", "3 mV")
    assert not session.state.read_of(INJECTION)


def rows_of(state: JobState, stage: str):  # type: ignore[no-untyped-def]
    return next(r for r in ladder(state) if r.stage.id == stage).rows


@pytest.mark.parametrize(
    ("volts", "part", "failure"),
    [
        # The trade's own table (common practice, no source): what each wrong voltage means.
        ({"grid": "-0.6", "cathode": "0", "anode": "240", "screen": "240"}, "V4", "dead"),
        ({"grid": "-0.6", "cathode": "12", "anode": "240", "screen": "240"}, "R40", "open"),
        ({"grid": "5", "cathode": "3.2", "anode": "215", "screen": "70"}, "C41", "leaky"),
        ({"grid": "-0.6", "cathode": "1.55", "anode": "224", "screen": "124"}, "C41", "open"),
    ],
)
def test_each_pattern_of_voltages_names_its_part(
    session: Session, volts: dict[str, str], part: str, failure: str
) -> None:
    for electrode, typed in volts.items():
        session.workshop.read_volts(f"v4-{electrode}", typed)
    first = suspect_parts(session.state, rows_of(session.state, "if1"), ["if1"])[0]
    assert (first.part.id, first.failure) == (part, failure)


def test_a_sheet_without_points_says_so_and_a_wrong_graph_is_refused() -> None:
    with Logbook(None) as book:
        plain = Session(book, open_job(book, "ostrel-mallard-6", Card(book.next_number(), "ostrel-mallard-6")))
        assert ladder(plain.state) == () and trace(plain.state).move.act == "nothing"
    text = find(HERON).read_text(encoding="utf-8")
    for old, new, words in (
        ('after = ["aerial"]', 'after = ["moon"]', "no stage 'moon'"),
        ('after = ["aerial"]', 'after = ["rf"]', "follows itself"),
        ('shows = "rx.s_meter"', "", "give the stage of the S-meter"),
        ('frequency = "rx.if1"', 'frequency = "rx.if7"', "nothing is called 'rx.if7'"),
        ('through = ["R50"]', 'through = ["R5O"]', "no part 'R5O'"),
    ):  # fmt: skip
        with pytest.raises(Exception, match=words.replace("'", ".").replace("(", r"\(")):
            parse_sheet(text.replace(old, new, 1), "heron.toml", HERON)


def test_a_deaf_radio_is_offered_a_trace_until_it_is_repaired(session: Session) -> None:
    assert offer(session.state) is None and describe_offer(session.state) == ""
    session.go_to("sensitivity")
    session.type_in("60 uV", session.step.required[1])
    session.go_to("s-meter")
    session.type_in("S0", session.step.setting)
    assert describe_offer(session.state) == "Sensitivity 42 dB down, S-meter dead: trace before you align (Ctrl+7)."
    session.go_to("front-end")
    assert describe_offer(session.state) in take_view(session).step.notes
    session.tracing.repaired("rf", "R12")
    assert offer(session.state) is None


def test_a_transmitter_is_probed_from_its_oscillator_on() -> None:
    """By hand: volts at each output; the first that is short is the break, and a repair leaves what lies before it."""
    with Logbook(None) as book:
        session = Session(book, open_job(book, "ostrel-tarn-40", Card(book.next_number(), "ostrel-tarn-40")))
        assert trace(session.state, way="transmit").move.act == "hook-up"
        with pytest.raises(HookUpError):
            session.tracing.type_level("driver", "2.4")
        session.confirm_hook_up("transmit")
        first = trace(session.state, way="transmit").move
        assert first.act == "inject" and first.stage in ("vco", "driver")
        # A counter beside the probe shows the channel that is set.
        channel_hz = float(session.sheet.carrier_hz(dial(session.state, "transmit").channel))
        assert [r.frequency_hz for r in ladder(session.state, "transmit")] == [channel_hz] * 3
        session.tracing.type_level("vco", "0.38")
        session.tracing.type_level("driver", "0.02")
        now = trace(session.state, way="transmit")
        assert now.found == "driver" and [r.excess_db for r in now.rungs][:2] == pytest.approx([0.45, 41.9], abs=0.1)
        session.tracing.repaired("driver", "")
        again = ladder(session.state, "transmit")
        assert [r.is_tested for r in again] == [True, False, False]
        # The receive ladder is another chain: a generator meets no keyed radio.
        assert trace(session.state).move.act == "hook-up"
