"""A logbook that several benches share: nothing lost, nothing doubled, whoever is away and whenever the wire breaks."""

from __future__ import annotations

import random
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from database import Database
from unitone.errors import ServerAway, StoreError
from unitone.job.card import Card
from unitone.job.entries.notes import Noted
from unitone.job.entries.opening import Opened
from unitone.job.fold import fold
from unitone.robot.demo_data import fill
from unitone.sheet.library import find
from unitone.store.backup import backup, restore
from unitone.store.logbook import Logbook, text_hash
from unitone.store.moving import copy_sheets, move
from unitone.store.places import open_place
from unitone.store.postgres.server import Server
from unitone.store.shared.sharing import Link

SHEET = "ostrel-tarn-40"
TEXT = find(SHEET).read_text(encoding="utf-8")
Open = Callable[[str], Logbook]


@pytest.fixture
def address(database: Database) -> str:
    return database.fresh()


@pytest.fixture
def bench(address: str, tmp_path: Path) -> Iterator[Open]:
    """Benches on one server by their names; each is closed at the end."""
    opened: list[Logbook] = []

    def come(name: str) -> Logbook:
        opened.append(open_place(address, bench=name, folder=tmp_path / name))
        return opened[-1]

    yield come
    for book in opened:
        book.close()


def link(book: Logbook) -> Link:
    assert isinstance(book.sharing, Link)
    return book.sharing


def new_job(book: Logbook, complaint: str = "deaf") -> str:
    card = Card(book.next_number(), SHEET, "40-1", complaint=complaint)
    return book.create_job(card, "Ostrel Tarn 40", Opened(card.to_data(), SHEET, text_hash(TEXT), TEXT))


def said(book: Logbook, job: str) -> list[str]:
    return [e.said.text for e in book.tape(job) if isinstance(e.said, Noted)]


def note(book: Logbook, job: str, words: str) -> None:
    book.append(job, Noted(words), 0.0, len(book.tape(job)) + 1)


def cut(book: Logbook, monkeypatch: pytest.MonkeyPatch) -> None:
    """This bench's wire is out; the others go on."""

    def away() -> Server:
        raise ServerAway.at("the server", "cut")

    monkeypatch.setattr(link(book), "_there", away)
    with pytest.raises(ServerAway):
        link(book).exchange()


def test_what_one_bench_does_the_others_read_and_find(bench: Open, address: str) -> None:
    left, right = bench("Left"), bench("Right")
    job = new_job(left)
    picture = left.put_blob(b"a photograph")
    note(left, job, "the relay sticks")
    left.put_summary(job, "waiting", {"why": "a crystal"})
    left.set_setting("workshop", "By the canal")
    left.set_setting("instruments", {"generator": "of this bench"})
    link(left).exchange()
    link(right).exchange()
    assert right.tape(job) == left.tape(job) and right.blob(picture) == b"a photograph"
    assert [r.id for r in right.jobs("relay stick")] == [job] and right.job(job) == left.job(job)
    assert right.setting("workshop") == "By the canal" and right.setting("instruments") is None
    with Logbook(Server(address)) as far:
        assert far.tape(job) == left.tape(job) and far.jobs("relay") == right.jobs("relay")
    numbers = {left.next_number(), right.next_number()}
    assert len(numbers) == 2 and 1 not in numbers


def test_a_job_is_one_benchs_until_it_is_taken_over(bench: Open) -> None:
    left, right = bench("Left"), bench("Right")
    job = new_job(left)
    assert link(left).open_job(job) == ""
    link(left).exchange()
    link(right).exchange()
    words = link(right).open_job(job)
    assert "open at Left since" in words and link(right).held()[job].bench == "Left"
    with pytest.raises(StoreError, match="open at Left"):
        note(right, job, "not mine")
    note(left, job, "just now")
    link(right).take_over(job)
    assert said(right, job) == ["just now"]  # what was entered last came first
    note(right, job, "mine now")
    with pytest.raises(StoreError, match="open at Right"):
        note(left, job, "too late")
    link(right).exchange()
    link(left).exchange()
    assert any("Right has taken over job 0001" in n for n in link(left).notices()) and link(left).notices() == []
    assert said(left, job) == said(right, job) == ["just now", "mine now"]
    link(right).leave_job(job)
    link(right).exchange()
    assert link(left).open_job(job) == "" and link(left).held() == {}


def test_the_work_goes_on_while_the_server_is_away(address: str, database: Database, tmp_path: Path) -> None:
    address = address.replace("unitone@", "unitone:secret@")
    left = open_place(address, bench="Left", folder=tmp_path / "Left")
    job = new_job(left)
    link(left).open_job(job)
    link(left).exchange()
    database.kill()
    try:
        for n in range(5):
            note(left, job, f"away {n}")
        other = new_job(left, "made while away")
        with pytest.raises(ServerAway):
            link(left).exchange()
        stands = link(left).status()
        assert stands.waiting == 7 and stands.away_since and "secret" not in stands.server + stands.why
        left.close()
        # The bench is switched off and on again: the copy has it all.
        left = open_place(address, bench="Left", folder=tmp_path / "Left")
        assert (
            said(left, job) == [f"away {n}" for n in range(5)]
            and left.job(other).card["complaint"] == "made while away"
        )
        with pytest.raises(ServerAway):
            open_place(address, bench="Right", folder=tmp_path / "never")
    finally:
        database.start()
    link(left).exchange()
    assert link(left).status().waiting == 0 and link(left).status().away_since == ""
    with Logbook(Server(address)) as far:
        assert far.tape(job) == left.tape(job) and [r.id for r in far.jobs("away made")] == [other]
    left.close()


def test_what_two_benches_did_apart_is_kept_twice(bench: Open, monkeypatch: pytest.MonkeyPatch) -> None:
    left, right = bench("Left"), bench("Right")
    job = new_job(left)
    link(left).open_job(job)
    note(left, job, "together")
    link(left).exchange()
    link(right).exchange()
    with monkeypatch.context() as wire:
        cut(left, wire)
        note(left, job, "left alone")
        note(left, job, "still alone")
        monkeypatch.setattr("unitone.store.shared.sharing._HANDING_OVER", 0.2)
        link(right).take_over(job)
        note(right, job, "right goes on")
        link(right).exchange()
    link(left).exchange()
    assert said(left, job) == ["together", "right goes on"] == said(right, job)
    told = link(left).notices()
    mine = next(r for r in left.jobs("alone") if r.id != job)
    assert any(f"kept as job {mine.number:04d}" in n for n in told)
    assert said(left, mine.id)[:3] == ["together", "left alone", "still alone"]
    assert fold(left.tape(mine.id), mine.id).card.number == mine.number
    link(left).exchange()
    link(right).exchange()
    assert right.tape(mine.id) == left.tape(mine.id)


def test_a_number_given_twice_is_put_right(bench: Open, address: str) -> None:
    left = bench("Left")
    with Logbook(Server(address)) as far:
        card = Card(50, SHEET)
        theirs = far.create_job(card, "Another", Opened(card.to_data(), SHEET, text_hash(TEXT), TEXT))
    link(left)._numbers.append((50, 50))
    card = Card(50, SHEET)
    ours = left.create_job(card, "Ostrel Tarn 40", Opened(card.to_data(), SHEET, text_hash(TEXT), TEXT))
    link(left).exchange()
    assert left.find_job(ours) is None and left.job("50").id == theirs and len(left.jobs()) == 2
    with Logbook(Server(address)) as far:
        assert {r.radio for r in far.jobs()} == {"Another", "Ostrel Tarn 40"}


def test_a_wire_that_breaks_at_any_moment_loses_and_doubles_nothing(
    bench: Open, address: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The worst break is the one after the server has kept it and before the bench has heard so."""
    left, rng, true = bench("Left"), random.Random(7), Server.write
    job = new_job(left)

    def breaks(server: Server, work):  # type: ignore[no-untyped-def]
        if rng.random() < 0.3:
            raise ServerAway.at("the server", "before")
        result = true(server, work)
        if rng.random() < 0.4:
            raise ServerAway.at("the server", "after")
        return result

    with monkeypatch.context() as wire:
        wire.setattr(Server, "write", breaks)
        for n in range(40):
            note(left, job, f"note {n}")
            try:
                link(left).exchange()
            except ServerAway:
                continue
    link(left).exchange()
    with Logbook(Server(address)) as far:
        assert said(far, job) == [f"note {n}" for n in range(40)] and far.tape(job) == left.tape(job)


def test_two_benches_write_while_the_server_is_killed(bench: Open, address: str, database: Database) -> None:
    books = [bench("Left"), bench("Right")]
    jobs = [new_job(b) for b in books]
    wrong: list[BaseException] = []

    def work(book: Logbook, job: str) -> None:
        try:
            for n in range(150):
                book.append(job, Noted(str(n)), 0.0, n + 2)
        except BaseException as error:
            wrong.append(error)

    threads = [threading.Thread(target=work, args=pair) for pair in zip(books, jobs, strict=True)]
    for thread in threads:
        thread.start()
    database.kill()
    database.start()
    for thread in threads:
        thread.join()
    assert not wrong
    for book in books:
        link(book).exchange()
    link(books[0]).exchange()
    with Logbook(Server(address)) as far:
        for book, job in zip(books, jobs, strict=True):
            assert said(far, job) == [str(n) for n in range(150)] == said(book, job) == said(books[0], job)


def test_a_workshop_moves_to_a_server_and_back(bench: Open, address: str, tmp_path: Path) -> None:
    with Logbook(tmp_path / "own") as own:
        fill(own)
        number = own.jobs()[-1].number
        with Logbook(Server(address)) as far:
            taken = Card(number, SHEET)
            far.create_job(taken, "Was there", Opened(taken.to_data(), SHEET, text_hash(TEXT), TEXT))
            first = move(own, far)
            assert first.jobs == len(own.jobs()) and len(first.renumbered) == 1 and move(own, far).jobs == 0
    left = bench("Left")
    with Logbook(tmp_path / "own") as own, Logbook(tmp_path / "back") as back:
        assert move(left, back).jobs == len(own.jobs()) + 1
        for row in own.jobs():
            there = [e.said for e in back.tape(row.id)]
            assert there[1:] == [e.said for e in own.tape(row.id)][1:]
            assert set(own.export_job(row.id).get("pictures", ())) == set(back.export_job(row.id).get("pictures", ()))
        assert back.setting("workshop") == own.setting("workshop")
    # A job that has gone on is brought up to date; one that has gone on in both is copied beside the other.
    job = left.jobs()[-1].id
    with Logbook(tmp_path / "back") as back:
        before = len(back.jobs())
        note(left, job, "quartzite")
        again = move(left, back)
        assert (again.jobs, again.gone_on) == (1, 1) and back.tape(job) == left.tape(job) and back.jobs("quartzite")
        note(left, job, "on the left")
        note(back, job, "on the right")
        assert move(left, back).jobs == 1 and len(back.jobs()) == before + 1 and move(left, back).jobs == 0
        assert {said(back, r.id)[-1] for r in back.jobs("quartzite")} == {"on the left", "on the right"}
    # The copy at the bench is backed up as any logbook is.
    link(left).exchange()
    made = backup(tmp_path / "Left", tmp_path / "all.unitone-backup")
    assert restore(tmp_path / "all.unitone-backup", tmp_path / "again")[0] == made.jobs == len(left.jobs())


def test_own_sheets_go_along_and_nothing_is_written_over(tmp_path: Path) -> None:
    for name, words in (("a.toml", "a"), ("b/c.toml", "c")):
        (tmp_path / "from" / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "from" / name).write_text(words)
    (tmp_path / "to").mkdir()
    (tmp_path / "to" / "a.toml").write_text("mine")
    assert copy_sheets(tmp_path / "from", tmp_path / "to") == ("a.toml",)
    assert (tmp_path / "to/a.toml").read_text() == "mine" and (tmp_path / "to/b/c.toml").read_text() == "c"


@pytest.mark.parametrize(
    ("written", "words"),
    [
        ("mysql://bench@server/workshop", "needs PostgreSQL"),
        ("postgresql://server", "name of a database"),
        ("://", "not a server's address"),
    ],
)
def test_an_address_that_is_none_is_said(written: str, words: str, tmp_path: Path) -> None:
    with pytest.raises(StoreError, match=words):
        open_place(written, folder=tmp_path)


def test_a_database_of_somebody_else_is_left_alone(database: Database, tmp_path: Path) -> None:
    import psycopg

    address = database.fresh()
    with psycopg.connect(address, autocommit=True) as c:
        c.execute("CREATE TABLE stock (part text)")
    with pytest.raises(StoreError, match="holds something else"):
        open_place(address, folder=tmp_path / "a")
    with pytest.raises(StoreError, match="no logbook of this version"):
        open_place(database.fresh(), read_only=True)
