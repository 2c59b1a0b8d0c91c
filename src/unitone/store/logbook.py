"""The workshop's logbook: jobs, logs, pictures and settings, one committed entry at a time."""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import AbstractContextManager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Integer, Row, func, insert, select, text, update
from sqlalchemy.exc import IntegrityError
from ulid import ULID

from unitone.collector import resting
from unitone.errors import StoreError
from unitone.job.card import Card
from unitone.job.entries import Entry, Said, from_data, reads
from unitone.job.entries.notes import Damaged
from unitone.job.entries.opening import Opened
from unitone.job.summary import in_todays_terms
from unitone.quantities.older_names import KEYS, in_todays_names
from unitone.store._search_words import SEARCHED, card_words, entry_words, search_words
from unitone.store.backend import Backend, Result
from unitone.store.ports import Sharing
from unitone.store.rows import JobRow
from unitone.store.schema import DAMAGED, Blob, Job, Meta, Snapshot, TapeEntry, dumps
from unitone.store.sqlite.file import SqliteFile
from unitone.store.statements import PUT_BLOB, PUT_SETTING, PUT_SNAPSHOT
from unitone.words import tr

_SNAPSHOTS = ("sheet", "physics")
#: Kinds of entries whose texts are kept once for all jobs.
_WITH_TEXTS = frozenset({"open", "variant"})


def utc_now() -> str:
    """UTC in ISO 8601 to the millisecond."""
    return datetime.now(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


class Logbook:
    """One logbook: in a folder, in memory (for programs that keep nothing), or behind what ``place`` is.

    Opening a folder for writing takes its lock, which the system gives back when the process ends, however it ends.
    Raises LogbookBusy when another window has it and StoreError when the folder, file or server cannot be used.
    """

    def __init__(self, place: Path | Backend | None, read_only: bool = False) -> None:
        self._backend: Backend = SqliteFile(place, read_only) if place is None or isinstance(place, Path) else place
        self.folder = self._backend.folder
        self.frozen = ""
        #: What was put right while opening, for the window to tell; empty where nothing was.
        self.notice = self._backend.notice
        #: The other benches, where this logbook is shared with any.
        self.sharing: Sharing | None = None
        self._closed = False

    def _write(self, work: Callable[[Connection], Result]) -> Result:
        """Run ``work`` in one transaction, wait until it is committed."""
        if self._closed:
            raise StoreError(tr("The logbook is closed."))
        if self.frozen:
            raise StoreError(self.frozen)
        result = self._backend.write(work)
        if self.sharing is not None:
            self.sharing.wake()
        return result

    def freeze(self, why: str) -> None:
        """From here on nothing is written: every attempt raises StoreError with these words."""
        self.frozen = why

    def _reading(self) -> AbstractContextManager[Connection]:
        """A connection for reading. Raises DamagedLogbook where a file cannot be read on, StoreError."""
        return self._backend.reading()

    # -- jobs and tapes ------------------------------------------------------------------------

    def next_number(self) -> int:
        """The number that the next job gets."""
        if self.sharing is not None:
            return self.sharing.next_number()
        with self._reading() as connection:
            return self._backend.next_number(connection)

    def _is_ours(self, number: int, connection: Connection) -> bool:
        """May a job of this bench have that number, as far as the other benches go?"""
        if self.sharing is not None:
            return self.sharing.owns(number)
        return self._backend.may_use(connection, number)

    def number_is_free(self, number: int) -> bool:
        """May a job taken in keep its number?"""
        if self.find_job(str(number)) is not None:
            return False
        with self._reading() as connection:
            return self._is_ours(number, connection)

    def create_job(self, card: Card, radio: str, opening: Opened, utc: str | None = None) -> str:
        """A new job with its opening entry; returns its ULID. Raises StoreError when the number is taken."""
        job_id, when = str(ULID()), utc or utc_now()

        def work(connection: Connection) -> str:
            taken = connection.execute(select(Job.id).where(Job.number == card.number)).first()
            if taken is not None or not self._is_ours(card.number, connection):
                raise StoreError(tr("Job {number} exists already.", number=card.number))
            row = {"id": job_id, "number": card.number, "radio": radio, "status": "open", "updated": when,
                   "card": card.to_data(), "summary": {}}  # fmt: skip
            connection.execute(insert(Job).values(**row))
            entry = Entry(str(ULID()), 1, when, 0.0, opening).to_data()
            kept = {**entry, "data": _with_hashes(connection, entry["data"])}
            connection.execute(insert(TapeEntry).values(job_id=job_id, **kept))
            self._backend.index(connection, card.number, card_words(card.number, radio, card.to_data()), new=True)
            return job_id

        return self._write(work)

    def append(self, job_id: str, said: Said, bench_s: float, seq: int, utc: str | None = None) -> Entry:
        """Commit one entry as number ``seq`` of the job; on return it is on disk. Raises StoreError."""
        if self.sharing is not None and (words := self.sharing.refusal(job_id)):
            raise StoreError(words)
        entry = Entry(str(ULID()), seq, utc or utc_now(), bench_s, said)

        def work(connection: Connection) -> Entry:
            kept = entry.to_data()
            data = kept["data"]
            if "sheet_text" in data:
                kept["data"] = _with_hashes(connection, data)
            connection.execute(insert(TapeEntry).values(job_id=job_id, **kept))
            if said.kind in SEARCHED:
                number = connection.execute(select(Job.number).where(Job.id == job_id)).scalar_one()
                self._backend.index(connection, number, entry_words(said.kind, data))
            return entry

        try:
            return self._write(work)
        except IntegrityError:
            raise StoreError(
                tr("Entry {seq} of this job is in the logbook already. Open the job again to see it.", seq=seq)
            ) from None

    def put_summary(
        self, job_id: str, status: str, summary: dict[str, Any], utc: str | None = None, card: Card | None = None
    ) -> None:
        """Keep the list's picture of a job; it is only a copy of what its tape says."""
        values: dict[str, Any] = {"status": status, "summary": summary, "updated": utc or utc_now()}
        if card is not None:
            values["card"] = card.to_data()
        self._write(
            lambda connection: connection.execute(update(Job).where(Job.id == job_id).values(**values)) and None
        )

    def tape(self, job_id: str) -> list[Entry]:
        """All entries of a job in order; one whose data are damaged says so (``Damaged``). Raises StoreError, TapeError."""
        with self._reading() as connection, resting():
            rows = self._backend.tape(connection, job_id)
            if not rows:
                raise StoreError(tr("The logbook has no job {job_id}.", job_id=job_id))
            return [
                Entry(
                    id_, seq, utc, bench_s,
                    reads(kind, data) if kind not in _WITH_TEXTS else _with_texts(connection, kind, data),
                )
                for id_, seq, kind, utc, bench_s, data in rows
            ]  # fmt: skip

    def jobs(
        self, find: str = "", status: str | Sequence[str] = (), limit: int | None = None, offset: int = 0
    ) -> list[JobRow]:
        """The jobs, newest number first; those whose text holds every word of ``find``, those in a status (or several)."""
        wanted = [status] if isinstance(status, str) and status else list(status)
        words = search_words(find)
        given: Mapping[str, Any] = {}
        query = select(Job.number)
        if words:
            found, given = self._backend.holding(words)
            query = query.where(Job.number.in_(found.columns(number=Integer)))
        if wanted:
            query = query.where(Job.status.in_(wanted))
        # Numbers first, from an index alone: the rows behind them are large, and only a page of them is wanted.
        numbers = query.order_by(Job.number.desc()).offset(offset)
        if limit is not None:
            numbers = numbers.limit(limit)
        rows = select(Job).where(Job.number.in_(numbers.scalar_subquery())).order_by(Job.number.desc())
        with self._reading() as connection:
            return self._rows(connection.execute(rows, dict(given)))

    def counts(self) -> dict[str, int]:
        """How many jobs there are in each status."""
        query = select(Job.status, func.count()).group_by(Job.status)
        with self._reading() as connection:
            return {str(status): int(n) for status, n in connection.execute(query)}

    def like(self, sheet_id: str = "", serial: str = "", limit: int = 50) -> list[JobRow]:
        """Jobs on a sheet, or on a radio of that serial number, the newest first."""
        query = select(Job).order_by(Job.number.desc()).limit(limit)
        if sheet_id:
            query = query.where(text(f"{self._backend.on_card('sheet_id')} = :sheet_id"))
        if serial:
            query = query.where(text(f"{self._backend.on_card('serial')} = :serial"))
        given = {k: v for k, v in (("sheet_id", sheet_id), ("serial", serial)) if v}
        with self._reading() as connection:
            return self._rows(connection.execute(query, given))

    def find_job(self, name: str) -> JobRow | None:
        """The job of that number or id, None where there is none."""
        # A number that SQLite cannot hold is no job's.
        number = int(name) if name.isascii() and name.isdigit() and len(name) < 18 else None
        key = Job.number == number if number is not None else Job.id == name
        with self._reading() as connection:
            r = connection.execute(select(Job).where(key)).first()
        return None if r is None else self._rows([r])[0]

    def _rows(self, rows: Iterable[Row[Any]]) -> list[JobRow]:
        held = self.sharing.held() if self.sharing is not None else {}
        return [_row(r, held[r.id].bench if r.id in held else "") for r in rows]

    def job(self, name: str) -> JobRow:
        """The job of that number or id. Raises StoreError when there is none."""
        found = self.find_job(name)
        if found is None:
            raise StoreError(tr("The logbook has no job {name}. List them with: unitone jobs", name=name))
        return found

    def export_job(self, job_id: str) -> dict[str, Any]:
        """A job with its tape and its pictures as plain data."""
        row, tape = self.job(job_id), [e.to_data() for e in self.tape(job_id)]
        hashes = {h for e in tape for h in e["data"].get("pictures", {}).values()}
        pictures = {h: base64.b64encode(self.blob(h)).decode() for h in sorted(hashes)}
        return {"job": row.to_data(), "tape": tape, **({"pictures": pictures} if pictures else {})}

    def export_jobs(self) -> list[dict[str, Any]]:
        """Every job with its tape as plain data (texts that jobs share stand in each opening entry's job once)."""
        return [self.export_job(row.id) for row in reversed(self.jobs())]

    def import_jobs(self, jobs: list[dict[str, Any]]) -> None:
        """Take jobs from ``export_jobs`` in one transaction. Raises StoreError when one of them is here already."""

        def work(connection: Connection) -> None:
            for item in jobs:
                row = item["job"]
                taken = connection.execute(
                    select(Job.id).where((Job.number == row["number"]) | (Job.id == row["id"]))
                ).first()
                if taken is not None:
                    raise StoreError(tr("Job {row} exists already. Nothing was taken over.", row=row["number"]))
                connection.execute(insert(Job).values(**row))
                spoken = _add_entries(connection, row["id"], item["tape"], item.get("pictures", {}))
                words = " ".join([card_words(row["number"], row["radio"], row["card"]), *spoken])
                self._backend.index(connection, row["number"], words, new=True)

        self._write(work)

    def extend_job(self, item: dict[str, Any], after: int) -> None:
        """Add the entries of a job from ``export_job`` that come after number ``after``: here it has gone no further."""
        row = item["job"]

        def work(connection: Connection) -> None:
            added = [e for e in item["tape"] if e["seq"] > after]
            spoken = _add_entries(connection, row["id"], added, item.get("pictures", {}))
            number = connection.execute(select(Job.number).where(Job.id == row["id"])).scalar_one()
            self._backend.index(connection, number, " ".join(spoken))
            # The number that it has here stays.
            kept = {**row, "number": number, "card": {**row["card"], "number": number}}
            connection.execute(update(Job).where(Job.id == row["id"]).values(**kept))

        self._write(work)

    def entries_here(self, ids: Sequence[str]) -> int:
        """How many entries of these ids the logbook has already."""
        found = 0
        with self._reading() as connection:
            for at in range(0, len(ids), 500):
                some = select(func.count()).where(TapeEntry.id.in_(ids[at : at + 500]))
                found += int(connection.execute(some).scalar_one())
        return found

    # -- pictures -------------------------------------------------------------------------------

    def put_blob(self, content: bytes) -> str:
        """Keep a picture's content; returns its SHA-256, by which it is found again."""
        hashed = hashlib.sha256(content).hexdigest()
        self._write(lambda connection: _keep_blob(connection, hashed, content))
        return hashed

    def blob(self, hashed: str) -> bytes:
        """The content of that hash. Raises StoreError where it is missing."""
        with self._reading() as connection:
            row = connection.execute(select(Blob.content).where(Blob.hash == hashed)).first()
        if row is None:
            raise StoreError(tr("A picture of this job is missing from the logbook. Restore a backup."))
        return bytes(row[0])

    # -- settings --------------------------------------------------------------------------------

    def setting(self, key: str, default: Any = None) -> Any:
        """A setting of the workshop; one of an earlier version is found under its name of today."""
        keys = [key, *(old for old, new in KEYS.items() if new == key)]
        with self._reading() as connection:
            rows = {r[0]: r[1] for r in connection.execute(select(Meta.key, Meta.value).where(Meta.key.in_(keys)))}
        value = next((rows[k] for k in keys if k in rows), DAMAGED)
        return default if value is DAMAGED else in_todays_names(value)[0]

    def set_setting(self, key: str, value: Any) -> None:
        """Keep a setting of the workshop."""

        def work(connection: Connection) -> None:
            connection.execute(text(PUT_SETTING), {"key": key, "value": dumps(value)})

        self._write(work)

    def integrity(self) -> str:
        """The engine's own integrity check: ``ok`` or what is wrong."""
        with self._reading() as connection:
            return self._backend.integrity(connection)

    def close(self) -> None:
        """Write what is waiting and let go. Closing twice does no harm."""
        if self._closed:
            return
        if self.sharing is not None:
            self.sharing.close()
        self._closed = True
        self._backend.close()

    def __enter__(self) -> Logbook:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


def _row(r: Row[Any], held: str) -> JobRow:
    # Only a copy of what the log says: a damaged one costs the list a line's words, not the list.
    card = r.card if isinstance(r.card, dict) else {}
    card = {**Card(r.number, "", complaint="" if card else "(the card of this job is damaged)").to_data(), **card}
    return JobRow(
        r.id,
        r.number,
        r.radio,
        r.status,
        r.updated,
        card,
        in_todays_terms(r.summary) if isinstance(r.summary, dict) else {},
        held,
    )


def _keep_blob(connection: Connection, hashed: str, content: bytes) -> None:
    connection.execute(text(PUT_BLOB), {"hash": hashed, "content": content})


def _add_entries(
    connection: Connection, job_id: str, tape: list[dict[str, Any]], pictures: dict[str, str]
) -> list[str]:
    """Put down entries as plain data, with what they name; the words that a search finds in them."""
    entries = [{**e, "job_id": job_id} for e in tape]
    entries = [{**e, "data": _with_hashes(connection, e["data"])} if "sheet_text" in e["data"] else e for e in entries]
    for hashed, content in pictures.items():
        _keep_blob(connection, hashed, base64.b64decode(content))
    if entries:
        connection.execute(insert(TapeEntry), entries)
    return [entry_words(e["kind"], e["data"]) for e in entries if e["kind"] in SEARCHED]


def text_hash(written: str) -> str:
    """SHA-256 of a text, in hexadecimal."""
    return hashlib.sha256(written.encode("utf-8")).hexdigest()


def _with_hashes(connection: Connection, opening: dict[str, Any]) -> dict[str, Any]:
    """Move the texts of an opening entry to the snapshot table; the entry keeps their hashes."""
    kept = dict(opening)
    for name in _SNAPSHOTS:
        written = kept.pop(f"{name}_text", None)
        if written is None:
            continue
        kept[f"{name}_hash"] = text_hash(written)
        connection.execute(text(PUT_SNAPSHOT), {"hash": kept[f"{name}_hash"], "text": written})
    return kept


def _with_texts(connection: Connection, kind: str, written: str) -> Said:
    """An entry with the texts put back that are kept once for all jobs. Raises StoreError where one is missing."""
    try:
        data = json.loads(written)
        named = {name: data[f"{name}_hash"] for name in _SNAPSHOTS if data.get(f"{name}_hash")}
    except (ValueError, TypeError, AttributeError, RecursionError):
        return Damaged(kind)
    for name, hashed in named.items():
        row = connection.execute(select(Snapshot.text).where(Snapshot.hash == hashed)).first()
        if row is None:
            raise StoreError(tr("The {name} of this job is missing from the logbook. Restore a backup.", name=name))
        data[f"{name}_text"] = row[0]
    return from_data(kind, data)
