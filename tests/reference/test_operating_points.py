"""Operating points of valve and transistor stages, against ngspice: the same parts and the same laws, solved by another program.

The transistor is ngspice's own Gummel-Poon model with Ebers and Moll's parameters; the pentode's three-halves law is written out as a
source. Faults are put into both: an open feed, a leaky coupling capacitor, a shorted bypass, an open cathode.
"""

from __future__ import annotations

import re
import shutil
import subprocess
from pathlib import Path

import pytest

from unitone.simulator.operating_point import Circuit, OperatingPoint, State, lost_db, part_faults

_OPEN, _SHORT, _LEAK = 1e10, 0.2, 150e3


def part(identifier: str, kind: str, a: str, b: str, ohms: float = 0.1) -> dict[str, object]:
    return {"id": identifier, "kind": kind, "between": (a, b), "ohms": ohms}


PENTODE = Circuit.model_validate({
    "stage": "if", "device": "V1", "kind": "pentode", "nodes": {"anode": "a", "screen": "s", "grid": "g", "cathode": "k"},
    "supply": {"ht": 250.0, "prev": 180.0}, "mu": 20.0, "perveance": 1.2e-3, "screen_share": 0.25,
    "part": [part("R1", "resistor", "ht", "f", 2200.0), part("L1", "winding", "f", "a", 9.0), part("R2", "resistor", "ht", "s", 47e3),
             part("R3", "resistor", "k", "0", 180.0), part("R4", "resistor", "g", "0", 470e3), part("C1", "coupling", "prev", "g"),
             part("C2", "bypass", "s", "0")],
})  # fmt: skip
NPN = Circuit.model_validate({
    "stage": "if", "device": "Q1", "kind": "npn", "nodes": {"collector": "c", "base": "b", "emitter": "e"},
    "supply": {"v": 8.0, "prev": 5.0}, "beta": 120.0, "saturation": 1e-14,
    "part": [part("R1", "resistor", "v", "b", 22e3), part("R2", "resistor", "b", "0", 5600.0), part("R3", "resistor", "e", "0", 680.0),
             part("L1", "winding", "v", "c", 2.0), part("C1", "coupling", "prev", "b")],
})  # fmt: skip
JFET = Circuit.model_validate({
    "stage": "rf", "device": "Q2", "kind": "njfet", "nodes": {"drain": "d", "gate": "g", "source": "s"}, "supply": {"v": 12.0},
    "idss": 6e-3, "pinch_off": 2.5,
    "part": [part("R1", "resistor", "v", "d", 470.0), part("R2", "resistor", "s", "0", 330.0), part("R3", "resistor", "g", "0", 100e3)],
})  # fmt: skip


def spice_of(circuit: Circuit, faults: dict[str, State]) -> str:
    lines = ["a stage"]
    for n, (node, volts) in enumerate(circuit.supply.items()):
        lines.append(f"V{n} {node} 0 {volts}")
    for n, p in enumerate(circuit.part):
        state = faults.get(p.id, "")
        capacitor = {"leaky": _LEAK, "short": _SHORT}.get(state, _OPEN)
        ohms = (
            capacitor if p.kind in ("coupling", "bypass") else {"open": _OPEN, "high": 6.0 * p.ohms}.get(state, p.ohms)
        )
        lines.append(f"R{n} {p.between[0]} {p.between[1]} {ohms}")
    at = circuit.nodes
    if circuit.kind == "pentode":
        drive = f"V({at['grid']},{at['cathode']})+V({at['screen']},{at['cathode']})/{circuit.mu}"
        total = f"{circuit.perveance}*pwr(max({drive},0),1.5)"
        anode = f"{total}*{1 - circuit.screen_share}*tanh(max(V({at['anode']},{at['cathode']}),0)/12)"
        screen = f"({total}-{anode})*tanh(max(V({at['screen']},{at['cathode']}),0)/3)"
        grid = f"{0.5 * circuit.perveance}*pwr(max(V({at['grid']},{at['cathode']}),0),1.5)"
        for name, node, law in (("a", "anode", anode), ("s", "screen", screen), ("g", "grid", grid)):
            lines.append(f"B{name} {at[node]} {at['cathode']} I={law}")
    elif circuit.kind == "npn":
        lines += [
            f"Q1 {at['collector']} {at['base']} {at['emitter']} t",
            f".model t NPN(IS={circuit.saturation} BF={circuit.beta} BR=2)",
        ]
    else:
        # JFET level 1: beta = Idss / Vp²; no channel-length modulation.
        lines += [
            f"J1 {at['drain']} {at['gate']} {at['source']} f",
            f".model f NJF(VTO=-{circuit.pinch_off} BETA={circuit.idss / circuit.pinch_off**2})",
        ]
    return "\n".join(
        [*lines, ".options gmin=1e-10 reltol=1e-5 temp=27", ".op", ".control", "op", "print all", ".endc", ".end", ""]
    )


def volts_by_spice(circuit: Circuit, faults: dict[str, State], folder: Path) -> dict[str, float]:
    path = folder / "stage.cir"
    path.write_text(spice_of(circuit, faults), encoding="utf-8")
    run = subprocess.run(["ngspice", "-b", str(path)], capture_output=True, text=True, timeout=60, check=False)
    found = dict(re.findall(r"^(\w+) = (\S+)$", run.stdout, re.M))
    return {node: float(found[node.lower()]) for node in circuit.nodes.values()}


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not there")
@pytest.mark.parametrize(
    ("circuit", "faults"),
    [
        (PENTODE, {}), (PENTODE, {"R1": "open"}), (PENTODE, {"L1": "open"}), (PENTODE, {"R2": "open"}), (PENTODE, {"R3": "open"}),
        (PENTODE, {"C1": "leaky"}), (PENTODE, {"C2": "short"}), (PENTODE, {"R2": "high"}),
        (NPN, {}), (NPN, {"R1": "open"}), (NPN, {"R2": "open"}), (NPN, {"L1": "open"}), (NPN, {"C1": "leaky"}), (NPN, {"R3": "high"}),
        (JFET, {}), (JFET, {"R1": "high"}), (JFET, {"R2": "high"}),
    ],
)  # fmt: skip
def test_operating_points_agree_with_a_circuit_simulator(
    circuit: Circuit, faults: dict[str, State], tmp_path: Path
) -> None:
    ours, theirs = OperatingPoint(circuit, faults).volts, volts_by_spice(circuit, faults, tmp_path)
    for electrode, node in circuit.nodes.items():
        assert ours[node] == pytest.approx(theirs[node], rel=0.02, abs=0.06), (electrode, faults, ours, theirs)


def test_a_fault_that_kills_the_slope_kills_the_stage_and_one_that_does_not_is_silent() -> None:
    lost = {f"{p}:{s}": lost_db(PENTODE, {p: s}) for p, s in part_faults(PENTODE)}
    assert min(lost["R1:open"], lost["L1:open"], lost["V1:dead"]) > 60 and 10 < lost["V1:weak"] < 30
    # An anode resistor that has drifted lets a pentode amplify as before: its current hardly changes.
    assert lost["R1:high"] < 1.0


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not there")
@pytest.mark.parametrize("faults", [{}, {"R9": "open"}, {"R9": "high"}, {"C9": "short"}])
def test_a_line_solved_by_itself_stands_where_the_whole_of_it_does(faults: dict[str, State], tmp_path: Path) -> None:
    """A divider of the bias feeds a pentode's grid; the simulator solves both at once."""
    divider = [
        part("R8", "resistor", "bias", "line", 390e3),
        part("R9", "resistor", "line", "0", 10e3),
        part("C9", "bypass", "line", "0"),
    ]
    own = [p if p.id != "R4" else part("R4", "resistor", "g", "line", 470e3) for p in PENTODE.part]
    supply = {**PENTODE.supply, "bias": -24.0}
    whole = Circuit.model_validate({**PENTODE.model_dump(), "supply": supply, "part": [*own, *divider]})
    network = Circuit.model_validate(
        {"stage": "agc", "kind": "network", "line": "line", "supply": {"bias": -24.0}, "part": divider}
    )
    assert not network.problems()
    stage = Circuit.model_validate({**PENTODE.model_dump(), "supply": {**PENTODE.supply, "line": -0.6}, "part": own})
    line = OperatingPoint(network, faults).volts["line"]
    ours, theirs = OperatingPoint(stage.fed_with({"line": line})).volts, volts_by_spice(whole, faults, tmp_path)
    for electrode, node in whole.nodes.items():
        assert ours[node] == pytest.approx(theirs[node], rel=0.02, abs=0.06), (electrode, faults, ours, theirs)
    lost = lost_db(stage, {}, {"line": line})
    # Let go, the bias cuts the valve off. Six times too much of it costs little: the screen rises as the current falls.
    assert lost > 60.0 if faults.get("R9") == "open" else lost < 2.0


@pytest.mark.parametrize(
    ("wrong", "words"),
    [({"line": ""}, "name a node between its parts"), ({"line": "bias"}, "name a node between"), ({"device": "V9"}, "has no device"),
     ({"kind": "triode", "line": "", "nodes": {"anode": "line", "grid": "line", "cathode": "0"}}, "no device"),
     ({"kind": "npn", "device": "Q1", "nodes": {"collector": "line", "base": "line", "emitter": "0"}}, "only a network feeds a line")],
)  # fmt: skip
def test_a_network_that_cannot_be_is_told(wrong: dict[str, object], words: str) -> None:
    good = {
        "stage": "agc",
        "kind": "network",
        "line": "line",
        "supply": {"bias": -24.0},
        "part": [part("R8", "resistor", "bias", "line")],
    }
    assert not Circuit.model_validate(good).problems()
    assert any(words in told for told in Circuit.model_validate({**good, **wrong}).problems())
