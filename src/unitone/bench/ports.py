"""The narrow port through which a session reaches a bench, and the bench that is worked by hand."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Protocol

from unitone.bench.drivers.recording import Block, Kind
from unitone.errors import BenchError
from unitone.quantities.entry import Bound
from unitone.sheet.model.sheet import Conditions


@dataclass(frozen=True)
class Measured:
    """One measured value in the canonical unit, with its spread, its raw value and the instrument."""

    value: float | None
    instrument: str
    std: float | None = None
    bound: Bound = ""
    word: str = ""
    raw: float | None = None
    correction: float = 0.0
    source: str = "hand"


@dataclass(frozen=True)
class Heard:
    """A stretch of what comes out of a socket: audio (full scale 1.0 = ``full_scale_v``·√2 peak), or I/Q round ``centre_hz``."""

    samples: Block
    rate: float
    kind: Kind
    name: str
    centre_hz: float = 0.0
    full_scale_v: float | None = None


class Bench(Protocol):
    """Instruments and a radio. ``simulated`` goes on every paper that comes of it."""

    simulated: bool

    def can_measure(self, quantity_id: str) -> bool:
        """True where the bench itself delivers this quantity; otherwise the technician types it."""

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """One whole reading. Raises BenchError."""

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """The needle now (averaged since the last change), or None where the quantity has no needle."""

    def listen(self, conditions: Conditions, seconds: float) -> Heard | None:
        """The next stretch from the loudspeaker, or from the aerial socket while keyed; None where nothing is connected."""

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """Turn an adjuster; (millidegrees moved, a stop was touched)."""

    def seen(self, adjuster: str) -> float | None:
        """Where a slot points (millidegrees from its anticlockwise stop), if the bench can see it."""
        ...

    def seconds(self) -> float:
        """Bench-seconds since the radio was switched on."""


class HandBench:
    """A real radio on a bench without connected instruments: the technician turns, reads and types."""

    simulated = False

    def __init__(self, already: float = 0.0) -> None:
        self._start = time.monotonic() - already

    def can_measure(self, quantity_id: str) -> bool:
        """Nothing is connected."""
        del quantity_id
        return False

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """Raises BenchError: the reading has to be typed."""
        del quantity_id, conditions
        raise BenchError("No instrument is connected. Type the reading.")

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """No needle."""
        del quantity_id, conditions
        return None

    def listen(self, conditions: Conditions, seconds: float) -> Heard | None:
        """A real radio is listened to through the sound card."""
        del conditions, seconds
        return None

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """The technician's own hand: it moved as it was said."""
        del adjuster
        return asked_mdeg, False

    def seen(self, adjuster: str) -> float | None:
        """The technician sees it, the program does not."""
        del adjuster
        return None

    def seconds(self) -> float:
        """Seconds since the job was opened."""
        return time.monotonic() - self._start
