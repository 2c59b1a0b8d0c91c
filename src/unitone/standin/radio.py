"""A whole stand-in radio: what its sockets, test points, meter and loudspeaker give."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from unitone.errors import BenchError
from unitone.radio.crystals import loaded_frequency, trimmer_capacitance
from unitone.radio.mixing import coefficient
from unitone.radio.vco import control_volts
from unitone.sheet.model import Mixing, Sheet
from unitone.signals.carrier import Component
from unitone.standin.mechanics import Mechanics, specimen, stream
from unitone.standin.physics import PhysicsFile, Vco
from unitone.standin.receiver import RATE, Receiver, Signal
from unitone.standin.transmitter import Transmitter

#: Below this control voltage, or above its upper end, the loop is out of lock and the carrier sits this far off.
_UNLOCKED_HZ = 31_000.0


@dataclass(frozen=True)
class Panel:
    """The front panel as it stands: squelch None (open) or 0 to 1, volume 0 to 1."""

    squelch: float | None = None
    volume: float = 0.3

    @classmethod
    def from_positions(cls, positions: tuple[tuple[str, str], ...]) -> Panel:
        """From the words of a sheet. Raises BenchError for a position that a stand-in does not have."""
        words = dict(positions)
        squelch = words.get("squelch", "open")
        return cls(None if squelch == "open" else _share(squelch), _share(words.get("volume", "30 %")))


def _share(text: str) -> float:
    named = {"open": 0.0, "middle": 0.5, "full": 1.0, "closed": 1.0}
    if text in named:
        return named[text]
    try:
        value = float(text.replace("%", "").replace(",", ".").strip()) / 100.0
    except ValueError:
        raise BenchError(f"The stand-in has no control position “{text}”. Use a share such as 50 %.") from None
    if not 0.0 <= value <= 1.0:
        raise BenchError(f"The control position “{text}” is outside 0 to 100 %.")
    return value


class StandInRadio:
    """One specimen of a sheet's model, from its seed. Its state follows from seed, physics and the moves made."""

    def __init__(self, sheet: Sheet, physics: PhysicsFile, seed: int) -> None:
        self.sheet = sheet
        self.physics = physics
        self.seed = seed
        self.mechanics = Mechanics(sheet, specimen(sheet, physics, seed))
        self.receiver = Receiver(physics, self.mechanics, stream(seed, "noise"))
        self.transmitter = Transmitter(physics, self.mechanics, stream(seed, "send-noise"))
        self._squelch_open = False
        self._nominal = {o.id: o.nominal_hz for o in sheet.oscillators}
        self._mixes: dict[tuple[Mixing, str], tuple[float, dict[str, Fraction]]] = {}

    # -- supply and synthesiser ------------------------------------------------------------

    def rail_volts(self, test_point: str) -> float:
        """Volts of the rail at ``test_point``. Raises BenchError where there is none."""
        for rail in self.physics.rail:
            if rail.test_point == test_point:
                return rail.low + (rail.high - rail.low) * self.mechanics.share(rail.adjuster)
        raise BenchError(f"There is no rail at {test_point}.")

    def rail_share(self) -> float:
        """The regulated rail as a share of its nominal; 1 for a radio without one."""
        if not self.physics.rail:
            return 1.0
        rail = self.physics.rail[0]
        return self.rail_volts(rail.test_point) / rail.nominal

    def reference_hz(self, bench_seconds: float = 1e9) -> float:
        """Reference oscillator at ``bench_seconds`` after switching on: crystal, trimmer and warm-up."""
        part = self.physics.reference
        nominal = next(o.nominal_hz for o in self.sheet.oscillators if o.id == part.oscillator)
        right = self.mechanics.specimen.right[part.adjuster]

        def pulled(degrees: float) -> float:
            load = part.fixed + trimmer_capacitance(degrees, part.trimmer_least, part.trimmer_most)
            return loaded_frequency(1.0, part.c1, part.c0, load)

        warm = part.warm_up_ppm * 1e-6 * math.exp(-bench_seconds / part.warm_up)
        # The crystal of this specimen is ground so that it is right where its trimmer is right.
        return nominal * (pulled(self.mechanics.position(part.adjuster)) / pulled(right) + warm)

    def _output_hz(self, name: str, channel: str, bench_seconds: float) -> tuple[float, float]:
        """(nominal, actual) Hz of a mixing output on a channel. Raises BenchError where the sheet has none."""
        for line in self.sheet.mixing:
            if line.output == name:
                actual = {**self._nominal, self.physics.reference.oscillator: self.reference_hz(bench_seconds)}
                nominal, terms = self._mixed(line, channel)
                return nominal, sum(float(c) * actual[k] for k, c in terms.items())
        raise BenchError(f"The sheet has no mixing line for {name}.")

    def _mixed(self, line: Mixing, channel: str) -> tuple[float, dict[str, Fraction]]:
        """Nominal Hz and exact coefficients of a mixing line on a channel (they never change: kept)."""
        if (line, channel) not in self._mixes:
            divider = int(Fraction(self.sheet.carrier_hz(channel) + line.offset_hz) / line.raster_hz)
            terms = {k: coefficient(t, divider) for k, t in line.terms}
            total = sum((c * Fraction(self._nominal[k]) for k, c in terms.items()), Fraction(0))
            self._mixes[line, channel] = (float(total), terms)
        return self._mixes[line, channel]

    def vco_volts(self, way: str, channel: str) -> float:
        """Control volts at lock, or the end of the phase detector's swing where it cannot lock."""
        return self._vco(way, channel)[0]

    def locked(self, way: str, channel: str) -> bool:
        """Is the loop in lock that way on that channel?"""
        return self._vco(way, channel)[1]

    def _vco(self, way: str, channel: str) -> tuple[float, bool]:
        vco: Vco = self.physics.vco["send" if way == "send" else "receive"]
        henry = vco.inductance * (1.0 + vco.per_turn * self.mechanics.off(vco.adjuster))
        name = "tx.carrier" if way == "send" else "rx.lo1"
        volts = control_volts(
            self._output_hz(name, channel, 1e9)[0], henry, vco.fixed, vco.varactor, vco.phi, vco.gamma
        )
        top = vco.highest * self.rail_share()
        return min(max(volts, vco.lowest), top), vco.lowest < volts < top

    # -- send ---------------------------------------------------------------------------

    def emit(
        self, seconds: float, channel: str, bench_seconds: float, microphone_v: float = 0.0, tone_hz: float = 1000.0,
        goes_on: bool = False,
    ) -> list[Component]:  # fmt: skip
        """What leaves the aerial socket while keyed; ``goes_on``: the same keying as before."""
        nominal, actual = self._output_hz("tx.carrier", channel, bench_seconds)
        error = actual - nominal if self.locked("send", channel) else _UNLOCKED_HZ / 4
        return self.transmitter.emit(seconds, nominal, error, microphone_v, tone_hz, self.rail_share(), goes_on)

    # -- receive ------------------------------------------------------------------------

    def if_offset_hz(self, channel: str, signal_hz: float, bench_seconds: float = 1e9) -> float:
        """How far the signal lands from the IF's centre: the local oscillators' errors and the signal's own."""
        first, first_actual = self._output_hz("rx.lo1", channel, bench_seconds)
        second, second_actual = self._output_hz("rx.lo2", channel, bench_seconds)
        if not self.locked("receive", channel):
            return _UNLOCKED_HZ
        return (signal_hz - self.sheet.carrier_hz(channel)) - (first_actual - first) - (second_actual - second)

    def receive(
        self, seconds: float, channel: str, signal: Signal | None, panel: Panel, bench_seconds: float = 1e9
    ) -> Received:
        """Run the receiver for ``seconds``: audio volts at 24 kHz, meter needle and squelch."""
        carrier = float(self.sheet.carrier_hz(channel))
        offset = self.if_offset_hz(channel, signal.hz, bench_seconds) if signal is not None else 0.0
        heard = signal if signal is not None and abs(offset) < RATE / 2 - 4000 else None
        y = self.receiver.intermediate(round(seconds * RATE), carrier, heard, offset)
        detected = self.receiver.detect(y)
        audio = self.receiver.audio(detected, panel.volume)
        noise = self.receiver.squelch_noise(detected)
        is_open = self._squelch(noise, panel)
        if not is_open:
            audio = np.zeros_like(audio)
        level = float(np.sqrt(np.mean(y.real**2 + y.imag**2)))
        return Received(audio, self._needle(level), is_open, noise)

    def _needle(self, level: float) -> float:
        """Deflection of the S-meter, 0 to 1, for an IF level (√W, aerial-referred)."""
        meter = self.physics.s_meter
        threshold = 10.0 ** ((meter.threshold - 30.0) / 20.0)
        gain = meter.least + (meter.most - meter.least) * self.mechanics.share(meter.adjuster)
        return min(max(gain * math.log1p(level / threshold) * self.rail_share(), 0.0), 1.0)

    def meter_scale(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The printed scale: deflections and the dB over S9 printed there, for a typical aligned radio."""
        meter = self.physics.s_meter
        marks = np.linspace(-54.0, 60.0, 229)
        threshold = 10.0 ** ((meter.threshold - 30.0) / 20.0)
        volts = 10.0 ** ((marks - 73.0 - 30.0) / 20.0)
        typical = self.sheet.adjuster(meter.adjuster)
        share = self.physics.adjuster[meter.adjuster].aligned * 1000.0 / typical.travel_mdeg
        return (meter.least + (meter.most - meter.least) * share) * np.log1p(volts / threshold), marks

    def _squelch(self, noise: float, panel: Panel) -> bool:
        if panel.squelch is None:
            return True
        part = self.physics.squelch
        reach = part.tight_least + (part.tight_most - part.tight_least) * self.mechanics.share(part.adjuster)
        share = part.loose - panel.squelch * reach
        if self._squelch_open:
            share *= 1.0 + part.hysteresis
        self._squelch_open = noise < share * part.noise * self.rail_share()
        return self._squelch_open


@dataclass(frozen=True)
class Received:
    """One stretch of reception: audio volts (n,), S-meter deflection 0 to 1, squelch open, squelch noise."""

    audio: NDArray[np.float32]
    needle: float
    squelch_open: bool
    squelch_noise: float
