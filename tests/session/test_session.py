"""The session: one path for measured and typed readings, interlock, undo, and what the Bench shows of it."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import pytest

from conftest import follow_until
from unitone.bench.path import Kit
from unitone.errors import BenchError, EntryError, HookUpError, SheetError, TapeError
from unitone.job.card import Card
from unitone.job.verdicts import verdict
from unitone.present.bench.bench_view import limit_text, take_view
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Sheet
from unitone.store.logbook import Logbook


def test_typed_readings_go_the_same_way(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    reading = session.type_in("8,02", session.step.required[0])
    assert (reading.value, reading.source, reading.typed) == (8.02, "hand", "8,02")
    assert verdict(session.state, session.step) == "left_as_found"
    with pytest.raises(EntryError, match="Expected volts"):
        session.type_in("eight", session.step.required[0])
    assert len(session.state.readings) == 1
    session.go_to("reference")
    assert session.type_in("10.240012 MHz", session.step.required[0]).value == pytest.approx(10_240_012)
    session.go_to("frequency")
    session.confirm_hook_up("transmit")
    assert session.type_in("27.20489", session.step.required[1]).value == pytest.approx(-110)
    assert session.type_in("-31", session.step.required[0]).value == -31
    session.go_to("s-meter")
    session.confirm_hook_up("receive")
    assert session.type_in("pegged", session.step.setting).word == "pegged"
    assert session.type_in("S9+10", session.step.setting).value == 10


def test_sensitivity_by_hand_as_level_or_as_sinad(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    session.go_to("sensitivity")
    session.confirm_hook_up("receive")
    with pytest.raises(EntryError, match="which level"):
        session.type_in("12 dB", session.step.required[0])
    level = session.type_in("0,31 uV", session.step.required[0])
    assert level.quantity_id == "rx.sensitivity" and level.value == pytest.approx(-117.16, abs=0.01)
    with pytest.raises(EntryError, match="thermal noise"):
        session.type_in("0.04 uV", session.step.required[0])
    at = replace(session.step.required[0], level_dbm=-118.0)
    session.set_up(at)
    assert session.type_in("-11.5", at).quantity_id == "rx.sinad"
    assert session.state.readings[-1].reading.value == 11.5


def test_the_interlock(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    session.go_to("power")
    session.set_up(session.step.setting)
    for call in (lambda: session.measure(), lambda: session.type_in("3.9", session.step.setting)):
        with pytest.raises(HookUpError, match="Confirm the transmit hook-up first"):
            call()
    assert session.live(session.step.setting) is None and not session.state.readings
    session.confirm_hook_up("transmit")
    assert session.measure().value and session.live(session.step.setting)
    session.go_to("front-end")
    with pytest.raises(HookUpError):
        session.measure(session.step.setting)
    session.go_to("rail")
    session.measure(session.step.setting)  # a probe on a test point needs no other hook-up


def test_turns_are_kept_and_taken_back(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    assert session.turn("T1", 45_000) == 45_000 and session.turn("T1", 0) == 0
    moved = session.turn("T2", 40 * 360_000)
    assert 0 < moved < 40 * 360_000 and session.state.turns[-1].stop
    session.take_back("T1")
    assert session.state.positions["T1"] == 0 and session.state.positions["T2"] == moved
    session.turn("P5", -20_000)
    session.take_back()
    assert not any(session.state.positions.values())
    bench = session.bench
    assert bench.radio.mechanics.moved_mdeg == session.state.positions  # type: ignore[attr-defined]
    with pytest.raises(KeyError):
        session.turn("X1", 45_000)


def test_opening_again_puts_the_stand_in_where_it_was(new_session: Callable[..., Session]) -> None:
    session = new_session(4)
    follow_until(session, lambda s: len(s.state.turns) > 12)
    again = Session(session.logbook, session.job_id)
    assert again.bench.radio.mechanics.moved_mdeg == session.bench.radio.mechanics.moved_mdeg  # type: ignore[attr-defined]
    assert again.state.at == session.state.at and again.advice() == session.advice()
    assert again.bench.seconds() >= session.state.bench_s


def test_strikes(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    assert session.void_last() is None
    session.type_in("8.02", session.step.required[0])
    session.note("first")
    session.turn("P1", 2_500)
    assert session.void_last().kind == "note"  # type: ignore[union-attr]
    assert session.void_last().kind == "reading"  # type: ignore[union-attr]
    assert session.void_last() is None and session.state.positions["P1"] == 2_500


def test_finishing(new_session: Callable[..., Session]) -> None:
    session = new_session(7)
    with pytest.raises(TapeError, match="Regulated 8 V rail"):
        session.finish()
    follow_until(session, lambda s: bool(s.state.finished))
    for call in (
        lambda: session.turn("T1", 45_000),
        lambda: session.measure(),
        lambda: session.workshop.set_status("waiting"),
    ):
        with pytest.raises(TapeError, match="finished"):
            call()
    session.note("collected on Friday")
    assert session.logbook.job("1").status == "finished"


def test_the_kit_of_the_job(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    session.go_to("front-end")
    session.measuring.set_kit(Kit(least_dbm=-60.0, pads_db=(20.0,)))
    with pytest.raises(BenchError, match="of pads"):
        session.set_up(session.step.setting)
    assert "20 dB" not in take_view(session).step.dial_words and "of pads" in take_view(session).step.dial_words
    session.measuring.set_kit(Kit(pads_db=(20.0, 20.0)))
    session.set_up(session.step.setting)
    assert "20 + 20 dB pad" in take_view(session).step.dial_words
    assert take_view(session).hook_up.chain == ("Generator", "40 dB pad", "Aerial socket")


def test_a_sheet_without_physics_has_no_stand_in(book: Logbook, tmp_path, sheet: Sheet) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / "mine.toml"
    path.write_text(sheet.source_text, encoding="utf-8")
    with pytest.raises(BenchError, match=r"mine\.physics\.toml"):
        open_job(book, str(path), Card(1, "mine", simulated_seed=1))
    session = Session(book, open_job(book, str(path), Card(1, "mine")))
    path.unlink()  # the job carries its own copy
    assert Session(book, session.job_id).sheet.title == "Ostrel Tarn 40"
    with pytest.raises(SheetError):
        open_job(book, str(path), Card(2, "mine"))


# -- the picture of the Bench ---------------------------------------------------------------------


def test_the_view_of_a_fresh_job(new_session: Callable[..., Session]) -> None:
    view = take_view(new_session(2))
    assert (
        view.step.place == "step 1 of 18"
        and view.reading.figure == "—"
        and view.reading.figure_words == "no reading yet"
    )
    assert view.procedure.phase == "as-found" and view.procedure.tally == "18 to do" and view.simulated
    assert [title for title, _ in view.procedure.procedure] == [
        "Supply and rails",
        "Synthesiser",
        "Transmit",
        "Receive",
        "Settings",
    ]
    assert sum(len(rows) for _, rows in view.procedure.procedure) == 18
    assert [p.title for p in view.procedure.path if p.way == "transmit"] == ["Mic", "VCO", "Driver", "Final"]
    assert (
        view.board.selected == "P1"
        and [r.adjuster for r in view.board.ledger] == ["P1"]
        and view.board.ledger[0].seen.startswith("points to")
    )


def test_every_moment_of_a_job_can_be_drawn(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    times = []
    for _ in range(400):
        start = time.perf_counter()
        view = take_view(session)
        times.append(time.perf_counter() - start)
        assert view.coach.headline and view.step.dial_words and view.reading.figure and view.step.limit_words
        assert 0 <= view.reading.bar.band[0] < view.reading.bar.band[1] <= 1
        assert sum(r.current for _, rows in view.procedure.procedure for r in rows) == 1
        assert view.hook_up.ok == (view.hook_up.wanted in ("probe", view.hook_up.present))
        if view.reading.hill is not None and view.reading.hill.curve_x:
            assert (
                len(view.reading.hill.curve_x)
                == len(view.reading.hill.curve_y)
                == len(view.reading.hill.curve_low)
                == len(view.reading.hill.curve_high)
            )
        if view.finished:
            break
        session.follow(view.coach.advice)
    assert view.finished and view.coach.button == "Certificate" and len(view.log.cells) == 24
    print(f"\na view takes {1e3 * sum(times) / len(times):.1f} ms, {1e3 * max(times):.0f} ms at most")


def test_the_view_marks_what_is_in_the_hand(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    session.start_work()
    session.go_to("front-end")
    view = take_view(session, "T2")
    assert view.board.selected == "T2" and [p.id for p in view.board.pins if p.current] == ["T2"]
    assert view.board.step_words[1] == "⅛ turn clockwise" and view.board.selected_step_mdeg == 45_000
    assert take_view(session, "no such").board.selected == "T1"
    assert limit_text(session.step) == "≥ 12.0 dB"
    session.turn("P1", 20_000)
    row = next(r for r in take_view(session).board.ledger if r.adjuster == "P1")
    found, now = row.text.split(" → ")
    assert row.moved and row.seen == f"points to {now}" and found != now
    minutes = [60 * int(x.split(":")[0]) + int(x.split(":")[1]) for x in (found, now)]
    assert (minutes[1] - minutes[0]) % 720 in (35, 40, 45)  # 20 degrees are forty minutes on the clock
    assert (
        "27.205 MHz, ch 20" in view.step.panel_words
        and "tone 1 kHz" in view.step.panel_words
        and "squelch open" in view.step.panel_words
    )
    assert not view.hook_up.ok and not view.reading.live
    session.confirm_hook_up("receive")
    assert take_view(session).reading.live


def test_dial_words_of_every_step(new_session: Callable[..., Session], sheet: Sheet) -> None:
    session = new_session(2)
    words = {}
    for step in sheet.steps:
        session.go_to(step.id)
        words[step.id] = take_view(session).step.dial_words
    assert words["rail"] == "Voltmeter at TP1, 8 V rail."
    assert words["reference"].startswith("Counter at TP2")
    assert words["vco-transmit"].startswith("Key into the dummy load. Voltmeter at TP3")
    assert "20 mV" in words["deviation"] and "dummy load" in words["power"]
    assert "100 µV" in words["detector"].replace("99.9", "100") and "RF off" in words["squelch"]
