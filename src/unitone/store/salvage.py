"""A damaged logbook: what can still be read, in a logbook in memory that writes nothing; and where the last backup is."""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from unitone.errors import UnitoneError
from unitone.job.state import fold
from unitone.job.summary import summary
from unitone.job.tape import Entry
from unitone.store.logbook import FILE_NAME, Logbook

#: Beside the logbook, so that it is there when the logbook is not.
_LAST = "last-backup.json"
_TABLES = ("meta", "snapshot", "blob", "job", "entry")


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
            return "Nothing in it can be read."
        cut = f", {self.broken} of them only up to where the damage begins" if self.broken else ""
        return f"{self.whole + self.broken} jobs can be read{cut}. Nothing is written until a backup is restored."


def salvage(folder: Path) -> tuple[Logbook, Salvaged]:
    """Read what can be read of the damaged logbook in ``folder``, which is not touched.

    Returns a logbook in memory that refuses to write. Jobs are put together from
    their tapes, as far as each goes without a gap; a job whose card is lost is made
    from its opening entry.
    """
    rows = _rows(folder)
    texts = {r["hash"]: r["text"] for r in rows["snapshot"]}
    cards = {r["id"]: r for r in rows["job"]}
    tapes: dict[str, dict[int, dict[str, Any]]] = {}
    for r in rows["entry"]:
        tapes.setdefault(str(r["job_id"]), {})[int(r["seq"])] = r
    book = Logbook(None)
    whole = broken = entries = 0
    taken: set[int] = set()
    for job_id, by_seq in sorted(tapes.items()):
        tape = _tape(by_seq, texts)
        made = _job(job_id, tape, cards.get(job_id))
        if made is None or made["job"]["number"] in taken:
            continue
        taken.add(made["job"]["number"])
        book.import_jobs([made])
        entries += len(tape)
        if len(tape) == len(by_seq):
            whole += 1
        else:
            broken += 1
    for r in rows["meta"]:
        book.set_setting(str(r["key"]), json.loads(r["value"]))
    for r in rows["blob"]:
        book.put_blob(bytes(r["content"]))
    found = Salvaged(whole, broken, entries)
    book.freeze(f"The logbook is damaged and open for reading only: this was not logged. {found.words}")
    return book, found


def _rows(folder: Path) -> dict[str, list[dict[str, Any]]]:
    """Every row of every table that the file still gives, read from both ends towards the damage."""
    found: dict[str, list[dict[str, Any]]] = {t: [] for t in _TABLES}
    with tempfile.TemporaryDirectory(prefix="unitone-salvage-") as place:
        for name in (FILE_NAME, f"{FILE_NAME}-wal"):
            if (folder / name).exists():
                shutil.copyfile(folder / name, Path(place) / name)
        with closing(sqlite3.connect(Path(place) / FILE_NAME)) as database:
            database.row_factory = sqlite3.Row
            for table in _TABLES:
                seen: dict[Any, dict[str, Any]] = {}
                for way in ("ASC", "DESC"):
                    if _walk(database, table, way, seen):
                        break
                found[table] = list(seen.values())
    return found


def _walk(database: sqlite3.Connection, table: str, way: str, seen: dict[Any, dict[str, Any]]) -> bool:
    """Read a table in one direction until its end (True) or until the damage (False)."""
    try:
        for row in database.execute(f"SELECT rowid AS place, * FROM {table} ORDER BY rowid {way}"):
            seen.setdefault(row["place"], dict(row))
    except sqlite3.DatabaseError:
        return False
    return True


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
        tape.append(Entry(r["id"], seq, r["kind"], r["utc"], r["bench_s"], data))
    return tape


def _job(job_id: str, tape: list[Entry], row: dict[str, Any] | None) -> dict[str, Any] | None:
    """The job as ``import_jobs`` takes it; None where not even its opening is left."""
    try:
        state = fold(tape, job_id)
        pictured = summary(state)
    except (UnitoneError, KeyError, TypeError, ValueError):
        return None
    made = {
        "id": job_id, "number": state.card.number, "radio": row["radio"] if row else state.sheet.title,
        "status": state.status[0], "updated": tape[-1].utc, "card": state.card.to_data(), "summary": pictured,
    }  # fmt: skip
    return {"job": made, "tape": [e.__dict__ for e in tape]}


def note_backup(folder: Path, target: Path, utc: str) -> None:
    """Remember where the last backup of this workshop went. A folder that takes no files is no reason to fail."""
    try:
        (folder / _LAST).write_text(json.dumps({"path": str(target.resolve()), "utc": utc}), encoding="utf-8")
    except OSError:
        return


def last_backup(folder: Path) -> tuple[Path, str] | None:
    """(path, UTC) of the last backup, where its file is still there."""
    try:
        data = json.loads((folder / _LAST).read_text(encoding="utf-8"))
        path, utc = Path(data["path"]), str(data["utc"])
    except (OSError, ValueError, KeyError, TypeError):
        return None
    return (path, utc) if path.is_file() else None
