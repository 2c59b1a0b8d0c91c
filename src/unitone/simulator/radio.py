"""A whole simulated radio: what its sockets, test points, meter and loudspeaker give."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from unitone.errors import BenchError
from unitone.radio.levels import Dbm, pd_from_dbm
from unitone.radio.resonance import detuning, single_loss
from unitone.sheet.conventions.questions import S9_DB
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Sheet, Voltage
from unitone.signals.carrier import Component
from unitone.simulator._synthesiser import WARM, Synthesiser
from unitone.simulator.changes import Change, with_changes
from unitone.simulator.dial import Dial
from unitone.simulator.mechanics import Mechanics, specimen, stream
from unitone.simulator.physics import PhysicsFile, with_fault
from unitone.simulator.receive_physics import SMeter, Squelch
from unitone.simulator.receiver import RATE, Pulses, Receiver, Signal
from unitone.simulator.stage_faults import stage_fault, traced_stages, volts_at
from unitone.simulator.transmitter import Keyed, Transmitter
from unitone.words import tr

_Part = TypeVar("_Part", SMeter, Squelch)
#: What a field-strength meter shows for a watt at its place (dB, its own scale).
_FIELD_DB = 40.0
#: What of the amplitude passes a final that is gone.
_LEAKS_THROUGH = 0.05
#: A signal nearer than this to the edge of the simulated band is not heard.
_EDGE_HZ = 1500.0
#: A dry joint that is moved goes in so many cases, for so long (s); it goes by itself so often (a second).
_GOES, _OUT_S, _BY_ITSELF = 0.9, (0.4, 1.4), 0.01
#: Out of lock the carrier sits this far off.
UNLOCKED_HZ = 31_000.0


@dataclass(frozen=True)
class Panel:
    """The front panel as it stands: squelch None (open) or 0 to 1, volume 0 to 1."""

    squelch: float | None = None
    volume: float = 0.3
    #: The squelch is turned up until the noise just stops: where that is has to be found by ear.
    just_closed: bool = False
    #: The automatic squelch is on instead.
    automatic: bool = False
    #: The rest of the panel, as the sheet words it: clarifier, noise blanker and the like.
    words: tuple[tuple[str, str], ...] = field(default=(), compare=False)

    @classmethod
    def from_positions(cls, positions: tuple[tuple[str, str], ...]) -> Panel:
        """From the words of a sheet. Raises BenchError for a position that a simulated radio does not have."""
        words = dict(positions)
        squelch = words.get("squelch", "open")
        volume = _share(words.get("volume", "30 %"))
        if squelch == "just closed":
            return cls(None, volume, True, False, positions)
        if squelch == "automatic":
            return cls(0.0, volume, False, True, positions)
        return cls(None if squelch == "open" else _share(squelch), volume, False, False, positions)


#: 50 µV PD in 50 Ω: S9 under 30 MHz (IARU Region 1 R.1), which the conventions count from.
_S9_DBM = -73.0


def _share(text: str) -> float:
    named = {"open": 0.0, "middle": 0.5, "full": 1.0, "closed": 1.0}
    if text in named:
        return named[text]
    try:
        value = float(text.replace("%", "").replace(",", ".").strip()) / 100.0
    except ValueError:
        raise BenchError(
            tr("The simulated radio has no control position “{what}”. Use a share such as 50 %.", what=text)
        ) from None
    if not 0.0 <= value <= 1.0:
        raise BenchError(tr("The control position “{what}” is outside 0 to 100 %.", what=text))
    return value


def _driven(meter: SMeter, volts: NDArray[np.float64]) -> NDArray[np.float64]:
    """What drives the meter's needle for an IF level (√W, aerial-referred), before its preset: by the detector's law.

    A diode: log(1 + volts/threshold). A decibel meter, which a gain control that is exact feeds: as many nepers as the level stands
    over the threshold, and nothing under it.
    """
    ratio = volts / 10.0 ** ((meter.threshold - 30.0) / 20.0)
    if meter.law == "decibel":
        return np.asarray(np.maximum(np.log(np.maximum(ratio, 1e-12)), 0.0))
    return np.asarray(np.log1p(ratio))


class SimulatedRadio:
    """One specimen of a sheet's model, from its seed. Its state follows from seed, physics and the moves made."""

    def __init__(self, sheet: Sheet, physics: PhysicsFile, seed: int, fault: str = "") -> None:
        self.sheet = sheet
        fault = fault or physics.has_fault
        #: What the maker built, and printed the meter's scale for; ``physics`` is what this specimen has become.
        self.healthy = physics
        #: A fault of a part at one of its stages, until that part is fitted anew; the rest of its faults set keys of the file.
        self.part_fault = stage_fault(physics, fault) if ":" in fault else None
        self._found = with_fault(physics, fault) if fault and self.part_fault is None else physics
        self.seed = seed
        #: What was modified since, in order.
        self.changes: tuple[Change, ...] = ()
        self._squelch_open = False
        self._joints = stream(seed, "joints")
        self._out_until = 0.0
        #: The final is gone: it draws nothing and lets next to nothing through.
        self.broken = False
        self.mechanics = Mechanics(sheet, specimen(sheet, self._found, seed))
        self._build(self._found)

    def modify(self, changes: Sequence[Change]) -> None:
        """These modifications stand now, and no others; every adjuster stays where it is. Raises SheetError for what cannot be, changing nothing."""
        wanted = tuple(changes)
        if wanted != self.changes:
            made = with_changes(self._found, wanted)
            right = specimen(self.sheet, made, self.seed).right
            self.mechanics.specimen = replace(self.mechanics.specimen, right=right)
            self._build(made)
            self.changes = wanted

    def _build(self, physics: PhysicsFile) -> None:
        sheet, seed = self.sheet, self.seed
        self.physics = physics
        dial = None if physics.gang is None else Dial(sheet, physics, self.mechanics)
        self.synthesiser = Synthesiser(sheet, physics, self.mechanics, seed, dial)
        self._receiver: Receiver | None = None
        if physics.receive is not None:
            self._receiver = Receiver(
                physics.receive, physics.squelch, self.mechanics, stream(seed, "noise"), self.healthy.receive, dial
            )
        self.transmitter = (
            None
            if physics.transmit is None
            else Transmitter(physics.transmit, self.mechanics, stream(seed, "send-noise"))
        )
        self._lose()

    def wiggle(self, part: str, bench_seconds: float) -> None:
        """A part, its plug or its joint is moved: one that comes and goes mostly goes."""
        fault = self.part_fault
        if fault is not None and fault.comes_and_goes and part == fault.part and self._joints.random() < _GOES:
            self._out_until = bench_seconds + float(self._joints.uniform(*_OUT_S))

    def _is_out(self, bench_seconds: float, seconds: float) -> bool:
        """Is the joint that comes and goes out? Now and then it goes by itself."""
        if self._joints.random() < _BY_ITSELF * seconds:
            self._out_until = bench_seconds + float(self._joints.uniform(*_OUT_S))
        return bench_seconds < self._out_until

    @property
    def is_steady(self) -> bool:
        """Is a second of reception like the next? Not where a joint comes and goes."""
        return self.part_fault is None or not self.part_fault.comes_and_goes

    def _lose(self, is_out: bool = False) -> None:
        """What each stage loses on this specimen; a joint that comes and goes only while it ``is_out``."""
        fault = self.part_fault
        lost = {} if fault is None or (fault.comes_and_goes and not is_out) else fault.losses
        if self._receiver is not None:
            gains, spread = stream(self.seed, "gains"), self._receiver.physics.gain_spread
            made = {s: spread * float(gains.standard_normal()) for s in traced_stages(self.physics) if spread}
            self._receiver.lost_db = {s: made.get(s, 0.0) + lost.get(s, 0.0) for s in {*made, *lost}}
            own = None if fault is None else fault.own_sound
            self._receiver.own_sound = None if fault is None or own is None else (fault.stage, own)
        if self.transmitter is not None:
            self.transmitter.lost_db = lost

    def refit(self, part: str) -> bool:
        """A part was replaced, or its joint made anew: its fault is gone. Was there one?"""
        fault = self.part_fault
        of = next((p.stage for p in self.sheet.parts if p.id == part), "")
        if fault is None or fault.part not in (part, of):
            return False
        self.part_fault = None
        self._lose()
        return True

    def stage_volts(self, stage: str, place: Place) -> float:
        """Peak volts of RF at a transmit stage's output while keyed there. Raises BenchError where its physics has none."""
        if self.transmitter is None:
            raise BenchError(tr("The simulated radio's physics file has no [transmit], so it does not transmit."))
        if not self.locked(replace(place, way="transmit")):
            return 0.0
        carrier = float(self.sheet.carrier_hz(place.channel, place.band))
        return self.transmitter.stage_volts(stage, carrier, self.supply_volts(place) / self.physics.supply)

    def point_volts(self, row: Voltage) -> float:
        """What stands at a row of the voltage table (V). Raises BenchError where the physics file has no circuit there."""
        found = volts_at(self.physics, row, self.part_fault)
        if found is None:
            raise BenchError(tr("The simulated radio's physics file has no [[circuit]] at {row}.", row=row.title))
        return found

    @property
    def receiver(self) -> Receiver:
        """The receive side. Raises BenchError for a radio whose physics has none."""
        if self._receiver is None:
            raise BenchError(tr("The simulated radio's physics file has no [receive], so nothing is heard from it."))
        return self._receiver

    # -- supply and synthesiser ------------------------------------------------------------

    def rail_volts(self, test_point: str) -> float:
        """Volts of the rail at ``test_point``. Raises BenchError where there is none."""
        for rail in self.physics.rail:
            if rail.test_point == test_point:
                if rail.adjuster is None:
                    return rail.nominal
                return rail.low + (rail.high - rail.low) * self.mechanics.share(rail.adjuster)
        raise BenchError(tr("There is no rail at {test_point}.", test_point=test_point))

    def rail_share(self) -> float:
        """The regulated rail as a share of its nominal; 1 for a radio without one."""
        if not self.physics.rail:
            return 1.0
        rail = self.physics.rail[0]
        return self.rail_volts(rail.test_point) / rail.nominal

    def reference_hz(self, bench_seconds: float = WARM) -> float:
        """The reference oscillator ``bench_seconds`` after switching on. Raises BenchError for a radio without one."""
        if self.physics.reference is None:
            raise BenchError(tr("The simulated radio has no single reference: name an oscillator."))
        return self.synthesiser.oscillator_hz(self.physics.reference.oscillator, bench_seconds)

    def vco_volts(self, place: Place) -> float:
        """Control volts at lock, or the end of the phase detector's swing where it cannot lock."""
        return self.synthesiser.vco(place, self.rail_share())[0]

    def locked(self, place: Place) -> bool:
        """Is the loop in lock there? A radio of crystals alone always is."""
        return not self.physics.vco or self.synthesiser.vco(place, self.rail_share())[1]

    def idle_amps(self, bench_seconds: float = WARM) -> float:
        """Idle current of the final without modulation, as its preset stands and the final is warm. Raises BenchError without one."""
        bias = self.physics.bias
        if bias is None:
            raise BenchError(tr("The simulated radio's physics file has no [bias]."))
        if self.broken:
            return 0.0
        cold = bias.least + (bias.most - bias.least) * self.mechanics.share(bias.adjuster) ** 2
        return cold * (1.0 + bias.creep * (1.0 - math.exp(-bench_seconds / bias.warms)))

    # -- send ---------------------------------------------------------------------------

    def supply_amps(self, place: Place, bench_seconds: float = WARM) -> float:
        """What the radio draws there: at rest, and what its transmit stages take while it is keyed. Raises BenchError without [draw]."""
        draw = self.physics.draw
        if draw is None:
            raise BenchError(tr("The simulated radio's physics file has no [draw]."))
        return self._fed(place)[1]

    def supply_volts(self, place: Place) -> float:
        """Volts at the radio: the supply's, less what lead and cells lose of them while it is keyed."""
        return self._fed(place)[0]

    def _fed(self, place: Place) -> tuple[float, float]:
        """(volts, amps) as they settle: less volts make less power, which draws less. A few rounds settle it."""
        draw, full = self.physics.draw, self.physics.supply
        if draw is None:
            return full, 0.0
        if place.way != "transmit" or self.transmitter is None:
            return full - draw.rest * draw.resistance, draw.rest
        carrier = float(self.sheet.carrier_hz(place.channel, place.band))
        volts, amps = full, draw.rest
        made = self.transmitter.watts_by_supply(carrier)
        for _ in range(8):
            watts = made(volts / full)
            # A final that is detuned goes on drawing: what does not come out heats it.
            most = self.transmitter.transmit.power * (volts / full) ** 2
            amps = draw.rest + (0.5 * watts + 0.5 * most) / draw.efficiency / volts
            before, volts = volts, full - amps * draw.resistance
            if abs(volts - before) < 1e-4:
                break
        return volts, amps

    def processed(self, panel: Mapping[str, str]) -> bool:
        """Is the speech processor on, as the panel stands?"""
        part = None if self.transmitter is None else self.transmitter.transmit.processor
        return part is not None and panel.get(part.control) == "on"

    def own_meter(self, watts: float) -> float:
        """What the radio's own power meter makes of ``watts``, as its preset stands. Raises BenchError without one."""
        meter = None if self.transmitter is None else self.transmitter.transmit.meter
        if meter is None:
            raise BenchError(tr("The simulated radio's physics file has no [transmit.meter]."))
        return watts * (meter.least + (meter.most - meter.least) * self.mechanics.share(meter.adjuster))

    def field_db(self, place: Place, whip_out: bool) -> float:
        """Field strength beside the whip (dB, relative): power and what loading coil and whip make of it. Raises BenchError."""
        aerial = self.physics.aerial
        if aerial is None or self.transmitter is None:
            raise BenchError(tr("The simulated radio's physics file has no [aerial]."))
        carrier = float(self.sheet.carrier_hz(place.channel, place.band))
        watts = self.transmitter.watts(carrier, self.supply_volts(place) / self.physics.supply)
        x = detuning(carrier, aerial.centre + self.mechanics.off(aerial.adjuster) * aerial.per_turn, aerial.q)
        lost = 0.0 if whip_out else aerial.whip_in
        return _FIELD_DB + 10.0 * math.log10(max(watts, 1e-9)) - 10.0 * math.log10(single_loss(x)) - lost

    def emit(
        self, seconds: float, place: Place, bench_seconds: float, microphone_v: float = 0.0, tone_hz: float = 1000.0,
        goes_on: bool = False, panel: Mapping[str, str] | None = None,
    ) -> list[Component]:  # fmt: skip
        """What leaves the aerial socket while keyed; ``goes_on``: the same keying as before. Raises BenchError."""
        if self.transmitter is None:
            raise BenchError(tr("The simulated radio's physics file has no [transmit], so it does not transmit."))
        transmitting = replace(place, way="transmit")
        nominal, actual = self.synthesiser.output_hz("tx.carrier", transmitting, bench_seconds, panel)
        error = actual - nominal if self.locked(transmitting) else UNLOCKED_HZ / 4
        share = self.supply_volts(place) / self.physics.supply
        keyed = Keyed(place.mode, microphone_v, tone_hz, self.processed(dict(panel or {})), share)
        sent = self.transmitter.emit(seconds, nominal, error, keyed, self.rail_share(), goes_on)
        if not self.broken:
            return sent
        return [Component(c.centre_hz, c.rate, np.asarray(c.envelope * _LEAKS_THROUGH)) for c in sent]

    # -- receive ------------------------------------------------------------------------

    def if_offset_hz(
        self,
        channel: str,
        signal_hz: float,
        bench_seconds: float = WARM,
        band: str | None = None,
        mode: str | None = None,
        panel: tuple[tuple[str, str], ...] = (),
    ) -> float:
        """How far the signal lands from where it should: the oscillators' errors and the signal's own (in SSB, of the tone heard)."""
        place = Place("receive", band, mode, channel)
        carrier = float(self.sheet.carrier_hz(channel, band))
        wrong, words, made = 0.0, dict(panel), self.synthesiser.outputs(place)
        for output in ("rx.lo1", "rx.lo2", "rx.bfo"):
            if output in made:
                nominal, actual = self.synthesiser.output_hz(output, place, bench_seconds, words)
                # Where the first oscillator runs above the signal, the carrier oscillator's error counts against it.
                above = output == "rx.bfo" and self.synthesiser.output_hz("rx.lo1", place)[0] > carrier
                wrong += (nominal - actual) if above else (actual - nominal)
        if not self.locked(place):
            return UNLOCKED_HZ
        return (signal_hz - carrier) - wrong

    @staticmethod
    def comes_in(offset_hz: float) -> bool:
        """Does a signal that lands so far from where it should come into the IF at all? Beyond that there is noise alone."""
        return abs(offset_hz) < RATE / 2 - _EDGE_HZ

    def mode_of(self, mode: str | None) -> str:
        """The detector that listens: the mode asked for (``USB`` or ``usb``), or the only one that the radio has."""
        return mode.lower() if mode else self.receiver.usual_mode()

    def receive(
        self, seconds: float, channel: str, signal: Signal | None, panel: Panel, bench_seconds: float = 1e9,
        band: str | None = None, mode: str | None = None, pulses: Pulses | None = None, inject: str = "", elsewhere: bool = False,
    ) -> Received:  # fmt: skip
        """Run the receiver for ``seconds``: audio volts at 24 kHz, meter needle, squelch and AVC volts. ``inject``: the stage whose
        input the signal is fed into, at that stage's own frequency, where it is not the aerial socket. ``elsewhere``: heard from the
        detector through another amplifier."""
        if self.part_fault is not None and self.part_fault.comes_and_goes:
            self._lose(self._is_out(bench_seconds, seconds))
        carrier = float(self.sheet.carrier_hz(channel, band))
        offset, start, fed_in = 0.0, 0, None
        audio_stage = self.receiver.physics.audio.stage
        if inject and inject == audio_stage:
            if signal is not None:
                fed_in = self.receiver.sine(
                    round(seconds * RATE), pd_from_dbm(Dbm(signal.dbm)), signal.tone_hz or 1000.0
                )
            signal = None
        elif inject:
            start = self.receiver.first_of(inject, self.mode_of(mode))
        if signal is not None and start:
            # A generator on a stage is tuned to what passes there: it lands where it should, beside it by the tone in SSB.
            offset = signal.hz - carrier
        elif signal is not None:
            offset = self.if_offset_hz(channel, signal.hz, bench_seconds, band, mode, panel.words)
        heard = signal if signal is not None and self.comes_in(offset) else None
        listens = self.mode_of(mode)
        blanker = self.receiver.physics.blanker
        blanks = blanker is not None and dict(panel.words).get(blanker.control) == "on"
        y = self.receiver.intermediate(round(seconds * RATE), carrier, heard, offset, listens, pulses, blanks, start)
        detected = self.receiver.detect(y, listens)
        audio = self.receiver.audio(detected, panel.volume, listens, fed_in, elsewhere)
        level = float(np.sqrt(np.mean(y.real**2 + y.imag**2))) * self.receiver.loop_gain
        is_open = self._squelch(detected, level, panel)
        if not is_open:
            audio = np.zeros_like(audio)
        return Received(audio, self._needle(level, listens), is_open, self.receiver.agc_volts())

    def _needle(self, level: float, mode: str) -> float:
        """Deflection of the S-meter, 0 to 1, for an IF level (√W, aerial-referred), by the preset of that mode."""
        if self.physics.s_meter is None:
            return 0.0
        meter = self.physics.s_meter
        if meter.ceiling is not None:
            level = level / math.sqrt(1.0 + (level / 10.0 ** ((meter.ceiling - 30.0) / 20.0)) ** 2)
        preset = meter.preset(mode)
        gain = meter.least + (meter.most - meter.least) * (0.5 if preset is None else self.mechanics.share(preset))
        return min(max(gain * float(_driven(meter, np.array(level))) * self.rail_share(), 0.0), 1.0)

    def meter_scale(self, mode: str | None = None) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The printed scale: deflections and the dB over S9 printed there, for a typical aligned radio; S9 is what its sheet calls so."""
        meter = self._needs(self.healthy.s_meter, "s_meter")
        marks = np.linspace(-54.0, 60.0, 229)
        s9_dbm = _S9_DBM + S9_DB[self.sheet.convention("s9", "iaru")]
        volts = 10.0 ** ((marks + s9_dbm - 30.0) / 20.0)
        preset = meter.preset(self.mode_of(mode))
        share = 0.5
        if preset is not None:
            share = self.healthy.adjuster[preset].aligned * 1000.0 / self.sheet.adjuster(preset).travel_mdeg
        return (meter.least + (meter.most - meter.least) * share) * _driven(meter, volts), marks

    @staticmethod
    def _needs(part: _Part | None, name: str) -> _Part:
        if part is None:
            raise BenchError(tr("The simulated radio's physics file has no [{name}].", name=name))
        return part

    def _squelch(self, detected: NDArray[np.float32], level: float, panel: Panel) -> bool:
        part = self.physics.squelch
        if panel.squelch is None or part is None:
            return True
        turned = panel.squelch * (1.0 - part.leak)
        preset = 0.5 if part.adjuster is None else self.mechanics.share(part.adjuster)
        if part.kind == "carrier":
            tight = part.opens_least + (part.opens_most - part.opens_least) * preset
            opens = part.opens_loose + (tight - part.opens_loose) * turned
            if panel.automatic:
                share = 0.5 if part.auto_adjuster is None else self.mechanics.share(part.auto_adjuster)
                opens = part.auto_least + (part.auto_most - part.auto_least) * share
            opens -= part.closes_below if self._squelch_open else 0.0
            self._squelch_open = 20.0 * math.log10(max(level, 1e-20)) + 30.0 > opens
            return self._squelch_open
        reach = part.tight_least + (part.tight_most - part.tight_least) * preset
        share = part.loose - turned * reach
        if self._squelch_open:
            share *= 1.0 + part.hysteresis
        noise = self.receiver.squelch_noise(detected)
        self._squelch_open = noise < share * part.noise * self.rail_share()
        return self._squelch_open


@dataclass(frozen=True)
class Received:
    """One stretch of reception: audio volts (n,), S-meter deflection 0 to 1, squelch open, the gain control's volts."""

    audio: NDArray[np.float32]
    needle: float
    squelch_open: bool
    agc_volts: float = 0.0
