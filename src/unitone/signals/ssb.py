"""SSB from I/Q: peak envelope power, two-tone intermodulation, carrier and opposite sideband."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from unitone.errors import SignalError
from unitone.signals.channel import Complex
from unitone.signals.fm import channel_filter
from unitone.signals.spectrum import line_powers
from unitone.words import tr


@dataclass(frozen=True)
class Envelope:
    """Powers of an envelope in the square of the samples' unit: at the crest, and on average; and their ratio in dB."""

    pep: float
    mean: float

    @property
    def crest_db(self) -> float:
        """PEP over mean (dB): 3.01 for two equal tones, 0 for a carrier."""
        return 10.0 * math.log10(self.pep / self.mean)


@dataclass(frozen=True)
class TwoTone:
    """Third and fifth order products (the stronger of each pair), dB relative to either tone; subtract 6 for dB under PEP."""

    tones_hz: tuple[float, float]
    im3_db: float
    im5_db: float
    apart_db: float


def envelope(x: Complex, rate: float, width_hz: float = 8_000.0, share: float = 1e-4) -> Envelope:
    """PEP and mean of a stretch. The crest is the value that ``share`` of the time exceeds. Raises SignalError for silence.

    PEP is the mean power over one radio-frequency cycle at the crest of the envelope
    (ITU Radio Regulations, no. 1.157): of complex samples, |x|² at the crest.
    """
    inside = channel_filter(x, rate, width_hz)
    power = np.abs(inside) ** 2
    mean = float(power.mean()) if power.size else 0.0
    if mean <= 0:
        raise SignalError(tr("it is silent from beginning to end. Check what was recorded."))
    return Envelope(float(np.quantile(power, 1.0 - share)), mean)


def two_tone(x: Complex, rate: float, first_hz: float, second_hz: float) -> TwoTone:
    """Intermodulation of two tones at these offsets (Hz from the middle). Raises SignalError where a tone is missing."""
    if first_hz == second_hz:
        raise SignalError(tr("Two tones of the same frequency are one."))
    low, high = sorted((first_hz, second_hz))
    apart = high - low
    wanted = [low, high, low - apart, high + apart, low - 2 * apart, high + 2 * apart]
    powers = line_powers(x, rate, wanted)
    if min(powers[:2]) <= 0 or abs(10 * math.log10(powers[0] / powers[1])) > 20:
        raise SignalError(
            tr(
                "two tones were not found where they should be. Check their frequencies and the middle of the recording."
            )
        )
    tone = 0.5 * (powers[0] + powers[1])
    im3, im5 = max(powers[2:4]), max(powers[4:6])
    return TwoTone(
        (low, high), 10 * math.log10(max(im3, 1e-30) / tone), 10 * math.log10(max(im5, 1e-30) / tone), 10 * math.log10(powers[1] / powers[0])
    )  # fmt: skip


def suppression_db(x: Complex, rate: float, tone_hz: float, carrier_hz: float = 0.0) -> tuple[float, float]:
    """(carrier, opposite sideband) in dB relative to one tone in the wanted sideband, all offsets in Hz. Raises SignalError."""
    if tone_hz == carrier_hz:
        raise SignalError(tr("The tone is on the carrier: no measurement is possible."))
    tone, carrier, opposite = line_powers(x, rate, [tone_hz, carrier_hz, 2 * carrier_hz - tone_hz])
    if tone <= 0:
        raise SignalError(tr("no tone where it should be. Check its frequency and the sideband."))
    return 10 * math.log10(max(carrier, 1e-30) / tone), 10 * math.log10(max(opposite, 1e-30) / tone)
