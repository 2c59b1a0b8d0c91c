"""Frequencies through the real window: the channel chart, the oscillators' words, one trimmer for all, and a change tried."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QLineEdit

from desktop.conftest import Desk
from unitone.desktop.features.calculators.whatif import TryCard
from unitone.job.card import Card
from unitone.session.session import Session, open_job


def texts(widget: object) -> str:
    return " ".join(x.text() for x in widget.findChildren(QLabel))  # type: ignore[attr-defined]


def test_a_multi_band_radio_typed_by_hand(desk: Desk) -> None:
    """By hand: the chart grows with every entry, the words name the oscillator, and a wrong entry is said."""
    sheet = "ostrel-curlew-5"
    job = open_job(desk.logbook, sheet, Card(desk.logbook.next_number(), sheet, "C5-9"))
    number = Session(desk.logbook, job).state.card.number
    desk.open(number)
    window = desk.window
    window.worker.do(lambda s: (s.confirm_hook_up("transmit"), s.go_to("chart-am")))
    desk.until(lambda: desk.bench.view.step.id == "chart-am")
    chart = desk.bench.step.chart
    assert chart.isVisible() and chart.view is not None and chart.view.words == "10 channels, none read yet"
    assert not desk.bench.step.channels.isVisible()
    # All bands 600 Hz low alike: a carrier oscillator, or the counter; then one band stands apart.
    for n in range(10):
        required = desk.bench.view.coach.advice.conditions
        desk.until(lambda: desk.bench.view.coach.advice.act in ("set-up", "measure", "hook-up"))
        if desk.bench.view.coach.advice.act == "set-up":
            desk.key(Qt.Key.Key_Return)
            desk.until(lambda: desk.bench.view.coach.advice.act == "measure")
        required = desk.bench.view.coach.advice.conditions
        value = "-5" if n else "+300"
        if required.band == "C":
            value = "840"
        desk.key(value[0])
        for c in value[1:]:
            desk.key(c)
        desk.key(Qt.Key.Key_Return)
        desk.until(lambda k=n: sum(m.now is not None for m in desk.bench.step.chart.view.marks) == k + 1)  # type: ignore[misc]
        if n == 4:
            assert "5 to read" in chart.view.words
    assert chart.view.words.startswith("furthest: C AM ch 1 +840 Hz") and "845 Hz apart" in chart.view.words
    assert [m.inside for m in chart.view.marks] == [False, True, True, True, False, False, True, True, True, True]
    words = texts(desk.bench.step)
    assert "x-C is 4" in words and "turn CT4" in words and "does not fit" in words, words
    assert "furthest: C AM" in chart.accessibleDescription()


def test_one_trimmer_for_six_crystals_by_the_return_key(desk: Desk) -> None:
    """A handheld's transmit crystals, levelled through the window by doing what the coach says."""
    sheet = "ostrel-teal-6"
    job = open_job(desk.logbook, sheet, Card(desk.logbook.next_number(), sheet, "T6-9", simulated_seed=8))
    session = Session(desk.logbook, job)
    for step in session.sheet.steps:
        if step.hook_up == "receive":
            session.go_to(step.id)
            session.judge("not applicable", "only its send side is asked for")
    session.go_to(session.sheet.steps[0].id)
    session.keep_summary()
    desk.open(session.state.card.number)
    seen: set[str] = set()
    for _ in range(160):
        view = desk.bench.view
        if view.coach.advice.act == "finish":
            break
        if view.step.id == "crystals":
            seen |= set(view.step.notes)
        before = (view.log.cells, view.step.id, view.coach.advice, view.procedure.phase)
        desk.key(Qt.Key.Key_Return)
        desk.until(
            lambda b=before: (
                (
                    desk.bench.view.log.cells,
                    desk.bench.view.step.id,
                    desk.bench.view.coach.advice,
                    desk.bench.view.procedure.phase,
                )
                != b
            )
        )  # type: ignore[misc]
    assert desk.bench.view.coach.advice.act == "finish"
    assert any(n.startswith("Best on one trimmer: all of them within") for n in seen), seen
    procedure = {r.step_id: r.verdict for _, rows in desk.bench.view.procedure.procedure for r in rows}
    assert procedure["crystals"] in ("in_spec", "left_as_found") and procedure["power"] in ("in_spec", "left_as_found")


@pytest.mark.parametrize("number", [148, 149])
def test_the_demo_has_them_under_way(desk: Desk, number: int) -> None:
    desk.open(number)
    view = desk.bench.view
    assert (view is not None and view.reading.chart is not None) or number == 148
    if number == 149:
        assert [m.inside for m in view.reading.chart.marks] == [True, True, False, True, True, True]
        assert any("tx-C, 9.031667 MHz" in n for n in view.step.notes)
    else:
        assert view.step.id == "band-e" and view.coach.advice.act == "turn" and view.coach.advice.adjuster == "CT6"


def test_a_change_is_tried_before_anything_is_soldered(desk: Desk) -> None:
    desk.window.show_place("calculators")
    page = desk.window._calculators
    page.find.setText("this change")
    assert page.list.count() == 2, "its subject's head, and the question"
    card = page.inside["try"]
    assert isinstance(card, TryCard) and card.box("sheet").currentText() == "Ostrel Curlew 5"

    def type_in(key: str, text: str) -> None:
        field = card.fields[key]
        assert isinstance(field, QLineEdit) and field.isVisible(), key
        field.setText(text)

    assert "ref: 10.240000 → 10.240000 MHz, +0 Hz" in card.headline.text() and "five" not in card.missing.text()
    assert len(card.rows.shown or ()) == 5 and all(r.mark == "in_spec" for r in card.rows.shown or ())
    type_in("hz", "10.2401 MHz")
    assert all("as before" in r.quiet or "changes" in r.quiet for r in card.rows.shown or ())
    type_in("hz", "ten")
    assert "ten" in card.missing.text() and not card.result.isVisible() and card.rows.shown == ()
    box = card.box("kind")
    box.setCurrentIndex(1)
    box.activated.emit(1)
    assert not card.fields["hz"].isVisible() and not card.fields["term"].isVisible()
    type_in("band", "F")
    type_in("shift", "1350 kHz")
    card.box("like").setCurrentIndex(4)
    card.box("like").activated.emit(4)
    type_in("volts", "A 1 1.99; C 20 2.97; E 1 3.97; E 40 4.76")
    assert card.order.text() == "The crystal to order: 19.050000 MHz." and card.fields["least"].text() == "1.5 V"  # type: ignore[union-attr]
    last = (card.rows.shown or ())[-1]
    assert last.mark == "out_of_spec" and last.words.startswith("F ") and "does not lock · changes" in last.quiet
    type_in("band", "E")
    assert "a name of its own" in card.missing.text()
    box.setCurrentIndex(2)
    box.activated.emit(2)
    card.box("output").setCurrentIndex(card.box("output").findText("loop: ref × N/20480"))
    card.box("output").activated.emit(0)
    type_in("term", "N/10240")
    assert card.headline.text() == "loop: ref × N/20480 → × N/10240" and all(
        r.mark == "out_of_spec" for r in card.rows.shown or ()
    )
    # A sheet without bands or a VCO asks for neither.
    sheets = card.box("sheet")
    sheets.setCurrentIndex(sheets.findText("Ostrel Teal 6"))
    sheets.activated.emit(0)
    assert not card.fields["volts"].isVisible() and card.box("output").count() == 12
    assert "your licence" in texts(card)
