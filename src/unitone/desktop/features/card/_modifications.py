"""The record of what was changed in a radio: each change with its photographs and the place on them, and the list to undo it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QStackedLayout, QVBoxLayout, QWidget

from unitone.desktop.features.card.tab import boxed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import label
from unitone.desktop.widgets.photographs import LargePhotograph, Photographs
from unitone.desktop.widgets.picture import WHOLE, BoardImage
from unitone.desktop.widgets.pinning import PinBoard, Pinned
from unitone.errors import SheetError
from unitone.job.modifications import MODIFIED
from unitone.present.card.card_shapes import CardView
from unitone.session.session import Session
from unitone.sheet.format.pictures import read_picture
from unitone.words import tr


class ModificationsPage(QWidget):
    """Notes a change, shows those that stand, and how to undo them."""

    def __init__(self, do: Callable[[Callable[[Session], object]], None], read: Callable[[str], bytes]) -> None:
        super().__init__()
        self._do = do
        self._pictures: dict[str, bytes] = {}
        self._pins: dict[str, tuple[float, float]] = {}
        self._shown = ""
        self._places: dict[str, tuple[float, float]] = {}
        self.stack = QStackedLayout(self)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(12))
        column.addWidget(self._form_box())
        column.addWidget(self._record_box(read))
        column.addStretch(1)
        self.stack.addWidget(inside)
        self.large = LargePhotograph()
        self.large.closed.connect(lambda: self.stack.setCurrentIndex(0))
        self.stack.addWidget(self.large)

    def _form_box(self) -> QWidget:
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Modification")))
        layout.addWidget(
            label("quiet", tr("Note every cut, link and part before the next. The next one who opens this radio sees them first."), True)
        )  # fmt: skip
        self.form = EntryForm(
            (
                Ask("what", tr("Change"), share=2, choices=tuple((k, tr(k)) for k in MODIFIED)),
                Ask("where", tr("Where"), tr("D12, IC3 pin 7, brown"), 2, needed=True),
                Ask("was", tr("Original"), "1N4148", 2, wide=True), Ask("now", tr("Fitted now"), "1N60", 2),
                Ask("why", tr("Reason"), tr("S-meter dead below S3"), 3),
            ),
            tr("Log change"),
        )  # fmt: skip
        self.form.submitted.connect(self._log)
        layout.addWidget(self.form)
        row = QHBoxLayout()
        self.add = QPushButton(tr("Photographs…"))
        self.add.clicked.connect(self._ask)
        self.with_it = label("teal", "", True)
        row.addWidget(self.add)
        row.addWidget(self.with_it, 1)
        layout.addLayout(row)
        self.board = PinBoard()
        self.board.placed.connect(self._pin)
        self.board.moved.connect(lambda _table, _id, x, y: self._pin(x, y))
        self.board.setMinimumHeight(theme.px(260))
        self.board.hide()
        layout.addWidget(self.board)
        return frame

    def _record_box(self, read: Callable[[str], bytes]) -> QWidget:
        frame, layout = boxed()
        layout.addWidget(label("heading", tr("Modifications")))
        self.changes = Lines(tr("Modifications"), lambda key, _: self._do(lambda s: s.workshop.put_back(key)))
        layout.addWidget(self.changes)
        self.photographs = Photographs(read)
        self.photographs.wanted.connect(self._show_large)
        layout.addWidget(self.photographs)
        self.undo_head = label("strong", tr("To undo, in this order"))
        self.undo = Lines(tr("To undo, in this order"))
        layout.addWidget(self.undo_head)
        layout.addWidget(self.undo)
        return frame

    def show_card(self, view: CardView, other: bool) -> None:
        """What stands, and the list to undo it; a photograph that was added waits for its change."""
        if other:
            self._forget()
            self.stack.setCurrentIndex(0)
        self.add.setEnabled(not view.finished)
        buttons = () if view.finished else (tr("put back"),)
        self.changes.show_lines(
            [
                Line("recheck", m.what, " · ".join(x for x in (m.mark, m.when) if x), m.id, buttons)
                for m in view.modified
            ],
            tr("No modification noted."),
        )
        self._places = {name: (x, y) for p in view.modified_pictures for name, x, y in p.pins}
        self.photographs.show_photographs([photo for p in view.modified_pictures for photo in p.pictures])
        self.undo.show_lines([Line("", f"{n}. {words}") for n, words in enumerate(view.undo, 1)])
        self.undo_head.setVisible(bool(view.undo))

    def taken(self) -> None:
        """The change was logged: its photographs are kept with it."""
        if self.form.pending:
            self._forget()

    def _forget(self) -> None:
        self._pictures, self._pins, self._shown = {}, {}, ""
        self.board.hide()
        self.with_it.setText("")

    def _log(self, d: dict[str, str]) -> None:
        pictures, pins = dict(self._pictures), tuple((n, x, y) for n, (x, y) in self._pins.items())
        self._do(lambda s: s.workshop.modify(d["what"], d["where"], d["was"], d["now"], d["why"], pictures, pins))

    # -- photographs ------------------------------------------------------------------------------------------

    def _ask(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Photographs"), "", tr("Pictures (*.png *.jpg *.jpeg *.svg)"))
        self.add_photographs([Path(n) for n in names])

    def add_photographs(self, paths: list[Path]) -> None:
        """Take photographs to go with the change; what is no picture is refused with words. The last one is shown for its pin."""
        wrong = []
        for path in paths:
            try:
                self._pictures[path.name] = read_picture(path)
                self._shown = path.name
            except SheetError as error:
                wrong += error.problems
        if wrong:
            self.form.show_error("\n".join(wrong))
        if self._shown:
            self.board.show_picture(BoardImage(self._shown, self._pictures[self._shown]), WHOLE)
            self.board.show()
        self._tell()

    def _pin(self, x: float, y: float) -> None:
        if self._shown:
            self._pins[self._shown] = (round(x, 4), round(y, 4))
            self._tell()

    def _tell(self) -> None:
        if not self._shown:
            return
        place = self._pins.get(self._shown)
        self.board.show_pins(() if place is None else (Pinned("change", "1", *place),), ("change", "1"))
        words = tr("{names}: kept with this change.", names=", ".join(self._pictures))
        self.with_it.setText(
            words + " " + (tr("The place is pinned.") if place else tr("Click the place on the picture."))
        )

    def _show_large(self, name: str, image: QImage) -> None:
        place = self._places.get(name)
        self.stack.setCurrentIndex(1)
        self.large.show_image(name, image if place is None else ringed(image, *place))


def ringed(image: QImage, x: float, y: float) -> QImage:
    """The picture with a ring round a place of it (parts of its width and height)."""
    made = image.convertToFormat(QImage.Format.Format_ARGB32)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    radius = max(made.width(), made.height()) / 28.0
    middle = QPointF(x * made.width(), y * made.height())
    for colour, width in ((QColor("white"), radius / 3.0), (theme.colour("orange"), radius / 6.0)):
        painter.setPen(QPen(colour, width))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius))
    painter.end()
    return made
