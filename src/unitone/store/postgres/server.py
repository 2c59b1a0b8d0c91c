"""A logbook's server: PostgreSQL through SQLAlchemy and psycopg."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import URL, Connection, Engine, TextClause, create_engine, make_url, text
from sqlalchemy.exc import ArgumentError, DBAPIError, IntegrityError, InterfaceError, OperationalError

from unitone.errors import ServerAway, StoreError
from unitone.store.backend import KeptEntry, Result
from unitone.store.postgres.numbers import next_free
from unitone.words import tr

#: The newest migration in store/postgres/migrations.
HEAD = "0001"
#: Held by whoever writes, until it is committed (the number stands in the first migration, too).
LOCK = "SELECT pg_advisory_xact_lock(2026112907)"
_RUNS = re.compile(r"[^\W_]+")
#: A word of a search, and how many of them a job has at most: far below what PostgreSQL takes in one row (1 MB).
_LONGEST, _MOST_WORDS = 40, 15_000


def server_url(written: str) -> URL:
    """A server's address as people write it: ``postgresql://user@host/name``. Raises StoreError."""
    example = "postgresql://bench@server/workshop"
    try:
        url = make_url(written)
    except (ArgumentError, ValueError):
        raise StoreError(
            tr("“{written}” is not a server's address. Write it like {example}.", written=written, example=example)
        ) from None
    if url.get_backend_name() not in ("postgresql", "postgres") or not url.database:
        raise StoreError(
            tr(
                "“{written}” cannot be a shared logbook: it needs PostgreSQL and the name of a database. Write it like {example}.",
                written=url.render_as_string(hide_password=True),
                example=example,
            )
        )
    return url.set(drivername="postgresql+psycopg")


class Server:
    """A logbook on a server, made or brought up to date while it is opened.

    Raises ServerAway where it does not answer, StoreError where the database is somebody else's or of a newer version.
    """

    folder: Path | None = None
    notice = ""

    def __init__(self, written: str, read_only: bool = False) -> None:
        url = server_url(written)
        #: For people: without its password.
        self.name = url.set(drivername="postgresql").render_as_string(hide_password=True)
        self._engine: Engine = create_engine(
            url,
            pool_pre_ping=True,
            connect_args={
                # A server that was switched off without a word is missed after seconds, not after minutes.
                "connect_timeout": 3, "keepalives_idle": 5, "keepalives_interval": 2, "keepalives_count": 3,
                "tcp_user_timeout": 8000, "application_name": "unitone",
                "options": "-c statement_timeout=60000 -c lock_timeout=20000 -c timezone=UTC",
            },
        )  # fmt: skip
        try:
            self._prepare(read_only)
        except BaseException:
            self._engine.dispose()
            raise

    def _prepare(self, read_only: bool) -> None:
        with self.reading() as connection:
            version = self._version(connection)
        if version is not None and version > HEAD:
            raise StoreError(
                tr(
                    "The shared logbook at {name} was written by a newer Unitone (version {version}). Update Unitone.",
                    name=self.name,
                    version=version,
                )
            )
        if version == HEAD:
            return
        if read_only:
            raise StoreError(
                tr("There is no logbook of this version at {name} yet. Start ./unitone on it once.", name=self.name)
            )
        self.write(self._upgrade)

    def _version(self, connection: Connection) -> str | None:
        """The newest migration that was run; None for an empty database. Raises StoreError for somebody else's."""
        tables = {
            r[0]
            for r in connection.execute(text("SELECT tablename FROM pg_tables WHERE schemaname = current_schema()"))
        }
        if not tables:
            return None
        if not {"alembic_version", "set_aside", "job_words", "held"} <= tables:
            raise StoreError(
                tr(
                    "The database at {name} holds something else. Make an empty one for Unitone, for example: createdb workshop",
                    name=self.name,
                )
            )
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar()

    def _upgrade(self, connection: Connection) -> None:
        """All migrations in one transaction. The lock is held: of two benches that come at once, one finds it done."""
        if self._version(connection) == HEAD:
            return
        from alembic import command
        from alembic.config import Config

        made = Config()
        made.set_main_option("script_location", str(Path(__file__).resolve().parent / "migrations"))
        made.attributes["connection"] = connection
        command.upgrade(made, "head")

    # -- transactions -----------------------------------------------------------------------------

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """A connection for reading; all of it sees one moment. Raises ServerAway."""
        with self._told(), self._engine.connect().execution_options(isolation_level="REPEATABLE READ") as connection:
            yield connection

    def write(self, work: Callable[[Connection], Result]) -> Result:
        """Run ``work`` in one transaction, alone among all benches. Raises ServerAway: then it may or may not be kept."""
        with self._told(), self._engine.begin() as connection:
            connection.execute(text(LOCK))
            return work(connection)

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except IntegrityError:
            raise
        except (OperationalError, InterfaceError) as error:
            raise ServerAway.at(self.name, _first_line(error)) from None
        except DBAPIError as error:
            if error.connection_invalidated:
                raise ServerAway.at(self.name, _first_line(error)) from None
            raise StoreError(
                tr("The server of the shared logbook at {name} says: {why}", name=self.name, why=_first_line(error))
            ) from None

    # -- what PostgreSQL answers in its own way ---------------------------------------------------

    def next_number(self, connection: Connection) -> int:
        """After the highest that a job has or a bench was given."""
        return next_free(connection)

    def may_use(self, connection: Connection, number: int) -> bool:
        """Not where a bench has set it aside."""
        asked = text("SELECT 1 FROM set_aside WHERE :number BETWEEN first AND last")
        return connection.execute(asked, {"number": number}).first() is None

    def index(self, connection: Connection, number: int, words: str, new: bool = False) -> None:
        """Add words to a job's row in the search index: sorted words without their places."""
        del new
        found = sorted(set(_plain_words(words)))[:_MOST_WORDS]
        connection.execute(
            text(
                "INSERT INTO job_words (number, words) VALUES (:number, array_to_tsvector(CAST(:words AS text[]))) "
                "ON CONFLICT (number) DO UPDATE SET words = CASE WHEN length(job_words.words) > :most "
                "THEN job_words.words ELSE job_words.words || excluded.words END"
            ),
            {"number": number, "words": found, "most": _MOST_WORDS},
        )

    def forget(self, connection: Connection, number: int) -> None:
        """Take a job out of the search index."""
        connection.execute(text("DELETE FROM job_words WHERE number = :number"), {"number": number})

    def holding(self, words: Iterable[str]) -> tuple[TextClause, Mapping[str, Any]]:
        """Full-text search (PostgreSQL 15, chapter 12)."""
        asked = " & ".join(f"'{w}':*" for word in words for w in _plain_words(word))
        return text("SELECT number FROM job_words WHERE words @@ CAST(:asked AS tsquery)"), {"asked": asked}

    def tape(self, connection: Connection, job_id: str) -> list[KeptEntry]:
        """In order."""
        asked = text("SELECT id, seq, kind, utc, bench_s, data FROM entry WHERE job_id = :job ORDER BY seq")
        return [tuple(r) for r in connection.execute(asked, {"job": job_id}).fetchall()]

    def on_card(self, key: str) -> str:
        """A column that a trigger fills from the card."""
        return key

    def integrity(self, connection: Connection) -> str:
        """A server looks after its files itself; here it is enough that it answers."""
        connection.execute(text("SELECT 1"))
        return "ok"

    def close(self) -> None:
        """Let its connections go."""
        self._engine.dispose()


def _first_line(error: DBAPIError) -> str:
    lines = str(error.orig or error).strip().splitlines()
    return lines[0][:300] if lines else type(error.orig).__name__


def _plain_words(words: str) -> list[str]:
    """Runs of letters and digits, small and without accents, as the search in a file takes them."""
    bare = "".join(c for c in unicodedata.normalize("NFKD", words.lower()) if not unicodedata.combining(c))
    return [w[:_LONGEST] for w in _RUNS.findall(bare)]
