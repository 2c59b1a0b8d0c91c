"""The log, one class a kind of entry, by subject; each knows its form on disk (``reads``, ``to_data``) and what it changes (``apply``).

A job's log is append-only: a correction is a new entry that voids an old one.
"""

from __future__ import annotations

import re
from typing import Any

import msgspec

from unitone.errors import TapeError
from unitone.job.entries.base import Entry as Entry
from unitone.job.entries.base import Kind
from unitone.job.entries.bench import Broken, HookedUp, InstrumentsSet, KitSet, Repaired, SetUp
from unitone.job.entries.hands import Swept, Touched, Turned
from unitone.job.entries.notes import Damaged, Loosened, Noted, Tied, Tried, Voided
from unitone.job.entries.opening import Archived, CardAmended, Finished, HandedOver, Opened, StatusSet
from unitone.job.entries.practice import Diagnosed, HintTaken, ToolTaken
from unitone.job.entries.procedure import Concluded, ConventionsChosen, Judged, PhaseBegun, VariantMade, WentTo
from unitone.job.entries.readings import Reading
from unitone.job.entries.tracing import Checked, Intermittent, NoiseAnswered
from unitone.job.entries.trials import TrialMoved
from unitone.job.entries.workshop import (
    CapacitorMeasured,
    ControlTold,
    FindingMade,
    HeardOnAir,
    LeavingNoted,
    Modified,
    PageWanted,
    PartFitted,
    PutBack,
    ReadBeside,
    SectionFound,
    StopsCounted,
    SupplySet,
    TimeSpent,
)
from unitone.quantities.older_names import CODES, KEYS, QUANTITY_IDS, in_todays_names
from unitone.words import tr

#: Whatever an entry can say. A new kind stands here, and mypy names every place that has to deal with it.
Said = (
    Opened | CardAmended | StatusSet | Finished | HandedOver | Archived
    | KitSet | InstrumentsSet | HookedUp | SetUp | Broken | Repaired
    | PhaseBegun | WentTo | Concluded | Judged | ConventionsChosen | VariantMade
    | Reading | Turned | Swept | Touched | TrialMoved
    | Noted | Voided | Tried | Loosened | Tied | Damaged
    | FindingMade | SupplySet | CapacitorMeasured | PartFitted | TimeSpent | HeardOnAir | ControlTold | PageWanted
    | SectionFound | StopsCounted | ReadBeside | Modified | PutBack | LeavingNoted
    | Checked | Intermittent | NoiseAnswered
    | ToolTaken | HintTaken | Diagnosed
)  # fmt: skip

#: Every kind by its name on disk.
KINDS: dict[str, type[Kind]] = {cls.kind: cls for cls in Said.__args__}
#: Kinds by the names that earlier versions wrote.
_OLDER_KINDS = {"schools": "conventions", "strike": "void", "mended": "repaired"}
#: What only an earlier version wrote: the rest of a long log is read without a second look.
_OLDER = re.compile(
    "|".join(f'"{re.escape(x)}"' for x in (*QUANTITY_IDS, *KEYS, *(old for codes in CODES.values() for old in codes)))
)


def reads(kind: str, text: str | bytes) -> Said:
    """What an entry of a kind says, from its data as JSON; ``Damaged`` where they cannot be read.

    Raises TapeError for a kind or conditions that only a newer version knows.
    """
    cls = KINDS.get(kind) or KINDS.get(_OLDER_KINDS.get(kind, ""))
    if cls is None:
        raise TapeError(tr("An entry is of an unknown kind, {kind!r}: this log needs a newer Unitone.", kind=kind))
    try:
        if _OLDER.search(text if isinstance(text, str) else text.decode()):
            text = msgspec.json.encode(in_todays_names(msgspec.json.decode(text))[0])
        return cls.reads(text)  # type: ignore[return-value]
    except (msgspec.DecodeError, RecursionError, UnicodeError):
        return Damaged(kind)


def from_data(kind: str, data: dict[str, Any]) -> Said:
    """``reads`` for plain data."""
    return reads(kind, msgspec.json.encode(data))


def entry_from_data(data: dict[str, Any]) -> Entry:
    """An entry from the form of a job's file (``Entry.to_data``). Raises TapeError as ``reads`` does."""
    return Entry(data["id"], data["seq"], data["utc"], data["bench_s"], from_data(data["kind"], data["data"]))
