"""The fold: a job's state is a pure function of its log.

``fold`` begins at the opening; ``advance`` takes one entry more into a copy, so that
nothing changes under whoever holds the state before.
"""

from __future__ import annotations

from collections.abc import Iterable

from unitone.collector import resting
from unitone.errors import TapeError
from unitone.job.card import Card
from unitone.job.entries import Entry
from unitone.job.entries.notes import Damaged, Voided
from unitone.job.entries.opening import Opened
from unitone.job.kept_sheets import kept_sheet
from unitone.job.state import JobState
from unitone.words import tr


def fold(tape: Iterable[Entry], job_id: str = "") -> JobState:
    """The state that a log leads to. Struck entries count as never made. Raises TapeError."""
    entries = list(tape)
    with resting():
        state = _begin(entries, job_id)
        for entry in entries:
            if entry.id not in state.voided or entry.said.done_for_good:
                entry.said.apply(state, entry)
        return _whole(state, entries)


def _begin(entries: list[Entry], job_id: str) -> JobState:
    """The state before the first entry, with what will be voided known."""
    if entries and isinstance(entries[0].said, Damaged):
        raise TapeError(tr("The first entry of this job is damaged: the job cannot be read. Restore a backup."))
    if not entries or not isinstance(entries[0].said, Opened):
        raise TapeError(tr("A log begins with the opening of its job."))
    opened = entries[0].said
    state = JobState(
        Card.from_data(opened.card),
        kept_sheet(opened.sheet_text, opened.sheet_id),
        job_id,
        workshop_conventions=opened.conventions,
    )
    state.voided = {e.said.entry for e in entries if isinstance(e.said, Voided)}
    return state


def _whole(state: JobState, entries: list[Entry]) -> JobState:
    state.entries = entries
    state.bench_s = max(e.bench_s for e in entries)
    return state


def read(tape: Iterable[Entry], job_id: str = "") -> JobState:
    """``fold`` for a log that may be damaged: an entry that cannot be taken is left out, and ``state.unreadable`` names it.

    Raises TapeError where not even the opening can be read.
    """
    entries = list(tape)
    while True:
        at = -1
        try:
            with resting():
                state = _begin(entries, job_id)
                for at, entry in enumerate(entries):  # noqa: B007
                    if entry.id not in state.voided or entry.said.done_for_good:
                        entry.said.apply(state, entry)
                return _whole(state, entries)
        except (KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
            if at < 1:
                raise TapeError(
                    tr("The first entry of this job is damaged ({name}). Restore a backup.", name=type(error).__name__)
                ) from None
            entries[at] = entries[at]._replace(said=Damaged(entries[at].kind))


def advance(state: JobState, entry: Entry) -> JobState:
    """The state with one entry more; ``state`` stays as it is. An entry that voids another needs ``fold`` instead.

    Raises TapeError for an entry about a thing that the job does not have.
    """
    made = state.copied()
    made.entries.append(entry)
    made.bench_s = max(made.bench_s, entry.bench_s)
    if entry.id not in made.voided or entry.said.done_for_good:
        entry.said.apply(made, entry)
    return made
