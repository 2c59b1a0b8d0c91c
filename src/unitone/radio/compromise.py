"""One adjuster for several places that stand apart: the best compromise, and what stands too far out for any."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Compromise:
    """The smallest worst error over the places ``kept``: what is added to every error (``shift``), and what is left (``worst``).

    ``outliers``: places that no setting brings in together with the others, each with how far it stands from their middle.
    """

    shift: float
    worst: float
    kept: tuple[str, ...]
    outliers: tuple[tuple[str, float], ...] = ()


def tied(errors: Mapping[str, float], half_width: float) -> tuple[str, ...]:
    """Other sets of as many places, lying as close together, that one setting would bring in just as well: their names, joined by ``, ``."""
    order = sorted(errors, key=lambda name: errors[name])
    values = [errors[name] for name in order]
    windows = [
        (i, j)
        for i in range(len(order))
        for j in range(i + 1, len(order) + 1)
        if values[j - 1] - values[i] <= 2 * half_width
    ]
    kept = compromise(errors, half_width).kept
    if len(kept) == len(order):
        return ()
    mine = (order.index(kept[0]), order.index(kept[-1]) + 1)
    width = values[mine[1] - 1] - values[mine[0]]
    alike = [
        w
        for w in windows
        if w != mine and w[1] - w[0] == len(kept) and abs(values[w[1] - 1] - values[w[0]] - width) < 1e-6
    ]
    return tuple(", ".join(order[i:j]) for i, j in alike)


def compromise(errors: Mapping[str, float], half_width: float | None = None) -> Compromise:
    """Errors of places that one adjuster moves alike. With ``half_width``, as few as possible are given up so that the rest come in.

    The worst of a set is least where its middle (half-way between least and greatest) is brought to zero. Raises ValueError
    for no errors.
    """
    if not errors:
        raise ValueError("no place is read yet")
    order = sorted(errors, key=lambda name: errors[name])
    values = [errors[name] for name in order]
    best = (0, len(order))
    if half_width is not None:
        windows = [
            (i, j)
            for i in range(len(order))
            for j in range(i + 1, len(order) + 1)
            if values[j - 1] - values[i] <= 2 * half_width
        ]
        # The most places; of as many, those that lie closest together.
        best = min(windows, key=lambda w: (w[0] - w[1], values[w[1] - 1] - values[w[0]]))
        if best[1] - best[0] < max(2, (len(order) + 1) // 2) and len(order) > 1:
            # No majority belongs together: nobody is singled out.
            best = (0, len(order))
    low, high = values[best[0]], values[best[1] - 1]
    middle = (low + high) / 2.0
    out = tuple((order[k], values[k] - middle) for k in range(len(order)) if not best[0] <= k < best[1])
    return Compromise(-middle, (high - low) / 2.0, tuple(order[best[0] : best[1]]), out)
