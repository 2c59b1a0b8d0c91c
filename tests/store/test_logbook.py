"""The logbook on disk: durable, locked, versioned, and honest when something is wrong."""

from __future__ import annotations

import json
import os
import signal
import sqlite3
import subprocess
import sys
import threading
from pathlib import Path

import pytest
from sqlalchemy import create_engine, inspect
from sqlalchemy import text as sql

from unitone.errors import LogbookBusy, StoreError
from unitone.job.card import Card
from unitone.job.entries.notes import Noted
from unitone.job.fold import fold
from unitone.robot.demo_data import fill
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook
from unitone.store.schema import HEAD
from unitone.store.sqlite._migrate import config, upgrade
from unitone.store.sqlite.reading import FILE_NAME

SHEET = "ostrel-tarn-40"


def test_entries_are_there_after_closing(tmp_path: Path) -> None:
    with Logbook(tmp_path / "a") as book:
        session = Session(book, open_job(book, SHEET, Card(1, SHEET, "40-1", "owner", "deaf", 2, ("microphone",))))
        for _ in range(12):
            session.follow(session.advice())
        before = [(e.id, e.seq, e.said) for e in session.state.entries]
        session.keep_summary()
    with Logbook(tmp_path / "a", read_only=True) as book:
        row = book.job("1")
        assert [(e.id, e.seq, e.said) for e in book.tape(row.id)] == before
        assert row.summary["readings"] == len(fold(book.tape(row.id)).readings)
        assert book.integrity() == "ok"
    pragma = sqlite3.connect(tmp_path / "a" / FILE_NAME).execute("PRAGMA journal_mode").fetchone()
    assert pragma == ("wal",)


def test_a_second_window_is_refused_and_readers_are_not(tmp_path: Path) -> None:
    with Logbook(tmp_path) as book:
        fill(book)
        with pytest.raises(LogbookBusy, match="another Unitone window"):
            Logbook(tmp_path)
        with Logbook(tmp_path, read_only=True) as reader:
            assert len(reader.jobs()) == 38
        code = "import sys; from pathlib import Path; from unitone.store.logbook import Logbook; Logbook(Path(sys.argv[1]))"
        other = subprocess.run([sys.executable, "-c", code, str(tmp_path)], capture_output=True, text=True, check=False)
        assert other.returncode == 1 and "LogbookBusy" in other.stderr
    Logbook(tmp_path).close()


def test_numbers_search_and_states(tmp_path: Path) -> None:
    with Logbook(tmp_path) as book:
        fill(book)
        assert [r.number for r in book.jobs()] == list(range(149, 111, -1))
        assert [r.number for r in book.jobs("cousin")] == [147, 133]
        assert {r.number for r in book.jobs("island ferry")} == {112, 116, 121, 127, 129, 136, 140, 146}
        assert [r.number for r in book.jobs("0143")] == [143] == [r.number for r in book.jobs("143")]
        assert book.jobs('"; DROP TABLE job; --') == [] and book.jobs("owner asks price")[0].number == 143
        assert {r.status for r in book.jobs(status="finished")} == {"finished"}
        pages = [r.number for start in range(0, 40, 10) for r in book.jobs(limit=10, offset=start)]
        assert pages == list(range(149, 111, -1)) and sum(book.counts().values()) == 38
        assert [r.number for r in book.like(serial="40-0877")] == [140, 129, 116] and len(
            book.like(sheet_id=SHEET, limit=9)
        ) == 9
        assert {r.number for r in book.jobs("C52", ("handed over", "archived"))} == {118, 129, 131, 140}
        assert book.next_number() == 150
        with pytest.raises(StoreError, match="exists already"):
            open_job(book, SHEET, Card(147, SHEET))
        with pytest.raises(StoreError, match="exists already"):
            fill(book)
        with pytest.raises(StoreError, match="no job 999"):
            book.job("999")
        book.set_setting("x", {"a": [1, "é"]})
        book.set_setting("x", {"a": [2, "é"]})
        assert book.setting("x") == {"a": [2, "é"]} and book.setting("nothing", 5) == 5


def test_a_tape_takes_each_number_once(tmp_path: Path) -> None:
    with Logbook(tmp_path) as book:
        job = open_job(book, SHEET, Card(1, SHEET))
        book.append(job, Noted("one"), 0.0, 2)
        with pytest.raises(Exception, match="in the logbook already"):
            book.append(job, Noted("again"), 0.0, 2)
        assert len(book.tape(job)) == 2
        book.append(job, Noted("two"), 0.0, 3)
    with pytest.raises(StoreError, match="closed"):
        book.append(job, Noted("late"), 0.0, 4)


def test_texts_that_jobs_share_are_kept_once(tmp_path: Path) -> None:
    with Logbook(tmp_path) as book:
        ids = [open_job(book, SHEET, Card(n, SHEET, simulated_seed=n)) for n in (1, 2, 3)]
        assert len({book.tape(i)[0].said.sheet_text for i in ids}) == 1
    rows = sqlite3.connect(tmp_path / FILE_NAME).execute("SELECT count(*) FROM snapshot").fetchone()
    assert rows == (2,)  # the sheet and its physics


def test_create_all_is_what_the_migrations_make(tmp_path: Path) -> None:
    Logbook(tmp_path / "new").close()
    engine = create_engine(f"sqlite:///{tmp_path}/old.sqlite")
    upgrade(engine)

    def shape(url: str) -> dict[str, object]:
        look = inspect(create_engine(url))
        names = [n for n in look.get_table_names() if not n.startswith(("job_words", "alembic"))]
        return {
            n: (
                sorted((c["name"], str(c["type"]), c["nullable"]) for c in look.get_columns(n)),
                look.get_pk_constraint(n)["constrained_columns"],
            )
            for n in names
        } | {"indexes": indexes(url)}  # fmt: skip

    def indexes(url: str) -> list[str]:
        with create_engine(url).connect() as connection:
            return sorted(
                connection.execute(
                    sql("SELECT name FROM sqlite_master WHERE type = 'index' AND sql IS NOT NULL")
                ).scalars()
            )

    assert shape(f"sqlite:///{tmp_path}/new/{FILE_NAME}") == shape(f"sqlite:///{tmp_path}/old.sqlite")
    from alembic.script import ScriptDirectory

    assert ScriptDirectory.from_config(config(engine)).get_current_head() == HEAD


def test_newer_foreign_damaged_and_forbidden(tmp_path: Path) -> None:
    newer = tmp_path / "newer"
    Logbook(newer).close()
    with sqlite3.connect(newer / FILE_NAME) as raw:
        raw.execute("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(StoreError, match="newer Unitone"):
        Logbook(newer)
    foreign = tmp_path / "foreign"
    foreign.mkdir()
    with sqlite3.connect(foreign / FILE_NAME) as raw:
        raw.execute("CREATE TABLE job (x)")
    with pytest.raises(StoreError, match="is not a logbook of Unitone"):
        Logbook(foreign)
    damaged = tmp_path / "damaged"
    damaged.mkdir()
    (damaged / FILE_NAME).write_bytes(b"not a database at all" * 500)
    with pytest.raises(StoreError, match="damaged"):
        Logbook(damaged)
    with pytest.raises(StoreError, match="no logbook in"):
        Logbook(tmp_path / "none", read_only=True)
    (tmp_path / "file").write_text("x")
    with pytest.raises(StoreError, match="cannot be used"):
        Logbook(tmp_path / "file" / "below")


WRITER = """
import sys
from pathlib import Path
from unitone.job.card import Card
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook
book = Logbook(Path(sys.argv[1]))
rows = book.jobs()
job = rows[0].id if rows else open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40", simulated_seed=2))
session = Session(book, job)
print("READY", flush=True)
while True:
    session.follow(session.advice())
    if session.state.finished:
        break
    last = session.state.entries[-1]
    # Whoever reads this line may rely on the entry: it stands for what the screen shows.
    print(f"{last.seq} {last.id} {session.state.at}", flush=True)
"""


def test_killed_at_any_moment_nothing_that_was_shown_is_lost(tmp_path: Path) -> None:
    """SIGKILL in the middle of work, again and again; the same job goes on at the same step with every entry."""
    shown: list[tuple[str, str, str]] = []
    for round_ in range(2):
        process = subprocess.Popen(
            [sys.executable, "-c", WRITER, str(tmp_path)], stdout=subprocess.PIPE, text=True, env={**os.environ}
        )
        assert process.stdout is not None and process.stdout.readline().strip() == "READY"
        # Killed after another number of entries each time, whatever the machine's speed.
        for _ in range(6 + 7 * round_):
            words = process.stdout.readline().split()
            if len(words) == 3:
                shown.append((words[0], words[1], words[2]))
        process.send_signal(signal.SIGKILL)
        rest = process.stdout.read().splitlines()
        process.stdout.close()
        process.wait()
        shown += [(w[0], w[1], w[2]) for line in rest if len(w := line.split()) == 3]
        with Logbook(tmp_path) as book:
            assert book.integrity() == "ok"
            tape = book.tape(book.jobs()[0].id)
            kept = {(str(e.seq), e.id) for e in tape}
            assert {(seq, ulid) for seq, ulid, _ in shown} <= kept
            assert [e.seq for e in tape] == list(range(1, len(tape) + 1))
            # One entry may have been committed and not yet been told; the step is that of the tape.
            assert fold(tape[: int(shown[-1][0])]).at == shown[-1][2]
            assert len(tape) - int(shown[-1][0]) <= 2
    assert len(shown) > 12


def test_a_jobs_export_is_plain_json(tmp_path: Path) -> None:
    with Logbook(tmp_path / "a") as book:
        fill(book)
        jobs = json.loads(json.dumps(book.export_jobs()))
    with Logbook(tmp_path / "b") as other:
        other.import_jobs(jobs)
        assert other.export_jobs() == jobs


def test_pictures_travel_with_a_job_and_are_kept_once(tmp_path: Path) -> None:
    with Logbook(tmp_path / "a") as book:
        first, second = book.put_blob(b"picture"), book.put_blob(b"picture")
        assert first == second and book.blob(first) == b"picture"
        with pytest.raises(StoreError, match="picture of this job is missing"):
            book.blob("0" * 64)
        job = open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40"))
        session = Session(book, job)
        text = session.state.written.source_text
        session.set_variant(
            "louder", text.replace('supply = "13.2 V"', 'supply = "13.8 V"'), pictures={"new.png": b"new"}
        )
        exported = book.export_jobs()
        assert len(exported[0]["pictures"]) == 2, "the sheet's drawing and the variant's picture"
        with book._backend._engine.connect() as connection:
            kept = connection.execute(sql("SELECT data FROM entry WHERE kind = 'variant'")).scalar_one()
        assert "13.8 V" in kept or "sheet_text" not in kept, "the text of a variant lies in the snapshots, once"
    with Logbook(tmp_path / "b") as other:
        other.import_jobs(exported)
        tape = other.tape(job)
        hashed = tape[0].said.pictures["ostrel-tarn-40.svg"]
        assert other.blob(tape[1].said.pictures["new.png"]) == b"new"
        assert other.blob(hashed).startswith(b"<svg") and fold(tape).variants[0].title == "louder"
        assert fold(tape).written.supply == "13.8 V"
        # The job needs no file any more: its own sheet is on its tape.
        assert Session(other, job).sheet.supply == "13.8 V"


def test_a_logbook_from_before_pictures_is_brought_up_to_date(tmp_path: Path) -> None:
    with Logbook(tmp_path) as book:
        open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40"))
        job = open_job(book, "ostrel-tarn-40", Card(2, "ostrel-tarn-40", complaint="hums"))
    with sqlite3.connect(tmp_path / "logbook.sqlite") as raw:
        for table in ("blob", "waiting", "link"):
            raw.execute(f"DROP TABLE {table}")
        raw.execute("DROP TABLE job_words")
        raw.execute("DROP INDEX job_serial")
        raw.execute("CREATE VIRTUAL TABLE job_text USING fts5(job_id UNINDEXED, words)")
        for words in ("Ostrel Tarn 40 hums", "C41 replaced"):
            raw.execute("INSERT INTO job_text VALUES (?, ?)", (job, words))
        raw.execute("UPDATE alembic_version SET version_num = '0001'")
    raw.close()
    with Logbook(tmp_path) as book:
        assert len(book.tape(book.job("1").id)) == 1
        assert book.blob(book.put_blob(b"x")) == b"x"
        # The words of an entry and of the card now stand together: a search finds the job by both at once.
        assert [r.number for r in book.jobs("hums c41")] == [2] and [r.number for r in book.jobs("0001")] == [1]


def test_a_full_disk_is_said_and_nothing_that_was_there_is_lost(tmp_path: Path) -> None:
    with Logbook(tmp_path) as book:
        session = Session(book, open_job(book, SHEET, Card(1, SHEET)))
        session.note("before")
        pages = book._write(lambda c: c.execute(sql("PRAGMA page_count")).scalar_one())
        book._write(lambda c: c.execute(sql(f"PRAGMA max_page_count = {pages + 2}")) and None)
        with pytest.raises(StoreError, match=r"full.*was not logged\. Make room"):
            for n in range(400):
                session.note(f"note {n} " + "x" * 500)
        kept = [e.said.text[:8] for e in book.tape(session.job_id) if e.kind == "note"]
        assert kept[0] == "before" and len(kept) == len(session.state.notes), "what is shown is what is on disk"
        book._write(lambda c: c.execute(sql(f"PRAGMA max_page_count = {pages + 4000}")) and None)
        session.note("there is room again")
        assert book.integrity() == "ok" and fold(book.tape(session.job_id)).notes[-1][1] == "there is room again"


def test_a_store_in_memory_is_read_while_it_is_written() -> None:
    """All share one connection there: a reading that ends rolls back nothing of what is being written."""
    with Logbook(None) as book:
        stop = threading.Event()

        def read() -> None:
            while not stop.is_set():
                book.setting("look")

        readers = [threading.Thread(target=read) for _ in range(3)]
        for reader in readers:
            reader.start()
        try:
            for n in range(300):
                book.set_setting("look", {"n": n})
        finally:
            stop.set()
            for reader in readers:
                reader.join()
        assert book.setting("look") == {"n": 299}
