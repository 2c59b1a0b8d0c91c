"""Thermal noise and the noise factor of a chain."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

#: Boltzmann's constant, J/K (exact since the 2019 SI), and the reference temperature of noise figures (IEEE).
BOLTZMANN = 1.380649e-23
T0 = 290.0
KT0 = BOLTZMANN * T0


def ktb_dbm(bandwidth_hz: float) -> float:
    """Thermal noise power kT0·B in dBm: -174 dBm/Hz. Raises ValueError unless the bandwidth is positive."""
    if bandwidth_hz <= 0:
        raise ValueError("bandwidth must be above zero")
    return 10.0 * math.log10(KT0 * bandwidth_hz / 1e-3)


def friis(stages: Sequence[tuple[float, float]]) -> float:
    """Noise factor of a chain from (noise factor, power gain) of each stage, both linear.

    F = F1 + (F2-1)/G1 + (F3-1)/(G1·G2) + … (H. T. Friis, Proc. IRE 32, 1944, p. 419).
    A passive loss L at T0 is (L, 1/L). Raises ValueError on an empty chain.
    """
    if not stages:
        raise ValueError("a chain has at least one stage")
    total, gain = 1.0, 1.0
    for factor, stage_gain in stages:
        total += (factor - 1.0) / gain
        gain *= stage_gain
    return total


#: Widths that the least levels are worked out for (Hz): an FM channel, the audio behind an AM or SSB detector.
_CHANNEL_HZ, _AUDIO_HZ = 10_000.0, 3_100.0
#: Carrier over noise in the channel that 12 dB SINAD asks for in FM at least (dB): common practice, no source.
_FM_12_DB = 4.0


def fm_sinad_db(
    level_dbm: float, deviation_hz: float, audio_hz: tuple[float, float] = (300.0, 3_400.0), deemphasis_s: float = 0.0,
    bandwidth_hz: float = 0.0, tone_hz: float = 1_000.0,
) -> float:  # fmt: skip
    """SINAD (dB) of a tone in FM behind a receiver that adds no noise of its own, above and below the threshold.

    Above it the demodulated noise has the density N0·f²/C; below it clicks come in, r·erfc(√ρ) of them a second
    with r = B/√12 for a rectangular IF, and 2Δf/π·exp(−ρ) more by the modulation, each an impulse of one cycle;
    the tone shrinks by 1 − exp(−ρ) (S. O. Rice, Noise in FM receivers, 1963; H. Taub and D. Schilling, Principles of
    Communication Systems, from memory). ``deemphasis_s``: time constant of a single pole, 0 for none. ``bandwidth_hz``: of the
    IF, Carson's rule where 0. Raises ValueError for what cannot be.
    """
    low, high = audio_hz
    if not (deviation_hz > 0 and 0 < low < high and deemphasis_s >= 0 and bandwidth_hz >= 0 and tone_hz > 0):
        raise ValueError("deviation, tone and audio band are above zero, the band's low end under its high end")
    width = bandwidth_hz or 2.0 * (deviation_hz + high)
    carrier = 1e-3 * 10.0 ** (level_dbm / 10.0)
    rho = carrier / (KT0 * width)
    f = np.linspace(low, high, 400)

    def passes(hz: NDArray[np.float64] | float) -> NDArray[np.float64]:
        return np.asarray(1.0 / (1.0 + (2.0 * math.pi * np.asarray(hz) * deemphasis_s) ** 2), np.float64)

    clicks = width / math.sqrt(12.0) * math.erfc(math.sqrt(rho)) + 2.0 * deviation_hz / math.pi * math.exp(-rho)
    noise = float(np.trapezoid((KT0 * f**2 / carrier + 2.0 * clicks) * passes(f), f))
    tone = 0.5 * (deviation_hz * (1.0 - math.exp(-rho))) ** 2 * float(passes(tone_hz))
    return 10.0 * math.log10((tone + noise) / noise)


def least_fm_dbm(
    sinad_db: float, deviation_hz: float, audio_hz: tuple[float, float] = (300.0, 3_400.0), deemphasis_s: float = 0.0,
    bandwidth_hz: float = 0.0, tone_hz: float = 1_000.0,
) -> float:  # fmt: skip
    """The lowest level (dBm) at which ``fm_sinad_db`` reaches ``sinad_db``. Raises ValueError where no level between −180 and 0 dBm does."""
    low, high = -180.0, 0.0

    def at(level: float) -> float:
        return fm_sinad_db(level, deviation_hz, audio_hz, deemphasis_s, bandwidth_hz, tone_hz)

    if not at(low) < sinad_db < at(high):
        raise ValueError(f"{sinad_db:g} dB is not reached between −180 and 0 dBm")
    while high - low > 1e-4:
        middle = 0.5 * (low + high)
        low, high = (low, middle) if at(middle) >= sinad_db else (middle, high)
    return high


def least_level_dbm(ratio_db: float, modulation: str = "fm", depth: float = 0.3) -> float:
    """The lowest level (dBm) at which a receiver without any noise of its own can give ``ratio_db`` of SINAD or (S+N)/N.

    FM: kT0·10 kHz + 4 dB for 12 dB, and dB for dB from there (0.07 µV at 12 dB).
    AM, linear detector: C = s·kT0·2W/m²; SSB: C = s·kT0·W, with s = 10^(ratio/10) − 1 (any text on
    noise in modulation; S. Haykin, Communication Systems, from memory). Raises ValueError for an
    unknown modulation.
    """
    snr = max(10.0 ** (ratio_db / 10.0) - 1.0, 1e-3)
    if modulation == "fm":
        return ktb_dbm(_CHANNEL_HZ) + _FM_12_DB + ratio_db - 12.0
    if modulation == "am":
        return ktb_dbm(2.0 * _AUDIO_HZ / depth**2) + 10.0 * math.log10(snr)
    if modulation == "ssb":
        return ktb_dbm(_AUDIO_HZ) + 10.0 * math.log10(snr)
    raise ValueError(f"no modulation {modulation!r}")
