"""No instrument on the bench, through the real window: a receiver by ear and stations, a carrier by a second radio, three keys for each."""

from __future__ import annotations

import datetime

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt

from desktop.conftest import Desk
from unitone.bench.calibration.guides import Concluded, kept
from unitone.bench.mybench import MyBench
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.session.session import Session, open_job

pytestmark = pytest.mark.window


def opened(desk: Desk, sheet: str, step: str, hook_up: str, **conventions: str) -> str:
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, sheet, Card(number, sheet))
    session = Session(desk.logbook, job)
    session.set_conventions(dict(conventions))
    session.start_work()
    session.go_to(step)
    session.confirm_hook_up(hook_up)  # type: ignore[arg-type]
    desk.open(number)
    return job


def test_a_receiver_is_peaked_by_a_station_and_what_needs_a_generator_is_left_out(desk: Desk) -> None:
    job = opened(desk, "valve-receiver", "if", "receive", source="station")
    bench = desk.bench
    assert bench.view is not None and bench.step.ear.isVisible() and bench.step.headline.text().startswith("Listen")
    sheet = fold(desk.logbook.tape(job)).sheet
    assert "steady station" in bench.view.step.dial_words and "generator" not in sheet.step("if").note.lower()
    assert "sensitivity" not in [s.id for s in sheet.steps]
    for key in ("/", "+", "+", "-"):
        desk.until(lambda: bench.step.ear.isVisible())
        desk.after(lambda k=key: desk.key(k))
        if not bench.step.ear.isVisible():
            desk.after(lambda: desk.key(Qt.Key.Key_Return))
    state = fold(desk.logbook.tape(job))
    assert [r.reading.word for r in state.readings] == ["same", "louder", "louder", "softer"]
    # Everything that was turned is counted, and goes back.
    assert {t.adjuster for t in state.turns} == {"IFT2"}
    assert state.readings[0].reading.conditions.source == "station"


def test_a_carrier_is_told_by_a_voice_on_a_second_radio(desk: Desk) -> None:
    job = opened(desk, "ostrel-curlew-5", "carrier-lsb", "transmit", carrier="clarifier")
    bench = desk.bench
    assert bench.view is not None and bench.step.ear.isVisible() and bench.view.hook_up.wanted == "transmit"
    assert "second radio" in bench.view.step.dial_words.lower() and "dummy load" in bench.view.hook_up.words.lower()
    keys = [b.text() for b in bench.step.ear.findChildren(type(bench.step.main))]
    assert [k.split("  ")[0] for k in keys] == ["Too low", "Natural", "Too high"]
    desk.after(lambda: desk.key("+"))
    heard = fold(desk.logbook.tape(job)).readings[-1].reading
    # Too high in the lower sideband: the carrier is too low.
    assert (heard.value, heard.bound, heard.conditions.mode) == (-30.0, "<", "lsb")
    desk.key("4")
    desk.until(lambda: bench.step.typing)
    desk.key("5")
    desk.after(lambda: desk.key(Qt.Key.Key_Return))
    typed = fold(desk.logbook.tape(job)).readings[-1].reading
    assert (typed.value, typed.bound) == (45.0, "")
    # Where the knob points: refused until what an hour is was measured, and what was typed stays.
    for key in "11:00":
        desk.key(key)
        desk.until(lambda: bench.step.typing)
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: "My bench" in bench.message_words.text())
    rate = Concluded("", "", {"hz_per_hour": 125.0})
    known = MyBench().add(kept("clarifier", rate, "1", datetime.date(2026, 11, 30)))
    desk.logbook.set_setting("my_bench", known.to_data())
    desk.after(lambda: desk.key(Qt.Key.Key_Return))
    by_knob = fold(desk.logbook.tape(job)).readings[-1].reading
    assert (by_knob.value, by_knob.typed) == (-125.0, "11:00") and by_knob.u == pytest.approx(0.15 * 125.0)
