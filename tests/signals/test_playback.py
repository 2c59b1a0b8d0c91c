"""Sound on its way to a loudspeaker: no seam between blocks, the tone's own level and purity, silence and ramps where nothing comes."""

from __future__ import annotations

import numpy as np
import pytest

from unitone.signals.playback import Playback
from unitone.signals.sinad import tone_powers

_HZ = 1000.0


def _played(rate: float, made: float, seconds: float = 2.0) -> np.ndarray:
    playback, out = Playback(rate), []
    t = np.arange(round(seconds * made)) / made
    tone = 0.5 * np.sin(2 * np.pi * _HZ * t)
    for block in np.array_split(tone, round(seconds * 10)):
        playback.push(block, made)
        out.append(playback.block(round(rate * 0.1)))
    assert playback.gaps == 0
    return np.concatenate(out)[round(0.2 * rate) :]


@pytest.mark.parametrize(
    "rate, made, least", [(48_000.0, 24_000.0, 60.0), (24_000.0, 24_000.0, 80.0), (44_100.0, 24_000.0, 30.0)]
)
def test_a_tone_in_blocks_comes_out_whole(rate: float, made: float, least: float) -> None:
    heard = _played(rate, made)
    assert tone_powers(heard, rate).sinad_db > least
    assert np.sqrt(np.mean(heard**2)) == pytest.approx(0.5 / np.sqrt(2), rel=0.02)


def test_what_does_not_come_is_silence_by_a_ramp_and_is_counted() -> None:
    playback = Playback(48_000.0)
    assert not playback.block(480).any() and playback.gaps == 0, "before the first sound nothing is missing"
    playback.push(np.full(2400, 0.8), 48_000.0)
    assert playback.waiting_s() == pytest.approx(0.05)
    out = playback.block(4800)
    assert playback.gaps == 1 and np.abs(np.diff(out)).max() < 0.01 and not out[-1000:].any()
    playback.push(np.full(2400, 0.8), 48_000.0)
    assert abs(playback.block(100)[0]) < 0.01, "it comes back by a ramp"
    playback.stop()
    assert np.abs(np.diff(playback.block(4800))).max() < 0.01 and playback.gaps == 1


def test_who_listens_late_hears_what_is_now() -> None:
    playback = Playback(24_000.0)
    for n in range(40):
        playback.push(np.full(2400, n / 40), 24_000.0)
    assert playback.waiting_s() == pytest.approx(1.0) and playback.block(1)[0] == pytest.approx(30 / 40)
