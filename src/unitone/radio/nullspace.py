"""Exact linear algebra on fractions: what a set of readings cannot tell apart."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from fractions import Fraction
from math import gcd, lcm


def null_space(rows: Iterable[Sequence[Fraction]], columns: int) -> list[list[int]]:
    """Whole-number vectors that every row sends to zero, one for each free column, by elimination in whole numbers.

    ``rows`` have ``columns`` entries each. The result is a basis; an empty one says that everything can be told.
    """
    pivots: dict[int, list[int]] = {}
    for given in rows:
        scale = lcm(*(x.denominator for x in given))
        row = [x.numerator * (scale // x.denominator) for x in given]
        for column, pivot in pivots.items():
            row = _without(row, pivot, column)
        first = next((c for c, x in enumerate(row) if x), None)
        if first is None:
            continue
        row = _smallest(row)
        for column, pivot in pivots.items():
            pivots[column] = _smallest(_without(pivot, row, first))
        pivots[first] = row
        if len(pivots) == columns:
            return []
    basis = []
    for free in (c for c in range(columns) if c not in pivots):
        vector = [Fraction(0)] * columns
        vector[free] = Fraction(1)
        for column, pivot in pivots.items():
            vector[column] = Fraction(-pivot[free], pivot[column])
        scale = lcm(*(x.denominator for x in vector))
        basis.append(_smallest([int(x * scale) for x in vector]))
    return basis


def _without(row: list[int], pivot: list[int], column: int) -> list[int]:
    """``row`` with its entry in ``column`` taken away by the pivot's."""
    factor, top = row[column], pivot[column]
    return row if not factor else [x * top - factor * y for x, y in zip(row, pivot, strict=True)]


def _smallest(row: list[int]) -> list[int]:
    """The same direction in the smallest whole numbers, the first of them positive."""
    common = gcd(*row)
    if next(x for x in row if x) < 0:
        common = -common
    return [x // common for x in row]
