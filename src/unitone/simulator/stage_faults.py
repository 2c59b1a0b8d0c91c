"""Faults at the stages of a simulated radio: which there are, what each stage loses by one, and what stands at the pins then.

A fault is named ``R52:open``: a part of a circuit and how it failed; or ``if1:dead``, a stage that the physics file gives no circuit.
A stage that makes a sound by itself loses nothing: ``if1:noisy``, ``audio:oscillates``.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

from unitone.errors import BenchError
from unitone.sheet.model.sheet import Voltage
from unitone.simulator.operating_point import Circuit, OperatingPoint, State, lost_db, part_faults
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.receive_physics import AmplifierStage
from unitone.words import tr

#: A stage without a circuit loses so much when it is dead or weak (dB).
_WHOLE: dict[State, float] = {"dead": 120.0, "weak": 26.0}
#: What a stage does by itself.
OwnSound = Literal["noisy", "oscillates"]
OWN_SOUNDS: tuple[OwnSound, ...] = ("noisy", "oscillates")
#: A part that costs less than this is no fault that a tracer could find (dB).
_LEAST_DB = 10.0


@dataclass(frozen=True)
class StageFault:
    """One fault: the part (or stage) and how it failed, the stage that is bad, and how much the signal loses by it (dB)."""

    part: str
    state: State
    stage: str
    lost_db: float
    #: What each stage loses of it, where those are others: a gain control's line holds down those that it feeds.
    held_db: tuple[tuple[str, float], ...] = ()
    #: A dry joint: it comes and goes, and mostly goes when it is moved.
    comes_and_goes: bool = False
    #: What the stage does by itself, where that is its fault.
    own_sound: OwnSound | None = None

    @property
    def id(self) -> str:
        """As it is named."""
        return f"{self.part}:{'dry' if self.comes_and_goes else self.own_sound or self.state}"

    @property
    def losses(self) -> dict[str, float]:
        """What each stage loses (dB)."""
        return dict(self.held_db) or {self.stage: self.lost_db}


def traced_stages(physics: PhysicsFile) -> tuple[str, ...]:
    """The sheet's stages that the receiver's chain is made of, in order."""
    rx = physics.receive
    if rx is None:
        return ()
    return tuple(dict.fromkeys(s for s in (*(x.stage for x in rx.stage), *rx.detector_stages, rx.audio.stage) if s))


@lru_cache(maxsize=1024)
def _lost(circuit: str, part: str, state: State) -> float:
    """What a stage loses with one part failed (dB); nothing where no operating point is found."""
    try:
        return lost_db(Circuit.model_validate_json(circuit), {part: state})
    except BenchError:
        return 0.0


def transmit_stages(physics: PhysicsFile) -> tuple[str, ...]:
    """The sheet's stages that the transmitter's chain is made of, in order."""
    return () if physics.transmit is None else tuple(s.stage for s in physics.transmit.stage)


@lru_cache(maxsize=256)
def _line_volts(network: str, part: str, state: State) -> float:
    """Where a network's line stands with one part failed (V)."""
    made = Circuit.model_validate_json(network)
    return OperatingPoint(made, {part: state}).volts[made.line]


@lru_cache(maxsize=256)
def _held(circuit: str, line: str, volts: float) -> float:
    """What a stage loses with a line that feeds it at these volts (dB); nothing where no operating point is found."""
    try:
        return lost_db(Circuit.model_validate_json(circuit), {}, {line: volts})
    except BenchError:
        return 0.0


def _of_network(network: Circuit, physics: PhysicsFile, name: str) -> list[StageFault]:
    """The same of a network: what it holds down are the stages that its line feeds."""
    fed = [c for c in physics.circuit if network.line in c.supply]
    text, found = network.model_dump_json(), []
    for part, state in part_faults(network):
        if name in ("", f"{part}:{state}"):
            volts = _line_volts(text, part, state)
            held = [(c.feeds or c.stage, _held(c.model_dump_json(), network.line, volts)) for c in fed]
            lost = sum(db for _, db in held)
            if lost >= _LEAST_DB:
                found.append(StageFault(part, state, network.stage, lost, tuple((s, db) for s, db in held if db)))
    return found


def _of_circuit(circuit: Circuit, physics: PhysicsFile, name: str = "") -> list[StageFault]:
    """The faults of a circuit that a tracer can find; that of a name alone."""
    if circuit.line:
        return _of_network(circuit, physics, name)
    text = circuit.model_dump_json()
    return [
        StageFault(part, state, circuit.feeds or circuit.stage, lost)
        for part, state in part_faults(circuit)
        if name in ("", f"{part}:{state}") and (lost := _lost(text, part, state)) >= _LEAST_DB
    ]


def stage_faults(physics: PhysicsFile, name: str = "") -> tuple[StageFault, ...]:
    """Every fault at a stage that a tracer can find; those of one name alone."""
    found = [f for c in physics.circuit for f in _of_circuit(c, physics, name)]
    covered = {c.feeds or c.stage for c in physics.circuit}
    for stage in (*traced_stages(physics), *transmit_stages(physics)):
        if stage not in covered:
            found += [
                StageFault(stage, state, stage, db) for state, db in _WHOLE.items() if name in ("", f"{stage}:{state}")
            ]
    return tuple(found)


def sounding_stages(physics: PhysicsFile) -> tuple[StageFault, ...]:
    """Every stage that may make a sound of its own: those that amplify. Before an FM detector neither is heard: its limiter lets a noise
    through at the same height anyhow, and is quiet on a carrier."""
    rx = physics.receive
    if rx is None:
        return ()
    heard = tuple(m for m, there in (("am", rx.am is not None), ("usb", rx.ssb), ("lsb", rx.ssb)) if there)
    made = [
        s.stage for s in rx.stage
        if isinstance(s, AmplifierStage) and s.stage and (any(m in s.modes for m in heard) if s.modes else heard)
    ]  # fmt: skip
    names = dict.fromkeys([*made, rx.audio.stage] if rx.audio.stage else made)
    return tuple(StageFault(stage, "weak", stage, 0.0, own_sound=how) for stage in names for how in OWN_SOUNDS)


def dry_joints(physics: PhysicsFile) -> tuple[StageFault, ...]:
    """Every part whose joint may come and go."""
    return tuple(replace(f, comes_and_goes=True) for f in stage_faults(physics) if f.state == "open")


def stage_fault(physics: PhysicsFile, name: str) -> StageFault:
    """The fault of that name. Raises BenchError for one that the radio cannot have."""
    part, _, how = name.partition(":")
    if how in OWN_SOUNDS:
        found = next((f for f in sounding_stages(physics) if f.id == name), None)
    else:
        found = next(iter(stage_faults(physics, f"{part}:open" if how == "dry" else name)), None)
    if found is not None and how == "dry":
        found = replace(found, comes_and_goes=True)
    if found is None:
        raise BenchError(
            tr("fault {name}: the simulated radio has no such part, or it cannot fail like that.", name=name)
        )
    return found


def signal_runs(physics: PhysicsFile, stage: str, fault: StageFault | None) -> bool:
    """Does the oscillator of that stage run? One that has lost most of its slope has stopped."""
    own = {x for c in physics.circuit if c.stage == stage for x in _own(c)}
    return fault is None or fault.part not in own or fault.lost_db < _LEAST_DB


def volts_at(physics: PhysicsFile, row: Voltage, fault: StageFault | None) -> float | None:
    """What stands at a row of the voltage table (V); None where no circuit of the physics file has that point."""
    for circuit in physics.circuit:
        at_pin = circuit.nodes.get(row.electrode) if row.device and row.device == circuit.device else None
        node = circuit.points.get(row.id) or at_pin
        if node is not None:
            steady = None if fault is None or fault.comes_and_goes else fault
            faults: dict[str, State] = (
                {} if steady is None or steady.part not in _own(circuit) else {steady.part: steady.state}
            )
            return OperatingPoint(circuit.fed_with(_lines(physics, steady)), faults).volts[node]
    return None


def _own(circuit: Circuit) -> set[str]:
    """The parts of a circuit, its device among them."""
    return {p.id for p in circuit.part} | ({circuit.device} if circuit.device else set())


def _lines(physics: PhysicsFile, fault: StageFault | None) -> dict[str, float]:
    """The lines that stand elsewhere by a fault of their network (V)."""
    return {
        c.line: _line_volts(c.model_dump_json(), fault.part, fault.state)
        for c in physics.circuit
        if fault is not None and c.line and fault.part in _own(c)
    }
