"""One trimmer for several crystals: the least worst error, what stands apart, and the step that sets it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from unitone.align.advise import errors_together
from unitone.job.card import Card
from unitone.job.verdicts import verdict
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.steady import describe_compromise
from unitone.radio.compromise import compromise
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook

ERRORS = st.dictionaries(st.sampled_from("ABCDEFGH"), st.floats(-3000, 3000), min_size=1, max_size=8)


@given(ERRORS)
def test_no_shift_leaves_a_smaller_worst_error(errors: dict[str, float]) -> None:
    found = compromise(errors)
    assert found.worst == pytest.approx(max(abs(e + found.shift) for e in errors.values()), abs=1e-9)
    others = [max(abs(e + s) for e in errors.values()) for s in np.linspace(-3000, 3000, 61)]
    assert found.worst <= min(others) + 1e-9 and not found.outliers and set(found.kept) == set(errors)


@given(ERRORS, st.floats(50, 1500))
def test_as_few_as_possible_are_given_up(errors: dict[str, float], half: float) -> None:
    found = compromise(errors, half)
    if found.outliers:
        assert found.worst <= half and all(abs(errors[n] + found.shift) > half for n, _ in found.outliers)
        inside = [sum(abs(e + s) <= half for e in errors.values()) for s in (-e for e in errors.values())]
        assert len(found.kept) >= max(inside)
        assert all(off == pytest.approx(errors[n] + found.shift) for n, off in found.outliers)
    assert sorted([*found.kept, *(n for n, _ in found.outliers)]) == sorted(errors)


def test_nobody_is_singled_out_where_no_majority_belongs_together() -> None:
    apart = compromise({"A": -2000.0, "B": 0.0, "C": 2000.0}, 300.0)
    assert not apart.outliers and apart.worst == 2000.0
    with pytest.raises(ValueError, match="no place"):
        compromise({})


def test_the_handheld_is_levelled_and_the_crystal_named(book: Logbook) -> None:
    # Seed 25: one transmit crystal 68 ppm low, the others within a few.
    job = open_job(book, "ostrel-teal-6", Card(1, "ostrel-teal-6", "T6-1", simulated_seed=25))
    session = Session(book, job)
    while session.advice().act != "finish":
        session.follow(session.advice())
    step = session.sheet.step("crystals")
    errors = errors_together(session.state, step)
    good = [errors[c] for c in "ABDEF"]
    assert max(map(abs, good)) < 200 and abs(max(good) + min(good)) < 190 and errors["C"] < -1500
    words = describe_compromise(session.state, step)
    assert "A, B, D, E and F within" in words and "C is −1" in words and "tx-C, 9.031667 MHz" in words
    assert verdict(session.state, step) == "out_of_spec"
    session.go_to("crystals")
    view = take_view(session)
    assert view.reading.chart is not None and [m.label for m in view.reading.chart.marks] == list("ABCDEF")
    assert [m.inside for m in view.reading.chart.marks] == [True, True, False, True, True, True]
    assert any("No oscillator" in n or "tx-C" in n for n in view.step.notes)
