"""The tuning gang of a physics file: its sections, and the oscillator's tank and the signal circuits that it tunes."""

from __future__ import annotations

import math

from pydantic import Field

from unitone.radio.crystals import trimmer_capacitance
from unitone.simulator.physics_keys import Farad, Henry, Hertz, Part, Seconds


class Gang(Part):
    """[gang]: a section of the tuning capacitor, fully open and fully closed. All its sections are alike."""

    least: Farad = Field(gt=0)
    most: Farad = Field(gt=0)


class Tuned(Part):
    """A coil and what stands across it besides its section of the gang: strays ``fixed``, and a trimmer that goes from ``trimmer_least``
    to ``trimmer_most``. A core changes the coil by the share ``per_turn`` for a clockwise turn."""

    inductance: Henry = Field(gt=0)
    fixed: Farad = Field(default=0.0, ge=0)
    core: str | None = None
    per_turn: float = Field(default=0.0, gt=-1, lt=1)
    trimmer: str | None = None
    trimmer_least: Farad = Field(default=0.0, ge=0)
    trimmer_most: Farad = Field(default=0.0, ge=0)

    @property
    def turned_by(self) -> tuple[str, ...]:
        """Its core and its trimmer, as far as it has them."""
        return tuple(a for a in (self.core, self.trimmer) if a is not None)

    def henry(self, off: float) -> float:
        """The coil with its core so many turns clockwise of right (H)."""
        return self.inductance * max(1.0 + self.per_turn * off, 0.05)

    def trimmed_f(self, degrees: float) -> float:
        """Its trimmer at so many degrees (F)."""
        return trimmer_capacitance(degrees, self.trimmer_least, self.trimmer_most)


class Tank(Tuned):
    """[tank.ID]: an oscillator of the sheet that the gang tunes, by its id: a padder in series with gang and trimmer, and the dial marks
    that it serves (``lowest`` to ``highest``, as printed). It is off by ``warm_up_ppm`` when cold."""

    lowest: Hertz = Field(gt=0)
    highest: Hertz = Field(gt=0)
    padder: Farad | None = Field(default=None, gt=0)
    warm_up_ppm: float = 0.0
    warm_up: Seconds = Field(default=300.0, gt=0)

    def serves(self, mark_hz: float) -> bool:
        """Is a dial mark on its band?"""
        return self.lowest <= mark_hz <= self.highest

    def hz(self, henry: float, gang_f: float, across_f: float) -> float:
        """What it oscillates at (Hz): 1/(2π√(LC)), the padder in series with gang and trimmer."""
        c = gang_f + across_f
        total = c if self.padder is None else self.padder * c / (self.padder + c)
        return 1.0 / (2.0 * math.pi * math.sqrt(henry * total))

    def gang_for(self, hz: float, across_f: float) -> float:
        """Where the gang stands when the coil as made oscillates at ``hz`` (F); nan where no gang does that."""
        total = 1.0 / ((2.0 * math.pi * hz) ** 2 * self.inductance)
        if self.padder is not None and total >= self.padder:
            return math.nan
        c = total if self.padder is None else total * self.padder / (self.padder - total)
        return c - across_f
