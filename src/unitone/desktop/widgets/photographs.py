"""The photographs of a finding: one alone as large as its place, several smaller; one pressed fills the page. They are read and
scaled off the window's thread."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QEvent, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QImage, QKeyEvent, QMouseEvent, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label, own_escape, set_tip
from unitone.desktop.widgets.picture import read_image
from unitone.errors import UnitoneError
from unitone.words import tr

#: How high one photograph, two, or more of them are shown beside what was found.
_HEIGHTS = (230, 150, 100)
#: Larger than this, a photograph is scaled down when it is shown.
_LARGE = 1600
#: (name, hash) of a photograph.
Photo = tuple[str, str]


class Photographs(QWidget):
    """Shows the photographs of an item; ``wanted`` tells which one to show large (name, picture)."""

    wanted = pyqtSignal(str, QImage)

    def __init__(self, read: Callable[[str], bytes]) -> None:
        super().__init__()
        self.setAccessibleName(tr("Photographs"))
        self._read, self._errand, self._large = read, Errand("photographs", self), Errand("photograph", self)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(theme.px(6))
        self._row.addStretch(1)
        self.buttons: list[QToolButton] = []
        self.missing = label("cure", "", True)
        self._shown: tuple[Photo, ...] = ()

    def show_photographs(self, photographs: Sequence[Photo]) -> None:
        """Show these: the fewer, the larger."""
        wanted = tuple(photographs)
        if wanted == self._shown:
            return
        self._shown = wanted
        for old in self.buttons:
            old.hide()
            old.deleteLater()
        self.buttons = []
        height = theme.px(_HEIGHTS[min(len(wanted), len(_HEIGHTS)) - 1])
        for name, hashed in wanted:
            button = QToolButton()
            button.setProperty("role", "photograph")
            button.setAccessibleName(tr("Photograph {name}", name=name))
            set_tip(button, name)
            button.setText("…")
            button.setIconSize(QSize(height * 8 // 5, height))
            button.clicked.connect(lambda _=False, n=name, h=hashed: self._show_large(n, h))
            self._row.insertWidget(self._row.count() - 1, button)
            self.buttons.append(button)
        self.setVisible(bool(wanted))
        self._errand.run(lambda: [_small(self._read, h, height) for _, h in wanted], self._fill, lambda _: None)

    def _fill(self, images: list[QImage | None]) -> None:
        for button, image in zip(self.buttons, images, strict=False):
            if image is None:
                button.setText(tr("missing from the logbook"))
            else:
                button.setText("")
                button.setIcon(QIcon(QPixmap.fromImage(image)))
                button.setIconSize(image.size())

    def _show_large(self, name: str, hashed: str) -> None:
        self._large.run(
            lambda: _small(self._read, hashed, _LARGE),
            lambda image: image and self.wanted.emit(name, image),
            lambda _: None,
        )


def _small(read: Callable[[str], bytes], hashed: str, height: int) -> QImage | None:
    """A photograph scaled down to ``height``; None where it is missing or cannot be shown."""
    try:
        image = read_image(read(hashed))
    except UnitoneError:
        return None
    if image.isNull():
        return None
    if image.height() > height:
        return image.scaledToHeight(height, Qt.TransformationMode.SmoothTransformation)
    return image


class LargePhotograph(QLabel):
    """One photograph over everything; a click or Escape puts it away."""

    closed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Photograph, large"))
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._image = QImage()

    def show_image(self, name: str, image: QImage) -> None:
        """Show it as large as there is room."""
        self._image = image
        self.setAccessibleDescription(name)
        self._fit()
        self.setFocus()

    def _fit(self) -> None:
        if not self._image.isNull():
            size = self.size() - QSize(theme.px(16), theme.px(16))
            scaled = self._image.scaled(
                size, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            self.setPixmap(QPixmap.fromImage(scaled))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(300), theme.px(200))

    def minimumSizeHint(self) -> QSize:
        return QSize(1, 1)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        del event
        self.closed.emit()

    def event(self, event: QEvent | None) -> bool:
        """Escape is this picture's own while it is shown."""
        return own_escape(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.closed.emit()
            return
        super().keyPressEvent(event)
