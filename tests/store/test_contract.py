"""The contract of a store: whatever stands behind ``store.ports`` passes this.

SQLite on disk and in memory, PostgreSQL, and a bench's copy of a shared one."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from unitone.errors import StoreError
from unitone.job.card import Card
from unitone.job.entries.hands import Turned
from unitone.job.entries.notes import Noted
from unitone.job.entries.opening import Opened
from unitone.job.fold import fold
from unitone.sheet.library import find
from unitone.store.logbook import Logbook, text_hash
from unitone.store.places import open_place
from unitone.store.ports import Store
from unitone.store.postgres.server import Server

TEXT = find("ostrel-tarn-40").read_text(encoding="utf-8")


def made(kind: str, request: pytest.FixtureRequest, folder: Path) -> Logbook:
    if kind in ("on disk", "in memory"):
        return Logbook(folder if kind == "on disk" else None)
    address = request.getfixturevalue("database").fresh()
    return Logbook(Server(address)) if kind == "server" else open_place(address, bench="Left", folder=folder)


@pytest.fixture(params=["on disk", "in memory", "server", "shared"])
def store(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Store]:
    with made(request.param, request, tmp_path) as book:
        yield book


def opened(store: Store, number: int, serial: str = "", complaint: str = "") -> str:
    card = Card(number, "ostrel-tarn-40", serial, complaint=complaint)
    return store.create_job(card, "Ostrel Tarn 40", Opened(card.to_data(), "ostrel-tarn-40", text_hash(TEXT), TEXT))


def test_a_log_is_kept_in_order_and_takes_each_number_once(store: Store) -> None:
    job = opened(store, store.next_number())
    said = [Noted("one"), Turned("T1", 45_000, 45_000, False), Noted("two")]
    kept = [store.append(job, s, float(n), n) for n, s in enumerate(said, 2)]
    tape = store.tape(job)
    assert [e.seq for e in tape] == [1, 2, 3, 4] and [e.said for e in tape[1:]] == said and tape[1:] == kept
    assert len({e.id for e in tape}) == 4 and all(e.utc.endswith("Z") for e in tape)
    with pytest.raises(Exception, match="in the logbook already"):
        store.append(job, Noted("again"), 0.0, 4)
    assert store.tape(job) == tape and fold(tape, job).positions["T1"] == 45_000
    with pytest.raises(StoreError, match="no job"):
        store.tape("01M8CJBGNZNZF7H446NM3SB5Z6")


def test_jobs_are_numbered_found_and_counted(store: Store) -> None:
    assert store.next_number() == 1 and store.jobs() == [] and store.find_job("1") is None
    ids = []
    for complaint in ("deaf", "deaf and hums", "no power"):
        ids.append(opened(store, n := store.next_number(), f"40-{n:04d}", complaint))
    assert store.next_number() == 4 and [r.number for r in store.jobs()] == [3, 2, 1]
    with pytest.raises(StoreError, match="exists already"):
        opened(store, 3)
    assert [r.number for r in store.jobs("deaf")] == [2, 1] and [r.number for r in store.jobs("deaf hum")] == [2]
    store.append(ids[2], Noted("the relay sticks"), 0.0, 2)
    assert [r.number for r in store.jobs("relay")] == [3] and store.jobs("relay deaf") == []
    store.put_summary(ids[1], "waiting", {"why": "a crystal"})
    assert [r.number for r in store.jobs(status="waiting")] == [2] and store.counts() == {"open": 2, "waiting": 1}
    assert [r.number for r in store.jobs(limit=1, offset=1)] == [2]
    by_id = store.find_job(ids[1])
    assert by_id is not None and by_id == store.find_job("2") and by_id.summary == {"why": "a crystal"}
    assert [r.number for r in store.like(serial="40-0003")] == [3] and len(store.like("ostrel-tarn-40")) == 3


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    content=st.binary(max_size=5000),
    text=st.text(max_size=200).filter(lambda t: "\0" not in t),
    number=st.integers(-(2**50), 2**50),
)
def test_pictures_and_settings_come_back_as_they_were(store: Store, content: bytes, text: str, number: int) -> None:
    hashed = store.put_blob(content)
    assert hashed == store.put_blob(content) == hashlib.sha256(content).hexdigest() and store.blob(hashed) == content
    try:
        text.encode("utf-8")
    except UnicodeEncodeError:
        return
    for value in ({"words": text, "n": [number, None, True, 1.5]}, number, text, [], None):
        store.set_setting("kit", value)
        assert store.setting("kit", "none") == value and store.setting("nothing", 5) == 5


def test_what_is_missing_is_said(store: Store) -> None:
    with pytest.raises(StoreError, match="missing"):
        store.blob("0" * 64)
