"""Every error that Unitone raises on purpose.

UnitoneError            what a person can understand and act on: one line, with the cure
├── EntryError          a typed reading or value that cannot be understood
│   └── DoubtfulEntry   one that can hardly be meant: typed again, it is taken
├── SheetError          a sheet or physics file that cannot be used (carries its problems)
├── SignalError         a recording in which this cannot be measured
├── BenchError          an instrument cannot do what was asked
│   └── HookUpError     the hook-up on the bench forbids it (key-up interlock)
├── TapeError           an entry that does not fit the job it is meant for
│   └── StaleCommand    a command meant for an older state of the log
└── StoreError          the logbook cannot be read or written
    ├── LogbookBusy     another window holds the logbook
    └── DamagedLogbook  its file is damaged
"""

from __future__ import annotations

from unitone.words import tr


class UnitoneError(Exception):
    """A message for a person: what, where, and the cure."""


class EntryError(UnitoneError):
    """A typed value that cannot be understood."""

    @classmethod
    def not_understood(cls, text: str, expected: str) -> EntryError:
        """Nothing could be made of ``text``; says which form was expected."""
        return cls(tr("“{what}” is not a reading. Expected {expected}.", what=text, expected=expected))

    @classmethod
    def wrong_unit(cls, text: str, unit: str, expected: str) -> EntryError:
        """The number is fine and its unit is of another kind."""
        return cls(
            tr("“{what}”: {unit} does not fit here. Expected {expected}.", what=text, unit=unit, expected=expected)
        )

    @classmethod
    def impossible(cls, text: str, why: str) -> EntryError:
        """The value is outside what the quantity can be."""
        return cls(f"“{text}”: {why}")


class DoubtfulEntry(EntryError):
    """A reading that can hardly be meant; the same typed again is taken as it stands."""


class SheetError(UnitoneError):
    """A sheet or physics file that cannot be used; ``problems`` holds one line each."""

    def __init__(self, problems: list[str]) -> None:
        super().__init__("\n".join(problems))
        self.problems = problems


class SignalError(UnitoneError):
    """A recording in which this cannot be measured: what is wrong with it, and the cure."""


class FieldError(UnitoneError):
    """A field of a form holds what cannot be; ``field`` is its key."""

    def __init__(self, words: str, field: str) -> None:
        super().__init__(words)
        self.field = field


class BenchError(UnitoneError):
    """An instrument cannot do what was asked."""


class LevelOutOfReach(BenchError):
    """The generator cannot give this level through these pads."""


class HookUpError(BenchError):
    """The hook-up on the bench forbids it."""

    @classmethod
    def wrong_way(cls, wanted: str, present: str) -> HookUpError:
        """The step's way and the confirmed hook-up differ."""
        return cls(
            tr(
                "This step needs the {wanted} hook-up; the bench is set for {present}. Confirm the {wanted} hook-up first.",
                wanted=wanted,
                present=present,
            )
        )


class TapeError(UnitoneError):
    """An entry that does not fit its job."""


class StaleCommand(TapeError):
    """A command that was meant for an older state of the log."""

    @classmethod
    def refused(cls) -> StaleCommand:
        """Says that nothing was done, and what to do."""
        return cls(tr("Not done: the log had moved on since this was shown. Look again, then press once more."))


class StoreError(UnitoneError):
    """The logbook cannot be read or written."""


class LogbookBusy(StoreError):
    """Another window holds the logbook."""

    @classmethod
    def at(cls, place: str) -> LogbookBusy:
        """Names the logbook that is taken."""
        return cls(
            tr(
                "The logbook in {place} is open in another Unitone window. Use that window, or close it and start again.",
                place=place,
            )
        )


class ServerAway(StoreError):
    """The server of a shared logbook does not answer."""

    @classmethod
    def at(cls, name: str, why: str) -> ServerAway:
        """Names the server and what stands in the way."""
        return cls(
            tr(
                "The server of the shared logbook at {name} does not answer ({why}). Check that it runs, and the network.",
                name=name,
                why=why,
            )
        )


class DamagedLogbook(StoreError):
    """The logbook's file is damaged: what can be read may be salvaged."""

    @classmethod
    def at(cls, place: str, why: str) -> DamagedLogbook:
        """Names the logbook and what the database says of it."""
        return cls(
            tr(
                "The logbook in {place} is damaged ({why}). Keep a copy of the file and restore a backup.",
                place=place,
                why=why,
            )
        )
