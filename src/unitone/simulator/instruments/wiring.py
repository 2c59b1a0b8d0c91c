"""What the simulated instruments share: the radio they are wired to, the bench's clock, the generator, and the hand that reads them."""

from __future__ import annotations

import math
import threading
import time

import numpy as np

from unitone.bench.ports import Heard, Measured
from unitone.errors import BenchError
from unitone.job.damages import is_final_gone, stuck_core
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Conditions
from unitone.signals.carrier import Component, strongest
from unitone.simulator.mechanics import stream
from unitone.simulator.off_air import LEVELS_DBM, STATION, OffAir
from unitone.simulator.radio import Panel, Received, SimulatedRadio
from unitone.simulator.receiver import RATE, Pulses, Signal
from unitone.simulator.transmitter import SIDE
from unitone.words import tr

#: One block of the live path (s).
BLOCK_SECONDS = 0.1
SETTLE_SECONDS = 0.3
#: A turn of an adjuster takes so long.
TURN_SECONDS = 2.0
#: The radio has been on for a quarter of an hour before the first reading: the reference has warmed up.
_WARMED_UP_SECONDS = 900.0
#: What a generator with a burnt attenuator gives.
_DEAD_DBM = -170.0
#: The pad between the sockets and whatever listens: audio volts (rms of a sine) and √W at full scale.
FULL_SCALE_V, _FULL_SCALE_W = 5.0, 25.0


#: How deep a station is modulated.
_PROGRAMME_DEPTH = 0.8


class Wiring:
    """A simulated radio with its generator and its clock; the clock advances with every sample that is measured."""

    def __init__(self, radio: SimulatedRadio, already: float = 0.0) -> None:
        self.radio = radio
        self.clock = max(already, _WARMED_UP_SECONDS)
        #: Where the bench's time is the wall's: what that clock showed when the bench's showed nothing.
        self._wall: float | None = None
        self.hand = stream(radio.seed, "instruments")
        #: What a wrong hook-up broke: ``generator`` gives nothing any more, ``final`` next to nothing.
        self.damaged: set[str] = set()
        #: Grows whenever the receiver is fed with something else: what was averaged before says nothing of it.
        self.fed = 0
        self.stopped = threading.Event()
        self._off_air = OffAir(radio.seed)
        self._stations: dict[float, int] = {}
        #: The adjuster turned last, and by how much, until somebody listens.
        self.last_turn: tuple[str, int] | None = None

    def noise(self) -> float:
        """A draw of the reading hand's noise, standard normal."""
        return float(self.hand.standard_normal())

    def channel(self, conditions: Conditions) -> str:
        """The channel that is set: the middle one where none is named."""
        names = self.radio.sheet.plan.names
        return conditions.channel or names[len(names) // 2]

    def place(self, conditions: Conditions) -> Place:
        """The same with band, mode and way."""
        return Place(conditions.way, conditions.band, conditions.mode, self.channel(conditions))

    def _mark(self, conditions: Conditions) -> float:
        return float(self.radio.sheet.carrier_hz(self.channel(conditions), conditions.band))

    def tuned_to(self, conditions: Conditions) -> int | None:
        """Which of the stations near that place of the dial is tuned in; None where none was chosen yet."""
        return self._stations.get(self._mark(conditions))

    def tune_to(self, conditions: Conditions, which: int) -> None:
        """Tune in another one."""
        self._stations[self._mark(conditions)] = which

    def _station(self, conditions: Conditions) -> Signal:
        """What comes in of the station tuned in: the set is tuned to it by the loudest sound."""
        mark, dial = self._mark(conditions), self.radio.synthesiser.dial
        which = self._stations.get(mark, len(LEVELS_DBM) // 2)
        hz = mark if dial is None else dial.received_hz(mark, self.clock)
        return Signal(hz, self._off_air.level_dbm(mark, which, self.clock), programme=_PROGRAMME_DEPTH)

    def signal_at(self, conditions: Conditions, level_dbm: float) -> Signal:
        """What the generator gives at that level, or the station at its own."""
        if conditions.source == STATION:
            return self._station(conditions)
        level_dbm = _DEAD_DBM if "generator" in self.damaged else level_dbm
        mark = float(self.radio.sheet.carrier_hz(self.channel(conditions), conditions.band))
        dial = self.radio.synthesiser.dial
        if dial is None or conditions.offset_hz is not None or conditions.inject:
            hz = mark + (conditions.offset_hz or 0.0)
        else:
            # Set and generator are tuned to each other by the loudest tone: whatever the scale says, that is what comes in.
            hz = dial.received_hz(mark, self.clock)
        listens = self.radio.mode_of(conditions.mode)
        if listens in SIDE:
            # In SSB the generator's bare carrier stands beside the channel by the tone that is to be heard.
            return Signal(hz + SIDE[listens] * (conditions.tone_hz or 1000.0), level_dbm)
        depth = (conditions.depth_pct or 0.0) / 100.0
        return Signal(hz, level_dbm, conditions.tone_hz or 0.0, conditions.deviation_hz or 0.0, depth)

    def signal(self, conditions: Conditions) -> Signal | None:
        """What the generator gives, or the station; None without either."""
        if conditions.source == STATION:
            return self._station(conditions)
        return None if conditions.level_dbm is None else self.signal_at(conditions, conditions.level_dbm)

    def receive(
        self, seconds: float, conditions: Conditions, signal: Signal | None, panel: Panel, pulses: Pulses | None = None,
        elsewhere: bool = False,
    ) -> Received:  # fmt: skip
        """What the receiver gives for so long; ``elsewhere``: through another amplifier. Raises BenchError where the reading was broken off."""
        self._pass(seconds)
        return self.radio.receive(
            seconds, self.channel(conditions), signal, panel, self.clock, conditions.band, conditions.mode, pulses,
            conditions.inject or "", elsewhere,
        )  # fmt: skip

    def emit(self, seconds: float, conditions: Conditions, microphone_mv: float, tone: float) -> list[Component]:
        """What the transmitter gives out of its socket for so long, keyed. Raises BenchError where the reading was broken off."""
        self._pass(seconds)
        self.radio.broken = is_final_gone(self.damaged)
        return self.radio.emit(
            seconds, self.place(conditions), self.clock, microphone_mv * 1e-3, tone, panel=dict(conditions.panel)
        )

    def wait(self, seconds: float) -> None:
        """Time passes while an instrument gates. Raises BenchError where the reading was broken off."""
        self._pass(seconds)

    def _pass(self, seconds: float) -> None:
        if self._wall is not None:
            # In real time a gate takes as long as on any bench; what was computed meanwhile counts.
            self.stopped.wait(max(0.0, self.clock + seconds - (time.monotonic() - self._wall)))
        if self.stopped.is_set():
            self.stopped.clear()
            raise BenchError(tr("The reading was broken off."))
        self.spend(seconds)

    def spend(self, seconds: float) -> None:
        """So much time went by: as it was told, or as the wall's clock says."""
        self.clock = self.clock + seconds if self._wall is None else max(self.clock, time.monotonic() - self._wall)

    @property
    def real_time(self) -> bool:
        """Does the bench's time go with the wall's?"""
        return self._wall is not None

    @real_time.setter
    def real_time(self, real: bool) -> None:
        self._wall = time.monotonic() - self.clock if real else None


class Instrument:
    """A simulated instrument: wired to a radio, it reads what its class says."""

    def __init__(self, wiring: Wiring) -> None:
        self.wiring = wiring
        self.radio = wiring.radio
        self.physics = wiring.radio.physics

    def seconds_for(self, quantity_id: str) -> float:
        """A second's gate, or ten blocks."""
        del quantity_id
        return 1.0

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """No needle, unless the class has one."""
        del quantity_id, conditions
        return None

    @property
    def name(self) -> str:
        """See ``Meter``."""
        return ""

    def cancel(self) -> None:
        """See ``Meter``."""
        self.wiring.stopped.set()


class Generator:
    """The simulated generator: what it gives follows from the conditions that it is set to."""

    def __init__(self, wiring: Wiring) -> None:
        self._wiring = wiring
        self.conditions = Conditions()

    def set(self, conditions: Conditions) -> None:
        """See ``SignalSource``."""
        self.conditions = conditions

    def off(self) -> None:
        """See ``SignalSource``."""
        self.conditions = Conditions()


class RadioHands:
    """Hands on a simulated radio: they feel its stops, and a turn takes two bench-seconds."""

    def __init__(self, wiring: Wiring) -> None:
        self._wiring = wiring
        self._mechanics = wiring.radio.mechanics

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """Turn the radio's adjuster; one that this radio does not have turns freely, a core that broke is stuck."""
        self._wiring.spend(TURN_SECONDS)
        if adjuster not in self._mechanics.moved_mdeg:
            return asked_mdeg, False
        if stuck_core(self._wiring.damaged, adjuster):
            return 0, True
        moved = self._mechanics.turn(adjuster, asked_mdeg)
        before = self._wiring.last_turn
        whole = moved + (before[1] if before is not None and before[0] == adjuster else 0)
        self._wiring.last_turn = (adjuster, whole) if whole else None
        return moved, moved != asked_mdeg

    def seen(self, adjuster: str) -> float | None:
        """The slot of a preset or trimmer can be seen; how far a core is in its former cannot."""
        if adjuster not in self._mechanics.moved_mdeg:
            return None
        part = self._wiring.radio.sheet.adjuster(adjuster)
        return None if part.kind == "core" else self._mechanics.position(adjuster) * 1000.0


class VirtualClock:
    """Bench-seconds that advance with every sample measured and every turn."""

    def __init__(self, wiring: Wiring) -> None:
        self._wiring = wiring

    def seconds(self) -> float:
        """See ``Clock``."""
        if self._wiring.real_time:
            self._wiring.spend(0.0)
        return self._wiring.clock


class Sockets:
    """The loudspeaker's volts, or while keyed what a receiver beside the dummy load makes of the carrier."""

    def __init__(self, wiring: Wiring) -> None:
        self._wiring = wiring

    def listen(self, conditions: Conditions, seconds: float) -> Heard | None:
        """See ``Ear``."""
        w = self._wiring
        physics = w.radio.physics
        w.spend(seconds)
        if (physics.transmit if conditions.way == "transmit" else physics.receive) is None:
            return None
        if conditions.way == "transmit":
            microphone, tone = (conditions.mic_mv or 0.0) * 1e-3, conditions.tone_hz or 1000.0
            sent = strongest(w.radio.emit(seconds, w.place(conditions), w.clock, microphone, tone, True))
            samples = np.asarray(sent.envelope / math.sqrt(_FULL_SCALE_W), np.complex64)
            return Heard(samples, sent.rate, "iq", "simulated radio, transmitting", sent.centre_hz)
        panel = Panel.from_positions(conditions.panel)
        heard = w.radio.receive(
            seconds, w.channel(conditions), w.signal(conditions), panel, w.clock, conditions.band, conditions.mode
        )
        volts = np.asarray(heard.audio, np.float64) / (FULL_SCALE_V * math.sqrt(2.0))
        return Heard(volts, RATE, "audio", "simulated radio, loudspeaker", 0.0, FULL_SCALE_V)
