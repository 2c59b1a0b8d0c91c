"""What a bench's copy of a shared logbook has not sent yet.

SQLite itself puts down each row that is written, in the same transaction (triggers): nothing can be written and forgotten.
Rows that come from the server are not put down.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select, text

from unitone.store.schema import Link, Waiting

#: Settings that belong to the workshop, not to a bench: they are shared, and the last word wins.
SHARED_SETTINGS = ("workshop", "head", "cost")
_HERE = "NOT EXISTS (SELECT 1 FROM link WHERE key = 'fetching')"
_FETCHING = "fetching"


def prepare(connection: Connection) -> None:
    """Put down from now on what is written."""
    named = ", ".join(f"'{s}'" for s in SHARED_SETTINGS)
    for table, key, changes, more in (
        ("snapshot", "hash", ("INSERT",), ""), ("blob", "hash", ("INSERT",), ""),
        ("job", "id", ("INSERT", "UPDATE"), ""), ("entry", "id", ("INSERT",), ""),
        ("meta", "key", ("INSERT", "UPDATE"), f" AND NEW.key IN ({named})"),
    ):  # fmt: skip
        for change in changes:
            connection.execute(
                text(
                    f"CREATE TRIGGER IF NOT EXISTS waits_{table}_{change.lower()} AFTER {change} ON {table} "
                    f"WHEN {_HERE}{more} BEGIN INSERT INTO waiting (what, key) VALUES ('{table}', NEW.{key}); END"
                )
            )


def begin_fetching(connection: Connection) -> None:
    """What this transaction writes comes from the server."""
    keep(connection, _FETCHING, True)


def end_fetching(connection: Connection) -> None:
    """From here on it is written here again."""
    connection.execute(delete(Link).where(Link.key == _FETCHING))


def value(connection: Connection, key: str, default: Any = None) -> Any:
    """What the copy knows of itself."""
    row = connection.execute(select(Link.value).where(Link.key == key)).first()
    return default if row is None else row[0]


def keep(connection: Connection, key: str, what: Any) -> None:
    """Keep it."""
    connection.execute(delete(Link).where(Link.key == key))
    connection.execute(insert(Link).values(key=key, value=what))


@dataclass(frozen=True)
class Batch:
    """The oldest that waits: keys by table in their order, each once, and the rows of the queue that stand for them."""

    rows: tuple[int, ...] = ()
    keys: dict[str, list[str]] = field(default_factory=dict)


def oldest(connection: Connection, most: int) -> Batch:
    """At most so many rows of the queue."""
    found = connection.execute(select(Waiting.id, Waiting.what, Waiting.key).order_by(Waiting.id).limit(most)).all()
    keys: dict[str, dict[str, None]] = {}
    for _, what, key in found:
        keys.setdefault(what, {})[key] = None
    return Batch(tuple(r[0] for r in found), {what: list(k) for what, k in keys.items()})


def done(connection: Connection, batch: Batch) -> None:
    """It was sent."""
    if batch.rows:
        connection.execute(delete(Waiting).where(Waiting.id >= batch.rows[0], Waiting.id <= batch.rows[-1]))


def count(connection: Connection) -> int:
    """How many things wait: entries, jobs, pictures, settings, each once."""
    asked = select(Waiting.what, Waiting.key).distinct().subquery()
    return int(connection.execute(select(func.count()).select_from(asked)).scalar_one())
