"""A shared logbook on a real PostgreSQL: two benches that write while the server is killed; and a large one on either store.

PYTHONPATH=src:tests python benchmarks/shared.py [ROUNDS] [ENTRIES] [JOBS]

Prints one JSON object: entries lost and doubled over ROUNDS rounds of two benches with ENTRIES each (the server is killed and
started again in the midst of each round), how long an entry takes at the bench beside a logbook that is not shared, and
for JOBS jobs the times to search and to open on SQLite and on the server itself.
"""

from __future__ import annotations

import itertools
import json
import random
import statistics
import sys
import tempfile
import threading
import time
from collections import Counter
from pathlib import Path

from logbook import fill, median_ms

from database import Database
from unitone.errors import StoreError
from unitone.job.card import Card
from unitone.job.entries.notes import Noted
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook
from unitone.store.places import open_place
from unitone.store.postgres.server import Server

_TARN = "ostrel-tarn-40"
_WORDS = ["slot", "leaks", "hum", "squelch", "crystal", "capacitor", "cold", "joint", "meter", "whip", "coil", "dead"]


def _write(book: Logbook, job: str, entries: int, first: int, took: list[float]) -> None:
    for n in range(entries):
        start = time.perf_counter()
        book.append(job, Noted(f"{first + n}"), 0.0, first + n)
        took.append((time.perf_counter() - start) * 1e3)


def _notes(book: Logbook, job: str) -> Counter[str]:
    return Counter(e.said.text for e in book.tape(job) if isinstance(e.said, Noted))


def kill_rounds(database: Database, rounds: int, entries: int, seed: int = 3) -> dict[str, object]:
    """Two benches write as fast as they can; the server is killed somewhere in the midst, and started again."""
    rng, took, longest = random.Random(seed), [], 0.0
    lost = doubled = 0
    with tempfile.TemporaryDirectory() as place:
        address = database.fresh()
        benches = [open_place(address, bench=n, folder=Path(place) / n) for n in ("left", "right")]
        jobs = [open_job(b, _TARN, Card(b.next_number(), _TARN)) for b in benches]
        after = [2, 2]
        for _ in range(rounds):
            threads = [
                threading.Thread(target=_write, args=(b, j, entries, a, took))
                for b, j, a in zip(benches, jobs, after, strict=True)
            ]
            for thread in threads:
                thread.start()
            time.sleep(rng.uniform(0.05, 0.9))
            database.kill()
            time.sleep(rng.uniform(0.0, 0.5))
            database.start()
            for thread in threads:
                thread.join()
            after = [a + entries for a in after]
            begun = time.perf_counter()
            for bench in benches:
                assert bench.sharing is not None
                while True:
                    try:
                        bench.sharing.exchange()
                        break
                    except StoreError:
                        time.sleep(0.2)
            longest = max(longest, time.perf_counter() - begun)
        benches[0].sharing.exchange()  # type: ignore[union-attr]
        with Logbook(Server(address)) as far:
            for job, end in zip(jobs, after, strict=True):
                wanted = {f"{n}" for n in range(2, end)}
                for book in (far, *benches):
                    found = _notes(book, job)
                    lost += len(wanted - set(found))
                    doubled += sum(n - 1 for n in found.values())
        for bench in benches:
            bench.close()
        with Logbook(Path(place) / "alone") as alone:
            plain: list[float] = []
            job = open_job(alone, _TARN, Card(1, _TARN))
            _write(alone, job, min(500, entries), 2, plain)
    return {
        "rounds": rounds, "entries_each": entries, "lost": lost, "doubled": doubled,
        "entry_ms": {"median": round(statistics.median(took), 2), "p95": round(sorted(took)[int(0.95 * (len(took) - 1))], 2)},
        "entry_ms_not_shared": round(statistics.median(plain), 2), "longest_to_catch_up_s": round(longest, 1),
    }  # fmt: skip


def large(book: Logbook, jobs: int) -> dict[str, float]:
    """Search and open in a logbook of so many jobs of ten entries."""
    begun = time.perf_counter()
    fill(book, jobs, 10)
    print(f"{jobs} jobs filled in {time.perf_counter() - begun:.0f} s", file=sys.stderr)
    rng = random.Random(7)
    asked = itertools.cycle(
        [*(f"C{rng.randrange(1, 400)}" for _ in range(20)), *(" ".join(rng.sample(_WORDS, 2)) for _ in range(20)),
         *(f"40-{rng.randrange(2, jobs):05d}" for _ in range(20))]
    )  # fmt: skip
    search = median_ms(lambda: book.jobs(next(asked), limit=60), 200)
    ids = itertools.cycle([r.id for r in book.jobs(limit=100, offset=max(0, jobs // 2 - 50))])
    opening = median_ms(lambda: Session(book, next(ids)), 100)
    page = median_ms(lambda: (book.jobs(status=("open", "waiting"), limit=60), book.counts()), 30)
    return {
        "search_ms": round(search[0], 1), "search_p95_ms": round(search[1], 1), "open_ms": round(opening[0], 1),
        "open_p95_ms": round(opening[1], 1), "first_page_ms": round(page[0], 1),
    }  # fmt: skip


def main() -> None:
    rounds, entries, jobs = (int(x) for x in [*sys.argv[1:4], *["10", "1000", "100000"][len(sys.argv[1:4]) :]])
    database = Database()
    try:
        result = {"killed": kill_rounds(database, rounds, entries)}
        with tempfile.TemporaryDirectory() as place, Logbook(Path(place)) as file:
            result["file"] = large(file, jobs)
        with Logbook(Server(database.fresh())) as far:
            result["server"] = large(far, jobs)
    finally:
        database.close()
    print(json.dumps({"jobs": jobs, **result}))


if __name__ == "__main__":
    main()
