"""The workshop's logbook on disk: SQLite in WAL, one writer thread, one committed entry at a time."""

from __future__ import annotations

import base64
import contextlib
import hashlib
import json
import os
import queue
import sqlite3
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from contextlib import AbstractContextManager, contextmanager, nullcontext
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, TypeVar

from sqlalchemy import URL, Connection, Engine, Integer, Row, create_engine, event, func, insert, select, text, update
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError
from sqlalchemy.pool import NullPool, StaticPool
from ulid import ULID

from unitone.collector import resting
from unitone.errors import DamagedLogbook, StoreError
from unitone.files import PRIVATE_FILE, plain_reason
from unitone.job.card import Card
from unitone.job.entries import Entry, Said, from_data, reads
from unitone.job.entries.notes import Damaged
from unitone.job.entries.opening import Opened
from unitone.job.summary import in_todays_terms
from unitone.quantities.older_names import KEYS, in_todays_names
from unitone.store import restoring
from unitone.store._search_words import SEARCHED, card_words, entry_words, match_words
from unitone.store.lock import FolderLock
from unitone.store.reading import FILE_NAME, reading_uri
from unitone.store.rows import JobRow
from unitone.store.schema import DAMAGED, HEAD, LIKE_INDEXES, SEARCH_TABLE, Base, Blob, Job, Meta, Snapshot, TapeEntry
from unitone.words import tr

_SNAPSHOTS = ("sheet", "physics")
#: Kinds of entries whose texts are kept once for all jobs.
_WITH_TEXTS = frozenset({"open", "variant"})
Result = TypeVar("Result")


def utc_now() -> str:
    """UTC in ISO 8601 to the millisecond."""
    return datetime.now(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


#: What a damaged file raises: SQLite's own errors, and letters of its complaint or of a column that are none.
_DAMAGED = (DatabaseError, UnicodeDecodeError)


def _said(error: DatabaseError | UnicodeDecodeError) -> str:
    return tr("letters that are none") if isinstance(error, UnicodeDecodeError) else str(error.orig)


class Logbook:
    """One logbook in a folder (or in memory, for programs that keep nothing).

    Opening for writing takes the folder's lock, which the system gives back
    when the process ends, however it ends. Raises LogbookBusy when another
    window has it and StoreError when the folder or file cannot be used.
    """

    def __init__(self, folder: Path | None, read_only: bool = False) -> None:
        self.folder = folder
        self._lock: FolderLock | None = None
        self._closed = False
        self._engine: Engine | None = None
        self.frozen = ""
        # In memory all share one connection: whoever closes a reading would roll back what the writer is at.
        self._alone: AbstractContextManager[Any] = threading.RLock() if folder is None else nullcontext()
        #: What was put right while opening, for the window to tell; empty where nothing was.
        self.notice = ""
        try:
            if folder is None:
                self._engine = create_engine(
                    "sqlite://", poolclass=StaticPool, connect_args={"check_same_thread": False}
                )
            else:
                self._open(folder, read_only)
            self._prepare(read_only)
        except BaseException:
            self.close()
            raise
        self._queue: queue.SimpleQueue[tuple[Callable[[Connection], Any], Future[Any]] | None] = queue.SimpleQueue()
        self._writer = threading.Thread(target=self._write_forever, name="logbook-writer", daemon=True)
        self._writer.start()

    def _open(self, folder: Path, read_only: bool) -> None:
        """Lock the folder where it is written, finish what was cut short, find the file."""
        if not read_only:
            self._lock = FolderLock(folder)
        if restoring.under_way(folder):
            if read_only:
                raise StoreError(
                    tr(
                        "A restore of {folder} was cut short. Start ./unitone with that workspace: it is finished then.",
                        folder=folder,
                    )
                )
            aside = restoring.finish(folder)
            self.notice = tr(
                "A restore that was cut short is finished. What was here before lies in {aside}.", aside=aside
            )
        path = folder / FILE_NAME
        if read_only and not path.exists():
            raise StoreError(
                tr("There is no logbook in {folder}. Start ./unitone with that workspace to make one.", folder=folder)
            )
        if not read_only and _is_foreign(path):
            raise StoreError(
                tr("The file in {folder} is not a logbook of Unitone. Choose another folder.", folder=folder)
            )
        self._engine = _file_engine(path, read_only)

    @property
    def _file(self) -> Engine:
        assert self._engine is not None
        return self._engine

    def _prepare(self, read_only: bool) -> None:
        """Make a new logbook, or bring an old one up to date; refuse a newer one with words."""
        try:
            with self._file.begin() as connection:
                tables = {row[0] for row in connection.execute(text("SELECT name FROM sqlite_master"))}
                version = None
                if "alembic_version" in tables:
                    version = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
                if version is None:
                    if read_only or not _half_made(connection, tables):
                        raise StoreError(
                            tr(
                                "The file in {folder} is not a logbook of Unitone. Choose another folder.",
                                folder=self.folder,
                            )
                        )
                    create_all(connection)
                    return
        except OperationalError as error:
            raise StoreError(
                tr("The logbook in {folder} cannot be opened ({orig}).", folder=self.folder, orig=error.orig)
            ) from None
        except _DAMAGED as error:
            raise DamagedLogbook.at(str(self.folder), _said(error)) from None
        if version > HEAD:
            raise StoreError(
                tr(
                    "The logbook in {folder} was written by a newer Unitone (version {version}). Update Unitone.",
                    folder=self.folder,
                    version=version,
                )
            )
        if version < HEAD and not read_only:
            from unitone.store._migrate import upgrade

            upgrade(self._file)

    # -- the writer ------------------------------------------------------------------------

    def _write_forever(self) -> None:
        with self._file.connect() as connection:
            while (item := self._queue.get()) is not None:
                work, future = item
                try:
                    with self._alone, connection.begin():
                        result = work(connection)
                    future.set_result(result)
                except OperationalError as error:
                    future.set_exception(
                        StoreError(
                            tr(
                                "The entry could not be written ({orig}). It was not logged. Make room in {folder}, or check that it can be "
                                "written, and log it again.",
                                orig=error.orig,
                                folder=self.folder,
                            )
                        )
                    )
                except IntegrityError as error:
                    future.set_exception(error)
                except _DAMAGED as error:
                    future.set_exception(DamagedLogbook.at(str(self.folder), _said(error)))
                except BaseException as error:
                    future.set_exception(error)

    def _write(self, work: Callable[[Connection], Result]) -> Result:
        """Run ``work`` in the writer thread, wait until it is committed."""
        if self._closed:
            raise StoreError(tr("The logbook is closed."))
        if self.frozen:
            raise StoreError(self.frozen)
        future: Future[Result] = Future()
        self._queue.put((work, future))
        return future.result()

    def freeze(self, why: str) -> None:
        """From here on nothing is written: every attempt raises StoreError with these words."""
        self.frozen = why

    @contextmanager
    def _reading(self) -> Iterator[Connection]:
        """A connection for reading. Raises DamagedLogbook where the file cannot be read on."""
        try:
            with self._alone, self._file.connect() as connection:
                yield connection
        except OperationalError as error:
            raise StoreError(
                tr("The logbook in {folder} cannot be read ({orig}).", folder=self.folder, orig=error.orig)
            ) from None
        except _DAMAGED as error:
            raise DamagedLogbook.at(str(self.folder), _said(error)) from None

    # -- jobs and tapes ------------------------------------------------------------------------

    def next_number(self) -> int:
        """The number that the next job gets."""
        with self._reading() as connection:
            return int(connection.execute(select(func.coalesce(func.max(Job.number), 0))).scalar_one()) + 1

    def create_job(self, card: Card, radio: str, opening: Opened, utc: str | None = None) -> str:
        """A new job with its opening entry; returns its ULID. Raises StoreError when the number is taken."""
        job_id, when = str(ULID()), utc or utc_now()

        def work(connection: Connection) -> str:
            taken = connection.execute(select(Job.id).where(Job.number == card.number)).first()
            if taken is not None:
                raise StoreError(tr("Job {number} exists already.", number=card.number))
            row = {"id": job_id, "number": card.number, "radio": radio, "status": "open", "updated": when,
                   "card": card.to_data(), "summary": {}}  # fmt: skip
            connection.execute(insert(Job).values(**row))
            entry = Entry(str(ULID()), 1, when, 0.0, opening).to_data()
            kept = {**entry, "data": _with_hashes(connection, entry["data"])}
            connection.execute(insert(TapeEntry).values(job_id=job_id, **kept))
            _index(connection, card.number, card_words(card.number, radio, card.to_data()), new=True)
            return job_id

        return self._write(work)

    def append(self, job_id: str, said: Said, bench_s: float, seq: int, utc: str | None = None) -> Entry:
        """Commit one entry as number ``seq`` of the job; on return it is on disk. Raises StoreError."""
        entry = Entry(str(ULID()), seq, utc or utc_now(), bench_s, said)

        def work(connection: Connection) -> Entry:
            kept = entry.to_data()
            data = kept["data"]
            if "sheet_text" in data:
                kept["data"] = _with_hashes(connection, data)
            connection.execute(insert(TapeEntry).values(job_id=job_id, **kept))
            if said.kind in SEARCHED:
                number = connection.execute(select(Job.number).where(Job.id == job_id)).scalar_one()
                _index(connection, number, entry_words(said.kind, data))
            return entry

        return self._write(work)

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
            # As text, all at once: a long log is read a third as fast row by row.
            rows = connection.exec_driver_sql(_TAPE, (job_id,)).fetchall()
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
        words = match_words(find)
        query = select(Job.number)
        if words:
            found = text("SELECT rowid AS number FROM job_words WHERE words MATCH :match").columns(number=Integer)
            query = query.where(Job.number.in_(found))
        if wanted:
            query = query.where(Job.status.in_(wanted))
        # Numbers first, from an index alone: the rows behind them are large, and only a page of them is wanted.
        numbers = query.order_by(Job.number.desc()).offset(offset)
        if limit is not None:
            numbers = numbers.limit(limit)
        rows = select(Job).where(Job.number.in_(numbers.scalar_subquery())).order_by(Job.number.desc())
        with self._reading() as connection:
            return [_row(r) for r in connection.execute(rows, {"match": words} if words else {})]

    def counts(self) -> dict[str, int]:
        """How many jobs there are in each status."""
        query = select(Job.status, func.count()).group_by(Job.status)
        with self._reading() as connection:
            return {str(status): int(n) for status, n in connection.execute(query)}

    def like(self, sheet_id: str = "", serial: str = "", limit: int = 50) -> list[JobRow]:
        """Jobs on a sheet, or on a radio of that serial number, the newest first."""
        query = select(Job).order_by(Job.number.desc()).limit(limit)
        if sheet_id:
            query = query.where(text("json_extract(card, '$.sheet_id') = :sheet_id"))
        if serial:
            query = query.where(text("json_extract(card, '$.serial') = :serial"))
        given = {k: v for k, v in (("sheet_id", sheet_id), ("serial", serial)) if v}
        with self._reading() as connection:
            return [_row(r) for r in connection.execute(query, given)]

    def find_job(self, name: str) -> JobRow | None:
        """The job of that number or id, None where there is none."""
        # A number that SQLite cannot hold is no job's.
        number = int(name) if name.isascii() and name.isdigit() and len(name) < 18 else None
        key = Job.number == number if number is not None else Job.id == name
        with self._reading() as connection:
            r = connection.execute(select(Job).where(key)).first()
        return None if r is None else _row(r)

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
        return {"job": row.__dict__, "tape": tape, **({"pictures": pictures} if pictures else {})}

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
                entries = [{**e, "job_id": row["id"]} for e in item["tape"]]
                entries = [
                    {**e, "data": _with_hashes(connection, e["data"])} if "sheet_text" in e["data"] else e
                    for e in entries
                ]
                for hashed, content in item.get("pictures", {}).items():
                    _keep_blob(connection, hashed, base64.b64decode(content))
                connection.execute(insert(TapeEntry), entries)
                spoken = [entry_words(e["kind"], e["data"]) for e in entries if e["kind"] in SEARCHED]
                words = " ".join([card_words(row["number"], row["radio"], row["card"]), *spoken])
                _index(connection, row["number"], words, new=True)

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
            connection.execute(Meta.__table__.delete().where(Meta.key == key))  # type: ignore[attr-defined]
            connection.execute(insert(Meta).values(key=key, value=value))

        self._write(work)

    def integrity(self) -> str:
        """SQLite's own integrity check: ``ok`` or what is wrong."""
        with self._reading() as connection:
            return str(connection.execute(text("PRAGMA integrity_check")).scalar_one())

    def close(self) -> None:
        """Write what is waiting, close the file, give the lock back. Closing twice does no harm."""
        if self._closed:
            return
        self._closed = True
        if hasattr(self, "_writer"):
            self._queue.put(None)
            self._writer.join()
        if self._engine is not None:
            self._engine.dispose()
        if self._lock is not None:
            self._lock.release()

    def __enter__(self) -> Logbook:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


def _is_foreign(path: Path) -> bool:
    """Is it somebody else's database? Looked at before anything is changed in it; a damaged one is told of later."""
    try:
        if not path.exists() or not path.stat().st_size:
            return False
        with contextlib.closing(sqlite3.connect(reading_uri(path), uri=True, timeout=10)) as raw:
            tables = {row[0] for row in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    except (sqlite3.DatabaseError, UnicodeDecodeError, OSError):
        return False
    ours = {t.name for t in Base.metadata.sorted_tables} | {"alembic_version", "job_text"}
    return bool({t for t in tables if not t.startswith(("sqlite_", "job_words", "job_text"))} - ours)


def _half_made(connection: Connection, tables: set[str]) -> bool:
    """Is the file empty, or a first start of ours that was killed before it was done? Then its tables are cleared away.

    Only tables of a logbook, none of them with a row in it: nothing is lost.
    """
    ours = {t.name: {c.name for c in t.columns} for t in Base.metadata.sorted_tables} | {
        "alembic_version": {"version_num"}
    }
    plain = {t for t in tables if not t.startswith(("sqlite_", "job_words", "job_s"))}
    for table in plain:
        columns = {row[1] for row in connection.execute(text(f'PRAGMA table_info("{table}")'))}
        if columns != ours.get(table):
            return False
        if connection.execute(text(f'SELECT 1 FROM "{table}" LIMIT 1')).first() is not None:
            return False
    for table in sorted(plain | (tables & {"job_words"})):
        connection.execute(text(f'DROP TABLE IF EXISTS "{table}"'))
    return True


def _file_engine(path: Path, read_only: bool) -> Engine:
    try:
        if path.exists() and not os.access(path, os.R_OK if read_only else os.W_OK):
            raise StoreError(
                tr(
                    "The logbook {path} cannot be {x}. Check its permissions.",
                    path=path,
                    x="read" if read_only else "written",
                )
            )
        if not read_only:
            # Its owner's alone from the first byte: SQLite gives its companions the same permissions.
            os.close(os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, PRIVATE_FILE))
    except OSError as error:
        raise StoreError(
            tr("The logbook {path} cannot be opened ({why}). Check its name.", path=path, why=plain_reason(error))
        ) from None
    if read_only:
        uri = reading_uri(path)
        engine = create_engine("sqlite://", poolclass=NullPool, json_serializer=_dumps,
                               creator=lambda: sqlite3.connect(uri, uri=True, timeout=10))  # fmt: skip
    else:
        engine = create_engine(URL.create("sqlite", database=str(path)), poolclass=NullPool, json_serializer=_dumps,
                               connect_args={"timeout": 10})  # fmt: skip

    @event.listens_for(engine, "connect")
    def _pragmas(connection: sqlite3.Connection, _: object) -> None:
        # Transactions begin where they are said to (below): otherwise SQLite's driver commits each change of the tables by itself,
        # and a first start that is killed leaves half of them.
        connection.isolation_level = None
        if not read_only:
            connection.execute("PRAGMA journal_mode=WAL")
            connection.execute("PRAGMA synchronous=FULL")
            connection.execute("PRAGMA foreign_keys=ON")

    @event.listens_for(engine, "begin")
    def _begin(connection: Connection) -> None:
        connection.exec_driver_sql("BEGIN")

    return engine


def _dumps(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


def create_all(connection: Connection) -> None:
    """All tables as they are today, stamped with the newest migration."""
    Base.metadata.create_all(connection)
    connection.execute(text(SEARCH_TABLE))
    for statement in LIKE_INDEXES:
        connection.execute(text(statement))
    connection.execute(text("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)"))
    connection.execute(text("INSERT INTO alembic_version VALUES (:head)"), {"head": HEAD})


_TAPE = "SELECT id, seq, kind, utc, bench_s, data FROM entry WHERE job_id = ? ORDER BY seq"


def _row(r: Row[Any]) -> JobRow:
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
    )


def _index(connection: Connection, number: int, words: str, new: bool = False) -> None:
    """Add words to a job's row in the search index, whose rowid is the job's number."""
    change = (
        "INSERT INTO job_words (rowid, words) VALUES (:number, :words)"
        if new
        else "UPDATE job_words SET words = words || ' ' || :words WHERE rowid = :number"
    )
    connection.execute(text(change), {"number": number, "words": words})


def _keep_blob(connection: Connection, hashed: str, content: bytes) -> None:
    if connection.execute(select(Blob.hash).where(Blob.hash == hashed)).first() is None:
        connection.execute(insert(Blob).values(hash=hashed, content=content))


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
        known = connection.execute(select(Snapshot.hash).where(Snapshot.hash == kept[f"{name}_hash"])).first()
        if known is None:
            connection.execute(insert(Snapshot).values(hash=kept[f"{name}_hash"], text=written))
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
