"""Storage under attack: kills, odd names, foreign and damaged data, media that cannot be written, a second writer."""

from __future__ import annotations

import contextlib
import copy
import gzip
import json
import os
import random
import shutil
import sqlite3
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import msgspec
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from unitone import files
from unitone.cli.commands import run
from unitone.errors import LogbookBusy, StoreError, TapeError
from unitone.job.card import Card
from unitone.job.entries.hands import Turned
from unitone.job.fold import fold, read
from unitone.present.bench.bench_view import take_view
from unitone.robot.demo_data import DATA, fill
from unitone.session.session import Session, open_job
from unitone.store.backup import backup, restore
from unitone.store.exchange import import_job, read_job, write_job
from unitone.store.logbook import Logbook
from unitone.store.salvage import salvage
from unitone.store.sqlite import restoring
from unitone.store.sqlite.lock import NAME
from unitone.store.sqlite.reading import FILE_NAME

SHEET = "ostrel-tarn-40"
#: Ends a process like a kill at the N-th statement that SQLite is given, and prints how many there were where it comes through.
KILLED = """
import os, sqlite3, sys
from pathlib import Path
left = int(sys.argv[2])
real = sqlite3.connect
def connect(*args, **kwargs):
    made = real(*args, **kwargs)
    def count(_):
        global left
        left -= 1
        if left == 0:
            os._exit(9)
    made.set_trace_callback(count)
    return made
sqlite3.connect = sqlite3.dbapi2.connect = connect
from unitone.store.logbook import Logbook
Logbook(Path(sys.argv[1])).close()
print(int(sys.argv[2]) - left)
"""


def killed(folder: Path, at: int) -> int:
    """Start a logbook in a process that ends at its ``at``-th statement; how many there were, or -1 where it was ended."""
    done = subprocess.run(
        [sys.executable, "-c", KILLED, str(folder), str(at)], capture_output=True, text=True, timeout=120, check=False
    )
    assert done.returncode in (0, 9), done.stderr
    return int(done.stdout) if done.returncode == 0 else -1


def worked(book: Logbook, number: int = 1) -> Session:
    session = Session(book, open_job(book, SHEET, Card(number, SHEET, f"40-{number}", owner="the lock keeper")))
    session.note(f"note {number}")
    session.keep_summary()
    return session


def test_a_first_start_killed_at_any_statement_heals_by_itself(tmp_path: Path) -> None:
    statements = killed(tmp_path / "whole", 100_000)
    assert statements > 12
    for at in random.Random(3).sample(range(1, statements + 1), 3):
        folder = tmp_path / str(at)
        assert killed(folder, at) == -1
        with Logbook(folder) as book:
            worked(book)
            assert book.integrity() == "ok" and len(book.jobs("note")) == 1


def test_what_an_earlier_version_left_half_made_heals_and_a_foreign_file_stays(tmp_path: Path) -> None:
    made = tmp_path / "made"
    Logbook(made).close()
    with sqlite3.connect(made / FILE_NAME) as raw:
        schema = [
            r[0]
            for r in raw.execute("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL AND name NOT LIKE 'job_words_%'")
        ]
    for many in range(len(schema)):
        folder = tmp_path / f"half-{many}"
        folder.mkdir()
        with sqlite3.connect(folder / FILE_NAME) as raw:
            for statement in schema[:many]:
                raw.execute(statement)
        with Logbook(folder) as book:
            worked(book)
    foreign = tmp_path / "foreign"
    foreign.mkdir()
    with sqlite3.connect(foreign / FILE_NAME) as raw:
        raw.execute("CREATE TABLE recipe (key TEXT, value TEXT)")
        raw.execute("INSERT INTO recipe VALUES ('mine', '1')")
    before = (foreign / FILE_NAME).read_bytes()
    with pytest.raises(StoreError, match="is not a logbook of Unitone"):
        Logbook(foreign)
    assert (foreign / FILE_NAME).read_bytes() == before


_LETTERS = st.characters(blacklist_characters="/\0", blacklist_categories=["Cs"])
NAMES = st.text(_LETTERS, min_size=1, max_size=12).filter(lambda n: n not in (".", ".."))


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.lists(NAMES, min_size=1, max_size=4), max_size=6), st.integers(0, 2**31))
def test_what_is_backed_up_restores_and_what_is_left_out_is_named(
    tmp_path: Path, names: list[list[str]], stamp: int
) -> None:
    place = tmp_path / str(len(list(tmp_path.iterdir())))
    with Logbook(place / "a") as book:
        worked(book)
    written: dict[str, bytes] = {}
    for n, parts in enumerate(names):
        path = place / "a" / "sheets" / Path(*parts)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(str(n).encode())
        except OSError:
            continue
        os.utime(path, (stamp, stamp))
        written[path.relative_to(place / "a").as_posix()] = path.read_bytes()
    (place / "a" / "sheets").mkdir(exist_ok=True)
    (place / "secret").write_text("of this machine")
    (place / "a" / "sheets" / "link.toml").symlink_to(place / "secret")
    (place / "a" / "sheets" / "folder-link").symlink_to(place)
    os.mkfifo(place / "a" / "sheets" / "pipe")
    made = backup(place / "a", place / "kept.zip")
    left = {x.rpartition(": ")[0] for x in made.left_out}
    assert {"sheets/link.toml", "sheets/folder-link", "sheets/pipe"} <= left
    restore(place / "kept.zip", place / "b")
    back = {
        p.relative_to(place / "b").as_posix(): p.read_bytes()
        for p in (place / "b" / "sheets").rglob("*")
        if p.is_file()
    }
    assert {n: c for n, c in written.items() if n not in left} == back and not any(
        b"machine" in c for c in back.values()
    )
    assert (place / "kept.zip").stat().st_mode & 0o077 == 0 and not list(place.glob(".backup-*"))


def test_a_restore_cut_short_at_any_move_is_finished_at_the_next_start(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with Logbook(tmp_path / "new") as book:
        worked(book, 7)
    (tmp_path / "new" / "sheets").mkdir()
    (tmp_path / "new" / "sheets" / "mine.toml").write_text("x = 1")
    backup(tmp_path / "new", tmp_path / "kept.zip")
    with Logbook(tmp_path / "old") as book:
        worked(book, 1)
    (tmp_path / "old" / "sheets").mkdir()
    real = os.rename
    for cut in range(1, 6):
        folder = tmp_path / f"cut-{cut}"
        shutil.copytree(tmp_path / "old", folder)
        left = [cut]

        def rename(a: object, b: object, left: list[int] = left) -> None:
            left[0] -= 1
            if left[0] == 0:
                raise KeyboardInterrupt
            real(a, b)  # type: ignore[arg-type]

        monkeypatch.setattr(restoring.os, "rename", rename)
        finished = False
        try:
            restore(tmp_path / "kept.zip", folder)
            finished = True
        except KeyboardInterrupt:
            pass
        monkeypatch.setattr(restoring.os, "rename", real)
        if not finished:
            with pytest.raises(StoreError, match="cut short"):
                Logbook(folder, read_only=True)
        with Logbook(folder) as book:
            assert [r.number for r in book.jobs()] == [7] and ("cut short is finished" in book.notice) is not finished
        assert (folder / "sheets" / "mine.toml").is_file() and not restoring.under_way(folder)
        aside = next(folder.glob("before-restore-*"))
        with Logbook(aside) as book:
            assert [r.number for r in book.jobs()] == [1]
        assert not list(folder.glob(".restore-*"))


def _mutations(data: dict[str, Any]) -> dict[str, dict[str, Any]]:
    """A job's file with one thing wrong each."""

    def with_(change) -> dict[str, Any]:  # type: ignore[no-untyped-def]
        made = copy.deepcopy(data)
        change(made)
        return made

    opening = ("tape", 0, "data")

    def put(*path: object, value: object) -> dict[str, Any]:
        def change(made: dict[str, Any]) -> None:
            at: Any = made
            for key in path[:-1]:
                at = at[key]
            at[path[-1]] = value

        return with_(change)

    return {
        "empty card in the log": put(*opening, "card", value={}),
        "a card of numbers": put(*opening, "card", "owner", value=5),
        "number beyond SQLite": put("job", "number", value=2**63),
        "number in the log beyond SQLite": put(*opening, "card", "number", value=2**63),
        "lone surrogate": put("tape", 1, "data", "text", value="\ud800"),
        "zero character": put("tape", 1, "data", "text", value="a\0b"),
        "infinite time": put("tape", 1, "bench_s", value=1e999),
        "an entry twice": put("tape", 1, "id", value=data["tape"][0]["id"]),
        "id that is none": put("tape", 1, "id", value="../../../../etc/passwd1234"),
        "time that is none": put("tape", 1, "utc", value="<img>"),
        "no step": put("tape", 1, "data", value={}),
        "a huge number": put("tape", 1, "data", "n", value=10**40),
    }


def test_an_imported_job_is_checked_whole_before_the_first_write(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    with Logbook(tmp_path / "a") as book:
        session = worked(book)
        write_job(book, session.job_id, tmp_path / "job.json")
        other = worked(book, 2)
        write_job(book, other.job_id, tmp_path / "other.json")
    data = json.loads((tmp_path / "job.json").read_text(encoding="utf-8"))
    with Logbook(tmp_path / "b") as there:
        for name, wrong in _mutations(data).items():
            (tmp_path / "wrong.json").write_text(json.dumps(wrong), encoding="utf-8")
            with pytest.raises(StoreError, match=r"wrong\.json") as refused:
                import_job(there, read_job(tmp_path / "wrong.json"))
            assert "\n" not in str(refused.value) and not there.jobs(), name
            str(refused.value).encode("utf-8")
        # A summary, status or card of the row that says something else is worked out anew.
        false = {
            **data,
            "job": {**data["job"], "card": {}, "summary": {"step_title": 5}, "status": "finished", "radio": "<b>"},
        }
        (tmp_path / "false.json").write_text(json.dumps(false), encoding="utf-8")
        import_job(there, read_job(tmp_path / "false.json"))
        row = there.jobs()[0]
        assert row.card["owner"] == "the lock keeper" and row.status == "open" and row.radio == "Ostrel Tarn 40"
        # Entries that stand in another job already.
        stolen = json.loads((tmp_path / "other.json").read_text(encoding="utf-8"))
        stolen["tape"][1]["id"] = data["tape"][1]["id"]
        (tmp_path / "stolen.json").write_text(json.dumps(stolen), encoding="utf-8")
        with pytest.raises(StoreError, match="in this logbook already"):
            import_job(there, read_job(tmp_path / "stolen.json"))
    assert run(["--workspace", str(tmp_path / "b"), "jobs", "--json"]) == 0
    assert len(json.loads(capsys.readouterr().out)) == 1
    for text in ("[" * 100_000, '{"a":' * 100_000, "NaN", '{"format": NaN}', "1" * 5_000_000, "", "\ufeff{}"):
        (tmp_path / "text.json").write_text(text, encoding="utf-8")
        with pytest.raises(StoreError, match=r"text\.json"):
            read_job(tmp_path / "text.json")


def test_damaged_json_in_one_place_costs_that_place_alone(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    with Logbook(tmp_path) as book:
        jobs = [worked(book, n).job_id for n in (1, 2, 3)]
        for _ in range(3):
            Session(book, jobs[0]).note("more")
    with sqlite3.connect(tmp_path / FILE_NAME) as raw:
        raw.execute("DROP INDEX job_serial")
        raw.execute("DROP INDEX job_sheet")
        raw.execute("UPDATE entry SET data = substr(data, 1, 9) WHERE job_id = ? AND seq = 3", (jobs[0],))
        raw.execute("UPDATE job SET card = '{', summary = 'x' WHERE id = ?", (jobs[1],))
        raw.execute("UPDATE entry SET data = '[1' WHERE job_id = ? AND seq = 1", (jobs[2],))
        raw.execute(
            "UPDATE entry SET data = json_set(data, '$.text', json('5')) WHERE job_id = ? AND seq = 2", (jobs[1],)
        )
    with Logbook(tmp_path) as book:
        assert [r.number for r in book.jobs()] == [3, 2, 1] and "damaged" in book.job("2").card["complaint"]
        session = Session(book, jobs[0])
        assert session.state.unreadable == (3,) and len(session.state.notes) == 3
        assert any("damaged entry" in vars(c).values() for c in take_view(session).log.cells)
        with pytest.raises(TapeError, match=r"entry 3.*Restore a backup"):
            session.note("on top of it")
        with pytest.raises((StoreError, TapeError), match="damaged"):
            Session(book, jobs[2])
        assert Session(book, jobs[1]).state.card.number == 2
    assert run(["--workspace", str(tmp_path), "jobs"]) == 0
    assert run(["--workspace", str(tmp_path), "report", "1", "--format", "json", "-o", str(tmp_path / "r.json")]) == 0
    assert "Damaged and left out: entry 3" in (tmp_path / "r.json").read_text(encoding="utf-8")
    assert run(["--workspace", str(tmp_path), "report", "3", "-o", str(tmp_path / "r.pdf")]) == 3
    assert "Traceback" not in capsys.readouterr().err


def test_a_log_whose_entry_means_nothing_is_read_without_it(tmp_path: Path) -> None:
    with Logbook(tmp_path) as book:
        session = worked(book)
        session.turn("T1", 45_000)
        tape = book.tape(session.job_id)
    assert isinstance(tape[-1].said, Turned)
    nowhere = msgspec.structs.replace(tape[-1].said, moved="far")
    broken = [*tape[:-1], tape[-1]._replace(said=nowhere)]
    with pytest.raises(TypeError):
        fold(broken)
    assert read(broken).unreadable == (broken[-1].seq,) and read(tape).unreadable == ()


def test_a_cut_logbook_is_salvaged_as_far_as_it_goes(tmp_path: Path) -> None:
    good = tmp_path / "good"
    with Logbook(good) as book:
        fill(book)
    with sqlite3.connect(good / FILE_NAME) as raw:
        raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        jobs = raw.execute("SELECT count(*) FROM job").fetchone()[0]
    size = (good / FILE_NAME).stat().st_size
    gave = {}
    # A long table's inner pages are written late: beyond them nothing of it can be found.
    for share in (0.97, 0.5):
        folder = tmp_path / str(share)
        folder.mkdir()
        (folder / FILE_NAME).write_bytes((good / FILE_NAME).read_bytes()[: int(size * share)])
        book, found = salvage(folder)
        with book:
            gave[share] = len(book.jobs())
            assert found.whole + found.broken == gave[share]
    assert gave[0.97] >= 0.9 * jobs


def test_letters_that_are_none_in_the_list_of_tables_are_damage_and_no_fault(tmp_path: Path) -> None:
    """SQLite tells of a damaged list of tables in its own damaged letters: even its complaint cannot be read."""
    with Logbook(tmp_path) as book:
        worked(book)
    with sqlite3.connect(tmp_path / FILE_NAME) as raw:
        raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        raw.execute("PRAGMA writable_schema=ON")
        raw.execute("UPDATE sqlite_master SET sql = CAST(X'43524541544520F1F1F1' AS TEXT) WHERE name = 'job'")
    for read_only in (True, False):
        with pytest.raises(StoreError):
            Logbook(tmp_path, read_only=read_only).close()
    with pytest.raises(StoreError):
        backup(tmp_path, tmp_path / "copy.zip")
    with contextlib.suppress(StoreError):
        salvage(tmp_path)[0].close()


@pytest.mark.parametrize("name", ["what?", "a#b", "100%25", "a b&mode=rw", "ü ?#%"])
def test_a_folder_s_name_is_no_part_of_an_address(tmp_path: Path, name: str) -> None:
    folder = tmp_path / name
    with Logbook(folder) as book:
        worked(book)
    assert (folder / FILE_NAME).is_file() and {p.name for p in tmp_path.iterdir()} == {name}
    with Logbook(folder, read_only=True) as book:
        assert len(book.jobs()) == 1
    assert backup(folder, tmp_path / "kept.zip").jobs == 1
    assert restore(tmp_path / "kept.zip", tmp_path / f"{name}-2")[0] == 1


def test_media_that_cannot_be_written_are_read_and_backed_up(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = tmp_path / "disc"
    with Logbook(folder) as book:
        worked(book)
    for beside in folder.glob("*-*"):
        beside.unlink(missing_ok=True)
    real = os.access
    monkeypatch.setattr(
        os, "access", lambda p, mode, **k: False if Path(p) == folder and mode == os.W_OK else real(p, mode, **k)
    )
    before = sorted(p.name for p in folder.iterdir())
    with Logbook(folder, read_only=True) as book:
        assert len(book.jobs()) == 1
    assert sorted(p.name for p in folder.iterdir()) == before, "nothing is written beside it"
    assert backup(folder, tmp_path / "kept.zip").jobs == 1


def test_deleting_the_lock_file_lets_no_second_writer_in(tmp_path: Path) -> None:
    with Logbook(tmp_path):
        (tmp_path / NAME).unlink()
        code = "import sys; from pathlib import Path; from unitone.store.logbook import Logbook; Logbook(Path(sys.argv[1]))"
        done = subprocess.run(
            [sys.executable, "-c", code, str(tmp_path)], capture_output=True, text=True, timeout=120, check=False
        )
        assert "LogbookBusy" in done.stderr and done.returncode
        with pytest.raises(LogbookBusy):
            restore(tmp_path / "none.zip", tmp_path)
    Logbook(tmp_path).close()


def test_a_full_disk_is_blamed_where_it_is(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with Logbook(tmp_path / "a") as book:
        worked(book)
    real = sqlite3.connect

    def connect(database: object, *args: Any, **kwargs: Any) -> sqlite3.Connection:
        made = real(database, *args, **kwargs)  # type: ignore[arg-type]
        if ".backup-" in str(database):
            made.execute("PRAGMA max_page_count = 2")
        return made

    monkeypatch.setattr("unitone.store.backup.sqlite3.connect", connect)
    (tmp_path / "disk").mkdir()
    with pytest.raises(StoreError, match=r"disk/kept\.zip: cannot be written.*full"):
        backup(tmp_path / "a", tmp_path / "disk" / "kept.zip")
    assert not list((tmp_path / "disk").iterdir()), "nothing is left behind"


def test_everything_is_its_owner_s_alone_and_holds_no_place_of_this_machine(tmp_path: Path) -> None:
    old = os.umask(0)
    try:
        with Logbook(tmp_path / "deep" / "book") as book:
            session = worked(book)
            write_job(book, session.job_id, tmp_path / "job.json")
            assert (
                run(
                    [
                        "--workspace",
                        str(tmp_path / "deep" / "book"),
                        "report",
                        "1",
                        "--format",
                        "html",
                        "-o",
                        str(tmp_path / "r.html"),
                    ]
                )
                == 0
            )
            for path in (tmp_path / "deep", tmp_path / "deep" / "book", *(tmp_path / "deep" / "book").iterdir()):
                assert path.stat().st_mode & 0o077 == 0, path
        backup(tmp_path / "deep" / "book", tmp_path / "kept.zip")
    finally:
        os.umask(old)
    for name in ("job.json", "r.html", "kept.zip"):
        assert (tmp_path / name).stat().st_mode & 0o077 == 0, name
    top = str(Path(files.__file__).resolve().parents[2])
    with zipfile.ZipFile(tmp_path / "kept.zip") as archive:
        inside = b"".join(archive.read(n) for n in archive.namelist())
    for content in (
        inside,
        (tmp_path / "job.json").read_bytes(),
        (tmp_path / "r.html").read_bytes(),
        gzip.decompress(DATA.read_bytes()),
    ):
        for place in (top, str(tmp_path), str(Path.home()) + "/"):
            assert place.encode() not in content, place


def test_a_file_is_never_written_over_what_is_none(tmp_path: Path) -> None:
    with Logbook(tmp_path / "a") as book:
        session = worked(book)
        os.mkfifo(tmp_path / "pipe")
        (tmp_path / "real").write_text("keep")
        (tmp_path / "link").symlink_to(tmp_path / "real")
        (tmp_path / "folder").mkdir()
        for name in ("pipe", "link", "folder"):
            with pytest.raises(StoreError, match="not replaced"):
                write_job(book, session.job_id, tmp_path / name)
            with pytest.raises(StoreError, match="not replaced"):
                backup(tmp_path / "a", tmp_path / name)
        with pytest.raises(StoreError, match="not replaced"):
            write_job(book, session.job_id, Path("/dev/null"))
    assert (tmp_path / "real").read_text() == "keep" and (tmp_path / "link").is_symlink()
    assert not [p for p in tmp_path.iterdir() if p.name.startswith(".")]
