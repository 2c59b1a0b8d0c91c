"""A logbook of 10 000 jobs with 100 entries each: search beside a LIKE scan, opening a job, start-up beside an empty one.

PYTHONPATH=src python benchmarks/logbook.py [JOBS] [ENTRIES]
"""

from __future__ import annotations

import itertools
import json
import os
import random
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import text
from ulid import ULID

from unitone.job.card import Card
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook

_TALK = (
    "wax broken on slot chipped squelch opens leaks rail low swollen replaced resistor burnt cold joint crystal off capacitor "
    "meter dead quiet loud hum growl faint channel switch scratchy cleaned plug microphone lead cut whip coil tuned peak"
)
_WORDS = _TALK.split()


def fill(book: Logbook, jobs: int, entries: int, seed: int = 1) -> None:
    """Invented jobs with words, parts, findings and readings, made in bulk."""
    rng = random.Random(seed)
    first = open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40", "40-0001", "nobody", "as new"))
    session = Session(book, first)
    session.go_to("rail")
    session.type_in("8.0 V")
    session.keep_summary()
    pattern = book.export_job(first)
    opening, reading = pattern["tape"][0], pattern["tape"][-1]
    batch = []
    for number in range(2, jobs + 1):
        card = {**pattern["job"]["card"], "number": number, "serial": f"40-{number:05d}", "owner": f"stall {number % 97}",
                "complaint": " ".join(rng.sample(_WORDS, 5))}  # fmt: skip
        tape = [{**opening, "id": str(ULID()), "data": {**opening["data"], "card": card}}]
        for seq in range(2, entries + 1):
            kind = rng.random()
            if kind < 0.12:
                data = {
                    "item": rng.choice(_WORDS),
                    "look": "wrong",
                    "words": " ".join(rng.sample(_WORDS, 4)),
                    "on": [f"T{rng.randrange(1, 9)}"],
                }
                entry = {"kind": "finding", "data": data}
            elif kind < 0.2:
                entry = {
                    "kind": "part",
                    "data": {"part": f"C{rng.randrange(1, 400)}", "count": 1, "fitted": "100 µF 25 V"},
                }
            elif kind < 0.28:
                entry = {"kind": "note", "data": {"text": " ".join(rng.sample(_WORDS, 8))}}
            else:
                entry = {"kind": "reading", "data": {**reading["data"], "value": 7.9 + 0.2 * rng.random()}}
            tape.append({"id": str(ULID()), "seq": seq, "utc": opening["utc"], "bench_s": float(seq), **entry})
        row = {**pattern["job"], "id": str(ULID()), "number": number, "card": card,
               "status": ("open", "waiting", "handed over", "archived")[number % 4]}  # fmt: skip
        batch.append({"job": row, "tape": tape})
        if len(batch) == 250 or number == jobs:
            book.import_jobs(batch)
            batch = []


def median_ms(work: Callable[[], object], times: int) -> tuple[float, float]:
    """(median, 95th per cent) in milliseconds."""
    took = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        took.append((time.perf_counter() - start) * 1e3)
    took.sort()
    return statistics.median(took), took[int(0.95 * (len(took) - 1))]


def like_scan(book: Logbook, words: str) -> list[int]:
    """The baseline: every entry's data and every card asked whether it holds each word."""
    with book._reading() as connection:
        found: set[int] | None = None
        for word in words.split():
            rows = connection.execute(
                text("SELECT DISTINCT job.number FROM job LEFT JOIN entry ON entry.job_id = job.id AND entry.kind <> 'reading' "
                     "WHERE entry.data LIKE :w OR job.card LIKE :w OR job.radio LIKE :w"), {"w": f"%{word}%"}
            ).scalars()  # fmt: skip
            found = set(rows) if found is None else found & set(rows)
    return sorted(found or ())


_START = """
import sys, time
start = time.perf_counter()
from pathlib import Path
from unitone.desktop.shell.app import make_application
from unitone.desktop.theme.theme import theme
from unitone.desktop.shell.window import MainWindow
from unitone.store.logbook import Logbook
app = make_application()
book = Logbook(Path(sys.argv[1]))
theme.use("day", 1.0)
window = MainWindow(book)
window.show()
for _ in range(5):
    app.processEvents()
window.grab()
print(time.perf_counter() - start)
window.close()
book.close()
"""


def start_seconds(folder: Path) -> float:
    """From the first import to the first picture of Jobs, in a process of its own."""
    offscreen = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", _START, str(folder)], capture_output=True, text=True, check=True, env=offscreen
    )
    return float(done.stdout.split()[-1])


def main() -> None:
    jobs, entries = (int(x) for x in [*sys.argv[1:3], *["10000", "100"][len(sys.argv[1:3]) :]])
    rng = random.Random(7)
    with tempfile.TemporaryDirectory() as place:
        full, empty = Path(place) / "full", Path(place) / "empty"
        begun = time.perf_counter()
        with Logbook(full) as book:
            fill(book, jobs, entries)
        Logbook(empty).close()
        size = sum(f.stat().st_size for f in full.iterdir()) / 1e6
        print(
            f"{jobs} jobs, {entries} entries each, {size:.0f} MB, filled in {time.perf_counter() - begun:.0f} s",
            file=sys.stderr,
        )
        with Logbook(full) as book:
            ids = [r.id for r in book.jobs(limit=400, offset=jobs // 2 - 200 if jobs > 400 else 0)]
            questions = [
                *(f"C{rng.randrange(1, 400)}" for _ in range(20)), *(" ".join(rng.sample(_WORDS, 2)) for _ in range(20)),
                *(f"40-{rng.randrange(2, jobs):05d}" for _ in range(20)), *(rng.choice(_WORDS)[:4] for _ in range(20)),
            ]  # fmt: skip
            asked = itertools.cycle(questions)
            search = median_ms(lambda: book.jobs(next(asked), limit=60), 300)
            slow = itertools.cycle(questions)
            scan = median_ms(lambda: like_scan(book, next(slow)), 12)
            same = sum(set(like_scan(book, q)) >= {r.number for r in book.jobs(q)} for q in questions[:8])
            chosen = itertools.cycle(ids)
            opening = median_ms(lambda: Session(book, next(chosen)), 200)
            listing = median_ms(lambda: (book.jobs(status=("open", "waiting"), limit=60), book.counts()), 50)
        starts = [
            (start_seconds(empty), start_seconds(full)) for _ in range(int(sys.argv[3]) if len(sys.argv) > 3 else 7)
        ]
        ratio = statistics.median(f for _, f in starts) / statistics.median(e for e, _ in starts)
        print(json.dumps({
            "jobs": jobs, "entries": entries, "megabytes": round(size),
            "search_ms": {"median": round(search[0], 2), "p95": round(search[1], 2)},
            "like_scan_ms": {"median": round(scan[0], 1), "p95": round(scan[1], 1)},
            "scan_finds_all_that_search_finds": f"{same} of 8",
            "open_job_ms": {"median": round(opening[0], 2), "p95": round(opening[1], 2)},
            "first_page_and_counts_ms": round(listing[0], 2),
            "start_ratio_full_to_empty": round(ratio, 3),
        }))  # fmt: skip


if __name__ == "__main__":
    main()
