"""Lines of a spectrum: what an analyser shows of a set of components, in dB below the strongest line."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import fft
from scipy.signal.windows import flattop

from unitone.signals.carrier import Component


@dataclass(frozen=True)
class Line:
    """One line: frequency (Hz), power (W), and dB relative to the strongest (the carrier)."""

    hz: float
    watts: float
    dbc: float


def lines(components: Sequence[Component], floor_dbc: float = -100.0) -> list[Line]:
    """The strongest line of each component, strongest first; nothing under ``floor_dbc``.

    A flat-top window keeps the amplitude of a line between bins within 0.01 dB
    (G. Heinzel et al., Spectrum and spectral density estimation by the DFT,
    2002, from memory). Raises ValueError when no component has power.
    """
    found = []
    for part in components:
        n = part.envelope.size
        if n < 64:
            raise ValueError("a spectrum needs at least 64 samples")
        window = flattop(n)
        size = fft.next_fast_len(2 * n)
        spectrum = np.abs(fft.fft(part.envelope * window, size)) / window.sum()
        top = int(np.argmax(spectrum))
        offset = fft.fftfreq(size, 1.0 / part.rate)[top]
        found.append((part.centre_hz + float(offset), float(spectrum[top] ** 2)))
    carrier = max((watts for _, watts in found), default=0.0)
    if carrier <= 0:
        raise ValueError("no signal")
    made = [Line(hz, watts, 10.0 * math.log10(max(watts, 1e-30) / carrier)) for hz, watts in found]
    return sorted((line for line in made if line.dbc >= floor_dbc), key=lambda line: -line.watts)
