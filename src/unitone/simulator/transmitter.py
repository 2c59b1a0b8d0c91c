"""The transmit side of a simulated radio: power chain and modulator, out of the aerial socket as components."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from unitone.errors import BenchError
from unitone.radio.resonance import detuning, pair_loss, single_loss
from unitone.signals.carrier import Component
from unitone.signals.phasors import phasors
from unitone.simulator.mechanics import Mechanics
from unitone.simulator.physics import Transmit
from unitone.words import tr

RATE = 48_000.0
#: What is left of the carrier in SSB (dBc of the peak envelope).
_CARRIER_LEFT_DBC = -50.0
#: How sharply a part that holds the power takes over.
_KNEE = 8.0
#: Hum of the supply (Hz).
_HUM_HZ = 100.0


#: On which side of the carrier a sideband's tone lies.
SIDE = {"usb": 1.0, "lsb": -1.0}


@dataclass(frozen=True)
class Keyed:
    """How the radio is keyed: its mode (None: FM, or none is told), volts and hertz at the microphone input, its speech
    processor, and how many volts of its nominal supply it is left with (a share)."""

    mode: str | None = None
    microphone_v: float = 0.0
    tone_hz: float = 1000.0
    processed: bool = False
    supply_share: float = 1.0


class Transmitter:
    """Emits (centre frequency, complex envelope) components; |envelope|² is watts."""

    def __init__(self, transmit: Transmit, mechanics: Mechanics, noise: np.random.Generator) -> None:
        self.transmit = transmit
        self.mechanics = mechanics
        self._noise = noise
        #: What each of the sheet's stages loses on this specimen (dB): a fault.
        self.lost_db: dict[str, float] = {}
        #: Where carrier (rad) and modulating tone (cycles) stood when the last stretch ended.
        self._ended = (0.0, 0.0)

    def modulation(self, mode: str | None) -> str:
        """How the radio modulates in a mode: where none is told, as the only modulator that it has."""
        return (mode or "").lower() or (
            "am" if self.transmit.am is not None and self.transmit.modulator_adjuster is None else "fm"
        )

    def watts(self, carrier_hz: float, supply_share: float = 1.0) -> float:
        """Carrier power from drive and tank as the coils stand; goes with the square of the supply, and under what holds it."""
        return self.watts_by_supply(carrier_hz)(supply_share)

    def watts_by_supply(self, carrier_hz: float) -> Callable[[float], float]:
        """The same for any share of the supply, the coils as they stand now."""
        transmit = self.transmit
        losses = self._losses(carrier_hz)
        # A stage that fails before the final takes drive away, the final itself its power.
        *before, last = [s.stage for s in transmit.stage] or [""]
        lost = [self.lost_db.get(s, 0.0) for s in before]
        drive = transmit.drive / math.prod(losses[:-1]) / 10.0 ** (sum(lost) / 10.0)
        saturated = (1.0 - math.exp(-drive)) / (1.0 - math.exp(-transmit.drive))
        made = transmit.power * saturated / losses[-1] / 10.0 ** (self.lost_db.get(last, 0.0) / 10.0)

        def fed(supply_share: float) -> float:
            watts = float(made * supply_share**2)
            if transmit.holds_at is None:
                return watts
            return float(watts / (1.0 + (watts / transmit.holds_at) ** _KNEE) ** (1.0 / _KNEE))

        return fed

    def stage_volts(self, stage: str, hz: float, supply_share: float) -> float:
        """Peak volts of RF at a stage's output while keyed; the last stage's go with the power. Raises BenchError for one without them."""
        names = [s.stage for s in self.transmit.stage]
        if stage not in names:
            raise BenchError(tr("The simulated radio has no stage {stage!r} to probe.", stage=stage))
        at = names.index(stage)
        volts = self.transmit.stage[at].volts
        if at == len(names) - 1:
            return volts * math.sqrt(self.watts(hz, supply_share) / self.transmit.power)
        now, right = self._losses(hz), self._losses(hz, True)
        passed = [n for n, c in enumerate(self._circuits()) if c in names[: at + 1]]
        lost = sum(10.0 * math.log10(now[n] / right[n]) for n in passed) + sum(
            self.lost_db.get(s, 0.0) for s in names[: at + 1]
        )
        return float(volts * supply_share * 10.0 ** (-lost / 20.0))

    def _circuits(self) -> list[str]:
        """The stage of each coil, or coupled pair, in the order of their losses."""
        made: list[str] = []
        for coil in self.transmit.coil:
            if coil.coupling is None:
                made.append(coil.stage)
        return made

    def _losses(self, hz: float, right: bool = False) -> list[float]:
        """Power loss factor of each coil, or coupled pair, there, as they stand or where all are ``right``; the last is the tank's."""
        losses: list[float] = []
        coils = self.transmit.coil
        off = [0.0 if right else self.mechanics.off(c.adjuster) * c.per_turn for c in coils]
        x = [detuning(hz, c.centre + moved, c.q) for c, moved in zip(coils, off, strict=True)]
        for n, coil in enumerate(coils):
            if coil.coupling is not None:
                losses[-1] = pair_loss(x[n - 1], x[n], coil.coupling)
            else:
                losses.append(single_loss(x[n]))
        return losses

    def second_dbc(self, carrier_hz: float) -> float:
        """Second harmonic (dBc): what the final makes, and what its trap takes away.

        A series-tuned trap across the line passes (1+x²)/(D²+x²) of the power, x its detuning and D its depth as a ratio of volts.
        """
        trap = self.transmit.trap
        if trap is None:
            return self.transmit.harmonic_dbc
        centre = trap.centre + self.mechanics.off(trap.adjuster) * trap.per_turn
        # Far from its centre a trap is not symmetrical: its detuning as it is, not as a narrow circuit has it.
        x = trap.q * (2.0 * carrier_hz / centre - centre / (2.0 * carrier_hz))
        deep = 10.0 ** (trap.depth / 10.0)
        return self.transmit.harmonic_dbc + 10.0 * math.log10((1.0 + x * x) / (deep + x * x))

    def sub_harmonics_dbc(self, carrier_hz: float) -> list[tuple[float, float]]:
        """(Hz, dBc) of what a multiplier lets through of the frequency before it, as the coils stand.

        A line far beside them passes nearly the same wherever they stand; what they lose is the carrier's.
        """
        if not self.transmit.sub_harmonic:
            return []

        def lost_db(hz: float, right: bool) -> float:
            return 10.0 * math.log10(math.prod(self._losses(hz, right)))

        # The final saturates and gives back some of what the carrier loses; the line does not saturate.
        carrier_down = lost_db(carrier_hz, False) - lost_db(carrier_hz, True)
        found = []
        for line in self.transmit.sub_harmonic:
            hz = carrier_hz / line.divided_by
            line_down = lost_db(hz, False) - lost_db(hz, True)
            found.append((hz, min(line.dbc + carrier_down - line_down, 0.0)))
        return found

    def heard_v(self, keyed: Keyed) -> float:
        """What is left of the microphone's volts behind its amplifier: its band, and the speech processor where it is on."""
        transmit = self.transmit
        f = max(keyed.tone_hz, 1.0)
        band = 1.0 / math.sqrt((1.0 + (transmit.audio_low / f) ** 4) * (1.0 + (f / transmit.audio_high) ** 4))
        at_1khz = 1.0 / math.sqrt((1.0 + (transmit.audio_low / 1e3) ** 4) * (1.0 + (1e3 / transmit.audio_high) ** 4))
        louder = 10.0 ** (transmit.processor.gain / 20.0) if keyed.processed and transmit.processor is not None else 1.0
        return keyed.microphone_v * louder * band / at_1khz

    def deviation_hz(self, microphone_v: float, rail_share: float = 1.0) -> float:
        """Peak deviation of a tone at the microphone input; the limiter rounds off what is loud."""
        transmit = self.transmit
        if transmit.modulator_adjuster is None:
            return 0.0
        loud = math.tanh(microphone_v / transmit.microphone_full)
        return transmit.most_deviation * self.mechanics.share(transmit.modulator_adjuster) * loud * rail_share

    def am_depth(self, microphone_v: float) -> float:
        """Depth (a share) of a tone at the microphone input in AM; the limiter holds it under its ceiling."""
        am = self.transmit.am
        if am is None:
            return 0.0
        loud = math.tanh(microphone_v / self.transmit.microphone_full)
        share = 1.0 if am.adjuster is None else self.mechanics.share(am.adjuster)
        asked = am.most_depth * share * loud
        return am.ceiling / 100.0 * math.tanh(asked / am.ceiling)

    def carrier_left(self) -> complex:
        """What is left of the carrier in SSB, a share of the peak envelope: floor, and what the two presets leave in and out of phase."""
        balance = self.transmit.balance
        if balance is None:
            return complex(float(10.0 ** (_CARRIER_LEFT_DBC / 20.0)))
        a, b = (k * self.mechanics.off(name) for name, k in zip(balance.adjusters, balance.per_unit, strict=True))
        floor = float(10.0 ** (balance.floor_dbc / 20.0))
        return complex(a + 0.6 * floor, b + 0.8 * floor)

    @property
    def pep_share(self) -> float:
        """Peak envelope power in SSB at full drive over the carrier's in the other modes."""
        return 1.0 if self.transmit.pep is None else self.transmit.pep / self.transmit.power

    def ssb_drive(self, heard_v: float, full_watts: float) -> float:
        """Share of the full envelope that a tone drives in SSB: what the microphone gives, or what the level control lets through."""
        drive = math.tanh(heard_v / self.transmit.microphone_full)
        return min(drive, math.sqrt(self.held_watts() / full_watts)) if full_watts > 0 else drive

    def held_watts(self) -> float:
        """Peak envelope power (W) that the automatic level control lets through as its preset stands; no end without one."""
        alc = self.transmit.alc
        return math.inf if alc is None else alc.least + (alc.most - alc.least) * self.mechanics.share(alc.adjuster)

    def emit(
        self, seconds: float, carrier_hz: float, error_hz: float, keyed: Keyed, rail_share: float = 1.0,
        goes_on: bool = False,
    ) -> list[Component]:  # fmt: skip
        """Carrier, second harmonic and sub-harmonics for ``seconds``, shape (n,) each, at 48 kHz round their nominal frequencies.

        Each keying begins at a phase of its own; one that ``goes_on`` begins where the last stretch ended. In SSB a tone at the
        microphone goes out as one line beside the carrier that is suppressed, and without a tone next to nothing does.
        """
        n = round(seconds * RATE)
        t = np.arange(n) / RATE
        wander = self._noise.standard_normal(n) * self.transmit.residual_fm
        start, cycles = self._ended if goes_on else (float(self._noise.uniform(0, 2 * np.pi)), 0.0)
        phase = 2 * np.pi * (error_hz * t + np.cumsum(wander) / RATE) + start
        ended = float(phase[-1] + 2 * np.pi * error_hz / RATE)
        tone = phasors(keyed.tone_hz, RATE, n, cycles)
        heard, mode = self.heard_v(keyed), self.modulation(keyed.mode)
        deviation = self.deviation_hz(heard, rail_share) if mode == "fm" else 0.0
        if deviation > 0 and keyed.tone_hz > 0:
            phase = phase + deviation / keyed.tone_hz * tone.imag
        hum = phasors(_HUM_HZ, RATE, n, 0.0).imag
        if self.transmit.hum_deviation:
            phase = phase + self.transmit.hum_deviation / _HUM_HZ * hum
        self._ended = (ended % (2 * np.pi), (cycles + keyed.tone_hz * seconds) % 1.0)
        watts = self.watts(carrier_hz, keyed.supply_share)
        wave = np.empty(n, np.complex128)
        np.cos(phase, out=wave.real)
        np.sin(phase, out=wave.imag)
        if mode in SIDE:
            watts *= self.pep_share
            beside = tone if SIDE[mode] > 0 else tone.conj()
            wave = wave * (self.ssb_drive(heard, watts) * beside + self.carrier_left())
        elif mode == "am":
            depth = self.am_depth(heard) * tone.imag + self.transmit.hum_depth / 100.0 * hum
            wave = wave * np.maximum(1.0 + depth, 0.0)
        volts = math.sqrt(watts)
        ripple = 1e-4 * (self._noise.standard_normal(n) + 1j * self._noise.standard_normal(n))
        second = volts * 10.0 ** (self.second_dbc(carrier_hz) / 20.0) * wave**2
        sent = [Component(carrier_hz, RATE, volts * wave + ripple), Component(2 * carrier_hz, RATE, second)]
        for hz, dbc in self.sub_harmonics_dbc(carrier_hz):
            line = volts * 10.0 ** (dbc / 20.0) * np.exp(1j * phase / (carrier_hz / hz))
            sent.append(Component(hz, RATE, line))
        return sent
