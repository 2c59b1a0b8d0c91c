"""Instruments of the receive side: what is heard in blocks, a tone on and off, an ear, a squelch, lamps, the same thing at two settings."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from unitone.bench.ports import Measured
from unitone.errors import BenchError
from unitone.quantities.registry import HEARD
from unitone.radio.levels import mark_db
from unitone.sheet.model.sheet import Conditions, led_point
from unitone.signals.sinad import TonePowers, merge, rms, sinad_std_db, tone_powers
from unitone.simulator.instruments._two_settings import Listening, blanked_db, gain_rise_db, selectivity_db
from unitone.simulator.instruments.wiring import BLOCK_SECONDS, SETTLE_SECONDS, Instrument, Wiring
from unitone.simulator.off_air import LEVELS_DBM, STATION
from unitone.simulator.radio import Panel
from unitone.simulator.receiver import RATE, Signal
from unitone.simulator.transmitter import SIDE
from unitone.words import tr

#: So long is a whole reading (s), and so much of it may be missing by rounding.
_WHOLE_S, _ROUNDING_S = 1.0, 1e-6
#: How long the audio is averaged for each of the two powers of a ratio (s).
_AGAINST_SECONDS = 0.8
#: A generator without a scale, its attenuator out, and the most that its attenuator takes; and where an ear loses a tone in the noise (dB of SINAD).
_UNSCALED_DBM, _ATTENUATOR_MOST_DB, _JUST_HEARD_DB = -47.0, 120.0, 1.0
_SQUELCH_FROM, _SQUELCH_TO = -130.0, -45.0
#: So long an ear listens to a programme (s); how far a station stands clear of the noise and where it drowns (dB of loudness), the gain
#: control's volts at which it is awake (decades), and how many stations further the next one is taken.
_PROGRAMME_S, _CLEAR_DB, _DROWNS_DB, _AWAKE, _FURTHER = 1.5, 16.0, 6.0, 0.2, 2
#: How often a core is rocked between two places, and how far over the noise heard last nobody doubts a station (dB).
_ROCKS, _SURELY_DB = 2, 16.0
#: A meter's lamps are looked for up to S9 and sixty decibels.
LED, _LED_TO, _BY_EYE = "rx.led_lights", -13.0, "simulated generator, by eye"


@dataclass(frozen=True)
class _Block:
    """What one stretch of reception gave: its tone, the square of the audio's volts, and where the needle stood."""

    seconds: float
    tone: TonePowers
    audio_square: float
    needle: float


class Blocks:
    """What the receiver gave lately, for a second at the most, and since nothing was changed: what several meters look at."""

    def __init__(self, wiring: Wiring) -> None:
        self._wiring = wiring
        self._stamp: object = None
        self._blocks: list[_Block] = []
        self.agc = 0.0
        self.mode: str | None = None

    def _stamp_of(self, conditions: Conditions) -> object:
        radio = self._wiring.radio
        return (conditions, self._wiring.fed, radio.changes, *radio.mechanics.stamp())

    def forget(self) -> None:
        """The next reading begins anew."""
        self._blocks = []

    @property
    def tone(self) -> TonePowers:
        """The powers of all of it together. Raises ValueError where nothing was taken."""
        return merge([b.tone for b in self._blocks])

    @property
    def audio_square(self) -> float:
        """The mean square of the audio (V²)."""
        return self._mean(lambda b: b.audio_square)

    @property
    def needle(self) -> float:
        """Where the needle stood, on average (0 to 1)."""
        return self._mean(lambda b: b.needle)

    def _mean(self, of: Callable[[_Block], float]) -> float:
        return sum(of(b) * b.seconds for b in self._blocks) / self.seconds

    @property
    def seconds(self) -> float:
        """So long all of it is."""
        return sum(b.seconds for b in self._blocks)

    def fill(self, conditions: Conditions) -> None:
        """What is missing of a whole reading under these conditions: in one stretch, where nothing comes and goes meanwhile."""
        here = self.seconds if self._stamp == self._stamp_of(conditions) else 0.0
        while (missing := _WHOLE_S - here) > _ROUNDING_S:
            stretch = missing if self._wiring.radio.is_steady else BLOCK_SECONDS
            self.take(conditions, stretch)
            here += stretch

    def take(self, conditions: Conditions, seconds: float = BLOCK_SECONDS) -> None:
        """One block more, after settling where something was changed."""
        panel, signal = Panel.from_positions(conditions.panel), self._wiring.signal(conditions)
        stamp = self._stamp_of(conditions)
        self.mode = conditions.mode
        if stamp != self._stamp:
            self.forget()
            self._stamp = stamp
            self._wiring.receive(SETTLE_SECONDS, conditions, signal, panel)
        heard = self._wiring.receive(seconds, conditions, signal, panel)
        self.agc = heard.agc_volts
        tone = tone_powers(heard.audio, RATE, conditions.tone_hz or 1000.0)
        self._blocks.append(_Block(seconds, tone, rms(heard.audio) ** 2, heard.needle))
        while self.seconds > _WHOLE_S + _ROUNDING_S:
            self._blocks.pop(0)


class _BlockMeter(Instrument):
    """A meter with a needle that averages blocks; its class says what it makes of them."""

    def __init__(self, wiring: Wiring, blocks: Blocks) -> None:
        super().__init__(wiring)
        self.blocks = blocks

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A second of blocks since the last change. Raises BenchError."""
        self.blocks.fill(conditions)
        reading = self.reading(quantity_id)
        self.blocks.forget()
        return reading

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """One block more; the average since the last change, over a second at most."""
        self.blocks.take(conditions)
        return self.reading(quantity_id)

    def reading(self, quantity_id: str) -> Measured:
        """What the blocks say."""
        raise BenchError(tr("Nothing reads {quantity_id} here.", quantity_id=quantity_id))


class SinadMeter(_BlockMeter):
    """SINAD, and the distortion that it stands for."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id in ("rx.sinad", "rx.distortion") and self.physics.receive is not None

    def reading(self, quantity_id: str) -> Measured:
        """Powers averaged over the blocks."""
        together = self.blocks.tone
        # Clicks of FM noise spread the reading more than white noise would.
        std = 2.0 * sinad_std_db(together.sinad_db, together.seconds)
        if quantity_id == "rx.sinad":
            return Measured(together.sinad_db, "simulated SINAD meter", std, source="simulated")
        pct = together.distortion_pct
        return Measured(pct, "simulated distortion meter", pct * std / 8.69, source="simulated")


class AudioVoltmeter(_BlockMeter):
    """The loudspeaker's volts."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id in ("rx.af_voltage", "rx.scope_height") and self.physics.receive is not None

    def reading(self, quantity_id: str) -> Measured:
        """Root mean square over the blocks; on a scope at a volt a division, from crest to crest."""
        volts = math.sqrt(self.blocks.audio_square)
        if quantity_id == "rx.scope_height":
            return Measured(2.0 * math.sqrt(2.0) * volts, "simulated scope", 0.1, source="simulated")
        return Measured(volts, "simulated audio voltmeter", 0.01 * volts, source="simulated")


class GainControlVoltmeter(_BlockMeter):
    """The volts of the gain control's line."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        receive = self.physics.receive
        return quantity_id == "rx.agc_voltage" and receive is not None and receive.agc is not None

    def reading(self, quantity_id: str) -> Measured:
        """As they stand now."""
        del quantity_id
        volts = self.blocks.agc * (1 + 0.002 * self.wiring.noise()) + 0.003 * self.wiring.noise()
        return Measured(volts, "simulated voltmeter", 0.005, source="simulated")


class SMeter(_BlockMeter):
    """The radio's own meter, read by eye."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        has_one = self.physics.receive is not None and self.physics.s_meter is not None
        return quantity_id in ("rx.s_meter", "rx.needle") and has_one

    def reading(self, quantity_id: str) -> Measured:
        """The needle averaged, on the meter's own scale."""
        needle = self.blocks.needle
        if quantity_id == "rx.needle":
            seen = 10.0 * min(needle + 0.002 * self.wiring.noise(), 1.0)
            return Measured(
                max(seen, 0.0), "the radio's own meter", 0.05, ">" if needle >= 1.0 else "", source="simulated"
            )
        deflection, marks = self.radio.meter_scale(self.blocks.mode)
        seen = needle + 0.002 * self.wiring.noise()
        name = "the radio's own meter"
        if needle >= 1.0:
            return Measured(
                float(np.interp(1.0, deflection, marks)), name, None, ">", "pegged", needle, source="simulated"
            )
        return Measured(float(np.interp(seen, deflection, marks)), name, 0.3, raw=needle, source="simulated")


class RatioMeter(Instrument):
    """Audio with the signal against audio without its tone (its carrier stays), or against none at all (quieting, SSB)."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id in ("rx.sn_ratio", "rx.quieting") and self.physics.receive is not None

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """Two powers, and the decibels between. Raises BenchError without a level."""
        w, panel = self.wiring, Panel.from_positions(conditions.panel)
        signal = w.signal(conditions)
        if signal is None:
            raise BenchError(tr("Signal to noise needs a level on the generator: set one up."))
        carrier = replace(signal, tone_hz=0.0, deviation_hz=0.0, depth=0.0)
        alone = self.radio.mode_of(conditions.mode) in SIDE
        fed: tuple[Signal | None, Signal | None] = (signal, None if alone else carrier)
        if quantity_id == "rx.quieting":
            fed = (None, carrier)
        power = []
        for heard in fed:
            w.receive(SETTLE_SECONDS, conditions, heard, panel)
            power.append(rms(w.receive(_AGAINST_SECONDS, conditions, heard, panel).audio) ** 2)
        w.fed += 1
        ratio = 10.0 * math.log10(max(power[0], 1e-18) / max(power[1], 1e-18))
        std = 4.343 * math.sqrt(2.0 / (2.0 * 2700.0 * _AGAINST_SECONDS)) * 2.0
        return Measured(max(ratio, 0.0), "simulated audio voltmeter, tone on and off", std, source="simulated")


class TwoSettings(Instrument):
    """Automatic gain, selectivity or the blanker: the same thing twice, and the decibels between."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        receive = self.physics.receive
        if receive is None:
            return False
        if quantity_id == "rx.blanker":
            return receive.blanker is not None
        return quantity_id in ("rx.agc_rise", "rx.selectivity") and receive.agc is not None

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """See ``_two_settings``. Raises BenchError without a level."""
        w, panel = self.wiring, Panel.from_positions(conditions.panel)
        w.fed += 1
        signal = w.signal(conditions)
        ear = Listening(lambda seconds, s, p, pulses: w.receive(seconds, conditions, s, p, pulses))
        blanker = None if self.physics.receive is None else self.physics.receive.blanker
        if quantity_id == "rx.blanker" and blanker is not None:
            db = blanked_db(ear, signal, panel, blanker.control)
            return Measured(db, "simulated audio voltmeter, pulses", 0.5, source="simulated")
        if signal is None:
            raise BenchError(tr("This check needs a level on the generator: set one up."))
        if quantity_id == "rx.selectivity":
            db = selectivity_db(ear, signal, panel)
            return Measured(db, "simulated generator, gain control volts", 0.5, source="simulated")
        return Measured(gain_rise_db(ear, signal, panel), "simulated audio voltmeter", 0.3, source="simulated")


class LoudnessByEar(Instrument):
    """An ear: louder, softer or the same as when it listened last; a decibel is just told, half of one unsure."""

    def __init__(self, wiring: Wiring) -> None:
        super().__init__(wiring)
        self._heard_db: float | None = None
        self._quiet_db = 0.0

    def seconds_for(self, quantity_id: str) -> float:
        """As long as an ear listens to a programme."""
        del quantity_id
        return _PROGRAMME_S

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id == HEARD and self.physics.receive is not None

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """One of three words."""
        del quantity_id
        w, panel = self.wiring, Panel.from_positions(conditions.panel)
        w.fed += 1
        if conditions.source == STATION and w.tuned_to(conditions) is None:
            self._choose(conditions, panel)
        now, held = self._listen(conditions, panel)
        if conditions.source == STATION and w.last_turn is not None:
            now, self._heard_db = self._rock(conditions, panel, now, *w.last_turn)
        w.last_turn = None
        change = 0.0 if self._heard_db is None else now - self._heard_db + 0.5 * w.noise()
        self._heard_db = now
        if conditions.source == STATION and self._another(conditions, panel, now, held):
            # Too strong or too weak by now: another station, at the same place of the core, is what the next turn is compared with.
            self._heard_db, _ = self._listen(conditions, panel)
        word = "louder" if change > 1.0 else "softer" if change < -1.0 else "same"
        return Measured(None, "simulated ear", None, word=word, source="simulated")

    def _rock(
        self, conditions: Conditions, panel: Panel, first_db: float, adjuster: str, moved: int
    ) -> tuple[float, float]:
        """How loud it is where the core stands, and where it stood before its turn (dB): it is rocked between the two, so that what fades
        meanwhile drops out, and ends where it stands."""
        here, there = [first_db], []
        for _ in range(_ROCKS):
            self.radio.mechanics.turn(adjuster, -moved)
            there.append(self._listen(conditions, panel)[0])
            self.radio.mechanics.turn(adjuster, moved)
            here.append(self._listen(conditions, panel)[0])
        return sum(here) / len(here), sum(there) / len(there)

    def _listen(self, conditions: Conditions, panel: Panel, fed: bool = True) -> tuple[float, bool]:
        """(how loud it is in dB, does the gain control hold it?)"""
        w = self.wiring
        signal = w.signal(conditions) if fed else None
        w.receive(SETTLE_SECONDS, conditions, signal, panel)
        heard = w.receive(_PROGRAMME_S if conditions.source == STATION else 0.6, conditions, signal, panel)
        agc = self.physics.receive.agc if self.physics.receive is not None else None
        held = agc is not None and heard.agc_volts > _AWAKE * agc.volts_per_decade
        return 20.0 * math.log10(max(rms(heard.audio), 1e-9)), held

    def _choose(self, conditions: Conditions, panel: Panel) -> None:
        """The weakest station near the mark that stands clear of the noise; the strongest where none does."""
        quiet, _ = self._listen(conditions, panel, fed=False)
        self._quiet_db = quiet
        for which in range(len(LEVELS_DBM)):
            self.wiring.tune_to(conditions, which)
            if self._listen(conditions, panel)[0] > quiet + _CLEAR_DB:
                return

    def _another(self, conditions: Conditions, panel: Panel, now: float, held: bool) -> bool:
        """Was another station taken, weaker where the gain control holds this one, stronger where it drowns?"""
        which = self.wiring.tuned_to(conditions) or 0
        if held and which > 0:
            self.wiring.tune_to(conditions, max(which - _FURTHER, 0))
            return True
        if conditions.source == STATION and now > self._quiet_db + _SURELY_DB:
            return False
        quiet, _ = self._listen(conditions, panel, fed=False)
        self._quiet_db = quiet
        if now < quiet + _DROWNS_DB and which < len(LEVELS_DBM) - 1:
            self.wiring.tune_to(conditions, min(which + _FURTHER, len(LEVELS_DBM) - 1))
            return True
        return False


class AttenuatorByEar(Instrument):
    """Attenuation switched in, a decibel at a time, until an ear loses the signal: how much more than at the generator's full level."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id == "rx.attenuation" and self.physics.receive is not None

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """Decibels in the attenuator. What a generator without a scale gives is not known, and need not be."""
        del quantity_id
        w, panel = self.wiring, Panel.from_positions(conditions.panel)
        w.fed += 1
        low, high = 0.0, _ATTENUATOR_MOST_DB
        while high - low > 0.5:
            middle = (low + high) / 2
            heard = self._tone_db(conditions, panel, _UNSCALED_DBM - middle) > _JUST_HEARD_DB
            low, high = (middle, high) if heard else (low, middle)
        seen = round((low + high) / 2 + 0.3 * w.noise())
        return Measured(float(max(seen, 0)), "simulated attenuator, by ear", 0.7, source="simulated")

    def _tone_db(self, conditions: Conditions, panel: Panel, level_dbm: float) -> float:
        """How far the tone stands out of the noise (SINAD, dB): an ear loses it just under a decibel."""
        w = self.wiring
        signal = w.signal_at(conditions, level_dbm)
        w.receive(SETTLE_SECONDS, conditions, signal, panel)
        return tone_powers(w.receive(0.6, conditions, signal, panel).audio, RATE, conditions.tone_hz or 1000.0).sinad_db


class SquelchByEar(Instrument):
    """The level at which the squelch opens as it rises, or closes as it falls: by ear, in half decibels."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        here = self.physics.receive is not None and self.physics.squelch is not None
        return here and quantity_id in ("rx.squelch_opens", "rx.squelch_tight", "rx.squelch_closes")

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """The generator goes up, or down, until it is heard."""
        panel = Panel.from_positions(conditions.panel)
        self.wiring.fed += 1
        if panel.just_closed:
            panel = self._closed(conditions, panel)
        return self._closes(conditions, panel) if quantity_id == "rx.squelch_closes" else self._opens(conditions, panel)

    def _is_open(self, conditions: Conditions, panel: Panel, level: float | None, seconds: float) -> bool:
        signal = None if level is None else self.wiring.signal_at(conditions, level)
        return self.wiring.receive(seconds, conditions, signal, panel).squelch_open

    def _closed(self, conditions: Conditions, panel: Panel) -> Panel:
        """The control turned up, a hundredth at a time, until the noise has stopped for a while; fully up where it never does."""
        for share in np.arange(0.0, 1.001, 0.01):
            turned = replace(panel, squelch=float(share), just_closed=False)
            if all(not self.wiring.receive(0.1, conditions, None, turned).squelch_open for _ in range(4)):
                return turned
        return replace(panel, squelch=1.0, just_closed=False)

    def _closes(self, conditions: Conditions, panel: Panel) -> Measured:
        name = "simulated generator, by ear"
        if not self._is_open(conditions, panel, _SQUELCH_TO, 0.4):
            return Measured(_SQUELCH_TO, name, None, ">", "never opens", source="simulated")
        level = _SQUELCH_TO
        for step in (3.0, 0.5):
            while self._is_open(conditions, panel, level, 0.2):
                level -= step
                if level < _SQUELCH_FROM:
                    return Measured(_SQUELCH_FROM, name, None, "<", "never closes", source="simulated")
            if step > 1.0:
                level += step
                self._is_open(conditions, panel, _SQUELCH_TO, 0.3)
        return Measured(level + 0.25, name, 0.3, source="simulated")

    def _opens(self, conditions: Conditions, panel: Panel) -> Measured:
        name = "simulated generator, by ear"
        self.wiring.receive(0.3, conditions, None, Panel(1.0, 0.0))
        if self._is_open(conditions, panel, None, 0.3):
            return Measured(_SQUELCH_FROM, name, None, "<", "always open", source="simulated")
        level = _SQUELCH_FROM
        for step in (3.0, 0.5):
            while not self._is_open(conditions, panel, level, 0.2):
                level += step
                if level > _SQUELCH_TO:
                    return Measured(_SQUELCH_TO, name, None, ">", "never opens", source="simulated")
            if step > 1.0:
                level -= step
                self.wiring.receive(0.3, conditions, None, Panel(1.0, 0.0))
        return Measured(level - 0.25, name, 0.3, source="simulated")


class LedsByEye(Instrument):
    """The level at which a lamp of the meter lights as the generator comes up: by eye, in half decibels."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id == LED and self.physics.receive is not None and self.physics.s_meter is not None

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """The generator comes up until the lamp of the test point lights."""
        del quantity_id
        scale, marks = self.radio.meter_scale(conditions.mode)
        mark = mark_db((conditions.test_point or "").removeprefix(led_point("")))
        lights = float(np.interp(mark, marks, scale))
        panel = Panel.from_positions(conditions.panel)
        w = self.wiring
        w.fed += 1

        def lit(level: float) -> bool:
            return w.receive(0.1, conditions, w.signal_at(conditions, level), panel).needle >= lights

        # What was fed before has to die away in the filters first.
        lit(_SQUELCH_FROM)
        if lit(_SQUELCH_FROM):
            return Measured(_SQUELCH_FROM, _BY_EYE, None, "<", "always lit", source="simulated")
        level = _SQUELCH_FROM
        for step in (6.0, 0.5):
            while not lit(level):
                level += step
                if level > _LED_TO:
                    return Measured(_LED_TO, _BY_EYE, None, ">", "never lit", source="simulated")
            level -= step if step > 1.0 else step / 2.0
            lit(level)
        return Measured(level, _BY_EYE, 0.3, source="simulated")
