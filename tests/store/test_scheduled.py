"""Backups by themselves: when one is due, that the newest are kept, and that nothing else in the folder is touched."""

from __future__ import annotations

import datetime
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unitone.errors import StoreError
from unitone.job.card import Card
from unitone.session.session import open_job
from unitone.store.backup import restore
from unitone.store.logbook import Logbook
from unitone.store.scheduled import (
    KEPT,
    Schedule,
    backups_in,
    is_due,
    run_if_due,
    run_schedule,
    schedule_of,
    set_schedule,
)

TODAY = datetime.date(2026, 12, 1)


def test_one_a_day_of_which_the_newest_are_kept_and_come_back(tmp_path: Path) -> None:
    disk = tmp_path / "disk"
    disk.mkdir()
    for other in (
        "holiday.jpg",
        "workshop-2026.unitone-backup",
        "workshop-2026-99-99.unitone-backup",
        "mine-2026-01-01.unitone-backup",
    ):
        (disk / other).write_text("mine")
    chosen = Schedule(str(disk), 1)
    with Logbook(tmp_path / "w") as book:
        assert schedule_of(book) == Schedule() and not is_due(schedule_of(book), TODAY)
        set_schedule(book, chosen)
        assert schedule_of(book) == chosen
        book.set_setting("backups", "nonsense")
        assert schedule_of(book) == Schedule()
        open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40"))
        for n in range(KEPT + 3):
            day = TODAY + datetime.timedelta(days=n)
            assert is_due(chosen, day)
            target, made = run_schedule(tmp_path / "w", chosen, day)
            assert made.jobs == 1 and target.is_file() and not is_due(chosen, day)
            assert run_if_due(tmp_path / "w", chosen, day) is None
    there = backups_in(disk)
    assert len(there) == KEPT and there[-1][0] == TODAY + datetime.timedelta(days=KEPT + 2)
    assert {p.name for p in disk.iterdir()} - {p.name for _, p in there} == {
        "holiday.jpg", "workshop-2026.unitone-backup", "workshop-2026-99-99.unitone-backup", "mine-2026-01-01.unitone-backup",
    }  # fmt: skip
    assert restore(there[-1][1], tmp_path / "back")[0] == 1


def test_a_disk_that_is_not_there_is_said_and_nothing_is_made(tmp_path: Path) -> None:
    Logbook(tmp_path / "w").close()
    gone = Schedule(str(tmp_path / "stick"), 7)
    assert is_due(gone, TODAY) and backups_in(tmp_path / "stick") == []
    for run in (run_schedule, run_if_due):
        with pytest.raises(StoreError, match="is not there: no backup was made"):
            run(tmp_path / "w", gone, TODAY)
    assert not (tmp_path / "stick").exists()


@given(st.integers(1, 40), st.integers(-20, 60))
def test_it_is_due_after_as_many_days_whatever_the_clock_did(days: int, passed: int) -> None:
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / f"workshop-{TODAY.isoformat()}.unitone-backup").write_text("x")
        assert is_due(Schedule(folder, days), TODAY + datetime.timedelta(days=passed)) == (passed >= days or passed < 0)
