"""Readings of a simulated radio's receiver that take two settings: automatic gain, selectivity and the noise blanker.

Each does what a technician does at the bench: the same thing is read twice, and the decibels between are told.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from unitone.errors import BenchError
from unitone.signals.sinad import rms
from unitone.simulator.radio import Panel, Received
from unitone.simulator.receiver import Pulses, Signal
from unitone.words import tr

#: The weak signal of a gain test: 10 µV PD (common practice, no source).
AGC_FROM_DBM = -87.0
#: How far beside the channel a signal is put for selectivity (the raster of the channels), and the most that a generator gives.
BESIDE_HZ, _MOST_DBM = 10_000.0, 13.0
#: An ignition's pulses against the carrier (common practice, no source).
_PULSE_DBM = -17.0
_SETTLE_SECONDS, _SECONDS = 0.4, 0.5
#: The gain control's volts are looked at block by block until they change by less than this share.
_BLOCK_SECONDS, _BLOCKS_AT_MOST, _STILL = 0.15, 15, 0.005


@dataclass(frozen=True)
class Listening:
    """How the bench listens: seconds, signal, panel and pulses to what is received."""

    receive: Callable[[float, Signal | None, Panel, Pulses | None], Received]

    def audio_db(self, signal: Signal | None, panel: Panel, pulses: Pulses | None = None) -> float:
        """Level of the audio (dB) once it has settled."""
        self.receive(_SETTLE_SECONDS, signal, panel, pulses)
        return 20.0 * math.log10(max(rms(self.receive(_SECONDS, signal, panel, pulses).audio), 1e-9))

    def agc_volts(self, signal: Signal, panel: Panel) -> float:
        """Volts of the gain control's line once they stand still: after a strong signal that takes its time."""
        before = self.receive(_BLOCK_SECONDS, signal, panel, None).agc_volts
        for _ in range(_BLOCKS_AT_MOST):
            now = self.receive(_BLOCK_SECONDS, signal, panel, None).agc_volts
            if abs(now - before) <= _STILL * max(now, 1e-3):
                return now
            before = now
        return before


def gain_rise_db(ear: Listening, signal: Signal, panel: Panel) -> float:
    """How much louder (dB) the audio is than that of 10 µV."""
    weak = ear.audio_db(replace(signal, dbm=AGC_FROM_DBM), panel)
    return ear.audio_db(signal, panel) - weak


def selectivity_db(ear: Listening, signal: Signal, panel: Panel) -> float:
    """How many decibels more a signal beside the channel needs for the same gain tuning voltage; the less of both sides."""
    still = replace(signal, tone_hz=0.0, deviation_hz=0.0, depth=0.0)
    wanted = ear.agc_volts(still, panel)
    least = math.inf
    for side in (-1.0, 1.0):
        low, high = signal.dbm, _MOST_DBM
        while high - low > 0.5:
            middle = (low + high) / 2
            beside = replace(still, hz=signal.hz + side * BESIDE_HZ, dbm=middle)
            low, high = (middle, high) if ear.agc_volts(beside, panel) < wanted else (low, middle)
        least = min(least, (low + high) / 2 - signal.dbm)
    return least


def blanked_db(ear: Listening, signal: Signal | None, panel: Panel, control: str) -> float:
    """How many decibels quieter an ignition's pulses are with the blanker on. Raises BenchError where the panel leaves it off."""
    words = dict(panel.words)
    if words.get(control) != "on":
        raise BenchError(tr("The blanker is read with its switch on: put {control} on in the set-up.", control=control))
    pulses = Pulses(_PULSE_DBM)
    still = None if signal is None else replace(signal, tone_hz=0.0, deviation_hz=0.0, depth=0.0)
    off = replace(panel, words=tuple(sorted((words | {control: "off"}).items())))
    return ear.audio_db(still, off, pulses) - ear.audio_db(still, panel, pulses)
