"""What the Bench says at every step of every sheet: words of transmitting only where the radio transmits."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from unitone.job.card import Card
from unitone.present.bench.bench_shapes import BenchView
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.instructions import _QUIET, _TRANSMITTING, instruction, transmits
from unitone.quantities.registry import QUANTITIES
from unitone.session.session import Session, open_job
from unitone.sheet.library import built_in, general, physics_path
from unitone.store.logbook import Logbook

#: Words that would make somebody press the switch.
TRANSMIT = re.compile(
    r"\b(key|keys|keyed|keying|transmit\w*|send|sends|sending|dummy load|wattmeter|PTT|let go)\b", re.IGNORECASE
)


def said(view: BenchView) -> list[str]:
    """Every text of the Bench that speaks of the step at hand."""
    return [
        view.step.dial_words, view.step.panel_words, view.hook_up.words, view.coach.headline, view.coach.detail, view.coach.button,
        view.reading.figure_words, view.step.title,
        *view.step.notes, *view.step.cautions, *view.hook_up.chain, *view.step.remarks,
    ]  # fmt: skip


EVERY = [(p, False) for p in (*built_in(), *general())] + [(p, True) for p in built_in() if physics_path(p).is_file()]


@pytest.mark.parametrize(("path", "simulated"), EVERY, ids=[f"{p.stem}{' simulated' * s}" for p, s in EVERY])
def test_no_step_without_transmitting_speaks_of_it(path: Path, simulated: bool, book: Logbook) -> None:
    session = Session(book, open_job(book, path.stem, Card(1, path.stem, "1", simulated_seed=3 if simulated else None)))
    for adjusting in (False, True):
        if adjusting:
            session.start_work()
        for step in session.sheet.steps:
            session.go_to(step.id)
            for hook_up in ("receive", "transmit") if step.hook_up == "receive" else (step.hook_up,):
                if hook_up != "probe":
                    session.confirm_hook_up(hook_up)
                view = take_view(session)
                assert view.step.dial_words and view.hook_up.words
                if not transmits(step):
                    for text in said(view):
                        assert not TRANSMIT.search(text), f"{path.stem}, {step.id}: {text}"
                elif step.hook_up == "transmit":
                    assert "key" in view.step.dial_words.lower(), f"{path.stem}, {step.id}: {view.step.dial_words}"
            for wanted in step.required:
                words = instruction(session.state, wanted, step)
                assert words and (transmits(step) or not TRANSMIT.search(words))


def test_every_quantity_has_words_of_its_own() -> None:
    for q in QUANTITIES.values():
        assert q.way == "transmit" or q.id in _QUIET, q.id
        assert q.way == "receive" or q.id in _TRANSMITTING, q.id
    assert not any(TRANSMIT.search(words) for words in _QUIET.values())
    assert len(set(_QUIET.values())) == len(_QUIET) - 1, "only the two sensitivities share a sentence"


def test_the_valve_set_s_if_is_fed_at_the_if_and_at_the_mixer(book: Logbook) -> None:
    session = Session(book, open_job(book, "valve-receiver", Card(1, "valve-receiver", "1")))
    session.go_to("if")
    view = take_view(session)
    words = " ".join((view.step.panel_words, view.hook_up.words, *view.hook_up.chain))
    words += " ".join((view.coach.headline, view.coach.detail, view.step.dial_words))
    assert "465 kHz" in words and "mixer grid" in words and "0.600 MHz" not in words
    assert "aerial" not in words.lower() and "microphone" not in words
    session.go_to("ht")
    assert take_view(session).step.dial_words.startswith("High voltage:")
    session.go_to("sensitivity")
    assert "0.600 MHz" in take_view(session).step.panel_words
