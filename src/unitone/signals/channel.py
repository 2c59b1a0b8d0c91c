"""From a wide recording of I/Q to one channel: where the strongest signal is, and it alone at a modest rate, in a stream."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.signal import firwin

from unitone.errors import SignalError
from unitone.signals.polyphase import filter_whole
from unitone.words import tr

Complex = NDArray[np.complex64] | NDArray[np.complex128]
#: Rates between which I/Q is taken (samples a second).
LEAST_RATE, MOST_RATE = 8_000.0, 20e6


def strongest_offset(x: Complex, rate: float, width_hz: float) -> float:
    """Middle (Hz from the centre) of the ``width_hz`` that hold most power. Raises SignalError for silence.

    The power is averaged over stretches, so that a carrier with modulation on it is
    found as a whole, not one of its sidebands.
    """
    size = min(fft.next_fast_len(max(64, x.size // 8)), 1 << 15)
    if x.size < size:
        raise SignalError(tr("{size} samples are too few to find a signal in.", size=x.size))
    parts = x[: (x.size // size) * size].reshape(-1, size)[:256]
    window = np.hanning(size).astype(np.float32)
    power = np.mean(np.abs(fft.fft(parts * window, axis=1)) ** 2, axis=0)
    power = fft.fftshift(power)
    if not np.isfinite(power).all():
        raise SignalError(tr("a sample is not a number. Export the recording again, as integers if need be."))
    if power.max() <= 0:
        raise SignalError(tr("it is silent from beginning to end. Check what was recorded."))
    bins = max(1, min(size, round(width_hz / rate * size)))
    held = np.convolve(power - np.median(power), np.ones(bins), "same")
    near = slice(max(0, int(np.argmax(held)) - bins // 2), int(np.argmax(held)) + bins // 2 + 1)
    weights = np.maximum(power[near] - 2.0 * np.median(power), 0.0)
    if weights.sum() <= 0:
        weights = power[near]
    hz = fft.fftshift(fft.fftfreq(size, 1.0 / rate))[near]
    return float((hz @ weights) / weights.sum())


@lru_cache(maxsize=8)
def _taps(down: int, share: float) -> NDArray[np.float32]:
    return np.asarray(firwin(16 * down + 1, share / down, window=("kaiser", 8.0)), np.float32)


class Channel:
    """Mixes an offset to zero and comes down to a rate near ``wanted_rate``, block by block without seams."""

    def __init__(self, rate: float, offset_hz: float, wanted_rate: float, share: float = 0.8) -> None:
        if not LEAST_RATE <= rate <= MOST_RATE:
            raise SignalError(tr("{rate:g} samples a second: I/Q is taken between 8 kHz and 20 MHz.", rate=rate))
        self.in_rate, self.offset_hz = rate, offset_hz
        self.down = max(1, int(rate / wanted_rate))
        self.rate = rate / self.down
        self._filter = _taps(self.down, share) if self.down > 1 else None
        self._tail: NDArray[np.complex64] = np.zeros(0, np.complex64)
        self._at = 0

    def take(self, block: Complex) -> NDArray[np.complex64]:
        """The channel's samples that this block completes, shape (m,). Raises SignalError for what is no number."""
        if not np.isfinite(block).all():
            at = (self._at + int(np.argmax(~np.isfinite(block)))) / self.in_rate
            raise SignalError(
                tr("a sample at {at:.3f} s is not a number. Export the recording again, as integers if need be.", at=at)
            )
        mixed = np.asarray(block, np.complex64)
        if self.offset_hz:
            mixed = mixed * self._phasor(block.size)
        self._at += block.size
        if self._filter is None:
            return mixed
        held = np.concatenate((self._tail, mixed))
        taps = self._filter.size
        # Every output is a whole filter over the input: the first begins with the first sample.
        outputs = (held.size - taps) // self.down + 1
        if outputs <= 0:
            self._tail = held
            return np.zeros(0, np.complex64)
        used = held[: (outputs - 1) * self.down + taps]
        made = filter_whole(used, self._filter, down=self.down)
        self._tail = held[outputs * self.down :]
        return made

    def _phasor(self, n: int) -> NDArray[np.complex64]:
        """exp(−j2π·offset·t) for the next ``n`` samples: a short table turned on, so that no long sine is worked out."""
        step = -2.0 * math.pi * self.offset_hz / self.in_rate
        short = 4096
        table = np.exp(1j * step * np.arange(short)).astype(np.complex64)
        rows = math.ceil(n / short)
        turns = np.exp(1j * ((step * (self._at + short * np.arange(rows))) % (2 * math.pi))).astype(np.complex64)
        return np.asarray((turns[:, None] * table[None, :]).reshape(-1)[:n], np.complex64)
