"""Exact null spaces, against SymPy-free checks: every vector is sent to zero, and their number is columns less rank."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from unitone.radio.nullspace import null_space

NUMBERS = st.fractions(min_value=-9, max_value=9, max_denominator=8)


@given(
    st.integers(1, 5).flatmap(
        lambda n: st.tuples(st.just(n), st.lists(st.lists(NUMBERS, min_size=n, max_size=n), max_size=7))
    )
)
def test_every_vector_is_sent_to_zero_and_none_is_missing(case: tuple[int, list[list[Fraction]]]) -> None:
    columns, rows = case
    basis = null_space(rows, columns)
    for vector in basis:
        assert any(vector) and all(sum(a * b for a, b in zip(row, vector, strict=True)) == 0 for row in rows)
        assert np.gcd.reduce([abs(x) for x in vector]) == 1 and next(x for x in vector if x) > 0
    # The rank over the rationals is that over the reals: these numbers are far from rounding.
    matrix = np.array([[float(x) for x in r] for r in rows]).reshape(len(rows), columns)
    assert len(basis) == columns - (np.linalg.matrix_rank(matrix, tol=1e-9) if rows else 0)
    if basis:
        assert np.linalg.matrix_rank(np.array(basis, float)) == len(basis)


def test_two_that_always_come_together_cannot_be_told() -> None:
    one = Fraction(1)
    assert null_space([[Fraction(921, 1024), one, one], [Fraction(940, 1024), one, one]], 3) == [[0, 1, -1]]
    assert null_space([[one, 0 * one], [0 * one, one]], 2) == [] and null_space([], 2) == [[1, 0], [0, 1]]
