"""Practice through the real window: from the list over the Bench to the debrief, by hand and by hints, with the radio heard."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt

from desktop.conftest import Desk
from desktop.test_fitting import cut, over_each_other, squeezed
from unitone.desktop.theme.theme import theme
from unitone.job.entries.practice import HintTaken
from unitone.scenario.exercises import LADDER, find_exercise
from unitone.scenario.practice_results import results
from unitone.sheet.model.sheet import TURN
from unitone.signals.sinad import tone_powers
from virtualcard import VirtualCard, there_is_one

pytestmark = pytest.mark.window


def _practice(desk: Desk) -> Any:
    desk.key(Qt.Key.Key_8, Qt.KeyboardModifier.ControlModifier)
    desk.until(lambda: desk.window.practising is not None)
    practising = desk.window.practising
    assert practising is not None
    return practising


def _start(desk: Desk, name: str, how: str) -> Any:
    practising = _practice(desk)
    page = practising.page
    page.choose(name)
    desk.qtbot.mouseClick(page.helps.chips[how], Qt.MouseButton.LeftButton)
    desk.qtbot.mouseClick(page.main, Qt.MouseButton.LeftButton)
    desk.until(lambda: practising.attempt is not None and desk.window._bench is not None)
    desk.until(lambda: desk.bench.view is not None and practising.is_on_bench(desk.bench.view.job_id))
    desk.bench.setFocus()
    return practising


def test_one_core_by_hints_heard_through_the_loudspeaker_and_marked(
    desk: Desk, card: VirtualCard | None, tmp_path: Path
) -> None:
    practising = _start(desk, "receive-1", "hints")
    view = desk.bench.view
    assert view is not None and view.coach.silent and "Your move" in view.coach.headline
    assert not practising._strip.isHidden() and "0 of 38" in practising.page.words.text()
    desk.after(lambda: desk.key("h"))
    desk.after(lambda: desk.key(Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier))
    if card is not None and there_is_one():
        raw = tmp_path / "heard.raw"
        recorder = card.record(raw)
        desk.qtbot.mouseClick(practising._strip.sound, Qt.MouseButton.LeftButton)
        assert desk.bench.loudspeaker is not None and practising._strip.sound.isChecked()
        playback = desk.bench.loudspeaker.playback
        desk.until(lambda: raw.stat().st_size > 48_000 * 2 * 4)
        assert playback.gaps < 8, "on a busy machine it may run dry now and then"
        desk.qtbot.mouseClick(practising._strip.sound, Qt.MouseButton.LeftButton)
        assert desk.bench.loudspeaker is None
        recorder.terminate()
        recorder.wait()
        heard = np.frombuffer(raw.read_bytes(), np.int16).astype(float) / 32768.0
        loud = heard[np.flatnonzero(np.abs(heard) > 0.02)[0] :][24_000:]
        # Half a second by itself: on a busy machine the sound runs dry now and then, and what lies on both sides does not join.
        parts = [tone_powers(loud[at : at + 24_000], 48_000.0) for at in range(0, loud.size - 24_000, 12_000)]
        measured = max(parts, key=lambda p: p.sinad_db)
        shown = desk.bench.view
        assert shown is not None and abs(measured.tone_hz - 1000.0) < 10.0
        assert 1.0 < measured.sinad_db < 12.0, "as deaf as the radio is: out of its 12 dB"
    # By hints to the end: each is logged, shown until the next entry, and costs.
    for _ in range(60):
        view = desk.bench.view
        assert view is not None
        if view.finished:
            break
        if view.coach.silent:
            desk.after(lambda: desk.key(Qt.Key.Key_H, Qt.KeyboardModifier.ControlModifier))
        desk.after(lambda: desk.key(Qt.Key.Key_Return))
    assert desk.bench.view is not None and desk.bench.view.finished
    desk.key(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert practising.debrief.faces.currentIndex() == 0
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: practising.debrief.made is not None)
    mark = practising.debrief.made.mark
    tape = practising.book.tape(practising.attempt.job)
    assert mark.hints == sum(isinstance(e.said, HintTaken) for e in tape) > 3 and mark.restored == (1, 1)
    assert practising.debrief.score.text() == str(mark.score) and mark.score == max(0, 100 - 3 * mark.hints)
    practising.page.export_results(tmp_path / "marks.csv")
    header, row = (tmp_path / "marks.csv").read_text("utf-8").split()
    assert header.startswith("date,exercise,skill") and row.split(",")[1:3] == ["receive-1", "receive"]
    (kept,) = results(practising.book)
    assert (kept.exercise, kept.help, kept.score) == ("receive-1", "hints", mark.score)
    practising.save(tmp_path / "mark.pdf", "pdf")
    desk.until(lambda: (tmp_path / "mark.pdf").is_file())
    assert desk.logbook.find_job(practising.attempt.job) is None, "an exercise is no job of the workshop"


def test_steel_in_a_core_is_taken_out_by_key_timed_and_heard_again(
    desk: Desk, card: VirtualCard | None, tmp_path: Path
) -> None:
    practising = _practice(desk)
    desk.qtbot.mouseClick(practising.page.real_time, Qt.MouseButton.LeftButton, pos=QPoint(8, 8))
    assert practising.page.real_time.isChecked()
    practising = _start(desk, "receive-1", "none")
    strip, debrief = practising._strip, practising.debrief
    assert practising.attempt.real_time and strip.clock.text() and not strip.clock.isHidden()
    desk.until(lambda: strip.clock.text() != "0:00")
    desk.after(lambda: desk.key("h"))
    desk.after(strip.set_by_sheet)
    desk.after(lambda: desk.key("l"))
    assert strip.tool.currentData() == "plastic" and strip.out.isHidden()
    desk.after(lambda: desk.key(Qt.Key.Key_T, Qt.KeyboardModifier.ShiftModifier))
    assert strip.tool.currentData() == "metal" and strip.out.isHidden(), "in the hand, in no core yet"
    desk.after(lambda: desk.key(Qt.Key.Key_Right))
    assert not strip.out.isHidden() and strip.out.text() == "Out of T3"
    desk.after(lambda: desk.qtbot.mouseClick(strip.out, Qt.MouseButton.LeftButton))
    assert strip.out.isHidden() and strip.tool.currentData() == "metal"
    desk.after(lambda: desk.key(Qt.Key.Key_T, Qt.KeyboardModifier.ShiftModifier))
    assert strip.tool.currentData() == "plastic"
    # Driven on against its stop, the core is lost; told on the Bench, and mended there.
    for _ in range(2):
        desk.after(lambda: desk.window.worker.do(lambda s: s.turn("T3", 40 * TURN)))
    assert "T3" in desk.bench.view.hook_up.damage[0] and "cracked" in desk.bench.view.hook_up.damage[0]
    desk.after(lambda: desk.bench.press("repair"))
    desk.key(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: debrief.made is not None)
    made = debrief.made
    assert made.mark.cautions == ("metal", "stop") and "core T3" in debrief.tiles["broken"].words.text()
    steel = next(n for n, m in enumerate(made.moments) if m.kind == "metal")
    shown = debrief.moments[steel]
    assert "screwdriver" in shown.title.text() and shown.hear.isVisible()
    if card is not None and there_is_one():
        raw = tmp_path / "again.raw"
        recorder = card.record(raw)
        desk.qtbot.mouseClick(shown.hear, Qt.MouseButton.LeftButton)
        desk.until(lambda: debrief.sound.loudspeaker is not None)
        desk.until(lambda: debrief.sound.loudspeaker is None)
        recorder.terminate()
        recorder.wait()
        heard = np.frombuffer(raw.read_bytes(), np.int16).astype(float) / 32768.0
        there = np.flatnonzero(np.abs(heard) > 0.02)
        assert there[-1] - there[0] > 4 * 48_000, "what was before, and what was after"
    else:
        desk.qtbot.mouseClick(shown.hear, Qt.MouseButton.LeftButton)
        desk.until(lambda: debrief.message.isVisible())


def test_without_help_mistakes_are_made_told_and_rewound(desk: Desk) -> None:
    practising = _start(desk, "transmit-6", "none")
    desk.key(Qt.Key.Key_H, Qt.KeyboardModifier.ControlModifier)
    desk.quiet()
    assert desk.bench.view is not None and desk.bench.view.coach.silent, "no help is no help"
    # Keyed without a load, then the final peaked although its power is in spec.
    desk.after(lambda: desk.bench.press("key-anyway"))
    assert "final is destroyed" in desk.bench.view.hook_up.damage[0]
    desk.after(lambda: desk.bench.press("repair"))
    desk.after(lambda: desk.key("h"))
    strip = practising._strip
    desk.after(strip.set_by_sheet)
    desk.after(lambda: desk.key("l"))
    first = desk.bench.view.reading.figure
    desk.after(lambda: desk.key(Qt.Key.Key_Right))
    desk.after(lambda: desk.key("l"))
    assert desk.bench.view.reading.figure != first or desk.bench.view.board.moved_count == 1
    desk.qtbot.keyClicks(strip.level, "nonsense")
    strip.dial()
    assert desk.bench.message.isVisible(), "a level that is none is refused with words"
    desk.qtbot.mouseClick(strip.end, Qt.MouseButton.LeftButton)
    debrief = practising.debrief
    debrief.answers["gain"].setChecked(True)
    desk.qtbot.mouseClick(debrief.main, Qt.MouseButton.LeftButton)
    desk.until(lambda: debrief.made is not None)
    made = debrief.made
    kinds = [m.kind for m in made.moments]
    assert "broken" in kinds and "needless" in kinds and not made.mark.passed
    assert "Not passed" in debrief.passed.text() and debrief.following.text().startswith("Take it again")
    needless = next(n for n, m in enumerate(made.moments) if m.kind == "needless")
    before = practising.attempt.job
    desk.qtbot.mouseClick(debrief.moments[needless].back, Qt.MouseButton.LeftButton)
    desk.until(lambda: practising.attempt.job != before)
    desk.until(lambda: desk.bench.view is not None and practising.is_on_bench(desk.bench.view.job_id))
    assert desk.bench.view.board.moved_count == 0 and desk.window.pages.currentWidget() is desk.bench
    # A job of the workshop on the Bench has neither strip nor silence.
    desk.open(int(desk.logbook.jobs(limit=1)[0].number))
    assert strip.isHidden() and not desk.bench.view.coach.silent
    desk.window.show_place("practice")
    assert practising.page.resume.isVisible()
    desk.qtbot.mouseClick(practising.page.resume, Qt.MouseButton.LeftButton)
    desk.until(lambda: desk.bench.view is not None and practising.is_on_bench(desk.bench.view.job_id))
    assert not strip.isHidden()
    desk.bench.card.emit(desk.bench.view.job_id, "")
    assert "no card" in desk.bench.message_words.text()


def test_an_exercise_is_made_kept_shared_and_taken_in(desk: Desk, tmp_path: Path) -> None:
    practising = _practice(desk)
    desk.qtbot.mouseClick(practising.page.make, Qt.MouseButton.LeftButton)
    making = practising.making
    assert desk.window.pages.currentWidget() is making
    desk.until(lambda: making.radio is not None)
    making.sheet.setCurrentIndex(making.sheet.findData("ostrel-tarn-40"))
    making._look()
    desk.until(lambda: "T6" in making.turned.boxes and "detector" in making.steps.boxes)
    # What says too little is told, one thing at a time, and nothing that was typed is lost.
    desk.qtbot.mouseClick(making.keep, Qt.MouseButton.LeftButton)
    assert "title" in making.message.words.text()
    desk.qtbot.keyClicks(making.fields["title"], "A rasping set")
    desk.qtbot.keyClicks(making.fields["complaint"], "Loud stations rasp")
    for name, box in making.steps.boxes.items():
        box.setChecked(False)
        assert name not in making.steps.ticked()
    desk.qtbot.mouseClick(making.keep, Qt.MouseButton.LeftButton)
    assert "steps" in making.message.words.text()
    making.steps.boxes["detector"].setChecked(True)
    desk.qtbot.mouseClick(making.keep, Qt.MouseButton.LeftButton)
    assert "Nothing is wrong" in making.message.words.text()
    making.turned.boxes["T6"].setChecked(True)
    making.far.setCurrentIndex(making.far.findData("usual"))
    made = making.exercise()
    assert (made.steps, made.turned, made.far, made.fault) == (("detector",), ("T6",), (0.6, 1.1), "")
    desk.qtbot.mouseClick(making.keep, Qt.MouseButton.LeftButton)
    page = practising.page
    desk.until(lambda: desk.window.pages.currentWidget() is page)
    own = page.current()
    assert own is not None and own.title == "A rasping set" and own.turned == () and own.sealed
    assert page.title.text() == "A rasping set" and page.complaint.text() == "Loud stations rasp"
    # Given away as a file, and taken in by another workshop; a broken file is refused with words.
    given = tmp_path / "given.exercise.json"
    practising.save_exercise(given, own)
    page.take_in(given)
    assert len(page.own) == 2 and {x.title for x in page.own} == {"A rasping set"}
    given.write_text("{}", encoding="utf-8")
    page.take_in(given)
    assert page.message.isVisible() and "given.exercise.json" in page.message.words.text() and len(page.own) == 2
    # It is taken like any other, by the coach to the end.
    desk.qtbot.mouseClick(page.helps.chips["coach"], Qt.MouseButton.LeftButton)
    page.choose(own.id)
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: practising.attempt is not None and desk.window._bench is not None)
    desk.until(lambda: desk.bench.view is not None and practising.is_on_bench(desk.bench.view.job_id))
    desk.bench.setFocus()
    assert not desk.bench.view.coach.silent and practising._strip.level.isHidden() and practising._strip.hint.isHidden()
    for _ in range(60):
        if desk.bench.view.finished:
            break
        desk.after(lambda: desk.key(Qt.Key.Key_Return))
    # The certificate of an exercise is its debrief.
    desk.key("c")
    assert desk.window.pages.currentWidget() is practising.debrief
    desk.qtbot.mouseClick(practising.debrief.main, Qt.MouseButton.LeftButton)
    desk.until(lambda: practising.debrief.made is not None)
    assert practising.debrief.made.mark.score == 100 and "Passed" in practising.debrief.passed.text()
    assert practising.debrief.no_moments.isVisible() and practising.debrief.following.text().startswith("Next exercise")
    desk.key(Qt.Key.Key_Escape)
    assert desk.window.pages.currentWidget() is page
    assert page.look.isVisible() and "100 of 100" in page.so_far.text()
    desk.qtbot.mouseClick(page.look, Qt.MouseButton.LeftButton)
    desk.until(lambda: desk.window.pages.currentWidget() is practising.debrief and practising.debrief.made is not None)


def test_other_radios_the_one_of_the_day_and_a_surprise(desk: Desk) -> None:
    practising = _practice(desk)
    page = practising.page
    started: list[tuple[str, int, str]] = []
    page.started.connect(lambda e, seed, how, _: started.append((e.id, seed, how)))
    page.started.disconnect(practising.start)
    page.list.setFocus()
    page.choose("transmit-1")
    desk.key("n", Qt.KeyboardModifier.NoModifier)
    desk.key(Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    desk.key(Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    desk.key(Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    desk.qtbot.mouseClick(page.helps.chips["none"], Qt.MouseButton.LeftButton)
    page.grade.setCurrentIndex(page.grade.findData("5"))
    desk.key(Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    (first, a, how), (second, b, _), (of_day, day_seed, _), (drawn, _, alone) = started
    assert first == second == "transmit-1" and a != b and how == "hints" and alone == "none"
    assert day_seed > 100_000 and of_day in {e.id for e in LADDER}
    assert find_exercise(drawn).grade == 5
    assert "your own levels" in page.help_words.text()


def test_the_trace_of_an_exercise_walks_in_order_until_a_hint_is_taken(desk: Desk) -> None:
    practising = _start(desk, "tracing-2", "hints")
    desk.key(Qt.Key.Key_7, Qt.KeyboardModifier.ControlModifier)
    page = desk.window._trace
    desk.until(lambda: page is not None or desk.window._trace is not None)
    page = desk.window._trace
    desk.until(lambda: page.view is not None and page.view.job_id == practising.attempt.job)
    assert page.view.suspects == () and not page.view.empty, "who is suspected is the coach's word"
    practising._window.worker.take_hint()
    desk.until(lambda: bool(page.view.suspects))
    desk.window.show_place("bench")
    desk.until(lambda: desk.window.pages.currentWidget() is desk.bench)
    assert practising.is_on_bench(desk.bench.view.job_id) and not practising._strip.isHidden()


@pytest.mark.parametrize("size", [(1000, 700, 1.0, "night"), (1280, 800, 1.5, "day")])
def test_the_debrief_has_room_for_its_words(desk: Desk, size: tuple[int, int, float, str]) -> None:
    practising = _start(desk, "settings-1", "none")
    theme.use(size[3], size[2])
    desk.window.resize(*size[:2])
    try:
        desk.steady()
        assert not cut(desk.bench) and not squeezed(desk.bench)
        desk.after(lambda: desk.key("h"))
        desk.after(practising._strip.set_by_sheet)
        desk.after(lambda: desk.key(Qt.Key.Key_Right))
        desk.after(lambda: desk.key("l"))
        practising.finish()
        desk.steady()
        assert not cut(practising.debrief)
        practising.debrief.answer()
        desk.until(lambda: practising.debrief.made is not None)
        desk.steady()
        assert (
            not cut(practising.debrief) and not squeezed(practising.debrief) and not over_each_other(practising.debrief)
        )
        story = practising.debrief.story
        assert story.made is practising.debrief.made and "%" in story.accessibleDescription()
        assert story.height() >= theme.px(140)
    finally:
        theme.use("day", 1.0)
