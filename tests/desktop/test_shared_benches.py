"""Several benches on one logbook, through the window: there from Settings, a job taken over, the server away, and back."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from pytestqt.qtbot import QtBot

from database import Database
from unitone.desktop.features.bench.page import BenchPage
from unitone.desktop.features.workshop.shared import SharedBox
from unitone.desktop.shell.app import Program, Refused, make_application
from unitone.desktop.shell.window import MainWindow
from unitone.job.card import Card
from unitone.job.entries.notes import Noted
from unitone.session.session import open_job
from unitone.store.kept_place import kept_place
from unitone.store.logbook import Logbook
from unitone.store.places import open_place

TARN = "ostrel-tarn-40"


@pytest.fixture
def program(qtbot: QtBot, tmp_path: Path) -> Iterator[Program]:
    make_application()
    with Logbook(tmp_path / "own") as book:
        for number in (1, 2, 3):
            open_job(book, TARN, Card(number, TARN, f"40-{number}", complaint="hums"))
        book.set_setting("first_evening", True)
    made = Program(tmp_path / "own")
    made.open()
    yield made
    made.close()
    qtbot.wait(20)


def window_of(program: Program) -> MainWindow:
    assert isinstance(program.window, MainWindow)
    return program.window


def settings(program: Program) -> SharedBox:
    window = window_of(program)
    window.show_settings()
    assert window._workshop is not None
    box = window._workshop.findChild(SharedBox)
    assert box is not None
    return box


def test_a_bench_joins_works_beside_another_and_leaves(
    program: Program, qtbot: QtBot, database: Database, tmp_path: Path
) -> None:
    address = database.fresh()
    first = window_of(program)
    box = settings(program)
    box.address.setText("mysql://somewhere")
    box.press()
    qtbot.waitUntil(lambda: "needs PostgreSQL" in box.words.text(), timeout=60000)
    box.bench.setText("Left bench")
    box.address.setText(address)
    box.go.click()
    qtbot.waitUntil(lambda: isinstance(program.window, MainWindow) and program.window is not first, timeout=90000)
    window = window_of(program)
    assert "3 jobs copied" in window.jobs.notice.text() and window.jobs.model.rowCount() == 3
    assert kept_place().address == address and kept_place().bench == "Left bench"

    # Another bench comes, takes job 2 and makes one of its own: both are seen here without a key.
    right = open_place(address, bench="Right", folder=tmp_path / "right")
    assert right.sharing is not None
    taken = right.job("2").id
    assert right.sharing.open_job(taken) == ""
    open_job(right, TARN, Card(right.next_number(), TARN, complaint="made at the right"))
    right.sharing.exchange()

    def row(number: int) -> str:
        at = next((n for n, r in enumerate(window.jobs.model.rows) if r.number == number), None)
        return "" if at is None else str(window.jobs.model.data(window.jobs.model.index(at), 0))

    qtbot.waitUntil(lambda: window.jobs.model.rowCount() == 4 and "open at Right" in row(2), timeout=60000)

    # It can be looked at, follows what is done there, and takes nothing until it is taken over.
    window.open_job(taken)
    bench = window.bench_page()
    assert isinstance(bench, BenchPage)
    qtbot.waitUntil(lambda: bench.view is not None and bench.view.number == 2, timeout=90000)
    strip = window.sharing
    qtbot.waitUntil(lambda: strip.isVisible() and "open at Right since" in strip.words.text(), timeout=60000)
    right.append(taken, Noted("from the right"), 0.0, len(right.tape(taken)) + 1)
    assert window.worker is not None
    worker = window.worker
    qtbot.waitUntil(
        lambda: worker._session is not None and worker._session.state.notes[-1:] != []
        and worker._session.state.notes[-1][1] == "from the right",
        timeout=60000,
    )  # fmt: skip
    with qtbot.waitSignal(worker.failed, timeout=60000) as said:
        worker.do(lambda s: s.note("mine?"))
    assert "take it over" in said.args[0]
    strip.take.click()
    qtbot.waitUntil(lambda: not strip.isVisible(), timeout=60000)
    worker.do(lambda s: s.note("mine now"))
    qtbot.waitUntil(
        lambda: worker._session is not None and worker._session.state.notes[-1][1] == "mine now", timeout=60000
    )
    assert "Left bench" in right.sharing.refusal(taken)

    # The server goes: it is said, work goes on, and all is there when it is back.
    database.kill()
    try:
        worker.do(lambda s: s.note("while it is away"))
        qtbot.waitUntil(lambda: "is away since" in strip.words.text() and "wait" in strip.words.text(), timeout=60000)
    finally:
        database.start()
    qtbot.waitUntil(lambda: not strip.isVisible(), timeout=60000)
    right.sharing.exchange()
    assert isinstance(right.tape(taken)[-1].said, Noted) and right.tape(taken)[-1].said.text == "while it is away"
    right.close()

    # And back to the folder that it came from, with what was done meanwhile.
    box = settings(program)
    assert "Everything is sent" in box.status.text() or "Left bench" in box.status.text()
    box.copy.setChecked(True)
    box.go.click()
    qtbot.waitUntil(lambda: isinstance(program.window, MainWindow) and program.window is not window, timeout=90000)
    window = window_of(program)
    assert program.place == tmp_path / "own" and kept_place().address == ""
    assert "2 jobs copied" in window.jobs.notice.text() and window.jobs.model.rowCount() == 4
    assert window.logbook.jobs("while it is away")[0].number == 2


def test_a_server_that_was_never_reached_keeps_nobody_from_the_own_logbook(
    program: Program, qtbot: QtBot, database: Database, tmp_path: Path
) -> None:
    own = program.place
    nowhere = database.fresh().replace(f":{database.port}/", ":9/")
    program.go_to(nowhere, "")
    qtbot.waitUntil(lambda: isinstance(program.window, Refused) and hasattr(program.window, "home"), timeout=90000)
    assert isinstance(program.window, Refused) and "does not answer" in program.window.words.text()
    program.window.home.click()
    assert program.place == own and window_of(program).jobs.model.rowCount() == 3
