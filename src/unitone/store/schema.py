"""The logbook's tables."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import (
    JSON,
    Dialect,
    Double,
    ForeignKey,
    Index,
    LargeBinary,
    String,
    Text,
    TypeDecorator,
    UniqueConstraint,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
from sqlalchemy.types import TypeEngine

#: The newest migration in store/sqlite/migrations: what a logbook made today is stamped with.
HEAD = "0005"


class Damaged:
    """Stands for JSON in the file that cannot be read any more."""


DAMAGED = Damaged()


def dumps(value: Any) -> str:
    """JSON as it is kept: every letter as itself, no number that is none. Raises ValueError."""
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


class KeptJson(TypeDecorator[Any]):
    """JSON whose damage in one place does not keep the rest from being read: it comes back as ``DAMAGED``.

    Kept as its text on either engine, to the letter.
    """

    impl = JSON
    cache_ok = True

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        """A server keeps the text: its own kind of JSON would order keys anew, and knows no zero character."""
        return dialect.type_descriptor(Text() if dialect.name == "postgresql" else JSON())

    def bind_processor(self, dialect: Dialect) -> Any:
        """Write JSON's text."""
        del dialect
        return dumps

    def result_processor(self, dialect: Dialect, coltype: object) -> Any:
        """Read JSON's text; what is no JSON is ``DAMAGED``."""
        del dialect, coltype

        def process(value: Any) -> Any:
            # SQLite keeps a bare number in a column of this kind as a number (its "numeric affinity").
            if value is None or isinstance(value, int | float):
                return value
            try:
                return json.loads(value)
            except (ValueError, TypeError, RecursionError):
                return DAMAGED

        return process


class Base(DeclarativeBase):
    """All tables of a logbook."""


class Meta(Base):
    """Settings of the workshop and of the window, by key."""

    __tablename__ = "meta"
    key: Mapped[str] = mapped_column(String(80), primary_key=True)
    value: Mapped[Any] = mapped_column(KeptJson)


class Snapshot(Base):
    """Texts that many jobs share (sheets, physics files), by their SHA-256."""

    __tablename__ = "snapshot"
    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    text: Mapped[str] = mapped_column(Text)


class Blob(Base):
    """Pictures that jobs carry, by the SHA-256 of their content."""

    __tablename__ = "blob"
    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    content: Mapped[bytes] = mapped_column(LargeBinary)


class Job(Base):
    """A job: its card, and a summary of its state kept for the list (the tape alone is the truth)."""

    __tablename__ = "job"
    id: Mapped[str] = mapped_column(String(26), primary_key=True)
    number: Mapped[int] = mapped_column(unique=True)
    radio: Mapped[str] = mapped_column(Text)
    status: Mapped[str] = mapped_column(String(20), default="open")
    updated: Mapped[str] = mapped_column(String(32))
    card: Mapped[Any] = mapped_column(KeptJson)
    summary: Mapped[Any] = mapped_column(KeptJson)

    __table_args__ = (Index("job_status", "status", "number"),)


class TapeEntry(Base):
    """One entry of a job's tape. Rows are only ever added."""

    __tablename__ = "entry"
    id: Mapped[str] = mapped_column(String(26), primary_key=True)
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"))
    seq: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    utc: Mapped[str] = mapped_column(String(32))
    bench_s: Mapped[float] = mapped_column(Double)
    data: Mapped[Any] = mapped_column(KeptJson)

    __table_args__ = (UniqueConstraint("job_id", "seq", name="entry_once"),)


class Waiting(Base):
    """What a bench's copy of a shared logbook has not sent yet, in the order in which it was written (``shared.waiting``)."""

    __tablename__ = "waiting"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    what: Mapped[str] = mapped_column(String(10))
    key: Mapped[str] = mapped_column(String(80))


class Link(Base):
    """What such a copy knows of itself: who it is, how far it has read, which numbers are its own."""

    __tablename__ = "link"
    key: Mapped[str] = mapped_column(String(80), primary_key=True)
    value: Mapped[Any] = mapped_column(KeptJson)


#: Full-text search: one row a job with all its words; its rowid is the job's number.
SEARCH_TABLE = "CREATE VIRTUAL TABLE job_words USING fts5(words)"
#: Serial number and sheet stand inside the card: expression indexes, asked for in the same words (``Logbook.like``).
LIKE_INDEXES = (
    "CREATE INDEX IF NOT EXISTS job_serial ON job (json_extract(card, '$.serial'), number)",
    "CREATE INDEX IF NOT EXISTS job_sheet ON job (json_extract(card, '$.sheet_id'), number)",
)
