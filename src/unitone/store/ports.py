"""What the rest of the program asks of a store, as narrow protocols. SQLite (``logbook``) is one store behind them.

``tests/store/test_contract.py`` is the contract: whatever stands behind these passes it.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, Protocol

from unitone.job.card import Card
from unitone.job.entries import Entry, Said
from unitone.job.entries.opening import Opened
from unitone.store.rows import JobRow


class TapeStore(Protocol):
    """Logs: append-only, one committed entry at a time, each number once."""

    def create_job(self, card: Card, radio: str, opening: Opened, utc: str | None = None) -> str:
        """A new job with its opening entry; returns its id. Raises StoreError when the number is taken."""
        ...

    def append(self, job_id: str, said: Said, bench_s: float, seq: int, utc: str | None = None) -> Entry:
        """Commit one entry as number ``seq`` of the job; on return it is kept. Raises StoreError."""
        ...

    def tape(self, job_id: str) -> list[Entry]:
        """All entries of a job in order; one whose data are damaged says so. Raises StoreError where there is no such job."""
        ...


class JobIndex(Protocol):
    """The list of jobs: a copy of what their logs say, that can be searched."""

    def next_number(self) -> int:
        """The number that the next job gets."""
        ...

    def jobs(
        self, find: str = "", status: str | Sequence[str] = (), limit: int | None = None, offset: int = 0
    ) -> list[JobRow]:
        """The jobs, newest number first; those whose text holds every word of ``find``, those in a status (or several)."""
        ...

    def counts(self) -> dict[str, int]:
        """How many jobs are in each status."""
        ...

    def find_job(self, name: str) -> JobRow | None:
        """The job of that number or id; None when there is none."""
        ...

    def like(self, sheet_id: str = "", serial: str = "", limit: int = 50) -> list[JobRow]:
        """Jobs on the same sheet or of the same serial number, newest first."""
        ...

    def put_summary(
        self, job_id: str, status: str, summary: dict[str, Any], utc: str | None = None, card: Card | None = None
    ) -> None:
        """Keep the list's picture of a job."""


class BlobStore(Protocol):
    """Pictures, by what they are: the same one is kept once."""

    def put_blob(self, content: bytes) -> str:
        """Keep a content; returns its SHA-256, by which it is found again."""
        ...

    def blob(self, hashed: str) -> bytes:
        """The content of that hash. Raises StoreError where it is missing."""
        ...


class Settings(Protocol):
    """The workshop's own choices, as plain data by name."""

    def setting(self, key: str, default: Any = None) -> Any:
        """A setting, or the default."""

    def set_setting(self, key: str, value: Any) -> None:
        """Keep a setting."""


class Store(TapeStore, JobIndex, BlobStore, Settings, Protocol):
    """All of it: what a session works on. ``folder`` is where the workshop's own sheets lie; None for a store in memory."""

    @property
    def folder(self) -> Path | None:
        """The workshop's folder."""
