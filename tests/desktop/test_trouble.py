"""Nothing dies in silence: arbitrary exceptions at every thread's edge are told once, kept in a file, and the thread lives on."""

from __future__ import annotations

import sys
import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

pytest.importorskip("PyQt6.QtWidgets")

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from desktop.conftest import Desk
from unitone import trouble
from unitone.bench.drivers.live import Feed
from unitone.desktop.shell.app import Program
from unitone.desktop.shell.errand import Errand
from unitone.desktop.shell.listener import Listener
from unitone.desktop.shell.trouble import troubles
from unitone.errors import UnitoneError
from unitone.present.meters.meter_shapes import How
from unitone.session.session import Session
from unitone.store.logbook import Logbook
from unitone.trouble import Trouble, describe, report

pytestmark = pytest.mark.window

ERRORS = st.one_of(
    st.sampled_from([KeyError("x"), ValueError("bad"), RecursionError(), MemoryError(), AssertionError(), OSError(5, "gone"), StopIteration()]),
    st.builds(lambda name, words: type(name, (Exception,), {})(words), st.from_regex(r"[A-Z][a-z]{2,8}", fullmatch=True), st.text(max_size=40)),
)  # fmt: skip
GENTLE = settings(max_examples=10, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])


@pytest.fixture
def told(qtbot: QtBot) -> Iterator[list[Trouble]]:
    found: list[Trouble] = []
    troubles.happened.connect(found.append)
    yield found
    troubles.happened.disconnect(found.append)


def test_whatever_a_command_raises_the_bench_goes_on(desk: Desk, told: list[Trouble]) -> None:
    desk.open(147)
    desk.quiet()
    worker = desk.window.worker
    assert worker is not None

    @GENTLE
    @given(ERRORS)
    def thrown(error: Exception) -> None:
        def command(_: Session) -> None:
            raise error

        before = len(told)
        worker.do(command)
        desk.until(lambda: len(told) > before)
        desk.quiet()
        assert type(error).__name__ in told[-1].words and desk.bench.view is not None and desk.bench.view.number == 147

    thrown()
    strip = desk.window.trouble
    assert strip.isVisible() and "safe on disk" in strip.words.text()
    strip.copy.click()
    clipboard = QApplication.clipboard()
    assert clipboard is not None and clipboard.text() == told[-1].details and "test_trouble.py" in clipboard.text()
    strip.dismiss.click()
    assert not strip.isVisible()
    # The thread lives, and so does the session: a turn is logged.
    before = len(desk.logbook.tape(desk.bench.view.job_id))  # type: ignore[union-attr]
    desk.after(lambda: desk.bench.press("cw"))
    assert len(desk.logbook.tape(desk.bench.view.job_id)) == before + 1  # type: ignore[union-attr]


def test_a_command_that_fails_half_way_leaves_the_bench_as_the_log_has_it(desk: Desk, told: list[Trouble]) -> None:
    desk.open(147)
    desk.quiet()

    def command(session: Session) -> None:
        session.state.positions["T1"] = 999
        session.note("written before it failed")
        raise KeyError("owner")

    assert desk.window.worker is not None
    desk.window.worker.do(command)
    desk.until(lambda: bool(told))
    seen: list[int] = []
    desk.window.worker.do(lambda s: seen.append(s.state.positions["T1"]))
    desk.until(lambda: bool(seen))
    assert seen[0] != 999 and desk.logbook.tape(desk.bench.view.job_id)[-1].said.text == "written before it failed"  # type: ignore[union-attr]


def test_whatever_an_errand_or_a_feed_raises_is_answered(qtbot: QtBot, told: list[Trouble]) -> None:
    parent = QObject()
    errand, listener = Errand("errand", parent), Listener(parent)

    @GENTLE
    @given(ERRORS)
    def thrown(error: Exception) -> None:
        failed: list[str] = []

        def work() -> None:
            raise error

        errand.run(work, lambda _: None, failed.append)
        qtbot.waitUntil(lambda: bool(failed), timeout=60_000)
        assert type(error).__name__ in failed[0]
        ended: list[str] = []
        listener.ended.connect(lambda _, words: ended.append(words))

        class Broken(Feed):
            def blocks(self, size: int = 1) -> Iterator[np.ndarray]:  # type: ignore[override]
                del size
                raise error
                yield np.zeros(1)

        listener.start(Broken(48_000.0), How("sinad"))
        qtbot.waitUntil(lambda: bool(ended), timeout=60_000)
        listener.stop()
        # A generator may not end with StopIteration: Python makes another error of it.
        assert ("RuntimeError" if isinstance(error, StopIteration) else type(error).__name__) in ended[0]

    thrown()
    done: list[int] = []
    errand.run(lambda: 7, done.append, lambda _: None)
    qtbot.waitUntil(lambda: done == [7], timeout=60_000)


def test_hooks_catch_what_no_edge_does(qtbot: QtBot, told: list[Trouble], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    monkeypatch.setattr(threading, "excepthook", threading.excepthook)
    troubles.install()
    thread = threading.Thread(target=lambda: 1 / 0, name="loose")
    thread.start()
    thread.join()
    qtbot.waitUntil(lambda: bool(told), timeout=60_000)
    assert "ZeroDivisionError" in told[0].words and "in loose" in told[0].details
    sys.excepthook(ValueError, ValueError("x"), None)
    assert len(told) == 2 and "ValueError" in told[1].words


def test_details_hold_no_words_of_a_job_and_the_file_rotates(state_folder: Path) -> None:
    try:
        raise KeyError("owner Ada Rushlight, call sign M7RIV")
    except KeyError as error:
        found = report(error, "bench")
        assert "Rushlight" not in found.details + found.words and "/" not in found.words
        for _ in range(6000):
            report(error, "bench")
    files = sorted(state_folder.iterdir())
    assert [f.name for f in files] == [trouble.FILE_NAME, *(f"{trouble.FILE_NAME}.{n}" for n in (1, 2, 3))][
        : len(files)
    ]
    assert (
        len(files) > 1
        and all(f.stat().st_mode & 0o077 == 0 for f in files)
        and sum(f.stat().st_size for f in files) < 1_100_000
    )
    text = "".join(f.read_text(encoding="utf-8") for f in files)
    assert "Rushlight" not in text and "KeyError in bench" in text and str(Path.home()) not in text
    try:
        len(5)  # type: ignore[arg-type]
    except TypeError as error:
        assert "has no len" in describe(error, "x").details, "words of the code's own errors name no job"


def test_a_job_that_cannot_be_opened_is_put_away_and_not_opened_again(
    desk: Desk, told: list[Trouble], monkeypatch: pytest.MonkeyPatch
) -> None:
    good, bad = (desk.logbook.job(n).id for n in ("147", "148"))
    desk.open(147)
    desk.until(lambda: desk.logbook.setting("open_job") == good)
    real = Logbook.tape

    def tape(self: Logbook, job_id: str):  # type: ignore[no-untyped-def]
        if job_id == bad:
            raise ZeroDivisionError
        return real(self, job_id)

    monkeypatch.setattr(Logbook, "tape", tape)
    desk.window.open_job(bad)
    desk.until(lambda: desk.window.pages.currentWidget() is desk.window.jobs)
    assert told and "ZeroDivisionError" in told[0].words and desk.logbook.setting("open_job") == ""
    desk.open(147)
    desk.until(lambda: desk.logbook.setting("open_job") == good)


def test_the_next_start_opens_only_a_job_that_was_shown(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with Logbook(tmp_path) as book:
        from unitone.robot.demo_data import fill

        fill(book)
        book.set_setting("open_job", book.job("147").id)
    monkeypatch.setattr(
        "unitone.session.session.read", lambda *_: (_ for _ in ()).throw(UnitoneError("this job ends everything"))
    )
    program = Program(tmp_path)
    program.open()
    window = program.window
    assert window is not None and program.logbook is not None
    logbook = program.logbook
    qtbot.waitUntil(
        lambda: "ends everything" in window.jobs.notice.text(),
        timeout=60_000,
    )  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: logbook.setting("open_job") == "", timeout=60_000)
    program.close()
