"""What keeps a logbook's tables, as a narrow protocol: a file (``sqlite``) or a server (``postgres``)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any, Protocol, TypeVar

from sqlalchemy import Connection, TextClause

Result = TypeVar("Result")
#: An entry as it is kept: id, number, kind, UTC, bench time in s, data as JSON's text.
KeptEntry = tuple[str, int, str, str, float, str]


class Backend(Protocol):
    """Transactions, and the questions that each engine answers in a way of its own."""

    @property
    def folder(self) -> Path | None:
        """The workshop's folder; None where there is none."""
        ...

    @property
    def notice(self) -> str:
        """What was put right while opening; empty where nothing was."""
        ...

    def reading(self) -> AbstractContextManager[Connection]:
        """A connection for reading. Raises StoreError."""
        ...

    def write(self, work: Callable[[Connection], Result]) -> Result:
        """Run ``work`` in one transaction; on return it is kept. Raises StoreError, and what ``work`` raises."""
        ...

    def next_number(self, connection: Connection) -> int:
        """The number that the next job gets."""
        ...

    def may_use(self, connection: Connection, number: int) -> bool:
        """Is a number that no job has free for this logbook, or set aside for somebody else's?"""
        ...

    def index(self, connection: Connection, number: int, words: str, new: bool = False) -> None:
        """Add words to a job's row in the search index."""
        ...

    def forget(self, connection: Connection, number: int) -> None:
        """Take a job out of the search index."""
        ...

    def holding(self, words: Iterable[str]) -> tuple[TextClause, Mapping[str, Any]]:
        """A query for the numbers of the jobs whose text holds every word, each from its beginning; and its values."""
        ...

    def tape(self, connection: Connection, job_id: str) -> list[KeptEntry]:
        """All entries of a job in order."""
        ...

    def on_card(self, key: str) -> str:
        """What stands for ``serial`` or ``sheet_id`` of a card in a query."""
        ...

    def integrity(self, connection: Connection) -> str:
        """``ok``, or what is wrong."""
        ...

    def close(self) -> None:
        """Write what is waiting and let go."""
        ...
