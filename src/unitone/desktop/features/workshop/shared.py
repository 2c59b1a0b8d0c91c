"""Settings, shared logbook: which server, what this bench is called there, how things stand; to it, and back."""

from __future__ import annotations

import socket
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QPushButton, QWidget

from unitone.desktop.shell.errand import Errand
from unitone.desktop.shell.sharing import describe_status
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Card, label
from unitone.store.kept_place import KeptPlace, keep_place, kept_place
from unitone.store.logbook import Logbook
from unitone.store.moving import Moved, copy_sheets, move, sheets_of
from unitone.store.places import check_name
from unitone.words import tr, tr_n

_EXAMPLE = "postgresql://bench@server/workshop"


class SharedBox(Card):
    """``place_wanted`` when the program is to go on at a server (its address) or at this machine's folder (empty), with what
    to say there."""

    place_wanted = pyqtSignal(str, str)
    _counted = pyqtSignal(int, int)

    def __init__(self, logbook: Logbook) -> None:
        super().__init__(tr("Shared logbook"), "heading")
        self._logbook = logbook
        self._errand = Errand("moving", self, every=True)
        self._counted.connect(self._count)
        sharing = logbook.sharing
        words = tr(
            "Several benches on one logbook, on a PostgreSQL server of yours. Each bench keeps a copy: while the server is away, work goes on."
        )
        self.column.addWidget(label("quiet", words, True))
        self.status = label("", "", True)
        self.status.setAccessibleName(tr("Status of the shared logbook"))
        self.column.addWidget(self.status)
        self._form = QWidget()
        grid = QGridLayout(self._form)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(theme.px(8))
        kept = kept_place()
        self.address, self.bench = QLineEdit(), QLineEdit(kept.bench or socket.gethostname()[:40])
        self.address.setPlaceholderText(_EXAMPLE)
        for row, (named, field) in enumerate(((tr("Server"), self.address), (tr("This bench"), self.bench))):
            words_of = label("", named)
            words_of.setBuddy(field)
            field.setAccessibleName(named)
            field.returnPressed.connect(self.press)
            grid.addWidget(words_of, row, 0)
            grid.addWidget(field, row, 1)
        self.column.addWidget(self._form)
        self._form.setVisible(sharing is None)
        self.copy = QCheckBox(
            tr("Copy all jobs of this logbook there")
            if sharing is None
            else tr("Copy all jobs to the logbook of this machine")
        )
        self.copy.setChecked(sharing is None)
        self.column.addWidget(self.copy)
        self.go = QPushButton(tr("Use this server") if sharing is None else tr("Leave the shared logbook"))
        self.go.clicked.connect(self.press)
        self.column.addWidget(self.go)
        self.words = label("cure", "", True)
        self.words.setAccessibleName(tr("Message"))
        self.words.hide()
        self.column.addWidget(self.words)
        usable = logbook.folder is not None and not logbook.frozen
        for widget in (self._form, self.copy, self.go):
            widget.setEnabled(usable)
        self.refresh()

    def refresh(self) -> None:
        """How things stand with the server."""
        sharing = self._logbook.sharing
        self.status.setVisible(sharing is not None)
        if sharing is not None:
            stands = sharing.status()
            self.status.setText(
                tr("{server}, as bench “{name}”.", server=stands.server, name=kept_place().bench or socket.gethostname())
                + " " + (describe_status(stands) or tr("Everything is sent."))
            )  # fmt: skip

    def press(self) -> None:
        """Go to the server that is typed, or leave the one that is used. Off the window's thread; what stands in the way is said."""
        if self._errand.running is not None and self._errand.running.is_alive():
            return
        self._say(tr("Asking the server…") if self._logbook.sharing is None else tr("Leaving…"))
        self.go.setEnabled(False)
        work = self._go_there if self._logbook.sharing is None else self._come_back
        address, bench, copy = self.address.text().strip(), self.bench.text(), self.copy.isChecked()
        self._errand.run(lambda: work(address, bench, copy), lambda done: self.place_wanted.emit(*done), self._failed)

    def _go_there(self, address: str, bench: str, copy: bool) -> tuple[str, str]:
        from unitone.store.postgres.server import Server

        name = check_name(bench)
        moved = Moved(0, 0)
        with Logbook(Server(address)) as far:
            if copy:
                moved = move(self._logbook, far, self._counted.emit)
        folder = self._logbook.folder
        assert folder is not None
        if copy:
            moved = replace(moved, sheets_left=copy_sheets(folder / "sheets", sheets_of(address)))
        keep_place(KeptPlace(address, name, str(folder)))
        return address, _describe_move(moved) if copy else ""

    def _come_back(self, address: str, bench: str, copy: bool) -> tuple[str, str]:
        del address, bench
        kept, folder, moved = kept_place(), self._logbook.folder, Moved(0, 0)
        assert folder is not None
        if copy:
            own = Path(kept.folder) if kept.folder else folder.parent.parent / "workshop"
            with Logbook(own) as book:
                moved = move(self._logbook, book, self._counted.emit)
            moved = replace(moved, sheets_left=copy_sheets(folder / "sheets", own / "sheets"))
        keep_place(KeptPlace("", kept.bench, ""))
        return "", _describe_move(moved) if copy else ""

    def _count(self, done: int, of: int) -> None:
        self._say(tr("Job {done} of {of}…", done=done, of=of))

    def _say(self, words: str) -> None:
        self.words.setText(words)
        self.words.setVisible(bool(words))

    def _failed(self, words: str) -> None:
        self.go.setEnabled(True)
        self._say(words)


def _describe_move(moved: Moved) -> str:
    """For the list of jobs, after the move."""
    words = [tr_n("{n} job copied.", "{n} jobs copied.", moved.jobs)]
    if moved.there:
        words.append(tr_n("{n} was there already.", "{n} were there already.", moved.there))
    if moved.renumbered:
        pairs = ", ".join(f"{old:04d} → {new:04d}" for old, new in moved.renumbered[:12])
        more = " …" if len(moved.renumbered) > 12 else ""
        words.append(tr("These numbers were taken, the jobs have others now: {pairs}.", pairs=pairs + more))
    if moved.sheets_left:
        words.append(
            tr("Not copied, since others of that name are there: {sheets}.", sheets=", ".join(moved.sheets_left[:6]))
        )
    return " ".join(words)
