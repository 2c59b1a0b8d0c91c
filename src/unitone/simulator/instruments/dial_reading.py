"""Where a receiver really is at a mark of its dial: the generator is swept by hand until the tone is loudest."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from unitone.bench.ports import Measured
from unitone.errors import BenchError
from unitone.sheet.model.sheet import Conditions
from unitone.signals.sinad import tone_powers
from unitone.simulator.instruments.wiring import Instrument
from unitone.simulator.off_air import STATION
from unitone.simulator.radio import Panel
from unitone.simulator.receiver import RATE
from unitone.words import tr

DIAL_ERROR = "rx.frequency_error"
#: How far from the mark the generator is swept (share of the frequency), by how much at a time, how long each
#: place is listened to once it has settled, and how far a tone stands out of what is heard beside it.
_REACH, _STEP_HZ, _SETTLES_S, _LISTENS_S, _CLEAR_DB = 0.2, 3000.0, 0.03, 0.06, 10.0
#: At least so many places either side of the mark, and so many beyond the loudest: what only rises is no top yet.
_LEAST, _BEYOND = 10, 4
#: What the generator gives where the step names no level: loud enough for circuits that are off.
_LOUD_DBM = -47.0
#: Both edges are told by this much less than the loudest (dB), in steps of so many hertz, and a hand sets a generator so well.
_EDGE_DB, _FINE_HZ, _SET_HZ = 4.0, 400.0, 100.0
_FINE_REACH, _BELOW_DB = 12_000.0, 4.0
#: Circuits that stand beside the middle tilt the pass-band: its middle tells the dial no better than this.
_SPREAD_HZ = 300.0
#: How well a pointer is read against a station (Hz).
_POINTER_HZ = 800.0


class DialByGenerator(Instrument):
    """Sweeps the generator round the mark: coarse to find it, fine over its pass-band; the middle of both edges counts."""

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return quantity_id == DIAL_ERROR and self.physics.receive is not None

    def seconds_for(self, quantity_id: str) -> float:
        """A hand sweeps, and comes back."""
        return 20.0

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """How far from the mark the station comes in (Hz). Raises BenchError where nothing is heard anywhere near."""
        by_station = conditions.source == STATION
        conditions = replace(conditions, source=None)
        level = _LOUD_DBM if conditions.level_dbm is None else conditions.level_dbm
        at = replace(
            conditions, level_dbm=level, tone_hz=conditions.tone_hz or 400.0, depth_pct=conditions.depth_pct or 30.0
        )
        place = self.wiring.place(at)
        mark = float(self.radio.sheet.carrier_hz(place.channel, place.band))
        found = self._found(at, _REACH * mark)
        if found is None:
            raise BenchError(tr("No tone comes through anywhere near {mhz:.3f} MHz.", mhz=mark / 1e6))
        heard = {found: self._tone_db(at, found, _LISTENS_S)}
        for way in (-_FINE_HZ, _FINE_HZ):
            hz = found
            # Down the flank until both of the last two places lie clearly below the edge: a noise does not end it.
            while abs(hz - found) < _FINE_REACH and max(heard[hz], heard.get(hz - way, math.inf)) > (
                max(heard.values()) - _EDGE_DB - _BELOW_DB
            ):
                hz += way
                heard[hz] = self._tone_db(at, hz, _LISTENS_S)
        loud = [hz for hz, db in heard.items() if db >= max(heard.values()) - _EDGE_DB]
        middle = (min(loud) + max(loud)) / 2.0 + _SET_HZ * self.wiring.noise()
        if by_station:
            # The pointer is read against a station that is known: to a kilohertz or so.
            shown = round(float(middle) + _POINTER_HZ * self.wiring.noise(), -3)
            return Measured(shown, "simulated station, by the loudest sound", _POINTER_HZ, source="simulated")
        return Measured(
            round(float(middle), -1), "simulated generator, by the loudest tone", _SPREAD_HZ, source="simulated"
        )

    def _found(self, at: Conditions, reach_hz: float) -> float | None:
        """Where a tone stands clear of what is heard elsewhere, outwards from the mark; None where none does within so many hertz."""
        heard = {0: self._tone_db(at, 0.0, _LISTENS_S)}
        for ring in range(1, int(reach_hz / _STEP_HZ) + 1):
            for place in (-ring, ring):
                # A hand goes over the places where nothing comes in at all, once it knows how they sound.
                if ring > _LEAST and not self._comes_in(at, place * _STEP_HZ):
                    continue
                heard[place] = self._tone_db(at, place * _STEP_HZ, _LISTENS_S)
            best = max(heard, key=heard.__getitem__)
            if ring < _LEAST or abs(best) > ring - _BEYOND:
                continue
            clear = float(np.median(list(heard.values()))) + _CLEAR_DB
            # Noise is loud for once, too: who hears a tone listens again.
            if heard[best] > clear and self._tone_db(at, best * _STEP_HZ, _LISTENS_S) > clear:
                return best * _STEP_HZ
        return None

    def _comes_in(self, conditions: Conditions, off_hz: float) -> bool:
        at = replace(conditions, offset_hz=float(off_hz))
        signal = self.wiring.signal(at)
        assert signal is not None
        words = Panel.from_positions(at.panel).words
        return self.radio.comes_in(
            self.radio.if_offset_hz(self.wiring.channel(at), signal.hz, self.wiring.clock, at.band, at.mode, words)
        )

    def _tone_db(self, conditions: Conditions, off_hz: float, seconds: float) -> float:
        """How loud the tone is with the generator so far beside the mark (dB)."""
        at = replace(conditions, offset_hz=float(off_hz))
        panel = Panel.from_positions(at.panel)
        self.radio.receiver.restart()
        signal = self.wiring.signal(at)
        heard = self.wiring.receive(_SETTLES_S + seconds, at, signal, panel).audio[round(_SETTLES_S * RATE) :]
        return float(10.0 * np.log10(max(tone_powers(heard, RATE, at.tone_hz or 400.0).tone, 1e-16)))
