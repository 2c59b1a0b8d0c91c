"""What every entry of a log has: when it was made, what it says, its form on disk, and what it changes."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, NamedTuple, TypeVar

import msgspec

from unitone.errors import TapeError
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.job.entries import Said
    from unitone.job.state import JobState

E = TypeVar("E", bound="Kind")


class Entry(NamedTuple):
    """One entry: ULID, running number in its job, UTC (ISO 8601), bench-seconds, and what it says."""

    id: str
    seq: int
    utc: str
    bench_s: float
    said: Said

    @property
    def kind(self) -> str:
        """The name of its kind, as it stands on disk."""
        return self.said.kind

    def to_data(self) -> dict[str, Any]:
        """As plain data, in the form of a job's file."""
        return {
            "id": self.id, "seq": self.seq, "kind": self.kind, "utc": self.utc, "bench_s": self.bench_s, "data": self.said.to_data(),
        }  # fmt: skip


class Kind(msgspec.Struct, frozen=True, omit_defaults=True):
    """A kind of entry: its fields are the keys of its data on disk. A voided entry changes nothing, unless it was done by hand."""

    kind: ClassVar[str]
    #: Can undo void it?
    can_be_voided: ClassVar[bool] = False
    #: Does it change the radio or its sheet whether it is voided or not? Voiding corrects the record, not the radio.
    done_for_good: ClassVar[bool] = False
    #: Does a finished job still take it?
    after_the_end: ClassVar[bool] = False

    def to_data(self) -> dict[str, Any]:
        """The data as they stand on disk; what says nothing is left out."""
        data: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(self))
        return data

    @classmethod
    def reads(cls: type[E], text: str | bytes) -> E:
        """The inverse of ``to_data``, from JSON. Raises msgspec.DecodeError for what is not of this form."""
        return msgspec.json.decode(text, type=cls)

    @classmethod
    def from_data(cls: type[E], data: dict[str, Any]) -> E:
        """The inverse of ``to_data``. Raises msgspec.ValidationError for what is not of this form."""
        return cls.reads(msgspec.json.encode(data))

    def apply(self, state: JobState, at: Entry) -> None:
        """What changes with this entry; ``state`` is the fold's own. Raises TapeError for what the job does not have."""
        raise TapeError(tr("Entry {seq} changes nothing.", seq=at.seq))
