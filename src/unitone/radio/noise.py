"""Thermal noise and the noise factor of a chain."""

from __future__ import annotations

import math
from collections.abc import Sequence

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
