"""What the keys of a physics file are made of: quantities as text with units, and the frozen model that they stand in."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, BeforeValidator, ConfigDict, WithJsonSchema

from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.radio.levels import parse_level


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


def _shape(unit: str) -> WithJsonSchema:
    """As the file writes it: text with a unit, or a bare number in that unit."""
    return WithJsonSchema({"type": ["string", "number"], "description": f"text with a unit, or a number in {unit}"})


Hertz = Annotated[float, _unit("Hz"), _shape("Hz")]
Amps = Annotated[float, _unit("A"), _shape("A")]
Volts = Annotated[float, _unit("V"), _shape("V")]
Farad = Annotated[float, _unit("F"), _shape("F")]
Henry = Annotated[float, _unit("H"), _shape("H")]
Ohms = Annotated[float, _unit("ohm"), _shape("Ω")]
Watts = Annotated[float, _unit("W"), _shape("W")]
Seconds = Annotated[float, _unit("s"), _shape("s")]
Decibels = Annotated[float, _unit("dB"), _shape("dB")]
Level = Annotated[float, BeforeValidator(_level), _shape("dBm")]


class Part(BaseModel):
    """A table of the file: unknown keys are refused, and nothing in it changes."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)
