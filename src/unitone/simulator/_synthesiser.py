"""The frequencies of a simulated radio: crystals with their trimmers, the mixing model of its sheet, and the VCO's tuning voltage."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Literal

from unitone.errors import BenchError
from unitone.radio.crystals import loaded_frequency, trimmer_capacitance
from unitone.radio.vco import control_volts
from unitone.sheet.model.mixing_model import Mixed, Place, outputs
from unitone.sheet.model.sheet import Sheet, Way
from unitone.simulator.dial import Dial
from unitone.simulator.mechanics import Mechanics, stream
from unitone.simulator.physics import Crystal, PhysicsFile, Shift
from unitone.words import tr

#: Long after switching on: everything has warmed up.
WARM = 1e9


@dataclass(frozen=True)
class Ground:
    """What one specimen's crystals are: each one's own error (a share of nominal), and where its shifts have their middle (Hz)."""

    error: Mapping[str, float]
    middle: tuple[float, ...]


def ground(sheet: Sheet, physics: PhysicsFile, seed: int) -> Ground:
    """The crystals of the specimen of ``seed``; a stream for each oscillator, so that a new one never shifts an old one."""
    error = {}
    for name, crystal in physics.crystals.items():
        build = stream(seed, f"crystal {name}")
        ppm = crystal.spread_ppm * build.standard_normal()
        odd = build.random() < crystal.odd_share
        away = crystal.odd_ppm * build.uniform(0.7, 1.3) * build.choice((-1.0, 1.0))
        error[name] = 1e-6 * (ppm + (away if odd else 0.0))
    shifts = stream(seed, "shifts")
    middle = tuple(float(s.spread * (s.up - s.down) / 2.0 * shifts.uniform(-1, 1)) for s in physics.shift)
    return Ground(error, middle)


class Synthesiser:
    """Every oscillator and every mixing output of one specimen, as its adjusters and controls stand."""

    def __init__(
        self, sheet: Sheet, physics: PhysicsFile, mechanics: Mechanics, seed: int, dial: Dial | None = None
    ) -> None:
        self.dial = dial
        self.sheet = sheet
        self.physics = physics
        self.mechanics = mechanics
        self.ground = ground(sheet, physics, seed)
        self._oscillators = {o.id: o for o in sheet.oscillators}
        self._mixed: dict[Place, tuple[Mixed, ...]] = {}
        self._nominal: dict[tuple[str, int | None], float] = {}
        #: Each crystal's last pull, with the place of its adjuster that it is of.
        self._pulls: dict[int, tuple[tuple[float, float], float]] = {}

    def oscillator_hz(
        self, name: str, bench_seconds: float = WARM, panel: Mapping[str, str] | None = None, way: str = "either",
        carrier_hz: int | None = None,
    ) -> float:  # fmt: skip
        """An oscillator ``bench_seconds`` after switching on: crystal, trimmer, warm-up, and the controls that pull it; one that follows
        the dial at a carrier, or at the middle of the dial."""
        nominal = self.nominal_hz(name, carrier_hz)
        if name in self.physics.tank and self.dial is not None:
            one = self._oscillators[name]
            if carrier_hz is None:
                assert one.follows
                middle = float((Fraction(one.nominal_hz) - one.offset_hz) / one.follows)
                return self.dial.oscillator_hz(name, middle, bench_seconds)
            return self.dial.oscillator_hz(name, float(carrier_hz), bench_seconds)
        crystal = self.physics.crystals.get(name)
        if crystal is None:
            return nominal
        warm = crystal.warm_up_ppm * 1e-6 * math.exp(-bench_seconds / crystal.warm_up)
        share = self._pulled(crystal) + self.ground.error[name] + warm
        pulled = sum(self._shifted(k, s, name, panel or {}, way) for k, s in enumerate(self.physics.shift))
        return nominal * (1.0 + share) + pulled

    def nominal_hz(self, name: str, carrier_hz: int | None = None) -> float:
        """What an oscillator is meant to run at, on a carrier where it follows the dial (Hz). It never changes: kept."""
        known = self._nominal.get((name, carrier_hz))
        if known is None:
            one = self._oscillators[name]
            known = one.nominal_hz if carrier_hz is None else float(one.at(Fraction(carrier_hz)))
            self._nominal[name, carrier_hz] = known
        return known

    def _pulled(self, crystal: Crystal) -> float:
        """The adjuster's pull against where this specimen is right, a share of nominal.

        A specimen's crystal is ground so that it is right where its trimmer is right; its own error comes on top.
        """
        if crystal.adjuster is None:
            return 0.0
        here, right = self.mechanics.position(crystal.adjuster), self.mechanics.specimen.right[crystal.adjuster]
        known = self._pulls.get(id(crystal))
        if known is not None and known[0] == (here, right):
            return known[1]
        pulled = crystal.per_turn_ppm * 1e-6 * (here - right)
        if crystal.trimmer_most > crystal.trimmer_least:
            times = 2.0 if crystal.each_half_turn else 1.0
            load = [
                crystal.fixed + trimmer_capacitance(at * times, crystal.trimmer_least, crystal.trimmer_most)
                for at in (here, right)
            ]
            f, wanted = (loaded_frequency(1.0, crystal.c1, crystal.c0, c) for c in load)
            pulled += f / wanted - 1.0
        self._pulls[id(crystal)] = ((here, right), pulled)
        return pulled

    def _shifted(self, number: int, shift: Shift, name: str, panel: Mapping[str, str], way: str) -> float:
        if name not in shift.oscillators or (shift.way != "either" and way not in (shift.way, "either")):
            return 0.0
        position = control_share(panel.get(shift.control, "middle"))
        swing = position * (shift.up if position > 0 else shift.down)
        moved = 0.0 if shift.adjuster is None else shift.per_unit * self.mechanics.off(shift.adjuster)
        return swing + self.ground.middle[number] + moved

    # -- outputs ---------------------------------------------------------------------------------

    def _at(self, place: Place) -> tuple[Mixed, ...]:
        """What is mixed at a place (it never changes: kept)."""
        if place not in self._mixed:
            self._mixed[place] = tuple(outputs(self.sheet, place))
        return self._mixed[place]

    def outputs(self, place: Place) -> frozenset[str]:
        """The mixing outputs that there are at a place."""
        return frozenset(m.output for m in self._at(place))

    def made(self, name: str, place: Place) -> Mixed:
        """The mixing output ``name`` at a place. Raises BenchError where the sheet has none there."""
        for one in self._at(place):
            if one.output == name:
                return one
        raise BenchError(tr("The sheet has no mixing line for {name} ({words}).", name=name, words=place.words))

    def output_hz(
        self, name: str, place: Place, bench_seconds: float = WARM, panel: Mapping[str, str] | None = None
    ) -> tuple[float, float]:
        """(nominal, actual) Hz of a mixing output at a place. Raises BenchError where the sheet has none there."""
        one = self.made(name, place)
        error, carrier = 0.0, self._carrier(place)
        for oscillator, times in one.terms:
            runs = self.oscillator_hz(oscillator, bench_seconds, panel, place.way, carrier)
            off = runs - self.nominal_hz(oscillator, carrier)
            error += float(times) * off
        return float(one.hz), float(one.hz) + error

    def _carrier(self, place: Place) -> int | None:
        return None if place.channel is None else self.sheet.carrier_hz(place.channel, place.band)

    def counted_hz(self, name: str, bench_seconds: float, panel: Mapping[str, str], place: Place) -> float:
        """What a counter shows of an oscillator, as dial and panel stand (Hz)."""
        return self.oscillator_hz(name, bench_seconds, panel, place.way, self._carrier(place))

    def at_test_point(self, test_point: str, place: Place) -> str:
        """The oscillator that is counted at a test point, as band and mode stand. Raises BenchError where there is none."""
        there = [o.id for o in self.sheet.oscillators if o.test_point == test_point]
        there += [n for n, c in self.physics.crystals.items() if c.test_point == test_point and n not in there]
        if len(there) > 1:
            both: tuple[Way, Way] = ("receive", "transmit")
            made = [m for way in both for m in self._at(replace(place, way=way))]
            used = {n for m in made for n, _ in m.terms}
            there = [name for name in there if name in used]
        if len(there) != 1:
            say = tr("none of the sheet's oscillators is") if not there else tr("{list} are all", list=", ".join(there))
            raise BenchError(
                tr(
                    "At {test_point} {say} counted. Name its band and mode.",
                    test_point=test_point,
                    say=say,
                )
            )
        return there[0]

    # -- VCO ---------------------------------------------------------------------------------------

    def vco(self, place: Place, rail_share: float = 1.0) -> tuple[float, bool]:
        """Control volts, and whether the loop is in lock there. Raises BenchError for a radio without a VCO that way."""
        way: Literal["transmit", "receive"] = "transmit" if place.way == "transmit" else "receive"
        vco = self.physics.vco.get(way)
        if vco is None:
            raise BenchError(tr("The simulated radio has no VCO ({way}).", way=way))
        henry = vco.inductance * (1.0 + vco.per_turn * self.mechanics.off(vco.adjuster))
        name = vco.output or ("tx.carrier" if way == "transmit" else "rx.lo1")
        nominal = self.output_hz(name, place)[0]
        volts = control_volts(nominal, henry, vco.fixed, vco.varactor, vco.phi, vco.gamma)
        if vco.mirror is not None:
            volts = vco.mirror - volts
        top = vco.highest * rail_share
        return min(max(volts, vco.lowest), top), vco.lowest < volts < top


def control_share(text: str) -> float:
    """A control's position, -1 to 1, from its words: ``-100 %``, ``middle``, ``full``. Raises BenchError."""
    named = {"middle": 0.0, "centre": 0.0, "full": 1.0, "up": 1.0, "down": -1.0}
    if text.strip().lower() in named:
        return named[text.strip().lower()]
    try:
        value = float(text.replace("%", "").replace("−", "-").replace(",", ".").strip()) / 100.0
    except ValueError:
        raise BenchError(
            tr("The simulated radio has no control position “{what}”. Use a share such as -50 %.", what=text)
        ) from None
    if not -1.0 <= value <= 1.0:
        raise BenchError(tr("The control position “{what}” is outside -100 to 100 %.", what=text))
    return value
