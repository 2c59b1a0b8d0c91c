"""The hook-up: what is connected to what, and the interlock between receive and send."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPaintEvent, QPen
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from unitone.actions import keyed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted, elided, label, restyle, set_tip
from unitone.present.bench.bench_shapes import BenchView
from unitone.words import tr


class Chain(Painted):
    """Boxes joined by a line."""

    def __init__(self) -> None:
        super().__init__(tr("Hook-up"))
        self._boxes: tuple[str, ...] = ()
        self._ok = True
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(260), theme.px(30))

    def show_chain(self, boxes: tuple[str, ...], ok: bool) -> None:
        self._boxes, self._ok = boxes, ok
        self.setAccessibleDescription(" – ".join(boxes))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        if not self._boxes:
            return
        painter = self.painter()
        gap = theme.px(12)
        width = (self.width() - gap * (len(self._boxes) - 1)) / len(self._boxes)
        y = self.height() / 2
        painter.setPen(QPen(theme.colour("teal"), 3))
        painter.drawLine(QPointF(width / 2, y), QPointF(self.width() - width / 2, y))
        painter.setFont(theme.font(12))
        for n, text in enumerate(self._boxes):
            box = QRectF(n * (width + gap), theme.px(2), width, self.height() - theme.px(4))
            painter.setPen(QPen(theme.colour("teal"), 1.4, Qt.PenStyle.SolidLine if self._ok else Qt.PenStyle.DashLine))
            painter.setBrush(theme.colour("teal_soft" if self._ok else "card"))
            painter.drawRoundedRect(box, 6, 6)
            painter.setPen(theme.colour("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, elided(painter, text, width - 6))


class HookUpCard(QWidget):
    """The chain, its caution, and the button that confirms it."""

    confirmed = pyqtSignal()
    forced = pyqtSignal()
    repaired = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._low = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(theme.px(5))
        self.chain = Chain()
        self.words = label("caution", "", True)
        self.button = QPushButton()
        self.button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.button.clicked.connect(self.confirmed.emit)
        self.force = QPushButton(keyed(tr("Practice: key anyway  Shift+H"), "key-anyway"))
        self.force.setProperty("role", "link")
        self.force.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        set_tip(self.force, tr("Simulated bench only: see what a wrong hook-up destroys."))
        self.force.clicked.connect(self.forced.emit)
        self.broken = label("warn", "", True)
        self.repair = QPushButton()
        self.repair.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.repair.clicked.connect(self.repaired.emit)
        layout.addWidget(self.chain)
        layout.addWidget(self.words)
        layout.addWidget(self.button)
        layout.addWidget(self.force)
        layout.addWidget(self.broken)
        layout.addWidget(self.repair)

    def set_compact(self, low: bool) -> None:
        """In a low window the caution stands in the chain's tool tip; where it has to be confirmed it is always in sight."""
        self._low = low
        self.words.setVisible(not low or self.button.isVisible())
        set_tip(self.chain, self.words.text())

    def show_view(self, view: BenchView) -> None:
        """Show what this step needs and whether the bench stands so."""
        self.chain.show_chain(view.hook_up.chain, view.hook_up.ok)
        self.words.setText(view.hook_up.words)
        restyle(self.words, "quiet" if view.hook_up.wanted == "probe" else "caution")
        self.button.setVisible(not view.hook_up.ok and not view.finished)
        self.button.setText(keyed(tr("Hooked up for {way}  H", way=tr(view.hook_up.wanted)), "hook-up"))
        self.button.setAccessibleName(self.button.text())
        self.force.setVisible(view.hook_up.can_force and not view.finished and not view.hook_up.damage[0])
        words, cure = view.hook_up.damage
        self.broken.setText(words)
        self.broken.setVisible(bool(words))
        self.repair.setText(cure)
        self.repair.setAccessibleName(cure or tr("Practice: repair the damage"))
        self.repair.setVisible(bool(words) and not view.finished)
        self.set_compact(self._low)
