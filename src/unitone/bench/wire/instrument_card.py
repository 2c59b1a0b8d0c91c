"""How to talk to an instrument: a card (``unitone-instrument/1``, TOML) with its commands, units, limits, settling and reply patterns."""

from __future__ import annotations

import re
import string
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.quantities.registry import CANONICAL_UNIT, QUANTITIES, quantity
from unitone.sheet.format.small_files import ListedFile, listed, parse_as, text_of
from unitone.sheet.library import DATA
from unitone.words import tr

CARDS = DATA / "instruments"
#: A number as instruments write it.
_NUMBER = r"([-+]?\d+(?:\.\d*)?(?:[eE][-+]?\d+)?)"
Kind = Literal[
    "generator",
    "counter",
    "power meter",
    "multimeter",
    "audio analyser",
    "modulation meter",
    "spectrum analyser",
    "radio",
]


def _seconds(value: object) -> object:
    if isinstance(value, str):
        try:
            return parse_si(value, "s")
        except EntryError as error:
            raise ValueError(str(error)) from None
    return value


Seconds = Annotated[float, BeforeValidator(_seconds), Field(ge=0, le=60)]
Command = Annotated[str, Field(min_length=1, max_length=200)]


class _Table(BaseModel):
    """Unknown keys are refused, and nothing changes."""

    model_config = ConfigDict(extra="forbid", frozen=True)


def _check_fields(text: str, known: frozenset[str]) -> None:
    for _, name, _, _ in string.Formatter().parse(text):
        if name is not None and name not in known:
            raise ValueError(
                tr(
                    "{{{name}}} is nothing that can be sent there. Use {list}.",
                    name=name,
                    list=", ".join(sorted(known)),
                )
            )


class GeneratorCommands(_Table):
    """[generator]: commands with ``{hz}``, ``{dbm}``, ``{deviation}``, ``{depth}``, ``{tone}``; how RF is switched, and how it is asked
    whether it is off (``off_query`` answered by what fits ``off_reply``). Limits as the instrument has them."""

    frequency: Command
    level: Command
    on: Command
    off: Command
    off_query: Command
    off_reply: Command
    fm: tuple[Command, ...] = ()
    am: tuple[Command, ...] = ()
    plain: tuple[Command, ...] = ()
    least_hz: float = Field(default=1e3, gt=0)
    most_hz: float = Field(default=3e9, gt=0)
    least_dbm: float = -150.0
    most_dbm: float = 30.0

    @model_validator(mode="after")
    def _fields(self) -> GeneratorCommands:
        known = frozenset({"hz", "dbm", "deviation", "depth", "tone"})
        for text in (self.frequency, self.level, self.on, self.off, self.off_query, *self.fm, *self.am, *self.plain):
            _check_fields(text, known)
        _compiled(self.off_reply)
        return self


class Reads(_Table):
    """[[read]]: a quantity that it reads: what is asked, the pattern of the reply (its first group is the number), the unit it comes in;
    ``minus``: what is taken off to give an error (``carrier``); ``prepare``: commands before; ``live``: fast enough for a needle."""

    quantity: str
    ask: Command
    reply: Command = _NUMBER
    unit: str = ""
    minus: Literal["", "carrier"] = ""
    prepare: tuple[Command, ...] = ()
    live: bool = False
    seconds: Seconds = 1.0

    @model_validator(mode="after")
    def _known(self) -> Reads:
        if self.quantity not in QUANTITIES:
            raise ValueError(tr("no quantity {q!r}. Take one of docs/sheet.md's list.", q=self.quantity))
        if _compiled(self.reply).groups < 1:
            raise ValueError(tr("the pattern needs a group in brackets: the number"))
        if self.unit and not (self.unit == "dBm" and quantity(self.quantity).kind == "watts"):
            try:
                parse_si(f"1 {self.unit}", CANONICAL_UNIT[quantity(self.quantity).kind])
            except EntryError:
                unit = CANONICAL_UNIT[quantity(self.quantity).kind]
                raise ValueError(tr("{unit} is no unit of it. Its own is {own}.", unit=self.unit, own=unit)) from None
        return self

    def value_of(self, number: float) -> float:
        """What came back, in the canonical unit."""
        if self.unit == "dBm" and quantity(self.quantity).kind == "watts":
            return float(1e-3 * 10.0 ** (number / 10.0))
        if not self.unit:
            return number
        return number * parse_si(f"1 {self.unit}", CANONICAL_UNIT[quantity(self.quantity).kind])


def _compiled(pattern: str) -> re.Pattern[str]:
    try:
        return re.compile(pattern)
    except re.error as error:
        raise ValueError(tr("no pattern: {error}", error=error)) from None


class InstrumentCard(_Table):
    """A whole card. ``identify`` is asked when it is connected; the answer has to fit ``expects``, else it is another instrument.
    ``readings``: so many answers make a reading, their spread its doubt."""

    format: Literal["unitone-instrument/1"]
    id: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]*$", max_length=60)]
    name: Annotated[str, Field(min_length=1, max_length=80)]
    kind: Kind
    identify: Command = "*IDN?"
    expects: str = ""
    ending: Literal["\n", "\r\n", "\r"] = "\n"
    baud: int = Field(default=9600, gt=0, le=4_000_000)
    settle: Seconds = 0.05
    timeout: Seconds = 2.0
    start: tuple[Command, ...] = ()
    readings: int = Field(default=3, ge=1, le=20)
    generator: GeneratorCommands | None = None
    read: tuple[Reads, ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> InstrumentCard:
        _compiled(self.expects)
        if self.generator is None and not self.read:
            raise ValueError(tr("says neither how it is set nor what it reads. Add [generator] or [[read]]."))
        return self

    def reading(self, quantity_id: str) -> Reads | None:
        """How it reads that quantity; None where it does not."""
        return next((r for r in self.read if r.quantity == quantity_id), None)


CardFile = ListedFile[InstrumentCard]


def parse_card(text: str, path: str) -> InstrumentCard:
    """The card written in ``text``; ``path`` stands in messages. Raises SheetError with file, line, key and cure."""
    return parse_as(InstrumentCard, text, path)


def read_card(path: Path) -> InstrumentCard:
    """Read and check a card's file. Raises SheetError."""
    return parse_card(text_of(path), str(path))


def cards(own: Path | None = None) -> tuple[CardFile, ...]:
    """Those that come with the program and the workshop's own (a folder), by name."""
    return listed(CARDS, own, read_card, lambda c: c.id, lambda c: c.name)
