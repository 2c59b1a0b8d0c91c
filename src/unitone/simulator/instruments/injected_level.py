"""A stage traced by signal: the level at its input that gives standard output, or the RF volts at its output while keyed."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from unitone.bench.ports import Measured
from unitone.errors import BenchError
from unitone.sheet.model.sheet import Conditions, Stage
from unitone.signals.sinad import tone_powers
from unitone.simulator.instruments.wiring import SETTLE_SECONDS, Instrument
from unitone.simulator.radio import Panel
from unitone.simulator.receiver import RATE
from unitone.words import tr

INJECTION, PROBED = "rx.injection", "tx.stage_voltage"
#: What the generator gives (dBm in 50 ohm): from next to nothing to 0.7 V. An audio generator starts as low.
_LEAST_DBM, MOST_DBM = -130.0, 10.0
_LISTENS_S, _STEP_DB = 0.2, 12.0
#: The level is closed in to this (dB), and a hand reads it back so well.
_NEAR_DB, _READ_DB = 0.5, 0.7


class InjectedLevel(Instrument):
    """Turns the generator up at a stage until the S-meter stands at S9, or the loudspeaker gives the sheet's standard output."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id == INJECTION and self.physics.receive is not None

    def seconds_for(self, quantity_id: str) -> float:
        """A hand turns a knob and watches."""
        return 15.0

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """The level (dBm in 50 ohm); bounded where the most is not enough. Raises BenchError for a stage that is fed nowhere."""
        stage = next((s for s in self.radio.sheet.stages if s.id == conditions.inject and s.inject is not None), None)
        if stage is None:
            raise BenchError(tr("The sheet does not say where to inject at {stage}.", stage=conditions.inject or ""))
        # Up from nothing, as a hand does: gain control that was pumped up by too much takes its time to come back.
        low = high = _LEAST_DBM
        while not self._enough(stage, conditions, high):
            if high >= MOST_DBM:
                return Measured(MOST_DBM, "simulated generator", 1.0, ">", source="simulated")
            low, high = high, min(high + _STEP_DB, MOST_DBM)
        while high - low > _NEAR_DB:
            middle = (low + high) / 2.0
            low, high = (low, middle) if self._enough(stage, conditions, middle) else (middle, high)
        level = (low + high) / 2.0 + _READ_DB * self.wiring.noise()
        return Measured(round(level, 2), "simulated generator", 1.0, source="simulated")

    def _enough(self, stage: Stage, conditions: Conditions, dbm: float) -> bool:
        wanted = replace(conditions, level_dbm=dbm)
        panel = Panel.from_positions(conditions.panel)
        signal = self.wiring.signal(wanted)
        self.wiring.receive(SETTLE_SECONDS, wanted, signal, panel)
        heard = self.wiring.receive(_LISTENS_S, wanted, signal, panel)
        if stage.watch == "s_meter":
            deflections, marks = self.radio.meter_scale(conditions.mode)
            return heard.needle >= float(np.interp(0.0, marks, deflections))
        volts = math.sqrt(tone_powers(heard.audio, RATE, conditions.tone_hz or 1000.0).tone)
        return volts >= self.radio.sheet.tracing.output_v


class StageProbe(Instrument):
    """An RF probe at the output of a transmit stage, the radio keyed into its load."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id == PROBED and self.physics.transmit is not None and bool(self.physics.transmit.stage)

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """Peak volts. Raises BenchError for a stage without them."""
        self.wiring.wait(1.0)
        volts = self.radio.stage_volts(conditions.inject or "", self.wiring.place(conditions))
        volts *= 1.0 + 0.03 * self.wiring.noise()
        return Measured(max(volts, 0.0), "simulated RF probe", 0.05 * volts, source="simulated")
