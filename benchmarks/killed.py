"""A writer killed in a burst of 1000 entries at random moments, again and again, with a backup taken in the middle.

Every entry that was shown has to be there, the tape without a gap, the database whole;
and every backup has to be whole and hold what was shown before it began.

    PYTHONPATH=src python benchmarks/killed.py [TIMES]
"""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

from unitone.job.fold import fold
from unitone.store.backup import backup, restore
from unitone.store.logbook import Logbook

_WRITER = """
import sys
from pathlib import Path
from unitone.job.card import Card
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook
book = Logbook(Path(sys.argv[1]))
rows = book.jobs()
job = rows[0].id if rows else open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40", "40-1"))
session = Session(book, job)
print("READY", flush=True)
for n in range(1000):
    if n % 3:
        session.workshop.read_volts("in", f"{13 + n % 10 / 10:.1f}")
    else:
        session.note(f"entry {n}")
    entry = session.state.entries[-1]
    print(entry.seq, entry.id, flush=True)
"""


def burst(folder: Path, rng: random.Random, copy: Path | None) -> tuple[int, list[str]]:
    """One writer killed after a random number of shown entries; (shown, what was wrong)."""
    process = subprocess.Popen(
        [sys.executable, "-c", _WRITER, str(folder)], stdout=subprocess.PIPE, text=True, env={**os.environ}
    )
    assert process.stdout is not None and process.stdout.readline().strip() == "READY"
    shown: dict[int, str] = {}
    until, backed = rng.randrange(1, 950), 0
    for _ in range(until):
        words = process.stdout.readline().split()
        shown[int(words[0])] = words[1]
        if copy is not None and not backed and len(shown) >= until // 2:
            backed = len(shown)
            backup(folder, copy)
    process.send_signal(signal.SIGKILL)
    for line in process.stdout.read().splitlines():
        if len(words := line.split()) == 2 and len(words[1]) == 26:
            shown[int(words[0])] = words[1]
    process.stdout.close()
    process.wait()
    wrong = []
    with Logbook(folder) as book:
        if book.integrity() != "ok":
            wrong.append("integrity")
        tape = book.tape(book.jobs()[0].id)
        kept = {e.seq: e.id for e in tape}
        if any(kept.get(seq) != ulid for seq, ulid in shown.items()):
            wrong.append("an entry that was shown is missing")
        if [e.seq for e in tape] != list(range(1, len(tape) + 1)):
            wrong.append("a gap in the tape")
        fold(tape)
    if copy is not None and backed:
        with tempfile.TemporaryDirectory() as place:
            restore(copy, Path(place) / "back")
            with Logbook(Path(place) / "back") as book:
                there = {e.seq: e.id for e in book.tape(book.jobs()[0].id)}
                first = list(shown.items())[:backed]
                if any(there.get(seq) != ulid for seq, ulid in first):
                    wrong.append("the backup lacks what was shown before it")
    return len(shown), wrong


def main() -> None:
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 50
    rng = random.Random(4)
    with tempfile.TemporaryDirectory() as place:
        entries, wrong, backups = 0, [], 0
        for n in range(times):
            copy = Path(place) / "copy.zip" if n % 5 == 0 else None
            shown, found = burst(Path(place) / f"book-{n // 10}", rng, copy)
            entries, backups = entries + shown, backups + (copy is not None)
            wrong += [f"kill {n}: {w}" for w in found]
        print(json.dumps({"kills": times, "entries_shown": entries, "backups_while_writing": backups, "wrong": wrong}))


if __name__ == "__main__":
    main()
