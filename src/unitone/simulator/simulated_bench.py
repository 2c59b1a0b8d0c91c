"""The simulated bench: a generator, instruments and hands round a simulated radio, composed as any other bench."""

from __future__ import annotations

from unitone.bench.ports import Bench
from unitone.job.damages import stuck_core
from unitone.sheet.model.sheet import Conditions
from unitone.simulator._mishaps import STEEL_TURNS, Mishaps
from unitone.simulator.instruments._movement import with_movements
from unitone.simulator.instruments.dial_reading import DialByGenerator
from unitone.simulator.instruments.injected_level import InjectedLevel, StageProbe
from unitone.simulator.instruments.receive import (
    AttenuatorByEar,
    AudioVoltmeter,
    Blocks,
    GainControlVoltmeter,
    LedsByEye,
    LoudnessByEar,
    RatioMeter,
    SinadMeter,
    SMeter,
    SquelchByEar,
    TwoSettings,
)
from unitone.simulator.instruments.second_receiver import SecondRadio
from unitone.simulator.instruments.transmit import (
    FieldMeter,
    ModulationMeter,
    SpectrumAnalyser,
    TransmitMeter,
    Wattmeter,
)
from unitone.simulator.instruments.volts_and_counts import Ammeter, Counter, Voltmeter
from unitone.simulator.instruments.wiring import (
    TURN_SECONDS,
    Generator,
    RadioHands,
    Sockets,
    VirtualClock,
    Wiring,
)
from unitone.simulator.radio import SimulatedRadio

_RECEIVE = (
    RatioMeter,
    TwoSettings,
    LoudnessByEar,
    AttenuatorByEar,
    SquelchByEar,
    LedsByEye,
    InjectedLevel,
    DialByGenerator,
    SecondRadio,
)
_TRANSMIT = (Wattmeter, TransmitMeter, SpectrumAnalyser, ModulationMeter, FieldMeter, StageProbe)
_PROBES = (Voltmeter, Ammeter, Counter)


class SimulatedBench(Bench):
    """Round this radio; a sensitivity has no meter of its own: it is found by several readings of a ratio."""

    def __init__(self, radio: SimulatedRadio, already: float = 0.0) -> None:
        self.radio = radio
        #: Does a mistake of the hand break what it would break? Only where somebody practises.
        self.unforgiving = False
        self._mishaps = Mishaps(radio)
        #: What its instruments share: the generator's lead, the clock, the hand.
        self.wiring = wiring = Wiring(radio, already)
        blocks = Blocks(wiring)
        meters = [
            *(of(wiring, blocks) for of in (SinadMeter, AudioVoltmeter, GainControlVoltmeter, SMeter)),
            *(of(wiring) for of in (*_RECEIVE, *_TRANSMIT, *_PROBES)),
        ]
        super().__init__(
            with_movements(meters, wiring),
            Generator(wiring),
            RadioHands(wiring),
            VirtualClock(wiring),
            Sockets(wiring),
            simulated=True,
        )

    def station_dbm(self, conditions: Conditions) -> float | None:
        """How strong the station that is tuned in near that place of the dial comes in now (dBm); None where none was chosen."""
        return None if self.wiring.tuned_to(conditions) is None else self.wiring.signal_at(conditions, 0.0).dbm

    @property
    def real_time(self) -> bool:
        """Does a reading take as long as on any bench, and time go on while nothing is done?"""
        return self.wiring.real_time

    @real_time.setter
    def real_time(self, real: bool) -> None:
        self.wiring.real_time = real

    def leave_blade_in(self, adjuster: str) -> None:
        """A steel blade stands in this core now; in none, with an empty name."""
        self.radio.mechanics.blade_in = (adjuster, STEEL_TURNS if adjuster else 0.0)

    def spoilt_by_turn(self, adjuster: str, asked_mdeg: int, moved_mdeg: int, stop: bool, keyed: bool) -> str:
        """What that turn broke, as a code (``job.damages``); empty for nothing, as always where the bench forgives."""
        if not self.unforgiving or stuck_core(self.damaged, adjuster):
            return ""
        broke = self._mishaps.turned(adjuster, asked_mdeg, moved_mdeg, stop)
        return broke or self.spoilt_by_keying(keyed, TURN_SECONDS)

    def spoilt_by_keying(self, keyed: bool, seconds: float) -> str:
        """What keying for so long broke; empty for nothing."""
        return self._mishaps.keyed(self.damaged, seconds) if self.unforgiving and keyed else ""

    @property
    def damaged(self) -> set[str]:
        """What a wrong hook-up broke: ``generator`` gives nothing any more, ``final`` next to nothing."""
        return self.wiring.damaged

    @damaged.setter
    def damaged(self, what: set[str]) -> None:
        self.wiring.damaged = what
