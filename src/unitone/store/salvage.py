"""A damaged logbook: what can still be read, in a logbook in memory that writes nothing; and where the last backup is."""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy.exc import SQLAlchemyError

from unitone.errors import UnitoneError
from unitone.files import read_json, write_whole
from unitone.job.entries import Entry, from_data
from unitone.job.fold import read
from unitone.job.summary import summary
from unitone.sheet.library import built_in, general, physics_path
from unitone.store.logbook import Logbook, text_hash
from unitone.store.sqlite.reading import FILE_NAME
from unitone.words import tr

#: Beside the logbook, so that it is there when the logbook is not.
_LAST = "last-backup.json"
_SMALL = 10_000
#: What a damaged file raises; SQLite's complaint itself may hold letters that are none.
_DAMAGED = (sqlite3.DatabaseError, UnicodeDecodeError)
_TABLES = ("meta", "snapshot", "blob", "job", "entry")
#: Rows asked for at once between two damaged places, and how often at most.
_RANGE, _MOST_ASKED = 256, 20_000


@dataclass(frozen=True)
class Salvaged:
    """How much came back: whole jobs, jobs whose tape breaks off, entries; and whether nothing at all could be read."""

    whole: int
    broken: int
    entries: int

    @property
    def words(self) -> str:
        """For the window."""
        if not self.whole + self.broken:
            return tr("Nothing in it can be read.")
        cut = tr(", {broken} of them only up to where the damage begins", broken=self.broken) if self.broken else ""
        return tr(
            "{x} jobs can be read{cut}. Nothing is written until a backup is restored.",
            x=self.whole + self.broken,
            cut=cut,
        )


def salvage(folder: Path) -> tuple[Logbook, Salvaged]:
    """Read what can be read of the damaged logbook in ``folder``, which is not touched.

    Returns a logbook in memory that refuses to write. Jobs are put together from
    their tapes, as far as each goes without a gap; a job whose card is lost is made
    from its opening entry.
    """
    rows = _rows(folder)
    texts = {
        r["hash"]: r["text"]
        for r in rows["snapshot"]
        if isinstance(r["text"], str) and text_hash(r["text"]) == r["hash"]
    }
    if {r["hash"] for r in rows["snapshot"]} - set(texts) or not texts:
        texts |= _shipped_texts()
    cards = {r["id"]: r for r in rows["job"]}
    tapes: dict[str, dict[int, dict[str, Any]]] = {}
    for r in rows["entry"]:
        if isinstance(r["seq"], int):
            tapes.setdefault(str(r["job_id"]), {})[r["seq"]] = r
    book = Logbook(None)
    whole = broken = entries = 0
    taken: set[int] = set()
    for job_id, by_seq in sorted(tapes.items()):
        tape = _tape(by_seq, texts)
        made = _job(job_id, tape, cards.get(job_id))
        if made is None or made["job"]["number"] in taken:
            continue
        taken.add(made["job"]["number"])
        try:
            book.import_jobs([made])
        except (UnitoneError, SQLAlchemyError, KeyError, TypeError, ValueError):
            continue
        entries += len(tape)
        if len(tape) == len(by_seq):
            whole += 1
        else:
            broken += 1
    for r in rows["meta"]:
        with suppress(ValueError, TypeError, UnitoneError):
            book.set_setting(str(r["key"]), json.loads(r["value"]))
    for r in rows["blob"]:
        with suppress(TypeError, UnitoneError):
            book.put_blob(bytes(r["content"]))
    found = Salvaged(whole, broken, entries)
    book.freeze(tr("The logbook is damaged and open for reading only: this was not logged. {words}", words=found.words))
    return book, found


def _shipped_texts() -> dict[str, str]:
    """Sheets and physics files that come with the program, by their hash: a damaged copy of one of them is no loss."""
    found = {}
    for path in [*built_in(), *general()]:
        for file in (path, physics_path(path)):
            with suppress(OSError, ValueError):
                text = file.read_text(encoding="utf-8")
                found[text_hash(text)] = text
    return found


def _rows(folder: Path) -> dict[str, list[dict[str, Any]]]:
    """Every row of every table that the file still gives."""
    found: dict[str, list[dict[str, Any]]] = {t: [] for t in _TABLES}
    with tempfile.TemporaryDirectory(prefix="unitone-salvage-") as place:
        for name in (FILE_NAME, f"{FILE_NAME}-wal"):
            if (folder / name).exists():
                shutil.copyfile(folder / name, Path(place) / name)
        with closing(sqlite3.connect(Path(place) / FILE_NAME)) as database:
            database.row_factory = sqlite3.Row
            # A damaged letter is shown as such; it does not cost the row.
            database.text_factory = lambda raw: raw.decode("utf-8", "replace")
            with suppress(*_DAMAGED):
                # Lets SQLite open a file whose list of tables, or whose end, is damaged (https://www.sqlite.org/pragma.html).
                database.execute("PRAGMA writable_schema=ON")
            for table in _TABLES:
                seen: dict[Any, dict[str, Any]] = {}
                if not (_walk(database, table, "ASC", seen) or _walk(database, table, "DESC", seen)):
                    _between(database, table, seen)
                found[table] = list(seen.values())
    return found


def _walk(database: sqlite3.Connection, table: str, way: str, seen: dict[Any, dict[str, Any]]) -> bool:
    """Read a table in one direction until its end (True) or until the damage (False)."""
    try:
        for row in database.execute(f"SELECT rowid AS place, * FROM {table} ORDER BY rowid {way}"):
            seen.setdefault(row["place"], dict(row))
    except _DAMAGED:
        return False
    return True


def _between(database: sqlite3.Connection, table: str, seen: dict[Any, dict[str, Any]]) -> None:
    """Read what lies between two damaged places: by ranges of rows, halved where one cannot be read."""
    try:
        top = int(database.execute(f"SELECT max(rowid) FROM {table}").fetchone()[0] or 0)
    except (*_DAMAGED, TypeError):
        # The far end is damaged: rows are asked for one after another for a while beyond the last that came.
        top = 2 * max(seen, default=0) + 10_000
    waiting = [(at, min(at + _RANGE, top + 1)) for at in range(0, top + 1, _RANGE)]
    asked = 0
    while waiting and asked < _MOST_ASKED:
        low, high = waiting.pop()
        if all(n in seen for n in range(low, high)):
            continue
        asked += 1
        try:
            for row in database.execute(
                f"SELECT rowid AS place, * FROM {table} WHERE rowid >= ? AND rowid < ?", (low, high)
            ):
                seen.setdefault(row["place"], dict(row))
        except _DAMAGED:
            if high - low > 1:
                middle = (low + high) // 2
                waiting += [(low, middle), (middle, high)]


def _tape(by_seq: dict[int, dict[str, Any]], texts: dict[str, str]) -> list[Entry]:
    """The entries from the first on, up to a gap or to one that cannot be understood."""
    tape: list[Entry] = []
    for seq in range(1, len(by_seq) + 1):
        r = by_seq.get(seq)
        try:
            data = json.loads(r["data"]) if r else None
        except ValueError:
            data = None
        if r is None or not isinstance(data, dict):
            break
        for name in ("sheet", "physics"):
            hashed = data.get(f"{name}_hash")
            if hashed is not None and hashed not in texts:
                return tape
            if hashed is not None:
                data[f"{name}_text"] = texts[hashed]
        if not (isinstance(r["id"], str) and isinstance(r["utc"], str) and isinstance(r["bench_s"], int | float)):
            break
        try:
            said = from_data(str(r["kind"]), data)
        except UnitoneError:
            break
        tape.append(Entry(r["id"], seq, r["utc"], r["bench_s"], said))
    return tape


def _job(job_id: str, tape: list[Entry], row: dict[str, Any] | None) -> dict[str, Any] | None:
    """The job as ``import_jobs`` takes it; None where not even its opening is left."""
    try:
        state = read(tape, job_id)
        pictured = summary(state)
    except (UnitoneError, KeyError, TypeError, ValueError, AttributeError, IndexError, ArithmeticError):
        return None
    made = {
        "id": job_id, "number": state.card.number, "radio": row["radio"] if row else state.sheet.title,
        "status": state.status[0], "updated": tape[-1].utc, "card": state.card.to_data(), "summary": pictured,
    }  # fmt: skip
    return {"job": made, "tape": [e.to_data() for e in tape]}


def note_backup(folder: Path, target: Path, utc: str) -> None:
    """Remember where the last backup of this workshop went. A folder that takes no files is no reason to fail."""
    try:
        write_whole(folder / _LAST, json.dumps({"path": str(target.resolve()), "utc": utc}).encode())
    except OSError:
        return


def last_backup(folder: Path) -> tuple[Path, str] | None:
    """(path, UTC) of the last backup, where its file is still there."""
    try:
        data = read_json(folder / _LAST, _SMALL)
        path, utc = Path(data["path"]), str(data["utc"])
    except (OSError, ValueError, KeyError, TypeError):
        return None
    return (path, utc) if path.is_file() else None
