"""Fixtures for the whole suite. Nothing here imports Qt: the window's tests have their own conftest."""

from __future__ import annotations

import gc
import os
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from database import Database, programs
from unitone.job.card import Card
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.sheet import Sheet
from unitone.simulator.physics import PhysicsFile, read_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.store.logbook import Logbook

# On a busy machine an example may take its time. Where a test names no number of its own, half the usual one: it runs at every change.
settings.register_profile("patient", deadline=None, max_examples=50)
settings.load_profile("patient")
#: Windows are shown nowhere, whoever starts the tests.
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
SHEET = "ostrel-tarn-40"


def pytest_collection_finish() -> None:
    """What is loaded by now stays to the end: looked through again and again, it costs a tenth of the time."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


@pytest.fixture(autouse=True)
def state_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Unforeseen errors are written to a folder of the test's own."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    return tmp_path / "state" / "unitone"


@pytest.fixture(scope="session")
def sheet() -> Sheet:
    return read_sheet(find(SHEET))


@pytest.fixture(scope="session")
def physics(sheet: Sheet) -> PhysicsFile:
    return read_physics(physics_path(find(SHEET)), sheet)


@pytest.fixture
def aligned(sheet: Sheet, physics: PhysicsFile) -> SimulatedRadio:
    """A simulated radio whose every adjuster stands where this specimen is right."""
    radio = SimulatedRadio(sheet, physics, 5)
    made = radio.mechanics.specimen
    made.found.update(made.right)
    return radio


@pytest.fixture
def book() -> Iterator[Logbook]:
    with Logbook(None) as logbook:
        yield logbook


@pytest.fixture
def new_session(book: Logbook) -> Callable[..., Session]:
    """A session on a new job: ``new_session(seed)`` on a simulated radio, ``new_session(None)`` by hand."""

    def make(seed: int | None = 2, **card: object) -> Session:
        number = book.next_number()
        job = open_job(book, SHEET, Card(number, SHEET, f"40-{number:04d}", simulated_seed=seed, **card))  # type: ignore[arg-type]
        return Session(book, job)

    return make


@pytest.fixture(autouse=True)
def no_thread_left() -> Iterator[None]:
    """A test that leaves a thread running fails."""
    before = set(threading.enumerate())
    yield
    end = time.monotonic() + 5
    while left := [
        t for t in threading.enumerate() if t not in before and t.is_alive() and t.name in ("logbook-writer", "bench")
    ]:
        if time.monotonic() > end:
            pytest.fail(f"threads left running: {left}")
        time.sleep(0.02)


def follow_until(session: Session, stop: Callable[[Session], bool], most: int = 900) -> None:
    """Follow the coach until ``stop``."""
    for _ in range(most):
        if stop(session):
            return
        session.follow(session.advice())
    raise AssertionError("never came there")


@pytest.fixture
def top() -> Path:
    return Path(__file__).resolve().parent.parent


@pytest.fixture(scope="session")
def database() -> Iterator[Database]:
    """A PostgreSQL server for the whole run of this worker."""
    if programs() is None and not os.environ.get("CI"):
        pytest.skip("PostgreSQL is not installed: apt-get install postgresql")
    made = Database()
    try:
        yield made
    finally:
        made.close()
