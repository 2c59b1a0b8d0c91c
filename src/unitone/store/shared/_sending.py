"""From a bench's copy to the server: once, however often the wire breaks.

Entries have ids of their own, so that sending one twice keeps it once. Where another bench has taken a job over, what was
entered here since is not put among its entries: it is kept, whole, as a job of its own.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, delete, insert, select, text
from ulid import ULID

from unitone.job.entries import Entry
from unitone.job.entries.notes import Noted
from unitone.store._search_words import SEARCHED, card_words, entry_words
from unitone.store.backend import Backend
from unitone.store.postgres.server import Server
from unitone.store.schema import Blob, Job, Meta, Snapshot, TapeEntry, Waiting, dumps
from unitone.store.shared import waiting
from unitone.store.statements import PUT_BLOB, PUT_ENTRY, PUT_JOB, PUT_SETTING, PUT_SNAPSHOT
from unitone.words import tr

#: So much at once: a batch that breaks is sent again whole.
_AT_ONCE = 400


@dataclass
class _Rows:
    """What a batch says, read from the copy."""

    snapshots: list[dict[str, Any]] = field(default_factory=list)
    blobs: list[dict[str, Any]] = field(default_factory=list)
    meta: list[dict[str, Any]] = field(default_factory=list)
    jobs: list[dict[str, Any]] = field(default_factory=list)
    entries: list[dict[str, Any]] = field(default_factory=list)


@dataclass(frozen=True)
class Parted:
    """A job that went on at two benches, or had a number that another has: its id and number, and those under which this
    bench's side is kept."""

    job_id: str
    number: int
    kept_number: int
    kept_id: str


def send(
    local: Backend, server: Server, bench: str, number: Callable[[Connection], int], stamp: Callable[[], str]
) -> list[Parted]:
    """Send all that waits; the jobs that parted. ``number`` gives the next job number of this bench.

    Raises ServerAway: what was not sent still waits. StoreError where the server will not take it.
    """
    parted: list[Parted] = []
    while True:
        with local.reading() as connection:
            batch = waiting.oldest(connection, _AT_ONCE)
            rows = _read(connection, batch)
        if not batch.rows:
            return parted
        parted += _finish(local, batch, server.write(_putting(server, rows, bench)), number, stamp)


def _putting(server: Server, rows: _Rows, bench: str) -> Callable[[Connection], dict[str, list[str]]]:
    return lambda connection: _put(server, connection, rows, bench)


def _finish(
    local: Backend,
    batch: waiting.Batch,
    lost: dict[str, list[str]],
    number: Callable[[Connection], int],
    stamp: Callable[[], str],
) -> list[Parted]:
    """The batch waits no longer; what the server did not take is kept as jobs of their own."""

    def work(connection: Connection) -> list[Parted]:
        # The queue is shortened first: what is kept under a new number is queued anew.
        waiting.done(connection, batch)
        return [_part(local, connection, job, ids, number(connection), stamp()) for job, ids in lost.items()]

    return local.write(work)


def _read(connection: Connection, batch: waiting.Batch) -> _Rows:
    def those(table: Any, key: Any, what: str) -> list[dict[str, Any]]:
        keys = batch.keys.get(what, [])
        return (
            [dict(r._mapping) for r in connection.execute(select(*table.__table__.columns).where(key.in_(keys)))]
            if keys
            else []
        )

    return _Rows(
        those(Snapshot, Snapshot.hash, "snapshot"), those(Blob, Blob.hash, "blob"), those(Meta, Meta.key, "meta"),
        those(Job, Job.id, "job"), sorted(those(TapeEntry, TapeEntry.id, "entry"), key=lambda e: (e["job_id"], e["seq"])),
    )  # fmt: skip


def _put(server: Server, connection: Connection, rows: _Rows, bench: str) -> dict[str, list[str]]:
    """Put a batch down at the server; the entries that it does not take, by job: another bench has that job."""
    for r in rows.snapshots:
        connection.execute(text(PUT_SNAPSHOT), r)
    for r in rows.blobs:
        connection.execute(text(PUT_BLOB), r)
    for r in rows.meta:
        connection.execute(
            text(PUT_SETTING),
            {"key": r["key"], "value": dumps(r["value"])},
        )  # fmt: skip
    named = sorted({r["id"] for r in rows.jobs} | {e["job_id"] for e in rows.entries})
    asked = text("SELECT job_id FROM held WHERE job_id = ANY(:jobs) AND bench <> :bench")
    elsewhere = {r[0] for r in connection.execute(asked, {"jobs": named, "bench": bench})}
    for r in rows.jobs:
        if r["id"] not in elsewhere and not _put_job(server, connection, r):
            elsewhere.add(r["id"])
    entries = [e for e in rows.entries if e["job_id"] not in elsewhere]
    if entries:
        connection.execute(
            text(PUT_ENTRY),
            [{**e, "data": dumps(e["data"])} for e in entries],
        )
    kept = text("SELECT id FROM entry WHERE id = ANY(:ids)")
    there = {r[0] for r in connection.execute(kept, {"ids": [e["id"] for e in entries]})}
    lost: dict[str, list[str]] = {}
    for e in rows.entries:
        if e["id"] not in there:
            lost.setdefault(e["job_id"], []).append(e["id"])
    _index(server, connection, [e for e in entries if e["id"] in there])
    return lost


def _put_job(server: Server, connection: Connection, r: dict[str, Any]) -> bool:
    """Put a job's row down; False where another job has its number there."""
    asked = text("SELECT 1 FROM job WHERE number = :number AND id <> :id")
    if connection.execute(asked, {"number": r["number"], "id": r["id"]}).first() is not None:
        return False
    connection.execute(
        text(PUT_JOB),
        {**r, "card": dumps(r["card"]), "summary": dumps(r["summary"])},
    )
    server.index(connection, r["number"], card_words(r["number"], r["radio"], r["card"]))
    return True


def _index(server: Server, connection: Connection, entries: list[dict[str, Any]]) -> None:
    words: dict[str, list[str]] = {}
    for e in entries:
        if e["kind"] in SEARCHED and isinstance(e["data"], dict):
            words.setdefault(e["job_id"], []).append(entry_words(e["kind"], e["data"]))
    for job_id, found in words.items():
        number = connection.execute(text("SELECT number FROM job WHERE id = :id"), {"id": job_id}).scalar_one()
        server.index(connection, number, " ".join(found))


def _part(
    local: Backend, connection: Connection, job_id: str, not_taken: Sequence[str], number: int, when: str
) -> Parted:
    """This bench's side of a job becomes a job of its own; the entries that the server does not have go from the other."""
    row = dict(connection.execute(select(*Job.__table__.columns).where(Job.id == job_id)).one()._mapping)
    asked = select(*TapeEntry.__table__.columns).where(TapeEntry.job_id == job_id).order_by(TapeEntry.seq)
    entries = [dict(r._mapping) for r in connection.execute(asked)]
    queued = {r[0] for r in connection.execute(select(Waiting.key).where(Waiting.what == "entry"))}
    ours = [e["id"] for e in entries if e["id"] in queued or e["id"] in not_taken]
    old, kept_id = row["number"], str(ULID())
    card = {**row["card"], "number": number}
    connection.execute(insert(Job).values(**{**row, "id": kept_id, "number": number, "card": card, "updated": when}))
    local.index(connection, number, card_words(number, row["radio"], card), new=True)
    opening, last = entries[0], entries[-1]
    opening["data"] = {**opening["data"], "card": {**opening["data"]["card"], "number": number}}
    if len(ours) == len(entries):
        words = tr("This was job {old:04d} until the server had another job of that number.", old=old)
    else:
        words = tr("Job {old:04d} as it went on at this bench while another bench had taken it over.", old=old)
    note = Entry("", last["seq"] + 1, when, last["bench_s"], Noted(words)).to_data()
    made = [{**e, "id": str(ULID()), "job_id": kept_id} for e in [*entries, note]]
    connection.execute(insert(TapeEntry), made)
    for e in made:
        if e["kind"] in SEARCHED:
            local.index(connection, number, entry_words(str(e["kind"]), e["data"]))
    connection.execute(delete(Waiting).where(Waiting.what == "entry", Waiting.key.in_(ours)))
    connection.execute(delete(Waiting).where(Waiting.what == "job", Waiting.key == job_id))
    connection.execute(delete(TapeEntry).where(TapeEntry.id.in_(ours)))
    if len(ours) == len(entries):
        connection.execute(delete(Job).where(Job.id == job_id))
        local.forget(connection, old)
    return Parted(job_id, old, number, kept_id)
