"""Voltmeter, ammeter and counter."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from unitone.bench.ports import Measured
from unitone.errors import BenchError
from unitone.job.damages import is_final_gone
from unitone.sheet.model.sheet import Conditions
from unitone.signals.carrier import Component, fit_carrier, strongest
from unitone.simulator.instruments.wiring import BLOCK_SECONDS, Instrument
from unitone.simulator.radio import UNLOCKED_HZ
from unitone.simulator.receiver import RATE
from unitone.simulator.transmitter import SIDE
from unitone.words import tr

_TIMEBASE_PPM = 0.05
#: A row of the voltage table.
POINT = "stage.voltage"


class Voltmeter(Instrument):
    """A digital voltmeter on a rail, the supply, or a VCO's control line."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return (
            quantity_id in ("supply.rail", "supply.voltage")
            or (quantity_id == "vco.tuning_voltage" and bool(self.physics.vco))
            or (quantity_id == POINT and bool(self.physics.circuit))
        )

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A second's reading."""
        return self._read(quantity_id, conditions, 1.0)

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """A tenth of a second's."""
        return self._read(quantity_id, conditions, BLOCK_SECONDS)

    def _read(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        self.wiring.wait(seconds)
        if quantity_id == "vco.tuning_voltage":
            volts = self.radio.vco_volts(self.wiring.place(conditions))
        elif quantity_id == POINT:
            row = next((v for v in self.radio.sheet.voltages if v.id == conditions.test_point), None)
            if row is None:
                raise BenchError(tr("The voltage table has no row “{row_id}”.", row_id=conditions.test_point or ""))
            volts = self.radio.point_volts(row)
        elif quantity_id == "supply.rail":
            volts = self.radio.rail_volts(conditions.test_point or "")
        else:
            volts = self.radio.supply_volts(self.wiring.place(conditions))
        shown = volts * (1 + 0.0005 * self.wiring.noise()) + 0.002 * self.wiring.noise()
        return Measured(round(shown, 3), "simulated voltmeter", 0.004, source="simulated")


class Ammeter(Instrument):
    """What the radio draws, and what its final draws at idle."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        if quantity_id == "tx.bias_current":
            return self.physics.transmit is not None and self.physics.bias is not None
        return quantity_id == "supply.current" and self.physics.draw is not None

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A second's reading."""
        return self._read(quantity_id, conditions, 1.0)

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """A tenth of a second's."""
        return self._read(quantity_id, conditions, BLOCK_SECONDS)

    def _read(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        w = self.wiring
        w.wait(seconds)
        if quantity_id == "supply.current":
            amps, spread = self.radio.supply_amps(w.place(conditions)), 0.003
        else:
            self.radio.broken = is_final_gone(w.damaged)
            amps, spread = self.radio.idle_amps(w.clock), 0.004
        return Measured(amps * (1 + spread * w.noise()), "simulated ammeter", 0.005 * amps, source="simulated")


class Counter(Instrument):
    """Counts what is sent, an oscillator at its test point, or what the receiver's mixer is fed with."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        if quantity_id == "tx.frequency_error":
            return self.physics.transmit is not None
        return quantity_id in ("ref.frequency", "osc.frequency", "rx.lo_error")

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A second's gate. Raises BenchError where there is nothing to count."""
        return self._read(quantity_id, conditions, 1.0)

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """A tenth of a second's gate."""
        return self._read(quantity_id, conditions, BLOCK_SECONDS)

    def _read(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        if quantity_id != "tx.frequency_error":
            return self._at_test_point(quantity_id, conditions, seconds)
        w, tone = self.wiring, conditions.tone_hz or 1000.0
        place = w.place(conditions)
        sent = w.emit(seconds, conditions, conditions.mic_mv or 0.0, tone)
        nominal = float(self.radio.sheet.carrier_hz(place.channel, place.band))
        side = SIDE.get((place.mode or "").lower())
        if side is not None:
            # In SSB the counter sees the tone's line, that far beside a carrier that is not there.
            if not conditions.mic_mv:
                raise BenchError(tr("There is no carrier to count in SSB: feed a tone to the microphone."))
            nominal += side * tone
        return self._count(strongest(sent), nominal, seconds)

    def _at_test_point(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """A pick-up loop hands the counter a carrier with some noise on it."""
        w = self.wiring
        w.wait(seconds)
        made, place, panel = self.radio.synthesiser, w.place(conditions), dict(conditions.panel)
        if quantity_id == "rx.lo_error":
            place = replace(place, way="receive")
            nominal, actual = made.output_hz("rx.lo1", place, w.clock, panel)
            if not self.radio.locked(place):
                actual = nominal + UNLOCKED_HZ / 4
        else:
            reference = self.physics.reference
            if quantity_id == "ref.frequency" and reference is not None:
                name = reference.oscillator
            else:
                name = made.at_test_point(conditions.test_point or "", place)
            nominal = made.nominal_hz(name)
            actual = made.counted_hz(name, w.clock, panel, place)
            if abs(actual - nominal) >= RATE / 2:
                # One that follows the dial stands anywhere: the tap is taken round what comes.
                nominal = round(actual)
        t = np.arange(round(seconds * RATE)) / RATE
        noise = 0.02 * (w.hand.standard_normal(t.size) + 1j * w.hand.standard_normal(t.size))
        tap = Component(nominal, RATE, np.exp(2j * np.pi * (actual - nominal) * t) + noise)
        return self._count(tap, nominal if quantity_id == "rx.lo_error" else 0.0, seconds)

    def _count(self, component: Component, minus_hz: float, seconds: float) -> Measured:
        offset = fit_carrier(component.envelope, component.rate)
        counted = (component.centre_hz + offset) * (1 + _TIMEBASE_PPM * 1e-6)
        shown = round(counted * seconds) / seconds
        return Measured(shown - minus_hz, "simulated counter", 1.0 / seconds / 2, raw=shown, source="simulated")
