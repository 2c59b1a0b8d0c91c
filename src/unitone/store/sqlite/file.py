"""A logbook's file: SQLite in WAL, one writer thread, its folder locked."""

from __future__ import annotations

import contextlib
import os
import queue
import sqlite3
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import Future
from contextlib import AbstractContextManager, contextmanager, nullcontext
from pathlib import Path
from typing import Any

from sqlalchemy import URL, Connection, Engine, TextClause, create_engine, event, func, select, text
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError
from sqlalchemy.pool import NullPool, StaticPool

from unitone.errors import DamagedLogbook, StoreError
from unitone.files import PRIVATE_FILE, plain_reason
from unitone.store.backend import KeptEntry, Result
from unitone.store.schema import HEAD, LIKE_INDEXES, SEARCH_TABLE, Base, Job
from unitone.store.sqlite import restoring
from unitone.store.sqlite.lock import FolderLock
from unitone.store.sqlite.reading import FILE_NAME, reading_uri
from unitone.words import tr

#: What a damaged file raises: SQLite's own errors, and letters of its complaint or of a column that are none.
_DAMAGED = (DatabaseError, UnicodeDecodeError)


def _said(error: DatabaseError | UnicodeDecodeError) -> str:
    return tr("letters that are none") if isinstance(error, UnicodeDecodeError) else str(error.orig)


class SqliteFile:
    """A logbook's file in a folder, or in memory where ``folder`` is None.

    Raises LogbookBusy when another window has the folder, DamagedLogbook, and StoreError when it cannot be used.
    """

    def __init__(self, folder: Path | None, read_only: bool = False) -> None:
        self.folder = folder
        self.notice = ""
        self._lock: FolderLock | None = None
        self._closed = False
        self._engine: Engine | None = None
        # In memory all share one connection: whoever closes a reading would roll back what the writer is at.
        self._alone: AbstractContextManager[Any] = threading.RLock() if folder is None else nullcontext()
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
            from unitone.store.sqlite._migrate import upgrade

            upgrade(self._file)

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

    def write(self, work: Callable[[Connection], Result]) -> Result:
        """Run ``work`` in the writer thread, wait until it is committed. Raises StoreError."""
        future: Future[Result] = Future()
        self._queue.put((work, future))
        return future.result()

    @contextmanager
    def reading(self) -> Iterator[Connection]:
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

    # -- what SQLite answers in its own way -----------------------------------------------------

    def next_number(self, connection: Connection) -> int:
        """The highest number and one."""
        return int(connection.execute(select(func.coalesce(func.max(Job.number), 0))).scalar_one()) + 1

    def may_use(self, connection: Connection, number: int) -> bool:
        """A file has its numbers for itself."""
        del connection, number
        return True

    def index(self, connection: Connection, number: int, words: str, new: bool = False) -> None:
        """Add words to a job's row in the search index, whose rowid is the job's number."""
        change = (
            "INSERT INTO job_words (rowid, words) VALUES (:number, :words)"
            if new
            else "UPDATE job_words SET words = words || ' ' || :words WHERE rowid = :number"
        )
        connection.execute(text(change), {"number": number, "words": words})

    def forget(self, connection: Connection, number: int) -> None:
        """Take a job out of the search index."""
        connection.execute(text("DELETE FROM job_words WHERE rowid = :number"), {"number": number})

    def holding(self, words: Iterable[str]) -> tuple[TextClause, Mapping[str, Any]]:
        """Full-text search (https://www.sqlite.org/fts5.html)."""
        query = text("SELECT rowid AS number FROM job_words WHERE words MATCH :match")
        return query, {"match": " ".join(f'"{w}"*' for w in words)}

    def tape(self, connection: Connection, job_id: str) -> list[KeptEntry]:
        """As text, all at once: a long log is read a third as fast row by row."""
        rows = connection.exec_driver_sql(
            "SELECT id, seq, kind, utc, bench_s, data FROM entry WHERE job_id = ? ORDER BY seq", (job_id,)
        )
        return [tuple(r) for r in rows.fetchall()]

    def on_card(self, key: str) -> str:
        """In the words of its index."""
        return f"json_extract(card, '$.{key}')"

    def integrity(self, connection: Connection) -> str:
        """SQLite's own integrity check: ``ok`` or what is wrong."""
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
        engine = create_engine("sqlite://", poolclass=NullPool,
                               creator=lambda: sqlite3.connect(uri, uri=True, timeout=10))  # fmt: skip
    else:
        engine = create_engine(URL.create("sqlite", database=str(path)), poolclass=NullPool,
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


def create_all(connection: Connection) -> None:
    """All tables as they are today, stamped with the newest migration."""
    Base.metadata.create_all(connection)
    connection.execute(text(SEARCH_TABLE))
    for statement in LIKE_INDEXES:
        connection.execute(text(statement))
    connection.execute(text("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)"))
    connection.execute(text("INSERT INTO alembic_version VALUES (:head)"), {"head": HEAD})
