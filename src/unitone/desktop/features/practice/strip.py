"""The strip over the Bench while an exercise is on it: the generator and channel by the trainee's own hand, a hint, the end."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QElapsedTimer, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QPushButton

from unitone.actions import keyed, shown_key
from unitone.desktop.shell.worker import BenchWorker
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import choice_of
from unitone.desktop.widgets.painted import label, set_tip
from unitone.errors import EntryError
from unitone.job.entries.practice import TOOLS, Tool
from unitone.quantities.show import microvolts
from unitone.radio.levels import parse_level
from unitone.scenario.exercise import Help
from unitone.session.session import Session
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr


class ExerciseStrip(QFrame):
    """Stands over the Bench; what the trainee dials goes to the bench as it is, right or wrong."""

    finished = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, worker: BenchWorker) -> None:
        super().__init__()
        self.setProperty("role", "well")
        self._worker = worker
        row = QHBoxLayout(self)
        row.setContentsMargins(theme.px(12), theme.px(5), theme.px(8), theme.px(5))
        row.setSpacing(theme.px(8))
        self.level = QLineEdit()
        self.level.setAccessibleName(tr("Generator level"))
        self.level.setPlaceholderText(tr("like 0.5 µV"))
        set_tip(self.level, tr("Generator level"))
        self.level.setFixedWidth(theme.px(118))
        self.level.returnPressed.connect(self.dial)
        row.addWidget(self.level)
        self.channel = choice_of([], "", self._tune)
        self.channel.setAccessibleName(tr("Channel"))
        row.addWidget(self.channel)
        self.by_sheet = QPushButton(tr("As on the sheet"))
        set_tip(
            self.by_sheet, tr("Generator, channel and panel as this step asks ({key})", key=shown_key("exercise-sheet"))
        )
        self.by_sheet.clicked.connect(self.set_by_sheet)
        row.addWidget(self.by_sheet)
        self.sound = QPushButton(tr("Sound"))
        self.sound.setCheckable(True)
        self.sound.setProperty("role", "toggle")
        set_tip(self.sound, tr("Hear the simulated radio ({key})", key=shown_key("hear")))
        row.addWidget(self.sound)
        self.tool = choice_of([(t, tr(words)) for t, words in TOOLS.items()], "plastic", self._take_tool)
        self.tool.setAccessibleName(tr("Tool"))
        set_tip(self.tool, tr("What the cores are turned with ({key})", key=shown_key("exercise-tool")))
        row.addWidget(self.tool)
        self.out = QPushButton()
        self.out.clicked.connect(self._take_tool)
        self.out.hide()
        row.addWidget(self.out)
        self.clock = label("strong")
        self.clock.setAccessibleName(tr("Time so far"))
        self.clock.setMinimumWidth(theme.px(46))
        row.addWidget(self.clock)
        self._since, self._before, self._ticking = QElapsedTimer(), 0.0, QTimer(self)
        self._ticking.setInterval(500)
        self._ticking.timeout.connect(self._tick)
        self.hint = QPushButton(keyed(tr("Hint  Ctrl H"), "exercise-hint"))
        set_tip(self.hint, tr("Shows the coach's next move; costs 3 marks"))
        self.hint.clicked.connect(worker.take_hint)
        row.addWidget(self.hint)
        row.addStretch(1)
        self.end = QPushButton(tr("Finish exercise"))
        self.end.clicked.connect(self.finished.emit)
        row.addWidget(self.end)
        for button in (self.by_sheet, self.sound, self.hint, self.end):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_exercise(self, how: Help, channels: tuple[str, ...]) -> None:
        """An exercise begins, or goes on."""
        alone = how != "coach"
        for part in (self.level, self.by_sheet, self.tool):
            part.setVisible(alone)
        self.hint.setVisible(how == "hints")
        self.channel.blockSignals(True)
        self.channel.clear()
        for name in channels:
            self.channel.addItem(tr("channel {n}", n=name), name)
        self.channel.blockSignals(False)
        self.channel.setVisible(alone and len(channels) > 1)
        self.level.clear()

    def show_set_up(self, now: Conditions) -> None:
        """What the bench stands at."""
        if not self.level.hasFocus():
            self.level.setText("" if now.level_dbm is None else microvolts(now.level_dbm))
        at = self.channel.findData(now.channel or "")
        self.channel.setCurrentIndex(at)

    def show_tool(self, tool: str, left_in: str) -> None:
        """What is in the hand, and the core that it was left in."""
        self.tool.setCurrentIndex(self.tool.findData(tool))
        self.out.setText(tr("Out of {adjuster}", adjuster=left_in))
        set_tip(self.out, tr("Take the screwdriver out of the core ({key})", key=shown_key("exercise-tool")))
        self.out.setVisible(bool(left_in) and not self.tool.isHidden())

    def _take_tool(self) -> None:
        tool: Tool = "metal" if self.tool.currentData() == "metal" else "plastic"
        self._worker.do(lambda s: s.take_tool(tool))

    def change_tool(self) -> None:
        """By key: a blade that is in a core comes out of it, else the other tool is taken."""
        if self.out.isHidden():
            self.tool.setCurrentIndex((self.tool.currentIndex() + 1) % self.tool.count())
        self._take_tool()

    def run_clock(self, before_s: float | None) -> None:
        """Show how long the exercise took so far, and go on counting; None: in hurried time there is no clock to watch."""
        self.clock.setVisible(before_s is not None)
        self._before = before_s or 0.0
        self._since.start()
        if before_s is None:
            self._ticking.stop()
        else:
            self._ticking.start()
            self._tick()

    def _tick(self) -> None:
        seconds = int(self._before + self._since.elapsed() / 1000.0)
        self.clock.setText(f"{seconds // 60}:{seconds % 60:02d}")

    def dial(self) -> None:
        """The generator at what was typed."""
        try:
            dbm = float(parse_level(self.level.text()))
        except EntryError as error:
            self.refused.emit(str(error))
            return
        self.level.clearFocus()
        self._worker.do(lambda s: s.set_up(replace(s.state.set_up, level_dbm=dbm)))

    def _tune(self) -> None:
        name = str(self.channel.currentData())
        self._worker.do(lambda s: s.set_up(replace(s.state.set_up, channel=name)))

    def set_by_sheet(self) -> None:
        """Everything as the step asks, its level too where it has one."""

        def set_up(session: Session) -> None:
            session.set_up(session.step.setting)

        self._worker.do(set_up)
