"""The dial of a simulated radio: where the gang stands at a printed mark, and what oscillator and signal circuits make of it there.

The scale is printed for the radio as its maker meant it: with every adjuster right the oscillator stands an IF beside each mark.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from fractions import Fraction
from typing import TYPE_CHECKING

from unitone.errors import BenchError
from unitone.sheet.model.sheet import Sheet
from unitone.simulator.gang_physics import Gang, Tank, Tuned
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.simulator.mechanics import Mechanics
    from unitone.simulator.physics import PhysicsFile


def gang_at(gang: Gang, sheet: Sheet, name: str, tank: Tank, aligned: Mapping[str, float], mark_hz: float) -> float:
    """Where the gang stands at a printed mark (F), ``aligned`` being where trimmers of typical specimens are right (degrees).

    Raises BenchError for a mark that the gang does not reach.
    """
    across = tank.fixed + (0.0 if tank.trimmer is None else tank.trimmed_f(aligned[tank.trimmer]))
    oscillator = next(o for o in sheet.oscillators if o.id == name)
    made = tank.gang_for(float(oscillator.at(Fraction(mark_hz))), across)
    # A printed end of a band may lie a hair beyond the stop.
    room = 0.02 * (gang.most - gang.least)
    if math.isnan(made) or not gang.least - room <= made <= gang.most + room:
        raise BenchError(
            tr(
                "The tuning gang does not reach {mhz:.3f} MHz with the tank of {name}. Check its coil, padder and trimmer.",
                mhz=mark_hz / 1e6,
                name=name,
            )
        )
    return made


class Dial:
    """Gang, tanks and signal circuits of one specimen."""

    def __init__(self, sheet: Sheet, physics: PhysicsFile, mechanics: Mechanics) -> None:
        assert physics.gang is not None
        self._sheet, self._physics, self._mechanics, self._gang = sheet, physics, mechanics, physics.gang
        self._aligned = {a: s.aligned for a, s in physics.adjuster.items()}
        self._stands: dict[float, float] = {}

    def tank_at(self, mark_hz: float) -> tuple[str, Tank]:
        """The oscillator of that band, and its tank. Raises BenchError for a mark on no band."""
        for name, tank in self._physics.tank.items():
            if tank.serves(mark_hz):
                return name, tank
        raise BenchError(tr("No tank of the simulated radio serves {mhz:.3f} MHz.", mhz=mark_hz / 1e6))

    def gang_f(self, mark_hz: float) -> float:
        """Where a section of the gang stands at a printed mark (F)."""
        if mark_hz not in self._stands:
            name, tank = self.tank_at(mark_hz)
            self._stands[mark_hz] = gang_at(self._gang, self._sheet, name, tank, self._aligned, mark_hz)
        return self._stands[mark_hz]

    def _across_f(self, part: Tuned) -> float:
        """Strays and trimmer as they stand (F): the trimmer counts by how far it is from where this specimen is right."""
        if part.trimmer is None:
            return part.fixed
        here, right = self._mechanics.position(part.trimmer), self._mechanics.specimen.right[part.trimmer]
        made = part.trimmed_f(self._aligned[part.trimmer])
        return part.fixed + made + part.trimmed_f(here) - part.trimmed_f(right)

    def _henry(self, part: Tuned) -> float:
        return part.henry(0.0 if part.core is None else self._mechanics.off(part.core))

    def resonance_hz(self, part: Tuned, mark_hz: float) -> float:
        """Where a signal circuit is tuned to at a mark (Hz)."""
        c = self.gang_f(mark_hz) + self._across_f(part)
        return 1.0 / (2.0 * math.pi * math.sqrt(self._henry(part) * c))

    def oscillator_hz(self, name: str, mark_hz: float, bench_seconds: float) -> float:
        """An oscillator at a mark (Hz), so long after switching on. Raises BenchError where another band's serves that mark."""
        tank = self._physics.tank[name]
        if not tank.serves(mark_hz):
            raise BenchError(tr("No tank of the simulated radio serves {mhz:.3f} MHz.", mhz=mark_hz / 1e6))
        warm = tank.warm_up_ppm * 1e-6 * math.exp(-bench_seconds / tank.warm_up)
        return tank.hz(self._henry(tank), self.gang_f(mark_hz), self._across_f(tank)) * (1.0 + warm)

    def received_hz(self, mark_hz: float, bench_seconds: float = 1e9) -> float:
        """The frequency that lands in the middle of the IF at a mark (Hz): the mark, and what the oscillator is off."""
        name, _ = self.tank_at(mark_hz)
        meant = next(o for o in self._sheet.oscillators if o.id == name).at(Fraction(mark_hz))
        return mark_hz + self.oscillator_hz(name, mark_hz, bench_seconds) - float(meant)
