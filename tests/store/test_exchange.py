"""One job as a file, what is left out of it, what is refused; and what can be read of a damaged logbook."""

from __future__ import annotations

import io
import json
import random
import shutil
import sqlite3
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from unitone.errors import DamagedLogbook, StoreError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.privacy import LEFT_OUT, names_in, record_without
from unitone.session.session import Session, open_job
from unitone.store.backup import backup
from unitone.store.exchange import JobFile, export_job, import_job, read_job, write_job
from unitone.store.logbook import Logbook
from unitone.store.salvage import last_backup, salvage
from unitone.store.sqlite.reading import FILE_NAME

TARN = "ostrel-tarn-40"


def worked(book: Logbook, number: int = 7) -> Session:
    session = Session(
        book, open_job(book, TARN, Card(number, TARN, "40-7", "Ada of the weir", "deaf", call_sign="OX7RIVER"))
    )
    picture = io.BytesIO()
    Image.new("RGB", (8, 8)).save(picture, "PNG")
    session.workshop.look_at(
        "wax", "wrong", "Ada of the weir had a look", ("T1",), pictures={"t1.png": picture.getvalue()}
    )
    session.note("OX7RIVER heard on channel 20")
    session.workshop.heard("Bert the pilot", "strength", "Bert the pilot says: faint")
    session.workshop.read_volts("in", "13.2")
    session.keep_summary()
    return session


def test_a_job_goes_from_one_workshop_to_another_whole(tmp_path: Path) -> None:
    with Logbook(tmp_path / "a") as here, Logbook(tmp_path / "b") as there:
        session = worked(here)
        path = tmp_path / "job.json"
        write_job(here, session.job_id, path)
        schema = json.loads(
            (Path(__file__).resolve().parents[2] / "docs" / "job.schema.json").read_text(encoding="utf-8")
        )
        assert schema == JobFile.model_json_schema(), "the published schema is that of the program"
        assert import_job(there, read_job(path)) == (7, False)
        assert there.export_job(session.job_id) == here.export_job(session.job_id)
        assert [r.number for r in there.jobs("weir")] == [7] and there.integrity() == "ok"
        with pytest.raises(StoreError, match="here already, as job 0007"):
            import_job(there, read_job(path))
        assert len(there.jobs()) == 1


def test_a_number_that_is_taken_is_changed_and_the_tape_says_the_new_one(tmp_path: Path) -> None:
    with Logbook(tmp_path / "a") as here, Logbook(tmp_path / "b") as there:
        worked(there, 7)
        session = worked(here)
        write_job(here, session.job_id, tmp_path / "job.json")
        number, renumbered = import_job(there, read_job(tmp_path / "job.json"))
        assert (number, renumbered) == (8, True)
        assert fold(there.tape(session.job_id)).card.number == 8 and there.job("8").card["number"] == 8


def test_the_owner_is_left_out_wherever_the_name_stands(tmp_path: Path) -> None:
    with Logbook(tmp_path / "a") as book:
        session = worked(book)
        session.workshop.amend_card({"owner": "Cleo upstream"})
        session.keep_summary()
        plain = json.dumps(export_job(book, session.job_id))
        data = export_job(book, session.job_id, without_owner=True)
        text = json.dumps(data, ensure_ascii=False)
        for name in ("Ada of the weir", "OX7RIVER", "Bert the pilot", "Cleo upstream"):
            assert name in plain and name not in text, name
        assert LEFT_OUT in text and "Ostrel" in text and "40-7" in text
        write_job(book, session.job_id, tmp_path / "job.json", without_owner=True)
    with Logbook(tmp_path / "b") as there:
        import_job(there, read_job(tmp_path / "job.json"))
        state = fold(there.tape(session.job_id))
        assert state.card.owner == "" and state.sheet.title == "Ostrel Tarn 40", (
            "the sheet's text is whole: its hash still fits"
        )


def _with(data: dict[str, Any], **changes: Any) -> dict[str, Any]:
    return {**data, **changes}


def test_what_is_no_job_is_refused_with_words_and_takes_nothing(tmp_path: Path) -> None:
    with Logbook(tmp_path / "a") as book:
        session = worked(book)
        good = export_job(book, session.job_id)
    path = tmp_path / "job.json"
    tape = good["tape"]
    for data, says in (
        (_with(good, format="unitone-job/2"), "needs a newer Unitone"), (_with(good, format="tin/1"), "Take a file"), ([1, 2], "format is None"),
        (_with(good, tape=tape[:1] + tape[2:]), "entries are missing"), (_with(good, tape=[]), "at least 1"),
        (_with(good, tape=[*tape[:-1], {**tape[-1], "kind": "spell"}]), "needs a newer Unitone"),
        (_with(good, job={**good["job"], "number": 0}), "job.number"), (_with(good, pictures={}), "a picture that its log names"),
        (_with(good, pictures=dict.fromkeys(good["pictures"], "AAAA")), "picture in it is damaged"), (_with(good, extra=1), "extra"),
        (_with(good, tape=[*tape[:-1], {**tape[-1], "data": {"quantity": "rx.sinad"}}]), "is not consistent"),
    ):  # fmt: skip
        path.write_text(json.dumps(data), encoding="utf-8")
        with pytest.raises(StoreError, match=says):
            read_job(path)
    for content, says in ((b"\xff\xfe", "is not JSON"), (b"{", "is not JSON"), (b"[" * 100_000, "is not JSON")):
        path.write_bytes(content)
        with pytest.raises(StoreError, match=says):
            read_job(path)
    with pytest.raises(StoreError, match="cannot be read"):
        read_job(tmp_path / "none.json")
    with Logbook(tmp_path / "a") as book, pytest.raises(StoreError, match="cannot be written"):
        write_job(book, session.job_id, tmp_path / "nowhere" / "job.json")


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_a_file_changed_anywhere_is_taken_whole_or_refused(tmp_path: Path, data: st.DataObject) -> None:
    """Values of a good file replaced at random: either it still folds, or one clear error."""
    with Logbook(None) as book:
        good = json.loads(json.dumps(export_job(book, worked(book).job_id)))
        entry = data.draw(st.sampled_from(good["tape"]))
        keys = list(entry["data"])
        key = data.draw(st.sampled_from(keys))
        entry["data"][key] = data.draw(
            st.one_of(st.none(), st.integers(), st.text(max_size=5), st.lists(st.integers(), max_size=2))
        )
        path = tmp_path / "job.json"
        path.write_text(json.dumps(good), encoding="utf-8")
        try:
            taken = read_job(path)
        except StoreError as error:
            assert str(path) in str(error)
            return
        with Logbook(None) as there:
            import_job(there, taken)
            fold(there.tape(taken["job"]["id"]))


def test_names_too_short_to_be_told_from_a_word_are_not_hunted() -> None:
    names = names_in([{"owner": "Al", "call_sign": "OX7RIVER"}, {"owner": ""}], ["Bert", "Bert the pilot"])
    assert names == ("Bert the pilot", "OX7RIVER", "Bert")
    card = Card(1, TARN, owner="x", complaint="Bert the pilot, or Bert")
    assert record_without(card, names).complaint == f"{LEFT_OUT}, or {LEFT_OUT}"


# -- damage ---------------------------------------------------------------------------------------


def _damage(folder: Path, share: float, seed: int) -> None:
    """Overwrite pages in the middle of the file, never the first."""
    path = folder / FILE_NAME
    content = bytearray(path.read_bytes())
    pages = len(content) // 4096
    rng = random.Random(seed)
    for page in rng.sample(range(1, pages), max(1, int(pages * share))):
        content[page * 4096 : (page + 1) * 4096] = bytes(rng.randrange(256) for _ in range(4096))
    path.write_bytes(bytes(content))


def test_what_a_damaged_logbook_still_gives_is_shown_and_nothing_is_written(tmp_path: Path) -> None:
    good = tmp_path / "good"
    with Logbook(good) as book:
        for number in range(1, 31):
            session = worked(book, number)
            for n in range(20):
                session.note(f"note {n} of job {number} " + "with many words " * 6)
            session.keep_summary()
        backup(good, tmp_path / "copy.zip")
        whole = {r.number: len(book.tape(r.id)) for r in book.jobs()}
    database = sqlite3.connect(good / FILE_NAME)
    database.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    database.close()
    gave = 0
    for seed in range(6):
        folder = tmp_path / f"damaged-{seed}"
        shutil.copytree(good, folder)
        _damage(folder, 0.05, seed)
        damaged = (folder / FILE_NAME).read_bytes()
        book, found = salvage(folder)
        with book:
            rows = book.jobs()
            assert found.whole + found.broken == len(rows) and (folder / FILE_NAME).read_bytes() == damaged, (
                "it is not touched"
            )
            for row in rows:
                state = fold(book.tape(row.id), row.id)
                assert len(state.entries) <= whole[row.number] and state.card.number == row.number
            assert found.entries == sum(len(book.tape(r.id)) for r in rows)
            with pytest.raises(StoreError, match="open for reading only: this was not logged"):
                book.set_setting("look", {})
            gave += bool(rows)
    # A page that all others hang from may be among the damaged: then the backup is all there is.
    assert gave >= 4
    path, when = last_backup(good) or (None, "")
    assert path == tmp_path / "copy.zip" and when.endswith("Z")
    (tmp_path / "copy.zip").unlink()
    assert last_backup(good) is None


def test_a_file_that_is_nothing_at_all_is_called_damaged(tmp_path: Path) -> None:
    (tmp_path / FILE_NAME).write_bytes(b"SQLite format 3\0" + b"\7" * 9000)
    with pytest.raises(DamagedLogbook, match="restore a backup"):
        Logbook(tmp_path)
    book, found = salvage(tmp_path)
    with book:
        assert book.jobs() == [] and found.words == "Nothing in it can be read."
