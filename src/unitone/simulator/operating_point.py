"""The DC of one stage: resistors, windings and capacitors round a valve or a transistor, solved for the voltage of every node.

Nodal analysis with a damped Newton method, supplies raised step by step. The devices' laws: triode and pentode by the three-halves
power law (C. D. Child 1911, I. Langmuir 1913: I = K·(Vg + Va/µ)^1.5), transistors by the transport form of J. J. Ebers and J. L. Moll
(1954), junction FETs by the square law (W. Shockley, 1952). All from memory; ``tests/reference`` holds them against a circuit simulator.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from unitone.errors import BenchError
from unitone.simulator.physics_keys import Amps, Decibels, Ohms, Part, Volts
from unitone.words import tr

#: An open part still leaks a little, and a shorted one keeps some resistance (ohm).
_OPEN, _SHORT = 1e10, 0.2
#: Every node leaks to ground, so that one that nothing feeds stands at zero (S).
_LEAK = 1e-10
_THERMAL_V = 0.02585
_STEPS, _ROUNDS, _MOST_V, _HALVINGS = 5, 400, 12.0, 8
#: What a drifted resistor has become, and what is left of a tired device.
_DRIFTED, _TIRED = 6.0, 0.08
#: Below this share of its slope a device does not amplify any more.
_NO_SLOPE = 1e-4
_DEAD_DB = 120.0

State = Literal["open", "short", "high", "leaky", "dead", "weak"]
PART_STATES: dict[str, tuple[State, ...]] = {
    "resistor": ("open", "high"), "winding": ("open",), "contact": ("open",), "coupling": ("open", "leaky"), "bypass": ("short",),
    "device": ("dead", "weak"),
}  # fmt: skip


class CircuitPart(Part):
    """[[circuit.part]]: a part between two nodes (``0`` is ground). Capacitors carry no DC unless they leak; ``open_costs``: what the
    stage loses where it is open and no voltage tells."""

    id: str
    kind: Literal["resistor", "winding", "contact", "coupling", "bypass"]
    between: tuple[str, str]
    ohms: Ohms = Field(default=0.1, gt=0)
    leaks: Ohms = Field(default=150e3, gt=0)
    open_costs: Decibels = Field(default=0.0, ge=0, le=200)


class Circuit(Part):
    """[[circuit]]: the device of a stage and the parts round it. ``nodes`` names where each electrode sits, ``supply`` the volts of the
    nodes that are fed from outside. ``feeds``: the stage whose gain goes with it, where that is another (an oscillator's mixer).

    A ``network`` has no device: ``line`` is its node that feeds the supply of that name in the other circuits (a gain control's line)."""

    stage: str
    feeds: str = ""
    device: str = ""
    kind: Literal["triode", "pentode", "npn", "pnp", "njfet", "network"]
    nodes: dict[str, str] = Field(default_factory=dict)
    line: str = ""
    supply: dict[str, Volts]
    part: list[CircuitPart]
    #: Rows of the sheet's voltage table that stand at other nodes than the device's, and the resistance that drives its input.
    points: dict[str, str] = Field(default_factory=dict)
    driven_from: Ohms = Field(default=0.0, ge=0)
    #: Valves: amplification (of the screen, for a pentode), perveance (A/V^1.5), and the screen's share of the current.
    mu: float = Field(default=30.0, gt=0)
    perveance: float = Field(default=2e-4, gt=0)
    screen_share: float = Field(default=0.25, gt=0, lt=1)
    #: Transistors: current gain and saturation current; FETs: current at zero bias and pinch-off (positive volts).
    beta: float = Field(default=120.0, gt=1)
    saturation: Amps = Field(default=1e-14, gt=0)
    idss: Amps = Field(default=6e-3, gt=0)
    pinch_off: Volts = Field(default=2.5, gt=0)

    def fed_with(self, volts: Mapping[str, float]) -> Circuit:
        """The circuit with its supplies of these names at these volts; those that it does not have are no matter."""
        own = {n: v for n, v in volts.items() if n in self.supply}
        return self.model_copy(update={"supply": {**self.supply, **own}}) if own else self

    def problems(self) -> list[str]:
        """What of it cannot be solved."""
        wanted = ELECTRODES[self.kind]
        inner = {n for p in self.part for n in p.between} - set(self.supply) - {"0"}
        if self.kind == "network":
            found = [tr("a network has no device. Take it out.")] if self.device else []
            if self.line not in inner:
                found.append(
                    tr("line {line!r}: name a node between its parts that nothing else feeds.", line=self.line)
                )
        else:
            found = [] if self.device else [tr("no device. Name it, or make it a network with a line.")]
            if self.line:
                found.append(tr("only a network feeds a line. Take it out."))
        found += [tr("nodes lacks {electrode}. Say where it sits.", electrode=e) for e in wanted if e not in self.nodes]
        found += [
            tr("a {kind} has no {electrode}.", kind=self.kind, electrode=e) for e in self.nodes if e not in wanted
        ]
        ids = [p.id for p in self.part]
        found += [
            tr("{part} is there twice. Rename one.", part=p) for p in sorted({p for p in ids if ids.count(p) > 1})
        ]
        return found


ELECTRODES: dict[str, tuple[str, ...]] = {
    "triode": ("anode", "grid", "cathode"), "pentode": ("anode", "screen", "grid", "cathode"), "npn": ("collector", "base", "emitter"),
    "pnp": ("collector", "base", "emitter"), "njfet": ("drain", "gate", "source"),
    "network": (),
}  # fmt: skip
Faults = Mapping[str, State]


def _currents(c: Circuit, v: Mapping[str, float], emits: float) -> dict[str, float]:
    """Amps that flow into each electrode from outside; ``emits``: the share of its current that the device still gives."""
    if c.kind == "network":
        return {}
    if c.kind in ("triode", "pentode"):
        a, g, k = v["anode"] - v["cathode"], v["grid"] - v["cathode"], v["cathode"]
        s = v["screen"] - k if c.kind == "pentode" else a
        drive = g + s / c.mu
        total = emits * c.perveance * max(drive, 0.0) ** 1.5
        # A grid that is driven positive draws current as a diode does.
        grid = emits * 0.5 * c.perveance * max(g, 0.0) ** 1.5
        if c.kind == "triode":
            anode = total * math.tanh(max(a, 0.0) / 3.0)
            return {"anode": anode, "grid": grid, "cathode": -anode - grid}
        share = (1.0 - c.screen_share) * math.tanh(max(a, 0.0) / 12.0)
        anode, screen = total * share, total * (1.0 - share) * math.tanh(max(s, 0.0) / 3.0)
        return {"anode": anode, "screen": screen, "grid": grid, "cathode": -anode - screen - grid}
    if c.kind == "njfet":
        d, g = v["drain"] - v["source"], v["gate"] - v["source"]
        over, across = max(g + c.pinch_off, 0.0), max(d, 0.0)
        across = min(across, over)
        drain = emits * c.idss / c.pinch_off**2 * (2.0 * over - across) * across
        gate = emits * 1e-3 * max(g - 0.5, 0.0)
        return {"drain": drain, "gate": gate, "source": -drain - gate}
    sign = 1.0 if c.kind == "npn" else -1.0
    be, bc = sign * (v["base"] - v["emitter"]), sign * (v["base"] - v["collector"])
    forward, backward = (emits * c.saturation * (_exp(x / _THERMAL_V) - 1.0) for x in (be, bc))
    base = forward / c.beta + backward / 2.0
    collector = forward - backward - backward / 2.0
    return {"collector": sign * collector, "base": sign * base, "emitter": -sign * (collector + base)}


def _exp(x: float) -> float:
    """The exponential, going on as a straight line where it would run away."""
    return math.exp(x) if x < 40.0 else math.exp(40.0) * (1.0 + x - 40.0)


class OperatingPoint:
    """A circuit solved with its faults: ``volts`` of every node, ``slope`` of the device (A/V)."""

    def __init__(self, circuit: Circuit, faults: Faults | None = None) -> None:
        self.circuit = circuit
        self._faults = dict(faults or {})
        self._emits = {"dead": 0.0, "weak": _TIRED}.get(self._faults.get(circuit.device, ""), 1.0)
        names = {n for p in circuit.part for n in p.between} | set(circuit.nodes.values())
        self._free = sorted(names - set(circuit.supply) - {"0"})
        self.volts = self._solve()

    def _ohms(self, part: CircuitPart) -> float:
        state = self._faults.get(part.id)
        if part.kind in ("coupling", "bypass"):
            return {"leaky": part.leaks, "short": _SHORT}.get(state or "", _OPEN)
        return {"open": _OPEN, "high": part.ohms * _DRIFTED, "short": _SHORT}.get(state or "", part.ohms)

    def _solve(self) -> dict[str, float]:
        """Every node (V). Raises BenchError where no operating point is found."""
        free = {n: i for i, n in enumerate(self._free)}
        x = np.zeros(len(free))
        joined = [(p.between, 1.0 / self._ohms(p)) for p in self.circuit.part]

        def at(x: NDArray[np.float64], share: float) -> dict[str, float]:
            fed = {n: v * share for n, v in self.circuit.supply.items()}
            return {"0": 0.0, **fed, **{n: float(x[i]) for n, i in free.items()}}

        def out_of(x: NDArray[np.float64], share: float) -> NDArray[np.float64]:
            v, total = at(x, share), _LEAK * x
            for (a, b), siemens in joined:
                current = (v[a] - v[b]) * siemens
                for node, sign in ((a, 1.0), (b, -1.0)):
                    if node in free:
                        total[free[node]] += sign * current
            electrodes = {e: v[n] for e, n in self.circuit.nodes.items()}
            for electrode, amps in _currents(self.circuit, electrodes, self._emits).items():
                node = self.circuit.nodes[electrode]
                if node in free:
                    total[free[node]] += amps
            return np.asarray(total)

        for step in range(1, _STEPS + 1):
            share = step / _STEPS
            for _ in range(_ROUNDS):
                now = out_of(x, share)
                slope = np.empty((x.size, x.size))
                for k in range(x.size):
                    moved = x.copy()
                    moved[k] += 1e-6
                    slope[:, k] = (out_of(moved, share) - now) / 1e-6
                change = np.linalg.lstsq(slope, -now, rcond=None)[0]
                # A junction's curve is followed in small steps.
                limit = 0.05 if self.circuit.kind in ("npn", "pnp") and step > 1 else _MOST_V
                worst = float(np.max(np.abs(change), initial=0.0))
                change = change * (1.0 if worst <= limit else limit / worst)
                # At a knee the full step jumps to and fro: half of it, or less.
                was = float(np.abs(now).max(initial=0.0))
                for _ in range(_HALVINGS):
                    if float(np.abs(out_of(x + change, share)).max(initial=0.0)) <= was:
                        break
                    change = change / 2.0
                x = x + change
                if worst < 1e-7:
                    break
            else:
                raise BenchError(
                    tr("No operating point is found for {device}.", device=self.circuit.device or self.circuit.stage)
                )
        return at(x, 1.0)

    @property
    def slope(self) -> float:
        """What the device's output current moves for a volt at its input (A/V)."""
        c = self.circuit
        into, out = {"triode": ("grid", "anode"), "pentode": ("grid", "anode"), "njfet": ("gate", "drain")}.get(
            c.kind, ("base", "collector")
        )
        return self._moves(into, out)

    @property
    def loads(self) -> float:
        """What the device's input draws for a volt more at it (S): a grid that conducts, a base."""
        into = {"triode": "grid", "pentode": "grid", "njfet": "gate"}.get(self.circuit.kind, "base")
        return self._moves(into, into)

    def _moves(self, into: str, out: str) -> float:
        v = {e: self.volts[n] for e, n in self.circuit.nodes.items()}
        up = _currents(self.circuit, {**v, into: v[into] + 1e-5}, self._emits)[out]
        down = _currents(self.circuit, {**v, into: v[into] - 1e-5}, self._emits)[out]
        return abs(up - down) / 2e-5


def lost_db(circuit: Circuit, faults: Faults, fed: Mapping[str, float] | None = None) -> float:
    """What the stage loses with these faults (dB): by the slope of its device, by what its input loads, and by what no voltage tells.
    ``fed``: supplies that stand at other volts by a fault elsewhere."""
    sound, bad = OperatingPoint(circuit), OperatingPoint(circuit.fed_with(fed or {}), faults)
    silent = sum(p.open_costs for p in circuit.part if faults.get(p.id) == "open")
    share = bad.slope / sound.slope
    share *= (1.0 + circuit.driven_from * sound.loads) / (1.0 + circuit.driven_from * bad.loads)
    return silent + (_DEAD_DB if share < _NO_SLOPE else max(-20.0 * math.log10(share), 0.0))


def part_faults(circuit: Circuit) -> list[tuple[str, State]]:
    """Every part of the circuit with each way in which it fails."""
    found = [(p.id, s) for p in circuit.part for s in PART_STATES[p.kind] if _tells(p, s)]
    return [*found, *((circuit.device, s) for s in PART_STATES["device"] if circuit.device)]


def _tells(part: CircuitPart, state: State) -> bool:
    """A coupling capacitor that is open is a fault of the stage where the file says what it costs."""
    return not (part.kind == "coupling" and state == "open" and not part.open_costs)
