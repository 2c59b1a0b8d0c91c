"""The card of a job: intake, inspection, rails, capacitors, work, handing over, history."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from unitone.desktop.features.card.bands import BandsTab
from unitone.desktop.features.card.capacitors import CapacitorsTab
from unitone.desktop.features.card.conversion import ConversionTab
from unitone.desktop.features.card.handing import HandingTab
from unitone.desktop.features.card.history import HistoryTab
from unitone.desktop.features.card.inspection import InspectionTab
from unitone.desktop.features.card.intake import IntakeTab
from unitone.desktop.features.card.rails import RailsTab
from unitone.desktop.features.card.readings import ReadingsTab
from unitone.desktop.features.card.tab import CardTab
from unitone.desktop.features.card.work import WorkTab
from unitone.desktop.shell.errand import Errand
from unitone.desktop.shell.worker import BenchWorker, Command
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.painted import Elided, Message, label, set_tip
from unitone.present.card.card_shapes import CardView
from unitone.present.card.earlier_jobs import history
from unitone.present.papers import paper_head
from unitone.store.logbook import Logbook
from unitone.words import N_, tr, tr_n

TABS: tuple[tuple[str, str], ...] = (
    ("intake", N_("Intake")), ("inspection", N_("Inspection")), ("rails", N_("Rails")),
    ("readings", N_("As-found sheet")), ("capacitors", N_("Capacitors")),
    ("bands", N_("Bands")), ("conversion", N_("Conversion")), ("work", N_("Work")), ("handing", N_("Handing over")), ("history", N_("History")),
)  # fmt: skip


class CardPage(QWidget):
    """Takes what the tabs say to the worker; shows what comes back."""

    leave = pyqtSignal()
    bench = pyqtSignal(str)
    opened = pyqtSignal(str)
    paper = pyqtSignal(str, str)

    def __init__(self, worker: BenchWorker, logbook: Logbook) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Job card"))
        self._worker, self._logbook = worker, logbook
        self.view: CardView | None = None
        self.generation = -1
        self._job = ""
        self._looking = Errand("history", self)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(14), theme.px(20), theme.px(14))
        outer.setSpacing(theme.px(8))
        outer.addLayout(self._head())
        outer.addWidget(self.words)
        self.row = self._tab_row()
        outer.addWidget(self.row)
        self.message = Message()
        outer.addWidget(self.message)
        self.stack = QStackedWidget()
        self.tabs: dict[str, CardTab] = {}
        self.intake, self.inspection, self.rails = IntakeTab(), InspectionTab(logbook.blob), RailsTab()
        self.readings, self.capacitors, self.bands = ReadingsTab(), CapacitorsTab(), BandsTab()
        self.conversion = ConversionTab(logbook.blob, lambda: paper_head(logbook))
        self.work, self.handing, self.history = WorkTab(), HandingTab(), HistoryTab()
        looked = (self.intake, self.inspection, self.rails, self.readings, self.capacitors)
        for (name, _), tab in zip(
            TABS, (*looked, self.bands, self.conversion, self.work, self.handing, self.history), strict=True
        ):
            self.tabs[name] = tab
            tab.do.connect(self._do)
            self.stack.addWidget(tab)
        self.handing.paper.connect(lambda kind: self.paper.emit(self._job, kind))
        self.readings.paper.connect(lambda kind: self.paper.emit(self._job, kind))
        self.history.opened.connect(self.opened.emit)
        outer.addWidget(self.stack, 1)
        worker.card.connect(self._changed)
        worker.failed.connect(self._failed)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.title, self.words = Elided("page"), label("quiet", "", True)
        row.addWidget(self.title, 1)
        self.back, self.to_bench = QPushButton(tr("Jobs  Esc")), QPushButton(tr("To the Bench  Ctrl ↵"))
        self.to_bench.setProperty("role", "main")
        self.back.clicked.connect(self.leave.emit)
        self.to_bench.clicked.connect(lambda: self.bench.emit(self._job))
        row.addWidget(self.back)
        row.addWidget(self.to_bench)
        return row

    def _tab_row(self) -> ChipRow:
        row = ChipRow(tr("Job card"), [(name, tr(words)) for name, words in TABS], self.show_tab, "tab")
        self.buttons = row.chips
        for n, button in enumerate(row.chips.values(), 1):
            set_tip(button, f"Alt+{n % 10}")
        return row

    # -- showing ----------------------------------------------------------------------------------

    def show_job(self, job_id: str, tab: str = "") -> None:
        """Show the card of a job, at a tab."""
        if job_id != self._job:
            self._job, self.view = job_id, None
            self.title.setText(tr("Job card"))
            self.words.setText(tr("being opened…"))
        self.message.hide()
        self._worker.open(job_id)
        self._worker.show_card(True)
        self.show_tab(tab or next((n for n, b in self.buttons.items() if b.isChecked()), TABS[0][0]))

    def show_tab(self, name: str) -> None:
        """Turn to a tab."""
        self.row.mark(name)
        self.stack.setCurrentWidget(self.tabs[name])
        if name == "history":
            job = self._job
            self.history.look()
            self._looking.run(
                lambda: history(self._logbook, self._logbook.job(job)), self.history.show_history, self._tell
            )
        if self.view is not None:
            self.tabs[name].first().setFocus()
        else:
            self.setFocus()

    def _changed(self, item: tuple[int, CardView]) -> None:
        generation, view = item
        if view.job_id != self._job:
            return
        first = self.view is None
        self.generation, self.view = generation, view
        self.title.setText(f"{view.number:04d} · {view.title}")
        owner = tr("from {owner}", owner=view.card.owner) if view.card.owner else ""
        serial = tr("serial {n}", n=view.card.serial) if view.card.serial else ""
        loose = sum(bool(x.id) for x in view.loose)
        ends = tr("{n} loose", n=loose) if loose else ""
        modified = tr_n("{n} modification", "{n} modifications", len(view.modified)) if view.modified else ""
        self.words.setText(
            " · ".join(x for x in (modified, view.kind, serial, owner, view.status_words, view.cost_words, ends) if x)
        )
        for tab in self.tabs.values():
            tab.show_card(view)
        self.message.hide()
        if first and self.isVisible():
            current = self.stack.currentWidget()
            assert isinstance(current, CardTab)
            current.first().setFocus()

    def _do(self, command: Command) -> None:
        self._worker.do(command)

    def _failed(self, words: str) -> None:
        if self.isVisible() and not any(tab.failed(words) for tab in self.tabs.values()):
            self._tell(words)

    def _tell(self, words: str) -> None:
        self.message.tell(words)

    # -- keys -----------------------------------------------------------------------------------------

    def press(self, name: str) -> None:
        """An action by its id."""
        if name.startswith("tab-"):
            self.show_tab(TABS[int(name[4:]) - 1][0])
        elif name == "card-leave":
            self.leave.emit()
        elif name == "card-bench":
            self.bench.emit(self._job)
        elif name.startswith("look-") and self.stack.currentWidget() is self.inspection:
            self.inspection.say(name[5:])
        elif name == "card-void":
            self._worker.do(_void, None if self.view is None else self.view.seq)


def _void(session) -> None:  # type: ignore[no-untyped-def]
    from unitone.errors import BenchError

    if session.void_last() is None:
        raise BenchError(tr("Nothing to undo."))
