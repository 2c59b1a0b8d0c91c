"""Practice through the real window: from the list over the Bench to the debrief, by hand and by hints, with the radio heard."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from desktop.conftest import Desk
from unitone.job.entries.practice import HintTaken
from unitone.scenario.practice_results import results
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
    assert not practising._strip.isHidden() and "0 of 37" in practising.page.words.text()
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
        loud = heard[np.flatnonzero(np.abs(heard) > 0.02)[0] :][24_000:96_000]
        measured = tone_powers(loud, 48_000.0)
        shown = desk.bench.view
        assert shown is not None and abs(measured.tone_hz - 1000.0) < 5.0
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
    (kept,) = results(practising.book)
    assert (kept.exercise, kept.help, kept.score) == ("receive-1", "hints", mark.score)
    practising.save(tmp_path / "mark.pdf", "pdf")
    desk.until(lambda: (tmp_path / "mark.pdf").is_file())
    assert desk.logbook.find_job(practising.attempt.job) is None, "an exercise is no job of the workshop"


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
