"""Starting the window; a damaged logbook is opened for reading; a restored one takes its place in the same run."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication, QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from unitone.actions import KEPT_KEYS, use_keys
from unitone.desktop.shell.errand import Errand
from unitone.desktop.shell.trouble import troubles
from unitone.desktop.theme.theme import load_fonts, theme
from unitone.desktop.widgets.painted import label, set_tip
from unitone.errors import DamagedLogbook, UnitoneError
from unitone.session.first_evening import is_first_evening
from unitone.store.kept_place import kept_place
from unitone.store.logbook import Logbook
from unitone.store.places import copy_folder, open_place
from unitone.store.sqlite.reading import FILE_NAME
from unitone.trouble import CrashWatch
from unitone.words import day, language_wanted, tr, tr_n, use_language, use_mark

if TYPE_CHECKING:
    from unitone.desktop.shell.doorbell import Doorbell

_ICON = Path(__file__).resolve().parents[2] / "data" / "icons" / "unitone.svg"


def make_application() -> QApplication:
    """The one QApplication, with typeface and theme."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
        app.setApplicationName("Unitone")
        app.setDesktopFileName("unitone")
        app.setStyle("Fusion")
        app.setWindowIcon(QIcon(str(_ICON)))
    load_fonts()
    return app


class Refused(QWidget):
    """In place of the window where the logbook cannot be used: what happened, what to do, and a backup to go back to."""

    def __init__(
        self,
        words: str,
        restore: Callable[[Path], None] | None,
        backup: Path | None,
        title: str = "",
        home: Callable[[], None] | None = None,
    ) -> None:
        super().__init__()
        title = title or tr("The logbook cannot be used")
        self.setObjectName("paper")
        self.setWindowTitle("Unitone")
        self.setAccessibleName(title)
        self.resize(theme.px(620), theme.px(240))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(32), theme.px(28), theme.px(32), theme.px(24))
        outer.addWidget(label("title", title))
        self.words = label("plain", words, True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        outer.addWidget(self.words, 1)
        row = QHBoxLayout()
        row.addStretch(1)
        self.last: QPushButton | None = None
        if restore is not None:
            other = QPushButton(tr("Restore a backup…"))
            other.clicked.connect(lambda: self._ask(restore))
            row.addWidget(other)
            if backup is not None:
                self.last = QPushButton(tr("Restore the last one"))
                self.last.setProperty("role", "main")
                set_tip(self.last, str(backup))
                self.last.clicked.connect(lambda: restore(backup))
                row.addWidget(self.last)
        if home is not None:
            self.home = QPushButton(tr("Open the logbook of this machine"))
            self.home.setProperty("role", "main")
            self.home.clicked.connect(home)
            row.addWidget(self.home)
        leave = QPushButton(tr("Close"))
        leave.clicked.connect(self.close)
        row.addWidget(leave)
        outer.addLayout(row)
        theme.dress(self)

    def _ask(self, restore: Callable[[Path], None]) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Restore a backup"))
        if name:
            restore(Path(name))


class Program:
    """One window on one folder, or on this bench's copy of a shared logbook; made anew when a backup is restored, or when
    another place is chosen. ``own`` is the folder of this machine, where that is not the place."""

    def __init__(self, place: str | Path, own: Path | None = None) -> None:
        self.place = place
        self.own = own or Path(place)
        self.folder = place if isinstance(place, Path) else copy_folder(place)
        self.window: QWidget | None = None
        self.logbook: Logbook | None = None
        self.code = 0
        self.bell: Doorbell | None = None

    def open(self, notice: str = "") -> None:
        """Open the logbook and show its window, or say why that cannot be."""
        if isinstance(self.place, str) and not (self.folder / FILE_NAME).exists():
            self._fetch(self.place, notice)
            return
        self._open(notice)

    def _fetch(self, address: str, notice: str) -> None:
        """The first time at a server all of it is copied: off the window's thread, for it may be much."""
        waiting = Refused(tr("Copying the shared logbook to this bench…"), None, None, tr("One moment"))
        waiting.show()
        self.window = waiting

        def opened(_: object) -> None:
            self._open(notice)
            waiting.close()
            waiting.deleteLater()

        def failed(words: str) -> None:
            self._refused(" ".join(x for x in (notice, words) if x))

        Errand("copying", waiting).run(lambda: open_place(address, bench=kept_place().bench).close(), opened, failed)

    def _open(self, notice: str) -> None:
        from unitone.desktop.shell.window import MainWindow

        try:
            logbook = open_place(self.place, bench=kept_place().bench)
            self._show(logbook, " ".join(x for x in (notice, logbook.notice) if x))
        except DamagedLogbook as error:
            self._damaged(error, notice)
        except UnitoneError as error:
            self._refused(" ".join(x for x in (notice, str(error)) if x))
        if isinstance(self.window, MainWindow):
            self.code = 0
            self.window.restore_wanted.connect(self.restore)
            # Not inside the click that asked for it: the window goes with its button.
            self.window.language_wanted.connect(self.speak, Qt.ConnectionType.QueuedConnection)
            self.window.place_wanted.connect(self.go_to, Qt.ConnectionType.QueuedConnection)

    def _show(self, logbook: Logbook, notice: str) -> None:
        from unitone.desktop.shell.window import MainWindow

        self.logbook = logbook
        look = logbook.setting("look", {}) or {}
        theme.use(look.get("theme", "day"), look.get("scale", 1.0))
        use_language(language_wanted(str(look.get("language", ""))))
        mark = str(look.get("mark", ""))
        use_mark(mark if mark in (".", ",") else "")
        kept = logbook.setting(KEPT_KEYS, {})
        use_keys({str(k): str(v) for k, v in kept.items()} if isinstance(kept, dict) else {})
        # Asked for before the window comes up at its list and forgets it.
        job = str(logbook.setting("open_job", "") or "")
        window = MainWindow(logbook, notice)
        self.window = window
        window.show()
        if not notice and is_first_evening(logbook):
            window.show_welcome()
        elif job and logbook.find_job(job) is not None:
            # It is remembered again once it was shown: a job that ends the program does not do so at every start.
            window.forget_job()
            QTimer.singleShot(0, lambda: self.window is window and window.open_job(job))

    def _damaged(self, error: DamagedLogbook, notice: str) -> None:
        """What can be read is shown, nothing is written, and the last backup is offered."""
        from unitone.store.salvage import last_backup, salvage

        self.close()
        try:
            book, found = salvage(self.folder)
        except UnitoneError as worse:
            self._refused(f"{error} {worse}")
            return
        last = last_backup(self.folder)
        if not found.whole + found.broken:
            book.close()
            self._refused(" ".join(x for x in (notice, str(error), found.words) if x))
            return
        words = f"{error} {found.words}"
        if last is not None:
            words += " " + tr("Last backup: {path}, {when}. More ▾ restores it.", path=last[0], when=day(last[1]))
        self._show(book, words)

    def _refused(self, words: str) -> None:
        from unitone.store.salvage import last_backup

        self.close()
        print(f"unitone: {words}", file=sys.stderr)
        theme.use("day", 1.0)
        self.code = 3
        last = last_backup(self.folder)
        can = (self.folder / "logbook.sqlite").exists() or last is not None
        home = (lambda: self.go_to("", "")) if isinstance(self.place, str) else None
        self.window = Refused(
            words, self.restore if can and home is None else None, last[0] if last else None, home=home
        )
        self.window.show()

    def restore(self, source: Path) -> None:
        """Put the logbook away, bring the backup in off the window's thread, open what is there then."""
        from unitone.store.backup import restore
        from unitone.store.moving import Moved, restore_to_server

        waiting = Refused(tr("Restoring {path}…", path=source), None, None, tr("One moment"))
        waiting.show()
        self.close()
        self.window = waiting

        def done(result: tuple[int, Path | None] | Moved) -> None:
            if isinstance(result, Moved):
                words = tr_n("{n} job taken over.", "{n} jobs taken over.", result.jobs)
                self._again(
                    waiting, f"{words} " + tr_n("{n} was there already.", "{n} were there already.", result.there)
                )
                return
            jobs, aside = result
            words = tr_n("Restored: {n} job.", "Restored: {n} jobs.", jobs)
            if aside is not None:
                words += " " + tr("What was here lies in {path}.", path=aside)
            self._again(waiting, words)

        def work() -> tuple[int, Path | None] | Moved:
            if isinstance(self.place, str):
                return restore_to_server(source, self.place)
            return restore(source, self.folder)

        Errand("restore", waiting).run(work, done, lambda words: self._again(waiting, words))

    def _again(self, waiting: QWidget, words: str) -> None:
        self.open(words)
        waiting.close()
        waiting.deleteLater()

    def go_to(self, place: str, words: str) -> None:
        """Go on at another place: a server's address, or (empty) the folder of this machine."""
        self.close()
        self.place = place or self.own
        self.folder = self.place if isinstance(self.place, Path) else copy_folder(self.place)
        self.open(words)
        if self.bell is not None:
            self.bell.close()
            self.bell = None
        self.listen()

    def speak(self, code: str) -> None:
        """Go on in another language: the same workshop in a window made anew, at its settings."""
        from unitone.desktop.shell.window import MainWindow

        geometry = self.window.geometry() if self.window is not None else None
        self.close()
        use_language(code)
        self.open()
        if isinstance(self.window, MainWindow):
            if geometry is not None:
                self.window.setGeometry(geometry)
            if self.logbook is not None and not is_first_evening(self.logbook):
                self.window.show_settings()

    def listen(self) -> None:
        """Hear of files that a second start hands over. Who does not hold the logbook takes no doorbell from the window that does."""
        if self.logbook is None or self.logbook.frozen:
            return
        from unitone.desktop.shell.doorbell import Doorbell

        self.bell = Doorbell(self.folder)
        self.bell.rung.connect(self.take)

    def take(self, paths: Sequence[Path]) -> None:
        """Open files in the window; where there is none, the refusal that is shown says why."""
        from unitone.desktop.shell.window import MainWindow

        window = self.window
        if isinstance(window, MainWindow):
            for path in paths:
                window.open_file(path)
            window.raise_()
            window.activateWindow()

    def close(self) -> None:
        """Let go of window and logbook."""
        if self.window is not None:
            self.window.close()
            self.window.deleteLater()
            self.window = None
        if self.logbook is not None:
            self.logbook.close()
            self.logbook = None


def run(place: str | Path, paths: Sequence[Path] = (), own: Path | None = None) -> int:
    """Open the window on the logbook of a folder or a server, and these files in it; where a window has it open, they go there.

    ``own`` is the folder of this machine, where that is not the place. Returns the exit code. Raises StoreError for an address that is none.
    """
    # An exception in a slot would end the process without a word: say it and go on.
    troubles.install()
    # The bench's thread hands the interpreter back soon enough for the window to stay quick.
    sys.setswitchinterval(0.001)
    app = make_application()
    # Imported when they are wanted: the first paint waits for no network.
    if paths:
        from unitone.desktop.shell.doorbell import ring

        if ring(place if isinstance(place, Path) else copy_folder(place), paths):
            return 0
    watch = CrashWatch()
    fallen = watch.last_time()
    watch.begin()
    program = Program(place, own)
    program.open()
    if fallen is not None:
        troubles.happened.emit(fallen)
    program.take(paths)
    # The first paint does not wait for the doorbell.
    QTimer.singleShot(0, program.listen)
    code = app.exec()
    if program.bell is not None:
        program.bell.close()
    program.close()
    watch.end()
    return code or program.code
