"""What a stretch of the radio's sound, or of a receiver's I/Q, says of a quantity: one reading for what comes live and what was recorded."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unitone.actions import shown_key
from unitone.bench.drivers.measure import measure_iq_am, measure_iq_fm
from unitone.bench.drivers.recording import Kind, Samples
from unitone.bench.second_radio import VOICE_SHIFT
from unitone.sheet.model.sheet import Conditions
from unitone.signals.audio import AudioMeter, AudioReport, band_power
from unitone.signals.pitch import voice_shift
from unitone.signals.sinad import tone_powers
from unitone.words import tr

#: What is read from sound, and from a receiver's I/Q.
FROM_AUDIO = (
    "rx.sinad", "rx.sn_ratio", "rx.quieting", "rx.distortion", "rx.hum", "rx.tone_frequency", "rx.af_voltage", "rx.loudness",
    VOICE_SHIFT,
)  # fmt: skip
FROM_IQ = ("tx.deviation", "tx.am_depth", "tx.hum_noise")
#: Read against something heard before: the noise without a signal, the modulation with its tone.
AGAINST = ("rx.quieting", "tx.hum_noise")
#: The peak of speech is held for so long, and a voice is judged from so much (seconds).
SPEECH_S = 5.0
#: The least that gives a figure (seconds).
LEAST_S = 0.3
#: A syllable, of which the highest peak counts, and a part that a programme's loudness is told from (seconds).
_SYLLABLE_S, _PART_S = 0.5, 0.3
#: Less deviation than this is no tone at the microphone (Hz).
_NO_TONE_HZ = 50.0
#: Loudness has no scale of its own: this level against full scale reads 0 dB.
_LOUDNESS_ZERO_DBFS = -40.0
#: Nothing but the converter's own noise comes in: the lead is not plugged in, or the volume is at nought.
_SILENT_DBFS = -85.0
#: What the needle then shows.
_SILENCE = {"rx.sinad": 0.0, "rx.sn_ratio": 0.0, "rx.af_voltage": 0.0}


#: Gives some seconds, shape (n,), where a stretch is too short.
Longer = Callable[[], NDArray[Any]]


@dataclass(frozen=True)
class Figure:
    """What a stretch says: value in canonical units, its standard uncertainty, and what is wrong with it."""

    value: float | None
    std: float | None
    warning: str


class SoundFigures:
    """Reads ``FROM_AUDIO`` or ``FROM_IQ`` from stretches of one source.

    ``full_scale_v``: volts rms of a sine at full scale; AF voltage is not read without.
    """

    def __init__(self, rate: float, kind: Kind, name: str, full_scale_v: float | None = None) -> None:
        self.rate, self.kind, self.name, self.full_scale_v = rate, kind, name, full_scale_v
        #: What the readings of ``AGAINST`` are held against (dB against full scale, or over 1 Hz of deviation).
        self._against: dict[str, float] = {}

    def measures(self, quantity_id: str) -> bool:
        """Is this read from what the source is?"""
        if self.kind == "iq":
            return quantity_id in FROM_IQ
        return quantity_id in FROM_AUDIO and (quantity_id != "rx.af_voltage" or self.full_scale_v is not None)

    def keep_reference(self, quantity_id: str, x: NDArray[Any]) -> None:
        """Hold a stretch, shape (n,), as the reference of a reading of ``AGAINST``. Raises SignalError."""
        self._against[quantity_id] = self._height(quantity_id, x)

    def read(self, quantity_id: str, x: NDArray[Any], conditions: Conditions, longer: Longer) -> Figure:
        """A quantity from a stretch, shape (n,). Speech is read from ``longer()``, which ends where the stretch does: a sentence,
        not a needle's moment. Raises SignalError."""
        if self.kind == "iq":
            return self._modulation(quantity_id, x, conditions, longer)
        audio = np.asarray(x, np.float64)
        if quantity_id in AGAINST:
            return self._compared(quantity_id, audio)
        level = 10.0 * math.log10(2.0 * max(float(np.var(audio)), 1e-30))
        if level < _SILENT_DBFS:
            return Figure(_SILENCE.get(quantity_id), None, tr("no sound comes in: check lead, volume and squelch"))
        if quantity_id == VOICE_SHIFT:
            return self._voice(longer())
        if quantity_id in ("rx.hum", "rx.tone_frequency"):
            return self._of_report(quantity_id, audio, conditions)
        if quantity_id in ("rx.sinad", "rx.sn_ratio", "rx.distortion"):
            return self._tone(quantity_id, audio, conditions)
        level = 10.0 * math.log10(2.0 * max(band_power(audio, self.rate), 1e-30))
        if quantity_id == "rx.af_voltage" and self.full_scale_v is not None:
            return Figure(self.full_scale_v * 10.0 ** (level / 20.0), None, "")
        return Figure(level - _LOUDNESS_ZERO_DBFS, self._loudness_std(audio), "")

    def _loudness_std(self, audio: NDArray[np.float64]) -> float | None:
        """How far a programme's level is in doubt (dB): what its parts differ by, shared among them; None for too short a stretch."""
        parts = np.array_split(audio, max(int(audio.size / (_PART_S * self.rate)), 1))
        if len(parts) < 3:
            return None
        levels = [10.0 * math.log10(max(band_power(p, self.rate), 1e-30)) for p in parts]
        return float(np.std(levels, ddof=1)) / math.sqrt(len(levels))

    def _voice(self, spoken: NDArray[Any]) -> Figure:
        """By how much a voice is shifted, from the sentence that was heard last. Raises SignalError for too little of one."""
        shift = voice_shift(np.asarray(spoken, np.float64), self.rate)
        return Figure(shift.hz, shift.std_hz, "")

    def _height(self, quantity_id: str, x: NDArray[Any]) -> float:
        """How loud a stretch is (dB): noise in the audio band, or deviation. Raises SignalError."""
        if quantity_id == "tx.hum_noise":
            fm = measure_iq_fm(Samples(x, self.rate, "iq", self.name))
            return 20.0 * math.log10(max(fm.rms_hz, 1e-3))
        return 10.0 * math.log10(2.0 * max(band_power(np.asarray(x, np.float64), self.rate), 1e-30))

    def _compared(self, quantity_id: str, x: NDArray[Any]) -> Figure:
        """What is heard now under what was held. Raises SignalError."""
        before = self._against.get(quantity_id)
        if before is None:
            words = (
                tr("generator off, then {key}: the noise is held as reference", key=shown_key("reference"))
                if quantity_id == "rx.quieting"
                else tr("key with the tone on, then {key}: it is held as reference", key=shown_key("reference"))
            )
            return Figure(None, None, words)
        return Figure(max(before - self._height(quantity_id, x), 0.0), 0.3, "")

    def _of_report(self, quantity_id: str, audio: NDArray[np.float64], conditions: Conditions) -> Figure:
        """Hum under the tone (dB), or the tone's frequency (Hz)."""
        report = self._report(audio, conditions.tone_hz or 1000.0)
        first = next(iter(report.warnings), "")
        if report.tone_hz is None:
            return Figure(None, None, first)
        if quantity_id == "rx.tone_frequency":
            return Figure(report.tone_hz, None, first)
        if report.hum_db is None:
            return Figure(None, None, tr("no hum found"))
        return Figure(-report.hum_db, None, first)

    def _tone(self, quantity_id: str, audio: NDArray[np.float64], conditions: Conditions) -> Figure:
        """SINAD or distortion; a tone that drowns in noise still has a SINAD, near 0 dB, and the words that it is none to log."""
        hz = conditions.tone_hz or 1000.0
        if audio.size < LEAST_S * self.rate:
            # A needle that follows a hand: too short for a report.
            powers = tone_powers(audio, self.rate, hz)
            return Figure(
                powers.distortion_pct if quantity_id == "rx.distortion" else max(powers.sinad_db, 0.0), None, ""
            )
        report = self._report(audio, hz)
        if report.sinad_db is not None and report.distortion_pct is not None:
            first = next(iter(report.warnings), "")
            if quantity_id == "rx.distortion":
                return Figure(report.distortion_pct, None, first)
            if quantity_id == "rx.sn_ratio":
                return Figure(_with_noise(report), report.uncertainty_db, first)
            return Figure(report.sinad_db, report.uncertainty_db, first)
        words = tr("no {hz} Hz tone heard: turn modulation on, or raise the level", hz=f"{hz:g}")
        powers = tone_powers(audio, self.rate, hz)
        return Figure(
            powers.distortion_pct if quantity_id == "rx.distortion" else max(powers.sinad_db, 0.0), None, words
        )

    def _report(self, audio: NDArray[np.float64], hz: float) -> AudioReport:
        meter = AudioMeter(self.rate, hz)
        meter.take(audio)
        return meter.report()

    def _modulation(self, quantity_id: str, x: NDArray[Any], conditions: Conditions, longer: Longer) -> Figure:
        if quantity_id in AGAINST:
            return self._compared(quantity_id, x)
        source = Samples(x, self.rate, "iq", self.name)
        hz = conditions.tone_hz or 1000.0
        if quantity_id == "tx.deviation":
            fm = measure_iq_fm(source, hz)
            if fm.tone_hz is None or fm.peak_deviation_hz < _NO_TONE_HZ:
                # Speech: nothing but its highest peak says anything, and it is held.
                spoken = longer()
                held = max(
                    measure_iq_fm(Samples(part, self.rate, "iq", self.name), spoken=True).peak_deviation_hz
                    for part in np.array_split(spoken, max(int(spoken.size / (_SYLLABLE_S * self.rate)), 1))
                )
                return Figure(held, None, tr("speech: highest peak of five seconds"))
            return Figure(fm.peak_deviation_hz, None, next(iter(fm.warnings), ""))
        am = measure_iq_am(source, hz)
        return Figure(am.depth_pct, None, next(iter(am.warnings), ""))


def _with_noise(report: AudioReport) -> float:
    """(S+N)/N (dB) with the tone left on: the noise is what is neither tone nor harmonic of it, hum and all."""
    if report.snr_db is None:
        return max(report.sinad_db or 0.0, 0.0)
    noise = 10.0 ** (-report.snr_db / 10.0) + (10.0 ** (report.hum_db / 10.0) if report.hum_db is not None else 0.0)
    return 10.0 * math.log10(1.0 + 1.0 / max(noise, 1e-12))
