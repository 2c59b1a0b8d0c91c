"""A noise that a simulated radio makes by itself, listened to before and after something is tried: an input held to earth, the volume down,
another channel, another amplifier behind the detector."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from unitone.sheet.model.sheet import Conditions
from unitone.simulator.instruments.wiring import FULL_SCALE_V
from unitone.simulator.radio import Panel
from unitone.simulator.receiver import RATE
from unitone.simulator.simulated_bench import SimulatedBench

#: Gain control settles for so long; then so much is listened to (s).
_SETTLES_S, _LISTENS_S = 0.4, 1.2
#: The carrier that quiets an FM receiver (dBm).
_QUIETS_DBM = -60.0
#: A line holds what lies so near to it (Hz); below the lowest frequency nothing is heard.
_NEAR_HZ, _LOWEST_HZ = 15.0, 40.0
#: Between what is heard before and after (s).
_BETWEEN_S = 0.3
#: Quieter than this is silence (V).
_SILENT_V = 1e-5


@dataclass(frozen=True)
class NoiseTrial:
    """Loudspeaker volts before and after, shape (n,) each, and their rate (Hz)."""

    before: NDArray[np.float64]
    after: NDArray[np.float64]
    rate: float

    @property
    def heard(self) -> NDArray[np.float64]:
        """One after the other with a moment between, as shares of the loudspeaker's full scale, shape (n,)."""
        both = (self.before, np.zeros(round(_BETWEEN_S * self.rate)), self.after)
        return np.concatenate(both) / (FULL_SCALE_V * math.sqrt(2.0))

    @property
    def change_db(self) -> float:
        """How much louder it is with it (dB)."""
        before, after = (max(float(np.sqrt(np.mean(x**2))), _SILENT_V) for x in (self.before, self.after))
        return float(20.0 * np.log10(after / before))

    @property
    def line(self) -> tuple[float, float]:
        """(Hz, share of the power, 0 to 1) of the strongest line in what was heard before; a noise has none that holds much."""
        power = np.abs(np.fft.rfft(self.before * np.hanning(self.before.size))) ** 2
        hz = np.fft.rfftfreq(self.before.size, 1.0 / self.rate)
        power[hz < _LOWEST_HZ] = 0.0
        if not power.sum() > 0:
            return 0.0, 0.0
        top = float(hz[int(np.argmax(power))])
        return top, float(power[np.abs(hz - top) <= _NEAR_HZ].sum() / power.sum())


def try_noise(
    bench: SimulatedBench, here: Conditions, tried: Conditions, grounded: str = "", elsewhere: bool = False
) -> NoiseTrial:
    """Listen as the radio stands ``here``, without a generator (an FM receiver, which hisses by itself, on a strong carrier); then as it
    is ``tried``, with the input of stage ``grounded`` held to earth, or from the detector through another amplifier. Raises BenchError for
    a radio without a receiver."""
    before = _heard(bench, here, "", False)
    return NoiseTrial(before, _heard(bench, tried, grounded, elsewhere), RATE)


def _heard(bench: SimulatedBench, conditions: Conditions, grounded: str, elsewhere: bool) -> NDArray[np.float64]:
    receiver, wiring = bench.radio.receiver, bench.wiring
    panel = Panel.from_positions(conditions.panel)
    signal = None
    if bench.radio.mode_of(conditions.mode) == "fm":
        signal = wiring.signal(
            replace(conditions, level_dbm=_QUIETS_DBM, tone_hz=None, deviation_hz=None, depth_pct=None)
        )
    receiver.grounded = grounded
    try:
        wiring.receive(_SETTLES_S, conditions, signal, panel, elsewhere=elsewhere)
        heard = wiring.receive(_LISTENS_S, conditions, signal, panel, elsewhere=elsewhere)
    finally:
        receiver.grounded = ""
    return np.asarray(heard.audio, np.float64)
