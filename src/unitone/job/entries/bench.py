"""The bench on a log: generator and pads, instruments, what is connected, what is dialled, what a wrong hook-up broke."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar

import msgspec

from unitone.bench.instruments import Instrument
from unitone.bench.path import Kit
from unitone.job.conditions import conditions_from_json, conditions_to_data
from unitone.job.entries.base import Entry, Kind
from unitone.sheet.model.sheet import Conditions

if TYPE_CHECKING:
    from unitone.job.state import JobState


class KitSet(Kind, frozen=True):
    """Another generator, other pads, another dummy load."""

    kind: ClassVar[str] = "kit"

    kit: dict[str, Any] = msgspec.field(default_factory=dict)

    def apply(self, state: JobState, at: Entry) -> None:
        """The path from the generator to the set from here on."""
        if self.kit:
            state.kit = Kit.from_data(self.kit)


class InstrumentsSet(Kind, frozen=True):
    """The instruments of the bench, the decision rule, or which instrument reads a quantity."""

    kind: ClassVar[str] = "instruments"

    instruments: list[dict[str, Any]] | None = None
    rule: str = ""
    chosen: dict[str, str] = msgspec.field(default_factory=dict)

    def apply(self, state: JobState, at: Entry) -> None:
        """What readings come from, and how they are judged, from here on."""
        if self.instruments is not None:
            state.instruments = tuple(Instrument.from_data(i) for i in self.instruments)
        state.chosen |= self.chosen
        state.rule = self.rule or state.rule


class HookedUp(Kind, frozen=True):
    """The bench is hooked up: ``receive``, ``send`` or ``probe``."""

    kind: ClassVar[str] = "hook-up"

    way: str

    def apply(self, state: JobState, at: Entry) -> None:
        """What hangs on the aerial socket; both hands were needed for it."""
        state.hook_up, state.tool_in = self.way, ""


class _Written(msgspec.Struct):
    conditions: msgspec.Raw


_WRITTEN = msgspec.json.Decoder(_Written)


class SetUp(Kind, frozen=True):
    """Generator, channel and front panel stand at these conditions."""

    kind: ClassVar[str] = "set-up"

    conditions: Conditions

    def to_data(self) -> dict[str, Any]:
        """As it stands on disk."""
        return {"conditions": conditions_to_data(self.conditions)}

    @classmethod
    def reads(cls, text: str | bytes) -> SetUp:
        """From JSON. Raises msgspec.DecodeError, TapeError."""
        return cls(conditions_from_json(_WRITTEN.decode(text).conditions))

    def apply(self, state: JobState, at: Entry) -> None:
        """What is dialled; the hand was on the generator for it."""
        state.set_up, state.set_up_seq, state.tool_in = self.conditions, at.seq, ""


class Broken(Kind, frozen=True):
    """A wrong hook-up broke something on the simulated bench."""

    kind: ClassVar[str] = "damage"

    what: str

    def apply(self, state: JobState, at: Entry) -> None:
        """It is broken."""
        state.damaged.add(self.what)


class Repaired(Kind, frozen=True):
    """What a wrong hook-up broke is whole again."""

    kind: ClassVar[str] = "repaired"

    what: str

    def apply(self, state: JobState, at: Entry) -> None:
        """It is whole."""
        state.damaged.discard(self.what)
