"""The movement of a meter: readings that spread, and a needle that takes its time (``[[meter]]`` of a physics file)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from unitone.bench.ports import Measured, Meter
from unitone.quantities.registry import quantity
from unitone.sheet.model.sheet import Conditions
from unitone.simulator.instruments.wiring import Instrument, Wiring
from unitone.simulator.physics import MeterMovement

#: Whoever reads a slow needle waits until it looks still: so many time constants.
_WAITS = 3.0
_IN_DECIBELS = frozenset({"ratio-db", "gain-db", "dbc", "level", "s-units"})


class Movement(Instrument):
    """A meter as another one with noise and a lag of its own: a needle of first order on the bench's clock."""

    def __init__(self, wiring: Wiring, inner: Meter, movement: MeterMovement) -> None:
        super().__init__(wiring)
        self._inner, self._movement = inner, movement
        #: Where the needle of each quantity pointed, and when (bench-seconds).
        self._pointed: dict[str, tuple[float, float]] = {}

    @property
    def quantities(self) -> list[str]:
        """What it was given for."""
        return self._movement.quantities

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id in self._movement.quantities and self._inner.measures(quantity_id)

    def seconds_for(self, quantity_id: str) -> float:
        """As long as the meter itself, and until its needle stands."""
        return self._inner.seconds_for(quantity_id) + _WAITS * self._movement.lag

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A whole reading, once the needle looks still. Raises BenchError."""
        self.wiring.wait(_WAITS * self._movement.lag)
        return self._shown(quantity_id, self._inner.measure(quantity_id, conditions))

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """Where the needle is on its way."""
        read = self._inner.live(quantity_id, conditions)
        return None if read is None else self._shown(quantity_id, read)

    @property
    def name(self) -> str:
        """See ``Meter``."""
        return ""

    def cancel(self) -> None:
        """See ``Meter``."""
        self._inner.cancel()

    def _shown(self, quantity_id: str, read: Measured) -> Measured:
        if read.value is None or read.bound:
            return read
        now, value = self.wiring.clock, read.value
        if self._movement.lag > 0 and quantity_id in self._pointed:
            at, when = self._pointed[quantity_id]
            value += (at - value) * math.exp(-max(now - when, 0.0) / self._movement.lag)
        self._pointed[quantity_id] = (value, now)
        share = 1.0 if quantity(quantity_id).kind in _IN_DECIBELS else abs(value) / 100.0
        spread = self._movement.noise * share
        std = math.hypot(read.std or 0.0, spread)
        return replace(read, value=value + spread * self.wiring.noise(), std=std or None)


def with_movements(meters: Sequence[Meter], wiring: Wiring) -> list[Meter]:
    """The meters with those in front that the physics file gives a movement of their own."""
    moved = [Movement(wiring, m, part) for part in wiring.radio.physics.meter for m in meters]
    return [m for m in moved if any(m.measures(q) for q in m.quantities)] + list(meters)
