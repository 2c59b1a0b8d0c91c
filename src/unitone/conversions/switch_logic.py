"""A band switch as it was measured, and what new lines need of it: which wire is which, and the fewest diodes."""

from __future__ import annotations

import re
from dataclasses import dataclass

from unitone.errors import EntryError
from unitone.quantities.entry import normalise
from unitone.radio.diode_logic import Feed, Positions, feeds, live_positions
from unitone.words import tr

#: More than this is no switch.
_MOST_WIRES, _MOST_POSITIONS = 14, 24
_WIRE = re.compile(r"^(?P<name>[^:=]+?)\s*[:=]\s*(?P<volts>.+)$")


@dataclass(frozen=True)
class Wire:
    """A wire of the switch: its name (colour, pin), volts by position, and the positions in which it is live."""

    name: str
    volts: tuple[float, ...]
    live: Positions


@dataclass(frozen=True)
class SwitchLogic:
    """The switch and what its lines take."""

    positions: int
    wires: tuple[Wire, ...]
    feeds: tuple[Feed, ...]

    @property
    def diodes(self) -> int:
        """Diodes in all."""
        return sum(f.diodes for f in self.feeds)


def parse_wires(text: str) -> tuple[Wire, ...]:
    """``brown: 8.1 0 0 0; red: 0 8 0 0``: a wire with its volts in every position. Raises EntryError: what, and in which form."""
    expected = tr("wires with their volts in each position, like brown: 8.1 0 0; red: 0 8 0")
    rows: list[tuple[str, tuple[float, ...]]] = []
    for part in (p.strip() for p in text.split(";") if p.strip()):
        match = _WIRE.match(part)
        if match is None:
            raise EntryError(tr("“{text}”: expected {expected}.", text=part, expected=expected))
        try:
            volts = tuple(float(normalise(v.lower().removesuffix("v"))) for v in match["volts"].split())
        except ValueError:
            raise EntryError(tr("“{text}”: expected {expected}.", text=part, expected=expected)) from None
        rows.append((match["name"].strip(), volts))
    if not rows:
        raise EntryError(tr("Expected {expected}.", expected=expected))
    names = [name for name, _ in rows]
    if len(set(names)) != len(names):
        raise EntryError(tr("Two wires have one name. Give each its own."))
    counts = {len(volts) for _, volts in rows}
    if len(counts) != 1:
        raise EntryError(tr("Every wire has a voltage in every position: here some have more than others."))
    if len(rows) > _MOST_WIRES or counts.pop() > _MOST_POSITIONS:
        raise EntryError(tr("At most {n} wires and {m} positions.", n=_MOST_WIRES, m=_MOST_POSITIONS))
    highest = max(v for _, volts in rows for v in volts)
    if highest <= 0:
        raise EntryError(tr("No wire is live in any position. Check the meter and the common wire."))
    return tuple(Wire(name, volts, live_positions(volts, highest)) for name, volts in rows)


def parse_needs(text: str, positions: int) -> dict[str, Positions]:
    """``band D crystal = 4; module line 2 = 4 5``: each line with its positions. Raises EntryError: what, and in which form."""
    expected = tr("lines with their positions, like band D crystal = 4; module line 2 = 4 5")
    made: dict[str, Positions] = {}
    for part in (p.strip() for p in text.split(";") if p.strip()):
        name, sign, places = part.partition("=")
        wanted = places.replace(",", " ").split()
        if not sign or not name.strip() or not wanted or not all(p.isascii() and p.isdigit() for p in wanted):
            raise EntryError(tr("“{text}”: expected {expected}.", text=part, expected=expected))
        there = frozenset(int(p) for p in wanted)
        if not all(1 <= p <= positions for p in there):
            raise EntryError(tr("“{text}”: the switch has positions 1 to {n}.", text=part, n=positions))
        if name.strip() in made:
            raise EntryError(tr("“{text}” is there twice. Write its positions together.", text=name.strip()))
        made[name.strip()] = there
    return made


def switch_logic(wires: str, needs: str) -> SwitchLogic:
    """The switch as it was measured and what its lines need. Raises EntryError."""
    found = parse_wires(wires)
    positions = len(found[0].volts)
    wanted = parse_needs(needs, positions)
    clash = {w.name for w in found} & set(wanted)
    if clash:
        raise EntryError(tr("“{text}” is a wire and a line. Give the line another name.", text=min(clash)))
    # A wire that is live everywhere is the common: it tells no band from another.
    usable = {w.name: w.live for w in found if len(w.live) < positions}
    return SwitchLogic(positions, found, feeds(usable, wanted))
