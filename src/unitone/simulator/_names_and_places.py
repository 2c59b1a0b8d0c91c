"""What a physics file names and where it stands: adjusters and test points that the sheet has, inside their travel, at frequencies used."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unitone.errors import BenchError
from unitone.sheet.format.lines import Place
from unitone.sheet.model.sheet import Sheet
from unitone.simulator.dial import gang_at
from unitone.simulator.operating_point import Circuit, OperatingPoint
from unitone.simulator.receive_physics import CoilStage, GangedStage, PairStage, Receive
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.simulator.physics import PhysicsFile, Transmit

#: A circuit further off every frequency that passes it than this share of its own is a slip of a unit, not a detuned one.
_FAR = 0.3
_ALL_MODES: frozenset[str] = frozenset({"am", "fm", "usb", "lsb"})


def _named_adjusters(physics: PhysicsFile) -> list[tuple[Place, str | None]]:
    named: list[tuple[Place, str | None]] = [(("rail", n, "adjuster"), r.adjuster) for n, r in enumerate(physics.rail)]
    return named + [(("vco", way, "adjuster"), v.adjuster) for way, v in physics.vco.items()]


def _named_points(physics: PhysicsFile) -> list[tuple[Place, str | None]]:
    named: list[tuple[Place, str | None]] = [
        (("rail", n, "test_point"), r.test_point) for n, r in enumerate(physics.rail)
    ]
    named += [(("vco", way, "test_point"), v.test_point) for way, v in physics.vco.items()]
    named += [(("oscillator", name, "test_point"), c.test_point) for name, c in physics.oscillator.items()]
    if physics.reference is not None:
        named.append((("reference", "test_point"), physics.reference.test_point))
    if physics.bias is not None:
        named.append((("bias", "test_point"), physics.bias.test_point))
    return named


def name_problems(sheet: Sheet, physics: PhysicsFile) -> list[tuple[Place, str]]:
    """What a physics file names that its sheet does not have, and what stands where it cannot: place in the file, and the cure."""
    adjusters, points = {a.id for a in sheet.adjusters}, {p.id for p in sheet.test_points}
    found: list[tuple[Place, str]] = [
        (p, tr("the sheet has no adjuster {a!r}.", a=a))
        for p, a in _named_adjusters(physics)
        if a is not None and a not in adjusters
    ]
    found += [
        (p, tr("the sheet has no test point {t!r}. Its test points: {x}.", t=t, x=", ".join(sorted(points)) or "none"))
        for p, t in _named_points(physics)
        if t and t not in points
    ]
    for adjuster in sheet.adjusters:
        setting = physics.adjuster.get(adjuster.id)
        unit = 1.0 if adjuster.kind != "core" else 360.0
        most = adjuster.travel_mdeg / 1000.0 / unit
        if setting is not None and adjuster.stops and not 0.0 <= setting.aligned <= most:
            words = tr(
                "{aligned:g} lies outside its travel, 0 to {most:g}. A fault may put it there, a healthy radio does not.",
                aligned=setting.aligned,
                most=most,
            )
            found.append((("adjuster", adjuster.id, "aligned"), words))
    return found + _twice(physics) + _far_off(sheet, physics) + _gang_problems(sheet, physics)


def circuit_problems(
    circuits: list[Circuit], rx: Receive | None, tx: Transmit | None, sheet: Sheet
) -> list[tuple[Place, str]]:
    """What of the circuits and of the receiver's stages cannot be built, or names a stage or a row that the sheet does not have."""
    stages, rows = {s.id for s in sheet.stages}, {v.id for v in sheet.voltages}
    named: list[tuple[Place, str]] = []
    if rx is not None:
        named += [(("receive", "stage", n, "stage"), s.stage) for n, s in enumerate(rx.stage)]
        named += [(("receive", "audio", "stage"), rx.audio.stage)]
        named += [(("receive", "detector_stage"), s) for s in rx.detector_stages]
    if tx is not None:
        named += [(("transmit", "stage", n, "stage"), s.stage) for n, s in enumerate(tx.stage)]
        named += [(("transmit", "coil", n, "stage"), c.stage) for n, c in enumerate(tx.coil)]
    found: list[tuple[Place, str]] = []
    for n, circuit in enumerate(circuits):
        named += [(("circuit", n, "stage"), circuit.stage), (("circuit", n, "feeds"), circuit.feeds)]
        found += [(("circuit", n), problem) for problem in circuit.problems()]
        found += [
            (("circuit", n, "points"), tr("the voltage table has no row “{row_id}”.", row_id=row))
            for row in circuit.points
            if row not in rows
        ]
        if not circuit.problems():
            try:
                OperatingPoint(circuit)
            except BenchError as error:
                found.append((("circuit", n), str(error)))
    return found + [
        (place, tr("no stage {stage!r}. Add it or name another.", stage=name))
        for place, name in named
        if name and name not in stages
    ]


def _twice(physics: PhysicsFile) -> list[tuple[Place, str]]:
    """A core turns one circuit: of the receive stages that serve one mode, and of the send coils, none is named twice."""
    found: list[tuple[Place, str]] = []
    seen: list[tuple[str, frozenset[str]]] = []
    for n, stage in enumerate(physics.receive.stage if physics.receive is not None else ()):
        if not isinstance(stage, CoilStage | PairStage):
            continue
        modes: frozenset[str] = frozenset(stage.modes) or _ALL_MODES
        of = (
            stage.turned_by
            if isinstance(stage, GangedStage)
            else (stage.adjuster,)
            if isinstance(stage, CoilStage)
            else stage.adjusters
        )
        for name in of:
            if any(name == other and modes & served for other, served in seen):
                found.append(
                    (
                        ("receive", "stage", n),
                        tr("{name!r} turns another circuit already. Name its own adjuster.", name=name),
                    )
                )
            seen.append((name, modes))
    coils = [c.adjuster for c in physics.transmit.coil] if physics.transmit is not None else []
    found += [
        (("transmit", "coil", n), tr("{name!r} turns another coil already. Name its own adjuster.", name=name))
        for n, name in enumerate(coils)
        if name in coils[:n]
    ]
    return found


def _gang_problems(sheet: Sheet, physics: PhysicsFile) -> list[tuple[Place, str]]:
    """What of gang, tanks and the circuits that they tune cannot be built."""
    found: list[tuple[Place, str]] = []
    circuits = [] if physics.receive is None else physics.receive.stage
    if physics.gang is None:
        if physics.tank or any(isinstance(s, GangedStage) for s in circuits):
            found.append((("tank",), tr("a tank and a ganged circuit need the gang that tunes them. Add [gang].")))
        return found
    known, adjusters = {o.id: o for o in sheet.oscillators}, {a.id for a in sheet.adjusters}
    for name, tank in physics.tank.items():
        where: Place = ("tank", name)
        if name not in known or known[name].follows is None:
            found.append((where, tr("the sheet has no oscillator {name!r} that follows the dial.", name=name)))
            return found
        missing = [a for a in tank.turned_by if a not in adjusters]
        found += [(where, tr("the sheet has no adjuster {a!r}.", a=a)) for a in missing]
        if missing:
            return found
        aligned = {a: s.aligned for a, s in physics.adjuster.items()}
        marks = [float(hz + shift) for hz in sheet.plan.hz for shift in _shifts(sheet)]
        for mark in sorted({m for m in marks if tank.serves(m)}):
            try:
                gang_at(physics.gang, sheet, name, tank, aligned, mark)
            except BenchError as error:
                found.append((where, str(error)))
                break
    bands = [shift for _, shift in sheet.plan.bands] or [0]
    unserved = [
        float(hz + s)
        for hz in sheet.plan.hz
        for s in bands
        if not any(t.serves(float(hz + s)) for t in physics.tank.values())
    ]
    if unserved:
        found.append(
            (("tank",), tr("no tank serves {mhz:.3f} MHz. Widen the lowest and highest of one.", mhz=unserved[0] / 1e6))
        )
    return found


def _far_off(sheet: Sheet, physics: PhysicsFile) -> list[tuple[Place, str]]:
    carriers = [float(hz + shift) for hz in (min(sheet.plan.hz), max(sheet.plan.hz)) for shift in _shifts(sheet)]
    found: list[tuple[Place, str]] = []

    def look(place: Place, centre: float, used: list[float]) -> None:
        if min(abs(centre - hz) for hz in used) > _FAR * centre:
            near = min(used, key=lambda hz: abs(centre - hz))
            words = tr(
                "tuned to {x:g} MHz, and nothing there: the nearest that passes is {x2:g} MHz. Check its unit.",
                x=centre / 1000000.0,
                x2=near / 1000000.0,
            )
            found.append((place, words))

    if physics.receive is not None:
        used = [*carriers, *physics.receive.intermediate]
        for n, stage in enumerate(physics.receive.stage):
            if isinstance(stage, CoilStage | PairStage):
                look(("receive", "stage", n, "centre"), stage.centre, used)
    for n, coil in enumerate(physics.transmit.coil if physics.transmit is not None else ()):
        # A multiplier's coils may stand at a part of the channel.
        look(("transmit", "coil", n, "centre"), coil.centre, [hz / k for hz in carriers for k in (1, 2, 3)])
    return found


def _shifts(sheet: Sheet) -> list[int]:
    return [0, *(shift for _, shift in sheet.plan.bands)]
