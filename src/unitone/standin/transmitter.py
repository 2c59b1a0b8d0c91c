"""The send side of a stand-in radio: power chain and modulator, out of the aerial socket as components."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from unitone.radio.resonance import detuning, single_loss
from unitone.signals.carrier import Component
from unitone.standin.mechanics import Mechanics
from unitone.standin.physics import Send

RATE = 48_000.0
#: What is left of the carrier in SSB (dBc of the peak envelope).
_CARRIER_LEFT_DBC = -50.0


#: On which side of the carrier a sideband's tone lies.
SIDE = {"usb": 1.0, "lsb": -1.0}


@dataclass(frozen=True)
class Keyed:
    """How the radio is keyed: its mode (None: FM, or none is told), volts and hertz at the microphone input."""

    mode: str | None = None
    microphone_v: float = 0.0
    tone_hz: float = 1000.0


class Transmitter:
    """Emits (centre frequency, complex envelope) components; |envelope|² is watts."""

    def __init__(self, send: Send, mechanics: Mechanics, noise: np.random.Generator) -> None:
        self.send = send
        self.mechanics = mechanics
        self._noise = noise
        #: Where carrier (rad) and modulating tone (cycles) stood when the last stretch ended.
        self._ended = (0.0, 0.0)

    def watts(self, carrier_hz: float, supply_share: float = 1.0) -> float:
        """Carrier power from drive and tank as the coils stand; goes with the square of the supply."""
        send = self.send
        losses = [
            single_loss(detuning(carrier_hz, c.centre + self.mechanics.off(c.adjuster) * c.per_turn, c.q))
            for c in send.coil
        ]
        drive = send.drive / math.prod(losses[:-1])
        saturated = (1.0 - math.exp(-drive)) / (1.0 - math.exp(-send.drive))
        return send.power * saturated / losses[-1] * supply_share**2

    def deviation_hz(self, microphone_v: float, rail_share: float = 1.0) -> float:
        """Peak deviation of a tone at the microphone input; the limiter rounds off what is loud."""
        send = self.send
        if send.modulator_adjuster is None:
            return 0.0
        loud = math.tanh(microphone_v / send.microphone_full)
        return send.most_deviation * self.mechanics.share(send.modulator_adjuster) * loud * rail_share

    def am_depth(self, microphone_v: float) -> float:
        """Depth (a share) of a tone at the microphone input in AM; the limiter holds it under its ceiling."""
        am = self.send.am
        if am is None:
            return 0.0
        loud = math.tanh(microphone_v / self.send.microphone_full)
        asked = am.most_depth * self.mechanics.share(am.adjuster) * loud
        return am.ceiling / 100.0 * math.tanh(asked / am.ceiling)

    def carrier_left(self) -> complex:
        """What is left of the carrier in SSB, a share of the peak envelope: floor, and what the two presets leave in and out of phase."""
        balance = self.send.balance
        if balance is None:
            return complex(float(10.0 ** (_CARRIER_LEFT_DBC / 20.0)))
        a, b = (k * self.mechanics.off(name) for name, k in zip(balance.adjusters, balance.per_unit, strict=True))
        floor = float(10.0 ** (balance.floor_dbc / 20.0))
        return complex(a + 0.6 * floor, b + 0.8 * floor)

    def emit(
        self, seconds: float, carrier_hz: float, error_hz: float, keyed: Keyed, rail_share: float = 1.0,
        goes_on: bool = False,
    ) -> list[Component]:  # fmt: skip
        """Carrier and second harmonic for ``seconds``, shape (n,) each, at 48 kHz round their nominal frequencies.

        Each keying begins at a phase of its own; one that ``goes_on`` begins where the last stretch ended. In SSB a tone at the
        microphone goes out as one line beside the carrier that is suppressed, and without a tone next to nothing does.
        """
        n = round(seconds * RATE)
        t = np.arange(n) / RATE
        wander = self._noise.standard_normal(n) * self.send.residual_fm
        start, cycles = self._ended if goes_on else (float(self._noise.uniform(0, 2 * np.pi)), 0.0)
        phase = 2 * np.pi * (error_hz * t + np.cumsum(wander) / RATE) + start
        ended = float(phase[-1] + 2 * np.pi * error_hz / RATE)
        tone = 2 * np.pi * (keyed.tone_hz * t + cycles)
        deviation = self.deviation_hz(keyed.microphone_v, rail_share) if keyed.mode in (None, "fm") else 0.0
        if deviation > 0 and keyed.tone_hz > 0:
            phase = phase + deviation / keyed.tone_hz * np.sin(tone)
        self._ended = (ended % (2 * np.pi), (cycles + keyed.tone_hz * seconds) % 1.0)
        volts = math.sqrt(self.watts(carrier_hz))
        wave = np.exp(1j * phase)
        if keyed.mode in SIDE:
            drive = math.tanh(keyed.microphone_v / self.send.microphone_full)
            wave = wave * (drive * np.exp(1j * SIDE[keyed.mode] * tone) + self.carrier_left())
        elif keyed.mode == "am" and keyed.microphone_v > 0:
            wave = wave * np.maximum(1.0 + self.am_depth(keyed.microphone_v) * np.sin(tone), 0.0)
        ripple = 1e-4 * (self._noise.standard_normal(n) + 1j * self._noise.standard_normal(n))
        second = volts * 10.0 ** (self.send.harmonic_dbc / 20.0) * wave**2
        return [Component(carrier_hz, RATE, volts * wave + ripple), Component(2 * carrier_hz, RATE, second)]
