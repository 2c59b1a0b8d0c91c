"""Six coils in a row, two coupled pairs among them, with one meter behind: for proofs of the coach over many sets."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from unitone.radio.resonance import pair_response, single_loss
from unitone.simulator.mechanics import stream

#: Which coils belong together, in the order of the signal.
GROUPS: tuple[tuple[int, ...], ...] = ((0,), (1, 2), (3, 4), (5,))


@dataclass(frozen=True)
class Chain:
    """Tops and half-widths of the six (turns), couplings of the pairs (units of critical), the meter's noise (dB) and lag (s)."""

    tops: tuple[float, ...]
    widths: tuple[float, ...]
    couplings: tuple[float, float]
    noise: float
    lag: float
    play: float


def make_chain(seed: int) -> Chain:
    """The six of a seed: some 23 dB down as found; half-widths 0.4 to 1.6 turns, the two of a pair alike within a tenth or so."""
    rng = stream(seed, "six coils")
    widths = np.exp(rng.uniform(math.log(0.4), math.log(1.6), 6))
    for a, b in ((1, 2), (3, 4)):
        widths[b] = widths[a] * math.exp(0.12 * rng.standard_normal())
    tops = np.clip(rng.normal(0.0, 1.15, 6), -3.5, 3.5)
    couplings = rng.uniform(0.35, 1.05, 2)
    return Chain(
        tuple(map(float, tops)), tuple(map(float, widths)), (float(couplings[0]), float(couplings[1])),
        float(rng.uniform(0.2, 0.5)), float(rng.uniform(0.3, 1.0)), float(rng.uniform(0.0, 1 / 16)),
    )  # fmt: skip


class Coils:
    """The six at work."""

    def __init__(self, chain: Chain, seed: int) -> None:
        self.chain = chain
        self._rng = stream(seed, "six coils meter")
        self.hands = np.zeros(6)
        self.cores = np.zeros(6)
        self._needle = self.output_db(self.cores)
        self.readings = 0

    def output_db(self, cores: np.ndarray) -> float:
        """What passes (dB) with the cores at these turns from where they were found; 0 with each single and pair at its tops."""
        x = (cores - np.array(self.chain.tops)) / np.array(self.chain.widths)
        total = sum(-10.0 * math.log10(single_loss(float(x[n]))) for n in (0, 5))
        for (a, b), k in zip(GROUPS[1:3], self.chain.couplings, strict=True):
            response = pair_response(np.array([x[a]]), np.array([x[b]]), k)[0]
            total += 20.0 * math.log10(abs(response))
        return float(total)

    def turn_to(self, coil: int, turns: float) -> None:
        """The hand takes one core to ``turns`` from where it was found."""
        half = self.chain.play / 2.0
        self.hands[coil] = turns
        self.cores[coil] = min(max(self.cores[coil], turns - half), turns + half)

    def read(self, waited_s: float) -> float:
        """The needle ``waited_s`` after the last move (dB)."""
        rest = self.output_db(self.cores)
        self._needle = rest + math.exp(-waited_s / self.chain.lag) * (self._needle - rest)
        self.readings += 1
        return self._needle + self.chain.noise * float(self._rng.standard_normal())
