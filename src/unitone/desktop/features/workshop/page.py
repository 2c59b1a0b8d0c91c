"""The Workshop view: its instruments with what is known of their errors, its conventions, its decision rule."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from unitone.bench.instruments import Instrument
from unitone.desktop.features.workshop.camera import CameraPage
from unitone.desktop.features.workshop.my_bench import MyBenchPage
from unitone.desktop.features.workshop.settings import SettingsPage
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.painted import Elided, label, scrolled
from unitone.desktop.widgets.table_editor import TableEditor
from unitone.errors import FieldError
from unitone.job.verdicts import RULES
from unitone.quantities.registry import QUANTITIES
from unitone.session.wires import WireState
from unitone.sheet.conventions.questions import CONVENTIONS
from unitone.sheet.editing.draft import Draft
from unitone.sheet.editing.fields import Field
from unitone.sheet.format.build import Problem
from unitone.store.logbook import Logbook
from unitone.words import N_, tr, tr_n

if TYPE_CHECKING:
    from unitone.desktop.camera.webcam import Webcam

FIELDS = (
    Field(("name",), N_("Name"), hint=N_("the 30 W wattmeter"), wide=True),
    Field(("measures",), N_("Measures"), "ids", "tx.power, tx.pep · rx.*", source="quantity", wide=True),
    Field(("standing",), N_("Calibration"), "choice", choices=(
        ("calibrated", N_("calibrated")), ("indicative only", N_("indicative only")))),
    Field(("calibrated",), N_("Calibrated on"), hint="2026-03-02"),
    Field(("pct_reading",), N_("Error, ± % of reading"), "number", "2"),
    Field(("db",), N_("Error, ± dB"), "number", "1"),
    Field(("pct_full_scale",), N_("Error, ± % of full scale"), "number", "5"),
    Field(("full_scale",), N_("Full scale (V, A, W, Hz)"), "number", "30"),
    Field(("ppm",), N_("Error, ± ppm (counters)"), "number", "0.5"),
    Field(("times",), N_("Multiply readings by"), "number", N_("10 for a ×10 probe")),
    Field(("reads_pct",), N_("Reads high by, % (low: −8)"), "number", "-8"),
    Field(("table",), N_("Correction table, shown and true"), "pairs", hint="1 1.1; 4 4.4; 10 10.6", wide=True),
    Field(("add_db",), N_("Add dB to readings"), "number", "0"),
    Field(("pick_up",), N_("Connected"), "choice", choices=(
        ("in line", N_("in line, or through a pad")), ("loop", N_("by a pick-up loop")), ("x10 probe", N_("by a ×10 probe")),
        ("x1 probe", N_("by a ×1 probe")))),
    Field(("reads",), N_("A wattmeter shows"), "choice", choices=(("mean", N_("the mean")), ("peak", N_("the peak")))),
)  # fmt: skip


def instrument_words(row: dict[str, Any]) -> tuple[str, str]:
    """The two lines of an instrument in the list."""
    measures = row.get("measures")
    shown = ", ".join(measures) if isinstance(measures, list) else str(measures or "")
    return str(
        row.get("name") or tr("new instrument")
    ), f"{tr(str(row.get('standing') or 'indicative only'))} · {shown}"


def read_instruments(rows: list[dict[str, Any]]) -> tuple[tuple[Instrument, ...], tuple[Problem, ...]]:
    """The instruments that hold, and what is wrong with the others."""
    made: list[Instrument] = []
    wrong: list[Problem] = []
    for n, row in enumerate(rows):
        plain = {k: v for k, v in row.items() if v not in (None, "")}
        numbers = [f.key[0] for f in FIELDS if f.kind == "number" and isinstance(plain.get(f.key[0]), str)]
        if numbers:
            wrong.append(Problem(("instrument", n, numbers[0]), tr("is not a number. Write it like 2.5.")))
            continue
        if not isinstance(plain.get("measures"), list) or not plain.get("name"):
            key = "name" if not plain.get("name") else "measures"
            wrong.append(Problem(("instrument", n, key), tr("is missing. Add it.")))
            continue
        try:
            made.append(Instrument.from_data(plain))
        except FieldError as error:
            wrong.append(Problem(("instrument", n, error.field), str(error)))
    return tuple(made), tuple(wrong)


class WorkshopPage(QWidget):
    """What holds for every new job. A job that is open takes its instruments when it next chooses one (I)."""

    #: What is known of the bench is other than before.
    bench_changed = pyqtSignal()
    #: The program is to speak another language.
    language_chosen = pyqtSignal(str)
    #: The Bench is to listen in another way.
    live_changed = pyqtSignal()
    wires_changed = pyqtSignal()
    questions_wanted = pyqtSignal()
    backup_wanted = pyqtSignal()
    place_wanted = pyqtSignal(str, str)
    look_wanted = pyqtSignal(str, float)
    #: The Bench is to read other meters by camera.
    camera_changed = pyqtSignal()

    def __init__(self, logbook: Logbook, webcam: Callable[[], Webcam]) -> None:
        super().__init__()
        self._webcam = webcam
        self.setObjectName("paper")
        self.setAccessibleName(tr("Workshop"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._logbook = logbook
        self.draft = Draft({"instrument": list(logbook.setting("instruments", []) or [])})
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(14), theme.px(16), theme.px(14))
        outer.setSpacing(theme.px(10))
        head = QHBoxLayout()
        head.addWidget(label("page", tr("Workshop")))
        self.row = ChipRow(
            tr("Part of the workshop"),
            (
                ("instruments", tr("Instruments and conventions")),
                ("bench", tr("My bench")),
                ("camera", tr("Camera")),
                ("settings", tr("Settings")),
            ),
            self.show_part,
        )
        self.row.mark("instruments")
        self.chips = self.row.chips
        head.addWidget(self.row, 2)
        self.state = Elided("quiet")
        head.addWidget(self.state, 1)
        self.undo = QPushButton(tr("Undo"))
        self.undo.clicked.connect(self._undo)
        head.addWidget(self.undo)
        outer.addLayout(head)
        both = QWidget()
        columns = QHBoxLayout(both)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(theme.px(12))
        columns.addWidget(self._instruments(), 62)
        columns.addWidget(self._conventions(), 32)
        self.parts = QStackedWidget()
        self.parts.addWidget(both)
        self.bench: MyBenchPage | None = None
        self.settings: SettingsPage | None = None
        self.camera: CameraPage | None = None
        #: Which instruments by wire answered last.
        self.wire_states: tuple[WireState, ...] = ()
        outer.addWidget(self.parts, 1)
        self.table.show_draft(self.draft)
        self._changed()

    def show_part(self, name: str) -> None:
        """Instruments and conventions, My bench, Camera, or Settings."""
        self.row.mark(name)
        if name == "settings" and self.settings is None:
            self.settings = SettingsPage(self._logbook)
            self.settings.language_chosen.connect(self.language_chosen)
            self.settings.live_changed.connect(self.live_changed)
            self.settings.wires_changed.connect(self.wires_changed)
            self.settings.questions_wanted.connect(self.questions_wanted)
            self.settings.backup_wanted.connect(self.backup_wanted)
            self.settings.place_wanted.connect(self.place_wanted)
            self.settings.camera_wanted.connect(lambda: self.show_part("camera"))
            self.settings.look_wanted.connect(self.look_wanted)
            self.settings.wires.show_states(self.wire_states)
            self.parts.addWidget(self.settings)
        if name == "bench" and self.bench is None:
            self.bench = MyBenchPage(self._logbook)
            self.bench.changed.connect(self.bench_changed)
            self.parts.addWidget(self.bench)
        if name == "camera" and self.camera is None:
            self.camera = CameraPage(self._logbook, self._webcam())
            self.camera.changed.connect(self.camera_changed)
            self.parts.addWidget(self.camera)
        if self.bench is not None:
            self.bench.stop()
            self.bench.show_bench()
        if self.settings is not None and name == "settings":
            self.settings.live.refresh()
            self.settings.backups.refresh()
        shown = {"settings": self.settings, "bench": self.bench, "camera": self.camera}.get(name)
        self.parts.setCurrentWidget(shown or self.parts.widget(0))
        self.undo.setVisible(shown is None)
        # The line keeps its room, so that the chips stay where they are.
        self.state.setText("")
        if shown is None:
            self._changed()

    def show_wires(self, states: tuple[WireState, ...]) -> None:
        """Which instruments by wire answer."""
        self.wire_states = states
        if self.settings is not None:
            self.settings.wires.show_states(states)

    def stop(self) -> None:
        """Nothing listens any more."""
        if self.bench is not None:
            self.bench.stop()

    def _card(self, title: str, words: str) -> tuple[QFrame, QVBoxLayout]:
        card = QFrame()
        card.setProperty("role", "card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        layout.addWidget(label("heading", title))
        layout.addWidget(label("quiet", words, True))
        return card, layout

    def _instruments(self) -> QFrame:
        card, layout = self._card(
            tr("Instruments"),
            tr("A calibrated instrument can say “too close for this meter”. The first one listed for a quantity is used."),
        )  # fmt: skip
        self.table = TableEditor(
            "instrument", tr("Instruments"), FIELDS, instrument_words, lambda _: sorted([*QUANTITIES, "rx.*", "tx.*"])
        )
        self.table.make = lambda _: {"id": "instrument-1", "standing": "indicative only"}
        self.table.changed.connect(self._changed)
        layout.addWidget(self.table, 1)
        return card

    def _conventions(self) -> QFrame:
        card, layout = self._card(
            tr("Conventions"),
            tr("Where the trade differs. The sheet's own choice wins; a job can choose for itself (O on the Bench)."),
        )
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(2))
        chosen = self._logbook.setting("conventions", {}) or {}
        self.boxes: dict[str, QComboBox] = {}
        row = 0
        for convention in CONVENTIONS:
            box = Choice()
            for key, words in convention.choices.items():
                box.addItem(tr(words), key)
            box.setCurrentIndex(max(0, box.findData(chosen.get(convention.question))))
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.activated.connect(lambda _: self._keep_conventions())
            self.boxes[convention.question] = box
            row = self._add(
                grid,
                row,
                tr(convention.title),
                box,
                tr("{why}. Changes {effect}.", why=tr(convention.why), effect=tr(convention.effect)),
            )
        self.rule = Choice()
        for rule in RULES:
            self.rule.addItem(tr(rule), rule)
        self.rule.setCurrentIndex(max(0, self.rule.findData(self._logbook.setting("rule"))))
        self.rule.activated.connect(lambda _: self._logbook.set_setting("rule", self.rule.currentData()))
        self._add(grid, row, tr("Decision rule"), self.rule, tr("Guard band w = U = 2u after ILAC-G8 and JCGM 106."))
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, theme.px(8), 0)
        column.addLayout(grid)
        column.addStretch(1)
        layout.addWidget(scrolled(inside, whole=True), 1)
        return card

    def _add(self, grid: QGridLayout, row: int, words: str, box: QComboBox, why: str) -> int:
        name = label("", words, True)
        name.setBuddy(box)
        box.setAccessibleName(words)
        box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        grid.addWidget(name, row, 0)
        grid.addWidget(box, row + 1, 0)
        grid.addWidget(label("small", why, True), row + 2, 0)
        grid.setRowMinimumHeight(row + 3, theme.px(8))
        return row + 4

    def _keep_conventions(self) -> None:
        defaults = {s.question: s.default for s in CONVENTIONS}
        chosen = {q: str(b.currentData()) for q, b in self.boxes.items() if b.currentData() != defaults[q]}
        self._logbook.set_setting("conventions", chosen)

    def _changed(self) -> None:
        """Keep what holds; what does not is marked and waits."""
        made, wrong = read_instruments(self.draft.rows("instrument"))
        self.table.show_problems(wrong)
        data = [i.to_data() for i in made]
        if data != (self._logbook.setting("instruments", []) or []):
            self._logbook.set_setting("instruments", data)
        self.undo.setEnabled(bool(self.draft.describe_undo))
        self.state.setText(
            tr_n(
                "{n} instrument saved, {m} with errors",
                "{n} instruments saved, {m} with errors",
                len(made),
                m=len(wrong),
            )
            if wrong
            else tr_n("{n} instrument, saved", "{n} instruments, all saved", len(made))
        )

    def _undo(self) -> None:
        if self.draft.undo():
            self.table.show_draft(self.draft, keep=True)
            self._changed()
