"""What a broadcast station sends: a programme, as noise in the voice band that comes and goes as speech and music do."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.signal import sosfilt

from unitone.simulator.filters import butterworth

#: The band of a programme, and how fast its loudness comes and goes (Hz).
_BAND_HZ, _SYLLABLES_HZ = (150.0, 3500.0), 2.0


class Programme:
    """A programme that goes on from block to block; peaks of about ±1."""

    def __init__(self, rng: np.random.Generator, rate: float) -> None:
        self._rng = rng
        self._voice = butterworth(2, _BAND_HZ, "bandpass", rate)
        self._slow = butterworth(1, _SYLLABLES_HZ, "lowpass", rate)
        self._voice_zi = np.zeros((len(self._voice), 2))
        self._slow_zi = np.zeros((len(self._slow), 2))
        # White noise of unit density through a band of that width, and through a first-order low-pass.
        self._scale = np.sqrt(rate / 2.0 / (_BAND_HZ[1] - _BAND_HZ[0]))
        self._slow_scale = np.sqrt(rate / 2.0 / (_SYLLABLES_HZ * np.pi / 2.0))

    def next(self, samples: int) -> NDArray[np.float32]:
        """The next stretch, shape (samples,)."""
        voice, self._voice_zi = sosfilt(self._voice, self._rng.standard_normal(samples), zi=self._voice_zi)
        slow, self._slow_zi = sosfilt(self._slow, self._rng.standard_normal(samples), zi=self._slow_zi)
        loud = 0.7 + 0.3 * np.tanh(slow * self._slow_scale)
        return np.asarray(np.clip(0.33 * voice * self._scale * loud, -1.0, 1.0), np.float32)
