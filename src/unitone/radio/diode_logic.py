"""Diode logic on a switch's wires: which wire is live in which positions, and the fewest diodes that feed lines from them.

A line may be fed by every wire, and by every other line, that is live only where it has to be: a diode each, so that none feeds the
others back; a single feeder that is live just where the line is needs no diode, only a link.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

#: A contact counts as live from this share of the highest voltage on (common practice, no source).
_LIVE = 0.5
#: Forward drop of a small-signal diode (V; common practice, no source).
SILICON_V, SCHOTTKY_V = 0.7, 0.3
#: Standard values of a decade (IEC 60063, E12), and how much of its rating a resistor is loaded with (common practice, no source).
_E12 = (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2)
_RATINGS_W, _LOADED = (0.125, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0), 0.5

Positions = frozenset[int]


def live_positions(volts: Sequence[float], highest: float) -> Positions:
    """The positions (from 1) in which a wire is live; ``highest`` is the most that any wire shows (V)."""
    return frozenset(n for n, v in enumerate(volts, 1) if highest > 0 and v >= _LIVE * highest)


@dataclass(frozen=True)
class Feed:
    """How a line is fed: its feeders, a diode each unless it is a plain ``link``, and through how many diodes at the most its voltage comes.
    ``missing``: positions that no wire gives it."""

    line: str
    feeders: tuple[str, ...]
    link: bool
    drops: int
    missing: Positions

    @property
    def diodes(self) -> int:
        """Diodes that it takes."""
        return 0 if self.link else len(self.feeders)


def feeds(wires: Mapping[str, Positions], lines: Mapping[str, Positions]) -> tuple[Feed, ...]:
    """The fewest diodes for every line (each from the smallest set of feeders that covers it), in the order of ``lines``.

    Exact: a line's feeders do not change what others may take from it, so each line is a set cover of its own; sets of feeders are tried
    from the smallest up. Of equally small ones the one through the fewest diodes counts. Raises ValueError for a line that is never live.
    """
    if any(not wanted for wanted in lines.values()):
        raise ValueError("a line is live somewhere")
    made: dict[str, Feed] = {}
    # Smaller lines first: only a smaller one can feed another.
    for line in sorted(lines, key=lambda name: (len(lines[name]), name)):
        made[line] = _feed(line, lines[line], wires, lines, made)
    return tuple(made[line] for line in lines)


def _feed(
    line: str, wanted: Positions, wires: Mapping[str, Positions], lines: Mapping[str, Positions], made: Mapping[str, Feed]
) -> Feed:  # fmt: skip
    same = next((name for name, live in wires.items() if live == wanted), None)
    if same is None:
        same = next((name for name in made if lines[name] == wanted and not made[name].missing), None)
    if same is not None:
        return Feed(line, (same,), True, made[same].drops if same in made else 0, frozenset())
    sources = {name: (live, 0) for name, live in wires.items() if live and live < wanted}
    sources |= {name: (lines[name], f.drops) for name, f in made.items() if lines[name] < wanted and not f.missing}
    reachable = frozenset().union(*(live for live, _ in sources.values()))
    best: tuple[int, tuple[str, ...]] | None = None
    for count in range(1, len(sources) + 1):
        for names in combinations(sources, count):
            if frozenset().union(*(sources[n][0] for n in names)) >= reachable:
                drops = 1 + max(sources[n][1] for n in names)
                if best is None or drops < best[0]:
                    best = (drops, names)
        if best is not None:
            break
    drops, names = best or (0, ())
    return Feed(line, names, False, drops, wanted - reachable)


@dataclass(frozen=True)
class Dropper:
    """A resistor in series with a load: exact (Ω), the next standard value up, what it is loaded with (W), and the rating to take (W)."""

    exact_ohm: float
    ohm: float
    loaded_w: float
    rating_w: float


def dropper(rail_v: float, drops: int, drop_v: float, load_v: float, load_a: float) -> Dropper | None:
    """The resistor that brings a rail, less its diodes, down to a load (U = I·R, G. S. Ohm, 1827); None where nothing is left to drop.

    Raises ValueError for currents and voltages that are not above zero.
    """
    if not (rail_v > 0 and load_v > 0 and load_a > 0 and drop_v >= 0 and drops >= 0):
        raise ValueError("voltages and current are above zero")
    left = rail_v - drops * drop_v - load_v
    if left <= 0:
        return None
    exact = left / load_a
    decade = 10.0 ** math.floor(math.log10(exact))
    ohm = next(v * decade for v in (*_E12, 10.0) if v * decade >= exact * (1 - 1e-9))
    watts = left * load_a
    return Dropper(exact, ohm, watts, next((r for r in _RATINGS_W if watts <= _LOADED * r), _RATINGS_W[-1]))
