"""The referee: what the physics of a simulated radio allows, found by general optimisers that know nothing of the coach.

It reads the simulated radio's own functions and simulates without a technician; its
verdicts are what the robot technician's work is judged against.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from scipy.optimize import Bounds, differential_evolution, minimize, minimize_scalar

from unitone.quantities.registry import FOUND_BY, quantity
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Conditions, Limit, Sheet, Step
from unitone.signals.sinad import TonePowers, tone_powers
from unitone.simulator.mechanics import unit_mdeg
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.radio import Panel, SimulatedRadio
from unitone.simulator.receive_physics import CoilStage, GangedStage, PairStage
from unitone.simulator.receiver import RATE, SIDEBAND_HZ, Signal
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.simulator.transmitter import SIDE, Keyed

_LINEAR = frozenset({"rx.sinad", "rx.sensitivity", "rx.sn_ratio", "rx.sensitivity_am"})
#: Quantities of which one reading of the simulated radio's instruments is as good as the truth.
_AS_MEASURED = frozenset(
    {
        "rx.squelch_opens", "rx.squelch_tight", "rx.squelch_closes", "rx.af_voltage", "rx.agc_voltage", "rx.s_meter", "rx.led_lights",
        "rx.agc_rise", "rx.selectivity", "rx.blanker", "tx.frequency_error", "rx.lo_error", "supply.voltage", "tx.pep", "tx.harmonic",
        "tx.audio_response", "tx.hum_noise",
    }
)  # fmt: skip
#: Kinds of which a reading spreads by more than hands can set.
_ROOM_FOR = frozenset({"level", "s-units", "ratio-db", "volts"})
_SECONDS = 1.0
#: How far from its peak a coil is looked for when all are brought even (millidegrees).
_AROUND = 900_000.0
#: The pass-band is looked at from here to there (Hz beside its middle).
_BESIDE_HZ = np.arange(-11_000.0, 11_001.0, 50.0)


def _within(limit: Limit, value: float) -> bool:
    """Is a value without doubt inside? Told here, and not by the verdict that is judged."""
    return not ((limit.low is not None and value < limit.low) or (limit.high is not None and value > limit.high))


def _receive_circuits(physics: PhysicsFile) -> frozenset[str]:
    """The adjusters of the receiver's tuned circuits that turn nothing else."""
    stages = physics.receive.stage if physics.receive is not None else []
    coils = {s.adjuster for s in stages if isinstance(s, CoilStage)}
    coils |= {a for s in stages if isinstance(s, GangedStage) for a in s.turned_by}
    coils |= {a for s in stages if isinstance(s, PairStage) for a in s.adjusters}
    others = {c.adjuster for c in physics.crystals.values()} | {v.adjuster for v in physics.vco.values()}
    others |= {s.adjuster for s in physics.shift} | {r.adjuster for r in physics.rail}
    others |= {a for t in physics.tank.values() for a in t.turned_by}
    return frozenset(coils - others)


class Referee:
    """Judges one specimen. ``positions`` are millidegrees clockwise from where each adjuster was found."""

    def __init__(self, sheet: Sheet, physics: PhysicsFile, seed: int, fault: str = "") -> None:
        self.sheet = sheet
        self.radio = SimulatedRadio(sheet, physics, seed, fault)
        self.physics = self.radio.physics
        self.moved = self.radio.mechanics.moved_mdeg
        self._circuits = _receive_circuits(self.physics)
        self._tuned_at: tuple[int, ...] | None = None
        self._tuned_to: dict[Conditions, tuple[float, float]] = {}

    def stand_at(self, positions: dict[str, int]) -> None:
        """Put the adjusters there."""
        self.moved.update(positions)

    def range_of(self, name: str) -> tuple[float, float]:
        """What is within the stops (or a whole revolution), millidegrees from found."""
        adjuster = self.sheet.adjuster(name)
        found = self.radio.mechanics.specimen.found[name] * unit_mdeg(adjuster)
        return (-found, adjuster.travel_mdeg - found) if adjuster.stops else (-180_000.0, 180_000.0)

    # -- the receiver's coils ---------------------------------------------------------------------

    def noise_figure_db(self, at: Conditions) -> float:
        """Equivalent input noise figure as the adjusters stand: front-end and IF loss without any noise in the figure. Where a stage is
        fed, what it and those after it pass stands for that (dB, the other way round): no noise of theirs is told there."""
        if at.inject:
            return -self.gain_db(at)
        carrier, offset = self._tuned(at)
        return self.radio.receiver.noise_figure_db(carrier, self.radio.mode_of(at.mode), offset)

    def _tuned(self, at: Conditions) -> tuple[float, float]:
        """The carrier there, and how far beside its middle the IF carries what is heard (in SSB a sideband)."""
        # The circuits of the receiver shift no oscillator: thousands of their places are tried with the same ones.
        stand = tuple(v for a, v in self.moved.items() if a not in self._circuits)
        if stand != self._tuned_at:
            self._tuned_at, self._tuned_to = stand, {}
        if at not in self._tuned_to:
            self._tuned_to[at] = self._work_out(at)
        return self._tuned_to[at]

    def _work_out(self, at: Conditions) -> tuple[float, float]:
        channel = self.channel_of(at)
        carrier = float(self.sheet.carrier_hz(channel, at.band))
        side = SIDE.get(self.radio.mode_of(at.mode), 0.0) * SIDEBAND_HZ
        if self.radio.synthesiser.dial is not None:
            # Tuned in by ear: the signal lands in the middle, wherever the scale stands.
            return carrier, side
        return carrier, side + self.radio.if_offset_hz(channel, carrier, band=at.band, mode=at.mode)

    def channel_of(self, at: Conditions) -> str:
        """The channel that conditions name; the middle one where they name none."""
        names = self.sheet.plan.names
        return at.channel or names[len(names) // 2]

    def gain_db(self, at: Conditions) -> float:
        """What the chain passes of a carrier there as the adjusters stand (dB against an aligned radio)."""
        carrier, offset = self._tuned(at)
        mode, start = self.radio.mode_of(at.mode), 0
        if at.inject:
            # A generator at a stage is tuned to what passes there, whatever the oscillator does.
            start, offset = self.radio.receiver.first_of(at.inject, mode), 0.0
        chain = self.radio.receiver.chain(carrier, mode, start=start)
        n = int(np.argmin(np.abs(chain.hz - offset)))
        return float(20.0 * np.log10(max(abs(chain.gain[n]), 1e-12)))

    def worst_db(self, step: Step) -> float:
        """The noise figure where it is worst of a step's places; the setting's alone of a step that is peaked at one."""
        places = step.required if step.aim == "level" else (step.setting,)
        return max(self.noise_figure_db(c) for c in places)

    def joint_loss_db(self, worked: list[str], positions: dict[str, int], steps: list[Step]) -> float:
        """Loss (dB of equivalent input level) against the best that the worked-on coils can do together: each step's worst place,
        the mean of the steps."""

        def worst() -> float:
            return float(np.mean([self.worst_db(s) for s in steps]))

        self.stand_at(positions)
        now = worst()
        best = self.least(worked, worst)
        self.stand_at(positions)
        return now - best

    def least(self, names: list[str], cost: Callable[[], float]) -> float:
        """Least cost over the named adjusters; leaves them there. Powell's method from several starts."""
        bounds = [self.range_of(n) for n in names]

        def at(x: np.ndarray) -> float:
            for name, value, (low, high) in zip(names, x, bounds, strict=True):
                self.moved[name] = round(min(max(value, low), high))
            return cost()

        stand = [min(max(self.moved[n], a), b) for n, (a, b) in zip(names, bounds, strict=True)]
        starts = [np.array(stand, float), np.array([(a + b) / 2 for a, b in bounds])]
        starts += [np.array([0.5 * (at_now + (a + b) / 2) for at_now, (a, b) in zip(stand, bounds, strict=True)])]
        # Thirty times finer tolerances change the loss by 0.001 dB at the most, and take three times as long.
        found = [
            minimize(at, start, method="Powell", bounds=bounds, options={"xtol": 3e-3, "ftol": 1e-4, "maxiter": 60})
            for start in starts
        ]
        best = min(found, key=lambda r: float(r.fun))
        return at(np.atleast_1d(best.x))

    # -- bringing everything in ---------------------------------------------------------------------

    def align(self) -> None:
        """Bring the whole radio in, step by step in the sheet's order, by the physics alone."""
        coils = sorted({a for s in self.sheet.steps if s.quantity_id in _LINEAR for a in s.adjusters})
        linear_done = False
        for step in self.sheet.steps:
            read = FOUND_BY.get(step.quantity_id, (step.quantity_id,))[0]
            if not step.adjust or not SimulatedBench(self.radio).can_measure(read):
                continue
            if step.quantity_id in _LINEAR:
                if not linear_done:
                    peaked = [s for s in self.sheet.steps if s.quantity_id in _LINEAR and s.adjust]
                    self.least(coils, lambda: float(np.mean([self.worst_db(s) for s in peaked])))  # noqa: B023
                    linear_done = True
                continue
            self.bring_in(step)

    def bring_in(self, step: Step) -> None:
        """Bring one step in by the physics alone; a pair that nulls together is searched together."""
        if step.quantity_id == "rx.af_voltage" and step.aim == "peak":
            self.least(list(step.adjusters), lambda: -self.gain_db(step.setting))
            return
        if step.quantity_id == "tx.power":
            if step.aim == "level":
                self.even(step)
            else:
                self.least(list(step.adjusters), lambda: -self.watts_at(step.setting))
            return
        if step.aim == "level":
            self._level(step)
            return
        if len(step.adjusters) > 1:
            sign = -1.0 if step.aim == "peak" else 1.0
            self.least(list(step.adjusters), lambda: sign * self.true_value(step.quantity_id, step.setting))
            return
        name = step.adjusters[0]
        low, high = self.range_of(name)
        target = step.target if step.target is not None else step.limit.middle

        def cost(mdeg: float) -> float:
            self.moved[name] = round(mdeg)
            value = self.true_value(step.quantity_id, step.setting)
            return value if step.aim == "null" else -value if step.aim == "peak" else abs(value - target)

        grid = np.linspace(low, high, 49)
        costs = [cost(g) for g in grid]
        k = int(np.argmin(costs))
        around = (grid[max(k - 1, 0)], grid[min(k + 1, 48)])
        best = minimize_scalar(cost, bounds=around, method="bounded", options={"maxiter": 14})
        cost(best.x if best.fun < costs[k] else grid[k])

    def watts_at(self, conditions: Conditions) -> float:
        """Carrier power there as the adjusters stand, the sag of the supply and all."""
        transmitter = self.radio.transmitter
        if transmitter is None:
            return 0.0
        channel = conditions.channel or self.sheet.plan.names[len(self.sheet.plan.names) // 2]
        place = Place(conditions.way, conditions.band, conditions.mode, channel)
        hz = float(self.sheet.carrier_hz(channel, conditions.band))
        return transmitter.watts(hz, self.radio.supply_volts(place) / self.physics.supply)

    def _heard_v(self, conditions: Conditions) -> float:
        """What the microphone amplifier makes of the step's tone, the speech processor with it."""
        if self.radio.transmitter is None:
            return 0.0
        processed = self.radio.processed(dict(conditions.panel))
        tone = Keyed(conditions.mode, (conditions.mic_mv or 0.0) * 1e-3, conditions.tone_hz or 1000.0, processed)
        return self.radio.transmitter.heard_v(tone)

    def unevenness_db(self, step: Step) -> float:
        """From the least to the most power over the step's places (dB)."""
        watts = [max(self.watts_at(c), 1e-9) for c in step.required]
        return float(10.0 * np.log10(max(watts) / min(watts)))

    def even(self, step: Step) -> float:
        """Bring the step's coils where the worst place stands least outside its limit, and then as even as can be; returns the dB left."""
        high = step.limit.high
        c0 = step.required
        # Another step may ask more of one of these places: all of them are to hold together.
        alike = [s for s in self.sheet.steps if s.quantity_id == step.quantity_id and s.limit.low is not None]
        low = np.array([max((s.limit.low or 0.0 for s in alike if c in s.required), default=1e-9) for c in c0])

        def cost() -> float:
            watts = np.array([max(self.watts_at(c), 1e-9) for c in c0])
            db = 10.0 * np.log10(watts)
            out = 0.0
            out += max(float(np.max(10.0 * np.log10(low) - db)), 0.0)
            if high is not None:
                out += max(float(db.max() - 10.0 * np.log10(high)), 0.0)
            return float(db.max() - db.min()) + 6.0 * out

        # From all coils at their best at the middle a global search over two and a half turns either way, then Powell's method.
        names = list(step.adjusters)
        self.least(names, lambda: -self.watts_at(step.setting))
        peaked = np.array([self.moved[n] for n in names], float)

        def at(x: np.ndarray) -> float:
            self.moved.update({n: round(float(v)) for n, v in zip(names, x, strict=True)})
            return cost()

        ends = [
            (max(float(p) - _AROUND, a), min(float(p) + _AROUND, b))
            for p, (a, b) in zip(peaked, map(self.range_of, names), strict=True)
        ]
        limits = Bounds([a for a, _ in ends], [b for _, b in ends])
        found = differential_evolution(at, limits, popsize=10, maxiter=50, tol=1e-3, rng=1, polish=False, x0=peaked)
        at(found.x)
        self.least(names, cost)
        return self.unevenness_db(step)

    def _level(self, step: Step) -> None:
        """The one adjuster where the worst of all the step's places is least out."""
        name = step.adjusters[0]
        low, high = self.range_of(name)
        target = step.target if step.target is not None else step.limit.middle

        def worst(mdeg: float) -> float:
            self.moved[name] = round(mdeg)
            return max(abs(self.true_value(step.quantity_id, c) - target) for c in step.required)

        grid = np.linspace(low, high, 181)
        k = int(np.argmin([worst(g) for g in grid]))
        around = (grid[max(k - 1, 0)], grid[min(k + 1, 180)])
        worst(minimize_scalar(worst, bounds=around, method="bounded", options={"maxiter": 20}).x)

    def true_value(self, quantity_id: str, conditions: Conditions) -> float:
        """The value without a meter's error: from the physics where that is direct, else from a long simulation."""
        radio = self.radio
        channel = conditions.channel or self.sheet.plan.names[len(self.sheet.plan.names) // 2]
        if quantity_id == "supply.rail":
            return radio.rail_volts(conditions.test_point or "")
        if quantity_id == "ref.frequency" and self.physics.reference is not None:
            return radio.reference_hz()
        place = Place(conditions.way, conditions.band, conditions.mode, channel)
        if quantity_id in ("osc.frequency", "ref.frequency"):
            name = radio.synthesiser.at_test_point(conditions.test_point or "", place)
            return radio.synthesiser.oscillator_hz(name, panel=dict(conditions.panel), way=conditions.way)
        if quantity_id in ("rx.lo_error", "tx.frequency_error") and radio.locked(place):
            name = "rx.lo1" if quantity_id == "rx.lo_error" else "tx.carrier"
            nominal, actual = radio.synthesiser.output_hz(name, place, panel=dict(conditions.panel))
            return actual - nominal
        if quantity_id == "rx.frequency_error":
            return self._dial_error_hz(conditions, channel)
        if quantity_id == "vco.tuning_voltage":
            return radio.vco_volts(place)
        if quantity_id == "tx.power":
            return self.watts_at(conditions)
        if quantity_id == "tx.meter":
            return radio.own_meter(self.watts_at(conditions))
        if quantity_id == "supply.current":
            return radio.supply_amps(place)
        if quantity_id == "tx.field_strength":
            return radio.field_db(place, dict(conditions.panel).get("whip", "out") == "out")
        if quantity_id == "tx.carrier_suppression" and radio.transmitter is not None:
            heard = self._heard_v(conditions)
            full = self.watts_at(conditions) * radio.transmitter.pep_share
            left = abs(radio.transmitter.carrier_left())
            return float(20.0 * np.log10(left / (radio.transmitter.ssb_drive(heard, full) + left)))
        if quantity_id == "tx.harmonic" and radio.transmitter is not None:
            return radio.transmitter.second_dbc(float(self.sheet.carrier_hz(channel, conditions.band)))
        if quantity_id == "tx.spurious" and radio.transmitter is not None:
            found = radio.transmitter.sub_harmonics_dbc(float(self.sheet.carrier_hz(channel, conditions.band)))
            return max((dbc for _, dbc in found), default=-100.0)
        if quantity_id == "tx.bias_current":
            return radio.idle_amps()
        if quantity_id == "tx.am_depth" and radio.transmitter is not None:
            return 100.0 * radio.transmitter.am_depth(self._heard_v(conditions))
        if quantity_id == "tx.deviation" and radio.transmitter is not None:
            return radio.transmitter.deviation_hz(self._heard_v(conditions), radio.rail_share())
        return self._simulated(quantity_id, conditions, channel)

    def _dial_error_hz(self, conditions: Conditions, channel: str) -> float:
        """How far from the mark a signal comes in (Hz): what the oscillators are off, and where the IF has its middle, 6 dB down."""
        carrier = float(self.sheet.carrier_hz(channel, conditions.band))
        off = -self.radio.if_offset_hz(channel, carrier, band=conditions.band, mode=conditions.mode)
        if self.radio.synthesiser.dial is None:
            return off
        passed = np.abs(self.radio.receiver.chain(carrier, self.radio.mode_of(conditions.mode), _BESIDE_HZ).gain)
        inside = _BESIDE_HZ[passed >= 0.5 * passed.max()]
        return off + float(inside[0] + inside[-1]) / 2.0

    def _simulated(self, quantity_id: str, conditions: Conditions, channel: str) -> float:
        bench = SimulatedBench(self.radio, 1e6)
        if quantity_id in FOUND_BY:
            return self.sensitivity_dbm(quantity_id, conditions, channel)
        if quantity_id == "rx.sn_ratio":
            return float(np.mean([bench.measure(quantity_id, conditions).value or 0.0 for _ in range(3)]))
        if quantity_id in _AS_MEASURED:
            return float(bench.measure(quantity_id, conditions).value or 0.0)
        parts = self._tones(conditions, channel, conditions.level_dbm or -60.0, _SECONDS)
        return parts.sinad_db if quantity_id == "rx.sinad" else parts.distortion_pct

    def _tones(self, conditions: Conditions, channel: str, level: float, seconds: float) -> TonePowers:
        band, mode, tone = conditions.band, conditions.mode, conditions.tone_hz or 0.0
        depth = (conditions.depth_pct or 0.0) / 100.0
        carrier = float(self.sheet.carrier_hz(channel, band))
        signal = Signal(carrier, level, tone, conditions.deviation_hz or 0.0, depth)
        panel = Panel.from_positions(conditions.panel)

        def heard(length: float) -> TonePowers:
            return tone_powers(self.radio.receive(length, channel, signal, panel, band=band, mode=mode).audio, RATE)

        heard(0.3)
        return heard(seconds)

    def sensitivity_dbm(self, quantity_id: str, conditions: Conditions, channel: str) -> float:
        """Level for 12 dB SINAD, or for 10 dB (S+N)/N, by bisection on a simulation of some two seconds a level."""
        low, high = -130.0, -60.0
        for _ in range(11):
            middle = (low + high) / 2
            if self._under_mark(quantity_id, conditions, channel, middle):
                low = middle
            else:
                high = middle
        return (low + high) / 2

    def _under_mark(self, quantity_id: str, conditions: Conditions, channel: str, level: float) -> bool:
        """Does a signal of this level (dBm) fall short of the ratio that a sensitivity is found by?"""
        read, mark, _ = FOUND_BY[quantity_id]
        if read == "rx.sinad":
            return self._tones(conditions, channel, level, 2.0).sinad_db < mark
        bench = SimulatedBench(self.radio, 1e6)
        at = replace(conditions, level_dbm=level)
        return float(np.mean([bench.measure(read, at).value or 0.0 for _ in range(2)])) < mark

    def holds(self, step: Step) -> bool:
        """Is the step inside its limits as the radio stands now, on every channel?"""
        return all(self._holds(step, c) for c in step.required)

    def _holds(self, step: Step, conditions: Conditions) -> bool:
        if step.quantity_id in FOUND_BY and step.limit.low is None and step.limit.high is not None:
            # The ratio rises with the level: one simulation at the limit tells as much as a search for the level.
            return not self._under_mark(step.quantity_id, conditions, self.channel_of(conditions), step.limit.high)
        # A squelch at its edge opens by chance: it holds where it does so every time.
        times = 3 if step.quantity_id.startswith("rx.squelch") else 1
        values = [self.true_value(step.quantity_id, conditions) for _ in range(times)]
        # What the referee can only read as anybody reads it has to hold by more than such a reading spreads.
        read = step.quantity_id in _AS_MEASURED or step.quantity_id == "rx.sn_ratio"
        room = quantity(step.quantity_id).usual_std if read and step.quantity.kind in _ROOM_FOR else 0.0
        return all(_within(step.limit, v - room) and _within(step.limit, v + room) for v in values)

    def clearly_out(self, step: Step, conditions: Conditions) -> bool:
        """Out of limits by more than a careful reading could be wrong."""
        if step.quantity_id in FOUND_BY and step.limit.low is None and step.limit.high is not None:
            level = step.limit.high + 3 * quantity(step.quantity_id).usual_std
            return self._under_mark(step.quantity_id, conditions, self.channel_of(conditions), level)
        value = self.true_value(step.quantity_id, conditions)
        room = max(
            3 * quantity(step.quantity_id).usual_std, 0.002 * abs(value) if step.quantity.kind == "volts" else 0.0
        )
        low, high = step.limit.low, step.limit.high
        return (low is not None and value < low - room) or (high is not None and value > high + room)
