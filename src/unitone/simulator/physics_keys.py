"""What the keys of a physics file are made of: quantities as text with units, and the frozen model that they stand in."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, BeforeValidator, ConfigDict

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


Hertz = Annotated[float, _unit("Hz")]
Amps = Annotated[float, _unit("A")]
Volts = Annotated[float, _unit("V")]
Farad = Annotated[float, _unit("F")]
Henry = Annotated[float, _unit("H")]
Ohms = Annotated[float, _unit("ohm")]
Watts = Annotated[float, _unit("W")]
Seconds = Annotated[float, _unit("s")]
Decibels = Annotated[float, _unit("dB")]
Level = Annotated[float, BeforeValidator(_level)]


class Part(BaseModel):
    """A table of the file: unknown keys are refused, and nothing in it changes."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)
