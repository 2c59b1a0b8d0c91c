"""What the logbook knows besides a job itself: earlier jobs on the same radio, and what its model is known for here."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.job.fold import read
from unitone.job.history import LAST, facts, recurring
from unitone.store.logbook import Logbook
from unitone.store.rows import JobRow

#: Statuses of jobs whose radio was gone through.
DONE = ("finished", "handed over", "archived")


@dataclass(frozen=True)
class History:
    """Earlier jobs on this serial number (newest first), the last jobs of the model, and what recurs in them."""

    serial: tuple[JobRow, ...]
    model: tuple[JobRow, ...]
    recurring: tuple[tuple[str, int], ...]

    @property
    def of(self) -> int:
        """How many jobs the recurring things were counted in."""
        return len(self.model)


def history(book: Logbook, row: JobRow) -> History:
    """The history that a job has, computed from the logbook. Raises StoreError.

    The model's last five are jobs on the same sheet that were gone through before
    this one, whichever radio they were on.
    """
    serial = str(row.card.get("serial", "")).strip()
    same = tuple(r for r in book.like(serial=serial) if r.id != row.id) if serial else ()
    earlier = [
        r for r in book.like(sheet_id=row.card["sheet_id"], limit=60) if r.number < row.number and r.status in DONE
    ]
    model = tuple(earlier[:LAST])
    told = [r.summary["facts"] if "facts" in r.summary else facts(read(book.tape(r.id), r.id)) for r in model]
    return History(same, model, tuple(recurring(told)))
