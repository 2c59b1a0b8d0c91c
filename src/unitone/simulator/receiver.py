"""The receiver of a simulated radio: complex baseband at 24 kHz from aerial to loudspeaker.

Signal and thermal noise kT0 go through the cascade stage by stage (H. T. Friis,
1944); limiter, quadrature detector and audio follow sample by sample. Levels are
referred to the aerial of an aligned radio: an amplitude of √(1 mW) is 0 dBm there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.signal import lfilter, sosfilt

from unitone.errors import BenchError
from unitone.radio.noise import KT0
from unitone.radio.resonance import detuning, pair_response, single_loss, single_response
from unitone.simulator._detectors import C64, F32, FmDetector, Gain, envelope_volts
from unitone.simulator._programme import Programme
from unitone.simulator.dial import Dial
from unitone.simulator.filters import butterworth
from unitone.simulator.mechanics import Mechanics
from unitone.simulator.receive_physics import (
    AmplifierStage,
    CoilStage,
    FilterStage,
    GangedStage,
    PairStage,
    Receive,
    Squelch,
)
from unitone.simulator.stage_faults import OwnSound
from unitone.words import tr

#: Complex samples a second. 24, 48 and 96 kHz agree within 0.12 dB of SINAD; the IF filter is 9 kHz wide.
RATE = 24_000.0
TAPS = 128
_WINDOW = np.kaiser(TAPS, 6.0)
#: So many kernels are kept: a reading asks for the same few lengths again and again.
_KERNELS = 12
#: A circuit narrower than this (half-width, Hz) shapes the spectrum; a wider one only attenuates.
_NARROW = 60_000.0
#: How much of the spectrum round the carrier counts for the equivalent noise figure (Hz each side).
_OCCUPIED = 2500.0

#: A sideband is heard from 300 to 3000 Hz: its middle, and half its width.
SIDEBAND_HZ, _SIDEBAND_HALF_HZ = 1650.0, 1350.0
_HUM_HZ = 100.0
#: What a noisy stage makes, and one that oscillates, over the noise that stands at its input anyhow (dB); and the oscillation: beside the
#: middle of the IF (Hz), and how often and deeply it comes and goes by itself, which an AM detector hears as a howl.
_OWN_NOISE_DB, _OWN_TONE_DB, _OWN_TONE_HZ, _SQUEGS_HZ, _SQUEGS = 35.0, 40.0, 900.0, 520.0, 0.6
#: The same of the audio stage: hiss and howl at the loudspeaker (V rms), and the howl's tone (Hz).
_OWN_HISS_V, _OWN_HOWL_V, _HOWL_HZ = 0.15, 0.5, 760.0
#: The stages are held down in steps of so much (dB); what is left is taken smoothly before the detector.
_HELD_STEP_DB = 1.0


@dataclass(frozen=True)
class Signal:
    """What a generator puts on the aerial socket: carrier Hz, level dBm at the set, tone with peak deviation (Hz) or depth (0 to 1)."""

    hz: float
    dbm: float
    tone_hz: float = 0.0
    deviation_hz: float = 0.0
    depth: float = 0.0
    #: How deep a programme modulates it (0 to 1), where it is a station and no generator.
    programme: float = 0.0


@dataclass(frozen=True)
class Pulses:
    """What an ignition puts on the aerial: pulses ``every`` so many seconds, each as tall as a carrier of ``dbm``."""

    dbm: float
    every: float = 0.01


@dataclass(frozen=True)
class Chain:
    """The linear chain over the TAPS-point frequency grid: signal gain (complex) and noise density (W/Hz), aerial-referred; and what is
    left behind it of a stage's oscillation (√W, by where it lies)."""

    hz: NDArray[np.float64]
    gain: NDArray[np.complex128]
    noise: NDArray[np.float64]
    own: NDArray[np.complex128] | None = None

    def noise_figure_db(self, offset_hz: float = 0.0) -> float:
        """Equivalent input noise figure (dB) round the carrier at ``offset_hz``: noise over signal gain, no randomness."""
        near = np.abs(self.hz - offset_hz) <= _OCCUPIED
        signal = float(np.mean(np.abs(self.gain[near]) ** 2))
        return 10.0 * math.log10(float(np.mean(self.noise[near])) / (signal * KT0))


class Receiver:
    """Runs in blocks; keeps its state between them so that the audio is continuous."""

    def __init__(
        self, rx: Receive, squelch: Squelch | None, mechanics: Mechanics, noise: np.random.Generator,
        healthy: Receive | None = None, dial: Dial | None = None,
    ) -> None:  # fmt: skip
        #: The tuning gang, where it has one.
        self.dial = dial
        #: The chain that levels are referred to: the radio's as it was made.
        self._made = healthy or rx
        self.physics = rx
        self.mechanics = mechanics
        #: What each of the sheet's stages loses on this specimen (dB): its gain's spread, and a fault.
        self.lost_db: dict[str, float] = {}
        #: The stage that makes a sound of its own, and what it does; and the stage whose input is held to earth by a capacitor.
        self.own_sound: tuple[str, OwnSound] | None = None
        self.grounded = ""
        self._noise = noise
        self._programme = Programme(np.random.default_rng(1), RATE)
        self._hz: NDArray[np.float64] = np.fft.fftfreq(TAPS, 1.0 / RATE).astype(np.float64)
        knee = 10.0 ** ((rx.knee - 30.0) / 20.0)
        self._fm = None if rx.detector is None else FmDetector(rx.detector, knee, mechanics, noise, RATE)
        self._gain = None if rx.agc is None else Gain(rx.agc, RATE)
        self._side = butterworth(5, _SIDEBAND_HALF_HZ, "lowpass", RATE)
        self._band = butterworth(2, (rx.audio.low, rx.audio.high), "bandpass", RATE).astype(np.float32)
        above = 5000.0 if squelch is None else squelch.noise_above
        self._high = butterworth(3, above, "highpass", RATE).astype(np.float32)
        pole = math.exp(-2 * math.pi * rx.audio.deemphasis / RATE)
        self._deemphasis = (np.array([1.0 - pole], np.float32), np.array([1.0, -pole], np.float32))
        #: Gain at 1 kHz of the audio shaping, taken out so that volts_per_khz holds at the usual tone.
        self._tone_gain = abs((1.0 - pole) / (1.0 - pole * np.exp(-2j * math.pi * 1000.0 / RATE)))
        #: Kernels' spectra by carrier, mode and size, for the adjusters as they stood at ``_kernels_at``.
        self._kernels: dict[tuple[float, str, int, int, float], tuple[C64, np.complex64]] = {}
        self._kernels_at: tuple[object, ...] = ()
        self.restart()

    def restart(self) -> None:
        """Forget the past: filters at rest, phases at zero."""
        self._tail = np.zeros((2, TAPS - 1), np.complex64)
        self._tone_cycles = 0.0
        self._carrier_cycles = 0.0
        self._side_zi = np.zeros((len(self._side), 2), np.complex128)
        self._bfo = self._hum = self._pulse = self._own = self._howl = 0
        #: The share of the gain control's loop that the signal passes, and what its stages took of it in this block (dB).
        self._loop = (1.0, 0.0)
        for part in (self._fm, self._gain):
            if part is not None:
                part.restart()
        self._audio_zi = np.zeros((len(self._band), 2), np.float32)
        self._high_zi = np.zeros((len(self._high), 2), np.float32)
        self._deemphasis_zi = np.zeros(1, np.float32)

    # -- the linear chain ---------------------------------------------------------------

    def usual_mode(self) -> str:
        """The only mode that the radio has, or the first of FM, AM and SSB that it can hear."""
        rx = self.physics
        return "fm" if rx.detector is not None else "am" if rx.am is not None else "usb"

    def _aligned_power_gain(self, mode: str, carrier_hz: float) -> float:
        gain_db = 0.0
        for stage in self._made.stage:
            if stage.serves(mode, carrier_hz):
                gain_db += stage.gain if isinstance(stage, AmplifierStage) else -stage.loss
        return float(10.0 ** (gain_db / 10.0))

    def noise_figure_db(self, carrier_hz: float, mode: str, offset_hz: float = 0.0) -> float:
        """The noise figure (dB) for a signal at ``carrier_hz`` heard ``offset_hz`` beside the middle of the IF."""
        near = self._hz[np.abs(self._hz - offset_hz) <= _OCCUPIED]
        return self.chain(carrier_hz, mode, near).noise_figure_db(offset_hz)

    def first_of(self, stage: str, mode: str) -> int:
        """Where in the chain the sheet's stage begins in that mode. Raises BenchError for a stage that the chain does not have."""
        found = next((n for n, s in enumerate(self.physics.stage) if s.stage == stage and s.serves(mode)), None)
        if stage == self.physics.detector_in(mode):
            found = len(self.physics.stage)
        if found is None:
            raise BenchError(tr("The simulated radio has no stage {stage!r} to inject at.", stage=stage))
        return found

    def chain(
        self, carrier_hz: float, mode: str | None = None, hz: NDArray[np.float64] | None = None, start: int = 0, held_db: float = 0.0
    ) -> Chain:  # fmt: skip
        """The chain as the adjusters stand, for a signal at ``carrier_hz``, over the whole grid or at ``hz`` alone
        (offsets from the middle of the IF); noise-free and deterministic. A signal that is fed in at stage ``start`` passes what
        follows alone; noise comes from all of them. ``held_db``: what the gain control takes of its stages, by their shares."""
        mode = mode or self.usual_mode()
        hz = self._hz if hz is None else hz
        gain, own = np.ones(hz.size, np.complex128), None
        # The second row is the noise without a sound of its own, and with no input held to earth: what such a sound is measured by.
        noise = np.full((1 if self.own_sound is None else 2, hz.size), KT0)
        lost, entered = dict(self.lost_db), {""}
        for n, stage in enumerate(self.physics.stage):
            if not stage.serves(mode, carrier_hz):
                continue
            # What a stage loses, it loses at its input: the noise of what comes before it goes with the signal.
            share = 10.0 ** (-lost.pop(stage.stage, 0.0) / 20.0) if stage.stage else 1.0
            if stage.stage not in entered:
                entered.add(stage.stage)
                gain, own = self._at_input(stage.stage, gain, noise, own)
            if n == start and start:
                gain = np.full(hz.size, 10.0 ** (-stage.probe_loss / 20.0), np.complex128)
            if share != 1.0:
                gain, noise = gain * share, noise * share**2
                own = None if own is None else own * share
            if isinstance(stage, AmplifierStage):
                power = 10.0 ** ((stage.gain - stage.avc * held_db) / 10.0)
                noise = (noise + (10.0 ** (stage.noise_figure / 10.0) - 1.0) * KT0) * power
                gain = gain * math.sqrt(power)
                own = None if own is None else own * math.sqrt(power)
                continue
            response = self._response(stage, carrier_hz, hz) * 10.0 ** (-stage.loss / 20.0)
            through = np.abs(response) ** 2
            noise = noise * through + KT0 * (1.0 - np.minimum(through, 1.0))
            gain = gain * response
            own = None if own is None else own * response
        if start == len(self.physics.stage):
            gain = np.full(hz.size, 10.0 ** (-self.physics.detector_probe_loss / 20.0), np.complex128)
        if self.grounded and self.grounded == self.physics.detector_in(mode):
            gain, own, noise = gain * 0.0, None, noise * 0.0
        aligned = self._aligned_power_gain(mode, carrier_hz)
        return Chain(
            hz, gain / math.sqrt(aligned), noise[0] / aligned, None if own is None else own / math.sqrt(aligned)
        )

    def _at_input(
        self, stage: str, gain: NDArray[np.complex128], noise: NDArray[np.float64], own: NDArray[np.complex128] | None
    ) -> tuple[NDArray[np.complex128], NDArray[np.complex128] | None]:
        """(gain, oscillation) behind the input of one of the sheet's stages; the first row of the noise is changed in place. Held to
        earth, nothing passes, and an oscillation has no way back."""
        grounded = stage == self.grounded
        if grounded:
            gain, own = gain * 0.0, None
            noise[0] = KT0
        if self.own_sound == (stage, "noisy"):
            noise[0] += noise[1] * 10.0 ** (_OWN_NOISE_DB / 10.0)
        elif self.own_sound == (stage, "oscillates") and not grounded:
            own = np.sqrt(noise[1] * 2.0 * _OCCUPIED * 10.0 ** (_OWN_TONE_DB / 10.0)).astype(np.complex128)
        return gain, own

    def _response(
        self, stage: CoilStage | GangedStage | PairStage | FilterStage, carrier_hz: float, hz: NDArray[np.float64]
    ) -> NDArray[np.complex128]:
        if isinstance(stage, GangedStage):
            if self.dial is None:
                raise BenchError(tr("The simulated radio's physics file has no [gang] to tune its circuits."))
            here, tuned = self.dial.received_hz(carrier_hz) + hz, self.dial.resonance_hz(stage, carrier_hz)
            return single_response(np.asarray(stage.q * (here / tuned - tuned / here)))
        if isinstance(stage, FilterStage):
            order = 2 * stage.poles
            skirt = 1.0 / np.sqrt(1.0 + np.abs(2.0 * (hz - stage.offset) / stage.bandwidth) ** order)
            return np.asarray(skirt, np.complex128)
        half_width = stage.centre / (2.0 * stage.q)
        if isinstance(stage, PairStage):
            x = hz / half_width
            off = [self.mechanics.off(a) * stage.per_turn / half_width for a in stage.adjusters]
            return pair_response(x - off[0], x - off[1], stage.coupling)
        moved = stage.moved_hz(self.mechanics.off(stage.adjuster))
        if half_width < _NARROW:
            return single_response((hz - moved) / half_width)
        # A circuit at signal frequency sees the channel; one at a wide IF sits at its centre.
        tuned_to = stage.centre
        on_signal = abs(carrier_hz - stage.centre) < 0.1 * stage.centre
        if stage.tuned_to is not None:
            on_signal = stage.tuned_to == "signal"
        at = carrier_hz if on_signal else stage.centre
        loss = single_loss(detuning(at, tuned_to + moved, stage.q))
        return np.full(hz.size, 1.0 / math.sqrt(loss), np.complex128)

    def _shares(self, mode: str, carrier_hz: float, start: int = 0) -> tuple[float, float]:
        """Of the gain control's decibels, what the stages from ``start`` on take, and what is left to be taken before the detector."""
        took = [
            s.avc if isinstance(s, AmplifierStage) and s.serves(mode, carrier_hz) else 0.0 for s in self.physics.stage
        ]
        return sum(took[start:]), max(1.0 - sum(took), 0.0)

    def _hold(self, mode: str, carrier_hz: float, signal: Signal | None, offset_hz: float, start: int) -> float:
        """How far the stages are held down by the gain control as it stands (dB); in the first block, as far as the signal will."""
        passed, rest = self._shares(mode, carrier_hz, start)
        self._loop = (1.0, 0.0)
        if self._gain is None or mode == "fm" or rest == 1.0:
            return 0.0
        if signal is not None:
            there = self.chain(carrier_hz, mode, np.array([offset_hz]), start).gain[0]
            self._gain.expect(10.0 ** ((signal.dbm - 30.0) / 20.0) * float(abs(there)))
        held = round(self._gain.stages_db(passed + rest) / _HELD_STEP_DB) * _HELD_STEP_DB
        self._loop = (passed + rest, passed * held)
        return held

    @property
    def loop_gain(self) -> float:
        """By which factor the IF would be higher if no stage before it were held down by the gain control."""
        return float(10.0 ** (self._loop[1] / 20.0))

    def _filters(
        self, carrier_hz: float, mode: str, size: int, start: int = 0, held_db: float = 0.0
    ) -> tuple[C64, np.complex64]:
        """Spectra (2, size) of the FIR kernels for signal and noise, and what comes of a stage's oscillation; made anew when an adjuster or
        the channel moves."""
        stamp = (*self.mechanics.stamp(), *self.lost_db.values(), self.own_sound, self.grounded)
        if self._kernels_at != stamp or len(self._kernels) >= _KERNELS:
            self._kernels, self._kernels_at = {}, stamp
        key = (carrier_hz, mode, size, start, held_db)
        if (made := self._kernels.get(key)) is None:
            chain = self.chain(carrier_hz, mode, start=start, held_db=held_db)
            centre = np.exp(-2j * np.pi * self._hz / RATE * (TAPS // 2))
            kernels = [
                (np.fft.ifft(response * centre) * _WINDOW).astype(np.complex64)
                for response in (chain.gain, np.sqrt(chain.noise * RATE))
            ]
            spectra = np.asarray(fft.fft(np.stack(kernels), size, axis=1), np.complex64)
            own = 0.0 if chain.own is None else chain.own[np.argmin(np.abs(chain.hz - self._own_hz(mode)))]
            made = self._kernels[key] = (spectra, np.complex64(own))
        return made

    @staticmethod
    def _own_hz(mode: str) -> float:
        """Where an oscillation lies, beside the middle of the IF: in the sideband that is heard."""
        return -_OWN_TONE_HZ if mode == "lsb" else _OWN_TONE_HZ

    def _oscillation(self, samples: int, mode: str) -> C64:
        """A stage's oscillation of amplitude 1, going on from where it was."""
        n = self._own + np.arange(1, samples + 1)
        self._own = int(n[-1]) % round(RATE)
        turn = 2.0 * np.pi / RATE * n
        swing = 1.0 + (_SQUEGS * np.sin(_SQUEGS_HZ * turn) if mode == "am" else 0.0)
        return np.asarray(swing * np.exp(1j * self._own_hz(mode) * turn), np.complex64)

    # -- samples ------------------------------------------------------------------------

    def intermediate(
        self, samples: int, carrier_hz: float, signal: Signal | None, offset_hz: float, mode: str = "",
        pulses: Pulses | None = None, blanks: bool = False, start: int = 0,
    ) -> C64:  # fmt: skip
        """IF samples after all filters: signal ``offset_hz`` from the IF centre, noise, and pulses. Shape (samples,)."""
        source = np.zeros((2, samples + TAPS - 1), np.complex64)
        source[:, : TAPS - 1] = self._tail
        if signal is not None:
            source[0, TAPS - 1 :] = self._generate(samples, signal, offset_hz)
        if pulses is not None:
            source[0, TAPS - 1 :] += self._pulses(samples, pulses)
        if blanks:
            source[0, TAPS - 1 :] *= self._shut(source[0, TAPS - 1 :])
        white = self._noise.standard_normal((samples, 2), dtype=np.float32).view(np.complex64)[:, 0]
        source[1, TAPS - 1 :] = white * np.float32(math.sqrt(0.5))
        self._tail = source[:, -(TAPS - 1) :].copy()
        size = fft.next_fast_len(source.shape[1])
        mode = mode or self.usual_mode()
        kernels, own = self._filters(
            carrier_hz, mode, size, start, self._hold(mode, carrier_hz, signal, offset_hz, start)
        )
        shaped = fft.fft(source, size, axis=1, overwrite_x=True)
        shaped *= kernels
        total = shaped[0] + shaped[1]
        made = np.asarray(fft.ifft(total, overwrite_x=True)[TAPS - 1 : TAPS - 1 + samples], np.complex64)
        return made + own * self._oscillation(samples, mode) if own else made

    def _generate(self, samples: int, signal: Signal, offset_hz: float) -> C64:
        n = np.arange(1, samples + 1, dtype=np.float64)
        # Phases are counted in cycles and their whole turns dropped in double precision; trigonometry is single.
        turn = np.float32(2 * math.pi)
        carrier = self._carrier_cycles + offset_hz / RATE * n
        carrier -= np.floor(carrier)
        self._carrier_cycles = float(carrier[-1])
        phase = carrier.astype(np.float32) * turn
        if signal.tone_hz > 0 and signal.deviation_hz > 0:
            tone = self._tone(samples, signal.tone_hz)
            phase += np.float32(signal.deviation_hz / signal.tone_hz) * np.sin(tone * turn)
        amplitude: F32 | np.float32 = np.float32(10.0 ** ((signal.dbm - 30.0) / 20.0))
        if signal.tone_hz > 0 and signal.depth > 0:
            amplitude = amplitude * (
                1.0 + np.float32(signal.depth) * np.sin(self._tone(samples, signal.tone_hz) * turn)
            )
        if signal.programme > 0:
            amplitude = amplitude * (1.0 + np.float32(signal.programme) * self._programme.next(samples))
        out = np.empty(samples, np.complex64)
        out.real, out.imag = amplitude * np.cos(phase), amplitude * np.sin(phase)
        return out

    def _pulses(self, samples: int, pulses: Pulses) -> C64:
        """Single samples as tall as the pulses are, ``every`` so many seconds; they go on from where they were."""
        every = round(pulses.every * RATE)
        out = np.zeros(samples, np.complex64)
        out[(every - self._pulse) % every :: every] = 10.0 ** ((pulses.dbm - 30.0) / 20.0)
        self._pulse = (self._pulse + samples) % every
        return out

    def _shut(self, source: C64) -> F32:
        """The blanker's gate, 0 or 1 a sample: shut from where more comes in than it minds, for as long as it shuts."""
        part = self.physics.blanker
        if part is None:
            return np.ones(source.size, np.float32)
        over = np.abs(source) > 10.0 ** ((part.over - 30.0) / 20.0)
        held = np.convolve(over, np.ones(max(round(part.shuts * RATE), 1)))[: source.size] > 0
        return np.asarray(~held, np.float32)

    def sine(self, samples: int, volts_rms: float, hz: float) -> F32:
        """An audio generator's tone (V), going on from where it was."""
        return np.asarray(
            np.float32(volts_rms * math.sqrt(2.0)) * np.sin(self._tone(samples, hz) * np.float32(2 * math.pi)),
            np.float32,
        )

    def _tone(self, samples: int, hz: float) -> F32:
        """The generator's tone going on from where it was, in cycles; their whole turns dropped in double precision."""
        tone = self._tone_cycles + hz / RATE * np.arange(1, samples + 1, dtype=np.float64)
        tone -= np.floor(tone)
        self._tone_cycles = float(tone[-1])
        return np.asarray(tone, np.float32)

    def detect(self, y: C64, mode: str) -> F32:
        """What the detector of that mode gives: Hz of deviation (FM), or the envelope or product in √W, aerial-referred."""
        found = self._detected(y, mode)
        lost = self.lost_db.get(self.physics.detector_in(mode), 0.0)
        return np.asarray(found * np.float32(10.0 ** (-lost / 20.0)), np.float32) if lost else found

    def _detected(self, y: C64, mode: str) -> F32:
        if mode == "fm":
            return self._fm_detector().detect(y)
        controlled = self._controlled(y)
        if mode == "am":
            part = self.physics.am
            if part is None:
                raise BenchError(tr("The simulated radio's physics file has no [receive.am], so it hears no AM."))
            return envelope_volts(controlled, part)
        if not self.physics.ssb:
            raise BenchError(
                tr("The simulated radio's physics file has no ssb = true in [receive], so it hears no SSB.")
            )
        return self._product(controlled, mode)

    def _fm_detector(self) -> FmDetector:
        if self._fm is None:
            raise BenchError(tr("The simulated radio's physics file has no [receive.detector], so it hears no FM."))
        return self._fm

    def _controlled(self, y: C64) -> C64:
        return y if self._gain is None else self._gain.apply(y, *self._loop)

    def _product(self, y: C64, mode: str) -> F32:
        """Product detector behind a filter of one sideband: what lies 300 to 3000 Hz to its side of the carrier."""
        one = y if mode == "usb" else np.conj(y)
        n = self._bfo + np.arange(1, y.size + 1)
        self._bfo = int(n[-1]) % round(RATE)
        turn = np.exp(-2j * np.pi * SIDEBAND_HZ / RATE * n).astype(np.complex64)
        low, self._side_zi = sosfilt(self._side, one * turn, zi=self._side_zi)
        return np.asarray((low * np.conj(turn)).real, np.float32)

    def agc_volts(self) -> float:
        """Volts of the gain control's line as it last stood; 0 for a radio without one."""
        return 0.0 if self._gain is None else self._gain.volts()

    def audio(self, detected: F32, volume: float, mode: str, fed_in: F32 | None = None, elsewhere: bool = False) -> F32:
        """Loudspeaker volts from the detector's output; ``volume`` 0 to 1. ``fed_in``: volts that a generator puts on the audio's input.
        ``elsewhere``: heard through another amplifier, which makes no sound of its own."""
        part = self.physics.audio
        if mode == "fm":
            detected, self._deemphasis_zi = lfilter(*self._deemphasis, detected, zi=self._deemphasis_zi)
            scale = part.volts_per_khz / 1000.0 / self._tone_gain
        else:
            scale = self._volts_scale(mode)
        detected = detected * np.float32(scale)
        if fed_in is not None:
            detected = detected + fed_in / np.float32(part.input)
        if self.grounded and self.grounded == part.stage:
            detected = detected * np.float32(0.0)
        share = 10.0 ** (-self.lost_db.get(part.stage, 0.0) / 20.0) if part.stage else 1.0
        band, self._audio_zi = sosfilt(self._band, detected, zi=self._audio_zi)
        volts = band * np.float32(volume * share)
        if part.hum and not elsewhere:
            n = self._hum + np.arange(1, volts.size + 1)
            self._hum = int(n[-1]) % round(RATE)
            volts = volts + np.float32(part.hum * math.sqrt(2)) * np.sin(2 * np.pi * _HUM_HZ / RATE * n).astype(
                np.float32
            )
        if self.own_sound is not None and self.own_sound[0] == part.stage and not elsewhere:
            volts = volts + self._of_audio(volts.size, self.own_sound[1])
        clip = np.float32(part.clips_at)
        return np.asarray(clip * np.tanh(volts / clip), np.float32)

    def _of_audio(self, samples: int, how: OwnSound) -> F32:
        """What a bad audio stage puts on the loudspeaker (V)."""
        if how == "noisy":
            return self._noise.standard_normal(samples, dtype=np.float32) * np.float32(_OWN_HISS_V)
        n = self._howl + np.arange(1, samples + 1)
        self._howl = int(n[-1]) % round(RATE)
        held = 0.0 if self.grounded == self.physics.audio.stage else _OWN_HOWL_V * math.sqrt(2.0)
        return np.asarray(held * np.sin(2 * np.pi * _HOWL_HZ / RATE * n), np.float32)

    def _volts_scale(self, mode: str) -> float:
        """Volts for a √W of detected audio, so that the physics file's ``volts_am`` (rms) comes out at the gain control's knee."""
        agc = self.physics.agc
        assert agc is not None
        knee = 10.0 ** ((agc.knee - 30.0) / 20.0) * 2.0 ** (-agc.hold / 2.0)
        share = 0.3 if mode == "am" else 1.0
        return float(self.physics.audio.volts_am * math.sqrt(2.0) / (share * knee))

    def squelch_noise(self, detected: F32) -> float:
        """Mean rectified noise above the voice band: what the squelch circuit compares."""
        high, self._high_zi = sosfilt(self._high, detected, zi=self._high_zi)
        return float(np.mean(np.abs(high)))
