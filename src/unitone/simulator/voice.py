"""A speaking voice: what a microphone is given, and a second receiver hears.

Source and filter (G. Fant, Acoustic Theory of Speech Production, 1960): pulses of the vocal cords with a falling spectrum, through three
formants; a sentence is a row of sounds, voiced and unvoiced, with an intonation that rises and falls, and short pauses.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter

#: Formants of vowels (Hz), typical of a grown man: G. E. Peterson and H. L. Barney, 1952, rounded, from memory.
_VOWELS = (
    (270, 2290, 3010), (390, 1990, 2550), (530, 1840, 2480), (660, 1720, 2410), (730, 1090, 2440), (570, 840, 2410), (440, 1020, 2240),
    (300, 870, 2240),
)  # fmt: skip
_WIDTHS_HZ = (60.0, 90.0, 120.0)


def sentence(
    rng: np.random.Generator, seconds: float, rate: float, pitch_hz: float | None = None
) -> NDArray[np.float64]:
    """A sentence read aloud, shape (seconds·rate,), peaks near 1; ``pitch_hz``: the speaker's usual one, drawn where it is not told."""
    usual = float(np.exp(rng.uniform(math.log(95.0), math.log(215.0)))) if pitch_hz is None else pitch_hz
    total = round(seconds * rate)
    out: list[NDArray[np.float64]] = []
    done, phase, wave = 0, 0.0, float(rng.uniform(0.0, 2.0 * math.pi))
    while done < total:
        size = round(rng.uniform(0.08, 0.28) * rate)
        kind = rng.random()
        if kind < 0.12:
            piece = np.zeros(round(size * 0.7))
        elif kind < 0.28:
            piece = lfilter([1.0, -0.9], [1.0], rng.standard_normal(size)) * 0.08
        else:
            t = (done + np.arange(size)) / rate
            # Intonation: a slow swing over the sentence, a little of its own for each sound, and a flutter.
            swing = 0.14 * np.sin(2.0 * math.pi * 0.45 * t + wave) + 0.08 * rng.uniform(-1, 1)
            swing = (
                swing + rng.uniform(-0.08, 0.08) * np.linspace(-0.5, 0.5, size) + 0.006 * np.sin(2 * math.pi * 5.2 * t)
            )
            cycles = phase + np.cumsum(usual * (1.0 + swing)) / rate
            phase = float(cycles[-1]) % 1.0
            piece = _vowel(cycles, _VOWELS[int(rng.integers(len(_VOWELS)))], rate, usual)
            edge = min(round(0.02 * rate), size // 3)
            fade = np.ones(size)
            fade[:edge] = np.linspace(0.0, 1.0, edge)
            fade[-edge:] = np.linspace(1.0, 0.0, edge)
            piece = piece * fade * rng.uniform(0.5, 1.0)
        out.append(piece)
        done += piece.size
    whole = np.concatenate(out)[:total] + 0.002 * rng.standard_normal(total)
    return np.asarray(whole / max(float(np.abs(whole).max()), 1e-9))


def _vowel(
    cycles: NDArray[np.float64], formants: tuple[int, int, int], rate: float, usual: float
) -> NDArray[np.float64]:
    """A vowel: harmonics that fall by 12 dB an octave, through the formants."""
    highest = min(int(3800.0 / usual), 60)
    source = np.zeros(cycles.size)
    for k in range(1, highest + 1):
        source += np.cos(2.0 * math.pi * k * cycles) / k**1.2
    for hz, width in zip(formants, _WIDTHS_HZ, strict=True):
        pole = np.exp(-math.pi * width / rate)
        source = lfilter([1.0 - pole], [1.0, -2.0 * pole * math.cos(2.0 * math.pi * hz / rate), pole**2], source)
    return np.asarray(source / max(float(np.abs(source).max()), 1e-9))
