"""Fixtures of the window's tests; without PyQt6 they are left out (the core is proved without it)."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from unitone.desktop.features.bench.page import BenchPage
from unitone.desktop.features.card.page import CardPage
from unitone.desktop.shell.app import make_application
from unitone.desktop.shell.errand import Errand
from unitone.desktop.shell.window import MainWindow
from unitone.desktop.theme.theme import theme
from unitone.robot.demo_data import fill
from unitone.store.logbook import Logbook
from virtualcard import PACKAGES, VirtualCard, there_is_one

_PATIENCE_MS = 90_000


@pytest.fixture(scope="session", autouse=True)
def card() -> Iterator[VirtualCard | None]:
    """A sound card that is not there, before Qt first asks for one; None where no sound server can be installed."""
    if not there_is_one():
        yield None
        return
    made = VirtualCard()
    yield made
    made.stop()


@pytest.fixture
def there(card: VirtualCard | None) -> Iterator[VirtualCard]:
    """The virtual sound card, which the test needs."""
    if card is None:
        pytest.skip(f"no sound server is installed: apt-get install {PACKAGES}")
    yield card
    card.settle()


@pytest.fixture(scope="session")
def qapp_cls() -> type[QApplication]:
    return QApplication


@pytest.fixture(scope="session", autouse=True)
def application(card: VirtualCard | None, qapp: QApplication) -> QApplication:
    """The one application, held from the first test to the last: with one that nobody holds every QObject goes, the theme among them."""
    return qapp


@pytest.fixture
def qtbot(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> Iterator[QtBot]:
    """Pytest-qt's, which holds on to the widgets that it shows.

    It knows them weakly. Once a test's function has ended, a widget that stands in a cycle with its own signals is rubbish,
    and may be collected in the midst of its own last painting: the process ends.
    """
    held: list[QWidget] = []
    add = qtbot.addWidget

    def hold(widget: QWidget, **how: Any) -> None:
        held.append(widget)
        if widget.parentWidget() is None and not widget.property("dressed"):
            theme.dress(widget)
        add(widget, **how)

    monkeypatch.setattr(qtbot, "addWidget", hold)
    # Five seconds, where a test names none, are not enough on a machine that is busy with something else.
    for name in ("waitUntil", "waitSignal", "waitExposed"):
        monkeypatch.setattr(qtbot, name, partial(getattr(qtbot, name), timeout=_PATIENCE_MS))
    yield qtbot
    held.clear()


class _Moves(QObject):
    """Notes when anything is shown, moved or made larger or smaller."""

    _KINDS = frozenset((QEvent.Type.Show, QEvent.Type.Move, QEvent.Type.Resize))

    def __init__(self) -> None:
        super().__init__()
        self.seen = True

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in self._KINDS and isinstance(watched, QWidget):
            self.seen = True
        return False


class Desk:
    """The real window with hands: keys and clicks go in, what it shows comes out."""

    def __init__(self, qtbot: QtBot, logbook: Logbook) -> None:
        make_application()
        theme.use("day", 1.0)
        self.qtbot, self.logbook = qtbot, logbook
        self.window = MainWindow(logbook)
        qtbot.addWidget(self.window)
        self.window.show()
        qtbot.waitExposed(self.window)
        self.window.activateWindow()
        qtbot.waitUntil(lambda: QApplication.activeWindow() is self.window, timeout=60000)

    @property
    def bench(self) -> BenchPage:
        page = self.window._bench
        assert isinstance(page, BenchPage)
        return page

    def open(self, number: int) -> None:
        """Take a job to the bench."""
        self.window.open_job(self.logbook.job(str(number)).id)
        self.qtbot.waitUntil(lambda: self.bench.view is not None and self.bench.view.number == number, timeout=90000)
        self.bench.setFocus()

    def key(self, key: Qt.Key | str, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Press a key where the focus is."""
        if QApplication.activeWindow() is not self.window:
            # A closed list of completions may leave the offscreen screen with another active window, or none.
            self.window.activateWindow()
            self.qtbot.waitUntil(lambda: QApplication.activeWindow() is self.window, timeout=60000)
        target = QApplication.focusWidget() or self.window
        if isinstance(key, str):
            self.qtbot.keyClicks(target, key)
        else:
            self.qtbot.keyClick(target, key, modifier)

    def until(self, true: Callable[[], bool], timeout: int = 90000) -> None:
        self.qtbot.waitUntil(true, timeout=timeout)

    def after(self, act: Callable[[], None]) -> None:
        """Do something and wait for the picture that comes of it."""
        self.quiet()
        before = self.bench._generation
        act()
        self.until(lambda: self.bench._generation > before)
        self.quiet()

    def steady(self) -> None:
        """Wait until every errand has answered and nothing in the window moves any more: a condition, however busy the machine is."""
        moves, rests, before = _Moves(), 0, list[Any]()
        app = QApplication.instance()
        assert app is not None

        def still() -> bool:
            nonlocal rests, before
            if any(e.running is not None and e.running.is_alive() for e in self.window.findChildren(Errand)):
                return False
            # A row that is fitted anew moves and comes back: what counts is where everything stands then. Looked at after a move alone.
            if moves.seen:
                moves.seen = False
                now = [(w, w.geometry().getRect()) for w in self.window.findChildren(QWidget) if w.isVisible()]
                rests, before = (rests if now == before else 0), now
            rests += 1
            return rests > 6

        app.installEventFilter(moves)
        try:
            self.until(still)
        finally:
            app.removeEventFilter(moves)

    def quiet(self) -> None:
        """Wait until everything that was asked is done, and its last picture is the one that is shown."""
        worker = self.window.worker
        assert worker is not None
        done: list[bool] = []
        worker._queue.put(lambda: done.append(True))
        self.until(lambda: bool(done) and self.shown() >= worker._generation)

    def shown(self) -> int:
        """The latest picture that the Bench or the job card has shown."""
        bench, card = self.window._bench, self.window._card
        return max(
            bench._generation if isinstance(bench, BenchPage) else -1,
            card.generation if isinstance(card, CardPage) else -1,
        )


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo workshop's logbook, filled once; to be copied."""
    folder = tmp_path_factory.mktemp("filled") / "demo"
    with Logbook(folder) as logbook:
        fill(logbook)
    return folder


@pytest.fixture
def desk(qtbot: QtBot, tmp_path: Path, demo_folder: Path) -> Iterator[Desk]:
    """The demo workshop in a window of its own."""
    shutil.copytree(demo_folder, tmp_path / "demo")
    logbook = Logbook(tmp_path / "demo")
    made = Desk(qtbot, logbook)
    yield made
    made.window.close()
    logbook.close()
