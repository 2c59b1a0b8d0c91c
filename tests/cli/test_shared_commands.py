"""A shared logbook from the command line: moved there, listed, backed up, brought back, moved home."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from database import Database
from unitone.cli.commands import run
from unitone.job.card import Card
from unitone.robot.demo_data import fill
from unitone.session.session import open_job
from unitone.store.logbook import Logbook
from unitone.store.postgres.server import Server

TARN = "ostrel-tarn-40"


def test_a_workshop_goes_to_a_server_and_home(
    database: Database, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    address = database.fresh().replace("unitone@", "unitone:secret@")
    with Logbook(tmp_path / "own") as book:
        fill(book)
        jobs = len(book.jobs())
    (tmp_path / "own" / "sheets").mkdir(exist_ok=True)
    (tmp_path / "own" / "sheets" / "mine.toml").write_text("x")
    assert run(["move", str(tmp_path / "own"), address]) == 0
    said = capsys.readouterr().out
    assert f"{jobs} jobs taken over, 0 were there already" in said and "secret" not in said
    assert run(["--workspace", address, "jobs", "--json"]) == 0
    assert len(json.loads(capsys.readouterr().out)) == jobs
    assert run(["--workspace", address, "doctor", "--json"]) in (0, 1)
    checks = json.loads(capsys.readouterr().out)["checks"]
    assert next(c for c in checks if c["id"] == "server")["state"] == "works"
    # A backup is of this bench's copy, brought up to date; brought back, it adds what the server lacks.
    assert run(["--workspace", address, "backup", str(tmp_path / "all.zip")]) == 0
    assert f"{jobs} jobs" in capsys.readouterr().out
    other = database.fresh()
    with Logbook(Server(other)) as far:
        open_job(far, TARN, Card(1, TARN, complaint="was there"))
    assert run(["--workspace", other, "restore", str(tmp_path / "all.zip")]) == 0
    assert f"{jobs} jobs taken over" in capsys.readouterr().out
    assert run(["move", other, str(tmp_path / "home")]) == 0
    with Logbook(tmp_path / "home", read_only=True) as book:
        assert len(book.jobs()) == jobs + 1 and book.jobs("was there")
    assert (tmp_path / "home" / "sheets" / "mine.toml").read_text() == "x"
    capsys.readouterr()
    # While the server is away, the copy of this bench is backed up, and that is said.
    database.kill()
    try:
        assert run(["--workspace", address, "backup", str(tmp_path / "away.zip")]) == 0
        told = capsys.readouterr()
        assert f"{jobs} jobs" in told.out and "backed up as it is" in told.err
        assert run(["--workspace", address, "jobs"]) == 3
        assert "does not answer" in (said := capsys.readouterr().err) and "secret" not in said
    finally:
        database.start()
    assert run(["move", address, address]) == 2 and run(["demo", "--no-window", "--workspace", address]) == 3
