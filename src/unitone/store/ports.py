"""What the rest of the program asks of a store, as narrow protocols. A file (SQLite) and a server (PostgreSQL) stand behind them.

``tests/store/test_contract.py`` is the contract: whatever stands behind these passes it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
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


@dataclass(frozen=True)
class Holder:
    """Who has a job open: the bench's name, since when (UTC), and when it was last heard of (UTC)."""

    bench: str
    since: str
    heard: str


@dataclass(frozen=True)
class SharingStatus:
    """How this bench stands with the server: since when it is away (UTC; empty while it answers), why, and how many
    entries and other changes wait to be sent."""

    server: str
    away_since: str = ""
    why: str = ""
    waiting: int = 0


class Sharing(Protocol):
    """A logbook that several benches share, seen from one of them: who works on which job, what waits to be sent."""

    #: Called, in a thread of its own, when jobs came from other benches or went to them, or the status changed.
    on_change: Callable[[], None] | None

    def wake(self) -> None:
        """Something was written here: send it soon."""
        ...

    def owns(self, number: int) -> bool:
        """Is this one of the job numbers set aside for this bench?"""
        ...

    def next_number(self) -> int:
        """The next of the numbers set aside for this bench. Raises StoreError when none is left and the server is away."""
        ...

    def refusal(self, job_id: str) -> str:
        """Why this bench may not write to a job; empty where it may. Takes the job where nobody has it."""
        ...

    def open_job(self, job_id: str) -> str:
        """Take a job to this bench and bring its log up to date; why it can only be looked at, empty where it is taken."""
        ...

    def leave_job(self, job_id: str) -> None:
        """Give a job back, once all of it is sent."""
        ...

    def take_over(self, job_id: str) -> None:
        """Take a job from the bench that has it: what that bench logged comes first. Raises StoreError."""
        ...

    def held(self) -> Mapping[str, Holder]:
        """The jobs that other benches have open."""
        ...

    def status(self) -> SharingStatus:
        """How things stand with the server."""
        ...

    def notices(self) -> list[str]:
        """What happened since it was last asked that somebody at this bench should read; each is told once."""
        ...

    def exchange(self) -> None:
        """Send what waits and fetch what is new, now. Raises StoreError where the server is away."""
        ...

    def close(self) -> None:
        """Send what can be sent at once, give the jobs back, let go."""
        ...
