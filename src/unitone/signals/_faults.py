"""What is wrong with a recording before anything is measured in it: clipping, offset, gaps, silence, what is no number."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from unitone.errors import SignalError
from unitone.words import tr

Real = NDArray[np.float64] | NDArray[np.float32]

#: Below this (full scale = 1) a recording is silence: less than half a step of 24 bits.
SILENCE = 3e-8
#: A value that is held for so long (seconds) amid a signal is a gap.
_GAP_S = 1e-3
_GAP_SAMPLES = 16
#: At this share of full scale, flat tops are a converter's, not the signal's.
_FULL = 0.985


@dataclass
class Health:
    """What was seen so far; ``take`` adds a block. Levels are relative to full scale (1.0)."""

    rate: float
    samples: int = 0
    peak: float = 0.0
    total: float = 0.0
    square: float = 0.0
    clipped: int = 0
    gaps: list[float] = field(default_factory=list)
    _held: int = 0
    _last: float = float("nan")

    def take(self, block: Real) -> None:
        """Look at a block, shape (n,). Raises SignalError for samples that are not numbers."""
        if not block.size:
            return
        if not np.all(np.isfinite(block)):
            at = (self.samples + int(np.argmax(~np.isfinite(block)))) / self.rate
            raise SignalError(
                tr("a sample at {at:.3f} s is not a number. Export the recording again, as integers if need be.", at=at)
            )
        top = float(np.max(np.abs(block)))
        self.peak = max(self.peak, top)
        self.total += float(np.sum(block, dtype=np.float64))
        self.square += float(np.sum(np.square(block, dtype=np.float64)))
        # A short block's own top says nothing: what counts is the top of all so far.
        if self.peak >= _FULL or (self.peak > 0.02 and self.samples + block.size > 0.05 * self.rate):
            self._clips(block, self.peak)
        self._gaps(block)
        self.samples += block.size

    def _clips(self, block: Real, top: float) -> None:
        """Flat tops: neighbours that share the extreme value. At full scale two are enough, below it takes four."""
        at_top = np.abs(block) >= top * (1.0 - 1e-7)
        run = 2 if top >= _FULL else 4
        if np.count_nonzero(at_top) < run:
            return
        held = at_top.copy()
        for shift in range(1, run):
            held[shift:] &= at_top[:-shift] & (block[shift:] == block[:-shift])
            held[:shift] = False
        self.clipped += int(np.count_nonzero(held))

    def _gaps(self, block: Real) -> None:
        least = max(_GAP_SAMPLES, int(_GAP_S * self.rate))
        # A run that ended where the last block ended is known to have ended only now.
        goes_on = block[0] == self._last
        if not goes_on and self._held >= least:
            self.gaps.append(max(0.0, (self.samples - self._held) / self.rate))
        same = block[1:] == block[:-1]
        # Nearly always no two neighbours are equal for long: then there is nothing to look for.
        if not same.any() and not goes_on:
            self._held, self._last = 1, float(block[-1])
            return
        edges = np.flatnonzero(~same)
        lengths = np.diff(np.concatenate(([-1], edges, [block.size - 1])))
        starts = np.concatenate(([0], edges + 1))
        if goes_on:
            lengths[0] += self._held
            starts[0] -= self._held
        for n in np.flatnonzero(lengths[:-1] >= least):
            self.gaps.append(max(0.0, (self.samples + float(starts[n])) / self.rate))
        # The last run may go on into the next block: it is counted there.
        self._held, self._last = int(lengths[-1]), float(block[-1])

    @property
    def seconds(self) -> float:
        """How much was looked at."""
        return self.samples / self.rate

    @property
    def rms(self) -> float:
        """Root mean square."""
        return float(np.sqrt(self.square / self.samples)) if self.samples else 0.0

    @property
    def offset(self) -> float:
        """Mean: the DC offset."""
        return self.total / self.samples if self.samples else 0.0

    def check(self, least_s: float) -> None:
        """Raises SignalError for too short a recording and for silence."""
        if self.seconds < least_s:
            raise SignalError(
                tr(
                    "{samples} samples ({x:.1f} ms) are too few: at least {x2:.0f} ms are needed.",
                    samples=self.samples,
                    x=self.seconds * 1000.0,
                    x2=least_s * 1000.0,
                )
            )
        if self.peak < SILENCE:
            raise SignalError(
                tr("it is silent from beginning to end. Check the cable and the input that was recorded.")
            )

    def warnings(self) -> list[str]:
        """In words, the worst first."""
        found = []
        if self.clipped > 2:
            share = 100.0 * self.clipped / max(self.samples, 1)
            found.append(
                tr(
                    "clipped: {share:.2g} % of the samples are at full scale. Turn the level down and record again.",
                    share=share,
                )
            )
        if self.peak > 1.0:
            found.append(
                tr(
                    "over full scale by {x:.1f} dB: float samples, fine here, clipped elsewhere.",
                    x=20 * np.log10(self.peak),
                )
            )
        if self.gaps:
            found.append(
                tr(
                    "{n} gaps, the first at {gaps:.2f} s: samples were lost in recording.",
                    n=len(self.gaps),
                    gaps=self.gaps[0],
                )
            )
        swing = float(np.sqrt(max(self.rms**2 - self.offset**2, 0.0)))
        if abs(self.offset) > 0.02 and abs(self.offset) > 0.05 * swing:
            found.append(tr("DC offset of {x:.1f} % of full scale: left out of the measurement.", x=100 * self.offset))
        return found
