"""At the server: which bench has which job open."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import Connection, text

from unitone.store.ports import Holder

#: A bench that was not heard of for so long (s) is not waited for.
GONE_AFTER = 10


def greet(connection: Connection, bench: str, name: str) -> None:
    """This bench is there."""
    connection.execute(
        text(
            "INSERT INTO bench (id, name, heard) VALUES (:id, :name, now()) "
            "ON CONFLICT (id) DO UPDATE SET name = excluded.name, heard = excluded.heard"
        ),
        {"id": bench, "name": name},
    )


def take(connection: Connection, bench: str, job_id: str) -> Holder | None:
    """Take a job that nobody has; who has it where somebody does, None where it is this bench's now."""
    connection.execute(
        text("INSERT INTO held (job_id, bench, since) VALUES (:job, :bench, now()) ON CONFLICT (job_id) DO NOTHING"),
        {"job": job_id, "bench": bench},
    )
    holder = connection.execute(text("SELECT bench FROM held WHERE job_id = :job"), {"job": job_id}).scalar_one()
    return None if holder == bench else held_elsewhere(connection, bench)[job_id]


def want(connection: Connection, bench: str, job_id: str) -> bool:
    """Ask for a job that another bench has; is that bench there to answer?"""
    connection.execute(text("UPDATE held SET wanted_by = :bench WHERE job_id = :job"), {"job": job_id, "bench": bench})
    there = text(
        "SELECT bench.heard > now() - make_interval(secs => :gone) FROM held JOIN bench ON bench.id = held.bench "
        "WHERE held.job_id = :job"
    )
    return bool(connection.execute(there, {"job": job_id, "gone": GONE_AFTER}).scalar())


def take_by_force(connection: Connection, bench: str, job_id: str) -> None:
    """The job is this bench's, whoever had it."""
    connection.execute(
        text(
            "INSERT INTO held (job_id, bench, since) VALUES (:job, :bench, now()) "
            "ON CONFLICT (job_id) DO UPDATE SET bench = excluded.bench, since = excluded.since, wanted_by = NULL"
        ),
        {"job": job_id, "bench": bench},
    )


def give_back(connection: Connection, bench: str, jobs: Sequence[str]) -> None:
    """Nobody has these any more."""
    connection.execute(
        text("DELETE FROM held WHERE bench = :bench AND job_id = ANY(:jobs)"), {"bench": bench, "jobs": list(jobs)}
    )


def wanted(connection: Connection, bench: str) -> dict[str, str]:
    """The jobs of this bench that another asks for, with its name."""
    asked = text(
        "SELECT held.job_id, bench.name FROM held JOIN bench ON bench.id = held.wanted_by WHERE held.bench = :bench"
    )
    return {r[0]: r[1] for r in connection.execute(asked, {"bench": bench})}


def held_elsewhere(connection: Connection, bench: str) -> dict[str, Holder]:
    """Who has what, of the other benches."""
    asked = text(
        'SELECT held.job_id, bench.name, to_char(held.since, \'YYYY-MM-DD"T"HH24:MI:SS"Z"\'), '
        'to_char(bench.heard, \'YYYY-MM-DD"T"HH24:MI:SS"Z"\') '
        "FROM held JOIN bench ON bench.id = held.bench WHERE held.bench <> :bench"
    )
    return {r[0]: Holder(r[1], r[2], r[3]) for r in connection.execute(asked, {"bench": bench})}


def held_here(connection: Connection, bench: str) -> set[str]:
    """The jobs that this bench has open."""
    return {r[0] for r in connection.execute(text("SELECT job_id FROM held WHERE bench = :bench"), {"bench": bench})}
