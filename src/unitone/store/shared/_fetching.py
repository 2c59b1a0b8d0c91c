"""From the server to a bench's copy: all that has changed since it last looked, in the order of the changes."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import Connection, Row, select, text

from unitone.store._search_words import SEARCHED, card_words, entry_words
from unitone.store.backend import Backend
from unitone.store.postgres.server import Server
from unitone.store.schema import Job, TapeEntry, Waiting
from unitone.store.shared import waiting
from unitone.store.statements import PUT_BLOB, PUT_ENTRY, PUT_JOB, PUT_SETTING, PUT_SNAPSHOT

#: Tables in an order in which a row finds what it names, their columns, and how many rows are taken at once.
_TABLES = {
    "meta": ("key, value", 500), "snapshot": ("hash, text", 50), "blob": ("hash, content", 4),
    "job": ("id, number, radio, status, updated, card, summary", 500),
    "entry": ("id, job_id, seq, kind, utc, bench_s, data", 1000),
}  # fmt: skip


def fetch(local: Backend, server: Server) -> set[str]:
    """Take over what is new; the jobs that it touches. Raises ServerAway: what came until then is kept."""
    touched: set[str] = set()
    with server.reading() as far:
        for table, (columns, most) in _TABLES.items():
            with local.reading() as connection:
                seen = int(waiting.value(connection, f"read_{table}", 0))
            asked = text(f"SELECT {columns}, change FROM {table} WHERE change > :seen ORDER BY change LIMIT {most}")
            while rows := far.execute(asked, {"seen": seen}).all():
                seen = rows[-1].change
                touched |= local.write(_taking(local, table, rows, seen))
    return touched


def fetch_job(local: Backend, server: Server, job_id: str) -> None:
    """One job as it stands at the server, with all that it names. Raises ServerAway."""
    with server.reading() as far:
        job = far.execute(text(f"SELECT {_TABLES['job'][0]} FROM job WHERE id = :id"), {"id": job_id}).all()
        entries = far.execute(
            text(f"SELECT {_TABLES['entry'][0]} FROM entry WHERE job_id = :id ORDER BY seq"), {"id": job_id}
        ).all()
        hashes = sorted({h for e in entries for h in _named(e.data)})
        texts = far.execute(text("SELECT hash, text FROM snapshot WHERE hash = ANY(:h)"), {"h": hashes}).all()
        blobs = far.execute(text("SELECT hash, content FROM blob WHERE hash = ANY(:h)"), {"h": hashes}).all()
    for table, rows in (("snapshot", texts), ("blob", blobs), ("job", job), ("entry", entries)):
        if rows:
            local.write(_taking(local, table, rows, None))


def _named(data: str) -> list[str]:
    """The texts and pictures that an entry names by their hash."""
    found = json.loads(data)
    if not isinstance(found, dict):
        return []
    hashes = [v for k, v in found.items() if k.endswith("_hash") and isinstance(v, str)]
    pictures = found.get("pictures")
    return hashes + ([h for h in pictures.values() if isinstance(h, str)] if isinstance(pictures, dict) else [])


def _taking(local: Backend, table: str, rows: Sequence[Row[Any]], seen: int | None) -> Callable[[Connection], set[str]]:
    plain = [{k: v for k, v in r._mapping.items() if k != "change"} for r in rows]

    def work(connection: Connection) -> set[str]:
        waiting.begin_fetching(connection)
        touched = _TAKERS[table](local, connection, plain)
        if seen is not None:
            waiting.keep(connection, f"read_{table}", seen)
        waiting.end_fetching(connection)
        return touched

    return work


def _queued(connection: Connection, what: str) -> set[str]:
    return {r[0] for r in connection.execute(select(Waiting.key).where(Waiting.what == what))}


def _take_meta(local: Backend, connection: Connection, rows: list[dict[str, Any]]) -> set[str]:
    """What was chosen here and waits to be sent is newer."""
    del local
    ours = _queued(connection, "meta")
    for r in rows:
        if r["key"] not in ours and r["key"] in waiting.SHARED_SETTINGS:
            connection.execute(text(PUT_SETTING), r)
    return set()


def _take_snapshot(local: Backend, connection: Connection, rows: list[dict[str, Any]]) -> set[str]:
    del local
    connection.execute(text(PUT_SNAPSHOT), rows)
    return set()


def _take_blob(local: Backend, connection: Connection, rows: list[dict[str, Any]]) -> set[str]:
    del local
    put = text(PUT_BLOB)
    connection.execute(put, [{**r, "content": bytes(r["content"])} for r in rows])
    return set()


def _take_job(local: Backend, connection: Connection, rows: list[dict[str, Any]]) -> set[str]:
    """The list's picture of a job that was changed here and waits to be sent is newer."""
    ours = _queued(connection, "job")
    here = {r[0] for r in connection.execute(select(Job.id).where(Job.id.in_([r["id"] for r in rows])))}
    put = text(PUT_JOB)
    taken = [r for r in rows if r["id"] not in ours]
    if taken:
        connection.execute(put, taken)
    for r in taken:
        if r["id"] not in here:
            local.index(connection, r["number"], card_words(r["number"], r["radio"], json.loads(r["card"])), new=True)
    return {r["id"] for r in taken}


def _take_entry(local: Backend, connection: Connection, rows: list[dict[str, Any]]) -> set[str]:
    """Entries that are here already (this bench's own come back, too) are passed over."""
    here = {r[0] for r in connection.execute(select(TapeEntry.id).where(TapeEntry.id.in_([r["id"] for r in rows])))}
    new = [r for r in rows if r["id"] not in here]
    if not new:
        return set()
    put = text(PUT_ENTRY)
    connection.execute(put, new)
    words: dict[str, list[str]] = {}
    for r in new:
        if r["kind"] in SEARCHED:
            words.setdefault(r["job_id"], []).append(entry_words(r["kind"], json.loads(r["data"])))
    for job_id, found in words.items():
        number = connection.execute(select(Job.number).where(Job.id == job_id)).scalar_one()
        local.index(connection, number, " ".join(found))
    return {r["job_id"] for r in new}


_TAKERS: dict[str, Callable[[Backend, Connection, list[dict[str, Any]]], set[str]]] = {
    "meta": _take_meta, "snapshot": _take_snapshot, "blob": _take_blob, "job": _take_job, "entry": _take_entry,
}  # fmt: skip
