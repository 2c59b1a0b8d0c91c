"""The tray: small questions answered in place, without a dialog (a note, the generator and its pads)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QEvent, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QKeyEvent, QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from unitone.bench.path import Kit
from unitone.desktop.features.bench.questions import (
    AdjusterQuestion,
    ConventionsQuestion,
    InstrumentQuestion,
    JudgeQuestion,
    Question,
    RecheckQuestion,
    StepQuestion,
    TouchQuestion,
)
from unitone.desktop.features.bench.work_done import LooseQuestion, TriedQuestion
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label
from unitone.errors import EntryError, UnitoneError
from unitone.present.bench.bench_shapes import BenchView
from unitone.quantities.entry import decibels, parse_si
from unitone.words import tr


class _Stack(QStackedLayout):
    """As tall as the question that is asked, not as the tallest of them."""

    def sizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.sizeHint() if page is not None else super().sizeHint()

    def minimumSize(self) -> QSize:
        page = self.currentWidget()
        return page.minimumSizeHint() if page is not None else super().minimumSize()


class Tray(QFrame):
    """One question at a time; Escape closes it."""

    closed = pyqtSignal()
    resized = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self._then: Callable[..., None] | None = None
        self._tall = 0
        self._stack = _Stack(self)
        self._stack.addWidget(self._note_row())
        self._stack.addWidget(self._kit_row())
        self.touch, self.judge, self.conventions = TouchQuestion(), JudgeQuestion(), ConventionsQuestion()
        self.instrument, self.recheck = InstrumentQuestion(), RecheckQuestion()
        self.tried, self.loose = TriedQuestion(), LooseQuestion()
        self.adjuster, self.step = AdjusterQuestion(), StepQuestion()
        for question in (
            self.touch,
            self.judge,
            self.conventions,
            self.instrument,
            self.recheck,
            self.tried,
            self.loose,
            self.adjuster,
            self.step,
        ):
            self._stack.addWidget(question)
            question.answered.connect(self._answer)
            question.left.connect(self.close_tray)
        self.hide()

    def _row(self) -> tuple[QWidget, QHBoxLayout]:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(theme.px(12), theme.px(6), theme.px(12), theme.px(6))
        return row, layout

    def _buttons(self, layout: QHBoxLayout, done: Callable[[], None]) -> None:
        keep, leave = QPushButton(tr("Keep")), QPushButton(tr("Cancel"))
        keep.clicked.connect(done)
        leave.clicked.connect(self.close_tray)
        layout.addWidget(keep)
        layout.addWidget(leave)

    def _note_row(self) -> QWidget:
        row, layout = self._row()
        self.note = QLineEdit()
        self.note.setAccessibleName(tr("Note"))
        self.note.setPlaceholderText(tr("What did you see, hear or do?"))
        self.note.setMaxLength(2000)
        self.note.returnPressed.connect(self._keep_note)
        layout.addWidget(self._buddy(tr("Note"), self.note))
        layout.addWidget(self.note, 1)
        self._buttons(layout, self._keep_note)
        return row

    def _buddy(self, text: str, field: QWidget) -> QLabel:
        made = label("", text)
        made.setBuddy(field)
        return made

    def _kit_row(self) -> QWidget:
        row, layout = self._row()
        lines = QVBoxLayout()
        layout.addLayout(lines)
        fields, rest = QHBoxLayout(), QHBoxLayout()
        lines.addLayout(fields)
        lines.addLayout(rest)
        self.pads, self.switches, self.least, self.load = QLineEdit(), QLineEdit(), QLineEdit(), QLineEdit()
        self.told = QCheckBox(tr("generator display includes the pads"))
        for field, words, hint, width in (
            (self.pads, tr("Pads in line, dB"), "40  or  20+20", 130), (self.switches, tr("Attenuator switches, dB"), "none", 130),
            (self.least, tr("Generator minimum, dBm"), "-100", 80), (self.load, tr("Dummy load, W"), "50", 70),
        ):  # fmt: skip
            field.setAccessibleName(words)
            field.setPlaceholderText(hint)
            field.setMaximumWidth(theme.px(width))
            field.returnPressed.connect(self._keep_kit)
            fields.addWidget(self._buddy(words, field))
            fields.addWidget(field)
        fields.addStretch(1)
        self.told.setAccessibleName(self.told.text())
        rest.addWidget(self.told)
        self.kit_error = label("warn", "", True)
        rest.addWidget(self.kit_error, 1)
        self._buttons(rest, self._keep_kit)
        return row

    def ask_note(self, then: Callable[[str], None]) -> None:
        """Ask for a note."""
        self._then = then
        self.note.clear()
        self._stack.setCurrentIndex(0)
        self.show()
        self.note.setFocus()

    def ask_kit(self, kit: Kit, then: Callable[[Kit], None]) -> None:
        """Ask which generator and pads stand on the bench."""
        self._then, self._kit = then, kit
        self.pads.setText("+".join(f"{p:g}" for p in kit.pads_db))
        self.switches.setText("+".join(f"{p:g}" for p in kit.switches_db))
        self.least.setText(f"{kit.least_dbm:g}")
        self.load.setText("" if kit.load_w is None else f"{kit.load_w:g}")
        self.told.setChecked(kit.generator_knows)
        self.kit_error.clear()
        self._stack.setCurrentIndex(1)
        self.show()
        self.pads.setFocus()

    def ask(self, question: Question, view: BenchView, then: Callable[..., None], *more: object) -> None:
        """Ask one of the questions of judgement about what is shown."""
        self._then = then
        self._stack.setCurrentWidget(question)
        self.show()
        question.ask(view, *more)  # type: ignore[attr-defined]

    def _answer(self, what: object) -> None:
        if self._then is not None:
            self._then(what)
        self.close_tray()

    def _keep_note(self) -> None:
        words = self.note.text()
        if words.strip() and self._then is not None:
            self._then(words)
        self.close_tray()

    def _keep_kit(self) -> None:
        try:
            pads, switches = decibels(self.pads.text()), decibels(self.switches.text())
            least = parse_si(self.least.text() or "-100", "dBm")
            if not -200 <= least <= 20:
                raise EntryError(tr("Generator minimum: −200 to 20 dBm."))
            load = parse_si(self.load.text(), "W") if self.load.text().strip() else None
            if load is not None and not 0.1 <= load <= 100_000:
                raise EntryError(tr("Dummy load rating: 0.1 W to 100 kW. Leave it empty if unknown."))
        except UnitoneError as error:
            self.kit_error.setText(str(error))
            return
        # What is known of pads and generator is put in anew where the kit is kept.
        kit = replace(
            self._kit,
            least_dbm=least,
            pads_db=pads,
            generator_knows=self.told.isChecked(),
            switches_db=switches,
            pad_errors_db=(),
            load_w=load,
        )
        if self._then is not None:
            self._then(kit)
        self.close_tray()

    def close_tray(self) -> None:
        """Put it away; nothing is kept that was not said to be."""
        self.hide()
        self.closed.emit()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.resized.emit()

    def event(self, event: QEvent | None) -> bool:
        """A question that is filled in after it is shown takes another height: what stands above is told."""
        done = super().event(event)
        if event is not None and event.type() == QEvent.Type.LayoutRequest and self.sizeHint().height() != self._tall:
            self._tall = self.sizeHint().height()
            self.resized.emit()
        return done

    def hideEvent(self, event: QHideEvent | None) -> None:
        """What stands above has its room again."""
        super().hideEvent(event)
        self.resized.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.close_tray()
            return
        super().keyPressEvent(event)
