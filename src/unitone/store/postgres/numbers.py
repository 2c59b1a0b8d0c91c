"""Job numbers at a server: one after another for all benches, and a few set aside for each bench while the server is away."""

from __future__ import annotations

from sqlalchemy import Connection, text

#: So many are set aside for a bench, from the next full thousand on: they are seen to be made while the server was away.
BLOCK = 20
_THOUSAND = 1000


def next_free(connection: Connection) -> int:
    """The number after the highest; those set aside for a bench that is cut off are passed over."""
    blocks = [
        (r[0], r[1])
        for r in connection.execute(text("SELECT first, last FROM set_aside WHERE last > first ORDER BY first"))
    ]
    asked = text(
        "SELECT greatest((SELECT max(number) FROM job WHERE NOT EXISTS (SELECT 1 FROM set_aside "
        "WHERE last > first AND number BETWEEN first AND last)), (SELECT max(last) FROM set_aside WHERE last = first), 0) + 1"
    )
    number = int(connection.execute(asked).scalar_one())
    for first, last in blocks:
        if first <= number <= last:
            number = last + 1
    return number


def take_one(connection: Connection, bench: str) -> int:
    """The next number, for this bench alone."""
    number = next_free(connection)
    _keep(connection, bench, number, number)
    return number


def take_block(connection: Connection, bench: str) -> tuple[int, int]:
    """``BLOCK`` numbers for this bench: the first and the last."""
    highest = int(
        connection.execute(text("SELECT coalesce(max(last), 0) FROM set_aside WHERE last > first")).scalar_one()
    )
    full = -(-next_free(connection) // _THOUSAND) * _THOUSAND
    first = max(highest, full) + 1
    _keep(connection, bench, first, first + BLOCK - 1)
    return first, first + BLOCK - 1


def _keep(connection: Connection, bench: str, first: int, last: int) -> None:
    put = text("INSERT INTO set_aside (first, last, bench) VALUES (:first, :last, :bench)")
    connection.execute(put, {"first": first, "last": last, "bench": bench})
