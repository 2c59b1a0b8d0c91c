"""Found against now: the small figures, those of the picture that is held, and what can be done with them."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from unitone.actions import keyed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ButtonRows
from unitone.desktop.widgets.painted import Elided, label, restyle
from unitone.present.meters.audio_pictures import describe_ratio
from unitone.present.meters.meter_shapes import TASKS, MeterPicture
from unitone.words import tr

_FIGURES = 4


def card_of(title: str, right: QWidget | None = None, card: QFrame | None = None) -> tuple[QFrame, QVBoxLayout]:
    """A card with its heading, and words at its right edge."""
    card = card or QFrame()
    card.setProperty("role", "card")
    layout = QVBoxLayout(card)
    layout.setContentsMargins(theme.px(14), theme.px(10), theme.px(14), theme.px(12))
    layout.setSpacing(theme.px(6))
    row = QHBoxLayout()
    row.addWidget(label("heading", title))
    if isinstance(right, QLabel):
        # What does not fit is not worth a second line: plots below would be squeezed by it.
        right.setMinimumWidth(theme.px(20))
        right.setAlignment(Qt.AlignmentFlag.AlignRight)
        row.addWidget(right, 1)
    else:
        row.addStretch(1)
    layout.addLayout(row)
    return card, layout


def _fitting(place: QLabel, *ways: str) -> str:
    """The first way to say it that fits, the last where none does: half a figure would be a wrong one."""
    room = place.width()
    return next((w for w in ways if place.fontMetrics().horizontalAdvance(w) <= room), ways[-1])


class Against(QFrame):
    """The card under the plots. ``pressed`` tells the id of an action."""

    pressed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.describe_held = Elided("quiet", tr("hold a reading to compare"))
        _, layout = card_of(tr("Held and now"), self.describe_held, self)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        holder = QWidget()
        # Room for three lines, whether one is held or not: nothing moves when it is.
        holder.setMinimumHeight(theme.px(80))
        cells = QGridLayout(holder)
        cells.setContentsMargins(0, 0, 0, 0)
        cells.setHorizontalSpacing(theme.px(12))
        self._cells: list[tuple[QLabel, QLabel, QLabel]] = []
        for n in range(_FIGURES):
            cell = (Elided("small"), Elided("headline"), Elided("quiet"))
            for line, part in enumerate(cell):
                cells.addWidget(part, line, n)
            cells.setColumnStretch(n, 1)
            self._cells.append(cell)
        layout.addWidget(holder)
        self.buttons: dict[str, QPushButton] = {}
        for name, words in (
            ("meter-send", tr("Send to step  Ctrl ↵")),
            ("meter-hold", keyed(tr("Hold  Ctrl H"), "meter-hold")),
            ("meter-freeze", keyed(tr("Freeze  Ctrl F"), "meter-freeze")),
            ("meter-keep", keyed(tr("Keep 10 s…  Ctrl S"), "meter-keep")),
        ):  # fmt: skip
            button = self.buttons[name] = QPushButton(words)
            button.clicked.connect(lambda _=False, n=name: self.pressed.emit(n))
        self._row = ButtonRows(tr("Actions for the reading"), self.buttons.values())
        layout.addWidget(self._row)
        self.told = label("quiet", "", True)
        layout.addWidget(self.told)
        self.to_step = self.buttons["meter-send"]

    def show_figures(self, shown: MeterPicture | None, held: MeterPicture | None) -> str:
        """The small figures and those that are held; returns what the two levels say together, if anything."""
        figures = shown.figures if shown is not None else ()
        beside = held if held is not None and shown is not None and held.task == shown.task else None
        for n, (what, now, was) in enumerate(self._cells):
            if n >= len(figures):
                for part in (what, now, was):
                    part.setText("")
                continue
            figure = figures[n]
            what.setText(figure.what)
            now.setText(_fitting(now, f"{figure.text} {figure.unit}", figure.text) if figure.value is not None else "—")
            was.setText("")
            if beside is not None:
                old = beside.figures[n]
                ways = tr("was {v} {unit}", v=old.text, unit=old.unit), tr("was {v}", v=old.text), old.text
                was.setText(_fitting(was, *ways) if old.value is not None else tr("was —"))
        if beside is not None and shown is not None:
            words = tr("held: {figure} {unit}, {name}", figure=beside.figure, unit=beside.unit, name=beside.name)
        elif held is None:
            words = tr("hold a reading to compare")
        else:
            words = tr("held: {task}", task=tr(dict(TASKS)[held.task]))
        self.describe_held.setText(words)
        return describe_ratio(beside, shown) if beside is not None and shown is not None and beside is not shown else ""

    def show_buttons(self, shown: MeterPicture | None, live: bool, frozen: bool) -> None:
        """What can be done now; orange is where the hand goes next."""
        can = shown is not None and bool(shown.sends)
        restyle(self.to_step, "main" if can else "")
        self.to_step.setEnabled(can)
        self.buttons["meter-hold"].setEnabled(shown is not None)
        self.buttons["meter-freeze"].setEnabled(live)
        self._row.say(
            self.buttons["meter-freeze"],
            keyed(tr("Go on  Ctrl F"), "meter-freeze") if frozen else keyed(tr("Freeze  Ctrl F"), "meter-freeze"),
        )
        self.buttons["meter-keep"].setEnabled(live)
