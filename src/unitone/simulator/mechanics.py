"""The mechanics of a simulated radio: where each adjuster stands, and what a seed does to it.

Positions are in the adjuster's own unit (turns or degrees) from the anticlockwise
stop; the world outside speaks of millidegrees clockwise from where it was found.
"""

from __future__ import annotations

import zlib
from dataclasses import dataclass

import numpy as np

from unitone.sheet.model.sheet import TURN, Adjuster, Sheet
from unitone.simulator.physics import PhysicsFile


def stream(seed: int, name: str) -> np.random.Generator:
    """The random stream ``name`` of a seed; a new stream never shifts an old one."""
    return np.random.default_rng(np.random.SeedSequence([seed, zlib.crc32(name.encode())]))


def unit_mdeg(adjuster: Adjuster) -> int:
    """Millidegrees in one of the adjuster's own units: a turn for cores, a degree for the rest."""
    return TURN if adjuster.kind == "core" else 1000


@dataclass(frozen=True)
class Specimen:
    """One specimen of a model: for each adjuster where it is right and where it was found (own units)."""

    seed: int
    right: dict[str, float]
    found: dict[str, float]
    untouched: bool


def specimen(sheet: Sheet, physics: PhysicsFile, seed: int) -> Specimen:
    """The specimen of ``seed``.

    A share of the radios (``untouched_share``) has never been turned: every
    adjuster is within ``untouched_drift`` of its usual misalignment. In the
    others each adjuster has been turned with probability ``touched_share`` by a
    uniform amount up to ± ``misaligned``. Where the file says how far off one was
    found (``found_off``), it was found so.
    """
    build, hands = stream(seed, "specimen"), stream(seed, "misalignment")
    untouched = bool(hands.random() < physics.untouched_share)
    right, found = {}, {}
    for adjuster in sheet.adjusters:
        setting = physics.adjuster[adjuster.id]
        right[adjuster.id] = setting.aligned + setting.spread * build.uniform(-1, 1)
        turned = hands.random() < physics.touched_share
        amount = setting.misaligned * hands.uniform(-1, 1)
        if untouched or not turned:
            amount *= physics.untouched_drift
        if setting.found_off is not None:
            amount = setting.found_off
        place = right[adjuster.id] + amount
        if adjuster.stops:
            place = float(np.clip(place, 0.0, adjuster.travel_mdeg / unit_mdeg(adjuster)))
        found[adjuster.id] = place
    return Specimen(seed, right, found, untouched)


class Mechanics:
    """Positions of all adjusters of one specimen; turning respects end stops."""

    def __init__(self, sheet: Sheet, made: Specimen) -> None:
        self._adjusters = {a.id: a for a in sheet.adjusters}
        self.specimen = made
        self.moved_mdeg: dict[str, int] = dict.fromkeys(self._adjusters, 0)
        #: The core that a steel blade is in, and how many turns further in that makes it look; it stands where it stands.
        self.blade_in: tuple[str, float] = ("", 0.0)

    def stamp(self) -> tuple[object, ...]:
        """What every reading follows from: another one, and something stands or looks otherwise."""
        return (*self.moved_mdeg.values(), *self.blade_in)

    def position(self, identifier: str) -> float:
        """Position now, own units from the anticlockwise stop."""
        unit = unit_mdeg(self._adjusters[identifier])
        return self.specimen.found[identifier] + self.moved_mdeg[identifier] / unit

    def off(self, identifier: str) -> float:
        """How far it stands from where this specimen is right, own units, clockwise positive."""
        name, inwards = self.blade_in
        pulled = inwards if identifier == name else 0.0
        return self.position(identifier) + pulled - self.specimen.right[identifier]

    def share(self, identifier: str) -> float:
        """Position as a share of the travel, 0 to 1 (presets)."""
        adjuster = self._adjusters[identifier]
        return self.position(identifier) * unit_mdeg(adjuster) / adjuster.travel_mdeg

    def turn(self, identifier: str, asked_mdeg: int) -> int:
        """Turn by ``asked_mdeg`` (clockwise positive) as far as the stops allow; returns the millidegrees moved."""
        adjuster = self._adjusters[identifier]
        moved = asked_mdeg
        if adjuster.stops:
            start = round(self.specimen.found[identifier] * unit_mdeg(adjuster)) + self.moved_mdeg[identifier]
            moved = int(np.clip(start + asked_mdeg, 0, adjuster.travel_mdeg)) - start
        self.moved_mdeg[identifier] += moved
        return moved
