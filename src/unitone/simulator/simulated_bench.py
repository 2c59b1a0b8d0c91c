"""The stand-in bench: simulated instruments on a simulated radio. None of them is told the answer.

Each instrument takes what a socket, a test point, the meter or the loudspeaker
gives and measures it with ``unitone.signals``, as it would a recording.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from unitone.bench.ports import Heard, Measured
from unitone.errors import BenchError
from unitone.quantities.registry import HEARD
from unitone.radio.levels import mark_db
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Conditions, lamp_point
from unitone.signals.am import measure_am
from unitone.signals.carrier import Component, carrier_line, fit_carrier, fit_modulation, strongest, total_watts
from unitone.signals.fm import audio_filter, channel_filter, demodulate
from unitone.signals.sinad import TonePowers, merge, rms, sinad_std_db, tone_powers
from unitone.signals.spectrum import lines
from unitone.simulator._receive_checks import Listening, blanked_db, gain_rise_db, selectivity_db
from unitone.simulator.mechanics import stream
from unitone.simulator.radio import UNLOCKED_HZ, Panel, Received, StandInRadio
from unitone.simulator.receiver import RATE, Pulses, Signal
from unitone.simulator.transmitter import SIDE

#: One block of the live path, and how many make a whole reading.
BLOCK_SECONDS = 0.1
BLOCKS = 10
_SETTLE_SECONDS = 0.3
_TIMEBASE_PPM = 0.05
#: The radio has been on for a quarter of an hour before the first reading: the reference has warmed up.
_WARMED_UP_SECONDS = 900.0
#: What a generator with a burnt attenuator gives.
_DEAD_DBM = -170.0
#: How long the audio is averaged for each of the two powers of a ratio.
_AGAINST_SECONDS = 0.8
_SQUELCH_FROM, _SQUELCH_TO = -130.0, -45.0
#: A meter's lamps are looked for up to S9 and sixty decibels.
LAMP, _LAMP_TO, _BY_EYE = "rx.lamp_lights", -13.0, "stand-in generator, by eye"

_AUDIO = frozenset({"rx.sinad", "rx.distortion", "rx.af_volts", "rx.s_meter", "rx.agc_volts"})
#: Read twice: with what is asked for, and without.
_AGAINST = frozenset({"rx.sn_ratio", "rx.quieting"})
#: Checks that read the same thing twice, at two settings.
_CHECKED = frozenset({"rx.agc_rise", "rx.selectivity", "rx.blanker"})
_SQUELCH = frozenset({"rx.squelch_opens", "rx.squelch_tight", "rx.squelch_closes"})
_SEND = frozenset(
    {
        "tx.power", "tx.frequency_error", "tx.deviation", "tx.harmonic", "tx.am_depth", "tx.pep", "tx.carrier_suppression",
        "tx.bias_current", "tx.audio_response", "tx.hum_noise", "tx.field_strength", "tx.meter",
    }
)  # fmt: skip
#: Counted with a pick-up loop at a test point: an oscillator by itself, or what the receiver's mixer is fed with.
_COUNTED = frozenset({"ref.frequency", "osc.frequency", "rx.lo_error"})
#: The pad between the stand-in's sockets and whatever listens: audio volts (rms of a sine) and √W at full scale.
_FULL_SCALE_V, _FULL_SCALE_W = 5.0, 25.0
_VOLTS = frozenset({"supply.rail", "supply.volts", "vco.volts"})


class StandInBench:
    """Generator with pads, audio meter, wattmeter, counter, modulation meter and voltmeter round a stand-in radio."""

    simulated = True

    def __init__(self, radio: StandInRadio, already: float = 0.0) -> None:
        self.radio = radio
        self._clock = max(already, _WARMED_UP_SECONDS)
        self._hand = stream(radio.seed, "instruments")
        #: What a wrong hook-up broke: ``generator`` gives nothing any more, ``final`` next to nothing.
        self.damaged: set[str] = set()
        self._stamp: object = None
        self._tones: list[TonePowers] = []
        self._audio_square: list[float] = []
        self._needles: list[float] = []
        self._agc = 0.0
        self._listening: str | None = None
        self._heard_db: float | None = None

    def can_measure(self, quantity_id: str) -> bool:
        """What this radio's physics has a socket for; not the sensitivity, which is found by several SINAD readings."""
        physics = self.radio.physics
        if quantity_id in ("rx.agc_volts", "rx.selectivity", "rx.agc_rise"):
            return physics.receive is not None and physics.receive.agc is not None
        if quantity_id == "rx.blanker":
            return physics.receive is not None and physics.receive.blanker is not None
        if quantity_id in _SQUELCH:
            return physics.receive is not None and physics.squelch is not None
        if quantity_id in ("rx.s_meter", LAMP):
            return physics.receive is not None and physics.s_meter is not None
        if quantity_id in _AUDIO | _AGAINST | {HEARD}:
            return physics.receive is not None
        if quantity_id in _SEND:
            return physics.send is not None and {
                "tx.deviation": physics.send.most_deviation > 0, "tx.am_depth": physics.send.am is not None,
                "tx.carrier_suppression": physics.send.balance is not None, "tx.bias_current": physics.bias is not None,
                "tx.field_strength": physics.aerial is not None, "tx.meter": physics.send.meter is not None,
            }.get(quantity_id, True)  # fmt: skip
        if quantity_id == "supply.current":
            return physics.draw is not None
        return quantity_id in _COUNTED | _VOLTS and (quantity_id != "vco.volts" or bool(physics.vco))

    def seconds(self) -> float:
        """The virtual clock: it advances with every sample measured and every turn."""
        return self._clock

    def seen(self, adjuster: str) -> float | None:
        """The slot of a preset or trimmer can be seen; how far a core is in its former cannot."""
        if adjuster not in self.radio.mechanics.moved_mdeg:
            return None
        part = self.radio.sheet.adjuster(adjuster)
        return None if part.kind == "core" else self.radio.mechanics.position(adjuster) * 1000.0

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """Turn the radio's adjuster; a turn takes two bench-seconds. One that this radio does not have turns freely."""
        self._clock += 2.0
        if adjuster not in self.radio.mechanics.moved_mdeg:
            return asked_mdeg, False
        moved = self.radio.mechanics.turn(adjuster, asked_mdeg)
        return moved, moved != asked_mdeg

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """One more block of a tenth of a second; the average since the last change, over a second at most."""
        if quantity_id in _AUDIO and self.can_measure(quantity_id):
            self._block(conditions)
            return self._audio_reading(quantity_id)
        if self.can_measure(quantity_id) and quantity_id in _SEND | _VOLTS | _COUNTED | {"supply.current"}:
            return self._once(quantity_id, conditions, BLOCK_SECONDS)
        return None

    def listen(self, conditions: Conditions, seconds: float) -> Heard | None:
        """The loudspeaker's volts, or while keyed what a receiver beside the dummy load makes of the carrier."""
        self._clock += seconds
        channel = self._channel(conditions)
        physics = self.radio.physics
        if (physics.send if conditions.way == "send" else physics.receive) is None:
            return None
        if conditions.way == "send":
            microphone = (conditions.mic_mv or 0.0) * 1e-3
            tone = conditions.tone_hz or 1000.0
            sent = strongest(self.radio.emit(seconds, self._place(conditions), self._clock, microphone, tone, True))
            samples = np.asarray(sent.envelope / math.sqrt(_FULL_SCALE_W), np.complex64)
            return Heard(samples, sent.rate, "iq", "stand-in, sending", sent.centre_hz)
        signal = None if conditions.level_dbm is None else self._signal(conditions, conditions.level_dbm)
        panel = Panel.from_positions(conditions.panel)
        heard = self.radio.receive(seconds, channel, signal, panel, self._clock, conditions.band, conditions.mode)
        volts = np.asarray(heard.audio, np.float64) / (_FULL_SCALE_V * math.sqrt(2.0))
        return Heard(volts, RATE, "audio", "stand-in, loudspeaker", 0.0, _FULL_SCALE_V)

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A whole reading: a second of audio, a second's gate, or the squelch procedure. Raises BenchError."""
        if not self.can_measure(quantity_id):
            raise BenchError(f"The stand-in bench has no instrument for {quantity_id}. Put the step aside (A).")
        if quantity_id in _AUDIO:
            while len(self._tones) < BLOCKS or self._stamp != self._stamp_of(conditions):
                self._block(conditions)
            reading = self._audio_reading(quantity_id)
            self._forget()
            return reading
        if quantity_id in _SQUELCH:
            return self._squelch(conditions, closes=quantity_id == "rx.squelch_closes")
        if quantity_id == LAMP:
            return self._lamp(conditions)
        if quantity_id in _AGAINST:
            return self._against(quantity_id, conditions)
        if quantity_id in _CHECKED:
            return self._checked(quantity_id, conditions)
        if quantity_id == HEARD:
            return self._by_ear(conditions)
        return self._once(quantity_id, conditions, 1.0)

    # -- audio meter and S-meter ----------------------------------------------------------

    def _stamp_of(self, conditions: Conditions) -> object:
        return (conditions, *self.radio.mechanics.moved_mdeg.values())

    def _forget(self) -> None:
        self._tones, self._audio_square, self._needles = [], [], []

    def _channel(self, conditions: Conditions) -> str:
        names = self.radio.sheet.plan.names
        return conditions.channel or names[len(names) // 2]

    def _place(self, conditions: Conditions) -> Place:
        return Place(conditions.way, conditions.band, conditions.mode, self._channel(conditions))

    def _signal(self, conditions: Conditions, level_dbm: float) -> Signal:
        level_dbm = _DEAD_DBM if "generator" in self.damaged else level_dbm
        hz = float(self.radio.sheet.carrier_hz(self._channel(conditions), conditions.band)) + (
            conditions.offset_hz or 0.0
        )
        listens = self.radio.mode_of(conditions.mode)
        if listens in SIDE:
            # In SSB the generator's bare carrier stands beside the channel by the tone that is to be heard.
            return Signal(hz + SIDE[listens] * (conditions.tone_hz or 1000.0), level_dbm)
        depth = (conditions.depth_pct or 0.0) / 100.0
        return Signal(hz, level_dbm, conditions.tone_hz or 0.0, conditions.deviation_hz or 0.0, depth)

    def _block(self, conditions: Conditions) -> None:
        panel = Panel.from_positions(conditions.panel)
        signal = None if conditions.level_dbm is None else self._signal(conditions, conditions.level_dbm)
        stamp = self._stamp_of(conditions)
        self._listening = conditions.mode
        if stamp != self._stamp:
            self._forget()
            self._stamp = stamp
            self._receive(_SETTLE_SECONDS, conditions, signal, panel)
        heard = self._receive(BLOCK_SECONDS, conditions, signal, panel)
        self._agc = heard.agc_volts
        tone = tone_powers(heard.audio, RATE, conditions.tone_hz or 1000.0)
        self._tones = [*self._tones[-BLOCKS + 1 :], tone]
        self._audio_square = [*self._audio_square[-BLOCKS + 1 :], rms(heard.audio) ** 2]
        self._needles = [*self._needles[-BLOCKS + 1 :], heard.needle]

    def _receive(
        self, seconds: float, conditions: Conditions, signal: Signal | None, panel: Panel, pulses: Pulses | None = None
    ) -> Received:
        self._clock += seconds
        return self.radio.receive(
            seconds, self._channel(conditions), signal, panel, self._clock, conditions.band, conditions.mode, pulses
        )

    def _checked(self, quantity_id: str, conditions: Conditions) -> Measured:
        """Automatic gain, selectivity or the blanker: the same thing twice, and the decibels between."""
        self._stamp = None
        panel = Panel.from_positions(conditions.panel)
        signal = None if conditions.level_dbm is None else self._signal(conditions, conditions.level_dbm)
        ear = Listening(lambda seconds, s, p, pulses: self._receive(seconds, conditions, s, p, pulses))
        blanker = None if self.radio.physics.receive is None else self.radio.physics.receive.blanker
        if quantity_id == "rx.blanker" and blanker is not None:
            db = blanked_db(ear, signal, panel, blanker.control)
            return Measured(db, "stand-in audio voltmeter, pulses", 0.5, source="stand-in")
        if signal is None:
            raise BenchError("This check needs a level on the generator: set one up.")
        if quantity_id == "rx.selectivity":
            return Measured(
                selectivity_db(ear, signal, panel), "stand-in generator, gain control volts", 0.5, source="stand-in"
            )
        return Measured(gain_rise_db(ear, signal, panel), "stand-in audio voltmeter", 0.3, source="stand-in")

    def _against(self, quantity_id: str, conditions: Conditions) -> Measured:
        """Audio with the signal against audio without its tone (its carrier stays), or against none at all (quieting, SSB)."""
        panel = Panel.from_positions(conditions.panel)
        if conditions.level_dbm is None:
            raise BenchError("Signal to noise needs a level on the generator: set one up.")
        signal: Signal | None = self._signal(conditions, conditions.level_dbm)
        carrier = replace(self._signal(conditions, conditions.level_dbm), tone_hz=0.0, deviation_hz=0.0, depth=0.0)
        alone = self.radio.mode_of(conditions.mode) in SIDE
        without: Signal | None
        if quantity_id == "rx.quieting":
            signal, without = None, carrier
        else:
            without = None if alone else carrier
        power = []
        for heard in (signal, without):
            self._receive(_SETTLE_SECONDS, conditions, heard, panel)
            power.append(rms(self._receive(_AGAINST_SECONDS, conditions, heard, panel).audio) ** 2)
        self._stamp = None
        ratio = 10.0 * math.log10(max(power[0], 1e-18) / max(power[1], 1e-18))
        std = 4.343 * math.sqrt(2.0 / (2.0 * 2700.0 * _AGAINST_SECONDS)) * 2.0
        return Measured(max(ratio, 0.0), "stand-in audio voltmeter, tone on and off", std, source="stand-in")

    def _by_ear(self, conditions: Conditions) -> Measured:
        """An ear: louder, softer or the same as when it listened last; a decibel is just told, half of one unsure."""
        signal = None if conditions.level_dbm is None else self._signal(conditions, conditions.level_dbm)
        panel = Panel.from_positions(conditions.panel)
        self._stamp = None
        self._receive(_SETTLE_SECONDS, conditions, signal, panel)
        now = 20.0 * math.log10(max(rms(self._receive(0.6, conditions, signal, panel).audio), 1e-9))
        change = 0.0 if self._heard_db is None else now - self._heard_db + 0.5 * float(self._hand.standard_normal())
        self._heard_db = now
        word = "louder" if change > 1.0 else "softer" if change < -1.0 else "same"
        return Measured(None, "stand-in ear", None, word=word, source="stand-in")

    def _audio_reading(self, quantity_id: str) -> Measured:
        together = merge(self._tones)
        sinad = together.sinad_db
        # Clicks of FM noise spread the reading more than white noise would.
        std = 2.0 * sinad_std_db(sinad, together.seconds)
        if quantity_id == "rx.sinad":
            return Measured(sinad, "stand-in SINAD meter", std, source="stand-in")
        if quantity_id == "rx.distortion":
            return Measured(
                together.distortion_pct,
                "stand-in distortion meter",
                together.distortion_pct * std / 8.69,
                source="stand-in",
            )
        if quantity_id == "rx.af_volts":
            volts = math.sqrt(sum(self._audio_square) / len(self._audio_square))
            return Measured(volts, "stand-in audio voltmeter", 0.01 * volts, source="stand-in")
        if quantity_id == "rx.agc_volts":
            volts = self._agc * (1 + 0.002 * self._hand.standard_normal()) + 0.003 * self._hand.standard_normal()
            return Measured(volts, "stand-in voltmeter", 0.005, source="stand-in")
        needle = sum(self._needles) / len(self._needles)
        deflection, marks = self.radio.meter_scale(self._listening)
        seen = needle + 0.002 * self._hand.standard_normal()
        if needle >= 1.0:
            return Measured(float(np.interp(1.0, deflection, marks)), "the radio's own meter", None, ">", "pegged", needle,
                            source="stand-in")  # fmt: skip
        return Measured(
            float(np.interp(seen, deflection, marks)), "the radio's own meter", 0.3, raw=needle, source="stand-in"
        )

    # -- squelch ------------------------------------------------------------------------------

    def _closed(self, conditions: Conditions, panel: Panel) -> Panel:
        """The control turned up, a hundredth at a time, until the noise has stopped for a while; fully up where it never does."""
        for share in np.arange(0.0, 1.001, 0.01):
            turned = replace(panel, squelch=float(share), just_closed=False)
            if all(not self._receive(0.1, conditions, None, turned).squelch_open for _ in range(4)):
                return turned
        return replace(panel, squelch=1.0, just_closed=False)

    def _squelch(self, conditions: Conditions, closes: bool) -> Measured:
        """The level at which the squelch opens as it rises, or closes as it falls: by ear, in half decibels."""
        panel = Panel.from_positions(conditions.panel)
        name = "stand-in generator, by ear"

        def is_open(level: float | None, seconds: float) -> bool:
            signal = None if level is None else self._signal(conditions, level)
            return self._receive(seconds, conditions, signal, panel).squelch_open

        self._stamp = None
        if panel.just_closed:
            panel = self._closed(conditions, panel)
        if closes:
            if not is_open(_SQUELCH_TO, 0.4):
                return Measured(_SQUELCH_TO, name, None, ">", "never opens", source="stand-in")
            level = _SQUELCH_TO
            for step in (3.0, 0.5):
                while is_open(level, 0.2):
                    level -= step
                    if level < _SQUELCH_FROM:
                        return Measured(_SQUELCH_FROM, name, None, "<", "never closes", source="stand-in")
                if step > 1.0:
                    level += step
                    is_open(_SQUELCH_TO, 0.3)
            return Measured(level + 0.25, name, 0.3, source="stand-in")
        self._receive(0.3, conditions, None, Panel(1.0, 0.0))
        if is_open(None, 0.3):
            return Measured(_SQUELCH_FROM, name, None, "<", "always open", source="stand-in")
        level = _SQUELCH_FROM
        for step in (3.0, 0.5):
            while not is_open(level, 0.2):
                level += step
                if level > _SQUELCH_TO:
                    return Measured(_SQUELCH_TO, name, None, ">", "never opens", source="stand-in")
            if step > 1.0:
                level -= step
                self._receive(0.3, conditions, None, Panel(1.0, 0.0))
        return Measured(level - 0.25, name, 0.3, source="stand-in")

    def _lamp(self, conditions: Conditions) -> Measured:
        """The level at which a lamp of the meter lights as the generator comes up: by eye, in half decibels."""
        scale, marks = self.radio.meter_scale(conditions.mode)
        mark = mark_db((conditions.test_point or "").removeprefix(lamp_point("")))
        lights = float(np.interp(mark, marks, scale))
        panel = Panel.from_positions(conditions.panel)
        self._stamp = None

        def lit(level: float) -> bool:
            return self._receive(0.1, conditions, self._signal(conditions, level), panel).needle >= lights

        # What was fed before has to die away in the filters first.
        lit(_SQUELCH_FROM)
        if lit(_SQUELCH_FROM):
            return Measured(_SQUELCH_FROM, _BY_EYE, None, "<", "always lit", source="stand-in")
        level = _SQUELCH_FROM
        for step in (6.0, 0.5):
            while not lit(level):
                level += step
                if level > _LAMP_TO:
                    return Measured(_LAMP_TO, _BY_EYE, None, ">", "never lit", source="stand-in")
            level -= step if step > 1.0 else step / 2.0
            lit(level)
        return Measured(level, _BY_EYE, 0.3, source="stand-in")

    # -- volts, counter, wattmeter, modulation meter ----------------------------------------------

    def _once(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        self._clock += seconds
        if quantity_id in _VOLTS:
            return self._volts(quantity_id, conditions)
        if quantity_id in _COUNTED:
            return self._at_test_point(quantity_id, conditions, seconds)
        if quantity_id == "supply.current":
            amps = self.radio.supply_amps(self._place(conditions))
            return Measured(
                amps * (1 + 0.003 * self._hand.standard_normal()), "stand-in ammeter", 0.005 * amps, source="stand-in"
            )
        if quantity_id == "tx.field_strength":
            return self._field(conditions)
        self.radio.broken = "final" in self.damaged
        if quantity_id == "tx.bias_current":
            amps = self.radio.idle_amps(self._clock)
            return Measured(
                amps * (1 + 0.004 * self._hand.standard_normal()), "stand-in ammeter", 0.005 * amps, source="stand-in"
            )
        tone = conditions.tone_hz or 1000.0
        microphone = (conditions.mic_mv or 0.0) * 1e-3
        place = self._place(conditions)
        panel = dict(conditions.panel)
        if quantity_id in ("tx.audio_response", "tx.hum_noise"):
            return self._audio_sent(quantity_id, conditions, seconds)
        sent = self.radio.emit(seconds, place, self._clock, microphone, tone, panel=panel)
        if quantity_id == "tx.power":
            watts = total_watts(sent)
            return Measured(
                watts * (1 + 0.003 * self._hand.standard_normal()),
                "stand-in wattmeter",
                0.01 * watts,
                source="stand-in",
            )
        if quantity_id == "tx.meter":
            shown = self.radio.own_meter(total_watts(sent)) * (1 + 0.005 * self._hand.standard_normal())
            return Measured(shown, "the radio's own meter", 0.02 * shown, source="stand-in")
        if quantity_id == "tx.harmonic":
            second = [line.dbc for line in lines(sent) if line.hz > 1.5 * sent[0].centre_hz]
            level = max(second, default=-100.0) + 0.3 * float(self._hand.standard_normal())
            return Measured(level, "stand-in spectrum analyser", 1.0, source="stand-in")
        carrier = strongest(sent)
        if quantity_id == "tx.am_depth":
            depth = measure_am(np.asarray(carrier.envelope, np.complex128), carrier.rate, tone)
            return Measured(depth.depth_pct, "stand-in modulation meter", 0.5, source="stand-in")
        if quantity_id == "tx.pep":
            peak = float(np.quantile(np.abs(carrier.envelope) ** 2, 0.999)) * (1 + 0.005 * self._hand.standard_normal())
            return Measured(peak, "stand-in peak wattmeter", 0.01 * peak, source="stand-in")
        if quantity_id == "tx.carrier_suppression":
            envelope = np.asarray(carrier.envelope, np.complex128)
            # The strongest line is the tone's; the carrier that is left lies the tone's frequency beside it.
            offset = fit_carrier(envelope, carrier.rate) - SIDE.get(place.mode or "", 0.0) * tone
            still = envelope * np.exp(-2j * np.pi * offset * np.arange(envelope.size) / carrier.rate)
            left = carrier_line(still) / max(float(np.quantile(np.abs(envelope) ** 2, 0.999)), 1e-12)
            level = 10.0 * math.log10(max(left, 1e-12)) + 0.2 * float(self._hand.standard_normal())
            return Measured(level, "stand-in spectrum analyser", 0.4, source="stand-in")
        if quantity_id == "tx.frequency_error":
            nominal = float(self.radio.sheet.carrier_hz(place.channel, place.band))
            if place.mode in SIDE:
                # In SSB the counter sees the tone's line, that far beside a carrier that is not there.
                if not microphone:
                    raise BenchError("There is no carrier to count in SSB: feed a tone to the microphone.")
                nominal += SIDE[place.mode] * tone
            return self._counter(carrier, nominal, seconds)
        fit = fit_modulation(carrier.envelope, carrier.rate, conditions.tone_hz or 1000.0)
        return Measured(fit.deviation_hz, "stand-in modulation meter", 0.005 * fit.deviation_hz, source="stand-in")

    def _field(self, conditions: Conditions) -> Measured:
        """A field-strength meter at its place beside the whip; where the hand holds the radio moves it."""
        whip = dict(conditions.panel).get("whip", "out")
        aerial = self.radio.physics.aerial
        spread = 0.1 if aerial is None else aerial.hand
        shown = self.radio.field_db(self._place(conditions), whip == "out") + spread * self._hand.standard_normal()
        return Measured(shown, "stand-in field-strength meter", max(spread, 0.1), source="stand-in")

    def _audio_sent(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """What the tone at the microphone makes against one of 1 kHz, or against what is left without any (dB)."""
        tone = conditions.tone_hz or 1000.0
        if not conditions.mic_mv:
            raise BenchError("Nothing modulates the carrier: feed a tone to the microphone.")
        here = self._modulated(conditions, conditions.mic_mv or 0.0, tone, seconds)
        if quantity_id == "tx.audio_response":
            other, name = (
                self._modulated(conditions, conditions.mic_mv or 0.0, 1000.0, seconds),
                "stand-in audio bridge",
            )
        else:
            other, name = self._left_over(conditions, seconds), "stand-in modulation meter, tone off"
        level = 20.0 * math.log10(max(here, 1e-6) / max(other, 1e-6)) + 0.1 * float(self._hand.standard_normal())
        return Measured(level, name, 0.2, source="stand-in")

    def _carrier_of(self, conditions: Conditions, microphone_mv: float, tone: float, seconds: float) -> Component:
        place, panel = self._place(conditions), dict(conditions.panel)
        self._clock += seconds
        return strongest(self.radio.emit(seconds, place, self._clock, microphone_mv * 1e-3, tone, panel=panel))

    def _mode(self, conditions: Conditions) -> str:
        sends = self.radio.transmitter
        return conditions.mode or "" if sends is None else sends.modulation(conditions.mode)

    def _modulated(self, conditions: Conditions, microphone_mv: float, tone: float, seconds: float) -> float:
        """Depth (AM), deviation (FM) or amplitude (SSB) that a tone makes."""
        carrier, mode = self._carrier_of(conditions, microphone_mv, tone, seconds), self._mode(conditions)
        if mode == "am":
            return measure_am(np.asarray(carrier.envelope, np.complex128), carrier.rate, tone).depth_pct
        if mode in SIDE:
            return float(np.sqrt(np.mean(np.abs(carrier.envelope) ** 2)))
        return fit_modulation(carrier.envelope, carrier.rate, tone).deviation_hz

    def _left_over(self, conditions: Conditions, seconds: float) -> float:
        """The same of what is left without a tone: √2 times its rms, as of a tone that size."""
        carrier, mode = self._carrier_of(conditions, 0.0, 1000.0, seconds), self._mode(conditions)
        envelope = channel_filter(np.asarray(carrier.envelope, np.complex128), carrier.rate)
        if mode == "am":
            size = np.abs(envelope)
            return float(100.0 * math.sqrt(2.0) * np.std(size) / np.mean(size))
        if mode in SIDE:
            return float(np.sqrt(np.mean(np.abs(envelope) ** 2)))
        swing = audio_filter(demodulate(envelope, carrier.rate), carrier.rate)
        return float(math.sqrt(2.0) * np.std(swing))

    def _at_test_point(self, quantity_id: str, conditions: Conditions, seconds: float) -> Measured:
        """A pick-up loop hands the counter a carrier with some noise on it."""
        made, place, panel = self.radio.synthesiser, self._place(conditions), dict(conditions.panel)
        if quantity_id == "rx.lo_error":
            place = replace(place, way="receive")
            nominal, actual = made.output_hz("rx.lo1", place, self._clock, panel)
            if not self.radio.locked(place):
                actual = nominal + UNLOCKED_HZ / 4
        else:
            reference = self.radio.physics.reference
            if quantity_id == "ref.frequency" and reference is not None:
                name = reference.oscillator
            else:
                name = made.at_test_point(conditions.test_point or "", place)
            nominal = next(o.nominal_hz for o in self.radio.sheet.oscillators if o.id == name)
            actual = made.oscillator_hz(name, self._clock, panel, place.way)
        t = np.arange(round(seconds * RATE)) / RATE
        noise = 0.02 * (self._hand.standard_normal(t.size) + 1j * self._hand.standard_normal(t.size))
        tap = Component(nominal, RATE, np.exp(2j * np.pi * (actual - nominal) * t) + noise)
        return self._counter(tap, nominal if quantity_id == "rx.lo_error" else 0.0, seconds)

    def _counter(self, component: Component, minus_hz: float, seconds: float) -> Measured:
        offset = fit_carrier(component.envelope, component.rate)
        counted = (component.centre_hz + offset) * (1 + _TIMEBASE_PPM * 1e-6)
        shown = round(counted * seconds) / seconds
        return Measured(shown - minus_hz, "stand-in counter", 1.0 / seconds / 2, raw=shown, source="stand-in")

    def _volts(self, quantity_id: str, conditions: Conditions) -> Measured:
        if quantity_id == "vco.volts":
            volts = self.radio.vco_volts(self._place(conditions))
        elif quantity_id == "supply.rail":
            volts = self.radio.rail_volts(conditions.test_point or "")
        else:
            volts = self.radio.supply_volts(self._place(conditions))
        shown = volts * (1 + 0.0005 * self._hand.standard_normal()) + 0.002 * self._hand.standard_normal()
        return Measured(round(shown, 3), "stand-in voltmeter", 0.004, source="stand-in")
