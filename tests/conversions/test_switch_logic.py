"""Diode logic against brute force, wires told apart by their volts, and what cannot be read."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest

from unitone.conversions.switch_logic import parse_needs, parse_wires, switch_logic
from unitone.errors import EntryError
from unitone.radio.diode_logic import dropper, feeds


def _fewest(wanted: frozenset[int], sources: list[frozenset[int]]) -> int | None:
    """By trying all sets of feeders, in another way: bits in a loop over every subset. None where they do not reach."""
    masks = [sum(1 << p for p in s) for s in sources]
    goal, best = sum(1 << p for p in wanted), None
    for chosen in range(1 << len(masks)):
        covered = 0
        for n, mask in enumerate(masks):
            if chosen >> n & 1:
                covered |= mask
        if covered == goal:
            count = chosen.bit_count()
            best = count if best is None else min(best, count)
    return best


def test_five_hundred_random_tables_are_minimal() -> None:
    rng = np.random.default_rng(2026)
    for _ in range(500):
        positions = int(rng.integers(2, 8))
        every = range(1, positions + 1)
        wires = {f"w{n}": frozenset(p for p in every if rng.random() < 0.35) for n in range(int(rng.integers(1, 7)))}
        lines = {
            f"l{n}": frozenset(p for p in every if rng.random() < 0.5) or frozenset({1}) for n in range(int(rng.integers(1, 4)))
        }  # fmt: skip
        for feed in feeds(wires, lines):
            wanted = lines[feed.line]
            complete = {f.line for f in feeds(wires, lines) if not f.missing}
            sources = [w for w in wires.values() if w and w <= wanted]
            sources += [lines[n] for n in complete if n != feed.line and lines[n] < wanted]
            least = _fewest(wanted, sources)
            if feed.missing:
                assert least is None
                continue
            given = [wires.get(n, lines.get(n, frozenset())) for n in feed.feeders]
            # Live just where it is wanted, and nowhere else.
            assert frozenset().union(*given) == wanted and least is not None
            alike = any(w == wanted for w in wires.values()) or any(
                lines[n] == wanted for n in complete if n != feed.line
            )
            assert feed.diodes == (0 if feed.link else least) and (not feed.link or alike)


def test_a_switch_as_it_is_measured() -> None:
    made = switch_logic(
        "brown: 8,1 0 0 0 0; red: 0 8.0 0 0 0; orange: 0 0 8 0 0; yellow: 0 0 0 7.9 0; green: 0 0 0 0 8; black: 0 0 0 0 0; white: 8 8 8 8 8V",
        "band D crystal = 4; module line 2 = 4 5; high = 3 4 5",
    )
    live = {w.name: set(w.live) for w in made.wires}
    assert live["yellow"] == {4} and live["black"] == set() and live["white"] == {1, 2, 3, 4, 5}
    by_line = {f.line: f for f in made.feeds}
    assert by_line["band D crystal"].link and by_line["band D crystal"].feeders == ("yellow",)
    assert by_line["module line 2"].diodes == 2
    # The line above feeds on: two diodes, not three, and two drops.
    assert by_line["high"].diodes == 2 and "module line 2" in by_line["high"].feeders and by_line["high"].drops == 2
    assert made.diodes == 4


def test_a_dropper_is_ohm_s_and_of_a_standard_value() -> None:
    """8 V, a silicon diode, a module of 5 V at 20 mA: 2.3 V / 20 mA = 115 ohm; 120 ohm is the next of E12 (IEC 60063)."""
    found = dropper(8.0, 1, 0.7, 5.0, 0.020)
    assert found is not None and found.exact_ohm == pytest.approx(115.0) and found.ohm == pytest.approx(120.0)
    assert found.loaded_w == pytest.approx(0.046) and found.rating_w == 0.125
    assert dropper(5.5, 1, 0.7, 5.0, 0.02) is None
    with pytest.raises(ValueError):
        dropper(8.0, 1, 0.7, 5.0, 0.0)
    with pytest.raises(ValueError):
        feeds({"a": frozenset({1})}, {"x": frozenset()})


@pytest.mark.parametrize(
    ("wires", "words"),
    [
        ("", "like brown"), ("brown", "expected"), ("brown: x", "expected|not"), ("a: 1 2; b: 1", "some have more"), ("a: 1; a: 2", "one name"),
        ("a: 0 0", "No wire is live"), (";".join(f"w{n}: 8" for n in range(20)), "At most"),
    ],
)  # fmt: skip
def test_wires_that_cannot_be_read(wires: str, words: str) -> None:
    with pytest.raises(EntryError, match=words):
        parse_wires(wires)


@pytest.mark.parametrize(
    ("needs", "words"), [("D", "like band D"), ("D = x", "like band D"), ("D = 9", "1 to 5"), ("D = 1; D = 2", "twice")]
)
def test_needs_that_cannot_be_read(needs: str, words: str) -> None:
    with pytest.raises(EntryError, match=words):
        parse_needs(needs, 5)
    with pytest.raises(EntryError, match="a wire and a line"):
        switch_logic("a: 8 0; b: 0 8", "a = 1")


def test_combinations_are_tried_from_the_smallest() -> None:
    wires = {f"w{n}": frozenset({n}) for n in range(1, 8)} | {"pair": frozenset({1, 2})}
    feed = feeds(wires, {"line": frozenset({1, 2, 3})})[0]
    assert set(feed.feeders) == {"pair", "w3"} and len(list(combinations(wires, 2))) == 28
