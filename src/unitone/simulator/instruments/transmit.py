"""Instruments of the transmit side: wattmeter, the radio's own meter, spectrum analyser, modulation meter, field-strength meter."""

from __future__ import annotations

import math

import numpy as np

from unitone.bench.ports import Measured
from unitone.errors import BenchError
from unitone.sheet.model.sheet import Conditions
from unitone.signals.am import measure_am
from unitone.signals.carrier import Component, carrier_line, fit_carrier, fit_modulation, strongest, total_watts
from unitone.signals.fm import audio_filter, channel_filter, demodulate
from unitone.signals.spectrum import lines
from unitone.simulator.instruments.wiring import BLOCK_SECONDS, Instrument
from unitone.simulator.transmitter import SIDE
from unitone.words import tr


class _KeyedMeter(Instrument):
    """A meter that reads while the radio is keyed: a second's reading, or a tenth for its needle."""

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A second, keyed. Raises BenchError."""
        return self.read(quantity_id, conditions, 1.0)

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """A tenth of a second, keyed."""
        return self.read(quantity_id, conditions, BLOCK_SECONDS)

    def read(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """What its class makes of what is sent."""
        raise BenchError(tr("Nothing reads {quantity_id} here.", quantity_id=quantity_id))

    def sent(self, conditions: Conditions, seconds: float) -> list[Component]:
        """What comes out of the socket."""
        return self.wiring.emit(seconds, conditions, conditions.mic_mv or 0.0, conditions.tone_hz or 1000.0)


class Wattmeter(_KeyedMeter):
    """Power into the dummy load, average or peak envelope."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id in ("tx.power", "tx.pep") and self.physics.transmit is not None

    def read(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """Watts."""
        sent = self.sent(conditions, seconds)
        if quantity_id == "tx.power":
            watts = total_watts(sent)
            return Measured(
                watts * (1 + 0.003 * self.wiring.noise()), "simulated wattmeter", 0.01 * watts, source="simulated"
            )
        peak = float(np.quantile(np.abs(strongest(sent).envelope) ** 2, 0.999)) * (1 + 0.005 * self.wiring.noise())
        return Measured(peak, "simulated peak wattmeter", 0.01 * peak, source="simulated")


class TransmitMeter(_KeyedMeter):
    """The radio's own meter while it is keyed."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return (
            quantity_id == "tx.meter" and self.physics.transmit is not None and self.physics.transmit.meter is not None
        )

    def read(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """As its scale shows it."""
        shown = self.radio.own_meter(total_watts(self.sent(conditions, seconds))) * (1 + 0.005 * self.wiring.noise())
        return Measured(shown, "the radio's own meter", 0.02 * shown, source="simulated")


class SpectrumAnalyser(_KeyedMeter):
    """Lines beside the carrier: harmonics, and the carrier that a balance leaves."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        if self.physics.transmit is None:
            return False
        return quantity_id in ("tx.harmonic", "tx.spurious") or (
            quantity_id == "tx.carrier_suppression" and self.physics.transmit.balance is not None
        )

    def read(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """dB under the carrier."""
        sent = self.sent(conditions, seconds)
        if quantity_id == "tx.harmonic":
            second = [line.dbc for line in lines(sent) if line.hz > 1.5 * sent[0].centre_hz]
            level = max(second, default=-100.0) + 0.3 * self.wiring.noise()
            return Measured(level, "simulated spectrum analyser", 1.0, source="simulated")
        if quantity_id == "tx.spurious":
            beside = [line.dbc for line in lines(sent) if line.hz < 0.9 * sent[0].centre_hz]
            level = max(beside, default=-100.0) + 0.3 * self.wiring.noise()
            return Measured(level, "simulated spectrum analyser", 1.0, source="simulated")
        carrier = strongest(sent)
        envelope = np.asarray(carrier.envelope, np.complex128)
        # The strongest line is the tone's; the carrier that is left lies the tone's frequency beside it.
        tone = conditions.tone_hz or 1000.0
        offset = fit_carrier(envelope, carrier.rate) - SIDE.get((conditions.mode or "").lower(), 0.0) * tone
        still = envelope * np.exp(-2j * np.pi * offset * np.arange(envelope.size) / carrier.rate)
        left = carrier_line(still) / max(float(np.quantile(np.abs(envelope) ** 2, 0.999)), 1e-12)
        level = 10.0 * math.log10(max(left, 1e-12)) + 0.2 * self.wiring.noise()
        return Measured(level, "simulated spectrum analyser", 0.4, source="simulated")


class ModulationMeter(_KeyedMeter):
    """Deviation, AM depth, and the audio that is sent against 1 kHz or against what is left without a tone."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        transmit = self.physics.transmit
        if transmit is None:
            return False
        if quantity_id == "tx.deviation":
            return transmit.most_deviation > 0
        if quantity_id == "tx.am_depth":
            return transmit.am is not None
        return quantity_id in ("tx.audio_response", "tx.hum_noise")

    def read(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """Hz, per cent, or dB. Raises BenchError without a tone where one is needed."""
        if quantity_id in ("tx.audio_response", "tx.hum_noise"):
            return self._audio(quantity_id, conditions, seconds)
        tone = conditions.tone_hz or 1000.0
        carrier = strongest(self.sent(conditions, seconds))
        if quantity_id == "tx.am_depth":
            depth = measure_am(np.asarray(carrier.envelope, np.complex128), carrier.rate, tone)
            return Measured(depth.depth_pct, "simulated modulation meter", 0.5, source="simulated")
        fit = fit_modulation(carrier.envelope, carrier.rate, tone)
        return Measured(fit.deviation_hz, "simulated modulation meter", 0.005 * fit.deviation_hz, source="simulated")

    def _audio(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """What the tone at the microphone makes against one of 1 kHz, or against what is left without any (dB)."""
        if not conditions.mic_mv:
            raise BenchError(tr("Nothing modulates the carrier: feed a tone to the microphone."))
        self.wiring.wait(seconds)
        here = self._modulated(conditions, conditions.tone_hz or 1000.0, seconds)
        if quantity_id == "tx.audio_response":
            other, name = self._modulated(conditions, 1000.0, seconds), "simulated audio bridge"
        else:
            other, name = self._left_over(conditions, seconds), "simulated modulation meter, tone off"
        level = 20.0 * math.log10(max(here, 1e-6) / max(other, 1e-6)) + 0.1 * self.wiring.noise()
        return Measured(level, name, 0.2, source="simulated")

    def _mode(self, conditions: Conditions) -> str:
        sends = self.radio.transmitter
        return (conditions.mode or "").lower() if sends is None else sends.modulation(conditions.mode)

    def _modulated(self, conditions: Conditions, tone: float, seconds: float) -> float:
        """Depth (AM), deviation (FM) or amplitude (SSB) that a tone makes."""
        carrier = strongest(self.wiring.emit(seconds, conditions, conditions.mic_mv or 0.0, tone))
        mode = self._mode(conditions)
        if mode == "am":
            return measure_am(np.asarray(carrier.envelope, np.complex128), carrier.rate, tone).depth_pct
        if mode in SIDE:
            return float(np.sqrt(np.mean(np.abs(carrier.envelope) ** 2)))
        return fit_modulation(carrier.envelope, carrier.rate, tone).deviation_hz

    def _left_over(self, conditions: Conditions, seconds: float) -> float:
        """The same of what is left without a tone: √2 times its rms, as of a tone that size."""
        carrier, mode = strongest(self.wiring.emit(seconds, conditions, 0.0, 1000.0)), self._mode(conditions)
        envelope = channel_filter(np.asarray(carrier.envelope, np.complex128), carrier.rate)
        if mode == "am":
            size = np.abs(envelope)
            return float(100.0 * math.sqrt(2.0) * np.std(size) / np.mean(size))
        if mode in SIDE:
            return float(np.sqrt(np.mean(np.abs(envelope) ** 2)))
        swing = audio_filter(demodulate(envelope, carrier.rate), carrier.rate)
        return float(math.sqrt(2.0) * np.std(swing))


class FieldMeter(_KeyedMeter):
    """A field-strength meter at its place beside the whip; where the hand holds the radio moves it."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return (
            quantity_id == "tx.field_strength" and self.physics.transmit is not None and self.physics.aerial is not None
        )

    def read(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """dB on its own scale."""
        self.wiring.wait(seconds)
        whip = dict(conditions.panel).get("whip", "out")
        spread = 0.1 if self.physics.aerial is None else self.physics.aerial.hand
        shown = self.radio.field_db(self.wiring.place(conditions), whip == "out") + spread * self.wiring.noise()
        return Measured(shown, "simulated field-strength meter", max(spread, 0.1), source="simulated")
