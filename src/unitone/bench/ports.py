"""The narrow ports of a bench, and the bench as their composition: per quantity, who reads it.

A ``Meter`` measures some quantities; a ``SignalSource`` feeds the radio; ``Hands`` turn
its adjusters. Behind each may stand a person who types, a simulated radio, a recording,
a sound card, an instrument on a wire. The loop knows none of them.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Protocol, runtime_checkable

from unitone.bench.drivers.recording import Block, Kind
from unitone.bench.second_radio import carrier_error_hz, read_as
from unitone.errors import BenchError
from unitone.quantities.entry import Bound
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr


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
    #: What is wrong with it (too loud, no tone), in words for the screen.
    warning: str = ""


@dataclass(frozen=True)
class Heard:
    """A stretch of what comes out of a socket: audio (full scale 1.0 = ``full_scale_v``·√2 peak), or I/Q round ``centre_hz``."""

    samples: Block
    rate: float
    kind: Kind
    name: str
    centre_hz: float = 0.0
    full_scale_v: float | None = None


class Meter(Protocol):
    """Measures some quantities. ``std`` of what it measured says how sure it is."""

    @property
    def name(self) -> str:
        """What it is called beside a figure; empty for the simulated bench's own."""

    def measures(self, quantity_id: str) -> bool:
        """Does it read this quantity, on this radio?"""

    def seconds_for(self, quantity_id: str) -> float:
        """About how long a whole reading takes (bench-seconds)."""

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """One whole reading. Raises BenchError, and where it was cancelled meanwhile."""

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """The needle now (averaged since the last change), or None where it has no needle."""

    def cancel(self) -> None:
        """Break off a reading that is going on in another thread: it raises BenchError at its next block."""


@runtime_checkable
class Comparing(Protocol):
    """A meter some of whose readings are held against something read before."""

    def compares(self, quantity_id: str) -> bool:
        """Is this reading held against another?"""

    def keep_reference(self, quantity_id: str) -> None:
        """What is read now is what that reading is held against from now on. Raises BenchError."""


class SignalSource(Protocol):
    """Feeds the radio: frequency (a channel, with its offset), level and modulation all stand in the conditions."""

    def set(self, conditions: Conditions) -> None:
        """Bring the generator to these conditions. Raises BenchError for what it cannot give."""

    def off(self) -> None:
        """No signal."""


class Hands(Protocol):
    """Turn adjusters."""

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """Turn an adjuster; (millidegrees moved, a stop was touched)."""

    def seen(self, adjuster: str) -> float | None:
        """Where a slot points (millidegrees from its anticlockwise stop), if it can be seen."""


class Ear(Protocol):
    """Gives what the radio sounds like, or sends."""

    def listen(self, conditions: Conditions, seconds: float) -> Heard | None:
        """The next stretch from the loudspeaker, or from the aerial socket while keyed; None where nothing is connected."""


class Clock(Protocol):
    """Bench-seconds."""

    def seconds(self) -> float:
        """Since the radio was switched on."""
        ...


class Bench:
    """Instruments round a radio, composed of ports. ``simulated`` goes on every paper that comes of it.

    The first meter that measures a quantity reads it; what none measures is typed.
    """

    def __init__(
        self, meters: Sequence[Meter], source: SignalSource, hands: Hands, clock: Clock, ear: Ear | None = None,
        simulated: bool = False,
    ) -> None:  # fmt: skip
        self.meters, self.source, self.hands, self.clock, self.ear = tuple(meters), source, hands, clock, ear
        self.simulated = simulated
        #: What the technician types although a meter would read it.
        self.typed: frozenset[str] = frozenset()

    def connect(
        self, meters: Sequence[Meter], typed: frozenset[str] = frozenset(), source: SignalSource | None = None
    ) -> None:
        """Other meters from now on, what is typed all the same, and the generator (None: dialled by hand)."""
        self.meters, self.typed = tuple(meters), typed
        self.source = source or DialledByHand()

    def meter_for(self, quantity_id: str, conditions: Conditions | None = None) -> Meter | None:
        """Who reads this quantity (under these conditions: a second radio may stand for a counter); None where it is typed."""
        quantity_id = read_as(quantity_id, conditions)
        if quantity_id in self.typed:
            return None
        return next((m for m in self.meters if m.measures(quantity_id)), None)

    def can_measure(self, quantity_id: str, conditions: Conditions | None = None) -> bool:
        """True where the bench itself delivers this quantity; otherwise the technician types it."""
        return self.meter_for(quantity_id, conditions) is not None

    def measure(self, quantity_id: str, conditions: Conditions, by: Meter | None = None) -> Measured:
        """One whole reading, by the meter that reads this quantity here, or ``by`` another one that was taken to hand for it (then the
        generator is left as it is). Raises BenchError."""
        asked = read_as(quantity_id, conditions)
        if by is not None:
            return _as_asked(by.measure(asked, conditions), asked, quantity_id, conditions)
        meter = self.meter_for(quantity_id, conditions)
        if meter is None:
            raise BenchError(
                tr(
                    "The simulated bench has no instrument for {quantity_id}. Put the step aside (A).",
                    quantity_id=quantity_id,
                )
                if self.simulated
                else tr("No instrument is connected. Type the reading.")
            )
        self.source.set(conditions)
        try:
            got = meter.measure(asked, conditions)
        except BenchError:
            # A reading that failed leaves no signal behind: hands go to the radio now.
            if self.source_by_wire:
                with suppress(BenchError):
                    self.source.off()
            raise
        return _as_asked(got, asked, quantity_id, conditions)

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """The needle now, or None where the quantity has none."""
        meter, asked = self.meter_for(quantity_id, conditions), read_as(quantity_id, conditions)
        if meter is None:
            return None
        self.source.set(conditions)
        got = meter.live(asked, conditions)
        return None if got is None else _as_asked(got, asked, quantity_id, conditions)

    def keep_reference(self, quantity_id: str) -> None:
        """What is heard now is what this quantity is held against. Raises BenchError where nothing is compared."""
        meter = self.meter_for(quantity_id)
        if not isinstance(meter, Comparing) or not meter.compares(quantity_id):
            raise BenchError(tr("This reading needs no reference: it is read as it stands."))
        meter.keep_reference(quantity_id)

    @property
    def source_by_wire(self) -> bool:
        """Is there a generator that sets itself to what is asked?"""
        return not self.simulated and not isinstance(self.source, DialledByHand)

    def cancel(self) -> None:
        """Break off whatever is being read."""
        for meter in self.meters:
            meter.cancel()

    def listen(self, conditions: Conditions, seconds: float) -> Heard | None:
        """The next stretch of what the radio gives; None where nothing is connected."""
        return None if self.ear is None else self.ear.listen(conditions, seconds)

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """Turn an adjuster; (millidegrees moved, a stop was touched)."""
        return self.hands.turn(adjuster, asked_mdeg)

    def seen(self, adjuster: str) -> float | None:
        """Where a slot points (millidegrees from its anticlockwise stop), if the bench can see it."""
        return self.hands.seen(adjuster)

    def seconds(self) -> float:
        """Bench-seconds since the radio was switched on."""
        return self.clock.seconds()


def _as_asked(got: Measured, read: str, wanted: str, conditions: Conditions) -> Measured:
    """What was read on a second radio as the carrier's error."""
    if read == wanted or got.value is None:
        return got
    return replace(got, value=carrier_error_hz(got.value, conditions), raw=got.value)


class WallClock:
    """Seconds since the job was opened, counted on from what it had."""

    def __init__(self, already: float = 0.0) -> None:
        self._start = time.monotonic() - already

    def seconds(self) -> float:
        """See ``Clock``."""
        return time.monotonic() - self._start


class OwnHands:
    """The technician's own: an adjuster moved as it was said, and only the technician sees where it points."""

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """See ``Hands``."""
        del adjuster
        return asked_mdeg, False

    def seen(self, adjuster: str) -> float | None:
        """See ``Hands``."""
        del adjuster
        return None


class DialledByHand:
    """A generator without a wire: the technician dials what the step card says."""

    def set(self, conditions: Conditions) -> None:
        """See ``SignalSource``."""

    def off(self) -> None:
        """See ``SignalSource``."""


def hand_bench(already: float = 0.0) -> Bench:
    """A real radio on a bench without connected instruments: the technician turns, reads and types."""
    return Bench((), DialledByHand(), OwnHands(), WallClock(already))
