"""A new job: which model, whose, what is wrong, and whether a stand-in takes the radio's place."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label
from unitone.errors import UnitoneError
from unitone.job.tape import Card
from unitone.store.logbook import Logbook
from unitone.words import tr


class NewJob(QFrame):
    """The card of a job to be."""

    made = pyqtSignal(str)
    left = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self._logbook = logbook
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(18), theme.px(14), theme.px(18), theme.px(14))
        layout.setSpacing(theme.px(4))
        layout.addWidget(label("title", tr("New job")))
        self.model = QComboBox()
        self.serial, self.owner, self.complaint, self.accessories = (QLineEdit() for _ in range(4))
        self.simulated = QCheckBox(tr("A stand-in takes the radio's place (practice)"))
        self.simulated.setAccessibleName(self.simulated.text())
        self.seed = QSpinBox()
        self.seed.setRange(1, 999_999)
        for words, field in (
            (tr("Model"), self.model), (tr("Serial number"), self.serial), (tr("Owner"), self.owner),
            (tr("Complaint"), self.complaint), (tr("What came with it (commas between)"), self.accessories),
        ):  # fmt: skip
            self._field(layout, words, field)
            if isinstance(field, QLineEdit):
                field.setMaxLength(300)
        layout.addSpacing(theme.px(6))
        layout.addWidget(self.simulated)
        self._field(layout, tr("Stand-in number: the same number is the same radio"), self.seed)
        self.simulated.toggled.connect(self.seed.setEnabled)
        self.message = label("warn", "", True)
        layout.addWidget(self.message)
        layout.addStretch(1)
        row = QHBoxLayout()
        self.open = QPushButton(tr("Open the job  ↵"))
        self.open.setProperty("role", "main")
        self.open.clicked.connect(self.make)
        leave = QPushButton(tr("Cancel"))
        leave.clicked.connect(self.left.emit)
        row.addWidget(self.open, 1)
        row.addWidget(leave)
        layout.addLayout(row)

    def _field(self, layout: QVBoxLayout, words: str, field: QWidget) -> None:
        name = label("small", words)
        name.setBuddy(field)
        field.setAccessibleName(words)
        layout.addWidget(name)
        layout.addWidget(field)

    def begin(self) -> None:
        """Empty the card and put the cursor in it."""
        if self.model.count() == 0:
            self._load_models()
        for field in (self.serial, self.owner, self.complaint, self.accessories):
            field.clear()
        self.message.clear()
        self.seed.setValue(self._logbook.next_number())
        self.simulated.setChecked(True)
        self.serial.setFocus()

    def _load_models(self) -> None:
        from unitone.sheet.library import built_in
        from unitone.sheet.read import read_sheet

        for path in built_in():
            try:
                sheet = read_sheet(path)
            except UnitoneError:
                continue
            self.model.addItem(f"{sheet.title}, {sheet.kind}", sheet.id)

    def make(self) -> None:
        """Open the job; what is wrong stands on the card."""
        from unitone.session.session import open_job

        accessories = tuple(a.strip() for a in self.accessories.text().split(",") if a.strip())
        seed = self.seed.value() if self.simulated.isChecked() else None
        sheet = str(self.model.currentData())
        try:
            card = Card(
                self._logbook.next_number(), sheet, self.serial.text().strip(), self.owner.text().strip(),
                self.complaint.text().strip(), seed, accessories,
            )  # fmt: skip
            self.made.emit(open_job(self._logbook, sheet, card))
        except UnitoneError as error:
            self.message.setText(str(error))
