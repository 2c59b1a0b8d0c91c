"""What a bench of a shared logbook has to know, over every page: the server is away, another bench has this job, a job was taken."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label, set_tip
from unitone.store.ports import Sharing, SharingStatus
from unitone.words import clock, tr, tr_n


def describe_status(stands: SharingStatus) -> str:
    """Where the server is away or will not take something: since when, what waits. Empty while all is well."""
    if stands.away_since:
        waits = (
            tr_n("{n} entry waits to be sent.", "{n} entries wait to be sent.", stands.waiting)
            if stands.waiting
            else ""
        )
        since = tr(
            "The server of the shared logbook is away since {time}. Work goes on here.", time=clock(stands.away_since)
        )
        return f"{since} {waits}".strip()
    return stands.why


class SharingStrip(QFrame):
    """Hidden while there is nothing to say. ``changed`` when jobs came from other benches; ``take_over`` when that is pressed."""

    changed = pyqtSignal()
    take_over = pyqtSignal(str)
    _heard = pyqtSignal()

    def __init__(self, sharing: Sharing | None) -> None:
        super().__init__()
        self.setProperty("role", "warning")
        self.setAccessibleName(tr("Shared logbook"))
        row = QHBoxLayout(self)
        row.setContentsMargins(theme.px(12), theme.px(5), theme.px(8), theme.px(5))
        self.words = label("warn", "", True)
        self.words.setAccessibleName(tr("Message"))
        row.addWidget(self.words, 1)
        self.take, self.dismiss = QPushButton(tr("Take it over")), QPushButton(tr("Got it"))
        for button in (self.take, self.dismiss):
            button.setProperty("role", "link")
            row.addWidget(button)
        self.take.clicked.connect(self._take)
        self.dismiss.clicked.connect(self._dismiss)
        self._sharing = sharing
        self._job, self._looking = "", ""
        self._notices: list[str] = []
        self.hide()
        if sharing is not None:
            # The signal crosses from the thread of the logbook to the window's.
            self._heard.connect(self._refresh)
            sharing.on_change = self._heard.emit
            self._refresh()

    def looking_at(self, job_id: str, words: str) -> None:
        """The job on the Bench is another bench's, and why; no words: it is this one's."""
        self._job, self._looking = job_id, words
        self._show()

    def _refresh(self) -> None:
        assert self._sharing is not None
        self._notices += self._sharing.notices()
        self._show()
        self.changed.emit()

    def _show(self) -> None:
        status = describe_status(self._sharing.status()) if self._sharing is not None else ""
        words = " ".join(x for x in (*self._notices, self._looking, status) if x)
        self.words.setText(words)
        self.take.setVisible(bool(self._looking))
        self.take.setEnabled(True)
        set_tip(
            self.take, tr("What the other bench logged comes here first; there the job can only be looked at then.")
        )
        self.dismiss.setVisible(bool(self._notices))
        self.setVisible(bool(words))

    def _take(self) -> None:
        self.take.setEnabled(False)
        self.words.setText(tr("Asking the other bench…"))
        self.take_over.emit(self._job)

    def _dismiss(self) -> None:
        self._notices = []
        self._show()
