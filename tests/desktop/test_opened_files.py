"""A file opened from outside: it goes to the window that is there, or to a new one, and each kind to its place."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtNetwork import QLocalSocket
from pytestqt.qtbot import QtBot

from desktop.conftest import Desk
from unitone.cli.main import _files_to_open
from unitone.desktop.shell.app import Program, Refused, make_application
from unitone.desktop.shell.doorbell import Doorbell, _name, ring
from unitone.desktop.shell.window import MainWindow
from unitone.job.card import Card
from unitone.session.session import open_job
from unitone.sheet.library import find
from unitone.store.exchange import write_job
from unitone.store.logbook import Logbook

pytestmark = pytest.mark.window

RING = "import sys\nfrom pathlib import Path\nfrom unitone.desktop.shell.doorbell import ring\nprint(ring(Path(sys.argv[1]), [Path(sys.argv[2])]))"


def test_each_kind_goes_to_its_place(desk: Desk, tmp_path: Path) -> None:
    window = desk.window
    with Logbook(tmp_path / "other") as other:
        job = open_job(other, "ostrel-tarn-40", Card(7001, "ostrel-tarn-40", "77-1", complaint="from elsewhere"))
        write_job(other, job, tmp_path / "a.job.json")
    window.open_file(tmp_path / "a.job.json")
    desk.until(lambda: window.pages.currentWidget() is window.jobs and "7001" in window.jobs.notice.text())
    window.open_file(find("ostrel-teal-6"))
    desk.until(lambda: window._sheets is not None and window._sheets.now is not None)
    assert window.pages.currentWidget() is window._sheets
    (tmp_path / "b.exercise.json").write_text('{"format": "unitone-exercise/1"}')
    window.open_file(tmp_path / "b.exercise.json")
    practising = window.practising
    assert practising is not None and window.pages.currentWidget() is practising.page
    assert practising.page.message.isVisible(), "a file that is no exercise is told on that page"
    window.open_file(tmp_path / "c.unitone-backup")
    assert "More ▾" in window.jobs.notice.text()
    window.open_file(tmp_path / "none.job.json")
    desk.until(lambda: "cannot be read" in window.jobs.notice.text())


def test_a_second_start_hands_its_files_to_the_window_that_is_there(qtbot: QtBot, tmp_path: Path) -> None:
    assert not ring(tmp_path, [tmp_path / "x.unitone"]), "nobody is there"
    bell = Doorbell(tmp_path)
    rung: list[list[Path]] = []
    bell.rung.connect(rung.append)
    try:
        with subprocess.Popen(
            [sys.executable, "-c", RING, str(tmp_path), "x.unitone"], stdout=subprocess.PIPE, text=True, cwd=tmp_path
        ) as other:
            qtbot.waitUntil(lambda: bool(rung), timeout=60000)
            assert other.stdout is not None and other.stdout.read().strip() == "True"
        assert rung == [[tmp_path / "x.unitone"]]
        # What is no list of files is dropped, and the next one is heard.
        for said in (b"nonsense\n", b'{"a": 1}\n', b"[" + b"1," * 40_000):
            socket = QLocalSocket()
            socket.connectToServer(_name(tmp_path))
            assert socket.waitForConnected(3000)
            socket.write(said)
            socket.flush()
            qtbot.waitUntil(lambda s=socket: s.state() == QLocalSocket.LocalSocketState.UnconnectedState, timeout=60000)
        assert len(rung) == 1
    finally:
        bell.close()
    assert not ring(tmp_path, []), "a closed window answers nobody"


def test_a_window_that_was_refused_takes_no_doorbell_from_the_one_that_is_there(
    qtbot: QtBot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    make_application()
    first, second = Program(tmp_path / "w"), Program(tmp_path / "w")
    first.open()
    first.listen()
    try:
        second.open()
        second.listen()
        assert first.bell is not None and second.bell is None and isinstance(second.window, Refused)
        assert second.window.words.text() in capsys.readouterr().err, "it says why, on the screen and in the terminal"
        rung: list[list[Path]] = []
        first.bell.rung.connect(rung.append)
        with subprocess.Popen(
            [sys.executable, "-c", RING, str(tmp_path / "w"), "x.unitone-backup"],
            cwd=tmp_path,
            stdout=subprocess.DEVNULL,
        ):
            qtbot.waitUntil(lambda: bool(rung), timeout=60000)
        assert isinstance(first.window, MainWindow) and "is a backup" in first.window.jobs.notice.text()
    finally:
        second.close()
        if first.bell is not None:
            first.bell.close()
        first.close()


def test_which_arguments_are_files() -> None:
    assert _files_to_open(["a.unitone", "--workspace", "w", "b.JOB.json"]) == (
        "w",
        False,
        False,
        ["a.unitone", "b.JOB.json"],
    )
    assert (
        _files_to_open(["--workspace=w"]) is None
        and _files_to_open(["jobs"]) is None
        and _files_to_open(["a.unitone", "--json"]) is None
    )
