"""A meter of LEDs: its step, its chart lamp by lamp, and which lamp is lit at S9 with the next one dark."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from unitone.align.smeter.chart import marks, told
from unitone.job.card import Card
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.charts import next_words
from unitone.present.bench.smeter import describe_chart, led_words
from unitone.quantities.show import s_units
from unitone.radio.levels import mark_db
from unitone.session.charts import chart_on
from unitone.session.session import Session, open_job
from unitone.sheet.conventions.questions import apply
from unitone.sheet.editing.fields import usual_step
from unitone.sheet.format.build import check
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.library import find
from unitone.sheet.model.sheet import led_point
from unitone.store.logbook import Logbook

TEAL = "ostrel-teal-6"
TEXT = find(TEAL).read_text(encoding="utf-8")
S9, BEND = -73.0, -98.0


def opened(book: Logbook, seed: int | None = None, fault: str = "") -> Session:
    card = Card(book.next_number(), TEAL, simulated_seed=seed, simulated_fault=fault)
    session = Session(book, open_job(book, TEAL, card))
    session.start_work()
    session.go_to("meter-leds")
    session.confirm_hook_up("receive")
    return session


def lights(mark: str, turned: float = 1.0, lost: float = 0.0) -> float:
    """The level (dBm) that lights a lamp whose detector bends at BEND: the law of docs/physics.md undone for the level."""
    deflection = math.log1p(10.0 ** ((S9 + mark_db(mark) - BEND) / 20.0)) / turned
    return BEND + lost + 20.0 * math.log10(math.expm1(deflection))


def typed(session: Session, levels: dict[str, str]) -> None:
    for mark, level in levels.items():
        session.set_up(replace(session.step.setting, test_point=led_point(mark)))
        session.type_in(level, session.state.set_up)


def chart(session: Session, turned: float = 1.0, lost: float = 0.0) -> str:
    typed(session, {m: f"{lights(m, turned, lost):.1f} dBm" for m in session.step.leds})
    return describe_chart(session.state, session.step)


def test_by_hand_lamp_by_lamp_with_words_for_every_shape(book: Logbook) -> None:
    session = opened(book)
    view = take_view(session)
    assert view.reading.chart_next == "lamp S3" and "until the lamp S9 just lights" in view.step.dial_words
    chart_on(session)
    assert session.state.set_up.test_point == "lamp S3", "a hand is told which lamp to watch next"
    typed(session, {"S9": "50 uV"})
    assert take_view(session).step.verdict == "left_as_found" and led_words(session.state, session.step) == ""
    typed(session, {"+10": "160 uV"})
    assert describe_chart(session.state, session.step) == "At 50.0 µV lit up to S9; S9+10 lights 10 dB above."
    said = chart(session)
    assert said == "Chart: agrees with its scale. At 50.0 µV lit up to S9; S9+10 lights 10 dB above."
    assert next_words(session.state, session.step) == ""
    hill = take_view(session).reading.hill
    assert hill is not None and len(hill.points) == 6 and hill.points[3] == pytest.approx((-73.0, 0.0), abs=0.1)
    session.turn("P2", 15_000)
    assert marks(session.state, session.step) == [] and next_words(session.state, session.step) == "lamp S3"
    said = chart(session, turned=0.8)
    assert said.startswith("Chart: only the preset is off. The meter shows 0.80 times")
    assert "S9 should be the last one lit there." in said
    hill = take_view(session).reading.hill
    assert hill is not None and len(hill.found) == 6 and hill.found[3] == pytest.approx((-73.0, 0.0), abs=0.1)
    said = chart(session, turned=1.15, lost=14.0)
    assert "diode starts late" in said and told(session.state, session.step).lost_db == pytest.approx(14.0, abs=2.5)
    typed(session, {"+10": "200 uV", "+30": "> 10 mV"})
    assert marks(session.state, session.step)[-1].bound == "<", "a lamp that stays dark shows less than its mark"
    typed(session, {"S9": "50 uV", "+10": "> 10 mV"})
    assert "S9+10 never lights" in led_words(session.state, session.step)


@pytest.mark.parametrize("fault", ["", "silicon-meter-diode"])
def test_a_stand_in_is_read_lamp_by_lamp(book: Logbook, fault: str) -> None:
    session = opened(book, 5, fault)
    chart_on(session)
    read = marks(session.state, session.step)
    assert [m.shown_db for m in read] == [mark_db(m) for m in session.step.leds]
    assert [m.level_dbm for m in read] == sorted(m.level_dbm for m in read)
    assert session.state.set_up == session.step.setting, "back at the lamp that is set"
    late = told(session.state, session.step).shape == "threshold"
    assert not fault or late


@pytest.mark.parametrize(("choice", "level"), [("iaru", -73.0), ("100uv-pd", -67.0), ("50uv-emf", -79.0)])
def test_the_lamp_of_s9_stands_by_its_convention(choice: str, level: float) -> None:
    procedure, _ = apply(parse_sheet(TEXT, TEAL, TEAL), {"s9": choice}, {})
    step = procedure.step("meter-leds")
    assert step.target == pytest.approx(level, abs=0.05) and step.limit.holds(level) and step.leds[3] == "S9"


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('leds = ["S3", "S5", "S7", "S9", "+10", "+30"]', 'leds = ["S3", "S5"]', "S9 among them"),
        ('leds = ["S3", "S5", "S7", "S9", "+10", "+30"]', 'leds = ["S9", "S5"]', "from weak to strong"),
        ('leds = ["S3", "S5", "S7", "S9", "+10", "+30"]', 'leds = ["S9", "loud"]', "“loud” is not a mark"),
        ('leds = ["S3", "S5", "S7", "S9", "+10", "+30"]', "", "S9 among them"),
        ('quantity = "rx.led_lights"', 'quantity = "rx.squelch_opens"', "only a step of rx.led_lights has"),
    ],
)
def test_leds_that_cannot_be_are_said_with_their_cure(old: str, new: str, says: str) -> None:
    import tomllib

    _, problems = check(tomllib.loads(TEXT.replace(old, new, 1)), TEAL)
    assert [p.place[2] for p in problems if says in p.text] == ["leds"]


def test_a_new_step_of_leds_has_marks_that_hold() -> None:
    made = usual_step("rx.led_lights")
    assert made["phase"] == "settings" and [s_units(mark_db(m)) for m in made["leds"]][-2:] == ["S9", "S9+20"]
