"""A second receiver beside a transmitter on single sideband: an ear at its clarifier, or its voice in the sound card."""

from __future__ import annotations

import numpy as np
from scipy.signal import butter, hilbert, sosfilt

from unitone.bench.ports import Measured
from unitone.bench.second_radio import CLARIFIER, VOICE_SHIFT, side_of
from unitone.errors import BenchError
from unitone.sheet.model.sheet import Conditions
from unitone.signals.pitch import voice_shift
from unitone.simulator.instruments.wiring import Instrument, Wiring
from unitone.simulator.mechanics import stream
from unitone.simulator.voice import sentence
from unitone.words import tr

#: The sound card's rate, how long a sentence is (s), how far its noise lies under the voice (share), and what the receiver passes (Hz).
_RATE, _SENTENCE_S, _NOISE, _BAND_HZ = 8000.0, 5.0, 0.01, (300.0, 2700.0)
#: An ear at the clarifier hears steps of so many hertz, and is off by so much besides.
EAR_STEP_HZ, _EAR_STD_HZ = 30.0, 12.0
#: A voice further off is not understood at all.
_UNDERSTOOD_HZ = 1500.0
#: From here on it is brought nearer by the dial, in steps (Hz).
_FAR_HZ, _DIAL_STEP_HZ = 200.0, 100.0


class SecondRadio(Instrument):
    """Tuned to the channel's frequency, which it keeps."""

    def __init__(self, wiring: Wiring) -> None:
        super().__init__(wiring)
        self._speaker = stream(wiring.radio.seed, "voice")
        self._pitch = float(np.exp(self._speaker.uniform(np.log(95.0), np.log(215.0))))

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id in (VOICE_SHIFT, CLARIFIER) and self.physics.transmit is not None

    def seconds_for(self, quantity_id: str) -> float:
        """A sentence, or as long as a hand turns the clarifier."""
        return _SENTENCE_S if quantity_id == VOICE_SHIFT else 15.0

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """The voice's shift, or how far up the clarifier had to be turned (Hz). Raises BenchError where nothing is understood."""
        w = self.wiring
        w.wait(self.seconds_for(quantity_id))
        place = w.place(conditions)
        nominal, actual = self.radio.synthesiser.output_hz("tx.carrier", place, w.clock, dict(conditions.panel))
        off = actual - nominal
        if not self.radio.locked(place) or abs(off) > _UNDERSTOOD_HZ:
            raise BenchError(
                tr("Nothing can be understood on the second radio: the carrier is more than a kilohertz off.")
            )
        if quantity_id == CLARIFIER:
            heard = off + _EAR_STD_HZ * w.noise()
            return Measured(
                EAR_STEP_HZ * round(heard / EAR_STEP_HZ),
                "simulated second radio, clarifier by ear",
                18.0,
                source="simulated",
            )
        # A voice that is far off is brought near first, by the second radio's own dial, a step at a time.
        near = _DIAL_STEP_HZ * round((off + _EAR_STD_HZ * w.noise()) / _DIAL_STEP_HZ) if abs(off) > _FAR_HZ else 0.0
        side = side_of(conditions.mode)
        shift = voice_shift(self._heard(side * (off - near)), _RATE)
        return Measured(shift.hz + side * near, "simulated second radio, voice", shift.std_hz, source="simulated")

    def _heard(self, shift_hz: float) -> np.ndarray:
        """The sentence as it comes out of the second radio: shifted, through its filter, with noise."""
        spoken = sentence(self._speaker, _SENTENCE_S, _RATE, self._pitch)
        t = np.arange(spoken.size) / _RATE
        moved = np.real(hilbert(spoken) * np.exp(2j * np.pi * shift_hz * t))
        passed = sosfilt(butter(6, _BAND_HZ, btype="bandpass", fs=_RATE, output="sos"), moved)
        return np.asarray(passed + _NOISE * self._speaker.standard_normal(passed.size))
