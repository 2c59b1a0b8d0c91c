"""A new job: which model, whose, what is wrong, and whether a simulated radio takes the radio's place."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QCompleter,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice, dress_list
from unitone.desktop.widgets.painted import label, scrolled, set_tip
from unitone.errors import UnitoneError
from unitone.job.card import Card
from unitone.session.first_evening import first_procedures
from unitone.store.logbook import Logbook
from unitone.store.rows import JobRow
from unitone.words import N_, tr

#: Under this role an entry of the pull-down holds the name that it goes by.
_ALIAS = Qt.ItemDataRole.UserRole + 1
#: So many models of the newest jobs stand first, from so many jobs.
_RECENT, _RECENT_JOBS = 4, 40

#: General procedures, by the names of their files.
_GENERAL = {
    "am-mobile": N_("AM mobile"), "fm-mobile": N_("FM mobile, 26.965 to 27.405 MHz"),
    "fm-mobile-uk": N_("FM mobile, 27.601 to 27.991 MHz"), "handheld": N_("AM handheld"), "fm-handheld": N_("FM handheld"),
    "ssb-set": N_("multi-band SSB set"), "hf-valve-transceiver": N_("HF valve transceiver"),
    "valve-receiver": N_("valve broadcast receiver"), "portable-receiver": N_("multi-band portable receiver"),
}  # fmt: skip


class NewJob(QFrame):
    """The card of a job to be."""

    made = pyqtSignal(str)
    left = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self._logbook = logbook
        self._labels: dict[QWidget, QWidget] = {}
        self._simulated_radios: set[str] = set()
        self._earlier: JobRow | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(18), theme.px(14), theme.px(10), theme.px(14))
        outer.setSpacing(theme.px(6))
        outer.addWidget(label("title", tr("New job")))
        # In a low window the fields scroll; what opens the job stays in sight.
        inside = QWidget()
        layout = QVBoxLayout(inside)
        layout.setContentsMargins(0, 0, theme.px(8), 0)
        layout.setSpacing(theme.px(4))
        self.model = Choice()
        self.model.setEditable(True)
        self.model.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        line, completer = self.model.lineEdit(), QCompleter(self.model.model(), self.model)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
        completer.setMaxVisibleItems(12)
        self.model.setCompleter(completer)
        dress_list(completer)
        completer.activated[str].connect(self._found)
        assert line is not None
        line.setPlaceholderText(tr("type a few letters of the model"))
        # What is no model of the list goes back to the one that is chosen.
        line.editingFinished.connect(self._take_typed)
        self.serial, self.owner, self.complaint, self.accessories, self.missing = (QLineEdit() for _ in range(5))
        self.named = QLineEdit()
        self.named.setPlaceholderText(tr("maker and model, if known"))
        self.carry = QCheckBox(tr("Go on with this radio's variant"))
        self.carry.setAccessibleName(self.carry.text())
        self.carry.hide()
        self.simulated = QCheckBox(tr("Practise on a simulated radio"))
        self.simulated.setAccessibleName(self.simulated.text())
        self.seed = QSpinBox()
        self.seed.setRange(1, 999_999)
        self.seed.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        for words, field in (
            (tr("Model"), self.model), (tr("Name of this radio"), self.named), (tr("Serial number"), self.serial), (tr("Owner"), self.owner),
            (tr("Complaint"), self.complaint), (tr("Included (commas between)"), self.accessories),
            (tr("Missing"), self.missing),
        ):  # fmt: skip
            self._field(layout, words, field)
            if isinstance(field, QLineEdit):
                field.setMaxLength(300)
        layout.addWidget(self.carry)
        layout.addSpacing(theme.px(6))
        layout.addWidget(self.simulated)
        self._field(layout, tr("Radio number: the same number gives the same radio"), self.seed)
        self.simulated.toggled.connect(self._practise)
        self._practise(False)
        self.model.currentIndexChanged.connect(lambda _: self._suit())
        self.serial.editingFinished.connect(self._look_for_variant)
        layout.addStretch(1)
        self.model.setMinimumWidth(theme.px(120))
        outer.addWidget(scrolled(inside, whole=True), 1)
        self.message = label("warn", "", True)
        outer.addWidget(self.message)
        row = QHBoxLayout()
        self.open = QPushButton(tr("Open the job  ↵"))
        self.open.setProperty("role", "main")
        self.open.clicked.connect(self.make)
        leave = QPushButton(tr("Cancel"))
        leave.clicked.connect(self.left.emit)
        row.addWidget(self.open, 1)
        row.addWidget(leave)
        outer.addLayout(row)

    def _field(self, layout: QVBoxLayout, words: str, field: QWidget) -> None:
        name = label("small", words, True)
        self._labels[field] = name
        name.setBuddy(field)
        field.setAccessibleName(words)
        layout.addWidget(name)
        layout.addWidget(field)

    def begin(self) -> None:
        """Empty the card and put the cursor in it."""
        self._load_models()
        for field in (self.named, self.serial, self.owner, self.complaint, self.accessories, self.missing):
            field.clear()
        self.message.clear()
        self.seed.setValue(self._logbook.next_number())
        self.simulated.setChecked(False)
        self._suit()
        # A radio without a sheet is called by the name that it is given here.
        (self.serial if self.named.isHidden() else self.named).setFocus()

    def _load_models(self) -> None:
        from unitone.session.own_sheets import library_of
        from unitone.sheet.library import general

        chosen = self.model.currentData()
        self.model.blockSignals(True)
        self.model.clear()
        self._simulated_radios = set()
        for kept in library_of(self._logbook).kept():
            if not kept.problems:
                self.model.addItem(f"{kept.title}, {tr(kept.kind)}", kept.id)
                for alias in kept.aliases:
                    self.model.addItem(tr("{alias}, by the sheet of {title}", alias=alias, title=kept.title), kept.id)
                    self.model.setItemData(self.model.count() - 1, alias, _ALIAS)
                if kept.simulated:
                    self._simulated_radios.add(kept.id)
        for path in general():
            self.model.addItem(
                tr("No sheet: {kind}", kind=tr(_GENERAL.get(path.stem, path.stem))), f"general:{path.stem}"
            )
        for stem in reversed(first_procedures(self._logbook)):
            self._move(f"general:{stem}", 0)
        self._recent_first()
        self.model.setCurrentIndex(max(self.model.findData(chosen), 0))
        self.model.blockSignals(False)

    def _recent_first(self) -> None:
        """The models of the newest jobs stand at the top of the list."""
        recent = dict.fromkeys(str(row.card.get("sheet_id", "")) for row in self._logbook.jobs(limit=_RECENT_JOBS))
        for place, sheet in enumerate([s for s in recent if self.model.findData(s) >= 0][:_RECENT]):
            self._move(sheet, place)

    def _move(self, model: str, place: int) -> None:
        """Another place in the list; what is not in it is left out."""
        at = self.model.findData(model)
        if at >= 0:
            text, data = self.model.itemText(at), self.model.itemData(at)
            self.model.removeItem(at)
            self.model.insertItem(place, text, data)

    def _show_model(self) -> None:
        """The chosen model's name, from its beginning."""
        line = self.model.lineEdit()
        if line is not None:
            line.setText(self.model.itemText(self.model.currentIndex()))
            line.setCursorPosition(0)

    def _take_typed(self) -> bool:
        """Choose the first model that has every word that was typed; False where nothing new was typed."""
        line = self.model.lineEdit()
        typed = "" if line is None else line.text().strip()
        if not typed or typed == self.model.itemText(self.model.currentIndex()).strip():
            self._show_model()
            return False
        words = typed.casefold().split()
        for n in range(self.model.count()):
            if all(w in self.model.itemText(n).casefold() for w in words):
                self.model.setCurrentIndex(n)
                self._show_model()
                self.message.clear()
                return True
        self._show_model()
        self.message.setText(tr("No model has “{typed}”. Choose one of the list.", typed=typed))
        return True

    def _practise(self, on: bool) -> None:
        """A simulated radio has a number; a real one does not."""
        for widget in (self.seed, self._labels[self.seed]):
            widget.setVisible(on)

    def _found(self, text: str) -> None:
        """A model was found by its letters."""
        at = self.model.findText(text)
        if at >= 0:
            self.model.setCurrentIndex(at)

    def _suit(self) -> None:
        """What goes with the model: a name where there is no sheet, a simulated radio where there is one."""
        self._show_model()
        chosen = str(self.model.currentData() or "")
        general_procedure, has = chosen.startswith("general:"), chosen in self._simulated_radios
        self.named.setVisible(general_procedure)
        self._labels[self.named].setVisible(general_procedure)
        self.simulated.setEnabled(has)
        self.simulated.setChecked(has and self.simulated.isChecked())
        set_tip(self.simulated, "" if has else tr("This sheet has no simulated radio: readings are typed."))
        self._look_for_variant()

    def _look_for_variant(self) -> None:
        """An earlier job on the same radio with a variant: it goes on in this one unless that is refused."""
        self._earlier = None
        serial, model = self.serial.text().strip(), str(self.model.currentData() or "")
        if serial:
            for row in self._logbook.like(sheet_id=model, serial=serial):
                if row.summary.get("variant"):
                    self._earlier = row
                    break
        self.carry.setVisible(self._earlier is not None)
        if self._earlier is not None:
            self.carry.setText(
                tr("This radio was changed in job {n}: {what}. Use that.", n=f"{self._earlier.number:04d}",
                   what=self._earlier.summary["variant"])
            )  # fmt: skip
            self.carry.setAccessibleName(self.carry.text())
            self.carry.setChecked(True)

    def _alias(self) -> str:
        """The name under which this board is sold, where that is another than its sheet's."""
        return str(self.model.currentData(_ALIAS) or "")

    def make(self) -> None:
        """Open the job; what is wrong stands on the card."""
        from unitone.session.session import open_job

        # Enter on letters of a model takes that model first: no job is opened on another one by mistake.
        if self._take_typed():
            (self.named if self.named.isVisible() else self.serial).setFocus()
            return
        accessories, missing = (
            tuple(a.strip() for a in f.text().split(",") if a.strip()) for f in (self.accessories, self.missing)
        )
        seed = self.seed.value() if self.simulated.isChecked() else None
        sheet = str(self.model.currentData() or "").removeprefix("general:")
        title = self.named.text().strip() if self.named.isVisible() else self._alias()
        carry = self._earlier.id if self._earlier is not None and self.carry.isChecked() else ""
        try:
            card = Card(
                self._logbook.next_number(), sheet, self.serial.text().strip(), self.owner.text().strip(),
                self.complaint.text().strip(), seed, accessories, missing,
            )  # fmt: skip
            self.made.emit(open_job(self._logbook, sheet, card, title=title, carry_from=carry))
        except UnitoneError as error:
            self.message.setText(str(error))
