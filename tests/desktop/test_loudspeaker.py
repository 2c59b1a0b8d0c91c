"""The simulated radio in the machine's loudspeaker: on, off, without an output, and never for a real radio."""

from __future__ import annotations

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt

from desktop.conftest import Desk
from unitone.desktop.audio import loudspeaker
from virtualcard import VirtualCard

pytestmark = pytest.mark.window
#: A job on a simulated radio that is being received on.
_JOB = 147


def _press(desk: Desk) -> None:
    desk.key(Qt.Key.Key_U, Qt.KeyboardModifier.ShiftModifier)


def test_it_plays_while_it_is_wanted_and_the_bench_is_looked_at(desk: Desk, card: VirtualCard | None) -> None:
    if card is None:
        pytest.skip("no sound server can be installed here")
    desk.open(_JOB)
    _press(desk)
    assert desk.bench.loudspeaker is not None
    playback = desk.bench.loudspeaker.playback
    desk.until(lambda: playback.waiting_s() > 0.1)
    seconds = desk.bench.view.seq if desk.bench.view is not None else 0
    _press(desk)
    assert desk.bench.loudspeaker is None
    desk.quiet()
    assert desk.bench.view is not None and desk.bench.view.seq == seconds, "listening logs nothing"
    _press(desk)
    assert desk.bench.loudspeaker is not None
    desk.window.show_place("jobs")
    assert desk.bench.loudspeaker is None, "nothing sounds of a Bench that is not looked at"


def test_a_machine_without_an_output_says_so(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(loudspeaker, "heard_at", lambda: None)
    desk.open(_JOB)
    _press(desk)
    assert desk.bench.loudspeaker is None and "No sound output" in desk.bench.message_words.text()


def test_a_real_radio_has_a_loudspeaker_of_its_own(desk: Desk) -> None:
    typed = next(r for r in desk.logbook.jobs() if r.card["simulated_seed"] is None and r.status == "open")
    desk.open(int(typed.number))
    _press(desk)
    assert desk.bench.loudspeaker is None and "of its own" in desk.bench.message_words.text()


def test_an_output_that_goes_is_told_once_and_work_goes_on(desk: Desk, card: VirtualCard | None) -> None:
    if card is None:
        pytest.skip("no sound server can be installed here")
    desk.open(_JOB)
    _press(desk)
    assert desk.bench.loudspeaker is not None
    desk.bench.loudspeaker.failed.emit("Line out is gone: the tone has stopped.")
    assert desk.bench.loudspeaker is None and "is gone" in desk.bench.message_words.text()
    assert desk.bench.view is not None and not desk.bench.view.finished
