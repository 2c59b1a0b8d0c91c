"""A scanned page over the whole view, as wide as there is room: it is read, scrolled, and put away by a click or Escape."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QResizeEvent
from PyQt6.QtWidgets import QScrollArea, QWidget

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label, own_escape
from unitone.desktop.widgets.picture import WHOLE, BoardImage
from unitone.words import tr

#: Wider than this a page of text is not easier to read (pixels at normal type).
_WIDEST = 1100


class ScanPage(QScrollArea):
    """Lies over its parent while it is read."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Scanned page"))
        self.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._page = label("")
        self._page.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setWidget(self._page)
        self.setProperty("role", "card")
        self._image: BoardImage | None = None
        parent.installEventFilter(self)
        self.hide()

    def open(self, image: BoardImage, title: str) -> None:
        """Over everything, from its top."""
        self._image = image
        self.setAccessibleDescription(title)
        self._over()
        self.show()
        self._fit()
        self.raise_()
        self.setFocus()
        self.ensureVisible(0, 0)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Always as large as what it lies over."""
        if event is not None and event.type() == QEvent.Type.Resize and watched is self.parentWidget():
            self._over()
        return False

    def _over(self) -> None:
        over = self.parentWidget()
        if over is not None:
            self.setGeometry(over.rect())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        view = self.viewport()
        if self._image is None or view is None:
            return
        width = min(view.width() - theme.px(16), theme.px(_WIDEST))
        ratio = self.devicePixelRatioF()
        size = QSize(max(width, 1), max(round(width / self._image.shape(WHOLE)), 1))
        pixmap = self._image.pixmap(QSize(round(size.width() * ratio), round(size.height() * ratio)))
        pixmap.setDevicePixelRatio(ratio)
        self._page.setPixmap(pixmap)
        self._page.resize(size)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        del event
        self.hide()

    def event(self, event: QEvent | None) -> bool:
        """Escape is the page's own while it is read."""
        return own_escape(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Escape, Qt.Key.Key_Return):
            self.hide()
            return
        super().keyPressEvent(event)
