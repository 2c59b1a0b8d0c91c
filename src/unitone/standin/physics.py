"""The physics file of a stand-in radio (``unitone-physics/1``): every number that makes it behave as a radio.

Documented key by key in docs/physics.md. Quantities are text with units.
Positions are in the adjuster's own unit (turns for cores, degrees for trimmers
and presets) from its anticlockwise stop; ``aligned`` is where a typical
specimen is right.
"""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from unitone.errors import EntryError, SheetError
from unitone.quantities.entry import parse_si
from unitone.radio.levels import parse_level
from unitone.sheet.lines import key_lines, line_of
from unitone.sheet.model import Sheet


def _unit(unit: str) -> BeforeValidator:
    def convert(value: object) -> object:
        if isinstance(value, str):
            try:
                return parse_si(value, unit)
            except EntryError as error:
                raise ValueError(str(error)) from None
        return value

    return BeforeValidator(convert)


def _level(value: object) -> object:
    if isinstance(value, str):
        try:
            return float(parse_level(value))
        except EntryError as error:
            raise ValueError(str(error)) from None
    return value


Hertz = Annotated[float, _unit("Hz")]
Volts = Annotated[float, _unit("V")]
Farad = Annotated[float, _unit("F")]
Henry = Annotated[float, _unit("H")]
Watts = Annotated[float, _unit("W")]
Seconds = Annotated[float, _unit("s")]
Decibels = Annotated[float, _unit("dB")]
Level = Annotated[float, BeforeValidator(_level)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Setting(_Part):
    """[adjuster.ID]: where a typical specimen is right, how far specimens differ, how far a seed turns it off."""

    aligned: float
    spread: float = 0.0
    misaligned: float = 0.0


class Rail(_Part):
    """[[rail]]: a regulated rail set by a preset, ``low`` at its anticlockwise end, ``high`` at its clockwise end."""

    test_point: str
    adjuster: str
    low: Volts
    high: Volts
    nominal: Volts


class Reference(_Part):
    """[reference]: crystal, trimmer and warm-up. c1, c0 motional and shunt capacitance."""

    test_point: str
    oscillator: str
    adjuster: str
    c1: Farad
    c0: Farad
    fixed: Farad
    trimmer_least: Farad
    trimmer_most: Farad
    warm_up_ppm: float = 0.0
    warm_up: Seconds = Field(default=300.0, gt=0)


class Vco(_Part):
    """[vco.receive] / [vco.send]: coil, fixed capacitor, varactor and the detector's rails."""

    test_point: str
    adjuster: str
    inductance: Henry
    per_turn: float
    fixed: Farad
    varactor: Farad
    phi: Volts = 0.7
    gamma: float = 0.5
    lowest: Volts = 0.4
    highest: Volts = 7.4


class CoilStage(_Part):
    """A tuned circuit: power loss ``loss`` at its centre, ``per_turn`` Hz moved by a clockwise turn."""

    kind: Literal["coil"]
    adjuster: str
    centre: Hertz
    q: float = Field(gt=0)
    per_turn: Hertz
    loss: Decibels = 0.0


class PairStage(_Part):
    """A coupled pair; ``coupling`` in units of critical coupling."""

    kind: Literal["pair"]
    adjusters: tuple[str, str]
    centre: Hertz
    q: float = Field(gt=0)
    per_turn: Hertz
    coupling: float = Field(ge=0)
    loss: Decibels = 0.0


class AmplifierStage(_Part):
    """An amplifier or mixer: gain and noise figure."""

    kind: Literal["amplifier", "mixer"]
    gain: Decibels
    noise_figure: Decibels


class FilterStage(_Part):
    """A fixed filter with a Butterworth-like skirt: ``bandwidth`` between the -3 dB points, ``poles`` a side."""

    kind: Literal["filter"]
    bandwidth: Hertz = Field(gt=0)
    poles: int = Field(ge=1, le=12)
    loss: Decibels = 0.0


ReceiverStage = Annotated[CoilStage | PairStage | AmplifierStage | FilterStage, Field(discriminator="kind")]


class Detector(_Part):
    """[receive.detector]: quadrature coil at the last IF; ``half_width`` Hz of its tank."""

    adjuster: str
    per_turn: Hertz
    half_width: Hertz = Field(gt=0)
    residual_fm: Hertz = 0.0


class Audio(_Part):
    """[receive.audio]: band, de-emphasis corner, volts for 1 kHz of deviation at full volume, clipping."""

    low: Hertz = 300.0
    high: Hertz = 3000.0
    deemphasis: Hertz = 530.0
    volts_per_khz: float
    clips_at: Volts


class SMeter(_Part):
    """[s_meter]: preset and detector. ``threshold`` is the aerial level at which the aligned detector starts."""

    adjuster: str
    threshold: Level
    least: float
    most: float


class Squelch(_Part):
    """[squelch]: noise squelch. Opens when the noise falls under a share of ``noise``, the typical radio's without signal.

    share = ``loose`` - control·(``tight_least`` … ``tight_most`` by the preset); closes at share·(1+``hysteresis``).
    """

    adjuster: str
    noise_above: Hertz = 5000.0
    noise: Hertz
    loose: float
    tight_least: float
    tight_most: float
    hysteresis: float = 0.1


class Receive(_Part):
    """[receive]: the chain from aerial to loudspeaker. ``knee`` is the aerial level where limiting begins, aligned."""

    stage: list[ReceiverStage] = Field(min_length=1)
    intermediate: list[Hertz]
    knee: Level
    detector: Detector
    audio: Audio


class PowerCoil(_Part):
    """[[send.coil]]: a driver or final coil."""

    adjuster: str
    centre: Hertz
    q: float = Field(gt=0)
    per_turn: Hertz


class Send(_Part):
    """[send]: power chain and modulator. The last coil is the tank; those before it carry drive."""

    power: Watts
    drive: float
    coil: list[PowerCoil]
    harmonic_dbc: float
    modulator_adjuster: str
    most_deviation: Hertz
    microphone_full: Volts
    residual_fm: Hertz = 0.0


class PhysicsFile(_Part):
    """A whole physics file."""

    format: Literal["unitone-physics/1"]
    sheet: str
    supply: Volts
    untouched_share: float = Field(default=0.15, ge=0, le=1)
    touched_share: float = Field(default=0.85, ge=0, le=1)
    untouched_drift: float = Field(default=0.03, ge=0, le=1)
    adjuster: dict[str, Setting]
    rail: list[Rail] = []
    reference: Reference
    vco: dict[Literal["receive", "send"], Vco]
    receive: Receive
    s_meter: SMeter
    squelch: Squelch
    send: Send


def read_physics(path: Path, sheet: Sheet) -> PhysicsFile:
    """Read and check the physics file of ``sheet``. Raises SheetError with file, line, key and cure."""
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError):
        raise SheetError(
            [f"{path}:1: file: cannot be read. A stand-in needs this physics file beside its sheet."]
        ) from None
    return parse_physics(text, str(path), sheet)


def parse_physics(text: str, path: str, sheet: Sheet) -> PhysicsFile:
    """The physics file written in ``text``; ``path`` stands in messages. Raises SheetError."""
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise SheetError([f"{path}:1: file: no valid TOML ({error}). Mend that line."]) from None
    places = key_lines(text)
    try:
        physics = PhysicsFile.model_validate(raw)
    except ValidationError as error:
        problems = []
        for problem in error.errors():
            keys = ".".join(str(p) for p in problem["loc"] if not isinstance(p, int))
            cure = "is missing. Add it." if problem["type"] == "missing" else f"{problem['msg']}."
            problems.append(f"{path}:{line_of(places, problem['loc'])}: {keys}: {cure}")
        raise SheetError(problems) from None
    unknown = [a for a in physics.adjuster if a not in {x.id for x in sheet.adjusters}]
    lacking = [a.id for a in sheet.adjusters if a.id not in physics.adjuster]
    problems = [
        f"{path}:{line_of(places, ('adjuster', a))}: adjuster.{a}: the sheet has no such adjuster." for a in unknown
    ]
    problems += [f"{path}:1: adjuster.{a}: is missing. Add its aligned position." for a in lacking]
    if problems:
        raise SheetError(problems)
    return physics
