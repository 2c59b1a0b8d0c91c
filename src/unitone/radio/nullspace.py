"""Exact linear algebra on fractions: what a set of readings cannot tell apart."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from math import gcd, lcm


def null_space(rows: Sequence[Sequence[Fraction]], columns: int) -> list[list[int]]:
    """Whole-number vectors that every row sends to nought, one for each free column, by rational elimination.

    ``rows`` have ``columns`` entries each. The result is a basis; an empty one says that everything can be told.
    """
    work = [list(row) for row in rows]
    pivots: list[int] = []
    at = 0
    for column in range(columns):
        pivot = next((r for r in range(at, len(work)) if work[r][column] != 0), None)
        if pivot is None:
            continue
        work[at], work[pivot] = work[pivot], work[at]
        top = work[at][column]
        work[at] = [x / top for x in work[at]]
        for r in range(len(work)):
            if r != at and work[r][column] != 0:
                factor = work[r][column]
                work[r] = [x - factor * y for x, y in zip(work[r], work[at], strict=True)]
        pivots.append(column)
        at += 1
    basis = []
    for free in (c for c in range(columns) if c not in pivots):
        vector = [Fraction(0)] * columns
        vector[free] = Fraction(1)
        for r, column in enumerate(pivots):
            vector[column] = -work[r][free]
        basis.append(_whole(vector))
    return basis


def _whole(vector: Sequence[Fraction]) -> list[int]:
    """The same direction in the smallest whole numbers, the first of them positive."""
    scale = lcm(*(x.denominator for x in vector))
    whole = [int(x * scale) for x in vector]
    common = gcd(*whole)
    sign = -1 if next(x for x in whole if x) < 0 else 1
    return [sign * x // common for x in whole]
