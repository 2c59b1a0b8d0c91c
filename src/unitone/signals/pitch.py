"""How far a voice is shifted in frequency: what a mistuned single-sideband receiver does to it.

A voiced sound has its harmonics at whole multiples of its pitch. Shifted, they still stand a pitch apart, but beside those multiples: the
distance is the shift, but for whole pitches. A voice that rises and falls tells which: only the true shift fits all its sounds.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.signal import resample_poly

from unitone.errors import SignalError
from unitone.words import tr

Floats = NDArray[np.float64]
#: Samples a second that hold a sideband.
_ENOUGH_HZ = 8000.0
#: Frames (s), how far apart, and what is looked at of each (Hz): the band that a sideband passes.
_FRAME_S, _HOP_S = 0.09, 0.03
_LOW_HZ, _HIGH_HZ = 250.0, 2900.0
#: Pitches of voices (Hz), and the shifts that are told (Hz).
_PITCH_HZ = (70.0, 320.0)
MOST_HZ = 500.0
#: A frame is voiced where its harmonics stand out by this share, and no softer than this under the loudest (dB).
_VOICED, _SOFT_DB = 0.3, 30.0
#: A clear frame counts more than a faint one, by this power of how clear it is.
_CLARITY = 4.0
#: So much of it has to be voiced (s): in noise less is found.
_LEAST_S = 1.2
#: Another shift that fits so nearly as well (share) leaves open which it is: by a pitch or so (Hz).
_RIVAL, _OPEN_HZ = 0.95, 60.0
#: Voices are seldom shifted far: what fits as well nearer to nothing is likelier (Hz, standard; how much it counts).
_NEAR_HZ, _NEAR_COUNTS = 400.0, 0.1


@dataclass(frozen=True)
class Shift:
    """A voice's shift (Hz, positive is too high), its standard uncertainty, the voiced seconds it comes from, and how well the next best
    shift fits against it (0 to 1): near 1 it cannot be told by how many pitches it is off."""

    hz: float
    std_hz: float
    seconds: float
    rival: float


def voice_shift(samples: NDArray[Any], rate: float) -> Shift:
    """By how much the voice in ``samples`` (n,) at ``rate`` is shifted. Raises SignalError where too little of it is voiced.

    Each frame's magnitude spectrum is transformed along frequency; at the inverse of the pitch the phase tells how far the comb of
    harmonics stands from whole multiples. The shift is where the cosines of all frames' distances sum to the most.
    """
    x = np.asarray(samples, np.float64)
    # A voice needs no more than 8 kHz; a sound card gives six times that, ten times a second.
    if (fewer := int(rate // _ENOUGH_HZ)) > 1 and x.size > fewer:
        x, rate = resample_poly(x, 1, fewer), rate / fewer
    pitches, offsets, weights = _combs(x, rate)
    if pitches.size * _HOP_S < _LEAST_S:
        raise SignalError(
            tr(
                "Too little of a voice in it. Read the sentence aloud, five seconds without pauses, and turn the volume up."
            )
        )
    trial = np.arange(-MOST_HZ, MOST_HZ + 0.5, 1.0)
    fits = np.cos(2.0 * math.pi * (trial[:, None] - offsets) / pitches) @ (weights / weights.sum())
    likely = fits - _NEAR_COUNTS * (trial / _NEAR_HZ) ** 2
    best = float(trial[int(likely.argmax())])
    away = np.abs(trial - best) > 0.5 * float(np.median(pitches))
    rival = float(likely[away].max() / max(likely.max(), 1e-9))
    # Round the best: what is left of each frame, averaged without those that fit nothing.
    for _ in range(3):
        left = (offsets - best + pitches / 2.0) % pitches - pitches / 2.0
        near = np.abs(left) < 0.12 * pitches
        if not near.any():
            break
        best += float(np.average(left[near], weights=weights[near]))
    left = ((offsets - best + pitches / 2.0) % pitches - pitches / 2.0)[near]
    apart = max(float(near.sum()) * _HOP_S / _FRAME_S, 1.0)
    std = float(np.sqrt(np.average((left - left.mean()) ** 2, weights=weights[near])) / math.sqrt(apart))
    if rival > _RIVAL:
        std = max(std, _OPEN_HZ)
    return Shift(best, max(std, 0.5), float(near.sum()) * _HOP_S, max(rival, 0.0))


def _combs(x: Floats, rate: float) -> tuple[Floats, Floats, Floats]:
    """(pitch, offset of the comb from its multiples, weight) of each voiced frame."""
    size, hop = round(_FRAME_S * rate), round(_HOP_S * rate)
    if x.size < size:
        return np.zeros(0), np.zeros(0), np.zeros(0)
    frames = np.lib.stride_tricks.sliding_window_view(x, size)[::hop]
    spectrum_size = 1 << math.ceil(math.log2(rate))
    magnitudes = np.abs(np.fft.rfft(frames * np.hanning(size), spectrum_size, axis=1))
    step = rate / spectrum_size
    hz = np.arange(magnitudes.shape[1]) * step
    band = (hz >= _LOW_HZ) & (hz <= _HIGH_HZ)
    loud = np.sqrt(np.sum(magnitudes[:, band] ** 2, axis=1))
    # Formants are slopes, not harmonics: the root flattens them, and the mean over three pitches is taken off.
    flat = np.sqrt(magnitudes[:, band])
    wide = round(350.0 / step)
    kernel = np.hanning(2 * wide + 1)
    kernel /= kernel.sum()
    padded = np.pad(flat, ((0, 0), (wide, wide)), mode="edge")
    flat = flat - np.apply_along_axis(lambda row: np.convolve(row, kernel, "valid"), 1, padded)
    flat *= np.hanning(flat.shape[1])
    length = 1 << math.ceil(math.log2(4.0 * flat.shape[1]))
    combs = np.fft.fft(flat, length, axis=1)[:, : length // 2]
    quefrency = np.arange(length // 2) / (length * step)
    voiced = (quefrency > 1.0 / _PITCH_HZ[1]) & (quefrency < 1.0 / _PITCH_HZ[0])
    first = int(np.flatnonzero(voiced)[0])
    size_of = np.abs(combs[:, voiced])
    at = size_of.argmax(axis=1) + first
    rows = np.arange(at.size)
    clear = size_of.max(axis=1) / np.maximum(np.sum(np.abs(flat), axis=1), 1e-12)
    keep = (clear > _VOICED) & (loud > loud.max() * 10.0 ** (-_SOFT_DB / 20.0)) & (at < length // 2 - 1)
    peak = combs[rows, at]
    # The pitch between the bins: the parabola through the three largest.
    below, above = np.abs(combs[rows, at - 1]), np.abs(combs[rows, np.minimum(at + 1, length // 2 - 1)])
    middle = np.abs(peak)
    bend = np.maximum(2.0 * middle - below - above, 1e-12)
    q = quefrency[at] + (above - below) / (2.0 * bend) * (quefrency[1] - quefrency[0])
    pitch = 1.0 / q
    begins = hz[band][0]
    # The phase at the true quefrency: half a window from the bin's own, as the window stands symmetrical round the band's middle.
    span = flat.shape[1] * step / 2.0
    phase = np.angle(peak) - 2.0 * math.pi * (q - quefrency[at]) * span
    offset = (begins - phase / (2.0 * math.pi) * pitch) % pitch
    return pitch[keep], offset[keep], (clear**_CLARITY * np.sqrt(loud))[keep]
