"""The card of a sweep, in the step's place while a core is swept: the figure, the trace, the coach's line, three buttons."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout

from unitone.actions import keyed, shown_key
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.figure import Figure
from unitone.desktop.widgets.painted import label, restyle, set_tip
from unitone.desktop.widgets.trace import LiveTrace
from unitone.present.bench.sweeping import SweepView
from unitone.words import tr

_FIGURE, _SMALL_FIGURE = 96, 56


class SweepCard(QFrame):
    """Shows one sweep. ``pressed`` with the name of an action of the Bench."""

    pressed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self._over = False
        self._main = ("", "")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(18), theme.px(10), theme.px(18), theme.px(12))
        layout.setSpacing(theme.px(8))
        self.title = label("title", "", True)
        layout.addWidget(self.title)
        self.figure = Figure(_FIGURE)
        self.figure.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        layout.addWidget(self.figure)
        self.warning = label("warn", "", True)
        self.warning.setAccessibleName(tr("About the reading"))
        layout.addWidget(self.warning)
        self.trace = LiveTrace()
        layout.addWidget(self.trace, 1)
        self.coach = QFrame()
        self.coach.setProperty("role", "coach")
        inside = QVBoxLayout(self.coach)
        inside.setContentsMargins(theme.px(14), theme.px(10), theme.px(14), theme.px(10))
        inside.setSpacing(1)
        self.headline, self.detail = label("headline", "", True), label("quiet", "", True)
        self.headline.setAccessibleName(tr("The coach says"))
        inside.addWidget(self.headline)
        inside.addWidget(self.detail)
        layout.addWidget(self.coach)
        row = QHBoxLayout()
        self.stop = self._button("sweep-stop", keyed(tr("At the stop  Z"), "sweep-stop"))
        self.dead = self._button("sweep-dead", tr("No effect  0"))
        self.beyond = self._button("sweep-beyond", keyed(tr("Second peak?  Shift Z"), "sweep-beyond"))
        for button in (self.stop, self.dead, self.beyond):
            button.setAccessibleName(button.text())
            set_tip(button, button.text())
        self.main = self._button("main", tr("Break off"))
        self.main.setAccessibleName(tr("Break off"))
        self.main.clicked.disconnect()
        self.main.clicked.connect(lambda: self.pressed.emit("main" if self._over else "leave"))
        self.main.setProperty("role", "main")
        row.addWidget(self.stop)
        row.addWidget(self.dead)
        row.addWidget(self.beyond)
        row.addStretch(1)
        row.addWidget(self.main)
        layout.addLayout(row)

    def _button(self, name: str, words: str) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName(name)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: self.pressed.emit(name))
        return button

    def show_sweep(self, view: SweepView) -> None:
        """The sweep now."""
        self._over = view.over
        for widget, words in (
            (self.title, view.title), (self.headline, view.headline), (self.detail, view.detail), (self.warning, view.warning),
        ):  # fmt: skip
            if widget.text() != words:
                widget.setText(words)
        self.warning.setVisible(bool(view.warning))
        self.figure.show_figure(view.figure, view.unit)
        self.trace.show_trace(view.trace, view.top_db)
        restyle(self.main, "main" if view.over else "")
        self._main = (f"{view.button}  ↵", "↵") if view.over else (f"{view.button}  Esc", "Esc")
        self.main.setAccessibleName(view.button)
        # What can be said while it is turned gives way to what can be asked once a peak is found.
        self.beyond.setVisible(view.can_look)
        for button in (self.stop, self.dead):
            button.setEnabled(not view.over)
            button.setVisible(not view.can_look)
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Large type in a small window: the coach's line and the figure go before the trace, and keys before words."""
        low = self.height() < theme.px(430)
        self.figure.set_size(_SMALL_FIGURE if low else _FIGURE)
        self.title.setVisible(self.height() > theme.px(360))
        self.trace.setVisible(not low)
        beyond = keyed(tr("Second peak?  Shift Z"), "sweep-beyond")
        whole = (keyed(tr("At the stop  Z"), "sweep-stop"), tr("No effect  0"), beyond, self._main[0])
        buttons = (self.stop, self.dead, self.beyond, self.main)
        for texts in (
            whole,
            ("Z", "0", tr("Second peak?"), self._main[0]),
            ("Z", "0", shown_key("sweep-beyond"), self._main[1]),
        ):
            for button, words in zip(buttons, texts, strict=True):
                button.setText(words)
            seen = [b for b in buttons if not b.isHidden()]
            if sum(b.sizeHint().width() + theme.px(8) for b in seen) <= self.width() - theme.px(36):
                break
