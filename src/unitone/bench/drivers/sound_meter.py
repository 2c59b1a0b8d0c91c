"""The radio's sound, or a receiver's I/Q, as a meter of the bench: the needle ten times a second, and whole readings.

The technician's own radio is read here by the code that reads recordings and simulated
radios. Somebody else pushes samples into the feed; ``pump`` takes them in a thread of its
caller's, and the bench reads from another one.
"""

from __future__ import annotations

import math
import threading
import time
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unitone.actions import shown_key
from unitone.bench.drivers.live import Feed, Recent
from unitone.bench.drivers.measure import measure_iq_am, measure_iq_fm
from unitone.bench.drivers.recording import Block, Samples
from unitone.bench.ports import Measured
from unitone.bench.second_radio import VOICE_SHIFT
from unitone.errors import BenchError, SignalError
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
#: The peak of speech is held for so long (seconds).
_SPEECH_S, _SYLLABLE_S = 5.0, 0.5
#: A programme's loudness is told from parts of so many seconds.
_PART_S = 0.3
#: Less deviation than this is no tone at the microphone (Hz).
_NO_TONE_HZ = 50.0
#: The least that gives a figure (seconds), how much is kept, and how long a reading waits for sound that does not come.
_LEAST_S, _KEPT_S, _PATIENCE_S = 0.3, 6.0, 3.0
#: Loudness has no scale of its own: this level against full scale reads 0 dB.
_LOUDNESS_ZERO_DBFS = -40.0
#: Nothing but the converter's own noise comes in: the lead is not plugged in, or the volume is at nought.
_SILENT_DBFS = -85.0
#: What the needle then shows.
_SILENCE = {"rx.sinad": 0.0, "rx.sn_ratio": 0.0, "rx.af_voltage": 0.0}


@dataclass(frozen=True)
class _Figure:
    """What a stretch says: value in canonical units, its standard uncertainty, and what is wrong with it."""

    value: float | None
    std: float | None
    warning: str


class SoundMeter:
    """Reads ``FROM_AUDIO`` or ``FROM_IQ`` from a live feed. Thread-safe for one that pumps and one that reads.

    ``averaging_s``: what the needle averages over, and what a whole reading waits for. AF
    voltage needs the input's calibration (``full_scale_v`` of the feed) and is not read without.
    """

    source = "sound card"

    def __init__(self, feed: Feed, averaging_s: float = 1.0) -> None:
        self.feed, self.averaging_s, self._usual_s = feed, averaging_s, averaging_s
        self._recent = Recent(feed.rate, feed.kind, _KEPT_S)
        self._there = threading.Condition()
        self._cancelled = False
        self._ended = False
        #: What the readings of ``AGAINST`` are held against (dB against full scale, or over 1 Hz of deviation).
        self._against: dict[str, float] = {}

    def compares(self, quantity_id: str) -> bool:
        """See ``Comparing``."""
        return quantity_id in AGAINST

    def keep_reference(self, quantity_id: str) -> None:
        """Hold what is heard now as the reference of a reading of ``AGAINST``. Raises BenchError where nothing is heard."""
        with self._there:
            x = self._recent.last(self.averaging_s)
        if x.size < _LEAST_S * self.feed.rate:
            raise BenchError(tr("Nothing is heard yet. Wait a second, then press the key again."))
        try:
            self._against[quantity_id] = self._height(quantity_id, x)
        except SignalError as error:
            raise BenchError(str(error)) from None

    def pump(self) -> None:
        """Take what comes until the feed is closed. Raises SignalError as it was closed."""
        try:
            for block in self.feed.blocks():
                self.take(block)
        finally:
            with self._there:
                self._ended = True
                self._there.notify_all()

    def take(self, block: Block) -> None:
        """Samples as they come, shape (n,)."""
        with self._there:
            self._recent.take(block)
            self._there.notify_all()

    @property
    def name(self) -> str:
        """What it is called beside a figure."""
        return self.feed.name

    @property
    def overload(self) -> bool:
        """Was full scale reached a moment ago?"""
        return self._recent.overload

    def average(self, seconds: float | None) -> None:
        """Let the needle average over so long; None: as at first."""
        self.averaging_s = self._usual_s if seconds is None else seconds

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        if self.feed.kind == "iq":
            return quantity_id in FROM_IQ
        return quantity_id in FROM_AUDIO and (quantity_id != "rx.af_voltage" or self.feed.full_scale_v is not None)

    def seconds_for(self, quantity_id: str) -> float:
        """See ``Meter``."""
        del quantity_id
        return self.averaging_s

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """The needle over the averaging time; None before there is enough."""
        with self._there:
            x = self._recent.last(self.averaging_s)
        if x.size < min(_LEAST_S, self.averaging_s) * self.feed.rate:
            return None
        try:
            return self._measured(self._read(quantity_id, x, conditions))
        except SignalError as error:
            return Measured(None, self.name, source=self.source, warning=str(error))

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A reading of nothing but what comes from now on: whatever was turned before it is settled.

        Raises BenchError: cancelled, no sound, or nothing in it that could be measured.
        """
        x = self._fresh(max(self.averaging_s, _LEAST_S))
        try:
            found = self._read(quantity_id, x, conditions)
        except SignalError as error:
            raise BenchError(str(error)) from None
        if found.value is None:
            raise BenchError(found.warning)
        if self.overload:
            raise BenchError(
                tr("The sound card is overloaded: nothing is logged. Turn its level down until the lamp stays off.")
            )
        return self._measured(found)

    def cancel(self) -> None:
        """See ``Meter``."""
        with self._there:
            self._cancelled = True
            self._there.notify_all()

    def _measured(self, found: _Figure) -> Measured:
        words = tr("Overload: turn the sound card's level down") if self.overload else found.warning
        return Measured(found.value, self.name, found.std, source=self.source, warning=words)

    def _fresh(self, seconds: float) -> NDArray[Any]:
        """What comes from now on, so long. Raises BenchError."""
        with self._there:
            self._cancelled = False
            until = self._recent.count + round(seconds * self.feed.rate)
            count, patience = self._recent.count, time.monotonic() + _PATIENCE_S
            while self._recent.count < until:
                if self._cancelled:
                    raise BenchError(tr("The reading was cancelled."))
                if self._ended or time.monotonic() > patience:
                    raise BenchError(
                        tr("No sound comes from {name}. Plug it in again, or type the reading.", name=self.name)
                    )
                self._there.wait(0.25)
                if self._recent.count != count:
                    count, patience = self._recent.count, time.monotonic() + _PATIENCE_S
            return self._recent.last(seconds)

    def _read(self, quantity_id: str, x: NDArray[Any], conditions: Conditions) -> _Figure:
        """Raises SignalError."""
        if self.feed.kind == "iq":
            return self._modulation(quantity_id, x, conditions)
        audio = np.asarray(x, np.float64)
        if quantity_id in AGAINST:
            return self._compared(quantity_id, audio)
        level = 10.0 * math.log10(2.0 * max(float(np.var(audio)), 1e-30))
        if level < _SILENT_DBFS:
            return _Figure(_SILENCE.get(quantity_id), None, tr("no sound comes in: check lead, volume and squelch"))
        if quantity_id == VOICE_SHIFT:
            return self._voice()
        if quantity_id in ("rx.hum", "rx.tone_frequency"):
            return self._of_report(quantity_id, audio, conditions)
        if quantity_id in ("rx.sinad", "rx.sn_ratio", "rx.distortion"):
            return self._tone(quantity_id, audio, conditions)
        level = 10.0 * math.log10(2.0 * max(band_power(audio, self.feed.rate), 1e-30))
        if quantity_id == "rx.af_voltage" and self.feed.full_scale_v is not None:
            return _Figure(self.feed.full_scale_v * 10.0 ** (level / 20.0), None, "")
        return _Figure(level - _LOUDNESS_ZERO_DBFS, self._loudness_std(audio), "")

    def _loudness_std(self, audio: NDArray[np.float64]) -> float | None:
        """How far a programme's level is in doubt (dB): what its parts differ by, shared among them; None for too short a stretch."""
        parts = np.array_split(audio, max(int(audio.size / (_PART_S * self.feed.rate)), 1))
        if len(parts) < 3:
            return None
        levels = [10.0 * math.log10(max(band_power(p, self.feed.rate), 1e-30)) for p in parts]
        return float(np.std(levels, ddof=1)) / math.sqrt(len(levels))

    def _voice(self) -> _Figure:
        """By how much a voice is shifted, from the sentence that was heard last. Raises SignalError for too little of one."""
        with self._there:
            spoken = np.asarray(self._recent.last(_SPEECH_S), np.float64)
        shift = voice_shift(spoken, self.feed.rate)
        return _Figure(shift.hz, shift.std_hz, "")

    def _height(self, quantity_id: str, x: NDArray[Any]) -> float:
        """How loud a stretch is (dB): noise in the audio band, or deviation. Raises SignalError."""
        if quantity_id == "tx.hum_noise":
            fm = measure_iq_fm(Samples(x, self.feed.rate, "iq", self.name))
            return 20.0 * math.log10(max(fm.rms_hz, 1e-3))
        return 10.0 * math.log10(2.0 * max(band_power(np.asarray(x, np.float64), self.feed.rate), 1e-30))

    def _compared(self, quantity_id: str, x: NDArray[Any]) -> _Figure:
        """What is heard now under what was held. Raises SignalError."""
        before = self._against.get(quantity_id)
        if before is None:
            words = (
                tr("generator off, then {key}: the noise is held as reference", key=shown_key("reference"))
                if quantity_id == "rx.quieting"
                else tr("key with the tone on, then {key}: it is held as reference", key=shown_key("reference"))
            )
            return _Figure(None, None, words)
        return _Figure(max(before - self._height(quantity_id, x), 0.0), 0.3, "")

    def _of_report(self, quantity_id: str, audio: NDArray[np.float64], conditions: Conditions) -> _Figure:
        """Hum under the tone (dB), or the tone's frequency (Hz)."""
        report = self._report(audio, conditions.tone_hz or 1000.0)
        first = next(iter(report.warnings), "")
        if report.tone_hz is None:
            return _Figure(None, None, first)
        if quantity_id == "rx.tone_frequency":
            return _Figure(report.tone_hz, None, first)
        if report.hum_db is None:
            return _Figure(None, None, tr("no hum found"))
        return _Figure(-report.hum_db, None, first)

    def _tone(self, quantity_id: str, audio: NDArray[np.float64], conditions: Conditions) -> _Figure:
        """SINAD or distortion; a tone that drowns in noise still has a SINAD, near 0 dB, and the words that it is none to log."""
        hz = conditions.tone_hz or 1000.0
        if audio.size < _LEAST_S * self.feed.rate:
            # A needle that follows a hand: too short for a report.
            powers = tone_powers(audio, self.feed.rate, hz)
            return _Figure(
                powers.distortion_pct if quantity_id == "rx.distortion" else max(powers.sinad_db, 0.0), None, ""
            )
        report = self._report(audio, hz)
        if report.sinad_db is not None and report.distortion_pct is not None:
            first = next(iter(report.warnings), "")
            if quantity_id == "rx.distortion":
                return _Figure(report.distortion_pct, None, first)
            if quantity_id == "rx.sn_ratio":
                return _Figure(_with_noise(report), report.uncertainty_db, first)
            return _Figure(report.sinad_db, report.uncertainty_db, first)
        words = tr("no {hz} Hz tone heard: turn modulation on, or raise the level", hz=f"{hz:g}")
        powers = tone_powers(audio, self.feed.rate, hz)
        return _Figure(
            powers.distortion_pct if quantity_id == "rx.distortion" else max(powers.sinad_db, 0.0), None, words
        )

    def _report(self, audio: NDArray[np.float64], hz: float) -> AudioReport:
        meter = AudioMeter(self.feed.rate, hz)
        meter.take(audio)
        return meter.report()

    def _modulation(self, quantity_id: str, x: NDArray[Any], conditions: Conditions) -> _Figure:
        if quantity_id in AGAINST:
            return self._compared(quantity_id, x)
        source = Samples(x, self.feed.rate, "iq", self.name)
        hz = conditions.tone_hz or 1000.0
        if quantity_id == "tx.deviation":
            fm = measure_iq_fm(source, hz)
            if fm.tone_hz is None or fm.peak_deviation_hz < _NO_TONE_HZ:
                # Speech: nothing but its highest peak says anything, and it is held.
                with self._there:
                    spoken = self._recent.last(_SPEECH_S)
                held = max(
                    measure_iq_fm(Samples(part, self.feed.rate, "iq", self.name), spoken=True).peak_deviation_hz
                    for part in np.array_split(spoken, max(int(spoken.size / (_SYLLABLE_S * self.feed.rate)), 1))
                )
                return _Figure(held, None, tr("speech: highest peak of five seconds"))
            return _Figure(fm.peak_deviation_hz, None, next(iter(fm.warnings), ""))
        am = measure_iq_am(source, hz)
        return _Figure(am.depth_pct, None, next(iter(am.warnings), ""))


def _with_noise(report: AudioReport) -> float:
    """(S+N)/N (dB) with the tone left on: the noise is what is neither tone nor harmonic of it, hum and all."""
    if report.snr_db is None:
        return max(report.sinad_db or 0.0, 0.0)
    noise = 10.0 ** (-report.snr_db / 10.0) + (10.0 ** (report.hum_db / 10.0) if report.hum_db is not None else 0.0)
    return 10.0 * math.log10(1.0 + 1.0 / max(noise, 1e-12))
