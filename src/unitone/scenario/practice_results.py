"""What was practised: attempts and results, kept on a logbook of their own, apart from the workshop's jobs."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

import msgspec

from unitone.scenario.debrief import Debrief
from unitone.scenario.exercise import Exercise, Help, Skill
from unitone.store.logbook import Logbook, utc_now
from unitone.store.ports import Store

#: The folder of practice inside the workshop's own.
FOLDER = "practice"
_ATTEMPT, _RESULTS = "attempt ", "results"
#: So many of the last jobs are looked at for one to go on with.
_LOOKED_AT = 20


class Attempt(msgspec.Struct, frozen=True):
    """An exercise that was begun: its job, the exercise, the seed and the help; and whether the bench takes its real time."""

    job: str
    exercise: Exercise
    seed: int
    help: Help
    real_time: bool = False


class Result(msgspec.Struct, frozen=True):
    """What an attempt came to. ``seconds`` are the bench's own."""

    job: str
    exercise: str
    skill: Skill
    grade: int
    seed: int
    help: Help
    score: int
    passed: bool
    utc: str
    seconds: float


def practice_book(folder: Path | None) -> Logbook:
    """The logbook of practice in a workshop's folder; in memory for a workshop that has none. Raises StoreError."""
    return Logbook(None if folder is None else folder / FOLDER)


def keep_attempt(book: Store, attempt: Attempt) -> None:
    """Remember which exercise a job is."""
    book.set_setting(_ATTEMPT + attempt.job, msgspec.to_builtins(attempt))


def attempt_of(book: Store, job_id: str) -> Attempt | None:
    """The attempt that a job is; None for a job that is none, or whose note is damaged."""
    kept = book.setting(_ATTEMPT + job_id)
    try:
        return None if kept is None else msgspec.convert(kept, Attempt)
    except msgspec.ValidationError:
        return None


def keep_result(book: Store, made: Debrief, how: Help) -> None:
    """Remember a mark; a job that is looked at again keeps its first date."""
    e, m = made.exercise, made.mark
    before = {r.job: r for r in results(book)}
    utc = before[made.job_id].utc if made.job_id in before else utc_now()
    before[made.job_id] = Result(made.job_id, e.id, e.skill, e.grade, made.seed, how, m.score, m.passed, utc, m.seconds)
    book.set_setting(_RESULTS, [msgspec.to_builtins(r) for r in sorted(before.values(), key=lambda r: r.utc)])


def results(book: Store) -> tuple[Result, ...]:
    """Every result that was kept, oldest first; what is damaged is left out."""
    found = []
    for row in book.setting(_RESULTS, []) or []:
        try:
            found.append(msgspec.convert(row, Result))
        except msgspec.ValidationError:
            continue
    return tuple(found)


def results_csv(rows: Sequence[Result]) -> bytes:
    """Every result as a table for a spreadsheet: one a row, oldest first; text that a spreadsheet might run is kept from it."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["date", "exercise", "skill", "grade", "radio", "help", "score", "passed", "seconds"])
    for r in rows:
        name = f"'{r.exercise}" if r.exercise[:1] in "=+-@" else r.exercise
        passed = "yes" if r.passed else "no"
        writer.writerow([r.utc, name, r.skill, r.grade, r.seed, r.help, r.score, passed, round(r.seconds)])
    return out.getvalue().encode()


def best(book: Store) -> dict[str, Result]:
    """The best result of each exercise without the coach; with it where there is no other."""
    top: dict[str, Result] = {}
    for r in results(book):
        if r.exercise not in top or (r.help != "coach", r.score) > (
            top[r.exercise].help != "coach",
            top[r.exercise].score,
        ):
            top[r.exercise] = r
    return top


def running(book: Store) -> Attempt | None:
    """The attempt that was begun last and has no result yet; what lies further back than a few is not gone on with."""
    done = {r.job for r in results(book)}
    kept = [attempt_of(book, row.id) for row in book.jobs(limit=_LOOKED_AT) if row.id not in done]
    return next((a for a in kept if a is not None), None)
