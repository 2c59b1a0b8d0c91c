"""Settings, this machine: what works on it, and the cure for what does not."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QProgressBar, QPushButton

from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.painted import Card, Painted, label
from unitone.doctor import Check, examine, is_well
from unitone.store.kept_place import kept_place
from unitone.store.places import ask_server
from unitone.words import tr

_MARKS = {"works": "in_spec", "limited": "recheck", "missing": "out"}


class _Mark(Painted):
    """How it stands, as everywhere: by shape and colour."""

    def __init__(self, check: Check) -> None:
        words = {"works": tr("works"), "limited": tr("in part"), "missing": tr("not there")}
        super().__init__(f"{check.title}: {words[check.state]}")
        self._state = check.state
        self.setFixedSize(theme.px(18), theme.px(18))

    def paintEvent(self, _: QPaintEvent | None) -> None:
        side = theme.px(14)
        draw_mark(self.painter(), QRectF(theme.px(2), theme.px(2), side, side), _MARKS[self._state])


class MachineBox(Card):
    """A button that asks, and a line for each thing."""

    def __init__(self, folder: Path | None) -> None:
        super().__init__(tr("This machine"), "heading")
        self._folder, layout = folder, self.column
        self._asking = Errand("doctor", self)
        self.checks: tuple[Check, ...] = ()
        self.words = label(
            "quiet",
            tr("Window, sound, camera, speech, scans, wires and logbook: what works, and what to do about the rest."),
            True,
        )
        layout.addWidget(self.words)
        self.busy = QProgressBar()
        self.busy.setRange(0, 0)
        self.busy.setAccessibleName(tr("Checking"))
        self.busy.hide()
        layout.addWidget(self.busy)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(theme.px(8))
        self.grid.setVerticalSpacing(theme.px(4))
        self.grid.setColumnStretch(2, 1)
        layout.addLayout(self.grid)
        self.ask = QPushButton(tr("Check this machine"))
        self.ask.clicked.connect(self.check)
        layout.addWidget(self.ask)

    def check(self) -> None:
        """Look at everything; it takes some seconds, off the window's thread."""
        folder = self._folder
        if folder is None:
            self.words.setText(tr("This workshop has no folder: nothing can be kept in it."))
            return
        self.ask.setEnabled(False)
        self.busy.show()
        address = kept_place().address
        server = partial(ask_server, address) if address else None
        self._asking.run(lambda: examine(folder, server), self._show, self._failed)

    def _failed(self, words: str) -> None:
        self.busy.hide()
        self.ask.setEnabled(True)
        self.words.setText(words)

    def _show(self, checks: tuple[Check, ...]) -> None:
        self.checks = checks
        self.busy.hide()
        self.ask.setEnabled(True)
        self.ask.setText(tr("Check again"))
        self.words.setText(
            tr("Everything that Unitone needs works here.")
            if is_well(checks)
            else tr("Something that Unitone needs does not work here.")
        )
        while self.grid.count():
            item = self.grid.takeAt(0)
            widget = None if item is None else item.widget()
            if widget is not None:
                widget.deleteLater()
        for row, check in enumerate(checks):
            self.grid.addWidget(_Mark(check), 2 * row, 0)
            self.grid.addWidget(label("strong", check.title), 2 * row, 1)
            self.grid.addWidget(label("quiet", check.found, True), 2 * row, 2)
            if check.cure:
                cure = label("cure" if check.needed else "teal", check.cure, True)
                cure.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                self.grid.addWidget(cure, 2 * row + 1, 1, 1, 2)
