"""The Bench: procedure, path, the step at hand, board, ledger, hook-up and tape."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import keyed, shown_key
from unitone.bench.instruments import Instrument
from unitone.desktop.features.bench.eyes import Eyes
from unitone.desktop.features.bench.run_card import RunCard
from unitone.desktop.features.bench.step_card import StepCard
from unitone.desktop.features.bench.sweep_card import SweepCard
from unitone.desktop.features.bench.tray import Tray
from unitone.desktop.shell.worker import BenchWorker, LiveFigure
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.board import BoardView
from unitone.desktop.widgets.hookup import HookUpCard
from unitone.desktop.widgets.lists import Ledger, ProcedureList
from unitone.desktop.widgets.painted import Elided, label, restyle, set_tip
from unitone.desktop.widgets.picture import WHOLE, BoardImage, ImageReader
from unitone.desktop.widgets.scan import ScanPage
from unitone.desktop.widgets.strips import PathStrip, TapeStrip
from unitone.errors import BenchError, UnitoneError
from unitone.present.bench.bench_shapes import BenchView, BoardPicture, Pin
from unitone.present.bench.running import RunView
from unitone.present.bench.sweeping import SweepView
from unitone.session.charts import chart_on
from unitone.session.session import Session
from unitone.session.trials import ask_what, ask_worth, keep_effect
from unitone.sheet.format.pictures import read_picture
from unitone.sheet.library import SHEETS
from unitone.sheet.model.sheet import Conditions
from unitone.store.logbook import Logbook
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.desktop.audio.loudspeaker import Loudspeaker

_TYPED = set("0123456789+-−<>.,")


#: What is said by ear: its action, the word that is logged, and the keys of the number pad.
_HEARD = {
    "loudness": {"ear-louder": "louder", "ear-softer": "softer", "ear-same": "same"},
    "pitch": {"ear-louder": "too high", "ear-softer": "too low", "ear-same": "natural"},
}
_EAR_KEYS = {"+": "ear-louder", "-": "ear-softer", "−": "ear-softer", "/": "ear-same", "=": "ear-same"}
#: A lower Bench keeps its lines for the step.
_ROOM_FOR_A_LINE = 480
#: What the strip over an exercise takes (pixels at normal type), and the height that leaves room for the board beside it.
_STRIP, _ROOM_FOR_A_BOARD = 90, 450
#: A reading or turn that was not answered after this long shows as pending (ms).
_LATE_MS = 250


class BenchPage(QWidget):
    """Takes keys and clicks to the worker; shows what comes back."""

    certificate = pyqtSignal(str)
    card = pyqtSignal(str, str)
    edit_sheet = pyqtSignal(str)
    #: A photograph for the board of a job's sheet: the job, and its path ("": to be chosen).
    photo_wanted = pyqtSignal(str, str)
    #: Another source for this quantity: the sound card, or typing.
    source_wanted = pyqtSignal(str)
    #: This radio was saved as a sheet of the workshop, of that id.
    sheet_kept = pyqtSignal(str)
    #: The simulated radio is heard, or not any more.
    heard = pyqtSignal(bool)

    def __init__(self, worker: BenchWorker, logbook: Logbook) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Bench"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._worker, self._logbook = worker, logbook
        self._image: tuple[BoardPicture, BoardImage | None] | None = None
        self._pins: tuple[Pin, ...] = ()
        self._on_scan = False
        self.scan_page = ScanPage(self)
        self._images = ImageReader(self)
        self.view: BenchView | None = None
        self._generation = -1
        self._awaiting_entry = False
        #: Is an exercise on the Bench? It has no card.
        #: What the exercise on the bench is called and complains of; empty for a job of the workshop.
        self.practised = ""
        #: The simulated radio's sound, while it is wanted.
        self.loudspeaker: Loudspeaker | None = None
        self._side_is_procedure = False
        worker.changed.connect(self._changed)
        worker.live.connect(self._live)
        worker.failed.connect(self._failed)
        worker.swept.connect(self._swept)
        worker.ran.connect(self._ran)
        self._sweep: SweepView | None = None
        self._run: RunView | None = None
        self._build()
        #: Commands that were not answered yet; one that takes longer than the eye expects shows as pending.
        self._waiting = 0
        self._late = QTimer(self, singleShot=True, interval=_LATE_MS)
        self._late.timeout.connect(lambda: self.step.show_pending(True))
        worker.asked.connect(self._asked)
        worker.answered.connect(self._answered)
        theme.changed.connect(self._arrange)
        self.eyes = Eyes(self, logbook)
        self.eyes.failed.connect(self._failed)
        self.eyes.said.connect(self._say)
        self.step.entry.textChanged.connect(lambda text: self.eyes.show_typed(text if self.step.typing else None))
        self.step.typing_changed.connect(lambda on: self.eyes.show_typed(self.step.entry.text() if on else None))

    def _build(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        outer.setSpacing(theme.px(8))
        outer.addLayout(self._head())
        self.path = PathStrip()
        outer.addWidget(self.path)
        self.message = QFrame()
        self.message.setProperty("role", "warning")
        inside = QHBoxLayout(self.message)
        inside.setContentsMargins(theme.px(12), theme.px(5), theme.px(8), theme.px(5))
        self.message_words = label("warn", "", True)
        self.message_words.setAccessibleName(tr("Message"))
        dismiss = QPushButton(tr("Got it"))
        dismiss.setProperty("role", "link")
        dismiss.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        dismiss.clicked.connect(self.message.hide)
        inside.addWidget(self.message_words, 1)
        inside.addWidget(dismiss)
        self.message.hide()
        outer.addWidget(self.message)
        self.variant = label("recheck", "", True)
        self.variant.setAccessibleName(tr("Variant"))
        self.variant.hide()
        outer.addWidget(self.variant)
        columns = QHBoxLayout()
        columns.setSpacing(theme.px(10))
        self.procedure_card = self._procedure_card()
        columns.addWidget(self.procedure_card, 25)
        self.step = StepCard()
        self.step.pressed.connect(self.press)
        self.step.typed.connect(self._type_in)
        columns.addWidget(self.step, 57)
        self.sweep = SweepCard()
        self.sweep.pressed.connect(self.press)
        self.sweep.hide()
        columns.addWidget(self.sweep, 57)
        self.run_card = RunCard()
        self.run_card.pressed.connect(self.press)
        self.run_card.hide()
        columns.addWidget(self.run_card, 57)
        self.side = QWidget()
        self.side.setLayout(self._right())
        columns.addWidget(self.side, 33)
        outer.addLayout(columns, 1)
        self.tray = Tray()
        self.tray.closed.connect(self.setFocus)
        self.tray.resized.connect(self._arrange)
        outer.addWidget(self.tray)
        self.tape = TapeStrip()
        outer.addWidget(self.tape)

    def put_over(self, strip: QWidget) -> None:
        """A strip between the head and the path."""
        outer = self.layout()
        assert isinstance(outer, QVBoxLayout)
        outer.insertWidget(1, strip)

    def _head(self) -> QGridLayout:
        head = QGridLayout()
        head.setVerticalSpacing(0)
        self.job, self.bench = Elided("quiet"), Elided("quiet")
        self.title, self.tally = Elided("heading"), label("heading")
        self.bench.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.tally.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.swap = QPushButton()
        self.swap.setProperty("role", "link")
        self.swap.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.swap.clicked.connect(lambda: self.press("side"))
        self.to_card = QPushButton(keyed(tr("Card  Ctrl J"), "card"))
        self.to_card.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        set_tip(self.to_card, tr("Intake, inspection, rails, work, papers of this job"))
        self.to_card.clicked.connect(lambda: self.view and self.card.emit(self.view.job_id, ""))
        head.addWidget(self.to_card, 0, 3, 2, 1)
        head.addWidget(self.swap, 0, 2, 2, 1)
        head.setColumnStretch(0, 1)
        head.addWidget(self.job, 0, 0)
        head.addWidget(self.bench, 0, 1)
        head.addWidget(self.title, 1, 0)
        head.addWidget(self.tally, 1, 1)
        return head

    def _card(self, title: str, right: QWidget | None = None) -> tuple[QFrame, QVBoxLayout]:
        card = QFrame()
        card.setProperty("role", "card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(theme.px(12), theme.px(8), theme.px(12), theme.px(10))
        layout.setSpacing(theme.px(4))
        head = QHBoxLayout()
        heading = Elided("heading", title)
        heading.setMinimumWidth(min(heading.sizeHint().width(), theme.px(72)))
        head.addWidget(heading, 1)
        if right is not None:
            head.addWidget(right)
        layout.addLayout(head)
        return card, layout

    def _procedure_card(self) -> QFrame:
        self.procedure_why = QPushButton()
        self.procedure_why.setProperty("role", "link")
        self.procedure_why.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.procedure_why.clicked.connect(lambda: self.press("conventions"))
        card, layout = self._card(tr("Procedure"))
        layout.addWidget(self.procedure_why, alignment=Qt.AlignmentFlag.AlignLeft)
        self.phase = label("small", "", True)
        layout.addWidget(self.phase)
        self.procedure = ProcedureList()
        self.procedure.chosen.connect(lambda step: self._worker.do(lambda s: s.go_to(step)))
        layout.addWidget(self.procedure, 1)
        self.start_now = QPushButton(tr("Start adjusting now"))
        self.start_now.setProperty("role", "link")
        self.start_now.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        set_tip(self.start_now, tr("Skip the rest of the as-found round. Steps not read get no “as found” value."))
        self.start_now.clicked.connect(lambda: self._worker.do(lambda s: s.start_work()))
        layout.addWidget(self.start_now)
        self.table = QPushButton(keyed(tr("As found  Shift M"), "readings"))
        self.table.setProperty("role", "link")
        self.table.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        set_tip(self.table, tr("Every reading of the procedure in one table, typed in any order"))
        self.table.clicked.connect(lambda: self.press("readings"))
        layout.addWidget(self.table)
        self.recheck = QPushButton()
        self.recheck.setProperty("role", "recheck")
        self.recheck.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.recheck.clicked.connect(lambda: self.press("recheck"))
        self.touched = QPushButton(keyed(tr("A part was touched  T"), "touched"))
        self.touched.setProperty("role", "link")
        self.touched.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.touched.clicked.connect(lambda: self.press("touched"))
        layout.addWidget(self.recheck)
        layout.addWidget(self.touched)
        card.setMinimumWidth(theme.px(210))
        return card

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a small window (or with large type) procedure and board share one column, and the strips give way."""
        super().resizeEvent(event)
        self._arrange()

    def _arrange(self) -> None:
        width, height = self.width() / theme.scale, self.height() / theme.scale
        if self.practised:
            height -= _STRIP
        if self.tray.isVisible():
            height -= self.tray.sizeHint().height() / theme.scale
        narrow, low = width < 1090, height < 640
        # Where a question leaves the cards no room to be read, it has the place of the board, and of the step, until it is answered.
        asked, alone = self.tray.isVisible() and height < 430, self.tray.isVisible() and height < 310
        self.swap.setVisible(narrow)
        self.swap.setText(
            keyed(tr("Board  S"), "side") if self._side_is_procedure else keyed(tr("Procedure  S"), "side")
        )
        self.tray.recheck.show_rows(alone)
        self.step.setVisible(not alone)
        self.procedure_card.setVisible(not asked and (not narrow or self._side_is_procedure))
        # A row of the ledger, to its way back.
        self.turns.setMinimumWidth(theme.px(228))
        self.side.setVisible(not asked and (not narrow or not self._side_is_procedure))
        self.path.setVisible(not low)
        self.board_card.setVisible(not (self.practised and height < _ROOM_FOR_A_BOARD))
        self.tape.setVisible(height >= 560)
        self.step.set_compact(low)
        self.kit_button.setText(
            keyed(tr("Generator  P"), "generator") if narrow else keyed(tr("Generator, pads and load  P"), "generator")
        )
        self.hook.set_compact(low or self.tray.isVisible())
        self._name_trials()

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(10))
        self.picture_words = Elided("quiet")
        self.scan = QPushButton(tr("Scan"))
        self.scan.setProperty("role", "link")
        self.scan.setCheckable(True)
        self.scan.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        set_tip(self.scan, tr("The page that this step comes from, or the board"))
        self.scan.setAccessibleName(tr("The page that this step comes from, or the board"))
        self.scan.toggled.connect(lambda _: self.view and self._show_board(self.view))
        right = QWidget()
        row = QHBoxLayout(right)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.picture_words)
        row.addWidget(self.scan)
        card, layout = self._card(tr("Board"), right)
        self.board_card = card
        self.board = BoardView()
        self.board.chosen.connect(self._worker.select)
        self.board.pointed.connect(self._pin)
        self.sheet_kept.connect(
            lambda name: self._say(tr("Saved as the sheet {name}: new jobs can use it.", name=name))
        )
        self.board.photo_wanted.connect(lambda path: self.view and self.photo_wanted.emit(self.view.job_id, path))
        layout.addWidget(self.board, 1)
        # What a bare board leaves free lies under it, not round its heading.
        layout.addStretch()
        column.addWidget(card, 5)
        self.all_back = QPushButton(tr("All back"))
        self.all_back.setProperty("role", "link")
        self.all_back.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.all_back.setAccessibleName(tr("Take every adjuster back to where it was found"))
        self.all_back.clicked.connect(lambda: self.press("back-all"))
        card, layout = self._card(tr("Turns from where you started"), self.all_back)
        self.ledger = Ledger()
        self.ledger.chosen.connect(self._worker.select)
        self.ledger.back.connect(lambda name: self.view and self._worker.do(lambda s: s.take_back(name), self.view.seq))
        self.turns = area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.ledger)
        layout.addWidget(area, 1)
        layout.addLayout(self._trials())
        column.addWidget(card, 3)
        self.kit_button = QPushButton()
        set_tip(self.kit_button, tr("Generator, pads and load  P"))
        self.kit_button.setProperty("role", "link")
        self.kit_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.kit_button.clicked.connect(lambda: self.press("generator"))
        card, layout = self._card(tr("Hook-up"), self.kit_button)
        self.hook = HookUpCard()
        self.hook.confirmed.connect(lambda: self.press("hook-up"))
        self.hook.forced.connect(lambda: self.press("key-anyway"))
        self.hook.repaired.connect(lambda: self.press("repair"))
        layout.addWidget(self.hook)
        column.addWidget(card)
        return column

    def _trials(self) -> QHBoxLayout:
        """What may be asked before anything is turned for good."""
        row = QHBoxLayout()
        self.worth, self.what = QPushButton(keyed(tr("Worth aligning?  V"), "worth")), QPushButton()
        set_tip(self.worth, tr("Moves each adjuster a little, reads, puts it back, and predicts the gain"))
        set_tip(self.what, tr("Moves the selected adjuster a little, reads everything here, and puts it back"))
        for button, name in ((self.worth, "worth"), (self.what, "what")):
            button.setProperty("role", "link")
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _=False, n=name: self.press(n))
        row.addWidget(self.worth)
        row.addStretch(1)
        row.addWidget(self.what)
        return row

    def _name_trials(self) -> None:
        """Their words, shorter where the column is narrow: they never make it wider."""
        narrow = self.width() / theme.scale < 1090
        hand = self.view.board.selected if self.view is not None else ""
        self.worth.setText(keyed(tr("Worth?  V"), "worth") if narrow else keyed(tr("Worth aligning?  V"), "worth"))
        self.what.setText(
            keyed(f"{hand}?  Q", "what") if narrow else keyed(tr("What does {adjuster} do?  Q", adjuster=hand), "what")
        )

    # -- what comes from the worker -------------------------------------------------------------

    def _changed(self, item: tuple[int, BenchView]) -> None:
        self._generation, view = item
        moved_on = self.view is None or self.view.step.id != view.step.id
        told = (
            view.step.trial
            if self.view is not None and not moved_on and view.step.trial != self.view.step.trial
            else ""
        )
        before = self.view
        logged = before is not None and view.log.cells != before.log.cells
        self.view = view
        if self._awaiting_entry and logged:
            self._awaiting_entry = False
            self.step.close_entry()
        if logged or moved_on:
            self.message.hide()
        if (
            view.finished
            and before is not None
            and not before.finished
            and before.job_id == view.job_id
            and not view.simulated
        ):
            self._say(
                tr("Finished. {key} saves this radio as a sheet for the next of its kind.", key=shown_key("save-sheet"))
            )
        if moved_on and self.step.typing:
            self.step.close_entry()
        # Each of the seven views is painted where it differs from what is shown; the step's card looks for itself.
        head = (view.number, view.title, view.bench_words, view.finished, view.simulated)
        anew = before is None or head != (
            before.number, before.title, before.bench_words, before.finished, before.simulated
        )  # fmt: skip
        if before is None or anew or view.procedure != before.procedure:
            self._show_procedure(view)
        self.step.show_view(view)
        if before is None or anew or view.board != before.board:
            self._show_board(view)
            self.ledger.show_rows(view.board.ledger)
            self.all_back.setEnabled(view.board.moved_count > 0 and not view.finished)
            self.what.setVisible(bool(view.board.selected) and not view.finished)
            self._name_trials()
        if before is None or anew or view.log != before.log:
            self._show_log(view)
        if before is None or anew or view.hook_up != before.hook_up:
            self.hook.show_view(view)
        self.touched.setEnabled(not view.finished)
        self.worth.setVisible(view.step.can_be_worth)
        self.eyes.show_view(view)
        if told and not self.step.says_notes:
            # The answer to what was asked is seen in every window, whatever room the card has.
            self._say(told)
        elif view.log.rested_words and (before is None or before.job_id != view.job_id) and self._has_room():
            self._say(view.log.rested_words)

    def _has_room(self) -> bool:
        """Is there height for a line that nobody asked for?"""
        return self.height() / theme.scale >= _ROOM_FOR_A_LINE

    def _show_procedure(self, view: BenchView) -> None:
        if self.to_card.isHidden() != bool(self.practised):
            self.to_card.setVisible(not self.practised)
            self._arrange()
        if self.practised:
            self.job.setText(tr("Exercise · {radio}", radio=view.title))
            self.title.setText(self.practised)
        else:
            self.job.setText(tr("Job {number}", number=f"{view.number:04d}"))
            self.title.setText(view.title)
        self.bench.setText(view.bench_words)
        self.tally.setText(view.procedure.tally)
        self.path.show_path(view.procedure.path)
        metrics = self.procedure_why.fontMetrics()
        room = max(theme.px(180), self.procedure_card.width() - theme.px(46))
        self.procedure_why.setText(
            metrics.elidedText(keyed(view.procedure.why + "  O", "conventions"), Qt.TextElideMode.ElideMiddle, room)
        )
        set_tip(self.procedure_why, view.procedure.why)
        self.procedure_why.setAccessibleName(tr("Conventions: {why}", why=view.procedure.why))
        self.phase.setText(view.procedure.phase_words)
        self.start_now.setVisible(view.procedure.phase == "as-found" and not view.finished)
        self.procedure.show_procedure(view.procedure.procedure)
        found = view.procedure.recheck
        self.recheck.setVisible(found is not None)
        if found is not None:
            self.recheck.setText(keyed(tr("◆ {n} to re-check  K", n=len(found.rows)), "recheck"))
            self.recheck.setAccessibleName(found.headline)
            set_tip(self.recheck, f"{found.headline}\n{found.why}")

    def _show_log(self, view: BenchView) -> None:
        loose = tr("Loose: {ends}  (W)", ends=", ".join(what for _, what in view.log.loose)) if view.log.loose else ""
        standing = "\n".join(x for x in (view.log.variant_words, loose) if x)
        self.variant.setText(standing)
        self.variant.setVisible(bool(standing))
        self.tape.show_tape(view.log.cells)

    def _asked(self) -> None:
        self._waiting += 1
        if not self._late.isActive():
            self._late.start()

    def _answered(self) -> None:
        self._waiting -= 1
        if self._waiting <= 0:
            self._waiting = 0
            self._late.stop()
            self.step.show_pending(False)

    def _live(self, live: LiveFigure) -> None:
        if live.generation == self._generation and not self.step.typing:
            self.step.show_live(live)
            self.eyes.show_live(live)

    def hear(self, wanted: bool) -> None:
        """The simulated radio in the machine's loudspeaker, or silence."""
        if not wanted:
            if self.loudspeaker is not None:
                self._worker.play(None)
                self.loudspeaker.stop()
                self.loudspeaker = None
        elif self.view is not None and not self.view.simulated:
            self.tell(tr("Only a simulated radio is heard here: yours has a loudspeaker of its own."))
        elif self.loudspeaker is None:
            from unitone.desktop.audio.loudspeaker import Loudspeaker

            try:
                self.loudspeaker = Loudspeaker(self)
            except BenchError as error:
                self.tell(str(error))
            else:
                self.loudspeaker.failed.connect(self._silenced)
                self._worker.play(self.loudspeaker.playback)
        self.heard.emit(self.loudspeaker is not None)

    def _silenced(self, words: str) -> None:
        self.hear(False)
        self.tell(words)

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Nothing lies over, sounds or speaks of a Bench that is not looked at."""
        super().hideEvent(event)
        self.hear(False)
        self.eyes.leave()
        if self.eyes.pitch is not None:
            self.eyes.pitch.rest()

    def _say(self, words: str) -> None:
        """A message that is no warning."""
        self._tell(words, "well")

    def _failed(self, words: str) -> None:
        if not self.isVisible():
            return
        self._awaiting_entry = False
        self._tell(words, "warning")
        if self.step.typing:
            self.step.entry.setFocus()

    def tell(self, words: str) -> None:
        """Something that was not done, and the cure."""
        self._tell(words, "warning")

    def _tell(self, words: str, role: str) -> None:
        self.message_words.setText(words)
        for widget, of in ((self.message, role), (self.message_words, "warn" if role == "warning" else "strong")):
            restyle(widget, of)
        self.message.show()

    # -- what the technician does ------------------------------------------------------------------

    def press(self, name: str) -> None:
        """Do an action by its id: from a button, a key or a menu."""
        view = self.view
        if view is None:
            return
        if self._sweep is not None:
            self._press_sweeping(name, self._sweep)
            return
        if self._run is not None:
            self._press_running(name, self._run)
            return
        simple: dict[str, Callable[[Session], object]] = {
            "ccw": lambda s: s.turn(view.board.selected, -view.board.selected_step_mdeg),
            "cw": lambda s: s.turn(view.board.selected, view.board.selected_step_mdeg),
            "ccw-more": lambda s: s.turn(view.board.selected, -4 * view.board.selected_step_mdeg),
            "cw-more": lambda s: s.turn(view.board.selected, 4 * view.board.selected_step_mdeg),
            "stop-ccw": lambda s: s.felt_stop(view.board.selected, False),
            "stop-cw": lambda s: s.felt_stop(view.board.selected, True),
            "back": lambda s: s.take_back(view.board.selected),
            "back-all": lambda s: s.take_back(),
            "void": _void,
            "hook-up": lambda s: s.confirm_hook_up(view.hook_up.wanted),
            "key-anyway": lambda s: s.key_anyway(),
            "repair": lambda s: s.repair(),
            "worth": ask_worth,
            "what": lambda s: ask_what(s, view.board.selected),
            "keep-effect": keep_effect,
            "reference": lambda s: s.bench.keep_reference(s.reading_quantity(s.measuring.listening())),
        }
        if name.startswith("ear-"):
            if view.reading.by_ear:
                self._type_in(_HEARD[view.reading.by_ear][name])
            return
        if name in simple:
            if (
                name in ("ccw", "cw", "ccw-more", "cw-more", "back", "stop-ccw", "stop-cw")
            ) and not view.board.selected:
                return
            self._worker.do(simple[name], view.seq)
        elif name == "main":
            self._main(view)
        elif name in ("far", "pitch", "voice", "log-key"):
            self.eyes.press(name)
        elif name == "hear":
            self.hear(self.loudspeaker is None)
        elif name == "coach-step":
            if not view.coach.silent:
                self._worker.do(_follow_coach, view.seq)
        elif name == "log":
            self._log(view)
        elif name == "type":
            self.step.open_entry()
        elif name in ("next-step", "previous-step"):
            self._neighbour(1 if name == "next-step" else -1)
        elif name in ("next-adjuster", "previous-adjuster"):
            self._other_adjuster(1 if name == "next-adjuster" else -1)
        elif name == "side":
            self._side_is_procedure = not self._side_is_procedure
            self._arrange()
        elif name == "generator":
            self.tray.ask_kit(view.hook_up.kit, lambda kit: self._worker.do(lambda s: s.measuring.set_kit(kit)))
        elif name == "note":
            self.tray.ask_note(lambda words: self._worker.do(lambda s: s.note(words)))
        elif name == "chart" and view.reading.run:
            self._worker.run(view.reading.run)
        elif name == "chart":
            self._worker.do(chart_on, view.seq)
        elif name == "sweep" and view.board.selected:
            self.message.hide()
            self._worker.sweep(view.board.selected)
        elif name == "source":
            self.source_wanted.emit(view.reading.quantity_id)
        elif name == "recording":
            self._ask_recording(view)
        elif name == "readings":
            self.card.emit(view.job_id, "readings")
        elif name == "certificate":
            self.certificate.emit(view.job_id)
        elif name == "job-sheet":
            self.edit_sheet.emit(view.job_id)
        elif name == "save-sheet":
            self._worker.do(lambda s: self.sheet_kept.emit(s.growing.keep_as_sheet()))
        elif not view.finished:
            self._ask(name, view)

    def _ask_recording(self, view: BenchView) -> None:
        """Which recording is read at this step."""
        if view.simulated:
            self.tell(tr("The simulated bench reads this by itself. A recording is read for a real radio."))
            return
        name, _ = QFileDialog.getOpenFileName(
            self,
            tr("A recording for {title}", title=view.step.title),
            "",
            tr("Recordings (*.wav *.flac *.aif *.aiff *.ogg *.sigmf-meta)"),
        )
        if name:
            self.message.hide()
            wanted = view.step.conditions
            self._worker.do(lambda s: s.measuring.from_recording(Path(name), wanted), view.seq)

    def _ask(self, name: str, view: BenchView) -> None:
        """The questions of judgement, in the tray."""
        tray, do = self.tray, self._worker.do
        if name == "touched":
            tray.ask(tray.touch, view, lambda said: do(lambda s: s.touch(*said)))
        elif name == "judge" and view.step.can_judge:
            tray.ask(tray.judge, view, lambda said: do(lambda s: s.judge(*said)))
        elif name == "adjuster":
            step = view.step.id
            tray.ask(
                tray.adjuster,
                view,
                lambda said: do(
                    lambda s: (
                        s.growing.add_adjuster(step, *said[1:])
                        if said[0] == "add"
                        else s.growing.drop_adjuster(said[1])
                    )
                ),
            )
        elif name == "new-step":
            tray.ask(tray.step, view, lambda said: do(lambda s: s.growing.add_step(*said)))
        elif name == "tried":
            tray.ask(tray.tried, view, lambda said: do(lambda s: s.tried(*said)))
        elif name == "loose":
            tray.ask(
                tray.loose, view, lambda said: do(lambda s: s.loosen(said[1]) if said[0] == "new" else s.tie(*said))
            )
        elif name == "conventions":
            tray.ask(tray.conventions, view, lambda chosen: do(lambda s: s.set_conventions(chosen)))
        elif name == "recheck":
            tray.ask(tray.recheck, view, lambda step: do(lambda s: s.go_to(step)))
        elif name == "instrument":
            try:
                workshop = tuple(Instrument.from_data(i) for i in self._logbook.setting("instruments", []) or [])
            except UnitoneError as error:
                self._failed(str(error))
                return
            tray.ask(tray.instrument, view, lambda said: do(lambda s: _use(s, workshop, *said)), workshop)

    def _pin(self, x: float, y: float) -> None:
        """A scan is read large; on the board, the adjuster in hand that has no place yet is where the photograph was touched."""
        view = self.view
        if self._on_scan and self.board.image is not None:
            self.scan_page.open(self.board.image, self.picture_words.text())
            return
        if view is None or view.finished or not view.board.unpinned:
            return
        name, picture = view.board.unpinned, view.board.picture
        shown = picture.id if picture is not None else ""
        self._worker.do(lambda s: s.growing.pin("adjuster", name, (x, y), shown))

    def _show_board(self, view: BenchView) -> None:
        """The picture of what is in hand; read once, then kept."""
        scan = view.board.scan
        self.scan.setVisible(scan is not None and view.board.picture is not None)
        # Without a picture of the board the page itself is what there is to look at.
        on_scan = scan is not None and (self.scan.isChecked() or view.board.picture is None)
        self._on_scan = on_scan
        self.scan.setText(tr("Board") if on_scan and view.board.picture is not None else tr("Scan"))
        wanted = scan if on_scan else view.board.picture
        if wanted is None:
            self._image = None
        elif self._image is None or (self._image[0].hash, self._image[0].file) != (wanted.hash, wanted.file):
            self._image = (wanted, None)
            self._read_picture(wanted)
        title = wanted.title if wanted is not None and wanted.title else tr("component side")
        unpinned = "" if view.finished else view.board.unpinned
        touch = unpinned and not on_scan
        self.picture_words.setText(tr("Click the picture where {name} is", name=unpinned) if touch else title)
        self._pins = () if on_scan else view.board.pins
        self.board.show_board(self._image[1] if self._image else None, self._pins, wanted.crop if wanted else WHOLE)

    def _read_picture(self, wanted: BoardPicture) -> None:
        """Read the picture; a drawing that takes its time comes later."""

        def take(image: BoardImage) -> None:
            if self._image is None or self._image[0] is not wanted:
                return
            self._image = (wanted, image)
            self.board.show_board(image, self._pins, wanted.crop)

        try:
            if wanted.hash:
                self._images.read(wanted.file, self._worker.book.blob(wanted.hash), take, self._failed)
                return
            # Jobs from before pictures travelled with them: the drawing that came with the program.
            beside = SHEETS / Path(wanted.file).name
            if beside.is_file():
                self._images.read(beside.name, read_picture(beside), take, self._failed)
        except UnitoneError as error:
            self._failed(str(error))

    def _main(self, view: BenchView) -> None:
        focus = self.focusWidget()
        if isinstance(focus, QLineEdit) and focus.hasFocus():
            focus.returnPressed.emit()
            return
        if isinstance(focus, QPushButton) and focus.hasFocus() and focus is not self.step.main:
            focus.click()
            return
        if view.coach.silent:
            self._log(view)
            return
        advice = view.coach.advice
        if advice.act == "done":
            self.certificate.emit(view.job_id)
        elif advice.act == "measure" and not (view.simulated or view.reading.live):
            self.step.open_entry()
        elif advice.act == "conclude":
            self._worker.do(lambda s: _conclude(s, advice), view.seq)
        else:
            self._worker.do(lambda s: s.follow(advice), view.seq)

    # -- a sweep ----------------------------------------------------------------------------------

    def _swept(self, sweep: SweepView | None) -> None:
        """A core is being swept: its card stands in the step's place, and the eyes may stay on the board."""
        before, self._sweep = self._sweep, sweep
        self.step.setVisible(sweep is None)
        self.sweep.setVisible(sweep is not None)
        if sweep is not None:
            self.sweep.show_sweep(sweep)
        self.eyes.show_sweep(before, sweep)

    def _press_sweeping(self, name: str, sweep: SweepView) -> None:
        """The keys of a sweep: everything else waits until it is logged or broken off."""
        if name in ("main", "log", "sweep") and sweep.over:
            self._worker.end_sweep()
        elif name in ("sweep", "leave"):
            self._worker.end_sweep("broken off")
        elif name in ("sweep-stop", "stop-ccw", "stop-cw") and not sweep.over:
            self._worker.felt_stop()
        elif name == "sweep-beyond" and sweep.can_look:
            self._worker.look_beyond()
        elif name == "sweep-dead" and not sweep.over:
            self._worker.end_sweep("no effect")
        elif name in ("far", "pitch", "voice"):
            self.eyes.press(name)
        else:
            self.tell(tr("Sweeping {adjuster}: log it or break it off first (Esc).", adjuster=sweep.adjuster))

    # -- readings by themselves -------------------------------------------------------------------

    def _ran(self, run: RunView | None) -> None:
        """Readings go on by themselves: their card stands in the step's place."""
        self._run = run
        self.step.setVisible(run is None)
        self.run_card.setVisible(run is not None)
        if run is not None:
            self.run_card.show_run(run)

    def _press_running(self, name: str, run: RunView) -> None:
        """The keys of a run: everything else waits until it is over or stopped."""
        if name in ("sweep", "main") and run.waits:
            self._worker.run_on()
        elif name in ("leave", "chart"):
            self._worker.stop_run()
        elif name in ("far", "pitch", "voice"):
            self.eyes.press(name)
        else:
            self.tell(tr("Automatic readings are running: stop them first (Esc)."))

    def _log(self, view: BenchView) -> None:
        if self.step.typing:
            # What stands in the field is what is logged.
            self.step.entry.returnPressed.emit()
            return
        if not (view.simulated or view.reading.live):
            self.step.open_entry()
            return
        if view.coach.silent:
            # As the bench stands, right or wrong: nothing is dialled for the trainee.
            self._worker.do(lambda s: s.measure(), view.seq)
            return
        if view.coach.advice.act == "log":
            advice = view.coach.advice
            self._worker.do(lambda s: s.follow(advice), view.seq)
            return
        wanted = view.step.conditions
        self._worker.do(lambda s: _measure_at(s, wanted), view.seq)

    def _type_in(self, text: str) -> None:
        view = self.view
        if view is None or not text.strip():
            self.step.close_entry()
            return
        if self._awaiting_entry:
            return
        self._awaiting_entry = True
        wanted = view.step.conditions
        self._worker.do(lambda s: s.type_in(text, wanted), view.seq)

    def _neighbour(self, way: int) -> None:
        view = self.view
        assert view is not None
        steps = [r.step_id for _, rows in view.procedure.procedure for r in rows]
        at = steps.index(view.step.id) + way
        if 0 <= at < len(steps):
            step = steps[at]
            self._worker.do(lambda s: s.go_to(step))

    def _other_adjuster(self, way: int) -> None:
        view = self.view
        assert view is not None
        names = [r.adjuster for r in view.board.ledger]
        if names:
            at = names.index(view.board.selected) if view.board.selected in names else 0
            self._worker.select(names[(at + way) % len(names)])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A digit, a sign, < or > opens the entry with that character in it; Escape leaves the Far view."""
        if event is None:
            return
        if event.key() == Qt.Key.Key_Escape and self.eyes.leave():
            return
        if self._run is not None:
            if event.key() == Qt.Key.Key_Escape:
                self.press("leave")
            return
        if self._sweep is not None:
            # Full hands find Escape and nought on the number pad.
            names = {Qt.Key.Key_Escape: "leave", Qt.Key.Key_0: "sweep-dead"}
            if (name := names.get(Qt.Key(event.key()))) is not None:
                self.press(name)
            return
        text = event.text()
        if self.step.ear.isVisible() and text in _EAR_KEYS:
            self.press(_EAR_KEYS[text])
            return
        if (
            text
            and text in _TYPED
            and not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        ):
            self.step.open_entry(text)
            return
        super().keyPressEvent(event)


def _void(session: Session) -> None:
    if session.void_last() is None:
        raise BenchError(tr("Nothing to undo. Undo a turn by turning back."))


def _use(session: Session, workshop: tuple[Instrument, ...], quantity_id: str, instrument_id: str) -> None:
    """Take the workshop's list into the job where it differs, then choose from it."""
    if session.state.instruments != workshop:
        session.measuring.set_instruments(workshop)
    session.measuring.choose_instrument(quantity_id, instrument_id)


def _measure_at(session: Session, wanted: Conditions) -> None:
    if session.state.set_up != wanted:
        session.set_up(wanted)
    session.measure(wanted)


def _conclude(session: Session, advice) -> None:  # type: ignore[no-untyped-def]
    """Pass the step and go where the coach goes next, in one press."""
    session.follow(advice)
    following = session.advice()
    if following.act == "go to":
        session.follow(following)


def _follow_coach(session: Session) -> None:
    from unitone.align.advise import next_step

    following = next_step(session.state)
    if following is not None:
        session.go_to(following[0])
