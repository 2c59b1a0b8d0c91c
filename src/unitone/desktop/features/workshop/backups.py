"""Settings, backups: every how many days, and where to."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton

from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.painted import Card, Elided, label
from unitone.errors import UnitoneError
from unitone.store.logbook import Logbook
from unitone.store.scheduled import KEPT, Schedule, backups_in, schedule_of, set_schedule
from unitone.words import day, tr


class BackupsBox(Card):
    """Kept as it is chosen; ``wanted`` when one is to be made now."""

    wanted = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__(tr("Backups"), "heading")
        self._logbook, layout = logbook, self.column
        layout.addWidget(
            label(
                "quiet",
                tr("The whole workshop in one file, made at the start of Unitone. The newest {n} are kept.", n=KEPT),
                True,
            )
        )
        pairs = [("0", tr("never")), ("1", tr("every day")), ("7", tr("every week"))]
        self.days = ChipRow(tr("How often"), pairs, self._choose)
        layout.addWidget(self.days)
        row = QHBoxLayout()
        self.folder = Elided("")
        self.folder.setAccessibleName(tr("Folder for backups"))
        row.addWidget(self.folder, 1)
        self.choose = QPushButton(tr("Choose folder…"))
        self.choose.clicked.connect(self._ask)
        row.addWidget(self.choose)
        layout.addLayout(row)
        row = QHBoxLayout()
        self.last = label("quiet", "", True)
        row.addWidget(self.last, 1)
        self.now = QPushButton(tr("Back up now"))
        self.now.clicked.connect(self.wanted)
        row.addWidget(self.now)
        layout.addLayout(row)
        self.words = label("cure", "", True)
        layout.addWidget(self.words)
        self.refresh()

    def refresh(self) -> None:
        """What is chosen, and the last one that is there."""
        chosen = schedule_of(self._logbook)
        self.days.mark(str(chosen.days) if str(chosen.days) in self.days.chips else "0")
        self.folder.setText(chosen.folder or tr("no folder chosen"))
        there = backups_in(Path(chosen.folder)) if chosen.folder else []
        self.last.setText(
            tr("Last: {day}", day=day(f"{there[-1][0].isoformat()}T00:00:00Z")) if there else tr("None there yet.")
        )
        self.now.setEnabled(bool(chosen.folder))
        self.words.setText(
            tr("Choose a folder: on another disk, if there is one.") if chosen.days and not chosen.folder else ""
        )
        self.words.setVisible(bool(self.words.text()))

    def _choose(self, days: str) -> None:
        self._keep(Schedule(schedule_of(self._logbook).folder, int(days)))

    def _ask(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Folder for backups"))
        if name:
            self.take_folder(Path(name))

    def take_folder(self, folder: Path) -> None:
        """This folder from now on; every week, where nothing was chosen yet."""
        self._keep(Schedule(str(folder), schedule_of(self._logbook).days or 7))

    def _keep(self, chosen: Schedule) -> None:
        try:
            set_schedule(self._logbook, chosen)
        except UnitoneError as error:
            self.words.setText(str(error))
            self.words.show()
            return
        self.refresh()
