"""What others do to peak a core, for comparison: golden section, and turning until it falls."""

from __future__ import annotations

from collections.abc import Callable

_GOLDEN = (5**0.5 - 1) / 2


def golden_section(read_at: Callable[[float], float], low: float, high: float, until: float) -> float:
    """The middle of the last bracket of a golden-section search for the highest reading, once it is narrower than ``until`` (turns)."""
    a, b = high - _GOLDEN * (high - low), low + _GOLDEN * (high - low)
    at_a, at_b = read_at(a), read_at(b)
    while high - low > until:
        if at_a > at_b:
            high, b, at_b = b, a, at_a
            a = high - _GOLDEN * (high - low)
            at_a = read_at(a)
        else:
            low, a, at_a = a, b, at_b
            b = low + _GOLDEN * (high - low)
            at_b = read_at(b)
    return (low + high) / 2


def until_it_falls(read_at: Callable[[float], float], start: float, first: float, more: Callable[[], bool]) -> float:
    """A quarter turn at a time while it rises, the other way if it fell at once: the best place read (turns).

    ``first`` is the reading at ``start``; ``more`` says whether another may be taken.
    """
    best_at, best = start, first
    for way in (1.0, -1.0):
        went, place = False, best_at
        while more():
            place += 0.25 * way
            got = read_at(place)
            if got <= best:
                break
            best_at, best, went = place, got, True
        if went:
            break
    return best_at
