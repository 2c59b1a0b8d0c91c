"""Sound on its way to a loudspeaker: blocks go in as they are made, and come out at the output's own rate without a seam."""

from __future__ import annotations

import threading

import numpy as np
from numpy.typing import NDArray
from scipy.signal import firwin, lfilter

#: Where nothing has come, the sound goes down and comes back by a ramp of so long (s).
RAMP_S = 0.01
#: More than so much is never kept (s): who listens hears what is, not what was.
_MOST_S = 1.0
#: The radio's full scale is this share of the machine's.
LOUD = 0.7
#: Taps of the interpolating filter for each sample that is put in.
_TAPS = 24


class Playback:
    """Filled by the thread that makes the sound, emptied by the output's. ``rate`` is the output's (Hz); samples are shares of full scale."""

    def __init__(self, rate: float) -> None:
        self.rate = rate
        self._lock = threading.Lock()
        self._kept: NDArray[np.float64] = np.zeros(0)
        self._last = 0.0
        self._running = False
        self._filter: tuple[int, NDArray[np.float64], NDArray[np.float64]] | None = None
        #: How often the sound ran dry since the start.
        self.gaps = 0

    def waiting_s(self) -> float:
        """So much is still to be played (s)."""
        with self._lock:
            return len(self._kept) / self.rate

    def push(self, samples: NDArray[np.float64], rate: float) -> None:
        """The next stretch, made at ``rate`` (Hz)."""
        made = np.clip(self._at_output(np.asarray(samples, np.float64), rate), -1.0, 1.0)
        with self._lock:
            if not self._running and len(made):
                # It comes back by a ramp.
                n = min(round(RAMP_S * self.rate), len(made))
                made[:n] *= np.linspace(0.0, 1.0, n)
                self._running = True
            self._kept = np.concatenate([self._kept, made])[-round(_MOST_S * self.rate) :]

    def _at_output(self, samples: NDArray[np.float64], rate: float) -> NDArray[np.float64]:
        """At the output's rate, each block going on where the one before ended."""
        times = round(self.rate / rate)
        if times < 1 or abs(self.rate / rate - times) > 1e-6:
            n = round(len(samples) * self.rate / rate)
            return np.asarray(np.interp(np.arange(n) * rate / self.rate, np.arange(len(samples)), samples))
        if times == 1:
            return samples.copy()
        if self._filter is None or self._filter[0] != times:
            taps = firwin(_TAPS * times + 1, 1.0 / times) * times
            self._filter = (times, taps, np.zeros(len(taps) - 1))
        times, taps, state = self._filter
        stuffed = np.zeros(len(samples) * times)
        stuffed[::times] = samples
        made, state = lfilter(taps, np.ones(1), stuffed, zi=state)
        self._filter = (times, taps, state)
        return np.asarray(made)

    def block(self, n: int) -> NDArray[np.float64]:
        """The next ``n`` samples for the output: silence where nothing has come."""
        with self._lock:
            got, self._kept = self._kept[:n], self._kept[n:]
            short = n - len(got)
            if not short:
                self._last = float(got[-1]) if n else self._last
                return got
            rest = np.zeros(short)
            if self._running:
                self.gaps += 1
                self._running = False
                fall = min(round(RAMP_S * self.rate), short)
                rest[:fall] = (got[-1] if len(got) else self._last) * np.linspace(1.0, 0.0, fall)
            self._last = 0.0
            return np.concatenate([got, rest])

    def stop(self) -> None:
        """Nothing more comes: what is kept fades."""
        with self._lock:
            n = min(round(RAMP_S * self.rate), len(self._kept))
            self._kept = self._kept[:n] * np.linspace(1.0, 0.0, n)
            self._running = False
