"""The physics file of a simulated radio (``unitone-physics/1``): every number that makes it behave as a radio.

Documented key by key in docs/physics.md. Quantities are text with units.
Positions are in the adjuster's own unit (turns for cores, degrees for trimmers
and presets) from its anticlockwise stop; ``aligned`` is where a typical
specimen is right.
"""

from __future__ import annotations

import re
import tomllib
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

from pydantic import Field, ValidationError

from unitone import files
from unitone.errors import SheetError
from unitone.quantities.older_names import in_todays_names
from unitone.quantities.registry import QUANTITIES
from unitone.sheet.format.cures import cure_of
from unitone.sheet.format.lines import Place, key_lines, line_of
from unitone.sheet.model.sheet import Sheet
from unitone.simulator._names_and_places import circuit_problems, name_problems
from unitone.simulator.gang_physics import Gang, Tank
from unitone.simulator.operating_point import Circuit
from unitone.simulator.physics_keys import Amps, Decibels, Farad, Henry, Hertz, Ohms, Part, Seconds, Volts, Watts
from unitone.simulator.receive_physics import Receive, SMeter, Squelch, receive_problems
from unitone.words import tr

#: A physics file is a small text file.
MAX_BYTES = 4_000_000


class Setting(Part):
    """[adjuster.ID]: where a typical specimen is right, how far specimens differ, how far a seed turns it off; or, with ``found_off``,
    how far off (own units, clockwise) this very radio was found."""

    aligned: float
    spread: float = Field(default=0.0, ge=0)
    misaligned: float = Field(default=0.0, ge=0)
    found_off: float | None = None


class Rail(Part):
    """[[rail]]: a regulated rail set by a preset, ``low`` at its anticlockwise end, ``high`` at its clockwise end; one that nothing
    sets stands at ``nominal``."""

    test_point: str
    adjuster: str | None = None
    low: Volts = 0.0
    high: Volts = 0.0
    nominal: Volts


class Crystal(Part):
    """[oscillator.ID]: an oscillator of the sheet by its id; c1, c0 motional and shunt capacitance of its crystal.

    A trimmer pulls it by its load capacitance (one whose plates stand on both sides of the shaft goes from most to least and back
    ``each_half_turn``), a core by ``per_turn_ppm``; without an adjuster nothing does. ``spread_ppm``:
    how far specimens are ground apart (standard); ``odd_share`` of them have gone off by about ``odd_ppm`` besides.
    """

    test_point: str = ""
    adjuster: str | None = None
    c1: Farad = Field(default=14e-15, gt=0)
    c0: Farad = Field(default=4e-12, gt=0)
    fixed: Farad = Field(default=20e-12, ge=0)
    trimmer_least: Farad = Field(default=0.0, ge=0)
    trimmer_most: Farad = Field(default=0.0, ge=0)
    each_half_turn: bool = False
    per_turn_ppm: float = 0.0
    spread_ppm: float = Field(default=0.0, ge=0)
    odd_share: float = Field(default=0.0, ge=0, le=1)
    odd_ppm: float = 0.0
    warm_up_ppm: float = 0.0
    warm_up: Seconds = Field(default=300.0, gt=0)


class Reference(Crystal):
    """[reference]: the same for the one oscillator of a set with a single crystal, named by ``oscillator``."""

    oscillator: str
    adjuster: str


class Shift(Part):
    """[[shift]]: a control that pulls oscillators: by ``down`` at -100 %, by ``up`` at 100 % (Hz at the oscillator).

    ``spread``: how far the middle of specimens is off, as a share of the swing. ``way``: when it works. An ``adjuster`` moves
    the middle by ``per_unit`` for each of its own units.
    """

    control: str
    oscillators: list[str] = Field(min_length=1)
    down: Hertz
    up: Hertz
    spread: float = Field(default=0.0, ge=0, le=1)
    way: Literal["receive", "transmit", "either"] = "either"
    adjuster: str | None = None
    per_unit: Hertz = 0.0


class Vco(Part):
    """[vco.receive] / [vco.send]: coil, fixed capacitor, varactor and the detector's rails."""

    test_point: str
    adjuster: str
    inductance: Henry = Field(gt=0)
    per_turn: float = Field(gt=-1, lt=1)
    fixed: Farad = Field(ge=0)
    varactor: Farad = Field(gt=0)
    phi: Volts = Field(default=0.7, gt=0)
    gamma: float = Field(default=0.5, gt=0, le=4)
    lowest: Volts = Field(default=0.4, ge=0)
    highest: Volts = Field(default=7.4, gt=0)
    #: The mixing output that it runs at; the carrier (send) or the first oscillator (receive) where none is named.
    output: str | None = None
    #: Where the volts fall with frequency: tuning voltage = ``mirror`` less the varactor's.
    mirror: Volts | None = None


class PowerCoil(Part):
    """[[send.coil]]: a band-pass, driver or final coil; ``coupling`` (units of critical coupling) ties it to the coil before it."""

    adjuster: str
    centre: Hertz = Field(gt=0)
    q: float = Field(gt=0)
    per_turn: Hertz
    coupling: float | None = Field(default=None, gt=0)
    #: The sheet's stage that it is part of.
    stage: str = ""


class TransmitStage(Part):
    """[[transmit.stage]]: a stage of the transmit side, in order: the sheet's stage, and the peak volts of RF at its output, aligned."""

    stage: str
    volts: Volts = Field(gt=0)


class SubHarmonic(Part):
    """[[send.sub_harmonic]]: what a multiplier lets through of the frequency before it: a line at the carrier divided by ``divided_by``,
    ``dbc`` under the carrier where the coils stand right. They hold it back the more, the sharper they are."""

    divided_by: int = Field(ge=2, le=12)
    dbc: float = Field(lt=0)


class Trap(Part):
    """[send.trap]: a series-tuned trap across the aerial: ``depth`` (dB) at its ``centre``, ``per_turn`` Hz moved by a turn."""

    adjuster: str
    centre: Hertz = Field(gt=0)
    q: float = Field(gt=0)
    per_turn: Hertz
    depth: Decibels = Field(gt=0)


class Draw(Part):
    """[draw]: what the radio takes from its supply: current at ``rest``, ``efficiency`` of the transmit stages, and the ``resistance``
    of lead, fuse and cells together."""

    rest: Amps = Field(ge=0)
    efficiency: float = Field(gt=0, le=1)
    resistance: Ohms = Field(default=0.0, ge=0)


class Aerial(Part):
    """[aerial]: a whip with its loading coil; ``whip_in`` dB lost with the whip pushed in, ``hand`` dB by which a hand's place spreads."""

    adjuster: str
    q: float = Field(gt=0)
    centre: Hertz = Field(gt=0)
    per_turn: Hertz
    whip_in: Decibels = Field(default=14.0, ge=0)
    hand: Decibels = Field(default=0.4, ge=0)


class Processor(Part):
    """[send.processor]: a speech processor behind a switch of the panel: so many dB louder when ``control`` is on."""

    control: str
    gain: Decibels = Field(gt=0)


class Levelling(Part):
    """[send.alc]: automatic level control: its preset holds the peak envelope between ``least`` and ``most`` (W)."""

    adjuster: str
    least: Watts = Field(gt=0)
    most: Watts = Field(gt=0)


class AmModulator(Part):
    """[send.am]: the AM modulator. Depth (%) = ``most_depth`` by its preset (all of it without one) and the loudness, held under
    ``ceiling`` by its limiter."""

    adjuster: str | None = None
    most_depth: float = Field(gt=0)
    ceiling: float = Field(default=100.0, gt=0)


class Balance(Part):
    """[send.balance]: the balanced modulator's two presets, in and out of phase: carrier left (share of the peak) for one of their units."""

    adjusters: tuple[str, str]
    per_unit: tuple[float, float]
    floor_dbc: float = Field(default=-60.0, le=0)


class Bias(Part):
    """[bias]: idle current of the final, ``least`` at the preset's anticlockwise end, ``most`` at its clockwise end; it goes with the
    square of the way. ``creep``: by which share it rises once the final is warm, ``warms`` how fast."""

    test_point: str = ""
    adjuster: str
    least: Amps = Field(default=0.0, ge=0)
    most: Amps = Field(gt=0)
    creep: float = Field(default=0.0, ge=0)
    warms: Seconds = Field(default=60.0, gt=0)


class OwnMeter(Part):
    """[send.meter]: the radio's own power meter: its preset makes it show between ``least`` and ``most`` of the power."""

    adjuster: str
    least: float = Field(gt=0)
    most: float = Field(gt=0)


class Transmit(Part):
    """[send]: power chain and modulator. The last coil is the tank; those before it carry drive."""

    power: Watts = Field(gt=0)
    drive: float = Field(gt=0)
    coil: list[PowerCoil] = Field(min_length=1)
    harmonic_dbc: float = Field(le=0)
    modulator_adjuster: str | None = None
    most_deviation: Hertz = Field(default=0.0, ge=0)
    microphone_full: Volts = Field(default=0.01, gt=0)
    residual_fm: Hertz = Field(default=0.0, ge=0)
    am: AmModulator | None = None
    balance: Balance | None = None
    trap: Trap | None = None
    sub_harmonic: list[SubHarmonic] = []
    alc: Levelling | None = None
    processor: Processor | None = None
    meter: OwnMeter | None = None
    #: A part of the radio that holds the carrier under this, however the coils stand.
    holds_at: Watts | None = Field(default=None, gt=0)
    #: Peak envelope power in SSB at full drive, aligned; the carrier's where it is not told.
    pep: Watts | None = Field(default=None, gt=0)
    #: The microphone amplifier's band: -3 dB points.
    audio_low: Hertz = Field(default=300.0, gt=0)
    audio_high: Hertz = Field(default=3000.0, gt=0)
    #: Hum and noise on an unmodulated carrier: depth in AM (%), deviation in FM (Hz, at 100 Hz).
    hum_depth: float = Field(default=0.0, ge=0)
    hum_deviation: Hertz = Field(default=0.0, ge=0)
    stage: list[TransmitStage] = []


class MeterMovement(Part):
    """[[meter]]: how the meter behind some quantities is: ``noise``, by which each of its readings spreads (standard; decibels for a
    quantity in decibels, per cent of what it shows for the others), and ``lag``, the time constant of its needle."""

    quantities: list[str] = Field(min_length=1)
    noise: float = Field(default=0.0, ge=0, le=50)
    lag: Seconds = Field(default=0.0, ge=0, le=30)


class Fault(Part):
    """[fault.ID]: a fault that a specimen may have: its ``title``, the ``reason`` that is right to name, and what it ``sets`` in this
    file, by dotted keys (``s_meter.threshold``, ``receive.stage.2.loss``, ``adjuster.T4.aligned``)."""

    title: str
    reason: Literal["at-stop", "dead", "threshold", "gain", "compression", "squelch range"]
    sets: dict[str, str | float | bool] = Field(min_length=1)


class PhysicsFile(Part):
    """A whole physics file."""

    format: Literal["unitone-physics/1"]
    sheet: str
    supply: Volts = Field(gt=0)
    untouched_share: float = Field(default=0.15, ge=0, le=1)
    touched_share: float = Field(default=0.85, ge=0, le=1)
    untouched_drift: float = Field(default=0.03, ge=0, le=1)
    #: The fault that this very radio has: a name of ``fault``, or PART:STATE at a stage; "" for none but what its job's card says.
    has_fault: str = ""
    adjuster: dict[str, Setting]
    rail: list[Rail] = []
    reference: Reference | None = None
    oscillator: dict[str, Crystal] = {}
    shift: list[Shift] = []
    gang: Gang | None = None
    tank: dict[str, Tank] = {}
    vco: dict[Literal["receive", "transmit"], Vco] = {}
    receive: Receive | None = None
    s_meter: SMeter | None = None
    squelch: Squelch | None = None
    transmit: Transmit | None = None
    bias: Bias | None = None
    draw: Draw | None = None
    aerial: Aerial | None = None
    meter: list[MeterMovement] = []
    fault: dict[str, Fault] = {}
    circuit: list[Circuit] = []

    @property
    def crystals(self) -> dict[str, Crystal]:
        """Every oscillator that has physics, by the sheet's id."""
        one: dict[str, Crystal] = {} if self.reference is None else {self.reference.oscillator: self.reference}
        return one | self.oscillator


def with_fault(physics: PhysicsFile, name: str) -> PhysicsFile:
    """The same radio with one of its faults. Raises SheetError for an unknown one, or one that sets what is not there."""
    if name not in physics.fault:
        known = ", ".join(sorted(physics.fault)) or "none"
        raise SheetError(
            [
                tr(
                    "fault {name}: the physics file of {sheet} has no such fault. Its faults: {known}.",
                    name=name,
                    sheet=physics.sheet,
                    known=known,
                )
            ]
        )
    made, problems = _faulty(physics, name)
    if made is None:
        raise SheetError([f"fault {name}: {p}" for p in problems])
    return made


def _faulty(physics: PhysicsFile, name: str) -> tuple[PhysicsFile | None, list[str]]:
    """The radio with a fault of its file, or what is wrong with the fault."""
    data = physics.model_dump()
    for key, value in physics.fault[name].sets.items():
        *way, last = key.split(".")
        place: Any = data
        try:
            for part in way:
                place = place[int(part)] if isinstance(place, list) else place[part]
            if not isinstance(place, dict) or last not in place:
                raise KeyError(last)
        except (KeyError, IndexError, ValueError, TypeError):
            return None, [tr("{key}: there is no such key in this physics file. Correct the fault's sets.", key=key)]
        place[last] = value
    try:
        return PhysicsFile.model_validate(data), []
    except ValidationError as error:
        return None, [f"{'.'.join(map(str, p['loc']))}: {cure_of(p)}" for p in error.errors()]


def read_physics(path: Path, sheet: Sheet) -> PhysicsFile:
    """Read and check the physics file of ``sheet``. Raises SheetError with file, line, key and cure."""
    try:
        text = files.read_text(path, MAX_BYTES)
    except (OSError, UnicodeDecodeError) as error:
        reason = files.plain_reason(error)
        raise SheetError(
            [
                f"{path}:1: file: "
                + tr(
                    "cannot be read ({reason}). A simulated radio needs this physics file beside its sheet.",
                    reason=reason,
                )
            ]
        ) from None
    return parse_physics(text, str(path), sheet)


# Neither text, sheet nor what comes of them ever changes: it is read once.
@lru_cache(maxsize=32)
def parse_physics(text: str, path: str, sheet: Sheet) -> PhysicsFile:
    """The physics file written in ``text``; ``path`` stands in messages. Raises SheetError."""
    physics, problems = _shapes(text, path)
    if physics is None:
        raise SheetError(problems)
    places = key_lines(text)
    unknown = [a for a in physics.adjuster if a not in {x.id for x in sheet.adjusters}]
    lacking = [a.id for a in sheet.adjusters if a.id not in physics.adjuster]
    problems = [
        f"{path}:{line_of(places, ('adjuster', a))}: adjuster.{a}: " + tr("the sheet has no such adjuster.")
        for a in unknown
    ]
    problems += [f"{path}:1: adjuster.{a}: " + tr("is missing. Add its aligned position.") for a in lacking]
    if physics.has_fault and ":" not in physics.has_fault and physics.has_fault not in physics.fault:
        problems.append(
            f"{path}:{line_of(places, ('has_fault',))}: has_fault: "
            + tr("no fault {name!r} in this file. Name one that it has.", name=physics.has_fault)
        )
    problems += _frequency_problems(physics, sheet, path, places)
    if problems:
        raise SheetError(problems)
    return physics


def shape_problems(text: str, path: str) -> list[str]:
    """What is wrong with a physics file apart from what it names of its sheet."""
    return _shapes(text, path)[1]


def _shapes(text: str, path: str) -> tuple[PhysicsFile | None, list[str]]:
    """The file as data, or what is wrong with its shapes."""
    try:
        raw = in_todays_names(tomllib.loads(text))[0]
    except tomllib.TOMLDecodeError as error:
        found = re.search(r"at line (\d+)", str(error))
        return None, [
            f"{path}:{found[1] if found else 1}: file: "
            + tr("no valid TOML ({error}). Correct that line.", error=error)
        ]
    except (RecursionError, ValueError):
        return None, [f"{path}:1: file: " + tr("nested too deeply to be a physics file.")]
    try:
        return PhysicsFile.model_validate(raw), []
    except ValidationError as error:
        places, problems = key_lines(text), []
        for problem in error.errors():
            keys = ".".join(str(p) for p in problem["loc"] if not isinstance(p, int))
            cure = cure_of(problem)
            problems.append(f"{path}:{line_of(places, problem['loc'])}: {keys}: {cure}")
        return None, problems


def _frequency_problems(physics: PhysicsFile, sheet: Sheet, path: str, places: dict[Place, int]) -> list[str]:
    """What the oscillators, shifts and the receiver name and the sheet, or the file, does not have."""
    ids, adjusters = {o.id for o in sheet.oscillators}, {a.id for a in sheet.adjusters}
    controls, outputs = {c.id for c in sheet.controls}, {m.output for m in sheet.mixing}
    found: list[tuple[Place, str]] = []
    for name, crystal in physics.crystals.items():
        place: Place = ("oscillator", name) if name in physics.oscillator else ("reference", "oscillator")
        if name not in ids:
            found.append(
                (
                    place,
                    tr(
                        "the sheet has no oscillator {name!r}. Its oscillators: {x}.",
                        name=name,
                        x=", ".join(sorted(ids)) or "none",
                    ),
                )
            )
        if crystal.adjuster is not None and crystal.adjuster not in adjusters:
            found.append(
                ((place[0], "adjuster"), tr("the sheet has no adjuster {adjuster!r}.", adjuster=crystal.adjuster))
            )
        if not 0 <= crystal.trimmer_least <= crystal.trimmer_most:
            found.append((place, tr("a trimmer goes from least to most. Swap trimmer_least and trimmer_most.")))
    for n, shift in enumerate(physics.shift):
        missing = [o for o in shift.oscillators if o not in physics.crystals]
        if missing:
            found.append(
                (("shift", n, "oscillators"), tr("no [oscillator.{missing}] here. Add it.", missing=missing[0]))
            )
        if shift.control not in controls:
            found.append((("shift", n, "control"), tr("the sheet has no control {control!r}.", control=shift.control)))
        if shift.adjuster is not None and shift.adjuster not in adjusters:
            found.append(
                (("shift", n, "adjuster"), tr("the sheet has no adjuster {adjuster!r}.", adjuster=shift.adjuster))
            )
    for way, vco in physics.vco.items():
        wanted = vco.output or ("tx.carrier" if way == "transmit" else "rx.lo1")
        if wanted not in outputs:
            found.append(
                (
                    ("vco", way),
                    tr("the sheet has no mixing line for {wanted}. Add one, or name another output.", wanted=wanted),
                )
            )
    named: list[tuple[Place, str | None]] = [
        (("bias", "adjuster"), None if physics.bias is None else physics.bias.adjuster)
    ]
    if physics.transmit is not None:
        named += [(("transmit", "modulator_adjuster"), physics.transmit.modulator_adjuster)]
        named += [
            (("transmit", "am", "adjuster"), None if physics.transmit.am is None else physics.transmit.am.adjuster)
        ]
        named += [
            (("transmit", "balance", "adjusters"), a)
            for a in (physics.transmit.balance.adjusters if physics.transmit.balance else ())
        ]
        named += [(("transmit", "coil"), c.adjuster) for c in physics.transmit.coil]
        named += [
            (
                ("transmit", "trap", "adjuster"),
                None if physics.transmit.trap is None else physics.transmit.trap.adjuster,
            )
        ]
        named += [
            (("transmit", "alc", "adjuster"), None if physics.transmit.alc is None else physics.transmit.alc.adjuster)
        ]
        named += [
            (
                ("transmit", "meter", "adjuster"),
                None if physics.transmit.meter is None else physics.transmit.meter.adjuster,
            )
        ]
        found += _transmit_problems(physics.transmit, controls)
    named += [(("aerial", "adjuster"), None if physics.aerial is None else physics.aerial.adjuster)]
    found += [
        (p, tr("the sheet has no adjuster {a!r}.", a=a)) for p, a in named if a is not None and a not in adjusters
    ]
    if physics.receive is not None:
        found += receive_problems(physics.receive, physics.s_meter, physics.squelch, adjusters, controls)
    found += circuit_problems(physics.circuit, physics.receive, physics.transmit, sheet)
    named_meters = [q for m in physics.meter for q in m.quantities]
    found += [
        (("meter", n, "quantities"), tr("no quantity {q!r}. Take one of docs/sheet.md's list.", q=q))
        for n, m in enumerate(physics.meter)
        for q in m.quantities
        if q not in QUANTITIES
    ]
    found += [
        (("meter",), tr("{q} is in two of them. Remove one.", q=q))
        for q in sorted({q for q in named_meters if named_meters.count(q) > 1})
    ]
    for name in physics.fault:
        found += [(("fault", name), problem) for problem in _faulty(physics, name)[1]]
    found += name_problems(sheet, physics)
    return [
        f"{path}:{line_of(places, p)}: {'.'.join(str(k) for k in p if not isinstance(k, int))}: {t}" for p, t in found
    ]


def _transmit_problems(transmit: Transmit, controls: set[str]) -> list[tuple[Place, str]]:
    """What of the transmit side cannot be built."""
    found: list[tuple[Place, str]] = []
    if transmit.coil[0].coupling is not None:
        found.append(
            (("transmit", "coil"), tr("the first coil has none before it to be coupled to. Take its coupling out."))
        )
    for a, b in zip(transmit.coil, transmit.coil[1:], strict=False):
        if a.coupling is not None and b.coupling is not None:
            found.append(
                (
                    ("transmit", "coil"),
                    tr(
                        "{adjuster}: three coils in a row cannot be coupled. Take one coupling out.",
                        adjuster=b.adjuster,
                    ),
                )
            )
    if transmit.coil[-1].coupling is not None:
        found.append(
            (("transmit", "coil"), tr("the last coil is the final's tank and stands alone. Take its coupling out."))
        )
    if transmit.processor is not None and transmit.processor.control not in controls:
        found.append(
            (
                ("transmit", "processor", "control"),
                tr("the sheet has no control {control!r}.", control=transmit.processor.control),
            )
        )
    if transmit.alc is not None and not 0 < transmit.alc.least < transmit.alc.most:
        found.append((("transmit", "alc"), tr("goes from least to most. Swap them.")))
    return found
