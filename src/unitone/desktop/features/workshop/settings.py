"""Settings: the workshop's name, address and mark on its papers; languages; live readings from the sound card."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPixmap, QResizeEvent
from PyQt6.QtWidgets import (
    QBoxLayout,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from unitone import files
from unitone.actions import shown_key
from unitone.bench.path import DIAL_SCALES, Kit
from unitone.desktop.features.workshop.backups import BackupsBox
from unitone.desktop.features.workshop.keys import KeysBox
from unitone.desktop.features.workshop.live import LiveReadings
from unitone.desktop.features.workshop.machine import MachineBox
from unitone.desktop.features.workshop.shared import SharedBox
from unitone.desktop.features.workshop.sound import SoundBox
from unitone.desktop.features.workshop.wires import WiresBox
from unitone.desktop.theme.theme import SCALES, theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.painted import label
from unitone.errors import UnitoneError
from unitone.job.worth import amount
from unitone.present.papers import paper_head
from unitone.report.head import Head, mark_from
from unitone.store.logbook import Logbook
from unitone.words import LANGUAGES, language, tr

#: A mark's file beyond this is not read at all (bytes).
_MOST = 8_000_000


class SettingsPage(QWidget):
    """Everything is kept as it is typed; the mark is drawn as the papers have it."""

    #: Another language of the program: the window is made anew.
    language_chosen = pyqtSignal(str)
    #: The Bench is to listen in another way.
    live_changed = pyqtSignal()
    #: Another theme, and how large the type is.
    look_wanted = pyqtSignal(str, float)
    #: A backup now.
    backup_wanted = pyqtSignal()
    camera_wanted = pyqtSignal()
    #: Go on at a server (its address) or at this machine's folder (empty), with what to say there.
    place_wanted = pyqtSignal(str, str)
    #: The questions of the first evening once more.
    questions_wanted = pyqtSignal()
    #: Other instruments by wire.
    wires_changed = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setAccessibleName(tr("Settings"))
        self._logbook = logbook
        self._head = paper_head(logbook)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setFrameShape(QFrame.Shape.NoFrame)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole.addWidget(self._area)
        inside = QWidget()
        inside.setObjectName("paper")
        self._area.setWidget(inside)
        columns = self._columns = QHBoxLayout(inside)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(theme.px(12))
        first = QVBoxLayout()
        first.setSpacing(theme.px(12))
        self.wires = WiresBox(logbook)
        self.wires.changed.connect(self.wires_changed)
        first.addWidget(self._papers())
        self.backups = BackupsBox(logbook)
        self.backups.wanted.connect(self.backup_wanted)
        first.addWidget(self.backups)
        self.shared = SharedBox(logbook)
        self.shared.place_wanted.connect(self.place_wanted)
        first.addWidget(self.shared)
        first.addWidget(self.wires)
        self.keys = KeysBox(logbook)
        self.keys.chosen.connect(lambda: self.language_chosen.emit(language()))
        first.addWidget(self.keys)
        self.machine = MachineBox(logbook.folder)
        first.addWidget(self.machine)
        first.addStretch(1)
        columns.addLayout(first, 3)
        second = QVBoxLayout()
        second.setSpacing(theme.px(12))
        self.live = LiveReadings(logbook)
        self.live.changed.connect(self.live_changed)
        second.addWidget(self._program())
        second.addWidget(self.live)
        self.sound = SoundBox(logbook)
        self.sound.camera_wanted.connect(self.camera_wanted)
        second.addWidget(self.sound)
        second.addStretch(1)
        columns.addLayout(second, 2)
        columns.addStretch(0)
        self._show_mark()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        # Under one another where two columns would cut their words.
        narrow = self.width() < theme.px(800)
        self._columns.setDirection(QBoxLayout.Direction.TopToBottom if narrow else QBoxLayout.Direction.LeftToRight)

    def _card(self, title: str, words: str) -> tuple[QFrame, QVBoxLayout]:
        card = QFrame()
        card.setProperty("role", "card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        layout.setSpacing(theme.px(8))
        layout.addWidget(label("heading", title))
        layout.addWidget(label("quiet", words, True))
        return card, layout

    def _papers(self) -> QFrame:
        card, layout = self._card(tr("Papers"), tr("Printed at the head of every certificate and handover page."))
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(8))
        self.name, self.line = QLineEdit(self._head.name), QLineEdit(self._head.line)
        self.name.setPlaceholderText(tr("the name of your workshop"))
        self.line.setPlaceholderText(tr("trade, street, town, telephone"))
        for row, (words, field) in enumerate(((tr("Workshop"), self.name), (tr("Address"), self.line))):
            named = label("", words)
            named.setBuddy(field)
            field.setAccessibleName(words)
            field.setMaxLength(80)
            field.editingFinished.connect(self._keep)
            grid.addWidget(named, row, 0)
            grid.addWidget(field, row, 1)
        self.paper_language = Choice()
        self.paper_language.setAccessibleName(tr("Language of the papers"))
        self.paper_language.addItem(tr("as the program"), "")
        for code, name in LANGUAGES.items():
            self.paper_language.addItem(name, code)
        self.paper_language.setCurrentIndex(max(0, self.paper_language.findData(self._head.paper_language)))
        self.paper_language.activated.connect(lambda _: self._keep())
        grid.addWidget(label("", tr("Language of the papers")), 2, 0)
        grid.addWidget(self.paper_language, 2, 1)
        layout.addLayout(grid)
        row = QHBoxLayout()
        self.picture = label("")
        self.picture.setAccessibleName(tr("Mark"))
        self.picture.setFixedSize(theme.px(96), theme.px(96))
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        row.addWidget(self.picture)
        buttons = QVBoxLayout()
        self.choose, self.remove = QPushButton(tr("Choose mark…")), QPushButton(tr("Remove mark"))
        self.choose.clicked.connect(self._ask)
        self.remove.clicked.connect(lambda: self._take_mark(b""))
        buttons.addWidget(self.choose)
        buttons.addWidget(self.remove)
        buttons.addStretch(1)
        row.addLayout(buttons)
        row.addStretch(1)
        layout.addLayout(row)
        self.words = label("small", "", True)
        self.words.setAccessibleName(tr("About the mark"))
        layout.addWidget(self.words)
        layout.addStretch(1)
        return card

    def _program(self) -> QFrame:
        card, layout = self._card(
            tr("Program"),
            tr(
                "The language of the window and of every message. Theme: {theme}. Type size: {larger}, {smaller}.",
                theme=shown_key("theme"),
                larger=shown_key("larger"),
                smaller=shown_key("smaller"),
            ),
        )
        self.language = Choice()
        self.language.setAccessibleName(tr("Language"))
        for code, name in LANGUAGES.items():
            self.language.addItem(name, code)
        self.language.setCurrentIndex(max(0, self.language.findData(language())))
        self.language.activated.connect(lambda _: self._choose_language())
        row = QHBoxLayout()
        row.addWidget(label("", tr("Language")))
        row.addWidget(self.language, 1)
        layout.addLayout(row)
        self.marks = ChipRow(
            tr("Decimal mark"),
            [("", tr("as the language")), (".", "0.31 µV"), (",", "0,31 µV")],
            self._choose_mark,
        )
        self.marks.mark(str((self._logbook.setting("look", {}) or {}).get("mark", "")))
        row = QHBoxLayout()
        row.addWidget(label("", tr("Decimal mark")))
        row.addWidget(self.marks, 1)
        layout.addLayout(row)
        words = {"dBm": "dBm", "uV": tr("µV PD"), "uV-emf": tr("µV EMF")}
        self.units = ChipRow(tr("Generator's dial"), [(s, words[s]) for s in DIAL_SCALES], self._choose_units)
        self.units.mark(Kit.from_data(self._logbook.setting("kit", {}) or {}).shows)
        row = QHBoxLayout()
        row.addWidget(label("", tr("Generator's dial")))
        row.addWidget(self.units, 1)
        layout.addLayout(row)
        self.themes = ChipRow(
            tr("Theme"),
            [("day", tr("Day")), ("night", tr("Night"))],
            lambda name: self.look_wanted.emit(name, theme.scale),
        )
        layout.addWidget(self.themes)
        sizes = [(f"{s:g}", f"{round(100 * s)} %") for s in SCALES]
        self.sizes = ChipRow(tr("Type size"), sizes, lambda size: self.look_wanted.emit(theme.tokens.name, float(size)))
        layout.addWidget(self.sizes)
        place = self._logbook.folder
        self.place = label(
            "quiet",
            tr("Logbook: in memory only")
            if place is None
            else tr("Logbook: {path}", path=place)
            if self._logbook.sharing is None
            else tr("Copy of the shared logbook: {path}", path=place),
            True,
        )
        self.place.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self.place)
        layout.addWidget(label("small", tr("Another logbook: start Unitone with --workspace and its folder."), True))
        self._mark_look()
        theme.changed.connect(self._mark_look)
        self.questions = QPushButton(tr("What I repair, what is on my bench"))
        self.questions.clicked.connect(self.questions_wanted)
        layout.addWidget(self.questions)
        cost = self._logbook.setting("cost", {}) or {}
        self.rate, self.currency = QLineEdit(), QLineEdit(str(cost.get("currency", "")))
        self.rate.setText(f"{cost['rate']:g}" if cost.get("rate") else "")
        self.rate.setPlaceholderText("30.00")
        self.currency.setPlaceholderText("€")
        row = QHBoxLayout()
        for words, field in ((tr("Rate per hour"), self.rate), (tr("Currency"), self.currency)):
            named = label("", words)
            named.setBuddy(field)
            field.setAccessibleName(words)
            field.setMaxLength(12)
            field.editingFinished.connect(self._keep_cost)
            row.addWidget(named)
            row.addWidget(field, 1)
        layout.addLayout(row)
        self.cost_words = label("cure", "", True)
        self.cost_words.hide()
        layout.addWidget(self.cost_words)
        layout.addStretch(1)
        return card

    def _mark_look(self) -> None:
        """Theme and type size as they are, whoever changed them."""
        self.themes.mark(theme.tokens.name)
        self.sizes.mark(min(self.sizes.chips, key=lambda s: abs(float(s) - theme.scale)))

    def _choose_units(self, shows: str) -> None:
        """What is to be dialled is told in what the generator shows; new jobs take it over."""
        kit = replace(Kit.from_data(self._logbook.setting("kit", {}) or {}), shows=shows)
        if self._set("kit", kit.to_data()):
            self.units.mark(shows)

    def _choose_mark(self, mark: str) -> None:
        look = self._logbook.setting("look", {}) or {}
        if mark != look.get("mark", "") and self._set("look", {**look, "mark": mark}):
            # Every figure is written anew: in a window made anew.
            self.language_chosen.emit(language())

    def _choose_language(self) -> None:
        code = str(self.language.currentData())
        if code != language():
            look = self._logbook.setting("look", {}) or {}
            if self._set("look", {**look, "language": code}):
                self.language_chosen.emit(code)

    def _keep_cost(self) -> None:
        """The rate counts from the next look at a card; what is no amount is said, and the old one stays."""
        text = self.rate.text().strip()
        rate = amount(text) if text else 0.0
        self.cost_words.setVisible(rate is None)
        if rate is None:
            self.cost_words.setText(tr("“{text}” is not an amount. Write it like 30.00.", text=text))
            return
        self._set("cost", {"rate": rate, "currency": self.currency.text().strip()})

    def _keep(self, mark: bytes | None = None) -> None:
        self._head = Head(
            self.name.text().strip(), self.line.text().strip(), self._head.mark if mark is None else mark,
            str(self.paper_language.currentData() or ""),
        )  # fmt: skip
        if self._head != paper_head(self._logbook):
            self._set("head", self._head.to_data())

    def _set(self, key: str, value: object) -> bool:
        """Keep a setting; a logbook that takes none says why."""
        try:
            self._logbook.set_setting(key, value)
        except UnitoneError as error:
            self.words.setText(str(error))
            return False
        return True

    def _ask(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Choose mark…"), "", tr("Pictures (*.png *.jpg *.jpeg)"))
        if name:
            self.take_file(Path(name))

    def take_file(self, path: Path) -> None:
        """Take a picture file as the workshop's mark; what it cannot be is said, and the old one stays."""
        try:
            content = files.read_bytes(path, _MOST)
            self._take_mark(mark_from(content))
        except (OSError, UnitoneError) as error:
            self.words.setText(
                f"{path.name}: {error if isinstance(error, UnitoneError) else files.plain_reason(error)}"
            )

    def _take_mark(self, mark: bytes) -> None:
        self._keep(mark)
        self.words.setText("")
        self._show_mark()

    def _show_mark(self) -> None:
        pixmap = QPixmap()
        if self._head.mark:
            pixmap.loadFromData(self._head.mark)
        self.remove.setEnabled(not pixmap.isNull())
        if pixmap.isNull():
            self.picture.setText(tr("no mark"))
            return
        side = self.picture.width()
        self.picture.setPixmap(
            pixmap.scaled(side, side, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
        )
