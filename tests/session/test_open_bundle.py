"""A job opened on a sheet that was read already: nothing of it depends on a file, and what cannot be opened says why."""

from __future__ import annotations

from dataclasses import replace

import pytest

from unitone.errors import BenchError, SheetError
from unitone.job.card import Card
from unitone.job.seal import seal
from unitone.session.session import Session, open_bundle, open_job
from unitone.sheet.library import find, open_file
from unitone.store.logbook import Logbook

_TARN = "ostrel-tarn-40"


def test_it_is_the_same_job_as_by_its_name(book: Logbook) -> None:
    by_name = Session(book, open_job(book, _TARN, Card(1, _TARN, simulated_seed=3)))
    bundle = open_file(find(_TARN))
    read = Session(book, open_bundle(book, bundle, f"{_TARN}.toml", Card(2, _TARN, simulated_seed=3)))
    assert [s.id for s in read.sheet.steps] == [s.id for s in by_name.sheet.steps] and read.sheet.id == by_name.sheet.id
    assert read.state.pictures == by_name.state.pictures
    for session in (by_name, read):
        session.go_to("rail")
    assert read.measure(read.step.setting).value == by_name.measure(by_name.step.setting).value, (
        "the same seed is the same radio"
    )


def test_sealed_physics_make_the_same_radio_and_stay_sealed(book: Logbook) -> None:
    bundle = open_file(find(_TARN))
    plain = Session(book, open_bundle(book, bundle, f"{_TARN}.toml", Card(1, _TARN, simulated_seed=3)))
    sealed = Session(
        book,
        open_bundle(
            book, replace(bundle, physics=seal(bundle.physics)), f"{_TARN}.toml", Card(2, _TARN, simulated_seed=3)
        ),
    )
    for session in (plain, sealed):
        session.go_to("rail")
    assert sealed.measure(sealed.step.setting).value == plain.measure(plain.step.setting).value
    assert Session(book, sealed.job_id).state.positions == sealed.state.positions


def test_what_cannot_be_opened_leaves_no_job(book: Logbook) -> None:
    bundle = open_file(find(_TARN))
    with pytest.raises(BenchError, match=r"no physics file ostrel-tarn-40\.physics\.toml"):
        open_bundle(book, replace(bundle, physics=""), f"{_TARN}.toml", Card(1, _TARN, simulated_seed=3))
    with pytest.raises(SheetError):
        open_bundle(book, replace(bundle, text="[model"), f"{_TARN}.toml", Card(1, _TARN))
    assert book.jobs() == []
