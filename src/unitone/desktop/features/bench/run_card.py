"""The card of a run, in the step's place while readings go on by themselves: the last figure, what is done now, what hands have to do, stop."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout

from unitone.actions import keyed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.figure import Figure
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import label
from unitone.present.bench.running import RunView
from unitone.words import tr

_FIGURE, _SMALL_FIGURE = 96, 56


class RunCard(QFrame):
    """Shows one run. ``pressed`` with the name of an action of the Bench."""

    pressed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(18), theme.px(10), theme.px(18), theme.px(12))
        layout.setSpacing(theme.px(8))
        self.title = label("title", "", True)
        layout.addWidget(self.title)
        self.figure = Figure(_FIGURE)
        self.figure.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        layout.addWidget(self.figure)
        self.lines = Lines(tr("Readings so far, the newest first"))
        layout.addWidget(self.lines)
        layout.addStretch(1)
        coach = QFrame()
        coach.setProperty("role", "coach")
        inside = QVBoxLayout(coach)
        inside.setContentsMargins(theme.px(14), theme.px(10), theme.px(14), theme.px(10))
        inside.setSpacing(1)
        self.headline, self.detail = label("headline", "", True), label("quiet", "", True)
        self.headline.setAccessibleName(tr("The coach says"))
        inside.addWidget(self.headline)
        inside.addWidget(self.detail)
        layout.addWidget(coach)
        row = QHBoxLayout()
        self.ready = self._button("main", keyed(tr("Ready  Space"), "sweep"))
        self.ready.setProperty("role", "main")
        self.stop = self._button("leave", tr("Stop  Esc"))
        row.addWidget(self.stop)
        row.addStretch(1)
        row.addWidget(self.ready)
        layout.addLayout(row)

    def _button(self, name: str, words: str) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName(name)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: self.pressed.emit(name))
        return button

    def show_run(self, view: RunView) -> None:
        """The run now."""
        for widget, words in ((self.title, view.title), (self.headline, view.headline), (self.detail, view.detail)):
            if widget.text() != words:
                widget.setText(words)
        self.figure.show_figure(view.figure, view.unit)
        self.lines.show_lines([Line("", place, value) for place, value in view.lines])
        self.ready.setVisible(view.waits)
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Large type in a small window: the coach's line and the figure go before the list."""
        low = self.height() < theme.px(430)
        self.figure.set_size(_SMALL_FIGURE if low else _FIGURE)
        self.lines.setVisible(not low)
